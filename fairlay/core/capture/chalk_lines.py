"""Lines on leather by their shape alone: what hangs together, what closes a ring, what is straight, a dot,
or too thin for chalk.
"""

from __future__ import annotations

import math
from typing import Any, Final, Literal

import cv2
import numpy as np
from numpy.typing import NDArray
from shapely.geometry import MultiPoint, Polygon

from fairlay.core.shapes.rings import pieces_of

Floats = NDArray[np.float64]
Raster = NDArray[Any]
Window = tuple[slice, slice]

SURE, FAINT = 0.28, 0.12
"""How much of a place chalk must cover to begin a line, and to carry one on."""
BREAKS_MM: Final = (1.0, 3.0, 5.0, 8.0, 12.0, 17.0)
"""Half the breaks in a line that are joined, the wider ones only where that closes a ring."""
JOIN_MM, FAR_JOIN_MM, LEAST_ACROSS_MM = 3.5, 12.0, 9.0
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
MOST_DOT_MM: Final = 34.0
FULL, SURELY = 0.65, 0.5
"""How much of a dot is chalk at least, and surely so."""
BACKBONE_SHARE: Final = 0.4
"""A line as long as this share of the hide is the backbone."""


def apart(line: Raster, join_mm: float, ppm: float) -> list[tuple[Window, Raster]]:
    """Return lines that hang together when breaks of twice ``join_mm`` are joined: the window each lies in,
    with room round it, and its mask.
    """
    h, w = line.shape
    room = round(24 * ppm)
    count, labels, stats, _ = cv2.connectedComponentsWithStats(
        cv2.morphologyEx(line, cv2.MORPH_CLOSE, disc(join_mm * ppm)), connectivity=8
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


def disc(radius: float) -> Raster:
    """Return a disc of a radius in px, as OpenCV's morphology takes it."""
    k = max(1, round(radius))
    return cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * k + 1, 2 * k + 1))


def loops(own: Raster, ppm: float, breaks: tuple[float, ...] = BREAKS_MM) -> list[Floats]:
    """Return rings (px) that a line closes, along the middle of the line; breaks are joined as far as is
    needed and no farther.
    """
    depth: Raster = cv2.distanceTransform(own, cv2.DIST_L2, 5)
    half = float(np.percentile(depth[own > 0], 90))
    hull = MultiPoint(np.argwhere(own > 0)[:, ::-1]).convex_hull.buffer(-half).area
    for radius in breaks:
        # Grown until the ends meet; what is still enclosed is given back what growing took.
        contours, tree = cv2.findContours(
            cv2.dilate(own, disc(radius * ppm)), cv2.RETR_CCOMP, cv2.CHAIN_APPROX_NONE
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


def is_drawn(loop: Floats, own: Raster, ppm: float) -> bool:
    """Return whether enough of a ring is chalk."""
    around = np.zeros(own.shape, np.uint8)
    cv2.polylines(around, [np.round(loop).astype(np.int32)], True, 1, 1)
    drawn = cv2.dilate(own, disc(2 * ppm))
    return bool((drawn[around > 0] > 0).mean() >= 0.55)


def band(loop: Floats, own: Raster, ppm: float) -> Raster:
    """Return the chalk along a ring."""
    band = np.zeros(own.shape, np.uint8)
    cv2.polylines(band, [np.round(loop).astype(np.int32)], True, 1, max(2, round(9 * ppm)))
    return np.asarray((band > 0) & (own > 0))


def as_broad(found: list[Floats], own: Raster) -> list[Floats]:
    """Return those of the rings that one line closes whose stroke is about as broad as the broadest: a figure
    written against a ring is none.
    """
    depth = cv2.distanceTransform(np.pad(own, 1), cv2.DIST_L2, 5)[1:-1, 1:-1]
    broad = []
    for loop in found:
        around = np.zeros(own.shape, np.uint8)
        cv2.polylines(around, [np.round(loop).astype(np.int32)], True, 1, 3)
        on = depth[(around > 0) & (own > 0)]
        broad.append(float(np.median(on)) if len(on) else 0.0)
    return [loop for loop, b in zip(found, broad, strict=True) if b >= PEN_SHARE * max(broad)]


def half_width(own: Raster) -> float:
    """Return half a line's width in px."""
    return float(
        np.percentile(cv2.distanceTransform(np.pad(own, 1), cv2.DIST_L2, 5)[1:-1, 1:-1][own > 0], 90)
    )


def not_pen(line: Raster, cover: Raster, ppm: float, blur_mm: float) -> Raster:
    """Return lines without those too thin for chalk: a number written with a pen, a vein.

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


def straight_line(
    own: Raster, cover: Raster, ppm: float, hide_mm: float
) -> tuple[Literal["backbone", "arrow", "line"], Floats] | None:
    """Return a line's kind and its two ends (px); None for what is no straight line."""
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


def dot_outline(own: Raster, cover: Raster, ppm: float) -> Floats | None:
    """Return the outline (px) of a ring so small that its line fills it, or of a dot of chalk; None for what
    is neither round nor full.
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
