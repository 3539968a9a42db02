"""Where a body may not be put so as not to meet another: Minkowski sums of polygons.

A body at the origin o meets an obstacle A where o lies in A + (-B), the sum of the obstacle and the body
turned through its own origin (Lozano-Perez 1983, configuration space). Sums of convex polygons are theirs
whose edges are those of both, in the order of their angles; others are taken apart into convex ones first.
"""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.errors import GEOSException
from shapely.geometry import Polygon
from shapely.geometry.base import BaseGeometry

from fairlay.core.shapes.rings import pieces_of
from fairlay.core.shapes.sum_kernels import convex_sums

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
Parts = tuple[Floats, Ints]
"""Convex polygons: all points ``(n, 2)`` in mm, counter-clockwise, and ``(k + 1,)`` where each starts."""
STRAIGHT = 1e-9
MOST_BOXES = 80
MANY, MAIN = 200, 60
"""Of more polygons than so many, the so many largest are put together first."""
GRID_MM = 1e-6
NOTHING: Parts = (np.empty((0, 2)), np.zeros(1, np.int64))


def convex_parts(shape: BaseGeometry) -> Parts:
    """Return a region taken apart into convex polygons that cover it: triangles joined across an edge for as
    long as both corners there stay convex (Hertel and Mehlhorn 1983).
    """
    rings: list[Floats] = []
    for polygon in pieces_of(shape, 0.0):
        if not polygon.interiors and _is_convex(np.asarray(polygon.exterior.coords)[:-1]):
            rings.append(_counter_clockwise(np.asarray(polygon.exterior.coords)[:-1]))
            continue
        triangles = shapely.constrained_delaunay_triangles(polygon)
        rings += _joined([_counter_clockwise(np.asarray(t.exterior.coords)[:-1]) for t in triangles.geoms])
    return pack(sorted(rings, key=lambda ring: -Polygon(ring).area))


def pack(rings: Sequence[Floats]) -> Parts:
    """Return convex rings as parts."""
    if not rings:
        return NOTHING
    starts = np.cumsum([0, *(len(r) for r in rings)]).astype(np.int64)
    return np.ascontiguousarray(np.concatenate(rings)), starts


def _counter_clockwise(ring: Floats) -> Floats:
    x, y = ring.T
    return ring if float(np.dot(x, np.roll(y, -1)) - np.dot(y, np.roll(x, -1))) >= 0 else ring[::-1]


def _turns(ring: Floats) -> Floats:
    """How much each corner of a ring turns to the left, as a cross product."""
    step = np.roll(ring, -1, axis=0) - ring
    before = np.roll(step, 1, axis=0)
    return before[:, 0] * step[:, 1] - before[:, 1] * step[:, 0]


def _is_convex(ring: Floats) -> bool:
    turns = _turns(_counter_clockwise(ring))
    return bool((turns >= -STRAIGHT).all())


def _joined(triangles: list[Floats]) -> list[Floats]:
    """Join triangles across edges they share while what comes of it is convex."""
    parts: dict[int, list[tuple[float, float]]] = {
        i: [(float(x), float(y)) for x, y in t] for i, t in enumerate(triangles)
    }
    home = list(range(len(parts)))

    def now(i: int) -> int:
        while home[i] != i:
            home[i] = home[home[i]]
            i = home[i]
        return i

    edges: dict[tuple[tuple[float, float], tuple[float, float]], int] = {}
    for i, ring in parts.items():
        for k, a in enumerate(ring):
            edges[a, ring[(k + 1) % len(ring)]] = i
    for (a, b), i in edges.items():
        if (b, a) not in edges or a > b:
            continue
        first, second = now(i), now(edges[b, a])
        if first == second:
            continue
        one, two = parts[first], parts[second]
        p, q = one.index(a), two.index(b)
        if one[(p + 1) % len(one)] != b or two[(q + 1) % len(two)] != a:
            continue
        # One runs from b round to a, then two from a round to b.
        whole = one[p + 1 :] + one[: p + 1] if p + 1 < len(one) else one[:]
        back = two[q + 1 :] + two[: q + 1] if q + 1 < len(two) else two[:]
        ring = [*whole, *back[1:-1]]
        if _convex_at(ring, 0) and _convex_at(ring, len(whole) - 1):
            parts[first] = ring
            del parts[second]
            home[second] = first
    return [np.array(ring) for ring in parts.values()]


