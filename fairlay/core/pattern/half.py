"""A half pattern turned over on its centre line, and whether the turn lands square."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from shapely.geometry import LineString, Point, Polygon
from shapely.geometry.base import BaseGeometry

from fairlay.core.errors import BadPattern
from fairlay.core.pattern.contour import Contour, contour_of, flatten
from fairlay.core.pattern.edges import XY, Run
from fairlay.core.shapes.rings import Ring, pieces_of

STRAIGHT_MM = 0.5
"""A fold edge that wanders by more shows as a notch or a hump in the middle of the whole."""
SQUARE_DEG = 1.0
"""An edge that meets the fold a degree off makes a point of two degrees in the whole."""
ON_EDGE_MM = 3.0
PARALLEL_MM = 0.5
"""Sides whose distances from the centre line differ by less are parallel to it, as a rule tells."""
Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Whole:
    """The whole of a half pattern; ``bow_mm`` is how far its fold edge wanders, ``off_square_deg`` how the
    edges at both ends meet it.
    """

    contour: Contour
    bow_mm: float
    off_square_deg: tuple[float, float]
    says: tuple[str, ...]


def unfold(contour: Contour, a: XY, b: XY) -> Whole:
    """Return the whole piece of a half pattern folded along the line from ``a`` to ``b``.

    The half is cut straight along the line (what strays over it by less than a few mm is taken off, what
    falls short is filled), and turned over. Raises BadPattern where the line is not an edge of the half.
    """
    ring = flatten(contour)
    start, end = np.array([a.x, a.y]), np.array([b.x, b.y])
    length = float(np.hypot(*(end - start)))
    if length < 5:
        raise BadPattern(
            f"a centre line of {length:.1f} mm",
            value=length,
            expected="the two ends of the fold edge, apart from each other",
        )
    t = (end - start) / length
    n = np.array([-t[1], t[0]])
    across = (ring - start) @ n
    if across.sum() < 0:
        n, across = -n, -across
    along = (ring - start) @ t
    if across.min() < -ON_EDGE_MM - 0.02 * length:
        raise BadPattern(
            f"the piece reaches {-across.min():.1f} mm over the centre line",
            value=float(across.min()),
            expected="a line along the fold edge, the half on one side of it",
        )
    edge = LineString([start, end])
    near = (
        (along > -ON_EDGE_MM)
        & (along < length + ON_EDGE_MM)
        & (np.abs(across) < max(ON_EDGE_MM, 0.03 * length))
    )
    if Polygon(ring).exterior.intersection(edge.buffer(ON_EDGE_MM)).length < 0.5 * length or near.sum() < 2:
        raise BadPattern(
            "the centre line does not lie along an edge of the half",
            value=length,
            expected="the two ends of its fold edge",
        )
    bow = float(np.ptp(_within(along, across, length)))
    square = (_off_square(ring, start, -1, t, n), _off_square(ring, end, 1, t, n))
    half = Polygon(ring)
    far = 10 * max(half.bounds[2] - half.bounds[0], half.bounds[3] - half.bounds[1])
    beyond = Polygon([start - t * far, end + t * far, end + t * far + n * far, start - t * far + n * far])
    gap = Polygon([start, end, end + n * max(bow, 0.01), start + n * max(bow, 0.01)])
    kept = max(pieces_of(half.union(gap).intersection(beyond)), key=lambda g: g.area)
    flipped = Polygon([p - 2 * float((p - start) @ n) * n for p in np.asarray(kept.exterior.coords)])
    both = kept.union(flipped).buffer(0.01, join_style="mitre").buffer(-0.01, join_style="mitre")
    whole = max(pieces_of(both), key=lambda g: g.area)
    return Whole(
        contour_of(np.asarray(whole.simplify(0.005).exterior.coords)[:-1]),
        round(bow, 2),
        (round(square[0], 1), round(square[1], 1)),
        _says(bow, square),
    )


def _within(along: Floats, across: Floats, length: float) -> Floats:
    """How far the fold edge stands off the line, at points along it, the ends' own corners left out."""
    out = [0.0]
    reach = max(ON_EDGE_MM, 0.03 * length)
    for (s0, c0), (s1, c1) in zip(
        zip(along, across, strict=True),
        zip(np.roll(along, -1), np.roll(across, -1), strict=True),
        strict=True,
    ):
        if abs(c0) > reach or abs(c1) > reach:
            continue
        for f in np.linspace(0, 1, 12):
            s = s0 + (s1 - s0) * f
            if 0.02 * length < s < 0.98 * length:
                out.append(c0 + (c1 - c0) * f)
    return np.array(out)


def _off_square(ring: Floats, corner: Floats, way: int, t: Floats, n: Floats) -> float:
    """Degrees by which the edge that leaves the fold at ``corner`` is off a right angle to it; positive where
    it leans outward.
    """
    polygon = Polygon(ring).exterior
    here = polygon.project(Point(corner))
    for sign in (1, -1):
        ahead = np.array(polygon.interpolate((here + sign * 12.0) % polygon.length).coords[0])
        step = ahead - corner
        if float(step @ n) > 6.0:
            return math.degrees(math.atan2(way * float(step @ t), float(step @ n)))
    return 0.0


def _says(bow: float, square: tuple[float, float]) -> tuple[str, ...]:
    out = []
    if bow > STRAIGHT_MM:
        out.append(
            f"The fold edge is not straight: it wanders by {bow:.1f} mm, so the whole would be out by up to "
            f"{2 * bow:.1f} mm in the middle. It was trued to the line."
        )
    for which, off in zip(("first", "second"), square, strict=True):
        if abs(off) > SQUARE_DEG:
            out.append(
                f"The edge at the {which} end of the fold is {abs(off):.1f} degrees off square: the whole "
                f"has a {'point' if off > 0 else 'notch'} of {2 * abs(off):.1f} degrees there."
            )
    return tuple(out)


def centre_words(ring: Ring, line: Run) -> str:
    """Return a half pattern's centre line in words: how far both sides stand from it near its two ends, as a
    rule tells on the leather whether the turn landed square.

    ``ring``: the whole piece, ``(n, 2)`` mm.
    """
    start, end = np.array([line.start.x, line.start.y]), np.array([line.end.x, line.end.y])
    length = float(np.hypot(*(end - start)))
    if length < 1:
        return "centre line"
    t = (end - start) / length
    n = np.array([-t[1], t[0]])
    outline, far = Polygon(ring), 10 * length + float(np.ptp(ring))
    sides = []
    for share in (0.1, 0.9):
        at = start + t * length * share
        met = outline.intersection(LineString([at - n * far, at + n * far]))
        if met.is_empty:
            return "centre line"
        across = (np.asarray(_ends(met)) - at) @ n
        sides.append((-float(across.min()), float(across.max())))
    worst = max(abs(a - b) for a, b in sides)
    ends = " and ".join(f"{(a + b) / 2:.1f} mm" for a, b in sides)
    if worst > PARALLEL_MM:
        return f"centre line: its two sides stand unevenly from it, by {worst:.1f} mm"
    if abs(sum(sides[0]) - sum(sides[1])) <= 2 * PARALLEL_MM:
        return f"centre line: both sides parallel to it, {sum(sides[0]) / 2:.1f} mm off"
    return f"centre line: both sides {ends} off at its ends"


def _ends(line: BaseGeometry) -> list[tuple[float, ...]]:
    return [c for part in getattr(line, "geoms", [line]) for c in part.coords]
