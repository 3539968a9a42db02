"""Thickness readings: which of them are doubted, and the map of thickness between them."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import contourpy
import numpy as np
import shapely
from shapely.geometry import LineString

from fairlay.core.errors import BadHide
from fairlay.core.leather.hide import Hide
from fairlay.core.shapes.rings import Ring

LEAST_MM, MOST_MM = 0.1, 15.0
DOUBTED_MM: Final = 0.6
"""A reading this far from what those round it say is questioned; leather seldom changes so between two places
of the gauge.
"""
DOUBTED_SPREADS: Final = 5.0
STEPS: Final = (0.05, 0.1, 0.2, 0.25, 0.5, 1.0)
MOST_LEVELS: Final = 7


@dataclass(frozen=True)
class GaugeReading:
    """Thickness in mm at a place of the hide.

    ``sure`` says that a reading that looked odd was made again and stands.
    """

    id: str
    x: float
    y: float
    mm: float
    sure: bool = False


@dataclass(frozen=True, eq=False)
class Contour:
    """A line along which the leather is ``mm`` thick."""

    mm: float
    points: Ring


def check_reading(reading: GaugeReading) -> None:
    """Raise BadHide for a thickness that no leather has."""
    if not LEAST_MM <= reading.mm <= MOST_MM:
        raise BadHide(
            f"a thickness reading of {reading.mm:g} mm",
            value=reading.mm,
            expected=f"{LEAST_MM:g} to {MOST_MM:g} mm",
        )


def doubted_readings(readings: Sequence[GaugeReading], nominal_mm: float | None = None) -> dict[str, str]:
    """Return a question, by id, for each reading that the others contradict, unless it was said to be sure.

    What a reading should be is taken from the rest, weighted by one over the distance squared; it is doubted
    where it is off by ``DOUBTED_MM`` and by ``DOUBTED_SPREADS`` times what readings are off by in the middle.
    With fewer than four readings there is no rest to speak of, and the nominal thickness serves: half as
    thick again, or half of it, is doubted.
    """
    out = {}
    if len(readings) < 4:
        for r in readings:
            if nominal_mm and not r.sure and not 0.5 * nominal_mm <= r.mm <= 1.5 * nominal_mm:
                out[r.id] = (
                    f"{r.mm:.1f} mm where the hide was bought as {nominal_mm:.1f} mm: read it again, or keep "
                    "it if it stands."
                )
        return out
    usual = float(np.median([abs(r.mm - _from_others(r, readings)) for r in readings]))
    # The wildest first: one wrong reading makes those round it look wrong.
    kept = list(readings)
    while len(kept) >= 4:
        worst, by = max(
            ((r, _off(r, kept)) for r in kept if not r.sure), key=lambda row: abs(row[1]), default=(None, 0.0)
        )
        if worst is None or abs(by) < max(DOUBTED_MM, DOUBTED_SPREADS * min(usual, 0.2)):
            break
        out[worst.id] = (
            f"{worst.mm:.1f} mm here, where the readings round it make one expect {worst.mm - by:.1f} mm: "
            "read it again, or keep it if it stands."
        )
        kept.remove(worst)
    return out


def _off(reading: GaugeReading, readings: Sequence[GaugeReading]) -> float:
    """How far a reading is from what the rest say; what only a reading that is sure contradicts is no
    wonder.
    """
    calm = [r for r in readings if not r.sure]
    off = [reading.mm - _from_others(reading, own) for own in (readings, calm) if len(own) > 2]
    return min(off, key=abs)


def _from_others(reading: GaugeReading, readings: Sequence[GaugeReading]) -> float:
    others = [o for o in readings if o.id != reading.id]
    weight = [1.0 / max(1.0, (o.x - reading.x) ** 2 + (o.y - reading.y) ** 2) for o in others]
    return sum(w * o.mm for w, o in zip(weight, others, strict=True)) / sum(weight)


def thickness_contours(hide: Hide) -> tuple[Contour, ...]:
    """Return lines of equal thickness on a hide, at even steps such that there are few; none with fewer than
    two readings that differ.
    """
    if len(hide.thickness) < 2:
        return ()
    mm = [r.mm for r in hide.thickness]
    span = max(mm) - min(mm)
    step = next((s for s in STEPS if span / s <= MOST_LEVELS), STEPS[-1])
    drawn = contourpy.contour_generator(*hide.thickness_map)
    out = []
    for k in range(math.floor(min(mm) / step) + 1, math.ceil(max(mm) / step)):
        for line in drawn.lines(k * step):
            inside = LineString(line).simplify(1.0).intersection(hide.region)
            out += [
                Contour(round(k * step, 3), shapely.get_coordinates(part))
                for part in getattr(inside, "geoms", [inside])
                if part.geom_type == "LineString" and part.length > 20
            ]
    return tuple(out)
