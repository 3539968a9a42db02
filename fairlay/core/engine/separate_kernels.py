"""Compiled parts of the separation: pieces may overlap, the overlap is weighed and driven out.

The measure of an overlap is made from the circles inside both bodies: smooth, and larger the
deeper two bodies lie in each other, so that a search can follow it down. Whether two bodies
overlap at all is the exact test. Weights rise on overlaps that stay (guided local search).
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit

from fairlay.core.engine.ground import Ground
from fairlay.core.engine.kernels import body_at, keeps_to
from fairlay.core.shapes.kernels import bodies_overlap

NEVER = 1e30


@njit(cache=True, nogil=True)
def draw(state):
    """A number in [0, 1) from a xorshift generator (Marsaglia 2003; state one uint64, not 0)."""
    s = state[0]
    s ^= s << np.uint64(13)
    s ^= s >> np.uint64(7)
    s ^= s << np.uint64(17)
    state[0] = s
    return float(s >> np.uint64(11)) / 9007199254740992.0


@njit(cache=True, nogil=True)
def ground_at(bank, g):
    """Ground g of a bank of grounds, as views."""
    a, b = bank.pt_at[g], bank.pt_at[g + 1]
    r, s = bank.ring_at[g], bank.ring_at[g + 1]
    e, f = bank.edge_at[g], bank.edge_at[g + 1]
    return Ground(
        bank.pts[a:b],
        bank.starts[r:s],
        bank.before[a:b],
        bank.origin,
        bank.shape,
        bank.bucket_at[g],
        bank.edges[e:f],
        bank.field[g],
        bank.origin,
    )


@njit(cache=True, nogil=True)
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


@njit(cache=True, nogil=True)
def depth_pain(deep, radius, soft):
    """Pain of one circle lying ``deep`` mm too far in: as deep as it is, fading smoothly where it is not."""
    if deep >= soft:
        return deep * radius
    return soft * soft / (2.0 * soft - deep) * radius


@njit(cache=True, nogil=True)
def ground_pain(bodies, k, x, y, cos, sin, field, origin, step):
    """How far a body's circles reach off fair ground."""
    total = 0.0
    a, b = bodies.circle_at[k], bodies.circle_at[k + 1]
    soft = 0.02 * bodies.reach[k] + 0.1
    for i in range(a, b):
        cx, cy, r = bodies.circles[i, 0], bodies.circles[i, 1], bodies.circles[i, 2]
        deep = r - room_at(field, origin, step, cx * cos - cy * sin + x, cx * sin + cy * cos + y)
        total += depth_pain(deep, r, soft)
    return math.sqrt(total) * math.sqrt(bodies.reach[k]) + 1.0


@njit(cache=True, nogil=True)
def pair_pain(bodies, ka, ax, ay, ac, as_, kb, bx, by, bc, bs):
    """How deep two bodies lie in each other, by their circles."""
    total = 0.0
    soft = 0.01 * (bodies.reach[ka] + bodies.reach[kb]) + 0.05
    # b's circles in a's coordinates, once each
    for j in range(bodies.circle_at[kb], bodies.circle_at[kb + 1]):
        px, py, rb = bodies.circles[j, 0], bodies.circles[j, 1], bodies.circles[j, 2]
        wx, wy = px * bc - py * bs + bx - ax, px * bs + py * bc + by - ay
        lx, ly = wx * ac + wy * as_, -wx * as_ + wy * ac
        for i in range(bodies.circle_at[ka], bodies.circle_at[ka + 1]):
            ra = bodies.circles[i, 2]
            dx, dy = bodies.circles[i, 0] - lx, bodies.circles[i, 1] - ly
            deep = ra + rb - math.sqrt(dx * dx + dy * dy)
            total += depth_pain(deep, min(ra, rb), soft)
    return math.sqrt(total) * math.sqrt(math.sqrt(bodies.reach[ka] * bodies.reach[kb])) * 0.5 + 0.5


@njit(cache=True, nogil=True)
def off_ground(s, v, x, y, cos, sin, weight, limit):
    """Weighted pain of a variant against the ground: off fair ground, show face on a flaw, past the end of a
    roll.
    """
    bodies = s.bodies
    total = 0.0
    k = v * 3 + 1
    n, box = body_at(bodies, k, x, y, cos, sin, s.scratch)
    g = s.fair_of[v]
    if box[2] > s.end[0]:
        total += weight * ((box[2] - s.end[0]) * math.sqrt(bodies.reach[k]) + 1.0)
        if total >= limit:
            return total
    if not keeps_to(
        s.scratch[:n],
        bodies.starts[bodies.ring_at[k] : bodies.ring_at[k + 1]],
        box,
        ground_at(s.grounds, g),
        True,
    ):
        total += weight * ground_pain(bodies, k, x, y, cos, sin, s.grounds.field[g], s.grounds.origin, s.step)
    h = s.show_of[v]
    if h >= 0 and total < limit:
        k = v * 3 + 2
        n, box = body_at(bodies, k, x, y, cos, sin, s.scratch)
        if n and not keeps_to(
            s.scratch[:n],
            bodies.starts[bodies.ring_at[k] : bodies.ring_at[k + 1]],
            box,
            ground_at(s.grounds, h),
            False,
        ):
            total += weight * ground_pain(
                bodies, k, x, y, cos, sin, s.grounds.field[h], s.grounds.origin, s.step
            )
    return total


