"""Chalk on leather: rings round flaws with their colour, arrows along the line of least stretch, the
backbone.

Chalk covers leather in part: what shows lies on the way from the leather's own colour to the chalk's, however
weakly it was drawn. So it is told by the direction of the change, which holds on light leather and on dark.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from itertools import combinations
from typing import Any, Final, Literal

import cv2
import numpy as np
from numpy.typing import NDArray
from shapely.geometry import MultiPoint, Polygon

from fairlay.core.capture.hide_edge import HideFound
from fairlay.core.capture.table import TableTop
from fairlay.core.shapes.rings import Ring, pieces_of, simple_ring

Floats = NDArray[np.float64]
Raster = NDArray[Any]
Means = Literal["surface", "blemish", "unsound", "line"]
MEANINGS: Final[dict[Means, int]] = {"surface": 1, "blemish": 2, "unsound": 3, "line": 0}

DAZZLED_LEVELS: Final = 70
DAZZLED_SHARE: Final = 0.004
"""Shine so strong that chalk may drown in it, over so much of the leather, is told."""
LEATHER_MM: Final = 60.0
"""Over so much leather its own colour is taken: wider than most rings' lines are apart."""
SURE, FAINT = 0.34, 0.17
"""How much of a place chalk must cover to begin a line, and to carry one on."""
PLAIN_LEVELS: Final = 12.0
SHINE_LEVELS: Final = 14.0
"""Leather lighter by less than this is only unevenly dyed, or nearer the window."""
WIDEST_BLOT_MM: Final = 13.0
"""Half as wide as what no line is, even where three meet in the head of an arrow."""
BREAKS_MM: Final = (1.0, 3.0, 5.0, 8.0, 12.0, 17.0)
"""Half the breaks in a line that are joined, the wider ones only where that closes a ring."""
JOIN_MM, FAR_JOIN_MM, LEAST_ACROSS_MM = 3.5, 12.0, 9.0
LEAST_INSIDE_MM2: Final = 35.0
ROUND_ENOUGH: Final = 0.45
LEAST_LINE_MM: Final = 60.0
LINE_MM: Final = 6.0
"""How wide a line of chalk usually is."""
MOST_DOT_MM: Final = 34.0
FULL: Final = 0.7
"""How much of a dot is chalk at least, and surely so."""
BACKBONE_SHARE: Final = 0.4
"""A line as long as this share of the hide is the backbone."""
HARDLY_SHOWS: Final = 48.0
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


def find_chalk(top: TableTop, hide: HideFound, chalks: tuple[Chalk, ...] = USUAL_CHALKS) -> ChalkSeen:
    """Return the chalk marks on a hide that was found on its table.

    ``chalks`` is the shop's table of colours.
    """
    ppm = top.px_per_mm
    x, y, w, h = cv2.boundingRect(hide.mask)
    image = cv2.GaussianBlur(top.image[y : y + h, x : x + w], (0, 0), max(0.6, 0.9 * ppm))
    mask = cv2.erode(np.pad(hide.mask[y : y + h, x : x + w], 1), _disc(4.0 * ppm))[1:-1, 1:-1]
    leather = _leather(image, mask, ppm)
    usual = np.median(leather[mask > 0].reshape(-1, 3), axis=0) if mask.any() else np.full(3, 128.0)
    dazzled = _unshone(image, leather, mask)
    colours = np.array([c.rgb for c in chalks], np.float32) * (WHITE_PAPER / 238.0)
    cover = _covered(image, leather, mask, colours)
    line = _lines(cover, ppm)
    rings, lines = [], []
    long = float(math.hypot(w, h)) / ppm
    left = np.zeros_like(line)
    # What closes no ring by itself may be half of one, broken where the hand pressed lightly.
    for join, source in ((JOIN_MM, line), (FAR_JOIN_MM, left)):
        for cut, own in _apart(source, join, ppm):
            found = _loops(own, ppm)
            shift = np.array([x + cut[1].start, y + cut[0].start], float)
            for loop in found:
                told = _told(loop, cover[cut], image[cut], leather[cut], own, colours, ppm)
                if told is not None:
                    k, sure = told
                    rings.append(
                        ChalkRing(
                            simple_ring(top.to_mm(loop + shift)),
                            chalks[k].name,
                            MEANINGS[chalks[k].means],
                            sure,
                        )
                    )
            if found:
                left[cut][own > 0] = 0
            elif source is line:
                left[cut][own > 0] = 1
    for cut, own in _apart(left, JOIN_MM, ppm):
        straight = _straight(own, cover[cut], ppm, long)
        if straight is not None:
            k, _ = _nearest(image[cut], leather[cut], own > 0, cover[cut], colours)
            lines.append(
                ChalkLine(
                    straight[0],
                    top.to_mm(straight[1] + np.array([x + cut[1].start, y + cut[0].start], float)),
                    chalks[k].name,
                )
            )
            continue
        dot = _dot(own, cover[cut], ppm)
        if dot is not None:
            k, _ = _nearest(image[cut], leather[cut], own > 0, cover[cut], colours)
            rings.append(
                ChalkRing(
                    simple_ring(top.to_mm(dot + np.array([x + cut[1].start, y + cut[0].start], float))),
                    chalks[k].name,
                    MEANINGS[chalks[k].means],
                    0.0,
                )
            )
    return ChalkSeen(
        tuple(_one_each(rings)), tuple(lines), (*_advice(chalks, colours, usual), *_dazzled(dazzled, mask))
    )


