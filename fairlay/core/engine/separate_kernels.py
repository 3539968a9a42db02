"""Compiled parts of the separation: pieces may overlap, the overlap is weighed and driven out.

The measure of an overlap is made from the circles inside both bodies: smooth, and larger the
deeper two bodies lie in each other, so that a search can follow it down. Whether two bodies
overlap at all is the exact test. Weights rise on overlaps that stay (guided local search, Voudouris
and Tsang 1999; on packings, Egeblad, Nielsen and Odgaard 2007).

What is cheap comes first: bounds, then circles, then sides, and a pose is weighed no further once it is
worse than the best so far. Nothing is allocated; the row past the last item of ``floor`` and ``discs`` holds
the pose that is being weighed. Every function is inlined into ``seek`` and ``feel``: a scene handed from one
to the next costs more than the work itself.
"""

from __future__ import annotations

import math

import numpy as np

from fairlay.core.engine.kernels import BUCKET_MM, buckets_of
from fairlay.core.engine.pain_kernels import FADE, depth_pain, pair_pain, softness
from fairlay.core.engine.sums_kernels import BORDER_IN, INSIDE, OUTSIDE
from fairlay.core.shapes.compiled import lean_fast, lean_inlined
from fairlay.core.shapes.kernels import inside, segments_cross

NEVER = 1e30
FIELD_ERROR_MM = 6.0
"""The room that a field tells about a point may be off by so much: half a cell's diagonal twice."""
BLOCK = 6
"""Sides that are passed over together where the circle about them is far away."""


@lean_inlined
def draw(state):
    """A number in [0, 1) from a xorshift generator (Marsaglia 2003; state one uint64, not 0)."""
    s = state[0]
    s ^= s << np.uint64(13)
    s ^= s >> np.uint64(7)
    s ^= s << np.uint64(17)
    state[0] = s
    return float(s >> np.uint64(11)) / 9007199254740992.0


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


@lean_inlined
def pain_by_sums(s, i, v, state, x, y, cos, sin, limit):
    """As ``pain_at``, for an item whose state is known: bounds, then sums."""
    sums, g = s.sums, s.fair_of[v]
    total = 0.0
    if s.flat[g, 0] < s.flat[g, 2] and s.show_of[v] < 0:
        box = sums.ground_boxes
        low, high = max(s.flat[g, 0], s.spans[0, 0]), min(s.flat[g, 2], s.spans[0, 1])
        out = max(0.0, low - x - box[state, 0]) + max(0.0, x + box[state, 2] - high)
        out += max(0.0, s.flat[g, 1] - y - box[state, 1]) + max(0.0, y + box[state, 3] - s.flat[g, 3])
        if out > 0.0:
            total = s.ground_weight[i] * (out * math.sqrt(s.bodies.reach[v * 3 + 1]) + 1.0)
    else:
        total = s.ground_weight[i] * off_ground(s, v, x, y, cos, sin, limit)
    if total >= limit:
        return total
    x0, y0 = x + sums.boxes[state, 0], y + sums.boxes[state, 1]
    x1, y1 = x + sums.boxes[state, 2], y + sums.boxes[state, 3]
    bounds, meets, n, live = s.bounds, s.meets, s.floor.used[0], s.floor.live
    for j in range(n):
        meets[j] = (bounds[0, j] <= x1) & (bounds[2, j] >= x0) & (bounds[1, j] <= y1) & (bounds[3, j] >= y0)
    for j in range(n):
        if meets[j] and live[j] and j != i:
            pain = summed_pain(s, state, x, y, s.state[j], s.pose[j, 0], s.pose[j, 1])
            if pain > 0.0:
                total += s.weight[i, j] * pain
                if total >= limit:
                    return total
    return total


