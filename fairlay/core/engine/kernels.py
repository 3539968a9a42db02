"""Compiled parts of the search: circles in a body, buckets of edges, the scan and the fit.

Shapes of arrays are in ``bank.Bodies`` and ``ground.Ground``. Lengths in mm.
"""

from __future__ import annotations

import math

import numpy as np

from fairlay.core.shapes.compiled import compiled, lean
from fairlay.core.shapes.kernels import (
    bodies_overlap,
    bounds_of,
    distance_to_body,
    inside,
    place_into,
    segments_cross,
)

NEAR_MM = 36.0
"""Room beyond this about a circle makes a place no worse."""
ROOMY_MM = 14.0
"""Where the largest circle has more room than this about it, only one cell in four is looked at."""
BUCKET_MM = 40.0
"""Side of a bucket of edges: about the length of a short edge, so that few edges share one."""
POOL = 8
"""Cells of a field along each side of a block of its pool."""
NUDGES = np.array([(0, 0), (-1, 0), (1, 0), (0, -1), (0, 1), (-1, -1), (1, -1), (-1, 1), (1, 1)], np.float64)


@compiled
def inscribed_circles(pts, starts, most):
    """Circles (x, y, r) inside a body, ``(k, 3)``, largest first: each as far as can be from edges and
    earlier circles.
    """
    x0, y0, x1, y1 = bounds_of(pts, len(pts))
    side = max(1e-6, min(x1 - x0, y1 - y0))
    step = max(side / 24.0, max(x1 - x0, y1 - y0) / 160.0)
    nx, ny = int((x1 - x0) / step) + 1, int((y1 - y0) / step) + 1
    room = np.full(nx * ny, -1.0)
    for i in range(nx):
        for j in range(ny):
            x, y = x0 + (i + 0.5) * step, y0 + (j + 0.5) * step
            if inside(x, y, pts, starts):
                room[i * ny + j] = distance_to_body(x, y, pts, starts)
    out = np.zeros((most, 3))
    free = room.copy()
    n = 0
    for _ in range(most):
        k = int(np.argmax(free))
        if free[k] <= 0.0 or (n > 0 and room[k] < 0.12 * out[0, 2]):
            break
        x, y, r = x0 + (k // ny + 0.5) * step, y0 + (k % ny + 0.5) * step, room[k]
        best = step / 2
        while best > 0.02:
            moved = False
            for dx, dy in ((best, 0.0), (-best, 0.0), (0.0, best), (0.0, -best)):
                if inside(x + dx, y + dy, pts, starts):
                    d = distance_to_body(x + dx, y + dy, pts, starts)
                    if d > r + 1e-9 and n == 0:
                        x, y, r = x + dx, y + dy, d
                        moved = True
                        break
            if not moved:
                best *= 0.5
        out[n, 0], out[n, 1], out[n, 2] = x, y, r
        n += 1
        for i in range(nx):
            for j in range(ny):
                m = i * ny + j
                if free[m] > 0.0:
                    d = math.hypot(x0 + (i + 0.5) * step - x, y0 + (j + 0.5) * step - y) - r
                    if d < free[m]:
                        free[m] = d
    return out[:n]


@lean
def buckets_of(ax, ay, bx, by, origin, shape, size):
    """Rows and columns of the buckets that an edge's bounds touch: (r0, r1, c0, c1), held to the grid."""
    c0 = max(0, min(shape[1] - 1, int((min(ax, bx) - origin[0]) / size)))
    c1 = max(0, min(shape[1] - 1, int((max(ax, bx) - origin[0]) / size)))
    r0 = max(0, min(shape[0] - 1, int((min(ay, by) - origin[1]) / size)))
    r1 = max(0, min(shape[0] - 1, int((max(ay, by) - origin[1]) / size)))
    return r0, r1, c0, c1


@compiled
def bucket_edges(pts, before, origin, shape, size):
    """Edges by the buckets that their bounds touch: (bucket_at, edges)."""
    cells = shape[0] * shape[1]
    at = np.zeros(cells + 1, np.int64)
    for i in range(len(pts)):
        a, b = pts[before[i]], pts[i]
        r0, r1, c0, c1 = buckets_of(a[0], a[1], b[0], b[1], origin, shape, size)
        for r in range(r0, r1 + 1):
            for c in range(c0, c1 + 1):
                at[r * shape[1] + c + 1] += 1
    at = np.cumsum(at)
    free = at.copy()
    edges = np.empty(at[cells], np.int64)
    for i in range(len(pts)):
        a, b = pts[before[i]], pts[i]
        r0, r1, c0, c1 = buckets_of(a[0], a[1], b[0], b[1], origin, shape, size)
        for r in range(r0, r1 + 1):
            for c in range(c0, c1 + 1):
                edges[free[r * shape[1] + c]] = i
                free[r * shape[1] + c] += 1
    return at, edges


@lean
def keeps_to(p, ps, pb, ground, wanted_inside):
    """Whether a placed body lies wholly inside a ground's rings (or, not ``wanted_inside``, wholly
    outside).
    """
    pts = ground.pts
    if len(pts) == 0:
        return not wanted_inside
    cols = ground.shape[1]
    for k in range(len(ps) - 1):
        j = ps[k + 1] - 1
        for i in range(ps[k], ps[k + 1]):
            ax, ay, bx, by = p[j, 0], p[j, 1], p[i, 0], p[i, 1]
            j = i
            ex0, ex1, ey0, ey1 = min(ax, bx), max(ax, bx), min(ay, by), max(ay, by)
            r0, r1, c0, c1 = buckets_of(ax, ay, bx, by, ground.origin, ground.shape, BUCKET_MM)
            for r in range(r0, r1 + 1):
                for c in range(c0, c1 + 1):
                    b = r * cols + c
                    for e in range(ground.bucket_at[b], ground.bucket_at[b + 1]):
                        o = ground.edges[e]
                        q = ground.before[o]
                        cx, cy, dx, dy = pts[q, 0], pts[q, 1], pts[o, 0], pts[o, 1]
                        if (
                            (cx < ex0 and dx < ex0)
                            or (cx > ex1 and dx > ex1)
                            or (cy < ey0 and dy < ey0)
                            or (cy > ey1 and dy > ey1)
                        ):
                            continue
                        if segments_cross(ax, ay, bx, by, cx, cy, dx, dy):
                            return False
    for k in range(len(ps) - 1):
        if inside(p[ps[k], 0], p[ps[k], 1], pts, ground.starts) != wanted_inside:
            return False
    for m in range(len(ground.starts) - 1):
        x, y = pts[ground.starts[m], 0], pts[ground.starts[m], 1]
        if pb[0] < x < pb[2] and pb[1] < y < pb[3] and inside(x, y, p, ps):
            return False
    return True


@lean
def body_at(bodies, k, x, y, cos, sin, out):
    """Write body k, turned and moved, into ``out``; return (number of points, bounds)."""
    n = place_into(out, bodies.pts, bodies.pt_at[k], bodies.pt_at[k + 1], x, y, cos, sin)
    return n, bounds_of(out, n)


@lean
def fits(bodies, variant, x, y, cos, sin, ground, off_show, has_show, floor, skip, scratch):
    """Whether a variant can lie at (x, y), exactly: on fair ground, show face off flaws, clear of every piece
    but ``skip``.
    """
    if not clear_of_pieces(bodies, variant, x, y, cos, sin, floor, skip, scratch):
        return False
    k = variant * 3 + 1
    n, box = body_at(bodies, k, x, y, cos, sin, scratch)
    if not keeps_to(scratch[:n], bodies.starts[bodies.ring_at[k] : bodies.ring_at[k + 1]], box, ground, True):
        return False
    if has_show:
        k = variant * 3 + 2
        n, box = body_at(bodies, k, x, y, cos, sin, scratch)
        if n and not keeps_to(
            scratch[:n], bodies.starts[bodies.ring_at[k] : bodies.ring_at[k + 1]], box, off_show, False
        ):
            return False
    return True


@lean
def next_under(bodies, k, n, box, floor, start, skip, scratch):
    """The first live piece from slot ``start`` on, but ``skip``, that body k (its n points in ``scratch``,
    within ``box``) touches or overlaps; -1 where there is none.
    """
    ps = bodies.starts[bodies.ring_at[k] : bodies.ring_at[k + 1]]
    for i in range(start, floor.used[0]):
        if not floor.live[i] or i == skip:
            continue
        b = floor.box[i]
        if b[0] > box[2] or b[2] < box[0] or b[1] > box[3] or b[3] < box[1]:
            continue
        q = floor.variant[i] * 3
        m = bodies.pt_at[q + 1] - bodies.pt_at[q]
        if bodies_overlap(
            scratch[:n],
            ps,
            box,
            floor.pts[i, :m],
            bodies.starts[bodies.ring_at[q] : bodies.ring_at[q + 1]],
            (b[0], b[1], b[2], b[3]),
        ):
            return i
    return -1


@lean
def clear_of_pieces(bodies, variant, x, y, cos, sin, floor, skip, scratch):
    """Whether a variant at (x, y) is clear of every live piece on the floor but ``skip``."""
    k = variant * 3
    n, box = body_at(bodies, k, x, y, cos, sin, scratch)
    return next_under(bodies, k, n, box, floor, 0, skip, scratch) < 0


@lean
def pieces_under(bodies, variant, x, y, cos, sin, floor, skip, scratch, out, most):
    """Write slots of live pieces but ``skip`` that a variant at (x, y) would touch or overlap; return how
    many, ``most`` at most.
    """
    k = variant * 3
    n, box = body_at(bodies, k, x, y, cos, sin, scratch)
    found, at = 0, -1
    while found < most:
        at = next_under(bodies, k, n, box, floor, at + 1, skip, scratch)
        if at < 0:
            break
        out[found] = at
        found += 1
    return found


@lean
def lay_down(bodies, variant, x, y, cos, sin, floor, i):
    """Write a placed variant into slot i of the floor."""
    _, box = body_at(bodies, variant * 3, x, y, cos, sin, floor.pts[i])
    floor.box[i, 0], floor.box[i, 1], floor.box[i, 2], floor.box[i, 3] = box
    floor.variant[i] = variant
    floor.live[i] = True
    floor.used[0] = max(floor.used[0], i + 1)


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
                    if d2 < away2[r - r0, c - c0]:
                        away2[r - r0, c - c0] = d2
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
    off), ``fair_pool`` and ``taken_pool`` the largest of each block of them: a block where the largest circle
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


