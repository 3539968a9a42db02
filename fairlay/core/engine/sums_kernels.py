"""Compiled parts of ``sums``: the grid over a sum, and the pain at its nodes."""

from __future__ import annotations

import numpy as np

from fairlay.core.engine.pain_kernels import circles_pain
from fairlay.core.shapes.compiled import compiled
from fairlay.core.shapes.kernels import paint_body

OUTSIDE, INSIDE, BORDER, BORDER_IN = 0, 1, 2, 3


@compiled
def grid_of(pts, starts, origin, step, rows, cols):
    """Cells over rings: (kind (rows - 1, cols - 1) int8, side_at, sides (n, 4)), as in ``sums.Sums``."""
    node = np.zeros((rows, cols), np.bool_)
    paint_body(node, pts, starts, origin[0], origin[1], step, True)
    cells = (rows - 1) * (cols - 1)
    count = np.zeros(cells + 1, np.int64)
    sides = np.empty((0, 4))
    for fill in range(2):
        if fill:
            sides = np.empty((count[cells], 4))
        for ring in range(len(starts) - 1):
            j = starts[ring + 1] - 1
            for i in range(starts[ring], starts[ring + 1]):
                ax, ay, bx, by = pts[j, 0], pts[j, 1], pts[i, 0], pts[i, 1]
                j = i
                r0 = max(0, int((min(ay, by) - origin[1]) / step))
                r1 = min(rows - 2, int((max(ay, by) - origin[1]) / step))
                for r in range(r0, r1 + 1):
                    # The stretch of the side within this row of cells.
                    lo, hi = min(ax, bx), max(ax, bx)
                    if by != ay:
                        s = (origin[1] + r * step - ay) / (by - ay)
                        t = (origin[1] + (r + 1) * step - ay) / (by - ay)
                        s, t = min(1.0, max(0.0, s)), min(1.0, max(0.0, t))
                        lo = min(ax + s * (bx - ax), ax + t * (bx - ax))
                        hi = max(ax + s * (bx - ax), ax + t * (bx - ax))
                    c0 = max(0, int((lo - 1e-6 - origin[0]) / step))
                    c1 = min(cols - 2, int((hi + 1e-6 - origin[0]) / step))
                    for c in range(c0, c1 + 1):
                        k = r * (cols - 1) + c
                        if fill:
                            count[k] -= 1
                            n = count[k]
                            sides[n, 0], sides[n, 1], sides[n, 2], sides[n, 3] = ax, ay, bx, by
                        else:
                            count[k] += 1
        if not fill:
            # Where each cell's sides end; filling counts back to where they begin.
            total = 0
            for k in range(cells):
                total += count[k]
                count[k] = total
            count[cells] = total
    kind = np.zeros((rows - 1, cols - 1), np.int8)
    for r in range(rows - 1):
        for c in range(cols - 1):
            k = r * (cols - 1) + c
            border = count[k + 1] > count[k]
            kind[r, c] = (
                (BORDER_IN if node[r, c] else BORDER) if border else (INSIDE if node[r, c] else OUTSIDE)
            )
    return kind, count, sides


@compiled
def pains(bodies, v, w, cos, sin, origin, step, kind):
    """Pain of variant w, turned, with its centroid at each node and v at the origin; 0 where all cells about
    a
    node lie outside.
    """
    rows, cols = kind.shape[0] + 1, kind.shape[1] + 1
    out = np.zeros((rows, cols), np.float32)
    x0 = y0 = 1e30
    x1 = y1 = -1e30
    for a in range(bodies.circle_at[v * 3], bodies.circle_at[v * 3 + 1]):
        x, y, r = bodies.circles[a, 0], bodies.circles[a, 1], bodies.circles[a, 2]
        x0, y0, x1, y1 = min(x0, x - r), min(y0, y - r), max(x1, x + r), max(y1, y + r)
    for r in range(rows):
        for c in range(cols):
            near = False
            for i in range(max(0, r - 1), min(rows - 2, r) + 1):
                for j in range(max(0, c - 1), min(cols - 2, c) + 1):
                    near = near or kind[i, j] != OUTSIDE
            if near:
                x, y = origin[0] + c * step, origin[1] + r * step
                out[r, c] = circles_pain(bodies, v, w, cos, sin, x, y, (x0, y0, x1, y1))
    return out
