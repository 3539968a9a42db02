"""What the straight-cut end that a cut leaves of a hide is worth on the rack: by how long a strip it still
gives and how tight its leather is, and not by its area alone.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fairlay.core.leather import Hide
from fairlay.core.shapes.rings import area_left_of, pieces_of
from fairlay.core.tolerances import REMNANT_MIN_M2

Floats = NDArray[np.float64]

GRID_MM: Final = 4.0
RUN_WIDE_MM: Final = 100.0
"""So wide an end must be wherever a strip is still cut from it."""
FOR_NOTHING: Final = 1e-4
"""An end that is not racked, the smaller one or both, counts for so much of its price: of two lays that cost
the same, the one that leaves the larger blocks is taken.
"""


@dataclass(frozen=True)
class RackWorth:
    """What the shop says leather on the rack is worth. ``strip_per_m``: money for each metre of strip that a
    racked end gives; ``classes``: what leather of each tightness, tight to slack, is worth beside tight
    leather (all the same: by area alone).
    """

    strip_per_m: float = 0.0
    classes: tuple[float, float, float, float] = (1.0, 1.0, 1.0, 1.0)


@dataclass(frozen=True)
class End:
    """The larger straight-cut end of a hide: its area and the tight leather in it (m2), how long a strip it
    gives (mm), and the money that it is worth beyond its area at the hide's price. None of the two last, and
    no tight leather, where it is too small to be racked. ``uncounted_m2``: ends that are not racked, half of
    the smaller one, since one block is worth more than two, and where it is too small this one.
    """

    area_m2: float
    tight_m2: float = 0.0
    strip_mm: float = 0.0
    beyond: float = 0.0
    uncounted_m2: float = 0.0


class Ends:
    """The ends of a hide by how far along it pieces lie, read off a grid."""

    def __init__(self, hide: Hide, rack: RackWorth) -> None:
        x0, _, x1, _ = hide.region.bounds
        self.price, self.rack = hide.cost_per_m2, rack
        self.keeps = (True, True) if hide.keep_end is None else (not hide.keeps_right, hide.keeps_right)
        self.x = np.arange(x0, x1 + GRID_MM, GRID_MM)
        rings = [area_left_of(np.asarray(ring), self.x) for ring in (hide.outline, *hide.holes)]
        self.left = (rings[0] - sum(rings[1:])) / 1e6
        self.whole = float(self.left[-1])
        loose = [np.zeros(len(self.x)) for _ in range(4)]
        for zone, shown in hide.zones_on_leather:
            for part in pieces_of(shown):
                for sign, ring in ((1, part.exterior), *((-1, r) for r in part.interiors)):
                    loose[zone.tightness - 1] += sign * area_left_of(np.array(ring.coords)[:-1], self.x) / 1e6
        # Leather in no zone bears anything, as tight leather does.
        self.tight = self.left - sum(loose[1:])
        worth = rack.classes[0] * self.tight + sum(
            w * a for w, a in zip(rack.classes[1:], loose[1:], strict=True)
        )
        each = float(worth[-1]) / self.whole if self.whole else 1.0
        self.worth = worth / max(each, 1e-9) * self.price
        wide = np.append(np.diff(self.left) * 1e6 / GRID_MM >= RUN_WIDE_MM, False)
        self.strip_right = _lengths(wide[::-1])[::-1] * GRID_MM
        self.strip_left = np.append(0.0, _lengths(wide[:-1]) * GRID_MM)

    def areas(self, lo: float, hi: float) -> tuple[float, float]:
        """Area left of lo, and right of hi, in m2; none of an end that is not to be kept."""
        at = np.interp([lo, hi], self.x, self.left)
        return float(at[0]) * self.keeps[0], (self.whole - float(at[1])) * self.keeps[1]

    def larger(self, lo: float, hi: float) -> End:
        """The larger end where pieces lie from lo to hi."""
        tail, neck = self.areas(lo, hi)
        area, right = max(tail, neck), neck >= tail
        if area < REMNANT_MIN_M2:
            return End(area, uncounted_m2=area + min(tail, neck) / 2)
        at = hi if right else lo
        tight, worth = (float(np.interp(at, self.x, v)) for v in (self.tight, self.worth))
        if right:
            tight, worth = float(self.tight[-1]) - tight, float(self.worth[-1]) - worth
        run = float(np.interp(at, self.x, self.strip_right if right else self.strip_left))
        beyond = worth - area * self.price + self.rack.strip_per_m * run / 1000
        return End(area, tight, run, beyond, min(tail, neck) / 2)


def _lengths(wide: NDArray[np.bool_]) -> Floats:
    """At each place, how many places up to and with it are wide in a row."""
    at = np.arange(len(wide))
    return np.asarray(at - np.maximum.accumulate(np.where(wide, -1, at)), np.float64)


@lru_cache(maxsize=128)
def ends_of(hide: Hide, rack: RackWorth) -> Ends:
    """Return the ends of a hide, remembered while it is."""
    return Ends(hide, rack)
