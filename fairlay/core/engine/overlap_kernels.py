"""Whether two pieces of a scene overlap, exactly, and how badly. Compiled.

The measure is made from the circles inside both bodies: smooth, and larger the deeper two bodies lie in each
other, so that a search can follow it down. Where both lie at turns that have a sum (``sums``) it takes one
lookup.
"""

from __future__ import annotations

import math

from fairlay.core.engine.off_ground_kernels import BLOCK, NEVER
from fairlay.core.engine.pain_kernels import FADE, depth_pain, pair_pain, softness
from fairlay.core.engine.sums_kernels import BORDER_IN, INSIDE, OUTSIDE
from fairlay.core.shapes.compiled import lean_inlined
from fairlay.core.shapes.kernels import inside, segments_cross


@lean_inlined
def put_in_row(s, row, v, x, y, cos, sin):
    """Write a variant's body and circles, turned and moved, and its bounds into a row of the floor."""
    bodies, pts = s.bodies, s.floor.pts
    k = v * 3
    x0, y0, x1, y1 = NEVER, NEVER, -NEVER, -NEVER
    a = bodies.pt_at[k]
    for i in range(bodies.pt_at[k + 1] - a):
        px, py = bodies.pts[a + i, 0], bodies.pts[a + i, 1]
        qx, qy = px * cos - py * sin + x, px * sin + py * cos + y
        pts[row, i, 0], pts[row, i, 1] = qx, qy
        x0, x1 = min(x0, qx), max(x1, qx)
        y0, y1 = min(y0, qy), max(y1, qy)
    box = s.floor.box
    box[row, 0], box[row, 1], box[row, 2], box[row, 3] = x0, y0, x1, y1
    s.bounds[0, row], s.bounds[1, row], s.bounds[2, row], s.bounds[3, row] = x0, y0, x1, y1
    pose = s.pose
    pose[row, 0], pose[row, 1], pose[row, 2], pose[row, 3] = x, y, cos, sin
    a = bodies.circle_at[k]
    for i in range(bodies.circle_at[k + 1] - a):
        px, py = bodies.circles[a + i, 0], bodies.circles[a + i, 1]
        s.discs[row, i, 0] = px * cos - py * sin + x
        s.discs[row, i, 1] = px * sin + py * cos + y
        s.discs[row, i, 2] = bodies.circles[a + i, 2]
    s.floor.variant[row] = v


@lean_inlined
def discs_pain(s, i, j):
    """Pain of the circles of two rows, and whether any two of them overlap."""
    bodies, discs, box = s.bodies, s.discs, s.floor.box
    ka, kb = s.floor.variant[i] * 3, s.floor.variant[j] * 3
    soft = softness(bodies, ka, kb)
    far = FADE * soft
    x0, y0 = max(box[i, 0], box[j, 0]) - far, max(box[i, 1], box[j, 1]) - far
    x1, y1 = min(box[i, 2], box[j, 2]) + far, min(box[i, 3], box[j, 3]) + far
    near = 0
    for b in range(bodies.circle_at[kb + 1] - bodies.circle_at[kb]):
        bx, by, rb = discs[j, b, 0], discs[j, b, 1], discs[j, b, 2]
        if bx + rb >= x0 and bx - rb <= x1 and by + rb >= y0 and by - rb <= y1:
            s.near[near] = b
            near += 1
    total, met = 0.0, False
    for a in range(bodies.circle_at[ka + 1] - bodies.circle_at[ka]):
        ax, ay, ra = discs[i, a, 0], discs[i, a, 1], discs[i, a, 2]
        if ax + ra < x0 or ax - ra > x1 or ay + ra < y0 or ay - ra > y1:
            continue
        for n in range(near):
            b = s.near[n]
            dx, dy, rb = ax - discs[j, b, 0], ay - discs[j, b, 1], discs[j, b, 2]
            d2, both = dx * dx + dy * dy, ra + rb
            if d2 < (both + far) * (both + far):
                deep = both - math.sqrt(d2)
                met = met or deep > 0.0
                total += depth_pain(deep, min(ra, rb), soft)
    return pair_pain(bodies, ka, kb, total), met


