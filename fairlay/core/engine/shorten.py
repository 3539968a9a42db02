"""Lay a roll shorter: draw its end in a little, let the pieces overlap, and drive the overlaps out."""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np

from fairlay.core.engine import separate_kernels as kernels
from fairlay.core.engine.scene import SceneOf
from fairlay.core.engine.table import HideTable, Lying

ROUNDS = 4
"""Rounds of separation between two looks at the clock."""
PATIENCE = 100
"""Rounds without less pain after which a separation is given up."""
ANYWHERE, NEARBY = 6, 10
"""Poses tried for each piece in pain, on the whole roll and about where it lies."""
MOST_PIECES = 600
"""Pairs are weighed in a square table: a roll with more pieces is not shortened."""
SHARES = (0.002, 0.004, 0.008)

Stop = Callable[[], bool]


class Shorten:
    """A search on one roll from a fair lay of all its pieces."""

    def __init__(self, table: HideTable, rng: np.random.Generator, stop: Stop) -> None:
        self.rng, self.stop = rng, stop
        self.scene = SceneOf(table, len(table.lying) + 1)
        self.seed = np.array([rng.integers(1, 2**63)], np.uint64)
        self.failed = 0

    def attempt(self) -> bool:
        """Draw the end in once; whether all pieces went. Where they did not, all is as it was before."""
        before = self.scene.snapshot()
        s = self.scene.state
        end = max(float(s.floor.box[i, 2]) for i in self.scene.items)
        shares = SHARES[: max(1, len(SHARES) - self.failed)]
        s.end[0] = end * (1.0 - float(self.rng.choice(shares)))
        if self.failed and self.rng.random() < 0.6:
            self._swap_two()
        if self._separate():
            self.failed = 0
            return True
        self.failed += 1
        self.scene.back_to(before)
        return False

    def lying(self) -> list[Lying]:
        """Return what lies on the roll now."""
        return self.scene.lying()

    def _separate(self) -> bool:
        s = self.scene.state
        s.weight[:] = 1.0
        s.ground_weight[:] = 1.0
        s.least[:] = (math.inf, 0.0)
        left, given_up = kernels.feel_all(s), False
        while left > 0.0 and not given_up and not self.stop():
            left, given_up = kernels.separate(s, ROUNDS, PATIENCE, ANYWHERE, NEARBY, self.seed)
        return bool(left == 0.0)

    def _swap_two(self) -> None:
        """Put two pieces in each other's place, to come out of a corner that no small move leaves."""
        s = self.scene.state
        loose = [i for i, item in self.scene.items.items() if not item.fixed]
        if len(loose) > 1:
            a, b = (int(i) for i in self.rng.choice(loose, 2, replace=False))
            ax, ay, at, bx, by, bt = *s.pose[a, [0, 1, 4]], *s.pose[b, [0, 1, 4]]
            kernels.set_down(s, a, bx, by, at)
            kernels.set_down(s, b, ax, ay, bt)
