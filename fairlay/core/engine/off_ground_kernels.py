"""Whether a piece of a scene lies off the ground it may lie on, exactly, and how far. Compiled.

Distance fields settle most of it; sides are only looked at where those cannot tell.
"""

from __future__ import annotations

import math

from fairlay.core.engine.kernels import BUCKET_MM, buckets_of
from fairlay.core.engine.pain_kernels import depth_pain
from fairlay.core.shapes.compiled import lean_inlined
from fairlay.core.shapes.kernels import inside, segments_cross

NEVER = 1e30
FIELD_ERROR_MM = 6.0
"""The room that a field tells about a point may be off by so much: half a cell's diagonal twice."""
BLOCK = 6
"""Sides that are passed over together where the circle about them is far away."""


@lean_inlined
def room_at(field, origin, step, x, y):
    """The signed distance at a point, between cells; far outside the field, the distance back to it,
    negative.
    """
    rows, cols = field.shape
    c, r = (x - origin[0]) / step, (y - origin[1]) / step
    away = max(0.0, -c, c - (cols - 1.001)) + max(0.0, -r, r - (rows - 1.001))
    c, r = min(max(c, 0.0), cols - 1.001), min(max(r, 0.0), rows - 1.001)
    i, j = int(r), int(c)
    v, u = r - i, c - j
    at = (field[i, j] * (1 - u) + field[i, j + 1] * u) * (1 - v) + (
        field[i + 1, j] * (1 - u) + field[i + 1, j + 1] * u
    ) * v
    return at - away * step


@lean_inlined
def cell_room(s, g, x, y):
    """The signed distance told by the cell that a point lies in, of ground g; NEVER, negative, outside."""
    field = s.grounds.field
    c = int((x - s.grounds.origin[0]) / s.step + 0.5)
    r = int((y - s.grounds.origin[1]) / s.step + 0.5)
    if c < 0 or r < 0 or c >= field.shape[2] or r >= field.shape[1]:
        return -NEVER
    return field[g, r, c]


@lean_inlined
def side_strays(s, ax, ay, bx, by, g):
    """Whether a side crosses or touches a side of ground g."""
    grounds = s.grounds
    g0, e0, cols = grounds.pt_at[g], grounds.edge_at[g], grounds.shape[1]
    ex0, ex1, ey0, ey1 = min(ax, bx), max(ax, bx), min(ay, by), max(ay, by)
    r0, r1, c0, c1 = buckets_of(ax, ay, bx, by, grounds.origin, grounds.shape, BUCKET_MM)
    for r in range(r0, r1 + 1):
        for c in range(c0, c1 + 1):
            b = r * cols + c
            for e in range(grounds.bucket_at[g, b], grounds.bucket_at[g, b + 1]):
                o = grounds.edges[e0 + e]
                q = grounds.before[g0 + o]
                cx, cy = grounds.pts[g0 + q, 0], grounds.pts[g0 + q, 1]
                dx, dy = grounds.pts[g0 + o, 0], grounds.pts[g0 + o, 1]
                if (
                    (cx < ex0 and dx < ex0)
                    or (cx > ex1 and dx > ex1)
                    or (cy < ey0 and dy < ey0)
                    or (cy > ey1 and dy > ey1)
                ):
                    continue
                if segments_cross(ax, ay, bx, by, cx, cy, dx, dy):
                    return True
    return False


