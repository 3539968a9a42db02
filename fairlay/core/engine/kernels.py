"""Compiled parts of the search: circles in a body, buckets of edges, and whether a piece fits, exactly.

Shapes of arrays are in ``bank.Bodies`` and ``ground.Ground``. Lengths in mm.
"""

from __future__ import annotations

import math
from typing import Final

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

BUCKET_MM = 40.0
"""Side of a bucket of edges: about the length of a short edge, so that few edges share one."""
LEAST_CIRCLE: Final = 0.12
"""No circle is smaller than so much of the largest."""
SPREADS: Final = 8
"""Attempts at how far circles of a long body must stand apart,"""
BARE: Final = 0.75
"""until no place for a circle is farther from those there are than so much of its own radius."""
NUDGES = np.array([(0, 0), (-1, 0), (1, 0), (0, -1), (0, 1), (-1, -1), (1, -1), (-1, 1), (1, 1)], np.float64)


@compiled
def inscribed_circles(pts, starts, few, most):
    """Circles (x, y, r) inside a body, ``(k, 3)``, largest first: each as far as can be from edges and
    earlier circles; ``few`` at most.

    Where so many, one beside the other, would leave an end of a long body without any, there are up to
    ``most``, as far apart as it takes for all of it to have some.
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
    near, far, apart = 0.0, 2.0 * max(x1 - x0, y1 - y0) / most, 0.0
    n = 0
    for attempt in range(SPREADS):
        free = room.copy()
        n, limit = 0, few if attempt == 0 else most
        for _ in range(limit):
            k = int(np.argmax(free))
            if free[k] <= 0.0 or (n > 0 and room[k] < LEAST_CIRCLE * out[0, 2]):
                break
            x, y, r = x0 + (k // ny + 0.5) * step, y0 + (k % ny + 0.5) * step, room[k]
            best = step / 2
            while n == 0 and best > 0.02:
                moved = False
                for dx, dy in ((best, 0.0), (-best, 0.0), (0.0, best), (0.0, -best)):
                    if inside(x + dx, y + dy, pts, starts):
                        d = distance_to_body(x + dx, y + dy, pts, starts)
                        if d > r + 1e-9:
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
                        d = math.hypot(x0 + (i + 0.5) * step - x, y0 + (j + 0.5) * step - y) - r - apart
                        if d < free[m]:
                            free[m] = d
        bare = False
        for m in range(nx * ny if n == limit else 0):
            bare = bare or (free[m] > BARE * room[m] and room[m] >= LEAST_CIRCLE * out[0, 2])
        if not bare and (attempt < 2 or attempt == SPREADS - 1):
            break
        # The least that they must stand apart, by halves; the last attempt is one that goes.
        if bare:
            near = apart
        else:
            far = apart
        apart = 0.0 if attempt == 0 else far if attempt == SPREADS - 2 else (near + far) / 2
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
    return clear_of_pieces(bodies, variant, x, y, cos, sin, floor, skip, scratch) and on_fair_ground(
        bodies, variant, x, y, cos, sin, ground, off_show, has_show, scratch
    )


@lean
def on_fair_ground(bodies, variant, x, y, cos, sin, ground, off_show, has_show, scratch):
    """Whether a variant at (x, y) lies on fair ground, its show face off flaws."""
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
    for i in range(start, floor.used[0]):
        if i != skip and meets(bodies, k, n, box, floor, i, scratch):
            return i
    return -1


@lean
def meets(bodies, k, n, box, floor, i, scratch):
    """Whether body k (its n points in ``scratch``, within ``box``) touches or overlaps the piece in a slot,
    if one is live there.
    """
    b = floor.box[i]
    if not floor.live[i] or b[0] > box[2] or b[2] < box[0] or b[1] > box[3] or b[3] < box[1]:
        return False
    q = floor.variant[i] * 3
    m = bodies.pt_at[q + 1] - bodies.pt_at[q]
    return bodies_overlap(
        scratch[:n],
        bodies.starts[bodies.ring_at[k] : bodies.ring_at[k + 1]],
        box,
        floor.pts[i, :m],
        bodies.starts[bodies.ring_at[q] : bodies.ring_at[q + 1]],
        (b[0], b[1], b[2], b[3]),
        floor.near,
    )


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

    What was in the way at one place mostly is at the next: it is asked first.
    """
    k, last = variant * 3, 0
    for t in range(start, len(cells)):
        cos, sin = coses[turns[t]], sines[turns[t]]
        x = origin[0] + (cells[t] % cols) * step
        y = origin[1] + (cells[t] // cols) * step
        for a in range(len(NUDGES)):
            nx, ny = x + NUDGES[a, 0] * nudge, y + NUDGES[a, 1] * nudge
            n, box = body_at(bodies, k, nx, ny, cos, sin, scratch)
            if meets(bodies, k, n, box, floor, last, scratch):
                continue
            found = next_under(bodies, k, n, box, floor, 0, -1, scratch)
            if found >= 0:
                last = found
            elif on_fair_ground(bodies, variant, nx, ny, cos, sin, ground, off_show, has_show, scratch):
                return nx, ny, t
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
