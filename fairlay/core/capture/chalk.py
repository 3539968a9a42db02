"""Chalk on leather: rings round flaws with their colour, arrows along the line of least stretch, the
backbone.

Chalk covers leather in part: what shows lies on the way from the leather's own colour to the chalk's, however
weakly it was drawn. So it is told by the direction of the change, which holds on light leather and on dark.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import combinations
from typing import Any, Final, Literal

import cv2
import numpy as np
from numpy.typing import NDArray
from shapely.geometry import MultiPoint, Point, Polygon

from fairlay.core.capture.chalk_arcs import Piece, ovals
from fairlay.core.capture.hide_apart import Press
from fairlay.core.capture.hide_edge import HideFound
from fairlay.core.capture.table import SHOWN_POWER, TableTop, light_of
from fairlay.core.shapes.rings import Ring, pieces_of, simple_ring

Floats = NDArray[np.float64]
Raster = NDArray[Any]
Window = tuple[slice, slice]
Means = Literal["surface", "blemish", "unsound", "line"]
MEANINGS: Final[dict[Means, int]] = {"surface": 1, "blemish": 2, "unsound": 3, "line": 0}

DAZZLED_LEVELS: Final = 70
DAZZLED_SHARE: Final = 0.004
"""Shine so strong that chalk may drown in it, over so much of the leather, is told."""
LEATHER_MM: Final = 60.0
"""Over so much leather its own colour is taken: wider than most rings' lines are apart."""
SURE, FAINT = 0.28, 0.12
"""How much of a place chalk must cover to begin a line, and to carry one on."""
PLAIN_LEVELS: Final = 9.0
SHINE_LEVELS: Final = 14.0
"""Leather lighter by less than this is only unevenly dyed, or nearer the window."""
WIDEST_BLOT_MM: Final = 13.0
"""Half as wide as what no line is, even where three meet in the head of an arrow."""
BREAKS_MM: Final = (1.0, 3.0, 5.0, 8.0, 12.0, 17.0)
"""Half the breaks in a line that are joined, the wider ones only where that closes a ring."""
JOIN_MM, FAR_JOIN_MM, LEAST_ACROSS_MM = 3.5, 12.0, 9.0
LEAST_FAINT_MM2: Final = 60.0
LEAST_INSIDE_MM2: Final = 35.0
ROUND_ENOUGH: Final = 0.45
LEAST_LINE_MM: Final = 60.0
LINE_MM: Final = 6.0
"""How wide a line of chalk usually is."""
EVENED_MM, FULL_WIDTH = 0.9, 2.35
PEN_MM, PEN_SHARE = 2.9, 0.6
"""A line of chalk is at least so wide, and so much of how wide the picture's longer lines are; a pen's is
thinner.
"""
FIGURE_MM, FIGURE_LINE_MM = (9.0, 60.0), 5.0
RING_MM: Final = 40.0
OFF_COLOUR: Final = (0.36, 1.5, 0.03)
"""How far a change may be off the way to a chalk's colour: a share of it, light of 255, and a share of the
leather's.
"""
MOST_DOT_MM: Final = 34.0
FULL, SURELY = 0.65, 0.5
"""How much of a dot is chalk at least, and surely so."""
BACKBONE_SHARE: Final = 0.4
"""A line as long as this share of the hide is the backbone."""
NO_CHALK: Final = 0.34
"""What is so far off the way to every chalk's colour is a pen's ink, a vein or a stain."""
HARDLY_SHOWS, SHOWS_LITTLE = 48.0, 78.0
SAID_MM: Final = 12.0
SMALL_MM2: Final = 12_000.0
ALIKE: Final = 0.975
WHITE_PAPER: Final = 235.0


@dataclass(frozen=True)
class Chalk:
    """A colour of chalk: its name, what it shows as beside white paper (r, g, b of 255), and what the shop
    means by it.
    """

    name: str
    rgb: tuple[int, int, int]
    means: Means


USUAL_CHALKS: Final = (
    Chalk("white", (238, 237, 230), "surface"),
    Chalk("blue", (62, 110, 196), "blemish"),
    Chalk("red", (208, 52, 46), "unsound"),
    Chalk("yellow", (240, 208, 62), "line"),
)
"""The default table: what bears being seen in white, what is plain in blue, what no piece may use in red,
lines in yellow.
"""


