"""Believable leather for the demo: sides, a shoulder, a bend, an offcut and a roll, grown from a seed."""

from __future__ import annotations

import numpy as np
from shapely.geometry import Polygon

from fairlay.core.leather import Flaw, Hide, Reading, Zone
from fairlay.core.leather.usual_map import through, usual_map
from fairlay.core.leather.usual_outline import BEND, OFFCUT, SHOULDER, SIDE
from fairlay.core.shapes.rings import Ring, pieces_of

KINDS = {
    1: ("scratch", "tick bite", "vein", "fat wrinkle", "fold crease"),
    2: ("scar", "scratch", "warble hole", "growth wrinkle", "stain"),
    3: ("hole", "flay cut", "brand", "thin spot", "scar"),
}


def grow(
    shape: list[tuple[float, float]],
    length: float,
    depth: float,
    rng: np.random.Generator,
    rough: float = 1.0,
) -> Ring:
    """Return an outline of a length and depth in mm: the shape's points moved a little and joined by a smooth
    curve.
    """
    base = np.array(shape) * [length, depth]
    edge = base[:, 1] > 0.08 * depth
    base += rng.normal(0.0, 1.0, base.shape) * np.where(edge, 9.0, 2.0)[:, None] * rough
    smooth = through(base, 5)
    smooth[:, 1] += np.where(smooth[:, 1] > 0.12 * depth, rng.normal(0.0, 1.2 * rough, len(smooth)), 0.0)
    polygon = max(pieces_of(Polygon(smooth).buffer(0)), key=lambda p: p.area)
    ring = np.asarray(polygon.exterior.coords)[:-1]
    moved: Ring = np.round(ring - ring.min(axis=0), 1)
    return moved


def flaws_on(outline: Ring, rng: np.random.Generator, counts: tuple[int, int, int]) -> tuple[Flaw, ...]:
    """Return flaws scattered over a hide: ``counts`` of severity 1, 2 and 3, kept wholly on it."""
    leather = Polygon(outline).buffer(-4)
    (x0, y0), (x1, y1) = outline.min(axis=0), outline.max(axis=0)
    out: list[Flaw] = []
    for severity, wanted in enumerate(counts, start=1):
        made = 0
        while made < wanted:
            kind = str(rng.choice(KINDS[severity]))
            ring = _flaw_ring(kind, rng) + rng.uniform((x0, y0), (x1, y1))
            shape = Polygon(ring)
            if shape.is_valid and leather.covers(shape):
                out.append(Flaw(kind, severity, np.round(ring, 1)))
                made += 1
    return tuple(out)


def _flaw_ring(kind: str, rng: np.random.Generator) -> Ring:
    long, wide = {
        "scratch": (rng.uniform(40, 130), rng.uniform(3, 6)),
        "vein": (rng.uniform(60, 150), 6.0),
        "fat wrinkle": (rng.uniform(50, 110), 9.0),
        "fold crease": (rng.uniform(80, 160), 5.0),
        "brand": (rng.uniform(60, 90), rng.uniform(50, 80)),
        "stain": (rng.uniform(30, 70), rng.uniform(25, 50)),
        "flay cut": (rng.uniform(30, 80), rng.uniform(6, 12)),
        "thin spot": (rng.uniform(40, 80), rng.uniform(25, 40)),
    }.get(kind, (rng.uniform(9, 28), rng.uniform(8, 20)))
    around = np.linspace(0, 2 * np.pi, 13)[:-1]
    ring = np.stack([np.cos(around) * long / 2, np.sin(around) * wide / 2], axis=1) * rng.uniform(
        0.88, 1.12, (12, 1)
    )
    turn = rng.uniform(0, np.pi)
    turned: Ring = ring @ np.array([[np.cos(turn), np.sin(turn)], [-np.sin(turn), np.cos(turn)]])
    return turned


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
