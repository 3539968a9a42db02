"""What a hide of an order costs, by how far along it pieces lie."""

from __future__ import annotations

import numpy as np

from fairlay.core.engine.table import HideTable
from fairlay.core.lay.rack import FOR_NOTHING, RackWorth, ends_of
from fairlay.core.tolerances import REMNANT_MIN_M2

Span = tuple[float, float]
EVERYWHERE = (-1e9, 1e9)
NOWHERE = (1e9, -1e9)


class Cut:
    """What a hide costs when pieces lie between two x positions: what of it is not racked, less what is
    racked is worth beyond its area.
    """

    def __init__(self, table: HideTable, rack: RackWorth | None = None) -> None:
        self.ends = ends_of(table.hide, rack or RackWorth())
        self.price, self.whole = self.ends.price, self.ends.whole

    def kept_m2(self, lo: float, hi: float) -> tuple[float, float]:
        """Area left of lo, and right of hi; none of an end that is not to be kept."""
        return self.ends.areas(lo, hi)

    def racked_at(self) -> Span:
        """The x at which the tail end, and the neck end, begins to be worth racking."""
        least, ends = REMNANT_MIN_M2, self.ends
        return float(np.interp(least, ends.left, ends.x)), float(
            np.interp(self.whole - least, ends.left, ends.x)
        )

    def cost(self, extent: Span | None) -> float:
        """Money for a hide in use over an extent."""
        if extent is None:
            return 0.0
        end = self.ends.larger(*extent)
        kept = end.area_m2 if end.area_m2 >= REMNANT_MIN_M2 else 0.0
        return self.price * (self.whole - kept - FOR_NOTHING * end.uncounted_m2) - end.beyond

    def free_span(self, extent: Span | None) -> Span | None:
        """The x range in which more pieces cost nothing; None for a hide not opened."""
        if extent is None:
            return None
        tail, neck = self.kept_m2(*extent)
        if max(tail, neck) < REMNANT_MIN_M2:
            return EVERYWHERE
        return (EVERYWHERE[0], extent[1]) if neck >= tail else (extent[0], EVERYWHERE[1])