@dataclass(frozen=True, eq=False)
class ChalkRing:
    """A ring on the table in mm, along the middle of its line; the chalk's name; severity by the shop's
    table, 0 where its colour means none; how surely the colour was told (0 to 1; 0 too for a dot, which may
    be no ring at all).
    """

    outline: Ring
    chalk: str
    severity: int
    sure: float


@dataclass(frozen=True, eq=False)
class ChalkLine:
    """A line: "backbone", "arrow" (least stretch runs along it) or "line"; its two ends on the table in mm,
    and its chalk.
    """

    kind: Literal["backbone", "arrow", "line"]
    ends: Floats
    chalk: str


@dataclass(frozen=True, eq=False)
class ChalkSeen:
    """What was chalked, and advice in words where a colour cannot be told on this leather."""

    rings: tuple[ChalkRing, ...]
    lines: tuple[ChalkLine, ...]
    advice: tuple[str, ...]


def find_chalk(
    top: TableTop, hide: HideFound, chalks: tuple[Chalk, ...] = USUAL_CHALKS, presses: Sequence[Press] = ()
) -> ChalkSeen:
    """Return the chalk marks on a hide that was found on its table.

    ``chalks`` is the shop's table of colours; ``presses``: what somebody said is chalk, however faint or
    thin, and what is none.
    """
    ppm = top.px_per_mm
    x, y, w, h = cv2.boundingRect(hide.mask)
    image = cv2.GaussianBlur(top.image[y : y + h, x : x + w], (0, 0), max(0.6, EVENED_MM * ppm))
    mask = cv2.erode(np.pad(hide.mask[y : y + h, x : x + w], 1), _disc(4.0 * ppm))[1:-1, 1:-1]
    leather = _leather(image, mask, ppm)
    usual = np.median(leather[mask > 0].reshape(-1, 3), axis=0) if mask.any() else np.full(3, 128.0)
    lit = light_of(_middle(leather)) * 255
    dazzled = _unshone(image, leather, mask)
    colours = np.array([c.rgb for c in chalks], np.float32) * (WHITE_PAPER / 238.0)
    cover = _covered(image, leather, mask, colours, lit)
    line, faint = (_not_pen(v, cover, ppm, math.hypot(top.blur_mm, EVENED_MM)) for v in _lines(cover, ppm))
    said = [(p.means, top.to_px(np.array([[p.x, p.y]]))[0] - np.array([x, y])) for p in presses]
    line |= _said_to_be(cover, [at for means, at in said if means == "chalk"], ppm)
    stains = [(p.x, p.y) for p in presses if p.means == "stain"]
    rings, lines = [], []
    long = float(math.hypot(w, h)) / ppm
    left = line.copy()

    def keep(outline: Floats, cut: Window, where: Raster, is_dot: bool = False) -> None:
        k, told, off = _nearest(image[cut], leather[cut], where, cover[cut], colours)
        if off > NO_CHALK:
            return
        at = simple_ring(top.to_mm(outline + np.array([x + cut[1].start, y + cut[0].start], float)))
        rings.append(ChalkRing(at, chalks[k].name, MEANINGS[chalks[k].means], 0.0 if is_dot else told))

    def closed(join: float, breaks: tuple[float, ...]) -> None:
        for cut, own in _apart(left, join, ppm):
            found = [loop for loop in _loops(own, ppm, breaks) if _is_drawn(loop, own, ppm)]
            for loop in found:
                keep(loop, cut, _band(loop, own, ppm))
            if found:
                left[cut][own > 0] = 0

    # What closes no ring by itself may be part of one, broken where the hand pressed lightly or not at all:
    # strokes on one oval first, then whatever closes when it is joined far enough.
    closed(JOIN_MM, BREAKS_MM[:3])
    windows = [*_apart(left, JOIN_MM, ppm), *_apart(faint, JOIN_MM, ppm)]
    pieces = []
    for cut, own in windows:
        k = _nearest(image[cut], leather[cut], own > 0, cover[cut], colours)[0]
        at = np.argwhere(own > 0)[:, ::-1] + np.array([cut[1].start, cut[0].start], float)
        pieces.append(Piece(at, _half(own), k))
    whole = (slice(0, h), slice(0, w))
    for oval in ovals(pieces, ppm):
        drawn = np.zeros((h, w), np.uint8)
        for i in oval.pieces:
            drawn[windows[i][0]] |= windows[i][1]
        keep(oval.outline, whole, drawn > 0)
        left[drawn > 0] = 0
    closed(FAR_JOIN_MM, BREAKS_MM)
    for cut, own in _apart(left, JOIN_MM, ppm):
        straight = _straight(own, cover[cut], ppm, long)
        if straight is not None:
            k = _nearest(image[cut], leather[cut], own > 0, cover[cut], colours)[0]
            ends = top.to_mm(straight[1] + np.array([x + cut[1].start, y + cut[0].start], float))
            lines.append(ChalkLine(straight[0], ends, chalks[k].name))
            continue
        dot = _dot(own, cover[cut], ppm)
        if dot is not None:
            keep(dot, cut, own > 0, is_dot=True)
    rings = [r for r in rings if not any(_lies_on(r.outline, at) for at in stains)]
    return ChalkSeen(
        tuple(_one_each(rings)), tuple(lines), (*_advice(chalks, colours, usual), *_dazzled(dazzled, mask))
    )


