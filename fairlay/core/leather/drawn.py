"""A hide as it is drawn: its rings, its zones as far as they show, its flaws."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from shapely.geometry import Polygon
from shapely.geometry.base import BaseGeometry

from fairlay.core.leather.hide import Hide
from fairlay.core.shapes.rings import Ring, as_points, rings_of

Points = list[list[float]]
WRITTEN_DECIMALS = 1


@dataclass(frozen=True)
class ZoneShown:
    """Leather of one tightness as far as no later zone covers it; ``stretch_deg`` is the way that gives
    most.
    """

    tightness: int
    stretch_deg: float
    rings: list[Points]


@dataclass(frozen=True)
class FlawShown:
    """A flaw: its kind, its severity, its ring."""

    kind: str
    severity: int
    outline: Points


@dataclass(frozen=True)
class HideDrawn:
    """A hide's outline and holes, zones and flaws; in mm as in ``hide``, to a tenth."""

    rings: list[Points]
    zones: list[ZoneShown]
    flaws: list[FlawShown]


def drawn(hide: Hide, *, length_mm: float | None = None, coarse_mm: float = 0.0) -> HideDrawn:
    """Return a hide as it is drawn, its lines no farther than ``coarse_mm`` from where they run; of a roll no
    more than ``length_mm``.
    """
    outline = hide.outline
    if hide.is_roll and length_mm:
        outline = outline.copy()
        outline[:, 0] = outline[:, 0].clip(0, length_mm)

    def points(ring: Ring) -> Points:
        return as_points(_simpler(ring, coarse_mm), WRITTEN_DECIMALS)

    def shown(region: BaseGeometry) -> list[Points]:
        return [
            as_points(r, WRITTEN_DECIMALS)
            for r in rings_of(region.simplify(coarse_mm) if coarse_mm else region)
        ]

    return HideDrawn(
        [points(ring) for ring in (outline, *hide.holes)],
        [
            ZoneShown(zone.tightness, zone.stretch_deg, shown(region.intersection(hide.region)))
            for zone, region in hide.zone_regions
        ],
        [FlawShown(f.kind, f.severity, points(f.outline)) for f in hide.flaws],
    )


def _simpler(ring: Ring, coarse_mm: float) -> Ring:
    # Small rings keep their shape: a tick bite is a few mm across.
    coarse = min(coarse_mm, float(np.ptp(ring, axis=0).max()) / 40)
    return np.asarray(Polygon(ring).simplify(coarse).exterior.coords)[:-1] if coarse else ring
