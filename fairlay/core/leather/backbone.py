"""Where a hide's backbone likely runs: along the one fairly straight edge of a side, and where a whole hide
would fold on itself.
"""

from __future__ import annotations

import math

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.affinity import affine_transform
from shapely.geometry import Polygon

from fairlay.core.shapes.rings import Ring

NEAR_MM = 30.0
EVERY_MM = 10.0
COARSE_MM = 4.0


def backbone_of(outline: Ring, kind: str = "side") -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Return the two ends ``(2,)`` in mm of the line that a hide's backbone likely runs along.

    Of a whole hide that is the line it folds on with the least left over; of anything else the edge that is
    longest and straightest: of the hull's edges the one that most of the outline lies along. The end further
    left comes first, as the tail is usually laid; which is which is the cutter's to say.
    """
    a, b = _fold(outline) if kind == "whole" else _straight_edge(outline)
    return (a, b) if a[0] <= b[0] else (b, a)


def _fold(outline: Ring) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    shape = Polygon(outline).simplify(COARSE_MM).buffer(0)
    middle = np.array(shape.centroid.coords[0])

    def left_over(deg: float) -> float:
        t = 2 * math.radians(deg)
        c, s = math.cos(t), math.sin(t)
        x, y = middle
        folded = affine_transform(shape, (c, s, s, -c, x - c * x - s * y, y - s * x + c * y))
        return float(shape.symmetric_difference(folded).area)

    turn = min(np.arange(0.0, 180.0, 3.0), key=left_over)
    turn = min(np.arange(turn - 3.0, turn + 3.1, 0.5), key=left_over)
    way = np.array([math.cos(math.radians(turn)), math.sin(math.radians(turn))])
    # As long as the hide is along it: between the legs of the tail end there may be no leather on the line
    # itself.
    along = (np.asarray(outline) - middle) @ way
    return middle + way * along.min(), middle + way * along.max()


def _straight_edge(outline: Ring) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
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
    return best[1:]
