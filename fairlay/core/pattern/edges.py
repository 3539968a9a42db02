"""The edges of an outline: where its corners are, and runs along it from one place to another."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
import shapely
import shapely.ops
from numpy.typing import NDArray
from shapely.geometry import LineString, Polygon
from shapely.geometry.base import BaseGeometry

from fairlay.core.errors import BadPattern
from fairlay.core.shapes.rings import Ring, pieces_of
from fairlay.core.tolerances import CORNER_TURN_DEG, CORNER_WINDOW_MM, SAME_POINT_MM, SHARP_TURN_DEG


@dataclass(frozen=True)
class XY:
    """A point in mm, in the piece's own coordinates."""

    x: float
    y: float


@dataclass(frozen=True)
class Run:
    """The part of an outline from the place nearest ``start``, in the outline's own order, to the place
    nearest ``end``.
    """

    start: XY
    end: XY


def corners_of(ring: Ring, closed: bool = True) -> list[int]:
    """Return the indices of the corners of a ring (or open line), in order.

    A corner is where the way turns by ``CORNER_TURN_DEG`` or more within ``CORNER_WINDOW_MM`` to
    either side (less on small outlines), or by ``SHARP_TURN_DEG`` in one point; of neighbours the middle
    of the bend. So the round corner of a card counts, and the bend of a disc does not.
    """
    n = len(ring)
    steps = np.diff(ring, axis=0, append=ring[:1] if closed else ring[-1:])
    lengths = np.hypot(*steps.T)
    if not closed:
        steps, lengths = steps[:-1], lengths[:-1]
    around = float(lengths.sum())
    window = min(CORNER_WINDOW_MM, around / 24)
    heading = np.arctan2(steps[:, 1], steps[:, 0])
    turn = np.zeros(n)
    if closed:
        turn[:] = _fold(heading - np.roll(heading, 1))
    else:
        turn[1:-1] = _fold(np.diff(heading))
    at = np.concatenate([[0.0], np.cumsum(lengths)])[:n]
    total, middle = np.zeros(n), np.zeros(n)
    for i in range(n):
        apart = at - at[i]
        if closed:
            apart = (apart + around / 2) % around - around / 2
        near = np.abs(apart) <= window
        total[i] = abs(turn[near].sum())
        weight = np.abs(turn[near])
        middle[i] = abs((apart[near] * weight).sum() / weight.sum()) if weight.sum() > 0 else window
    sharp = np.abs(turn) >= math.radians(SHARP_TURN_DEG)
    found = [
        i
        for i in range(n)
        if (total[i] >= math.radians(CORNER_TURN_DEG) or sharp[i]) and abs(turn[i]) > math.radians(1.0)
    ]
    # The middle of each bend: where what turns before and behind is in balance.
    out: list[int] = []
    for i in sorted(found, key=lambda k: (round(float(middle[k]), 3), -total[k])):
        apart = [
            abs((at[i] - at[j] + around / 2) % around - around / 2) if closed else abs(at[i] - at[j])
            for j in out
        ]
        if all(d > window * 1.5 for d in apart) or (sharp[i] and all(d > SAME_POINT_MM for d in apart)):
            out.append(i)
    return sorted(out)


def _fold(angles: NDArray[np.float64]) -> NDArray[np.float64]:
    return np.asarray((angles + math.pi) % (2 * math.pi) - math.pi)


def edges_of(ring: Ring) -> list[Run]:
    """Return the runs of a ring from corner to corner; one run all round where there are fewer than two
    corners.
    """
    corners = corners_of(ring)
    if len(corners) < 2:
        return [Run(_xy(ring[0]), _xy(ring[0]))]
    return [Run(_xy(ring[i]), _xy(ring[j])) for i, j in zip(corners, [*corners[1:], corners[0]], strict=True)]


def _xy(point: NDArray[np.float64]) -> XY:
    return XY(round(float(point[0]), 3), round(float(point[1]), 3))


def line_of(ring: Ring, run: Run | None) -> NDArray[np.float64]:
    """Return the points ``(n, 2)`` of a run along a ring, ends with it; all round (first point again at the
    end) for None or a run without length.
    """
    closed = np.concatenate([ring, ring[:1]])
    if run is None or math.dist((run.start.x, run.start.y), (run.end.x, run.end.y)) < SAME_POINT_MM:
        return closed
    line = LineString(closed)
    a = line.project(shapely.Point(run.start.x, run.start.y))
    b = line.project(shapely.Point(run.end.x, run.end.y))
    parts = (
        [shapely.ops.substring(line, a, b)]
        if a < b
        else [shapely.ops.substring(line, a, line.length), shapely.ops.substring(line, 0.0, b)]
    )
    points = np.concatenate(
        [np.asarray(p.coords) for p in parts if p.geom_type == "LineString"] or [np.empty((0, 2))]
    )
    keep = (
        np.concatenate([[True], np.hypot(*np.diff(points, axis=0).T) > SAME_POINT_MM])
        if len(points)
        else np.empty(0, bool)
    )
    return np.asarray(points[keep], dtype=np.float64)


def is_all_round(run: Run | None) -> bool:
    """Whether a run goes all round."""
    return run is None or math.dist((run.start.x, run.start.y), (run.end.x, run.end.y)) < SAME_POINT_MM


def length_mm(line: NDArray[np.float64]) -> float:
    """Return the length of a line ``(n, 2)``."""
    return float(np.hypot(*np.diff(line, axis=0).T).sum())


def inset(ring: Ring, run: Run | None, offset_mm: float) -> tuple[NDArray[np.float64], bool]:
    """Return the line ``(n, 2)`` that keeps ``offset_mm`` inside a run of a ring, and whether it is closed.

    Raises BadPattern where the piece is too narrow for it.
    """
    polygon = Polygon(ring)
    if is_all_round(run):
        inner = max(
            pieces_of(polygon.buffer(-offset_mm, join_style="mitre")), key=lambda p: p.area, default=None
        )
        if inner is None:
            raise BadPattern(
                f"no line can run {offset_mm:g} mm inside this outline",
                value=offset_mm,
                expected="a smaller offset: the piece is narrower than two of them",
            )
        return np.asarray(inner.exterior.coords, dtype=np.float64), True
    line = LineString(line_of(ring, run))
    if offset_mm == 0:
        return np.asarray(line.coords, dtype=np.float64), False
    side = 1.0 if polygon.exterior.is_ccw else -1.0
    kept: BaseGeometry = line.offset_curve(side * offset_mm, join_style="mitre", mitre_limit=4.0)
    longest = max(getattr(kept, "geoms", [kept]), key=lambda g: g.length, default=None)
    if longest is None or longest.is_empty:
        raise BadPattern(
            f"no line can run {offset_mm:g} mm inside that edge", value=offset_mm, expected="a smaller offset"
        )
    points = np.asarray(longest.coords, dtype=np.float64)
    forward = np.hypot(*(points[0] - line.coords[0])) <= np.hypot(*(points[-1] - line.coords[0]))
    return points if forward else points[::-1], False
