"""Where a body may not be put so as not to meet another: Minkowski sums of polygons.

A body at the origin o meets an obstacle A where o lies in A + (-B), the sum of the obstacle and the body
turned through its own origin (Lozano-Perez 1983, configuration space). Sums of convex polygons are theirs
whose edges are those of both, in the order of their angles; others are taken apart into convex ones first.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from itertools import pairwise

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.errors import GEOSException
from shapely.geometry import Point, Polygon
from shapely.geometry.base import BaseGeometry

from fairlay.core.shapes.rings import pieces_of
from fairlay.core.shapes.sum_kernels import convex_sums

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
Parts = tuple[Floats, Ints]
"""Convex polygons: all points ``(n, 2)`` in mm, counter-clockwise, and ``(k + 1,)`` where each starts."""
STRAIGHT = 1e-9
MOST_BOXES = 80
MANY, MAIN, MORE = 200, 60, 300
"""Of more polygons than so many, the so many largest are put together first, then so many more at a time."""
MANY_ALIKE = 1000
"""Of more sums than so many, most lie within the largest, or are the same."""
MANY_PARTS = 60
"""A body of more parts than this has teeth."""
MOST_CORES, LEAST_CORE = 4, 0.1
"""So many large parts of it are sought, as long as they leave so much of its area."""
GRID_MM, NEAR_MM = 1e-6, 1e-7
NOTHING: Parts = (np.empty((0, 2)), np.zeros(1, np.int64))


def convex_parts(shape: BaseGeometry) -> Parts:
    """Return a region taken apart into convex polygons: triangles joined across an edge for as long as both
    corners there stay convex (Hertel and Mehlhorn 1983).
    """
    return _sorted(ring for polygon in pieces_of(shape, 0.0) for ring in _rings(polygon))


def body_parts(shape: BaseGeometry) -> Parts:
    """Return the region of a piece as convex polygons that cover it.

    Where it has many inner corners, as along toothed edges, a few are as large as they go, and the rest what
    sticks out of those: of a sum, what sticks out of the sums of the large ones is little then.
    """
    rings: list[Floats] = []
    for polygon in pieces_of(shape, 0.0):
        own = _rings(polygon)
        rings += own if len(own) <= MANY_PARTS else _about_cores(polygon)
    return _sorted(rings)


def _sorted(rings: Iterable[Floats]) -> Parts:
    return pack(sorted(rings, key=lambda ring: -Polygon(ring).area))


def _rings(polygon: Polygon) -> list[Floats]:
    if not polygon.interiors and _is_convex(_ring_of(polygon)):
        return [_counter_clockwise(_ring_of(polygon))]
    return _joined(_triangles(polygon))


def _triangles(polygon: Polygon) -> NDArray[np.object_]:
    return np.array(shapely.constrained_delaunay_triangles(polygon).geoms)


def _about_cores(polygon: Polygon) -> list[Floats]:
    within, corners = _fat(polygon), shapely.get_coordinates(polygon)
    triangles, cores = _triangles(polygon), list[Floats]()
    while len(cores) < MOST_CORES and shapely.area(triangles).sum() > LEAST_CORE * polygon.area:
        cores.append(_core(_union(triangles), corners, within))
        triangles = triangles[~shapely.covers(_fat(Polygon(cores[-1])), triangles)]
    return cores + _joined(triangles)


def _core(region: BaseGeometry, corners: Floats, within: BaseGeometry) -> Floats:
    """A convex part about the roomiest place of a region: those corners are taken in, the nearest first, that
    leave it within what it may cover.
    """
    reach = shapely.maximum_inscribed_circle(region, 0.01 * math.sqrt(region.area))
    middle = shapely.get_coordinates(reach)[0]
    ring = _ring_of(Point(middle).buffer(0.9 * reach.length, quad_segs=4))[::-1]
    for corner in corners[np.argsort(np.hypot(*(corners - middle).T), kind="stable")]:
        larger = _with(ring, corner)
        ring = larger if within.covers(Polygon(larger)) else ring
    return _ring_of(Polygon(ring).simplify(GRID_MM))


def _with(ring: Floats, corner: Floats) -> Floats:
    """The convex hull of a convex ring, counter-clockwise, and one point more, but for ``NEAR_MM``: corners
    in one line stand there to a rounding error, which is more than STRAIGHT far from zero.
    """
    step, off = np.roll(ring, -1, axis=0) - ring, corner - ring
    beyond = step[:, 0] * off[:, 1] - step[:, 1] * off[:, 0] < -NEAR_MM * np.hypot(*step.T)
    if not beyond.any():
        return ring
    # The sides that the point is beyond are one after the other: what lies between them goes.
    ring = np.roll(ring, -int(np.flatnonzero(beyond & ~np.roll(beyond, 1))[0]), axis=0)
    return np.vstack([corner, ring[int(beyond.sum()) :], ring[:1]])


def _fat(region: BaseGeometry) -> BaseGeometry:
    """A region a nanometre larger: corners that lie in one line but for rounding are on it."""
    fat = region.buffer(GRID_MM, join_style="mitre")
    shapely.prepare(fat)
    return fat


def _ring_of(polygon: Polygon) -> Floats:
    return np.asarray(polygon.exterior.coords)[:-1]


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


def _joined(triangles: NDArray[np.object_]) -> list[Floats]:
    """Join triangles across edges they share while what comes of it is convex."""
    parts: dict[int, list[tuple[float, float]]] = {
        i: [(float(x), float(y)) for x, y in _counter_clockwise(_ring_of(t))] for i, t in enumerate(triangles)
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
    first, their rings closed. Of many, those within the first, or that are there already, are left out.
    """
    (points, starts), (other, other_starts) = obstacle, body
    k, m = len(starts) - 1, len(other_starts) - 1
    if not k or not m:
        return NOTHING
    size = len(points) * m + len(other) * k + k * m
    out, out_starts = np.empty((size, 2)), np.empty(k * m + 1, np.int64)
    n = convex_sums(points, starts, other, other_starts, out, out_starts)
    every = out[:n], out_starts
    return every if k * m <= MANY_ALIKE else _distinct(_chosen(every, ~_within_first(obstacle, body)))


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
        points, starts = _chosen((points, starts), ~apart.any(axis=2).all(axis=1))
    out: NDArray[np.object_] = shapely.from_ragged_array(
        shapely.GeometryType.POLYGON, points, (starts, np.arange(len(starts)))
    )
    return out


