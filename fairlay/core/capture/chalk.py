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
from shapely.geometry import Point, Polygon

from fairlay.core.capture.chalk_arcs import Piece, ovals
from fairlay.core.capture.chalk_lines import (
    BREAKS_MM,
    EVENED_MM,
    FAINT,
    FAR_JOIN_MM,
    JOIN_MM,
    SURE,
    Window,
    apart,
    as_broad,
    band,
    disc,
    dot_outline,
    half_width,
    is_drawn,
    loops,
    not_pen,
    straight_line,
)
from fairlay.core.capture.chalk_other import other_colours
from fairlay.core.capture.hide_apart import Press
from fairlay.core.capture.hide_edge import HideFound
from fairlay.core.capture.table import SHOWN_POWER, TableTop, light_of
from fairlay.core.shapes.rings import Ring, simple_ring

Floats = NDArray[np.float64]
Raster = NDArray[Any]
Means = Literal["surface", "blemish", "unsound", "line"]
MEANINGS: Final[dict[Means, int]] = {"surface": 1, "blemish": 2, "unsound": 3, "line": 0}

DAZZLED_LEVELS: Final = 70
DAZZLED_SHARE: Final = 0.004
"""Shine so strong that chalk may drown in it, over so much of the leather, is told."""
LEATHER_MM: Final = 60.0
"""Over so much leather its own colour is taken: wider than most rings' lines are apart."""
PLAIN_LEVELS: Final = 9.0
SHINE_LEVELS: Final = 14.0
"""Leather lighter by less than this is only unevenly dyed, or nearer the window."""
WIDEST_BLOT_MM: Final = 13.0
"""Half as wide as what no line is, even where three meet in the head of an arrow."""
LEAST_FAINT_MM2: Final = 60.0
OFF_COLOUR: Final = (0.36, 1.5, 0.03)
"""How far a change may be off the way to a chalk's colour: a share of it, light of 255, and a share of the
leather's.
"""
NO_CHALK: Final = 0.34
"""What is so far off the way to every chalk's colour is a pen's ink, a vein or a stain."""
HARDLY_SHOWS, SHOWS_LITTLE = 48.0, 78.0
SAID_MM: Final = 12.0
SMALL_MM2: Final = 12_000.0
ALIKE: Final = 0.975
WHITE_PAPER: Final = 235.0
LEAST_OTHER_MM: Final = 35.0
"""A ring in a colour of no chalk is at least so long: figures are smaller."""


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
    mask = cv2.erode(np.pad(hide.mask[y : y + h, x : x + w], 1), disc(4.0 * ppm))[1:-1, 1:-1]
    leather = _leather(image, mask, ppm)
    usual = np.median(leather[mask > 0].reshape(-1, 3), axis=0) if mask.any() else np.full(3, 128.0)
    lit = light_of(_middle(leather)) * 255
    dazzled = _unshone(image, leather, mask)
    colours = np.array([c.rgb for c in chalks], np.float32) * (WHITE_PAPER / 238.0)
    cover = _covered(image, leather, mask, colours, lit)
    line, faint = (not_pen(v, cover, ppm, math.hypot(top.blur_mm, EVENED_MM)) for v in _lines(cover, ppm))
    said = [(p.means, top.to_px(np.array([[p.x, p.y]]))[0] - np.array([x, y])) for p in presses]
    line |= _said_to_be(cover, [at for means, at in said if means == "chalk"], ppm)
    stains = [(p.x, p.y) for p in presses if p.means == "stain"]
    rings, lines = [], []
    long = float(math.hypot(w, h)) / ppm
    left, told_of = line.copy(), np.zeros_like(line)

    def keep(outline: Floats, cut: Window, where: Raster, is_dot: bool = False) -> None:
        k, told, off = _nearest(image[cut], leather[cut], where, cover[cut], colours)
        if off > NO_CHALK:
            return
        told_of[cut] |= where.astype(np.uint8)
        at = simple_ring(top.to_mm(outline + np.array([x + cut[1].start, y + cut[0].start], float)))
        rings.append(ChalkRing(at, chalks[k].name, MEANINGS[chalks[k].means], 0.0 if is_dot else told))

    def closed(join: float, breaks: tuple[float, ...]) -> None:
        for cut, own in apart(left, join, ppm):
            found = as_broad([loop for loop in loops(own, ppm, breaks) if is_drawn(loop, own, ppm)], own)
            for loop in found:
                keep(loop, cut, band(loop, own, ppm))
            if found:
                left[cut][own > 0] = 0

    # What closes no ring by itself may be part of one, broken where the hand pressed lightly or not at all:
    # strokes on one oval first, then whatever closes when it is joined far enough.
    closed(JOIN_MM, BREAKS_MM[:3])
    windows = [*apart(left, JOIN_MM, ppm), *apart(faint, JOIN_MM, ppm)]
    pieces = []
    for cut, own in windows:
        k = _nearest(image[cut], leather[cut], own > 0, cover[cut], colours)[0]
        at = np.argwhere(own > 0)[:, ::-1] + np.array([cut[1].start, cut[0].start], float)
        pieces.append(Piece(at, half_width(own), k))
    whole = (slice(0, h), slice(0, w))
    for oval in ovals(pieces, ppm):
        drawn = np.zeros((h, w), np.uint8)
        for i in oval.pieces:
            drawn[windows[i][0]] |= windows[i][1]
        keep(oval.outline, whole, drawn > 0)
        left[drawn > 0] = 0
    closed(FAR_JOIN_MM, BREAKS_MM)
    for cut, own in apart(left, JOIN_MM, ppm):
        straight = straight_line(own, cover[cut], ppm, long)
        if straight is not None:
            told_of[cut] |= own
            k = _nearest(image[cut], leather[cut], own > 0, cover[cut], colours)[0]
            ends = top.to_mm(straight[1] + np.array([x + cut[1].start, y + cut[0].start], float))
            lines.append(ChalkLine(straight[0], ends, chalks[k].name))
            continue
        dot = dot_outline(own, cover[cut], ppm)
        if dot is not None:
            keep(dot, cut, own > 0, is_dot=True)
    strange = 0
    for loop, cut, where in _other_rings(image, leather, mask, told_of, lit, ppm):
        k, _, off = _nearest(image[cut], leather[cut], where, where.astype(np.float32), colours)
        # What is a known chalk's colour was judged above, and found to be no ring.
        if off > NO_CHALK:
            strange += 1
            at = simple_ring(top.to_mm(loop + np.array([x + cut[1].start, y + cut[0].start], float)))
            rings.append(ChalkRing(at, chalks[k].name, MEANINGS[chalks[k].means], 0.0))
    rings = [r for r in rings if not any(_lies_on(r.outline, at) for at in stains)]
    return ChalkSeen(
        tuple(_one_each(rings)),
        tuple(lines),
        (*_advice(chalks, colours, usual), *_dazzled(dazzled, mask), *_other_advice(strange)),
    )


