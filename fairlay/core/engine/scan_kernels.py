"""Compiled parts of looking for places: pieces pressed into a distance field, and the scan over its cells.

Shapes of arrays are in ``bank.Bodies`` and ``ground.Ground``. Lengths in mm.
"""

from __future__ import annotations

import math

import numpy as np

from fairlay.core.shapes.compiled import compiled, lean

NEAR_MM = 36.0
"""Room beyond this about a circle makes a place no worse."""
ROOMY_MM = 14.0
"""Where the largest circle has more room than this about it, only one cell in four is looked at."""
POOL = 8
"""Cells of a field along each side of a block of its pool."""


@compiled
def press_into(field, origin, step, pts, starts, box, reach):
    """Lower a distance field to the signed distance from a placed body, negative inside it, told within
    ``reach`` mm of its sides.

    Side by side, each only over the cells it can reach; inside by scan lines.
    """
    rows, cols = field.shape
    c0 = max(0, int((box[0] - reach - origin[0]) / step))
    c1 = min(cols - 1, int((box[2] + reach - origin[0]) / step) + 1)
    r0 = max(0, int((box[1] - reach - origin[1]) / step))
    r1 = min(rows - 1, int((box[3] + reach - origin[1]) / step) + 1)
    if r1 < r0 or c1 < c0:
        return
    far = reach * reach
    away2 = np.full((r1 - r0 + 1, c1 - c0 + 1), far)
    odd = np.zeros((r1 - r0 + 1, c1 - c0 + 1), np.bool_)
    for k in range(len(starts) - 1):
        j = starts[k + 1] - 1
        for i in range(starts[k], starts[k + 1]):
            ax, ay, bx, by = pts[j, 0], pts[j, 1], pts[i, 0], pts[i, 1]
            j = i
            ux, uy = bx - ax, by - ay
            length2 = ux * ux + uy * uy
            lo, hi = min(ay, by), max(ay, by)
            for r in range(
                max(r0, int((lo - reach - origin[1]) / step)),
                min(r1, int((hi + reach - origin[1]) / step) + 1) + 1,
            ):
                y = origin[1] + r * step
                # The stretch of the side that lies within reach of this row.
                xa, xb = ax, bx
                if uy != 0.0:
                    s = min(1.0, max(0.0, (y - reach - ay) / uy))
                    t = min(1.0, max(0.0, (y + reach - ay) / uy))
                    xa, xb = ax + s * ux, ax + t * ux
                    if (ay > y) != (by > y):
                        at = ax + (y - ay) / uy * ux
                        for c in range(c0, min(c1, int(math.ceil((at - origin[0]) / step)) - 1) + 1):
                            odd[r - r0, c - c0] = not odd[r - r0, c - c0]
                for c in range(
                    max(c0, int((min(xa, xb) - reach - origin[0]) / step)),
                    min(c1, int((max(xa, xb) + reach - origin[0]) / step) + 1) + 1,
                ):
                    x = origin[0] + c * step
                    t = 0.0
                    if length2 > 0.0:
                        t = min(1.0, max(0.0, ((x - ax) * ux + (y - ay) * uy) / length2))
                    ex, ey = ax + t * ux - x, ay + t * uy - y
                    d2 = ex * ex + ey * ey
                    away2[r - r0, c - c0] = min(away2[r - r0, c - c0], d2)
    for r in range(r0, r1 + 1):
        for c in range(c0, c1 + 1):
            d2 = away2[r - r0, c - c0]
            if odd[r - r0, c - c0]:
                field[r, c] = min(field[r, c], -math.sqrt(d2))
            elif d2 < far:
                field[r, c] = min(field[r, c], math.sqrt(d2))


@compiled
def press_floor(field, origin, step, bodies, floor, window, reach):
    """Press every live piece that lies within twice ``reach`` of a window (x0, y0, x1, y1) into a field."""
    for i in range(floor.used[0]):
        b = floor.box[i]
        if (
            not floor.live[i]
            or b[0] >= window[2] + 2 * reach
            or b[2] <= window[0] - 2 * reach
            or b[1] >= window[3] + 2 * reach
            or b[3] <= window[1] - 2 * reach
        ):
            continue
        k = floor.variant[i] * 3
        n = bodies.pt_at[k + 1] - bodies.pt_at[k]
        press_into(
            field,
            origin,
            step,
            floor.pts[i, :n],
            bodies.starts[bodies.ring_at[k] : bodies.ring_at[k + 1]],
            b,
            reach,
        )


@lean
def sink(cost, cell, n):
    """Let the top of a heap of n (worst on top) sink to its place."""
    i = 0
    while True:
        k = 2 * i + 1
        if k >= n:
            return
        if k + 1 < n and cost[k + 1] > cost[k]:
            k += 1
        if cost[k] <= cost[i]:
            return
        cost[i], cost[k] = cost[k], cost[i]
        cell[i], cell[k] = cell[k], cell[i]
        i = k


@lean
def rise(cost, cell, i):
    """Let entry i of a heap (worst on top) rise to its place."""
    while i > 0:
        p = (i - 1) // 2
        if cost[p] >= cost[i]:
            return
        cost[i], cost[p] = cost[p], cost[i]
        cell[i], cell[p] = cell[p], cell[i]
        i = p


