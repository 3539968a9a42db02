"""Made-up leather: outlines, flaws and tightness of hides that nobody bought, for forecasts, practice and the
demo. The same generator state grows the same hide.
"""

from __future__ import annotations

from typing import Final

import numpy as np
from shapely.geometry import Polygon

from fairlay.core.leather.hide import Flaw
from fairlay.core.leather.usual_map import through
from fairlay.core.shapes.rings import Ring, pieces_of

KINDS: Final = {
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
            ring = flaw_ring(kind, rng) + rng.uniform((x0, y0), (x1, y1))
            shape = Polygon(ring)
            if shape.is_valid and leather.covers(shape):
                out.append(Flaw(kind, severity, np.round(ring, 1)))
                made += 1
    return tuple(out)


def flaw_ring(kind: str, rng: np.random.Generator) -> Ring:
    """Return the ring of a flaw of a kind about (0, 0), turned any way, ``(12, 2)`` mm."""
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
