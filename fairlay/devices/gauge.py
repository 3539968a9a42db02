"""A thickness gauge at the table: what it must do, and one that makes believable readings for practice and
for tests.
"""

from __future__ import annotations

import math
import zlib
from dataclasses import dataclass
from typing import Protocol

from fairlay.core.errors import Unavailable


class Gauge(Protocol):
    """Any gauge that gives a reading in mm when its jaws close. Raises Unavailable where it gives none."""

    def read(self, x: float, y: float) -> float: ...


@dataclass(frozen=True)
class SimulatedGauge:
    """A gauge on a hide of a nominal thickness, length and depth in mm: thickest toward the back and tail, a
    little different each time the hide's ``number`` differs.
    """

    number: str
    nominal_mm: float
    length_mm: float
    depth_mm: float

    def read(self, x: float, y: float) -> float:
        """Return the thickness at a place of the hide, to the gauge's 0.05 mm.

        Raises Unavailable off the hide's bounds.
        """
        fx, fy = x / max(self.length_mm, 1.0), y / max(self.depth_mm, 1.0)
        if not (-0.05 <= fx <= 1.05 and -0.05 <= fy <= 1.05):
            raise Unavailable(
                "the gauge closes on nothing there", value=(x, y), expected="a place on the hide"
            )
        seed = zlib.crc32(self.number.encode())
        wave = 0.05 * math.sin(0.011 * x + seed % 7) + 0.04 * math.cos(0.013 * y + seed % 5)
        return round((self.nominal_mm * (1.09 - 0.19 * fy - 0.07 * fx) + wave) / 0.05) * 0.05
