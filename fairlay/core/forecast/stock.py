"""Leather that could be bought, in figures: how large, how flawed, at what price, and how sure that is."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Final

import numpy as np
from shapely.geometry import Polygon

from fairlay.core.errors import BadHide
from fairlay.core.leather.hide import Hide, Reading, Zone
from fairlay.core.leather.made_up import flaws_on, grow
from fairlay.core.leather.usual_map import usual_map
from fairlay.core.leather.usual_outline import SHAPES
from fairlay.core.shapes.rings import Ring

FLAWS_AS_SURE_AS: Final = 3.0
"""What is usual of flaws counts as much as so many of the shop's own hides."""
AREA_AS_SURE_AS: Final = 3.0
USUAL_FLAWS: Final = (3.5, 2.6, 1.3)
"""Flaws in a m2 of a middling side by severity, where nothing is known."""
USUAL_AREA_M2: Final = {"side": 2.05, "shoulder": 0.85, "bend": 0.75, "belly": 0.55, "offcut": 0.25}
USUAL_SPREAD: Final = 0.08
"""Standard deviation of a hide's area over its mean, where nothing is known."""
UNEVEN: Final = 0.35
"""By how much the flaws of one hide to the next vary beyond chance (log standard deviation)."""
SOUND_MM: Final = 10.0
MOST_FLAWS: Final = 90


@dataclass(frozen=True)
class Source:
    """Leather of one kind from one mill and grade: mean area and its spread over hides in m2, flaws in a m2
    by severity, thickness (None: not gauged), price of a m2; from ``n`` of the shop's hides (0: as stated).
    """

    name: str
    kind: str
    material: str
    mill: str = ""
    grade: str = ""
    price_per_m2: float = 0.0
    area_m2: float = 2.05
    spread_m2: float = 0.16
    flaws_per_m2: tuple[float, float, float] = USUAL_FLAWS
    thickness_mm: float | None = None
    edge_margin_mm: float = 4.0
    n: int = 0


@dataclass(frozen=True)
class Known:
    """What is known of one of the shop's hides: m2, flaws by severity (None: not looked over)."""

    area_m2: float
    flaws: tuple[int, int, int] | None = None
    thickness_mm: float | None = None


def check_source(source: Source) -> None:
    """Raise BadHide for leather that nobody could buy."""
    if source.kind not in SHAPES:
        raise BadHide(
            f"a forecast of {source.kind}", value=source.kind, expected="one of " + ", ".join(SHAPES)
        )
    if not 0.02 <= source.area_m2 <= 8 or source.price_per_m2 < 0:
        raise BadHide(
            f"{source.name}: {source.area_m2:g} m2 at {source.price_per_m2:g}",
            value=source.area_m2,
            expected="0.02 to 8 m2, at a price of 0 or more",
        )
    if not all(0 <= f <= 30 for f in source.flaws_per_m2):
        raise BadHide(
            f"{source.name}: {max(source.flaws_per_m2):g} flaws in a m2",
            value=source.flaws_per_m2,
            expected="0 to 30 of each severity",
        )


def learned_source(source: Source, known: Sequence[Known], usual: Source | None = None) -> Source:
    """Return a source with what some hides of it teach, shrunk toward what is ``usual`` of the shop (else of
    the trade): few hides change little.
    """
    usual = usual or replace(source, flaws_per_m2=USUAL_FLAWS, area_m2=USUAL_AREA_M2.get(source.kind, 1.0))
    areas = [k.area_m2 for k in known]
    n = len(areas)
    mean = (sum(areas) + AREA_AS_SURE_AS * usual.area_m2) / (n + AREA_AS_SURE_AS)
    usual_var = (USUAL_SPREAD * usual.area_m2) ** 2
    var = (sum((a - mean) ** 2 for a in areas) + AREA_AS_SURE_AS * usual_var) / (n + AREA_AS_SURE_AS)
    looked = [k for k in known if k.flaws is not None]
    seen_m2 = sum(k.area_m2 for k in looked)
    usual_m2 = FLAWS_AS_SURE_AS * usual.area_m2
    flaws = tuple(
        (sum((k.flaws or (0, 0, 0))[s] for k in looked) + usual.flaws_per_m2[s] * usual_m2)
        / (seen_m2 + usual_m2)
        for s in range(3)
    )
    thick = [k.thickness_mm for k in known if k.thickness_mm]
    return replace(
        source,
        area_m2=mean,
        spread_m2=math.sqrt(var),
        flaws_per_m2=(flaws[0], flaws[1], flaws[2]),
        thickness_mm=sum(thick) / len(thick) if thick else source.thickness_mm,
        n=n,
    )


