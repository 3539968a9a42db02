"""Lay a roll shorter: draw its end in, let pieces overlap, drive the overlaps out, and again.

All pieces stay on the roll. Each time a shorter end is chosen what lies beyond some point is moved back by
as much, and the overlaps that makes are driven out (``separate_kernels``). Where that fails, the search goes
on from one of the best infeasible lays so far, two of its large pieces exchanged. Toward the end of the time
the steps get small, and each begins from the best fair lay.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from fairlay.core.engine import separate_kernels as kernels
from fairlay.core.engine.layer import Lying
from fairlay.core.engine.off_ground_kernels import NEVER
from fairlay.core.engine.scene import SceneOf, Snapshot
from fairlay.core.engine.table import HideTable

ROUNDS = 4
"""Rounds of separation between two looks at the clock."""
PATIENCE_ROUNDS = 60
"""Rounds without less pain after which a separation is given up."""
STRIKES = 3
"""Times that a separation is begun again, its weights even, before another lay is gone on from."""
ANYWHERE, NEARBY = 30, 15
"""Poses tried for each piece in pain, on the whole roll and about where it lies."""
SHORTER = 0.004
"""How much shorter the roll is taken, as a share of the length in use."""
EXPLORED = 0.8
"""For this share of the time steps are large; then they shrink from the first to the last of ``PRESSED``."""
PRESSED = (0.0005, 0.00002)
MOST_ITEMS = 2500
"""Overlaps are weighed pair by pair: a roll of more pieces than this stays as it was laid first."""
POOLED = 40
"""Infeasible lays kept to go on from."""
LARGE = 0.85
"""Pieces exchanged are of those that make up this share of the area, largest first."""

Stop = Callable[[], bool]


@dataclass(frozen=True)
class Tried:
    """An infeasible lay, and the pain that was left."""

    pain: float
    snapshot: Snapshot


class Shorten:
    """A search on one roll from a fair lay of all its pieces."""

    def __init__(self, table: HideTable, rng: np.random.Generator, stop: Stop) -> None:
        self.rng, self.stop, self.table, self.bank = rng, stop, table, table.bank
        self.best = tuple(table.lying.values())
        self.learned: tuple[Lying, ...] | None = None
        self._show(self.best)
        self.fixed = max((self._reach(i) for i, item in self.scene.items.items() if item.fixed), default=0.0)
        self.seed = np.array([rng.integers(1, 2**63)], np.uint64)
        self.pool: list[Tried] = []
        self.least = Tried(0.0, self.fair)
        self._aim(SHORTER)

    @property
    def weighed(self) -> int:
        """Poses weighed so far."""
        return int(self.scene.state.weighed[0])

    def attempt(self, used: float) -> bool:
        """Separate for some rounds, ``used`` of the time gone (0 to 1); whether all lies on less now."""
        s = self.scene.state
        left, given_up = kernels.separate(s, ROUNDS, PATIENCE_ROUNDS, ANYWHERE, NEARBY, self.seed)
        if left < self.least.pain:
            self.least = Tried(left, self.scene.snapshot())
        if left == 0.0:
            self._settled()
            self._aim(self._step(used))
            return True
        if used > EXPLORED and self.exploring:
            self._aim(self._step(used))
        elif given_up:
            self._failed(used)
        return False

    def take_over(self, lying: Sequence[Lying], length: float) -> None:
        """Learn of a shorter lay found elsewhere, ``length`` mm. Where all is being laid on less than that,
        this goes on, and the other is begun from after it.
        """
        self.best = self.learned = tuple(lying)
        if length <= self.end or not self.exploring:
            self._aim(SHORTER if self.exploring else PRESSED[0])

    def _show(self, lying: tuple[Lying, ...]) -> None:
        """Go on from a fair lay."""
        self.scene = SceneOf(self.table, len(lying), lying)
        self.area = {i: item.variant.area_mm2 for i, item in self.scene.items.items()}
        self.length, self.fair = self._length(), self.scene.snapshot()

    def _step(self, used: float) -> float:
        if used < EXPLORED:
            return SHORTER
        left = max(0.0, 1.0 - used) / (1.0 - EXPLORED)
        return PRESSED[1] + (PRESSED[0] - PRESSED[1]) * left

    def _settled(self) -> None:
        self.best, self.learned = tuple(self.scene.lying()), None
        self.length, self.fair = self._length(), self.scene.snapshot()

    def _aim(self, shorter: float) -> None:
        """Draw the end in from the best fair lay; what lies beyond some point of the roll moves back by as
        much.
        """
        self.exploring = shorter >= SHORTER
        if self.learned is not None:
            self._show(self.learned)
            self.learned = None
        self.scene.back_to(self.fair)
        self.end = max(self.fixed, self.length * (1.0 - shorter))
        s, back = self.scene.state, self.length - self.end
        split = float(self.rng.uniform(0.0, self.length))
        for i, item in self.scene.items.items():
            if not item.fixed and s.pose[i, 0] > split:
                kernels.set_down(s, i, item.variant.index, s.pose[i, 0] - back, s.pose[i, 1], s.pose[i, 4])
        s.spans[0, 1] = self.end
        self.pool, self.strikes = [], 0
        self._begin()

    def _begin(self) -> None:
        """Even weights, and pains as they are."""
        s = self.scene.state
        s.weight[:] = 1.0
        s.ground_weight[:] = 1.0
        s.least[:] = (NEVER, 0.0)
        self.least = Tried(kernels.feel_all(s), self.scene.snapshot())

    def _failed(self, used: float) -> None:
        """Begin again from the least pain; after some strikes, from another lay with two pieces exchanged."""
        self.strikes += 1
        if self.strikes < STRIKES:
            self.scene.back_to(self.least.snapshot)
            self._begin()
            return
        if not self.exploring:
            self._aim(self._step(used))
            return
        self.pool = sorted([*self.pool, self.least], key=lambda t: t.pain)[:POOLED]
        k = min(len(self.pool) - 1, int(abs(self.rng.normal(0.0, 0.25)) * len(self.pool)))
        self.scene.back_to(self.pool[k].snapshot)
        self._exchange()
        self.strikes = 0
        self._begin()

    def _exchange(self) -> None:
        """Exchange two large pieces of different areas."""
        s, rng = self.scene.state, self.rng
        loose = sorted(
            (i for i, item in self.scene.items.items() if not item.fixed), key=lambda i: -self.area[i]
        )
        up_to = np.cumsum([self.area[i] for i in loose])
        large = loose[: int(np.searchsorted(up_to, LARGE * up_to[-1])) + 2] if loose else []
        if len(large) < 2:
            return
        a = large[int(rng.integers(len(large)))]
        others = [i for i in large if abs(self.area[i] - self.area[a]) > 0.01 * self.area[a]]
        if not others:
            return
        b = others[int(rng.integers(len(others)))]
        (ax, ay, at), (bx, by, bt) = (tuple(float(s.pose[i, k]) for k in (0, 1, 4)) for i in (a, b))
        for i, x, y, turn in ((a, bx, by, at), (b, ax, ay, bt)):
            v = self.scene.items[i].variant.index
            held = kernels.held(s, v, x, y, turn)
            kernels.set_down(s, i, v, x, y, held)

    def _reach(self, i: int) -> float:
        """How far along the roll an item reaches, in mm."""
        return float(self.scene.state.floor.box[i, 2])

    def _length(self) -> float:
        return max((self._reach(i) for i in self.scene.items), default=0.0)