@njit(cache=True, nogil=True)
def pain_at(s, i, v, x, y, cos, sin, limit):
    """Weighted pain of item i were it there; not told further once it passes ``limit``."""
    total = off_ground(s, v, x, y, cos, sin, s.ground_weight[i], limit)
    if total >= limit:
        return total
    bodies, floor = s.bodies, s.floor
    k = v * 3
    n, box = body_at(bodies, k, x, y, cos, sin, s.scratch)
    ps = bodies.starts[bodies.ring_at[k] : bodies.ring_at[k + 1]]
    for j in range(floor.used[0]):
        if j == i or not floor.live[j]:
            continue
        b = floor.box[j]
        if b[0] > box[2] or b[2] < box[0] or b[1] > box[3] or b[3] < box[1]:
            continue
        q = floor.variant[j] * 3
        m = bodies.pt_at[q + 1] - bodies.pt_at[q]
        if bodies_overlap(
            s.scratch[:n],
            ps,
            box,
            floor.pts[j, :m],
            bodies.starts[bodies.ring_at[q] : bodies.ring_at[q + 1]],
            (b[0], b[1], b[2], b[3]),
        ):
            total += s.weight[i, j] * pair_pain(
                bodies, k, x, y, cos, sin, q, s.pose[j, 0], s.pose[j, 1], s.pose[j, 2], s.pose[j, 3]
            )
            if total >= limit:
                return total
    return total


@njit(cache=True, nogil=True)
def set_down(s, i, x, y, turn):
    """Put item i there, overlapping or not."""
    cos, sin = math.cos(turn), math.sin(turn)
    v = s.floor.variant[i]
    _, box = body_at(s.bodies, v * 3, x, y, cos, sin, s.floor.pts[i])
    for a in range(4):
        s.floor.box[i, a] = box[a]
    s.pose[i, 0], s.pose[i, 1], s.pose[i, 2], s.pose[i, 3], s.pose[i, 4] = x, y, cos, sin, turn


@njit(cache=True, nogil=True)
def line_of(s, x, y):
    """Index of the grain line that holds at a point."""
    r = int((y - s.grounds.origin[1]) / s.step + 0.5)
    c = int((x - s.grounds.origin[0]) / s.step + 0.5)
    return s.lines[min(max(r, 0), s.lines.shape[0] - 1), min(max(c, 0), s.lines.shape[1] - 1)]


@njit(cache=True, nogil=True)
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


@njit(cache=True, nogil=True)
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


@njit(cache=True, nogil=True)
def settle(s, i, v, x, y, turn, best, step, least, state):
    """Follow the pain of item i down from a pose by steps in place and turn that shrink; return (x, y, turn,
    pain).
    """
    turnable = False
    line = line_of(s, x, y)
    for k in range(s.turn_at[v, line], s.turn_at[v, line + 1]):
        turnable = turnable or s.turns[k, 1] > 0.0
    swing = step / max(20.0, s.bodies.reach[v * 3])
    while step > least and best > 0.0:
        if turnable and draw(state) < 0.3:
            side = 1.0 if draw(state) < 0.5 else -1.0
            nx, ny, nt = x, y, turn + side * swing
        else:
            way = draw(state) * 2.0 * math.pi if draw(state) < 0.5 else int(draw(state) * 4.0) * 0.5 * math.pi
            nx, ny, nt = x + step * math.cos(way), y + step * math.sin(way), turn
        nt = held_turn(s, v, line_of(s, nx, ny), nt)
        pain = pain_at(s, i, v, nx, ny, math.cos(nt), math.sin(nt), best)
        if pain < best:
            x, y, turn, best = nx, ny, nt, pain
            step *= 1.2
            swing *= 1.2
        else:
            step *= 0.88
            swing *= 0.88
    return x, y, turn, best


