"""Reading rings: from a list of points to a region that can be trusted.

A *ring* is an ``(n, 2)`` float64 array of points in mm, not closed (the last point is
not the first again), in either turn direction. A *region* is a shapely polygon or
multipolygon, valid, possibly empty.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator, Sequence
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry import MultiPolygon, Polygon
from shapely.geometry.base import BaseGeometry
from shapely.validation import explain_validity

from fairlay.core.errors import BadShape
from fairlay.core.tolerances import MIN_PIECE_AREA_MM2, SAME_POINT_MM

Ring = NDArray[np.float64]
Region = BaseGeometry

TRUE_ROUND = 0.05
"""Points of a circle keep their distance from its middle within this share of it."""


def clean_ring(
    points: Sequence[Sequence[float]] | Ring, name: str, least_mm2: float = MIN_PIECE_AREA_MM2
) -> Ring:
    """Return the ring of ``points`` without repeated points, ``(n, 2)`` float64, n >= 3, in mm.

    ``name`` says in an error whose ring it was. A closing point equal to the first is
    dropped. Raises BadShape for fewer than three distinct points, for anything that is
    not a finite number, for an area under ``least_mm2`` and for an outline that crosses itself.
    """
    try:
        ring = np.asarray(points, dtype=np.float64)
    except (TypeError, ValueError) as error:
        raise BadShape(
            f"{name}: a point is not a pair of numbers", value=points, expected="[[x, y], ...] in mm"
        ) from error
    if ring.ndim != 2 or ring.shape[1] != 2:
        raise BadShape(
            f"{name}: the outline has the shape {ring.shape}",
            value=ring.shape,
            expected="a list of [x, y] pairs in mm",
        )
    bad = ~np.isfinite(ring).all(axis=1)
    if bad.any():
        where = int(np.flatnonzero(bad)[0])
        raise BadShape(
            f"{name}: point {where + 1} of the outline is {ring[where].tolist()}",
            value=ring[where].tolist(),
            expected="finite numbers",
        )
    if len(ring):
        step = np.hypot(*(ring - np.roll(ring, 1, axis=0)).T)
        keep = step > SAME_POINT_MM
        ring = ring[keep]
    if len(ring) < 3:
        raise BadShape(
            f"{name}: the outline has {len(ring)} distinct points", value=len(ring), expected="at least 3"
        )
    polygon = Polygon(ring)
    if not polygon.is_valid:
        raise BadShape(
            f"{name}: the outline crosses or touches itself: {explain_validity(polygon)}",
            value=explain_validity(polygon),
            expected="a simple outline",
        )
    if polygon.area < least_mm2:
        raise BadShape(
            f"{name}: the outline encloses {polygon.area:.3f} mm2",
            value=polygon.area,
            expected=f"at least {least_mm2:g} mm2",
        )
    return ring


def radius_of(ring: Ring) -> float | None:
    """Return the radius of a ring that is a circle, drawn out in eight points or more; None for another."""
    if len(ring) < 8:
        return None
    radii = np.hypot(*(ring - np.asarray(Polygon(ring).centroid.coords[0])).T)
    mean = float(radii.mean())
    return mean if float(np.ptp(radii)) < TRUE_ROUND * mean else None


def simple_ring(ring: Ring) -> Ring:
    """Return a ring without the small loops where it crosses itself: the largest part that it encloses."""
    polygon = Polygon(ring)
    if polygon.is_valid:
        return ring
    whole = max(pieces_of(polygon.buffer(0)), key=lambda p: p.area, default=None)
    return ring if whole is None else np.asarray(whole.exterior.coords, dtype=np.float64)[:-1]


def writable(polygon: Polygon, decimals: int) -> Polygon:
    """Return a polygon on the grid of figures with so many decimals, its rings still simple: rounded one by
    one, the two sides of a slit may come to touch. Where rounding parts it, the largest part.
    """
    on_grid = shapely.set_precision(polygon, 10.0**-decimals)
    return max(pieces_of(on_grid), key=lambda p: p.area, default=polygon)


def region(outline: Ring, holes: Iterable[Ring] = (), name: str = "outline") -> Polygon:
    """Return the polygon of an outline with holes cut out of it.

    Raises BadShape where a hole does not lie inside the outline, or two holes overlap.
    """
    hole_list = list(holes)
    polygon = Polygon(outline, hole_list)
    if polygon.is_valid:
        return polygon
    raise BadShape(
        f"{name}: a hole lies outside the outline or across another hole: {explain_validity(polygon)}",
        value=explain_validity(polygon),
        expected="holes inside the outline, apart from each other",
    )


def pieces_of(geometry: BaseGeometry, least_mm2: float = 1e-6) -> Iterator[Polygon]:
    """Yield the polygons of a geometry, leaving out points, lines and crumbs under ``least_mm2``."""
    if isinstance(geometry, Polygon):
        if geometry.area > least_mm2:
            yield geometry
    elif isinstance(geometry, MultiPolygon) or geometry.geom_type == "GeometryCollection":
        for part in geometry.geoms:
            yield from pieces_of(part, least_mm2)


def rings_of(geometry: BaseGeometry) -> list[Ring]:
    """Return every ring of a geometry, outlines and holes alike, each ``(n, 2)`` float64, not closed."""
    out: list[Ring] = []
    for polygon in pieces_of(geometry):
        for line in (polygon.exterior, *polygon.interiors):
            out += [np.asarray(line.coords, dtype=np.float64)[:-1]]
    return out


def flat(rings: Sequence[Ring]) -> tuple[Ring, NDArray[np.int64]]:
    """Return rings as the kernels take a body: all points ``(n, 2)``, and ``(r + 1,)`` where each ring
    starts.
    """
    starts = np.cumsum([0, *(len(r) for r in rings)]).astype(np.int64)
    return np.ascontiguousarray(np.concatenate(rings)) if rings else np.empty((0, 2)), starts


def union(parts: Iterable[BaseGeometry]) -> BaseGeometry:
    """Return the union of parts; the empty polygon for none."""
    found = [part for part in parts if not part.is_empty]
    merged: BaseGeometry = shapely.union_all(found) if found else Polygon()
    return merged


def common(first: BaseGeometry, *others: BaseGeometry) -> BaseGeometry:
    """Return the area that geometries share.

    Where they only touch, in a line or a point, nothing of it: GEOS gives such crumbs too, and cannot go on
    reckoning with them.
    """
    out = _of_area(first)
    for other in others:
        out = union(pieces_of(out.intersection(_of_area(other)), 0.0))
    return out


def _of_area(shape: BaseGeometry) -> BaseGeometry:
    """A shape without the lines and points that a difference may leave beside its polygons."""
    return union(pieces_of(shape, 0.0)) if shape.geom_type == "GeometryCollection" else shape


def as_points(ring: Ring, decimals: int = 3) -> list[list[float]]:
    """Return a ring as plain lists for JSON, rounded to ``decimals``."""
    return [[float(x), float(y)] for x, y in np.round(ring, decimals)]


def finite(value: Any, name: str, low: float = -math.inf, high: float = math.inf) -> float:
    """Return ``value`` as a float; raise BadShape if it is no finite number in [low, high]."""
    if (
        isinstance(value, bool)
        or not isinstance(value, (int, float))
        or not math.isfinite(value)
        or not low <= value <= high
    ):
        bounds = (
            f"a number from {low:g} to {high:g}"
            if math.isfinite(low) or math.isfinite(high)
            else "a finite number"
        )
        raise BadShape(f"{name} is {value!r}", value=value, expected=bounds)
    return float(value)


def area_left_of(ring: Ring, at: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return the area of a ring left of each x, in mm2: the signed trapezia of its sides (shoelace), each
    clipped at x.
    """
    total = np.zeros(len(at))
    a, b = ring, np.roll(ring, -1, axis=0)
    for (ax, ay), (bx, by) in zip(a, b, strict=True):
        lo, hi = min(ax, bx), max(ax, bx)
        if hi - lo < 1e-9:
            continue
        x = np.clip(at, lo, hi)
        y_at = ay + (by - ay) * (x - ax) / (bx - ax)
        y_lo = ay if ax < bx else by
        part = (x - lo) * (y_lo + y_at) / 2
        total += part if ax < bx else -part
    return np.abs(total)