def _other_rings(
    image: Raster, leather: Raster, mask: Raster, known: Raster, lit: Raster, ppm: float
) -> list[tuple[Floats, Window, Raster]]:
    """Rings drawn in a colour that stands in no table: each as its outline in a window, and its line there.
    Only what closes by itself counts, and not what may as well be a figure.
    """
    colours = other_colours(image, leather, mask, known, ppm)
    if not len(colours):
        return []
    clear = cv2.erode(1 - known, disc(3.0 * ppm))
    cover = _covered(image, leather, mask * clear, colours, lit)
    line = not_pen(_lines(cover, ppm)[0], cover, ppm, EVENED_MM)
    out = []
    for cut, own in apart(line, JOIN_MM, ppm):
        found = as_broad([loop for loop in loops(own, ppm, BREAKS_MM[:3]) if is_drawn(loop, own, ppm)], own)
        out += [
            (loop, cut, band(loop, own, ppm))
            for loop in found
            if float(np.ptp(loop, axis=0).max()) > LEAST_OTHER_MM * ppm
        ]
    return out


def _other_advice(rings: int) -> list[str]:
    if not rings:
        return []
    return [
        f"{rings} {'ring is' if rings == 1 else 'rings are'} drawn in a colour that is none of the shop's "
        "chalks: look at what each means."
    ]


def _said_to_be(cover: Raster, at: list[Floats], ppm: float) -> Raster:
    """The marks, however faint or thin, that lie where somebody said that chalk is."""
    out = np.zeros(cover.shape, np.uint8)
    if not at:
        return out
    k = disc(1.5 * ppm)
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
    faint = cv2.morphologyEx(faint, cv2.MORPH_CLOSE, disc(1.5 * ppm))
    faint = cv2.morphologyEx(faint, cv2.MORPH_OPEN, disc(1.0 * ppm))
    blots = cv2.dilate(cv2.morphologyEx(faint, cv2.MORPH_OPEN, disc(WIDEST_BLOT_MM * ppm)), disc(4 * ppm))
    faint[blots > 0] = 0
    count, labels = cv2.connectedComponents(faint, connectivity=8)
    surely = np.bincount(labels.ravel(), weights=(cover > SURE).ravel(), minlength=count)
    size = np.bincount(labels.ravel(), minlength=count)
    keep = (surely > 10 * ppm**2) & (surely > 0.12 * size)
    keep[0] = False
    weak = ~keep & (size > LEAST_FAINT_MM2 * ppm**2)
    weak[0] = False
    return np.asarray(keep[labels], np.uint8), np.asarray(weak[labels], np.uint8)


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