@lean
def first_fit(
    start,
    cells,
    turns,
    cols,
    origin,
    step,
    bodies,
    variant,
    coses,
    sines,
    ground,
    off_show,
    has_show,
    floor,
    scratch,
    nudge,
):
    """Try cells from ``start`` on, each with its turn, at its centre and nudged about it; return (x, y,
    index), index -1 for none.
    """
    for t in range(start, len(cells)):
        cos, sin = coses[turns[t]], sines[turns[t]]
        x = origin[0] + (cells[t] % cols) * step
        y = origin[1] + (cells[t] // cols) * step
        for a in range(len(NUDGES)):
            dx, dy = NUDGES[a, 0] * nudge, NUDGES[a, 1] * nudge
            if fits(
                bodies, variant, x + dx, y + dy, cos, sin, ground, off_show, has_show, floor, -1, scratch
            ):
                return x + dx, y + dy, t
    return 0.0, 0.0, -1


@lean
def slide(
    bodies, variant, x, y, cos, sin, ground, off_show, has_show, floor, skip, scratch, ways, most, least
):
    """Slide a fitting variant along each way in turn, as far as it stays fair, in halving steps; return (x,
    y).
    """
    for w in range(len(ways)):
        step = most
        while step > least:
            nx, ny = x + ways[w, 0] * step, y + ways[w, 1] * step
            if fits(bodies, variant, nx, ny, cos, sin, ground, off_show, has_show, floor, skip, scratch):
                x, y = nx, ny
            else:
                step *= 0.5
    return x, y
