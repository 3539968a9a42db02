"""Compiled parts of ``roll_of_strips``: rectangles put on a roll one by one, each as far back as it goes."""

from __future__ import annotations

import numpy as np

from fairlay.core.shapes.compiled import compiled

EPS = 1e-6
NEVER = 1e18


@compiled
def pack(order, turned, long, wide, width, at, flat):
    """Put rectangles on a strip ``width`` mm wide in an order; return how far they reach, and that with
    ``flat`` times the mean of how far each place across is taken.

    ``long`` and ``wide`` (n, 2) are what rectangle i takes along and across the strip as it is and turned,
    as ``turned[i]`` says. Each goes where it begins least far along; of such places, where least is lost
    behind it. ``at`` (n, 2) takes its corner: along, across.
    """
    n = len(order)
    low, level = np.empty(n + 2), np.empty(n + 2)
    low[0], level[0], low[1] = 0.0, 0.0, width
    many, reach = 1, 0.0
    for t in range(n):
        i = order[t]
        w, far = wide[i, turned[i]], long[i, turned[i]]
        best, lost, across = NEVER, NEVER, -1.0
        for s in range(many):
            # Against the lower side of a step, and against the upper side of where one ends.
            for y in (low[s], low[s + 1] - w):
                if y < -EPS or y + w > width + EPS or (y < low[s] - EPS and s == 0):
                    continue
                k = s
                while k > 0 and low[k] > y + EPS:
                    k -= 1
                x, q = 0.0, k
                while q < many and low[q] < y + w - EPS:
                    x = max(x, level[q])
                    q += 1
                if x > best + EPS:
                    continue
                waste = 0.0
                for r in range(k, q):
                    span = min(low[r + 1], y + w) - max(low[r], y)
                    waste += span * (x - level[r])
                if x < best - EPS or waste < lost - EPS:
                    best, lost, across = x, waste, y
        if across < 0.0 and best >= NEVER:
            return NEVER, NEVER
        at[i, 0], at[i, 1] = best, across
        reach = max(reach, best + far)
        many = _raise(low, level, many, across, across + w, best + far)
    taken = 0.0
    for s in range(many):
        taken += level[s] * (low[s + 1] - low[s])
    return reach, reach + flat * taken / width


@compiled
def _raise(low, level, many, y0, y1, x):
    """Raise the skyline between two heights to a level; return how many steps it has then."""
    new_low, new_level = np.empty(many + 3), np.empty(many + 3)
    m, put = 0, False
    for s in range(many):
        a, b = low[s], low[s + 1]
        if a < y0 - EPS:
            new_low[m], new_level[m] = a, level[s]
            m += 1
        if not put and b > y0 + EPS:
            new_low[m], new_level[m] = max(y0, 0.0), x
            m += 1
            put = True
        if b > y1 + EPS and y1 < b:
            if a < y1:
                new_low[m], new_level[m] = y1, level[s]
            else:
                new_low[m], new_level[m] = a, level[s]
            m += 1
    end = low[many]
    kept = 0
    for s in range(m):
        if kept > 0 and abs(level[kept - 1] - new_level[s]) < EPS:
            continue
        low[kept], level[kept] = new_low[s], new_level[s]
        kept += 1
    low[kept] = end
    return kept


@compiled
def search(
    order, turned, may_turn, long, wide, width, now, best, flat, warm, rounds, seed, at, best_at, best_turned
):
    """Change the order a little, again and again; keep what reaches less far, or hardly farther while warm.

    ``order`` and ``turned`` are left as they lie now, which ``now`` is worth; ``best_at`` and ``best_turned``
    take what reaches less far than ``best``. Return what lies now is worth, and how far the best reaches.
    """
    np.random.seed(seed)
    n = len(order)
    tried, ways = order.copy(), turned.copy()
    for _ in range(rounds):
        tried[:] = order
        ways[:] = turned
        a, b = np.random.randint(n), np.random.randint(n)
        drawn = np.random.random()
        if drawn < 0.15 and may_turn[a]:
            ways[a] = 1 - ways[a]
        elif drawn < 0.55:
            tried[a], tried[b] = tried[b], tried[a]
        else:
            moved = tried[a]
            if a < b:
                tried[a:b] = order[a + 1 : b + 1]
            else:
                tried[b + 1 : a + 1] = order[b:a]
            tried[b] = moved
        reach, score = pack(tried, ways, long, wide, width, at, flat)
        if score < now + warm * np.random.random() - EPS:
            order[:] = tried
            turned[:] = ways
            now = score
            if reach < best - EPS:
                best = reach
                best_at[:] = at
                best_turned[:] = ways
    return now, best
