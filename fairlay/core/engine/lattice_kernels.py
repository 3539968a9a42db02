"""Compiled parts of ``lattice``: how close rows of one motif lie."""

from __future__ import annotations

import math

import numpy as np

from fairlay.core.shapes.compiled import compiled, lean

EPS = 1e-6
LEAST_MM = 1.0
"""Rows, and copies in a row, are no nearer than this."""
MOST_CROSSINGS = 4000
CLOSE_MM = 0.002
"""Rows lie this much farther apart than they must: sums are exact to a hundredth of that."""


@lean
def inside(pts, starts, box, x, y):
    """Whether a point lies inside rings (even-odd), whose bounds are ``box`` (x0, y0, x1, y1)."""
    if x <= box[0] or x >= box[2] or y <= box[1] or y >= box[3]:
        return False
    odd = False
    for k in range(len(starts) - 1):
        j = starts[k + 1] - 1
        for i in range(starts[k], starts[k + 1]):
            ay, by = pts[j, 1], pts[i, 1]
            if (ay > y) != (by > y) and x < pts[j, 0] + (y - ay) / (by - ay) * (pts[i, 0] - pts[j, 0]):
                odd = not odd
            j = i
    return odd


@lean
def meets(same, same_at, same_box, other, other_at, other_box, double, dx, dy, x, y):
    """Whether a motif meets itself moved by (x, y): a piece meets another as it lies in ``same``, and one
    turned half about in ``other``; the motif's second lies at (dx, dy).
    """
    if inside(same, same_at, same_box, x, y):
        return True
    return double and (
        inside(other, other_at, other_box, x + dx, y + dy)
        or inside(other, other_at, other_box, dx - x, dy - y)
    )


@lean
def heights(pts, starts, box, x, dx, dy, sign, into, n):
    """Write where a vertical line at x crosses rings moved by (dx, dy), ``sign`` -1 for rings turned through
    the origin first, into ``into`` from n on; return how many there are then.
    """
    at = sign * (x - dx)
    if at <= box[0] or at >= box[2]:
        return n
    for k in range(len(starts) - 1):
        j = starts[k + 1] - 1
        for i in range(starts[k], starts[k + 1]):
            ax, bx = pts[j, 0], pts[i, 0]
            if (ax > at) != (bx > at) and n < len(into):
                ay, by = pts[j, 1], pts[i, 1]
                into[n] = sign * (ay + (at - ax) / (bx - ax) * (by - ay)) + dy
                n += 1
            j = i
    return n


@lean
def bounds_of(pts, box):
    """Write the bounds of points."""
    box[0] = box[1] = 1e30
    box[2] = box[3] = -1e30
    for i in range(len(pts)):
        box[0], box[2] = min(box[0], pts[i, 0]), max(box[2], pts[i, 0])
        box[1], box[3] = min(box[1], pts[i, 1]), max(box[3], pts[i, 1])


@lean
def turned_into(pts, cos, sin, out):
    """Write points turned back by an angle."""
    for i in range(len(pts)):
        out[i, 0] = pts[i, 0] * cos + pts[i, 1] * sin
        out[i, 1] = pts[i, 1] * cos - pts[i, 0] * sin


@compiled
def closest(same, same_at, other, other_at, double, dx, dy, phi, offsets, most):
    """Least area of a lattice's cell whose rows run along ``phi``: (area, length along the row, and where the
    next row begins, along and across).

    ``same`` and ``other``: rings of the sums of a body with itself, and with itself turned half about;
    ``double``: the motif is both, the second at (dx, dy). ``offsets`` shifts of a row along the one before
    are tried. Cells of ``most`` and more are not looked for. Infinite where there is none.
    """
    nothing = (np.inf, 0.0, 0.0, 0.0)
    cos, sin = math.cos(phi), math.sin(phi)
    s, o, cross = np.empty_like(same), np.empty_like(other), np.empty(MOST_CROSSINGS)
    sb, ob = np.empty(4), np.empty(4)
    # Along the row first: turned so that it is the vertical line at nought.
    turned_into(same, sin, -cos, s)
    turned_into(other, sin, -cos, o)
    bounds_of(s, sb)
    bounds_of(o, ob)
    ex, ey = dx * sin - dy * cos, dy * sin + dx * cos
    n = heights(s, same_at, sb, EPS, 0.0, 0.0, 1.0, cross, 0)
    if double:
        n = heights(o, other_at, ob, EPS, -ex, -ey, 1.0, cross, n)
        n = heights(o, other_at, ob, EPS, ex, ey, -1.0, cross, n)
    reach = max(sb[3], ob[3] + abs(ey), abs(ey) - ob[1]) if double else sb[3]
    length = 0.0
    for top in np.sort(cross[:n]):
        if top > EPS:
            way = top + CLOSE_MM
            free = True
            for m in range(1, int(reach / way) + 2):
                if meets(s, same_at, sb, o, other_at, ob, double, ex, ey, 0.0, m * way):
                    free = False
                    break
            if free:
                length = way
                break
    if length < LEAST_MM:
        return nothing
    turned_into(same, cos, sin, s)
    turned_into(other, cos, sin, o)
    bounds_of(s, sb)
    bounds_of(o, ob)
    ex, ey = dx * cos + dy * sin, dy * cos - dx * sin
    wide = max(sb[2], ob[2] + abs(ex), abs(ex) - ob[0]) if double else sb[2]
    high = max(sb[3], ob[3] + abs(ey), abs(ey) - ob[1]) if double else sb[3]
    copies = int(wide / length) + 2
    best = (most, 0.0, 0.0, 0.0)
    for t in range(offsets):
        x = (t + 0.5) / offsets * length
        n = 0
        for k in range(-copies, copies + 1):
            n = heights(s, same_at, sb, x, k * length, 0.0, 1.0, cross, n)
            if double:
                n = heights(o, other_at, ob, x, k * length - ex, -ey, 1.0, cross, n)
                n = heights(o, other_at, ob, x, k * length + ex, ey, -1.0, cross, n)
        for top in np.sort(cross[:n]):
            y = top + CLOSE_MM
            if y < LEAST_MM:
                continue
            if length * y >= best[0]:
                break
            free = True
            for m in range(1, int(high / y) + 2):
                shift = m * x - math.floor(m * x / length) * length
                for k in range(-copies, copies + 1):
                    if meets(s, same_at, sb, o, other_at, ob, double, ex, ey, shift + k * length, m * y):
                        free = False
                        break
                if not free:
                    break
            if free:
                best = (length * y, length, x, y)
                break
    return best if best[1] > 0.0 else nothing