def sum_of(obstacle: Parts, body: Parts) -> BaseGeometry:
    """Return the sum of two regions, given as parts."""
    return put_together(polygons([sums(obstacle, body)]))


def _within_first(obstacle: Parts, body: Parts) -> NDArray[np.bool_]:
    """Which sums of parts lie within that of the two first (itself not counted): they reach no farther
    across any side of it (the support function of a sum is the sum of theirs).
    """
    rings = [points[: starts[1]] for points, starts in (obstacle, body)]
    side = np.concatenate([np.roll(ring, -1, axis=0) - ring for ring in rings])
    outward = np.stack([side[:, 1], -side[:, 0]])
    one, two = (np.maximum.reduceat(points @ outward, starts[:-1]) for points, starts in (obstacle, body))
    within = np.ones((len(one), len(two)), bool)
    for k in range(len(side)):
        within &= one[:, k, None] + two[None, :, k] <= one[0, k] + two[0, k] + STRAIGHT
    within[0, 0] = False
    return within.ravel()


def _chosen(parts: Parts, which: NDArray[np.bool_]) -> Parts:
    points, starts = parts
    counts = np.diff(starts)
    return points[np.repeat(which, counts)], np.concatenate([[0], np.cumsum(counts[which])])


def _distinct(parts: Parts) -> Parts:
    """Parts without those that stand there already to a nanometre: teeth of one pitch make many alike."""
    points, starts = parts
    counts = np.diff(starts)
    # One number for each ring, of its corners' coordinates and places in it.
    place = np.arange(len(points)) - np.repeat(starts[:-1], counts)
    weight = np.random.default_rng(0).integers(2**63, size=(int(counts.max()), 2), dtype=np.int64)
    own = (np.round(points / GRID_MM).astype(np.int64) * weight[place]).sum(axis=1)
    which = np.zeros(len(counts), bool)
    which[np.unique(np.add.reduceat(own, starts[:-1]), return_index=True)[1]] = True
    return _chosen(parts, which)


def put_together(parts: NDArray[np.object_]) -> BaseGeometry:
    """Return the union of polygons.

    Of many, as two bodies with hundreds of inner corners have, few hide most of the rest: the largest are put
    together first, then some of those that are not covered yet, and so on. Where GEOS fails at edges that all
    but fall together, points are held to a grid finer than any tolerance.
    """
    if len(parts) > MANY:
        parts = parts[np.argsort(-shapely.area(parts), kind="stable")]
        main = _union(parts[:MAIN])
        rest = _bare(parts[MAIN:], main)
        while len(rest) > MORE:
            some = slice(None, None, -(-len(rest) // MORE))
            main = _union(np.append(rest[some], main))
            rest = _bare(np.delete(rest, some), main)
        parts = np.append(rest, main)
    return _union(parts)


def _bare(parts: NDArray[np.object_], main: BaseGeometry) -> NDArray[np.object_]:
    """Those that a region does not cover."""
    shapely.prepare(main)
    bare: NDArray[np.object_] = parts[~shapely.covers(main, parts)]
    return bare


def _union(parts: NDArray[np.object_]) -> BaseGeometry:
    try:
        whole: BaseGeometry = shapely.union_all(parts)
    except GEOSException:
        whole = shapely.union_all(parts, grid_size=GRID_MM)
    return whole
