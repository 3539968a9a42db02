"""Compiled parts of butting: poses that lay one side of a piece along a side already there, corner to
corner.
"""

from __future__ import annotations

import math

import numpy as np

from fairlay.core.engine.kernels import fits
from fairlay.core.shapes.compiled import compiled, lean

ALONG_RAD = 0.012
"""Sides this nearly parallel, and this near, count as one cut."""
APART_MM = 0.15


NUDGES_MM = np.array(
    [
        (0, 0),
        (0.03, 0),
        (-0.03, 0),
        (0, 0.03),
        (0, -0.03),
        (0.03, 0.03),
        (-0.03, 0.03),
        (0.03, -0.03),
        (-0.03, -0.03),
    ]
)
"""A corner read to a hundredth of a millimetre lies that much beside the one it came from."""


@lean
def first_fair(poses, start, bodies, variant, ground, off_show, has_show, floor, scratch):
    """The first pose (x, y, turn, share) from ``start`` on that is fair, nudged or not: (index, x, y), index
    -1 for none.
    """
    for k in range(start, len(poses)):
        cos, sin = math.cos(poses[k, 2]), math.sin(poses[k, 2])
        for a in range(len(NUDGES_MM)):
            x, y = poses[k, 0] + NUDGES_MM[a, 0], poses[k, 1] + NUDGES_MM[a, 1]
            if fits(bodies, variant, x, y, cos, sin, ground, off_show, has_show, floor, -1, scratch):
                return k, x, y
    return -1, 0.0, 0.0


@lean
def placed_sides(sides, x, y, cos, sin, out):
    """Write sides (ax, ay, bx, by), turned and moved, into ``out``; return their bounds."""
    x0 = y0 = 1e30
    x1 = y1 = -1e30
    for i in range(len(sides)):
        for e in (0, 2):
            px, py = (
                sides[i, e] * cos - sides[i, e + 1] * sin + x,
                sides[i, e] * sin + sides[i, e + 1] * cos + y,
            )
            out[i, e], out[i, e + 1] = px, py
            x0, y0, x1, y1 = min(x0, px), min(y0, py), max(x1, px), max(y1, py)
    return x0, y0, x1, y1


@lean
def contact(own, box, there):
    """Length of ``own`` sides that lies along ``there``, in mm: both (n, 4), each with its body on the
    left.
    """
    total = 0.0
    for j in range(len(there)):
        cx, cy, dx, dy = there[j, 0], there[j, 1], there[j, 2], there[j, 3]
        if (
            max(cx, dx) < box[0] - APART_MM
            or min(cx, dx) > box[2] + APART_MM
            or max(cy, dy) < box[1] - APART_MM
            or min(cy, dy) > box[3] + APART_MM
        ):
            continue
        wx, wy = dx - cx, dy - cy
        w = math.sqrt(wx * wx + wy * wy)
        for i in range(len(own)):
            ax, ay = own[i, 0], own[i, 1]
            ux, uy = own[i, 2] - ax, own[i, 3] - ay
            u = math.sqrt(ux * ux + uy * uy)
            if u < 0.5 or w < 0.5 or ux * wx + uy * wy >= 0.0 or abs(ux * wy - uy * wx) > ALONG_RAD * u * w:
                continue
            ux, uy = ux / u, uy / u
            s, t = (cx - ax) * ux + (cy - ay) * uy, (dx - ax) * ux + (dy - ay) * uy
            lo, hi = max(0.0, t), min(u, s)
            if hi <= lo:
                continue
            # How far apart they are where they overlap, midway.
            part = ((lo + hi) / 2 - s) / (t - s)
            away = (cx + part * wx - ax) * -uy + (cy + part * wy - ay) * ux
            if abs(away) <= APART_MM:
                total += hi - lo
    return total


@compiled
def propose(near, ground, offers, on_edge, pieces, edge, turns, window, least, slack, seed, out):
    """Write poses (x, y, turn, share) that lay a side along one already there; return how many, at most as
    many as go into ``out``.

    ``near`` and ``ground`` are a piece's own sides as they keep off pieces and off bad ground; ``pieces`` and
    ``edge`` the sides there, of which ``offers`` (the last ``on_edge`` of them of the ground) are matched,
    from the ``seed``-th on, where ``least`` mm long or longer, both corners tried. A pose must lie in
    ``window`` (x0, y0, x1, y1), a turn be within ``slack`` rad of one of ``turns`` (middle, half width).
    ``share``: how much of the outline then lies along something.
    """
    n = 0
    scratch = np.empty((max(len(near), len(ground)), 4))
    whole = 0.0
    for i in range(len(near)):
        whole += math.hypot(near[i, 2] - near[i, 0], near[i, 3] - near[i, 1])
    count = len(offers)
    for q in range(count):
        g = (q + seed) % count
        there = offers
        own = near if g < count - on_edge else ground
        wx, wy = there[g, 2] - there[g, 0], there[g, 3] - there[g, 1]
        if wx * wx + wy * wy < least * least:
            continue
        way = math.atan2(-wy, -wx)
        for e in range(len(own)):
            ux, uy = own[e, 2] - own[e, 0], own[e, 3] - own[e, 1]
            if ux * ux + uy * uy < least * least:
                continue
            wanted = way - math.atan2(uy, ux)
            for k in range(len(turns)):
                off = (wanted - turns[k, 0] + math.pi) % (2.0 * math.pi) - math.pi
                held = min(turns[k, 1], max(-turns[k, 1], off))
                if abs(off - held) > slack:
                    continue
                turn = turns[k, 0] + held
                cos, sin = math.cos(turn), math.sin(turn)
                for corner in range(2):
                    a, b = (0, 2) if corner == 0 else (2, 0)
                    x = there[g, b] - (own[e, a] * cos - own[e, a + 1] * sin)
                    y = there[g, b + 1] - (own[e, a] * sin + own[e, a + 1] * cos)
                    if not (window[0] <= x <= window[2] and window[1] <= y <= window[3]):
                        continue
                    box = placed_sides(near, x, y, cos, sin, scratch)
                    share = contact(scratch[: len(near)], box, pieces)
                    box = placed_sides(ground, x, y, cos, sin, scratch)
                    share += contact(scratch[: len(ground)], box, edge)
                    out[n, 0], out[n, 1], out[n, 2], out[n, 3] = x, y, turn, share / whole
                    n += 1
                    if n == len(out):
                        return n
    return n
