"""What a hide of an order costs, by how far along it pieces lie."""

from __future__ import annotations

import numpy as np

from fairlay.core.engine.table import HideTable
from fairlay.core.shapes.rings import area_left_of
from fairlay.core.tolerances import REMNANT_MIN_M2

Span = tuple[float, float]
GRID_MM = 4.0
EVERYWHERE = (-1e9, 1e9)
NOWHERE = (1e9, -1e9)


class Cut:
    """What a hide costs when pieces lie between two x positions, by areas read off a grid."""

    def __init__(self, table: HideTable) -> None:
        hide = table.hide
        x0, _, x1, _ = hide.region.bounds
        self.price = hide.cost_per_m2
        self.keeps = (True, True) if hide.keep_end is None else (not hide.keeps_right, hide.keeps_right)
        self.x = np.arange(x0, x1 + GRID_MM, GRID_MM)
        rings = [area_left_of(np.asarray(ring), self.x) for ring in (hide.outline, *hide.holes)]
        self.left = (rings[0] - sum(rings[1:])) / 1e6
        self.whole = float(self.left[-1])

    def kept_m2(self, lo: float, hi: float) -> tuple[float, float]:
        """Area left of lo, and right of hi; none of an end that is not to be kept."""
        at = np.interp([lo, hi], self.x, self.left)
        return float(at[0]) * self.keeps[0], (self.whole - float(at[1])) * self.keeps[1]

    def racked_at(self) -> Span:
        """The x at which the tail end, and the neck end, begins to be worth racking."""
        least = REMNANT_MIN_M2
        return float(np.interp(least, self.left, self.x)), float(
            np.interp(self.whole - least, self.left, self.x)
        )

    def cost(self, extent: Span | None) -> float:
        """Money for a hide in use over an extent."""
        if extent is None:
            return 0.0
        kept = max(self.kept_m2(*extent))
        return self.price * (self.whole - (kept if kept >= REMNANT_MIN_M2 else 0.0))

    def free_span(self, extent: Span | None) -> Span | None:
        """The x range in which more pieces cost nothing; None for a hide not opened."""
        if extent is None:
            return None
        tail, neck = self.kept_m2(*extent)
        if max(tail, neck) < REMNANT_MIN_M2:
            return EVERYWHERE
        return (EVERYWHERE[0], extent[1]) if neck >= tail else (extent[0], EVERYWHERE[1])
