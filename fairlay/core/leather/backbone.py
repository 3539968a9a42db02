"""Where a side's backbone likely runs: its one fairly straight edge."""

from __future__ import annotations

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry import Polygon

from fairlay.core.shapes.rings import Ring

NEAR_MM = 30.0
EVERY_MM = 10.0


def backbone_of(outline: Ring) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Return the two ends ``(2,)`` in mm of the edge that is longest and straightest: of the hull's edges the one that most of the outline lies along.

    The end further left comes first, as the tail is usually laid; which is which is the cutter's to say.
    """
    hull = shapely.get_coordinates(Polygon(outline).simplify(3.0).convex_hull.exterior)[:-1]
    points = shapely.get_coordinates(shapely.segmentize(Polygon(outline).exterior, EVERY_MM))
    best: tuple[float, NDArray[np.float64], NDArray[np.float64]] | None = None
    for a, b in zip(hull, np.roll(hull, -1, axis=0), strict=True):
        long = float(np.hypot(*(b - a)))
        if long < 50:
            continue
        way = (b - a) / long
        off = np.abs((points - a) @ np.array([-way[1], way[0]]))
        along = ((points - a) @ way)[off < NEAR_MM]
        # How much of the edge is really there, and not a bridge over a hollow.
        there = len(np.unique(np.round(along / EVERY_MM))) * EVERY_MM
        if best is None or there > best[0]:
            best = there, a + way * along.min(), a + way * along.max()
    if best is None:
        (x0, y0), (x1, _) = outline.min(axis=0), outline.max(axis=0)
        return np.array([x0, y0]), np.array([x1, y0])
    _, a, b = best
    return (a, b) if a[0] <= b[0] else (b, a)