def _apart(line: Raster, join_mm: float, ppm: float) -> list[tuple[tuple[slice, slice], Raster]]:
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
    own: Raster = np.append(unlit + SHINE_LEVELS, 0.0)
    added = np.asarray(cv2.subtract(leather, own)).min(axis=2)
    shine = cv2.merge([added, added, added])
    cv2.subtract(leather, shine, dst=leather)
    cv2.subtract(image, shine, dst=image)
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


def _covered(image: Raster, leather: Raster, mask: Raster, colours: Raster) -> Raster:
    """How much of each place is covered by chalk, of whichever colour explains it best (0 to 1)."""
    cover = np.zeros(mask.shape, np.float32)
    off = cv2.absdiff(image, leather).max(axis=2)
    at = np.nonzero((mask > 0) & (off > PLAIN_LEVELS))
    here, base = image[at].astype(np.float32), leather[at].astype(np.float32)
    change = here - base
    size = np.sqrt((change * change).sum(axis=1))
    best, share = np.full(len(size), np.inf, np.float32), np.zeros(len(size), np.float32)
    for colour in colours:
        way = colour - base
        length = np.maximum((way * way).sum(axis=1), 100.0)
        along = (change * way).sum(axis=1) / length
        rest = np.sqrt(np.maximum(size * size - along * along * length, 0.0))
        better = (along > 0) & (rest < best)
        best, share = np.where(better, rest, best), np.where(better, along, share)
    good = best < 0.45 * size + 4
    cover[at] = np.where(good, np.clip(share, 0, 1), 0)
    return cover


def _lines(cover: Raster, ppm: float) -> Raster:
    """Chalk as a mask: what is surely chalk with all that hangs on to it, less blots wider than any line."""
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
    return np.asarray(keep[labels], np.uint8)


def _loops(own: Raster, ppm: float) -> list[Floats]:
    """Rings (px) that a line closes, along the middle of the line; breaks are joined as far as is needed and
    no farther.
    """
    depth: Raster = cv2.distanceTransform(own, cv2.DIST_L2, 5)
    half = float(np.percentile(depth[own > 0], 90))
    hull = MultiPoint(np.argwhere(own > 0)[:, ::-1]).convex_hull.buffer(-half).area
    for radius in BREAKS_MM:
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


def _told(
    loop: Floats, cover: Raster, image: Raster, leather: Raster, own: Raster, colours: Raster, ppm: float
) -> tuple[int, float] | None:
    """Which chalk a ring is drawn with and how surely; None where too little of the ring is chalk."""
    band = np.zeros(own.shape, np.uint8)
    cv2.polylines(band, [np.round(loop).astype(np.int32)], True, 1, max(2, round(9 * ppm)))
    around = np.zeros(own.shape, np.uint8)
    cv2.polylines(around, [np.round(loop).astype(np.int32)], True, 1, 1)
    drawn = cv2.dilate(own, _disc(2 * ppm))
    if (drawn[around > 0] > 0).mean() < 0.55:
        return None
    return _nearest(image, leather, (band > 0) & (own > 0), cover, colours)


def _nearest(
    image: Raster, leather: Raster, where: Raster, cover: Raster, colours: Raster
) -> tuple[int, float]:
    """The chalk whose direction from the leather the strongest half of a line shows, and how much nearer it
    is than the next.
    """
    least = float(np.quantile(cover[where], 0.5))
    strong = where & (cover >= least)
    base = leather[strong].astype(np.float64).mean(axis=0)
    change = image[strong].astype(np.float64).mean(axis=0) - base
    ways = colours - base
    along = np.clip((ways @ change) / np.maximum((ways * ways).sum(axis=1), 1.0), 0.0, 1.15)
    rest = np.sqrt(((change - along[:, None] * ways) ** 2).sum(axis=1))
    order = np.argsort(rest)
    first, second = float(rest[order[0]]), float(rest[order[1]]) if len(order) > 1 else math.inf
    return int(order[0]), float(np.clip((second - first) / max(second + first, 1e-6), 0.0, 1.0))


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
    if own.sum() < FULL * np.pi / 4 * across * long * ppm**2 or float((cover[own > 0] > SURE).mean()) < FULL:
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
