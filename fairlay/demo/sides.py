"""Believable leather for the demo: sides, a shoulder, a bend, an offcut and a roll, grown from a seed."""

from __future__ import annotations

import numpy as np
from shapely.geometry import Polygon

from fairlay.core.leather import Hide, Reading, Zone
from fairlay.core.leather.made_up import flaws_on, grow
from fairlay.core.leather.usual_map import usual_map
from fairlay.core.leather.usual_outline import BEND, OFFCUT, SHOULDER, SIDE
from fairlay.core.shapes.rings import Ring


def readings_on(outline: Ring, rng: np.random.Generator, nominal: float) -> tuple[Reading, ...]:
    """Return gauge readings: thickest toward the back and tail, thinnest at belly and neck."""
    x1, y1 = outline.max(axis=0)
    leather = Polygon(outline).buffer(-15)
    out = []
    for fx in (0.08, 0.28, 0.5, 0.7, 0.9):
        for fy in (0.1, 0.4, 0.7):
            x, y = fx * x1, fy * y1
            if leather.intersects(Polygon([(x, y), (x + 1, y), (x, y + 1)])):
                out.append(
                    Reading(
                        round(x),
                        round(y),
                        round(float(nominal + 0.22 - 0.45 * fy - 0.2 * fx + rng.normal(0, 0.04)), 2),
                    )
                )
    return tuple(out)


def side(
    number: str,
    seed: int,
    length: float,
    depth: float,
    cost_per_m2: float,
    flaws: tuple[int, int, int],
    nominal: float | None = None,
) -> Hide:
    """Return a side with its usual map, flaws, and readings where a nominal thickness is given."""
    rng = np.random.default_rng(seed)
    outline = grow(SIDE, length, depth, rng)
    return Hide(
        number,
        "side",
        outline,
        (),
        0.0,
        4.0,
        cost_per_m2,
        usual_map("side", outline),
        flaws_on(outline, rng, flaws),
        readings_on(outline, rng, nominal) if nominal else (),
    )


def cut(
    number: str,
    kind: str,
    seed: int,
    length: float,
    depth: float,
    cost_per_m2: float,
    flaws: tuple[int, int, int],
    tightness: int,
) -> Hide:
    """Return a shoulder, bend or offcut, all of one tightness but for a looser lower edge on a shoulder."""
    rng = np.random.default_rng(seed)
    outline = grow({"shoulder": SHOULDER, "bend": BEND}.get(kind, OFFCUT), length, depth, rng, 0.5)
    zones = [Zone(outline.copy(), tightness, 90.0)]
    if kind == "shoulder":
        x1, y1 = outline.max(axis=0)
        lower = np.array([(-0.02, 0.68), (0.4, 0.66), (1.02, 0.55), (1.02, 1.02), (-0.02, 1.02)]) * [x1, y1]
        zones.append(Zone(np.round(lower, 1), min(4, tightness + 1), 100.0))
    return Hide(number, kind, outline, (), 0.0, 4.0, cost_per_m2, tuple(zones), flaws_on(outline, rng, flaws))


def roll(number: str, width: float, length: float, cost_per_m2: float) -> Hide:
    """Return a roll of lining."""
    outline = np.array([[0.0, 0.0], [length, 0.0], [length, width], [0.0, width]])
    return Hide(number, "roll", outline, (), 0.0, 6.0, cost_per_m2, width_mm=width)