def _said_to_be(cover: Raster, at: list[Floats], ppm: float) -> Raster:
    """The marks, however faint or thin, that lie where somebody said that chalk is."""
    out = np.zeros(cover.shape, np.uint8)
    if not at:
        return out
    k = _disc(1.5 * ppm)
    _, labels = cv2.connectedComponents(
        cv2.morphologyEx((cover > 0.5 * FAINT).astype(np.uint8), cv2.MORPH_CLOSE, k)
    )
    for px in at:
        near = np.zeros_like(out)
        cv2.circle(near, (round(float(px[0])), round(float(px[1]))), round(SAID_MM * ppm), 1, -1)
        own = np.unique(labels[near > 0])
        out |= np.isin(labels, own[own > 0]).astype(np.uint8)
    return out


def _lies_on(ring: Ring, at: tuple[float, float]) -> bool:
    """Whether a press is meant for a ring: on its line, or inside a small one."""
    shape = Polygon(ring).buffer(0)
    press = Point(at)
    of = shape.exterior if shape.area > SMALL_MM2 else shape
    return float(of.distance(press)) < SAID_MM


def _apart(line: Raster, join_mm: float, ppm: float) -> list[tuple[Window, Raster]]:
    """Lines that hang together when breaks of twice ``join_mm`` are joined: the window each lies in, with
    room round it, and its mask.
    """
    h, w = line.shape
    room = round(24 * ppm)
    count, labels, stats, _ = cv2.connectedComponentsWithStats(
        cv2.morphologyEx(line, cv2.MORPH_CLOSE, _disc(join_mm * ppm)), connectivity=8
    )
    out = []
    for c in range(1, count):
        x, y, across, down, _ = (int(v) for v in stats[c])
        if max(across, down) < LEAST_ACROSS_MM * ppm:
            continue
        cut = (
            slice(max(0, y - room), min(h, y + down + room)),
            slice(max(0, x - room), min(w, x + across + room)),
        )
        own = ((labels[cut] == c) & (line[cut] > 0)).astype(np.uint8)
        if own.any():
            out.append((cut, own))
    return out


def _disc(radius: float) -> Raster:
    k = max(1, round(radius))
    return cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * k + 1, 2 * k + 1))