@lean_inlined
def strays(s, k, x, y, cos, sin, g, wanted_inside):
    """Whether body k, placed, leaves ground g (or, not ``wanted_inside``, enters it).

    The field of a ground is positive where a body may lie, and settles whole blocks of sides alone.
    """
    bodies, grounds, p = s.bodies, s.grounds, s.scratch
    g0 = grounds.pt_at[g]
    if grounds.pt_at[g + 1] == g0:
        return wanted_inside
    a = bodies.pt_at[k]
    n = bodies.pt_at[k + 1] - a
    told = False
    for block in range(s.block_at[k], s.block_at[k + 1]):
        bx, by, r = s.blocks[block, 0], s.blocks[block, 1], s.blocks[block, 2]
        room = cell_room(s, g, bx * cos - by * sin + x, bx * sin + by * cos + y)
        if room > r + FIELD_ERROR_MM:
            told = True
            continue
        if room < -r - FIELD_ERROR_MM:
            return True
        first = (block - s.block_at[k]) * BLOCK
        for i in range(first, min(first + BLOCK, n)):
            j = s.before[a + i]
            px, py, qx, qy = (
                bodies.pts[a + j, 0],
                bodies.pts[a + j, 1],
                bodies.pts[a + i, 0],
                bodies.pts[a + i, 1],
            )
            if side_strays(
                s,
                px * cos - py * sin + x,
                px * sin + py * cos + y,
                qx * cos - qy * sin + x,
                qx * sin + qy * cos + y,
                g,
            ):
                return True
    ring, rings = bodies.ring_at[k], bodies.ring_at[k + 1] - bodies.ring_at[k] - 1
    hole, holes = grounds.ring_at[g], grounds.ring_at[g + 1] - grounds.ring_at[g] - 1
    around, starts = grounds.pts[g0 : grounds.pt_at[g + 1]], grounds.starts[hole : hole + holes + 1]
    if not told or rings > 1:
        for r in range(rings):
            px, py = bodies.pts[a + bodies.starts[ring + r], 0], bodies.pts[a + bodies.starts[ring + r], 1]
            if inside(px * cos - py * sin + x, px * sin + py * cos + y, around, starts) != wanted_inside:
                return True
    written = False
    for h in range(holes):
        hx, hy = around[starts[h], 0], around[starts[h], 1]
        if (hx - x) * (hx - x) + (hy - y) * (hy - y) < bodies.reach[k] * bodies.reach[k]:
            if not written:
                written = True
                for i in range(n):
                    px, py = bodies.pts[a + i, 0], bodies.pts[a + i, 1]
                    p[i, 0], p[i, 1] = px * cos - py * sin + x, px * sin + py * cos + y
            if inside(hx, hy, p[:n], bodies.starts[ring : ring + rings + 1]):
                return True
    return False


@lean_inlined
def ground_discs(s, k, x, y, cos, sin, g):
    """Pain of body k's circles off ground g."""
    bodies = s.bodies
    total = 0.0
    soft = 0.02 * bodies.reach[k] + 0.1
    for i in range(bodies.circle_at[k], bodies.circle_at[k + 1]):
        cx, cy, r = bodies.circles[i, 0], bodies.circles[i, 1], bodies.circles[i, 2]
        deep = r - room_at(
            s.grounds.field[g], s.grounds.origin, s.step, cx * cos - cy * sin + x, cx * sin + cy * cos + y
        )
        total += depth_pain(deep, r, soft)
    return math.sqrt(total) * math.sqrt(bodies.reach[k]) + 1.0


@lean_inlined
def hide_at(s, x):
    """Which hide of a scene lies at an x."""
    c = int((x - s.grounds.origin[0]) / s.step + 0.5)
    return s.hide_of[min(max(c, 0), len(s.hide_of) - 1)]


@lean_inlined
def off_ground(s, v, x, y, cos, sin, limit):
    """Pain of a variant against the ground: off fair ground, show face on a flaw, beyond the span of its hide
    that may be used."""
    bodies, grounds = s.bodies, s.grounds
    h = hide_at(s, x)
    low, high = s.spans[h, 0], s.spans[h, 1]
    total = 0.0
    for side in range(1, 3):
        g = s.fair_of[v] if side == 1 else s.show_of[v]
        k = v * 3 + side
        if g < 0 or total >= limit or bodies.pt_at[k + 1] == bodies.pt_at[k]:
            continue
        reach = bodies.reach[k]
        past = side == 1 and (x + reach > high or x - reach < low)
        if not past and room_at(grounds.field[g], grounds.origin, s.step, x, y) > reach + FIELD_ERROR_MM:
            continue
        flat = side == 1 and s.flat[g, 0] < s.flat[g, 2]
        if past or flat:
            x0, y0, x1, y1 = NEVER, NEVER, -NEVER, -NEVER
            for i in range(bodies.pt_at[k], bodies.pt_at[k + 1]):
                px, py = bodies.pts[i, 0], bodies.pts[i, 1]
                qx, qy = px * cos - py * sin + x, px * sin + py * cos + y
                x0, x1, y0, y1 = min(x0, qx), max(x1, qx), min(y0, qy), max(y1, qy)
            out = max(0.0, low - x0) + max(0.0, x1 - high)
            if flat:
                # Ground that is one upright rectangle, as a roll's: bounds tell it all.
                out = max(0.0, max(low, s.flat[g, 0]) - x0) + max(0.0, x1 - min(high, s.flat[g, 2]))
                out += max(0.0, s.flat[g, 1] - y0) + max(0.0, y1 - s.flat[g, 3])
            if out > 0.0:
                total += out * math.sqrt(reach) + 1.0
            if flat:
                continue
        if strays(s, k, x, y, cos, sin, g, side == 1):
            total += ground_discs(s, k, x, y, cos, sin, g)
    return total