@lean
def pool_into(pool, field, r0, r1, c0, c1):
    """Write the largest value of each block of POOL by POOL cells that meets rows r0 to r1 and columns c0 to
    c1 of a field.
    """
    rows, cols = field.shape
    for i in range(max(0, r0) // POOL, (min(rows, r1) + POOL - 1) // POOL):
        for j in range(max(0, c0) // POOL, (min(cols, c1) + POOL - 1) // POOL):
            most = field[i * POOL, j * POOL]
            for r in range(i * POOL, min(rows, (i + 1) * POOL)):
                for c in range(j * POOL, min(cols, (j + 1) * POOL)):
                    most = max(most, field[r, c])
            pool[i, j] = most


@lean
def may_fit(fair_pool, taken_pool, row, col, offs, circles, slack):
    """Whether every circle but the first may fit for some cell of a block, the first circle's centre being
    within POOL cells of (row, col): told by the largest room in the blocks that the circle's centre may fall
    in.
    """
    rows, cols = fair_pool.shape
    for i in range(1, len(circles)):
        r, c = row + offs[i, 0] - offs[0, 0], col + offs[i, 1] - offs[0, 1]
        most = -1e30
        for block_r in range(max(0, r // POOL), min(rows - 1, (r + POOL - 1) // POOL) + 1):
            for block_c in range(max(0, c // POOL), min(cols - 1, (c + POOL - 1) // POOL) + 1):
                most = max(most, min(fair_pool[block_r, block_c], taken_pool[block_r, block_c]))
        if most < circles[i, 2] - slack:
            return False
    return True


@compiled
def scan(
    fair,
    taken,
    show,
    has_show,
    fair_pool,
    taken_pool,
    step,
    circles,
    show_circles,
    slack,
    lines,
    line,
    box,
    along,
    tight,
    tightness,
    bears,
    noise,
    seed,
    cost,
    cell,
):
    """Keep the best cells for a turned body: cost the mean room left about its circles, and what is wished
    for.

    ``fair``, ``taken``, ``show`` are distance fields of the same shape (ground, pieces laid, flaws to keep
    off), ``fair_pool`` and ``taken_pool`` the largest of each block of them: a block where one of the circles
    fits nowhere is passed over whole. ``lines`` (cells) must equal ``line`` where line >= 0. ``box``: cells
    to look at (r0, c0, r1, c1). A cell is passed over only where a circle surely does not fit; one that seems
    too large, within ``slack``, counts against it. ``along`` is cost per column; ``tight`` for each class of
    ``tightness`` better than ``bears``; ``noise`` at random from ``seed``. Writes the best into ``cost`` and
    ``cell`` (as many as those are long, in no order) and returns how many.
    """
    rows, cols = fair.shape
    n, m, most = len(circles), len(show_circles), len(cost)
    offs = np.empty((n + m, 2), np.int64)
    lo_r = lo_c = hi_r = hi_c = 0
    for i in range(n + m):
        at = circles[i] if i < n else show_circles[i - n]
        r, c = int(round(at[1] / step)), int(round(at[0] / step))
        offs[i, 0], offs[i, 1] = r, c
        lo_r, hi_r, lo_c, hi_c = min(lo_r, r), max(hi_r, r), min(lo_c, c), max(hi_c, c)
    kept = 0
    state = np.uint64(seed)
    # Rows and columns of the largest circle's centre.
    r_from, r_to = max(box[0], -lo_r) + offs[0, 0], min(box[2], rows - hi_r) + offs[0, 0]
    c_from, c_to = max(box[1], -lo_c) + offs[0, 1], min(box[3], cols - hi_c) + offs[0, 1]
    least = circles[0, 2] - slack
    for block_r in range(r_from // POOL, (r_to + POOL - 1) // POOL):
        for block_c in range(c_from // POOL, (c_to + POOL - 1) // POOL):
            if fair_pool[block_r, block_c] < least or taken_pool[block_r, block_c] < least:
                continue
            if not may_fit(fair_pool, taken_pool, block_r * POOL, block_c * POOL, offs, circles, slack):
                continue
            for rr0 in range(max(r_from, block_r * POOL), min(r_to, (block_r + 1) * POOL)):
                for cc0 in range(max(c_from, block_c * POOL), min(c_to, (block_c + 1) * POOL)):
                    first = min(fair[rr0, cc0], taken[rr0, cc0]) - circles[0, 2]
                    r, c = rr0 - offs[0, 0], cc0 - offs[0, 1]
                    if (
                        first < -slack
                        or (line >= 0 and lines[r, c] != line)
                        or (first > ROOMY_MM and (r | c) & 1)
                    ):
                        continue
                    total = along * c + (min(first, NEAR_MM) if first > 0.0 else -2.0 * first) / n
                    if tight > 0.0 and tightness[r, c] < bears:
                        total += tight * (bears - tightness[r, c])
                    if noise > 0.0:
                        state ^= state << np.uint64(13)
                        state ^= state >> np.uint64(7)
                        state ^= state << np.uint64(17)
                        total += noise * float(state >> np.uint64(40)) / 16777216.0
                    bar = cost[0] if kept == most else 1e30
                    ok = True
                    for i in range(1, n):
                        rr, cc = r + offs[i, 0], c + offs[i, 1]
                        d = min(fair[rr, cc], taken[rr, cc]) - circles[i, 2]
                        if d < -slack:
                            ok = False
                            break
                        total += (min(d, NEAR_MM) if d > 0.0 else -2.0 * d) / n
                        if total >= bar:
                            ok = False
                            break
                    if ok and has_show:
                        for i in range(m):
                            if show[r + offs[n + i, 0], c + offs[n + i, 1]] - show_circles[i, 2] < -slack:
                                ok = False
                                break
                    if not ok:
                        continue
                    if kept < most:
                        cost[kept], cell[kept] = total, r * cols + c
                        rise(cost, cell, kept)
                        kept += 1
                    elif total < cost[0]:
                        cost[0], cell[0] = total, r * cols + c
                        sink(cost, cell, kept)
    return kept
