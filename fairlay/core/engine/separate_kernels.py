"""Compiled parts of the separation: pieces may overlap, the overlap is weighed and driven out.

Weights rise on overlaps that stay (guided local search, Voudouris and Tsang 1999; on packings, Egeblad,
Nielsen and Odgaard 2007).

What is cheap comes first: bounds, then circles, then sides, and a pose is weighed no further once it is
worse than the best so far. Nothing is allocated; the row past the last item of ``floor`` and ``discs`` holds
the pose that is being weighed. Every function is inlined into ``seek`` and ``feel``: a scene handed from one
to the next costs more than the work itself.
"""

from __future__ import annotations

import math

import numpy as np

from fairlay.core.engine.off_ground_kernels import NEVER, hide_at, off_ground
from fairlay.core.engine.overlap_kernels import discs_pain, put_in_row, sides_meet, state_of, summed_pain
from fairlay.core.shapes.compiled import lean_fast, lean_inlined


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
    cells = 0
    for h in range(len(s.spans)):
        if home < 0 or h == home:
            cells += s.cell_at[v, h, 1]
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
                    pick, h = min(cells - 1, int(draw(state) * cells)), max(0, home)
                    while pick >= s.cell_at[v, h, 1]:
                        pick -= s.cell_at[v, h, 1]
                        h += 1
                    cell = s.cells[s.cell_at[v, h, 0] + pick]
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