def _leather(image: Raster, mask: Raster, ppm: float) -> Raster:
    """The leather's own colour everywhere: the median about each place, lines left out since they are
    thin.
    """
    small = max(1, round(4 * ppm))
    size = (max(8, image.shape[1] // small), max(8, image.shape[0] // small))
    own = cv2.resize(image, size, interpolation=cv2.INTER_AREA)
    inside = cv2.resize(mask, size, interpolation=cv2.INTER_NEAREST)
    # Beyond the hide its own colour goes on, so that the median at its edge is leather's.
    own = cv2.inpaint(own, 1 - inside, 3, cv2.INPAINT_TELEA) if inside.any() and (1 - inside).any() else own
    k = max(3, round(LEATHER_MM * ppm / small) | 1)
    return cv2.resize(
        cv2.GaussianBlur(cv2.medianBlur(own, k), (0, 0), 1.5),
        (image.shape[1], image.shape[0]),
        interpolation=cv2.INTER_LINEAR,
    )


def _unshone(image: Raster, leather: Raster, mask: Raster) -> Raster:
    """Take a lamp's shine off a face, in place: light added alike to all colours, to the chalk as well as to
    the leather under it. Return where it is strong.
    """
    if not mask.any():
        return np.zeros(mask.shape, bool)
    # Shine may lie over half of a small piece: its own colour is where it is darker, short of stains.
    unlit = np.percentile(leather[mask > 0].reshape(-1, 3), 25, axis=0)
    dazzled = _middle(leather) > np.median(unlit) + DAZZLED_LEVELS
    own = np.clip(unlit + SHINE_LEVELS, 0, 255)
    at = np.nonzero(_middle(leather) > np.median(own))
    if len(at[0]):
        lit, here = (light_of(v[at].reshape(-1, 1, 3))[:, 0] for v in (leather, image))
        added = np.maximum(lit - (own / 255.0).astype(np.float32) ** SHOWN_POWER, 0.0).min(axis=1)[:, None]
        for raster, light in ((leather, lit), (image, here)):
            raster[at] = np.maximum(light - added, 0.0) ** (1 / SHOWN_POWER) * 255
    return np.asarray(dazzled)


def _middle(image: Raster) -> Raster:
    """The middle one of the three channels: in strong light the brightest ends at white before the others
    do.
    """
    a, b, c = cv2.split(image)
    return np.asarray(cv2.max(cv2.min(a, b), cv2.min(cv2.max(a, b), c)))


def _dazzled(dazzled: Raster, mask: Raster) -> list[str]:
    share = float(dazzled[mask > 0].mean()) if mask.any() else 0.0
    return (
        [
            "A lamp shines on the leather; chalk may not show there. Turn the lamp away or shade it, and "
            "look that every ring was found."
        ]
        if share > DAZZLED_SHARE
        else []
    )


def _covered(image: Raster, leather: Raster, mask: Raster, colours: Raster, lit: Raster) -> Raster:
    """How much of each place is covered by chalk, of whichever colour explains it best (0 to 1). ``lit``:
    the light (of 255) that it was seen in, shine and all, which trembles with it.
    """
    cover = np.zeros(mask.shape, np.float32)
    off = cv2.absdiff(image, leather).max(axis=2)
    at = np.nonzero((mask > 0) & (off > PLAIN_LEVELS))
    if not len(at[0]):
        return cover
    # Light, since that is what chalk that covers half of the grain throws back half of.
    here, base = (light_of(v[at].reshape(-1, 1, 3))[:, 0] * 255 for v in (image, leather))
    change = here - base
    size = np.sqrt((change * change).sum(axis=1))
    best, share = np.full(len(size), np.inf, np.float32), np.zeros(len(size), np.float32)
    for colour in (np.clip(colours, 0, 255) / 255) ** SHOWN_POWER * 255:
        way = colour.astype(np.float32) - base
        length = np.maximum((way * way).sum(axis=1), 60.0)
        along = (change * way).sum(axis=1) / length
        rest = np.sqrt(np.maximum(size * size - along * along * length, 0.0))
        better = (along > 0) & (rest < best)
        best, share = np.where(better, rest, best), np.where(better, along, share)
    good = best < OFF_COLOUR[0] * size + OFF_COLOUR[1] + OFF_COLOUR[2] * lit[at]
    cover[at] = np.where(good, np.clip(share, 0, 1), 0)
    return cover


def _lines(cover: Raster, ppm: float) -> tuple[Raster, Raster]:
    """Chalk as a mask: what is surely chalk with all that hangs on to it, less blots wider than any line;
    and what may be chalk, drawn so lightly that it counts only where it makes up a ring.
    """
    faint: Raster = (cover > FAINT).astype(np.uint8)
    faint = cv2.morphologyEx(faint, cv2.MORPH_CLOSE, _disc(1.5 * ppm))
    faint = cv2.morphologyEx(faint, cv2.MORPH_OPEN, _disc(1.0 * ppm))
    blots = cv2.dilate(cv2.morphologyEx(faint, cv2.MORPH_OPEN, _disc(WIDEST_BLOT_MM * ppm)), _disc(4 * ppm))
    faint[blots > 0] = 0
    count, labels = cv2.connectedComponents(faint, connectivity=8)
    surely = np.bincount(labels.ravel(), weights=(cover > SURE).ravel(), minlength=count)
    size = np.bincount(labels.ravel(), minlength=count)
    keep = (surely > 10 * ppm**2) & (surely > 0.12 * size)
    keep[0] = False
    weak = ~keep & (size > LEAST_FAINT_MM2 * ppm**2)
    weak[0] = False
    return np.asarray(keep[labels], np.uint8), np.asarray(weak[labels], np.uint8)


def _loops(own: Raster, ppm: float, breaks: tuple[float, ...] = BREAKS_MM) -> list[Floats]:
    """Rings (px) that a line closes, along the middle of the line; breaks are joined as far as is needed and
    no farther.
    """
    depth: Raster = cv2.distanceTransform(own, cv2.DIST_L2, 5)
    half = float(np.percentile(depth[own > 0], 90))
    hull = MultiPoint(np.argwhere(own > 0)[:, ::-1]).convex_hull.buffer(-half).area
    for radius in breaks:
        # Grown until the ends meet; what is still enclosed is given back what growing took.
        contours, tree = cv2.findContours(
            cv2.dilate(own, _disc(radius * ppm)), cv2.RETR_CCOMP, cv2.CHAIN_APPROX_NONE
        )
        if tree is None:
            return []
        back = round(radius * ppm) + 0.5
        inner = [
            Polygon(c[:, 0]).buffer(0).buffer(back)
            for c, t in zip(contours, tree[0], strict=True)
            if t[3] >= 0 and len(c) > 8
        ]
        inner = [p for p in inner if p.area > LEAST_INSIDE_MM2 * ppm**2]
        grown = [p.buffer(half + 0.5) for p in _joined(inner, half)]
        if sum(p.area for p in grown) > ROUND_ENOUGH * hull:
            return [
                np.asarray(max(pieces_of(g), key=lambda q: q.area).simplify(0.4 * ppm).exterior.coords)[:-1]
                for g in grown
            ]
    return []


def _joined(inner: list[Polygon], half: float) -> list[Polygon]:
    """Insides that are parted by a stroke through one ring are one; those of rings that touch are not."""
    out: list[Polygon] = []
    for p in sorted(inner, key=lambda q: -q.area):
        for i, q in enumerate(out):
            wall = p.buffer(1.3 * half).intersection(q.buffer(1.3 * half))
            if wall.area > 0.22 * p.length * 1.3 * half:
                out[i] = max(
                    pieces_of(q.buffer(1.3 * half).union(p.buffer(1.3 * half)).buffer(-1.3 * half)),
                    key=lambda r: r.area,
                )
                break
        else:
            out.append(p)
    return out


def _is_drawn(loop: Floats, own: Raster, ppm: float) -> bool:
    """Whether enough of a ring is chalk."""
    around = np.zeros(own.shape, np.uint8)
    cv2.polylines(around, [np.round(loop).astype(np.int32)], True, 1, 1)
    drawn = cv2.dilate(own, _disc(2 * ppm))
    return bool((drawn[around > 0] > 0).mean() >= 0.55)


def _band(loop: Floats, own: Raster, ppm: float) -> Raster:
    """The chalk along a ring."""
    band = np.zeros(own.shape, np.uint8)
    cv2.polylines(band, [np.round(loop).astype(np.int32)], True, 1, max(2, round(9 * ppm)))
    return np.asarray((band > 0) & (own > 0))


def _half(own: Raster) -> float:
    """Half a line's width in px."""
    return float(
        np.percentile(cv2.distanceTransform(np.pad(own, 1), cv2.DIST_L2, 5)[1:-1, 1:-1][own > 0], 90)
    )


def _not_pen(line: Raster, cover: Raster, ppm: float, blur_mm: float) -> Raster:
    """Lines without those too thin for chalk: a number written with a pen, a vein.

    A line's width is what it covers over its length, as if it covered all of that as it does its middle;
    less what the picture's blur (one standard deviation) adds to that.
    """
    count, labels, stats, _ = cv2.connectedComponentsWithStats(line, connectivity=8)
    wide = np.zeros(count)
    for c in range(1, count):
        x, y, w, h = (int(v) for v in stats[c, :4])
        own = np.pad((labels[y : y + h, x : x + w] == c).astype(np.uint8), 1)
        there = cover[y : y + h, x : x + w][own[1:-1, 1:-1] > 0]
        contours, _ = cv2.findContours(own, cv2.RETR_CCOMP, cv2.CHAIN_APPROX_NONE)
        length = sum(cv2.arcLength(k, True) for k in contours) / 2
        middle = max(float(np.quantile(there, 0.9)), 0.05)
        across = float(there.sum()) / max(length, 1.0) / middle / ppm
        wide[c] = math.sqrt(max(across**2 - (FULL_WIDTH * blur_mm) ** 2, 0.0))
    long = np.maximum(stats[:, cv2.CC_STAT_WIDTH], stats[:, cv2.CC_STAT_HEIGHT]) > RING_MM * ppm
    long[0] = False
    usual = float(np.median(wide[long])) if long.any() else 0.0
    keep = (wide >= max(PEN_MM, PEN_SHARE * usual)) & ~_in_a_row(stats, wide, ppm)
    return np.asarray(keep[labels] & (line > 0), np.uint8)


def _in_a_row(stats: Raster, wide: Floats, ppm: float) -> NDArray[np.bool_]:
    """Which of several marks are figures: of one height, close beside each other in a row, in a line that is
    thin.
    """
    out = np.zeros(len(stats), bool)
    x, y, w, h = (stats[:, k].astype(float) for k in range(4))
    small = (
        (np.maximum(w, h) < FIGURE_MM[1] * ppm)
        & (np.maximum(w, h) > FIGURE_MM[0] * ppm)
        & (wide < FIGURE_LINE_MM)
    )
    small[0] = False
    for i in np.flatnonzero(small):
        beside = small & (np.abs(y + h / 2 - y[i] - h[i] / 2) < 0.5 * h[i]) & (np.abs(h - h[i]) < 0.35 * h[i])
        gap = np.maximum(x - x[i] - w[i], x[i] - x - w)
        beside &= (gap < 0.7 * h[i]) & (np.arange(len(x)) != i)
        if beside.any():
            out |= beside
            out[i] = True
    return out


def _nearest(
    image: Raster, leather: Raster, where: Raster, cover: Raster, colours: Raster
) -> tuple[int, float, float]:
    """The chalk whose direction from the leather the strongest half of a line shows, how much nearer it is
    than the next, and how far the line is off that direction (a share of how far it is from the leather).
    """
    least = float(np.quantile(cover[where], 0.5))
    strong = where & (cover >= least)
    base, here = (light_of(v[strong].reshape(-1, 1, 3))[:, 0].mean(axis=0) * 255.0 for v in (leather, image))
    change = here - base
    ways = (np.clip(colours, 0, 255) / 255) ** SHOWN_POWER * 255 - base
    along = np.clip((ways @ change) / np.maximum((ways * ways).sum(axis=1), 1.0), 0.0, 1.15)
    rest = np.sqrt(((change - along[:, None] * ways) ** 2).sum(axis=1))
    order = np.argsort(rest)
    first, second = float(rest[order[0]]), float(rest[order[1]]) if len(order) > 1 else math.inf
    off = first / max(float(np.sqrt((change**2).sum())), 1e-6)
    return int(order[0]), float(np.clip((second - first) / max(second + first, 1e-6), 0.0, 1.0)), off


def _straight(
    own: Raster, cover: Raster, ppm: float, hide_mm: float
) -> tuple[Literal["backbone", "arrow", "line"], Floats] | None:
    """A line's kind and its two ends (px); None for what is no straight line."""
    yx = np.argwhere(own > 0)
    at = yx[:, ::-1].astype(np.float64)
    middle = at.mean(axis=0)
    _, _, axes = np.linalg.svd((at - middle)[:: max(1, len(at) // 4000)], full_matrices=False)
    along, across = (at - middle) @ axes[0], (at - middle) @ axes[1]
    lo, hi = float(along.min()), float(along.max())
    long = (hi - lo) / ppm
    if long < LEAST_LINE_MM or float((cover[own > 0] > SURE).mean()) < 0.3:
        return None
    body = (along > lo + 0.3 * (hi - lo)) & (along < hi - 0.3 * (hi - lo))
    if body.sum() < 10:
        return None
    slope, start = np.polyfit(along[body], across[body], 1)
    left = across - (slope * along + start)
    width = float(np.ptp(np.quantile(left[body], (0.03, 0.97))))
    if width > 0.16 * (hi - lo) + 6 * ppm:
        return None
    ends = np.stack([middle + t * axes[0] + (slope * t + start) * axes[1] for t in (lo, hi)])
    heads = [
        float(np.ptp(left[where])) if where.any() else 0.0
        for where in (along < lo + 0.22 * (hi - lo), along > hi - 0.22 * (hi - lo))
    ]
    if long > BACKBONE_SHARE * hide_mm:
        return "backbone", ends
    if max(heads) > max(1.9 * width, width + 8 * ppm):
        return "arrow", ends
    return "line", ends


def _dot(own: Raster, cover: Raster, ppm: float) -> Floats | None:
    """The outline (px) of a ring so small that its line fills it, or of a dot of chalk; None for what is
    neither round nor full.
    """
    middle, sides, turn = cv2.minAreaRect(np.argwhere(own > 0)[:, ::-1].astype(np.float32))
    across, long = min(sides) / ppm, max(sides) / ppm
    if across < LEAST_ACROSS_MM or long > MOST_DOT_MM or long > 2 * across:
        return None
    if (
        own.sum() < FULL * np.pi / 4 * across * long * ppm**2
        or float((cover[own > 0] > SURE).mean()) < SURELY
    ):
        return None
    # Along the middle of its line, as rings are.
    half = [max(0.7 * side, side - LINE_MM * ppm) / 2 for side in sides]
    t, way = np.linspace(0, 2 * np.pi, 25)[:-1], math.radians(turn)
    c, s = np.cos(t) * half[0], np.sin(t) * half[1]
    return np.stack(
        [
            middle[0] + c * math.cos(way) - s * math.sin(way),
            middle[1] + c * math.sin(way) + s * math.cos(way),
        ],
        axis=1,
    )


def _one_each(rings: list[ChalkRing]) -> list[ChalkRing]:
    """Rings without those that lie wholly in another of the same chalk: a ring drawn twice round is one."""
    shapes = [Polygon(r.outline).buffer(0) for r in rings]
    return [
        r
        for i, r in enumerate(rings)
        if not any(
            j != i and shapes[j].contains(shapes[i]) and rings[j].chalk == r.chalk for j in range(len(rings))
        )
    ]


def _advice(chalks: tuple[Chalk, ...], colours: Raster, leather: Raster) -> list[str]:
    """Which chalk hardly shows on this leather, and which two cannot be told from each other on it."""
    out = []
    ways = colours - leather
    sizes = np.sqrt((ways**2).sum(axis=1))
    plain = [c.name for c, s in zip(chalks, sizes, strict=True) if s >= HARDLY_SHOWS and c.means != "line"]
    for chalk, size in zip(chalks, sizes, strict=True):
        if size < HARDLY_SHOWS:
            out.append(
                f"{chalk.name.capitalize()} chalk is the colour of this leather: what was ringed with it is "
                f"not seen. Ring it with {' or '.join(plain) or 'another colour'} and take the picture again."
            )
        elif size < SHOWS_LITTLE and chalk.means != "line":
            out.append(
                f"{chalk.name.capitalize()} chalk hardly shows on this leather: look whether every "
                "ring drawn "
                "with it was found, and press on those that were not."
            )
    for (i, a), (j, b) in combinations(enumerate(chalks), 2):
        told = min(sizes[i], sizes[j]) >= HARDLY_SHOWS and a.means != b.means
        if (
            told
            and ways[i] @ ways[j] / (sizes[i] * sizes[j]) > ALIKE
            and abs(sizes[i] - sizes[j]) < 0.25 * max(sizes[i], sizes[j])
        ):
            out.append(
                f"{a.name.capitalize()} and {b.name} chalk look alike on this leather: look at each ring's "
                "severity."
            )
    return out