@lean_inlined
def pain_at(s, i, v, x, y, cos, sin, limit):
    """Weighted pain of item i were it there; not told further once it passes ``limit``."""
    s.weighed[0] += 1
    if s.home[i] >= 0 and hide_at(s, x) != s.home[i]:
        return NEVER
    if s.sums.on[0]:
        state = state_of(s, v, cos, sin)
        if state >= 0:
            return pain_by_sums(s, i, v, state, x, y, cos, sin, limit)
    total = s.ground_weight[i] * off_ground(s, v, x, y, cos, sin, limit)
    if total >= limit:
        return total
    floor = s.floor
    box = floor.box
    row = len(s.pose) - 1
    put_in_row(s, row, v, x, y, cos, sin)
    x0, y0, x1, y1 = box[row, 0], box[row, 1], box[row, 2], box[row, 3]
    open_ = 0
    bounds, meets, n = s.bounds, s.meets, floor.used[0]
    for j in range(n):
        meets[j] = (bounds[0, j] <= x1) & (bounds[2, j] >= x0) & (bounds[1, j] <= y1) & (bounds[3, j] >= y0)
    for j in range(n):
        if meets[j] and floor.live[j] and j != i:
            pain, met = discs_pain(s, row, j)
            if met:
                total += s.weight[i, j] * pain
                if total >= limit:
                    return total
            else:
                s.unsure[open_] = j
                s.if_met[open_] = s.weight[i, j] * pain
                open_ += 1
    for n in range(open_):
        if sides_meet(s, row, s.unsure[n]):
            total += s.if_met[n]
            if total >= limit:
                return total
    return total


@lean_fast
def set_down(s, i, v, x, y, turn):
    """Put item i, of a variant, there, overlapping or not."""
    cos, sin = math.cos(turn), math.sin(turn)
    put_in_row(s, i, v, x, y, cos, sin)
    s.pose[i, 4] = turn
    s.state[i] = state_of(s, v, cos, sin) if s.sums.on[0] else -1


@lean_fast
def lay_all(s):
    """Put every live item where its pose says, overlapping or not; forget pains, even all weights."""
    n = s.floor.used[0]
    for i in range(n):
        s.own_pain[i] = 0.0
        s.ground_weight[i] = 1.0
        for j in range(n):
            s.pain[i, j] = 0.0
            s.weight[i, j] = 1.0
        if s.floor.live[i]:
            v, cos, sin = s.floor.variant[i], s.pose[i, 2], s.pose[i, 3]
            put_in_row(s, i, v, s.pose[i, 0], s.pose[i, 1], cos, sin)
            s.state[i] = state_of(s, v, cos, sin) if s.sums.on[0] else -1


@lean_inlined
def line_of(s, x, y):
    """Index of the grain line that holds at a point."""
    r = int((y - s.grounds.origin[1]) / s.step + 0.5)
    c = int((x - s.grounds.origin[0]) / s.step + 0.5)
    return s.lines[min(max(r, 0), s.lines.shape[0] - 1), min(max(c, 0), s.lines.shape[1] - 1)]


@lean_inlined
def held_turn(s, v, line, turn):
    """The fair turn nearest to one wanted, in radians."""
    best, least = turn, NEVER
    for k in range(s.turn_at[v, line], s.turn_at[v, line + 1]):
        middle, half = s.turns[k, 0], s.turns[k, 1]
        if half >= math.pi:
            return turn
        off = (turn - middle + math.pi) % (2.0 * math.pi) - math.pi
        held = min(half, max(-half, off))
        if abs(off - held) < least:
            least, best = abs(off - held), middle + held
    return best


@lean_fast
def held(s, v, x, y, turn):
    """The fair turn nearest to one wanted at a point, in radians."""
    return held_turn(s, v, line_of(s, x, y), turn)


@lean_inlined
def some_turn(s, v, line, state):
    """A fair turn to try: the middle of the tolerance, along something that lies there, or any."""
    a, b = s.turn_at[v, line], s.turn_at[v, line + 1]
    k = a + min(b - a - 1, int(draw(state) * (b - a)))
    middle, half = s.turns[k, 0], s.turns[k, 1]
    if half <= 0.0:
        return middle
    u = draw(state)
    if half < math.pi and u < 0.4:
        return middle
    if u < 0.7 and s.floor.used[0] > 0:
        j = min(s.floor.used[0] - 1, int(draw(state) * s.floor.used[0]))
        return held_turn(s, v, line, s.pose[j, 4] + 0.5 * math.pi * int(draw(state) * 4.0))
    return middle + half * (2.0 * draw(state) - 1.0)


