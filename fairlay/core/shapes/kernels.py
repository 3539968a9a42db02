"""Compiled geometry: the exact tests that the engine makes millions of times.

A *body* is a set of rings, filled even-odd: ``pts`` ``(n, 2)`` float64 in mm and
``starts`` ``(r + 1,)`` int64, ring k being ``pts[starts[k]:starts[k + 1]]``, not closed.
``tests/core/test_kernels.py`` holds each of these to a slow plain reference.
"""

from __future__ import annotations

import math

import numpy as np

from fairlay.core.shapes.compiled import compiled, lean


@lean
def inside(px, py, pts, starts):
    """Whether a point lies in a body (even-odd). A point on the boundary may fall either way."""
    odd = False
    for k in range(len(starts) - 1):
        a, b = starts[k], starts[k + 1]
        j = b - 1
        for i in range(a, b):
            yi, yj = pts[i, 1], pts[j, 1]
            if (yi > py) != (yj > py) and px < (pts[j, 0] - pts[i, 0]) * (py - yi) / (yj - yi) + pts[i, 0]:
                odd = not odd
            j = i
    return odd


@lean
def segments_cross(ax, ay, bx, by, cx, cy, dx, dy):
    """Whether segments ab and cd, whose bounds meet, cross or touch.

    Touching counts: two bodies with sides on one line overlap without any edge properly
    crossing another, and that must not be missed. What should butt is kept from touching
    by the shrink. Callers have compared bounds, which settles segments on one line.
    """
    rx, ry = bx - ax, by - ay
    d1 = rx * (cy - ay) - ry * (cx - ax)
    d2 = rx * (dy - ay) - ry * (dx - ax)
    if (d1 > 0.0 and d2 > 0.0) or (d1 < 0.0 and d2 < 0.0):
        return False
    sx, sy = dx - cx, dy - cy
    d3 = sx * (ay - cy) - sy * (ax - cx)
    d4 = sx * (by - cy) - sy * (bx - cx)
    return not ((d3 > 0.0 and d4 > 0.0) or (d3 < 0.0 and d4 < 0.0))


@lean
def bounds_of(pts, n):
    """(min x, min y, max x, max y) of the first n points."""
    x0 = x1 = pts[0, 0]
    y0 = y1 = pts[0, 1]
    for i in range(1, n):
        x, y = pts[i, 0], pts[i, 1]
        x0, x1 = min(x0, x), max(x1, x)
        y0, y1 = min(y0, y), max(y1, y)
    return x0, y0, x1, y1


@lean
def place_into(out, pts, a, b, x, y, cos, sin):
    """Write points a to b of a shape, turned and moved, into ``out``; return how many."""
    for i in range(a, b):
        px, py = pts[i, 0], pts[i, 1]
        out[i - a, 0] = px * cos - py * sin + x
        out[i - a, 1] = px * sin + py * cos + y
    return b - a


@lean
def bodies_overlap(p, ps, pb, q, qs, qb, near):
    """Whether two bodies touch or overlap.

    ``p``, ``q`` points; ``ps``, ``qs`` ring starts; ``pb``, ``qb`` their bounds. Edges that cross
    or touch, or one ring of either inside the other. ``near`` (at least as many as q has points, 4) is room
    for those edges of q that p can reach: of outlines of hundreds of points these are few.
    """
    x0, y0 = max(pb[0], qb[0]), max(pb[1], qb[1])
    x1, y1 = min(pb[2], qb[2]), min(pb[3], qb[3])
    if x0 > x1 or y0 > y1:
        return False
    few = 0
    for m in range(len(qs) - 1):
        n = qs[m + 1] - 1
        for o in range(qs[m], qs[m + 1]):
            cx, cy, dx, dy = q[n, 0], q[n, 1], q[o, 0], q[o, 1]
            n = o
            if not (max(cx, dx) < x0 or min(cx, dx) > x1 or max(cy, dy) < y0 or min(cy, dy) > y1):
                near[few, 0], near[few, 1], near[few, 2], near[few, 3] = cx, cy, dx, dy
                few += 1
    for k in range(len(ps) - 1):
        j = ps[k + 1] - 1
        for i in range(ps[k], ps[k + 1]):
            ax, ay, bx, by = p[j, 0], p[j, 1], p[i, 0], p[i, 1]
            j = i
            ex0, ex1, ey0, ey1 = min(ax, bx), max(ax, bx), min(ay, by), max(ay, by)
            if ex1 < x0 or ex0 > x1 or ey1 < y0 or ey0 > y1:
                continue
            for e in range(few):
                cx, cy, dx, dy = near[e, 0], near[e, 1], near[e, 2], near[e, 3]
                if (
                    (cx < ex0 and dx < ex0)
                    or (cx > ex1 and dx > ex1)
                    or (cy < ey0 and dy < ey0)
                    or (cy > ey1 and dy > ey1)
                ):
                    continue
                if segments_cross(ax, ay, bx, by, cx, cy, dx, dy):
                    return True
    for k in range(len(ps) - 1):
        if inside(p[ps[k], 0], p[ps[k], 1], q, qs):
            return True
    for m in range(len(qs) - 1):
        if inside(q[qs[m], 0], q[qs[m], 1], p, ps):
            return True
    return False


@lean
def distance_to_body(px, py, pts, starts):
    """Distance from a point to the nearest edge of a body, in mm, unsigned."""
    best = 1e300
    for k in range(len(starts) - 1):
        j = starts[k + 1] - 1
        for i in range(starts[k], starts[k + 1]):
            ax, ay = pts[j, 0], pts[j, 1]
            ux, uy = pts[i, 0] - ax, pts[i, 1] - ay
            j = i
            length2 = ux * ux + uy * uy
            t = 0.0
            if length2 > 0.0:
                t = min(1.0, max(0.0, ((px - ax) * ux + (py - ay) * uy) / length2))
            ex, ey = ax + t * ux - px, ay + t * uy - py
            best = min(best, ex * ex + ey * ey)
    return math.sqrt(best)


@compiled
def paint_body(mask, pts, starts, x0, y0, step, value):
    """Set the cells of ``mask`` (rows along y) whose centres lie in a body, even-odd, by scan lines."""
    rows, cols = mask.shape
    cuts = np.empty(len(pts) + 1, np.float64)
    for r in range(rows):
        y = y0 + r * step
        n = 0
        for k in range(len(starts) - 1):
            j = starts[k + 1] - 1
            for i in range(starts[k], starts[k + 1]):
                yi, yj = pts[i, 1], pts[j, 1]
                if (yi > y) != (yj > y):
                    cuts[n] = (pts[j, 0] - pts[i, 0]) * (y - yi) / (yj - yi) + pts[i, 0]
                    n += 1
                j = i
        if n == 0:
            continue
        found = np.sort(cuts[:n])
        for c in range(0, n - 1, 2):
            lo = max(0, math.ceil((found[c] - x0) / step))
            hi = min(cols - 1, math.floor((found[c + 1] - x0) / step))
            for q in range(lo, hi + 1):
                mask[r, q] = value