@lean_inlined
def sides_meet(s, i, j):
    """Whether sides of two rows cross or touch, or one body lies inside the other: the exact test."""
    bodies, pts, box = s.bodies, s.floor.pts, s.floor.box
    ka, kb = s.floor.variant[i] * 3, s.floor.variant[j] * 3
    x0, y0 = max(box[i, 0], box[j, 0]), max(box[i, 1], box[j, 1])
    x1, y1 = min(box[i, 2], box[j, 2]), min(box[i, 3], box[j, 3])
    a0, b0 = bodies.pt_at[ka], bodies.pt_at[kb]
    na, nb = bodies.pt_at[ka + 1] - a0, bodies.pt_at[kb + 1] - b0
    near = 0
    x, y, cos, sin = s.pose[i, 0], s.pose[i, 1], s.pose[i, 2], s.pose[i, 3]
    for block in range(s.block_at[ka], s.block_at[ka + 1]):
        bx, by, r = s.blocks[block, 0], s.blocks[block, 1], s.blocks[block, 2]
        px, py = bx * cos - by * sin + x, bx * sin + by * cos + y
        if px + r >= x0 and px - r <= x1 and py + r >= y0 and py - r <= y1:
            s.hot[near, 0], s.hot[near, 1], s.hot[near, 2] = px, py, r
            s.here[near] = (block - s.block_at[ka]) * BLOCK
            near += 1
    x, y, cos, sin = s.pose[j, 0], s.pose[j, 1], s.pose[j, 2], s.pose[j, 3]
    for block in range(s.block_at[kb], s.block_at[kb + 1] if near else 0):
        bx, by, r = s.blocks[block, 0], s.blocks[block, 1], s.blocks[block, 2]
        px, py = bx * cos - by * sin + x, bx * sin + by * cos + y
        if px + r < x0 or px - r > x1 or py + r < y0 or py - r > y1:
            continue
        first = (block - s.block_at[kb]) * BLOCK
        for h in range(near):
            hx, hy, both = s.hot[h, 0] - px, s.hot[h, 1] - py, s.hot[h, 2] + r
            if hx * hx + hy * hy > both * both:
                continue
            for n in range(first, min(first + BLOCK, nb)):
                m = s.before[b0 + n]
                ax, ay, bx, by = pts[j, m, 0], pts[j, m, 1], pts[j, n, 0], pts[j, n, 1]
                ex0, ex1, ey0, ey1 = min(ax, bx), max(ax, bx), min(ay, by), max(ay, by)
                if ex1 < x0 or ex0 > x1 or ey1 < y0 or ey0 > y1:
                    continue
                for o in range(s.here[h], min(s.here[h] + BLOCK, na)):
                    q = s.before[a0 + o]
                    cx, cy, dx, dy = pts[i, q, 0], pts[i, q, 1], pts[i, o, 0], pts[i, o, 1]
                    if (
                        (cx < ex0 and dx < ex0)
                        or (cx > ex1 and dx > ex1)
                        or (cy < ey0 and dy < ey0)
                        or (cy > ey1 and dy > ey1)
                    ):
                        continue
                    if segments_cross(ax, ay, bx, by, cx, cy, dx, dy):
                        return True
    ra, rb = bodies.ring_at[ka], bodies.ring_at[kb]
    rings_a, rings_b = bodies.ring_at[ka + 1] - ra - 1, bodies.ring_at[kb + 1] - rb - 1
    # With no sides crossing, only a body whose bounds lie within the other's can lie inside it.
    if rings_a > 1 or (x0 == box[i, 0] and y0 == box[i, 1] and x1 == box[i, 2] and y1 == box[i, 3]):
        for r in range(rings_a):
            n = bodies.starts[ra + r]
            if inside(pts[i, n, 0], pts[i, n, 1], pts[j, :nb], bodies.starts[rb : rb + rings_b + 1]):
                return True
    if rings_b > 1 or (x0 == box[j, 0] and y0 == box[j, 1] and x1 == box[j, 2] and y1 == box[j, 3]):
        for r in range(rings_b):
            n = bodies.starts[rb + r]
            if inside(pts[j, n, 0], pts[j, n, 1], pts[i, :na], bodies.starts[ra : ra + rings_a + 1]):
                return True
    return False


@lean_inlined
def state_of(s, v, cos, sin):
    """The state of a variant at a turn, in ``sums``; -1 for a turn that has none."""
    sums = s.sums
    for k in range(sums.state_at[v], sums.state_at[v + 1]):
        if abs(sums.turns[k, 0] - cos) + abs(sums.turns[k, 1] - sin) < 1e-6:
            return k
    return -1


@lean_inlined
def summed_pain(s, a, ax, ay, b, bx, by):
    """Pain of two states at their places, from their sum; 0 where they do not overlap, exactly."""
    sums = s.sums
    t = sums.of[a, b]
    dx, dy, cos, sin = bx - ax, by - ay, sums.turns[a, 0], sums.turns[a, 1]
    if sums.swapped[a, b]:
        dx, dy, cos, sin = -dx, -dy, sums.turns[b, 0], sums.turns[b, 1]
    x, y = dx * cos + dy * sin, dy * cos - dx * sin
    step = sums.step[t]
    u, v = (x - sums.origin[t, 0]) / step, (y - sums.origin[t, 1]) / step
    cols = sums.shape[t, 1]
    if u < 0.0 or v < 0.0 or u >= cols - 1 or v >= sums.shape[t, 0] - 1:
        return 0.0
    c, r = int(u), int(v)
    cell = sums.cell_at[t] + r * (cols - 1) + c
    kind = sums.kind[cell]
    if kind == OUTSIDE:
        return 0.0
    if kind != INSIDE:
        # As many sides are crossed from the cell's first node: each takes in or out.
        px, py = sums.origin[t, 0] + c * step, sums.origin[t, 1] + r * step
        within = kind == BORDER_IN
        wx, wy = x - px, y - py
        for n in range(sums.side_at[cell], sums.side_at[cell + 1]):
            ex, ey, fx, fy = sums.sides[n, 0], sums.sides[n, 1], sums.sides[n, 2], sums.sides[n, 3]
            if (wx * (ey - py) - wy * (ex - px) > 0.0) != (wx * (fy - py) - wy * (fx - px) > 0.0):
                gx, gy = fx - ex, fy - ey
                if (gx * (py - ey) - gy * (px - ex) > 0.0) != (gx * (y - ey) - gy * (x - ex) > 0.0):
                    within = not within
        if not within:
            return 0.0
    u, v = u - c, v - r
    n = sums.node_at[t] + r * cols + c
    return (sums.pain[n] * (1 - u) + sums.pain[n + 1] * u) * (1 - v) + (
        sums.pain[n + cols] * (1 - u) + sums.pain[n + cols + 1] * u
    ) * v