@lean_fast
def seek(s, i, v, anywhere, nearby, state):
    """The pose of least pain found for item i: random ones, anywhere and near where it lies, the best three
    followed down by steps in place and turn that shrink; (x, y, turn, pain).

    One loop of poses, so that what weighs a pose is compiled into it once: first the pose it has (t = -1),
    then the random ones, then each of the three followed, then the best of them to the end.
    """
    lies = s.floor.live[i]
    home = s.home[i]
    first = s.cell_at[v, max(0, home)]
    cells = s.cell_at[v, home + 1 if home >= 0 else len(s.spans)] - first
    tops = s.tops
    for k in range(3):
        tops[k, 3] = NEVER
    if cells == 0 and not lies:
        return 0.0, 0.0, 0.0, NEVER
    cols = s.lines.shape[1]
    reach = s.bodies.reach[v * 3]
    tries = (anywhere + (nearby if lies else 0)) if cells else 0
    t = -1 if lies else 0
    # Which is followed (3: the last, finest), from where, and by how much.
    top, x, y, turn, best, step, least, swing = -1, 0.0, 0.0, 0.0, NEVER, 0.0, 1.0, 0.0
    nx, ny, nt = 0.0, 0.0, 0.0
    while True:
        if t < 0:
            nx, ny, nt = s.pose[i, 0], s.pose[i, 1], s.pose[i, 4]
        elif t < tries:
            if t < anywhere:
                cell = 0
                for _ in range(4):
                    cell = s.cells[first + min(cells - 1, int(draw(state) * cells))]
                    nx = s.grounds.origin[0] + ((cell % cols) + draw(state) - 0.5) * s.step
                    h = hide_at(s, nx)
                    if s.spans[h, 0] <= nx <= s.spans[h, 1]:
                        break
                ny = s.grounds.origin[1] + ((cell // cols) + draw(state) - 0.5) * s.step
                nt = some_turn(s, v, line_of(s, nx, ny), state)
            else:
                spread = reach * (0.08 if t % 2 else 0.35)
                nx = s.pose[i, 0] + spread * (draw(state) + draw(state) - 1.0)
                ny = s.pose[i, 1] + spread * (draw(state) + draw(state) - 1.0)
                line = line_of(s, nx, ny)
                nt = (
                    held_turn(s, v, line, s.pose[i, 4]) if draw(state) < 0.6 else some_turn(s, v, line, state)
                )
        else:
            while step <= least or best <= 0.0:
                # This one is followed to its end: the next, from the best three, then the best once more.
                if 0 <= top < 3:
                    tops[top, 0], tops[top, 1], tops[top, 2], tops[top, 3] = x, y, turn, best
                if top == 3 or (top >= 0 and best <= 0.0):
                    return x, y, turn, best
                top += 1
                k = top
                if top == 3:
                    k = 0
                    for m in range(1, 3):
                        if tops[m, 3] < tops[k, 3]:
                            k = m
                x, y, turn, best = tops[k, 0], tops[k, 1], tops[k, 2], tops[k, 3]
                if best >= NEVER:
                    if top == 3:
                        return x, y, turn, best
                    step, least = 0.0, 1.0
                    continue
                step, least = (0.8, 0.02) if top == 3 else (min(12.0, 0.06 * reach + 1.0), 0.6)
                swing = step / max(20.0, reach)
            line = line_of(s, x, y)
            turnable = False
            for k in range(s.turn_at[v, line], s.turn_at[v, line + 1]):
                turnable = turnable or s.turns[k, 1] > 0.0
            if turnable and draw(state) < 0.3:
                nx, ny, nt = x, y, turn + (swing if draw(state) < 0.5 else -swing)
            else:
                way = (
                    draw(state) * 2.0 * math.pi
                    if draw(state) < 0.5
                    else int(draw(state) * 4.0) * 0.5 * math.pi
                )
                nx, ny, nt = x + step * math.cos(way), y + step * math.sin(way), turn
            nt = held_turn(s, v, line_of(s, nx, ny), nt)
        limit = tops[2, 3] if t < tries else best
        pain = pain_at(s, i, v, nx, ny, math.cos(nt), math.sin(nt), limit)
        if t < tries:
            t += 1
            if pain < tops[2, 3]:
                k = 2
                while k > 0 and pain < tops[k - 1, 3]:
                    for m in range(4):
                        tops[k, m] = tops[k - 1, m]
                    k -= 1
                tops[k, 0], tops[k, 1], tops[k, 2], tops[k, 3] = nx, ny, nt, pain
                if pain == 0.0:
                    return nx, ny, nt, 0.0
        elif pain < best:
            x, y, turn, best = nx, ny, nt, pain
            step *= 1.2
            swing *= 1.2
        else:
            step *= 0.88
            swing *= 0.88


@lean_fast
def feel(s, i):
    """Write the pain of item i against each other and the ground, unweighted."""
    floor = s.floor
    box = floor.box
    s.own_pain[i] = off_ground(
        s, floor.variant[i], s.pose[i, 0], s.pose[i, 1], s.pose[i, 2], s.pose[i, 3], NEVER
    )
    for j in range(floor.used[0]):
        pain = 0.0
        if (
            box[j, 0] <= box[i, 2]
            and box[j, 2] >= box[i, 0]
            and box[j, 1] <= box[i, 3]
            and box[j, 3] >= box[i, 1]
            and floor.live[j]
            and j != i
        ):
            pain, met = discs_pain(s, i, j)
            if not met and not sides_meet(s, i, j):
                pain = 0.0
        s.pain[i, j] = pain
        s.pain[j, i] = pain


@lean_fast
def feel_all(s):
    """Write every pain; return the sum."""
    for i in range(s.floor.used[0]):
        if s.floor.live[i]:
            feel(s, i)
    return total_pain(s)


@lean_fast
def total_pain(s):
    """Sum of all pains, each pair once."""
    total = 0.0
    n = s.floor.used[0]
    for i in range(n):
        if s.floor.live[i]:
            total += s.own_pain[i]
            for j in range(i):
                if s.floor.live[j]:
                    total += s.pain[i, j]
    return total


@lean_fast
def separate(s, rounds, patience, anywhere, nearby, state):
    """Drive overlaps out for some rounds; return the pain left (0: all is fair) and whether to give up.

    Each round moves every item in pain, in random order, to the pose of least weighted pain it
    finds; then weights rise where pain stays, by how much of the worst it is, and fall elsewhere.
    ``s.least[0]`` is the least pain so far, ``s.least[1]`` rounds since it fell by 2 %.
    """
    n = s.floor.used[0]
    order = s.order
    for _ in range(rounds):
        count = 0
        for i in range(n):
            if s.floor.live[i] and not s.pinned[i]:
                hurt = s.own_pain[i]
                for j in range(n):
                    if s.floor.live[j]:
                        hurt += s.pain[i, j]
                if hurt > 0.0:
                    order[count] = i
                    count += 1
        for a in range(count - 1, 0, -1):
            b = int(draw(state) * (a + 1))
            order[a], order[b] = order[b], order[a]
        for a in range(count):
            i = order[a]
            hurt = s.own_pain[i]
            for j in range(n):
                if s.floor.live[j]:
                    hurt += s.pain[i, j]
            if hurt == 0.0:
                continue
            v = s.floor.variant[i]
            x, y, turn, _pain = seek(s, i, v, anywhere, nearby, state)
            set_down(s, i, v, x, y, turn)
            feel(s, i)
        total = total_pain(s)
        if total == 0.0:
            return 0.0, False
        if total < 0.98 * s.least[0]:
            s.least[0], s.least[1] = total, 0.0
        else:
            s.least[1] += 1.0
            if s.least[1] > patience:
                return total, True
        worst = 0.0
        for i in range(n):
            if s.floor.live[i]:
                worst = max(worst, s.own_pain[i])
                for j in range(i):
                    if s.floor.live[j]:
                        worst = max(worst, s.pain[i, j])
        for i in range(n):
            if not s.floor.live[i]:
                continue
            s.ground_weight[i] = (
                s.ground_weight[i] * (1.2 + 0.8 * s.own_pain[i] / worst)
                if s.own_pain[i] > 0.0
                else max(1.0, 0.95 * s.ground_weight[i])
            )
            for j in range(i):
                if s.floor.live[j]:
                    w = s.weight[i, j]
                    w = w * (1.2 + 0.8 * s.pain[i, j] / worst) if s.pain[i, j] > 0.0 else max(1.0, 0.95 * w)
                    s.weight[i, j] = w
                    s.weight[j, i] = w
    return total_pain(s), False