def _convex_at(ring: list[tuple[float, float]], k: int) -> bool:
    (ax, ay), (bx, by), (cx, cy) = ring[k - 1], ring[k], ring[(k + 1) % len(ring)]
    return (bx - ax) * (cy - by) - (by - ay) * (cx - bx) >= -STRAIGHT


def turned(parts: Parts, cos: float, sin: float, *, mirrored: bool = False, through: bool = False) -> Parts:
    """Return parts mirrored first (x to -x), then turned; ``through``: then turned through the origin, as
    what is added to an obstacle.
    """
    points, starts = parts
    hand = -1.0 if mirrored else 1.0
    sign = -1.0 if through else 1.0
    turn = sign * np.array([[cos * hand, sin * hand], [-sin, cos]])
    out = points @ turn
    if mirrored and len(points):
        out = np.concatenate([out[a:b][::-1] for a, b in pairwise(starts)])
    return np.ascontiguousarray(out), starts


def sums(obstacle: Parts, body: Parts) -> Parts:
    """Return convex polygons whose union is the sum of two regions, given as parts: that of their first parts
    first, their rings closed.
    """
    (points, starts), (other, other_starts) = obstacle, body
    k, m = len(starts) - 1, len(other_starts) - 1
    if not k or not m:
        return NOTHING
    size = len(points) * m + len(other) * k + k * m
    out, out_starts = np.empty((size, 2)), np.empty(k * m + 1, np.int64)
    n = convex_sums(points, starts, other, other_starts, out, out_starts)
    return out[:n], out_starts


def polygons(rings: Sequence[Parts], near: BaseGeometry | None = None) -> NDArray[np.object_]:
    """Return closed convex rings as polygons, all in one array; those alone whose bounds meet the bounds of a
    part of ``near``, where that is given.
    """
    found = [(points, starts) for points, starts in rings if len(points)]
    if not found:
        return np.empty(0, object)
    points = np.concatenate([p for p, _ in found])
    counts = np.concatenate([np.diff(s) for _, s in found])
    starts = np.concatenate([[0], np.cumsum(counts)])
    if near is not None:
        low, high = np.minimum.reduceat(points, starts[:-1]), np.maximum.reduceat(points, starts[:-1])
        boxes = shapely.bounds(shapely.get_parts(near))
        if len(boxes) > MOST_BOXES:
            boxes = np.array([shapely.total_bounds(near)])
        apart = (low[:, None] > boxes[None, :, 2:]) | (high[:, None] < boxes[None, :, :2])
        keep = ~apart.any(axis=2).all(axis=1)
        points, counts = points[np.repeat(keep, counts)], counts[keep]
        starts = np.concatenate([[0], np.cumsum(counts)])
    out: NDArray[np.object_] = shapely.from_ragged_array(
        shapely.GeometryType.POLYGON, points, (starts, np.arange(len(starts)))
    )
    return out


def sum_of(obstacle: Parts, body: Parts) -> BaseGeometry:
    """Return the sum of two regions, given as parts."""
    return put_together(polygons([sums(obstacle, body)]))


def put_together(parts: NDArray[np.object_]) -> BaseGeometry:
    """Return the union of polygons.

    Of many, as two bodies with hundreds of inner corners have, the largest hide most of the rest: those are
    put together first, and what they cover is left out. Where GEOS fails at edges that all but fall together,
    points are held to a grid finer than any tolerance.
    """
    if len(parts) > MANY:
        largest = np.argsort(-shapely.area(parts), kind="stable")[:MAIN]
        main = put_together(parts[largest])
        shapely.prepare(main)
        parts = np.append(parts[~shapely.covers(main, parts)], main)
    try:
        whole: BaseGeometry = shapely.union_all(parts)
    except GEOSException:
        whole = shapely.union_all(parts, grid_size=GRID_MM)
    return whole
