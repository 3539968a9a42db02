"""Compiled: how badly bodies overlap, told from the circles in them."""

from __future__ import annotations

import math

from fairlay.core.shapes.compiled import lean_inlined

FADE = 6.0
"""Circles that miss each other by more than this many times their softness are not felt."""


@lean_inlined
def softness(bodies, ka, kb):
    """How deep circles of two bodies lie in each other, in mm, before they are felt in full."""
    return 0.01 * (bodies.reach[ka] + bodies.reach[kb]) + 0.05


@lean_inlined
def depth_pain(deep, radius, soft):
    """Pain of one circle lying ``deep`` mm too far in: as deep as it is, fading smoothly where it is not."""
    if deep >= soft:
        return deep * radius
    return soft * soft / (2.0 * soft - deep) * radius


@lean_inlined
def pair_pain(bodies, ka, kb, total):
    """Pain of two bodies whose circles come to ``total``."""
    size = math.sqrt(math.sqrt(bodies.reach[ka] * bodies.reach[kb]))
    return math.sqrt(total) * size * 0.5 + 0.5


@lean_inlined
def circles_pain(bodies, v, w, cos, sin, x, y, box):
    """Pain of variant w, turned and moved, against variant v where it is drawn, whose circles' bounds are
    ``box`` (x0, y0, x1, y1).
    """
    ka, kb = v * 3, w * 3
    soft = softness(bodies, ka, kb)
    far = FADE * soft
    total = 0.0
    for b in range(bodies.circle_at[kb], bodies.circle_at[kb + 1]):
        px, py, rb = bodies.circles[b, 0], bodies.circles[b, 1], bodies.circles[b, 2]
        bx, by = px * cos - py * sin + x, px * sin + py * cos + y
        reach = rb + far
        if bx + reach < box[0] or bx - reach > box[2] or by + reach < box[1] or by - reach > box[3]:
            continue
        for a in range(bodies.circle_at[ka], bodies.circle_at[ka + 1]):
            dx, dy, ra = bx - bodies.circles[a, 0], by - bodies.circles[a, 1], bodies.circles[a, 2]
            d2, both = dx * dx + dy * dy, ra + rb
            if d2 < (both + far) * (both + far):
                total += depth_pain(both - math.sqrt(d2), min(ra, rb), soft)
    return pair_pain(bodies, ka, kb, total)