def one_that_may_be(source: Source, rng: np.random.Generator) -> Source:
    """Return the source as it may truly be: its means drawn from how surely they are known (normal for the
    area, gamma for flaws); what is stated is taken as if three hides had taught it.
    """
    n = source.n + AREA_AS_SURE_AS
    area = max(0.5 * source.area_m2, rng.normal(source.area_m2, source.spread_m2 / math.sqrt(n)))
    seen = (source.n + FLAWS_AS_SURE_AS) * source.area_m2
    over = 1.0 + _unevenness(source)
    flaws = [rng.gamma(max(f, 0.02) * seen / over, over / seen) for f in source.flaws_per_m2]
    return replace(
        source, area_m2=float(area), flaws_per_m2=(float(flaws[0]), float(flaws[1]), float(flaws[2]))
    )


def _unevenness(source: Source) -> float:
    """Variance of a hide's flaws over their mean, less one."""
    return (math.exp(UNEVEN**2) - 1.0) * max(source.flaws_per_m2) * source.area_m2


def made_up(source: Source, number: str, rng: np.random.Generator) -> Hide:
    """Return a hide that the source could deliver: grown, mapped, and flawed as its hides are."""
    shape, ratio = SHAPES[source.kind]
    area = float(
        np.clip(rng.normal(source.area_m2, source.spread_m2), 0.4 * source.area_m2, 2 * source.area_m2)
    )
    long = ratio * float(rng.normal(1.0, 0.03))
    fill = Polygon(shape).area
    depth = math.sqrt(area * 1e6 / (long * fill))
    ring = grow(shape, long * depth, depth, rng, 1.0 if source.kind == "side" else 0.5)
    ring = np.round(ring * math.sqrt(area * 1e6 / Polygon(ring).area), 1)
    uneven = float(rng.lognormal(-(UNEVEN**2) / 2, UNEVEN))
    counts = [int(min(MOST_FLAWS, rng.poisson(f * area * uneven))) for f in source.flaws_per_m2]
    return Hide(
        number,
        source.kind,
        ring,
        (),
        0.0,
        source.edge_margin_mm,
        source.price_per_m2,
        _shifted(usual_map(source.kind, ring), ring, rng),
        flaws_on(ring, rng, (counts[0], counts[1], counts[2])),
        _readings(ring, source.thickness_mm, rng),
    )


def _shifted(zones: tuple[Zone, ...], ring: Ring, rng: np.random.Generator) -> tuple[Zone, ...]:
    """The usual map as pull tests correct it from one hide to the next: each part a few hundredths off."""
    size = np.ptp(ring, axis=0)
    out = []
    for zone in zones:
        if zone.outline.shape == ring.shape and np.array_equal(zone.outline, ring):
            out.append(zone)
            continue
        middle = zone.outline.mean(axis=0)
        moved = (zone.outline - middle) * rng.normal(1.0, 0.05) + middle + rng.normal(0.0, 0.015, 2) * size
        out.append(replace(zone, outline=np.round(moved, 1)))
    return tuple(out)


def _readings(ring: Ring, nominal: float | None, rng: np.random.Generator) -> tuple[Reading, ...]:
    if not nominal:
        return ()
    x1, y1 = ring.max(axis=0)
    leather = Polygon(ring).buffer(-SOUND_MM)
    at = [(fx * x1, fy * y1, fy, fx) for fx in (0.1, 0.5, 0.88) for fy in (0.12, 0.45, 0.72)]
    return tuple(
        Reading(
            round(float(x)),
            round(float(y)),
            round(float(nominal + 0.2 - 0.4 * fy - 0.15 * fx + rng.normal(0, 0.05)), 2),
        )
        for x, y, fy, fx in at
        if leather.contains(Polygon([(x, y), (x + 1, y), (x, y + 1)]).centroid)
    )


def flaw_counts(hide: Hide) -> tuple[int, int, int]:
    """Return how many flaws of each severity a hide has."""
    own = [f.severity for f in hide.flaws]
    return own.count(1), own.count(2), own.count(3)


def known_of(hide: Hide, looked: bool) -> Known:
    """Return what a hide of the shop's tells of its source."""
    read = [r.mm for r in hide.thickness]
    return Known(
        hide.region.area / 1e6, flaw_counts(hide) if looked else None, sum(read) / len(read) if read else None
    )


FLAWS_OF_GRADE: Final = {"clean": (2.5, 1.2, 0.5), "middling": USUAL_FLAWS, "seconds": (6.5, 6.0, 3.0)}
"""Flaws in a m2 by severity of leather that is only called clean, middling or seconds."""
