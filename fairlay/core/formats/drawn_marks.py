"""Marks as a drawing has them: lines and rings on layers said to be stitches, holes, folds and the like."""

from __future__ import annotations

import math

import numpy as np
import shapely
from shapely.geometry import LineString, Point, Polygon

from fairlay.core.formats.drawing import Stroke, Use
from fairlay.core.pattern.edges import XY, Run, length_mm, line_of
from fairlay.core.pattern.pattern import Mark
from fairlay.core.shapes.rings import Ring

ROUND_SHARE = 0.03
"""A closed contour whose points keep the same distance from its middle within 3 % is a punched hole."""


def mark_of(use: Use, stroke: Stroke, ring: Ring, name: str) -> Mark:
    """Return the mark that a stroke on a layer stands for; ``ring`` is the outline of its piece."""
    points = stroke.points
    path = tuple(XY(round(float(x), 3), round(float(y), 3)) for x, y in points)
    if use == "hole" and len(points) > 2:
        middle = np.asarray(Polygon(points).centroid.coords[0]) if stroke.closed else points.mean(axis=0)
        box = np.asarray(Polygon(points).minimum_rotated_rectangle.exterior.coords)
        one, two = box[1] - box[0], box[2] - box[1]
        (a, long_), (b, _) = sorted(((float(np.hypot(*v)), v) for v in (one, two)), key=lambda s: -s[0])
        at = XY(round(float(middle[0]), 3), round(float(middle[1]), 3))
        if a - b < ROUND_SHARE * a + 0.05:
            # The corners of what a circle is drawn out to lie on it, its sides within.
            radii = np.hypot(*(points - middle).T)
            is_circle = len(points) >= 8 and float(np.ptp(radii)) < ROUND_SHARE * float(radii.max())
            width = 2 * float(np.median(radii)) if is_circle else (a + b) / 2
            return Mark(name, "hole", at=at, width_mm=round(width, 2))
        return Mark(
            name,
            "slot",
            at=at,
            width_mm=round(b, 2),
            length_mm=round(a, 2),
            turn_deg=round(math.degrees(math.atan2(long_[1], long_[0])) % 180, 2),
        )
    if use == "hole":
        return Mark(
            name,
            "hole",
            at=XY(round(float(points.mean(axis=0)[0]), 3), round(float(points.mean(axis=0)[1]), 3)),
            width_mm=2.0,
        )
    if use in ("glue", "skive"):
        edge = LineString(np.concatenate([ring, ring[:1]]))
        width = float(np.median(shapely.distance(edge, shapely.points(points))))
        if stroke.closed:
            return Mark(name, use, width_mm=round(max(width, 0.5), 2))
        ends = [
            XY(*(round(v, 3) for v in edge.interpolate(edge.project(Point(p))).coords[0]))
            for p in (points[0], points[-1])
        ]
        runs = (Run(ends[0], ends[1]), Run(ends[1], ends[0]))
        run = min(runs, key=lambda r: abs(length_mm(line_of(ring, r)) - length_mm(points)))
        return Mark(name, use, run=run, width_mm=round(max(width, 0.5), 2))
    if use == "place":
        return Mark(name, "place", path=path, closed=True, covers=False)
    if use == "fold":
        return Mark(name, "fold", path=path)
    return Mark(name, "stitch", path=path, closed=stroke.closed)