@njit(cache=True, nogil=True)
def seek(s, i, v, anywhere, nearby, state):
    """The pose of least pain found for item i among random ones anywhere and near where it lies; (x, y, turn,
    pain).
    """
    reach = s.bodies.reach[v * 3]
    tops = np.full((3, 4), NEVER)
    if s.floor.live[i]:
        x, y, turn = s.pose[i, 0], s.pose[i, 1], s.pose[i, 4]
        tops[0, 0], tops[0, 1], tops[0, 2] = x, y, turn
        tops[0, 3] = pain_at(s, i, v, x, y, s.pose[i, 2], s.pose[i, 3], NEVER)
    cells = s.cell_at[v + 1] - s.cell_at[v]
    if cells == 0:
        return tops[0, 0], tops[0, 1], tops[0, 2], tops[0, 3]
    cols = s.lines.shape[1]
    for t in range(anywhere + (nearby if s.floor.live[i] else 0)):
        if t < anywhere:
            cell = s.cells[s.cell_at[v] + min(cells - 1, int(draw(state) * cells))]
            x = s.grounds.origin[0] + ((cell % cols) + draw(state) - 0.5) * s.step
            y = s.grounds.origin[1] + ((cell // cols) + draw(state) - 0.5) * s.step
            turn = some_turn(s, v, line_of(s, x, y), state)
        else:
            spread = reach * (0.08 if t % 2 else 0.35)
            x = s.pose[i, 0] + spread * (draw(state) + draw(state) - 1.0)
            y = s.pose[i, 1] + spread * (draw(state) + draw(state) - 1.0)
            turn = (
                held_turn(s, v, line_of(s, x, y), s.pose[i, 4])
                if draw(state) < 0.6
                else some_turn(s, v, line_of(s, x, y), state)
            )
        pain = pain_at(s, i, v, x, y, math.cos(turn), math.sin(turn), tops[2, 3])
        if pain < tops[2, 3]:
            k = 2
            while k > 0 and pain < tops[k - 1, 3]:
                tops[k] = tops[k - 1]
                k -= 1
            tops[k, 0], tops[k, 1], tops[k, 2], tops[k, 3] = x, y, turn, pain
            if pain == 0.0:
                break
    best = 0
    for k in range(3):
        if tops[k, 3] < NEVER:
            x, y, turn, pain = settle(
                s,
                i,
                v,
                tops[k, 0],
                tops[k, 1],
                tops[k, 2],
                tops[k, 3],
                min(12.0, 0.06 * reach + 1.0),
                0.6,
                state,
            )
            tops[k, 0], tops[k, 1], tops[k, 2], tops[k, 3] = x, y, turn, pain
            if pain < tops[best, 3] or k == 0:
                best = k
            if pain == 0.0:
                best = k
                break
    if tops[best, 3] <= 0.0 or tops[best, 3] >= NEVER:
        return tops[best, 0], tops[best, 1], tops[best, 2], tops[best, 3]
    return settle(s, i, v, tops[best, 0], tops[best, 1], tops[best, 2], tops[best, 3], 0.8, 0.02, state)


@njit(cache=True, nogil=True)
def feel(s, i):
    """Write the pain of item i against each other and the ground, unweighted."""
    v = s.floor.variant[i]
    bodies, floor = s.bodies, s.floor
    s.own_pain[i] = off_ground(s, v, s.pose[i, 0], s.pose[i, 1], s.pose[i, 2], s.pose[i, 3], 1.0, NEVER)
    k = v * 3
    a = floor.box[i]
    n = bodies.pt_at[k + 1] - bodies.pt_at[k]
    ps = bodies.starts[bodies.ring_at[k] : bodies.ring_at[k + 1]]
    for j in range(floor.used[0]):
        pain = 0.0
        if j != i and floor.live[j]:
            b = floor.box[j]
            if not (b[0] > a[2] or b[2] < a[0] or b[1] > a[3] or b[3] < a[1]):
                q = floor.variant[j] * 3
                m = bodies.pt_at[q + 1] - bodies.pt_at[q]
                if bodies_overlap(
                    floor.pts[i, :n],
                    ps,
                    (a[0], a[1], a[2], a[3]),
                    floor.pts[j, :m],
                    bodies.starts[bodies.ring_at[q] : bodies.ring_at[q + 1]],
                    (b[0], b[1], b[2], b[3]),
                ):
                    pain = pair_pain(
                        bodies,
                        k,
                        s.pose[i, 0],
                        s.pose[i, 1],
                        s.pose[i, 2],
                        s.pose[i, 3],
                        q,
                        s.pose[j, 0],
                        s.pose[j, 1],
                        s.pose[j, 2],
                        s.pose[j, 3],
                    )
        s.pain[i, j] = pain
        s.pain[j, i] = pain


@njit(cache=True, nogil=True)
def feel_all(s):
    """Write every pain; return the sum."""
    for i in range(s.floor.used[0]):
        if s.floor.live[i]:
            feel(s, i)
    return total_pain(s)


@njit(cache=True, nogil=True)
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


@njit(cache=True, nogil=True)
def separate(s, rounds, patience, anywhere, nearby, state):
    """Drive overlaps out for some rounds; return the pain left (0: all is fair) and whether to give up.

    Each round moves every item in pain, in random order, to the pose of least weighted pain it
    finds; then weights rise where pain stays, by how much of the worst it is, and fall elsewhere.
    ``s.least[0]`` is the least pain so far, ``s.least[1]`` rounds since it fell by 2 %.
    """
    n = s.floor.used[0]
    order = np.empty(n, np.int64)
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
            set_down(s, i, x, y, turn)
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
