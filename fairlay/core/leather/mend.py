"""An outline mended by hand: leather painted on, painted off, joined, cut along a line."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from shapely.geometry import LineString, Polygon
from shapely.geometry.base import BaseGeometry
from shapely.ops import split

from fairlay.core.errors import BadHide
from fairlay.core.shapes.rings import pieces_of

LEAST_LEFT_MM2 = 1_000.0
BEYOND_MM = 60.0
"""The ends of a cut go on straight by so much, so that one drawn a little short still parts the hide."""

Points = Sequence[Sequence[float]]


def painted(region: BaseGeometry, stroke: Points, width_mm: float, add: bool) -> Polygon:
    """Return a region with a stroke of a width painted on to it, or off it; the largest part of what is left.

    Painting on joins what the stroke touches. Raises BadHide for a width no brush has, a stroke without a
    place, or where nothing would be left.
    """
    if not 1 <= width_mm <= 400:
        raise BadHide(f"a brush {width_mm:g} mm wide", value=width_mm, expected="1 to 400 mm")
    if not len(stroke):
        raise BadHide("a stroke without a place", value=0, expected="at least one place")
    line = LineString(stroke if len(stroke) > 1 else [stroke[0], stroke[0]]).buffer(width_mm / 2)
    return largest(region.union(line) if add else region.difference(line))


def parted(region: BaseGeometry, line: Points) -> tuple[Polygon, tuple[Polygon, ...]]:
    """Return the largest part of a region cut along a line, and what came off, larger parts first: nothing
    where the line parts nothing. Raises BadHide for a line without a way.
    """
    way = np.asarray(line, float).reshape(-1, 2)
    if len(way) < 2 or float(np.hypot(*np.diff(way, axis=0).T).sum()) < 1.0:
        raise BadHide("a cut without a way", value=len(way), expected="a line across the hide")
    for end, inner, at in ((way[0], way[1], 0), (way[-1], way[-2], len(way) + 1)):
        out = end - inner
        size = float(np.hypot(*out))
        if size > 0:
            way = np.insert(way, min(at, len(way)), end + out / size * BEYOND_MM, axis=0)
    parts = sorted(
        (p for g in split(largest(region), LineString(way)).geoms for p in pieces_of(g)),
        key=lambda p: -p.area,
    )
    if len(parts) < 2:
        return largest(region), ()
    return parts[0], tuple(parts[1:])


def largest(region: BaseGeometry) -> Polygon:
    """Return the largest part of a region. Raises BadHide where less than 10 cm2 is left."""
    kept = max(pieces_of(region), key=lambda p: p.area, default=Polygon())
    if kept.area < LEAST_LEFT_MM2:
        raise BadHide("no leather would be left", value=kept.area, expected="at least 10 square centimetres")
    return kept
