"""A roll of nothing but straps and rectangles laid anew on less of its length.

Pushing together gains nothing there, since each is held by all others. So they are put on the roll one after
the other, each as far back as it goes, and their order is changed a little, again and again (simulated
annealing over a skyline).
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Final

import numpy as np

from fairlay.core.engine import skyline_kernels
from fairlay.core.engine.lanes import APART_MM, Lanes, Strip, lies_square
from fairlay.core.engine.layer import Lying, Spot
from fairlay.core.engine.table import HideTable

OFTEN: Final = 0.9
"""How often the order is changed, and not what lies pushed together."""
TURNS: Final = 4
ROUNDS: Final = 500
FLAT: Final = 0.5
"""How much an even end counts beside an early one: of lays as long, the evener can still get shorter."""
WARM: Final = 0.001
GAINED_MM: Final = 0.05


class RollOfStrips:
    """The order of what lies on a roll's table; ``of`` makes one where all of it lies square."""

    def __init__(
        self,
        table: HideTable,
        items: list[tuple[Strip, Strip, int]],
        corner: tuple[float, float],
        width: float,
    ) -> None:
        self.table, self.items, self.corner, self.width = table, items, corner, width
        self.long = np.array([[s.x1 - s.x0, t.x1 - t.x0] for s, t, _ in items]) + APART_MM
        self.wide = np.array([[s.y1 - s.y0, t.y1 - t.y0] for s, t, _ in items]) + APART_MM
        self.may_turn = np.array([s is not t for s, t, _ in items])
        self.order = np.argsort(-self.long[:, 0], kind="stable")
        self.turned = np.zeros(len(items), np.int64)
        self.at, self.best_at = np.zeros((len(items), 2)), np.zeros((len(items), 2))
        self.reach, self.now = skyline_kernels.pack(
            self.order, self.turned, self.long, self.wide, width, self.best_at, FLAT
        )
        self.best_turned = self.turned.copy()
        self.useful = True

    @staticmethod
    def of(table: HideTable, rng: np.random.Generator, stop: Callable[[], bool]) -> RollOfStrips | None:
        """Return what a table holds as rectangles; None where not all of it is, or some is fixed."""
        lying = list(table.lying.values())
        if not lying or any(item.fixed or not lies_square(item.variant) for item in lying):
            return None
        lanes = Lanes(table, rng, stop)
        square = {item.variant.index: item.variant for item in lying}
        ways = {
            v: [s for k in range(TURNS) for s in lanes.strips([own], k, gap=True)]
            for v, own in square.items()
        }
        if not all(ways.values()):
            return None
        bounds = [table.ground(v).region.bounds for v in square.values()]
        x0, y0, y1 = (pick(b[k] for b in bounds) for pick, k in ((max, 0), (max, 1), (min, 3)))
        gap = max(table.bank.own(v).gap_mm for v in square.values())
        items = []
        for item in lying:
            own = ways[item.variant.index]
            long = own[0].x1 - own[0].x0
            across = next((s for s in own if abs(s.x1 - s.x0 - long) > GAINED_MM), own[0])
            items.append((own[0], across, item.copy))
        corner = x0 - gap / 2.0 + APART_MM, y0 - gap / 2.0 + APART_MM
        return RollOfStrips(table, items, corner, y1 - y0 + gap)

    def take_over(self, table: HideTable) -> None:
        """Go on from what lies on another table of the same roll."""
        self.table = table

    def attempt(self, rng: np.random.Generator, used: float) -> tuple[Lying, ...] | None:
        """Change the order for some rounds, ``used`` of the time gone; return how all lies where that takes
        less of the roll, else None. The table is left as it was.
        """
        self.now, self.reach = skyline_kernels.search(
            self.order,
            self.turned,
            self.may_turn,
            self.long,
            self.wide,
            self.width,
            self.now,
            self.reach,
            FLAT,
            self.now * WARM * (1.0 - used),
            ROUNDS,
            int(rng.integers(1, 2**31)),
            self.at,
            self.best_at,
            self.best_turned,
        )
        extent = self.table.extent()
        if extent is None or self.corner[0] + self.reach >= extent[1] - GAINED_MM:
            return None
        mark = self.table.mark()
        self.table.take_up(list(self.table.lying))
        # Where it is not fair, something lies in its way that it knows nothing of.
        self.useful = self._lay()
        lies = tuple(self.table.lying.values()) if self.useful else None
        self.table.back_to(mark)
        return lies

    def _lay(self) -> bool:
        """Lay the best order on the table, with nothing on it; whether all of it is fair there."""
        for (x, y), turned, (plain, across, copy) in zip(
            self.best_at, self.best_turned, self.items, strict=True
        ):
            s = across if turned else plain
            at_x, at_y = float(self.corner[0] + x), float(self.corner[1] + y)
            spot = Spot(0, at_x - s.x0, at_y - s.y0, s.turn_deg, 0.0)
            if not self.table.fits(s.variant, spot.x, spot.y, spot.turn_deg):
                return False
            self.table.put(Lying(s.variant, copy, spot))
        return True
