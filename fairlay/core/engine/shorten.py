"""Lay a roll shorter: take it a little shorter, lay again what no longer goes, and squeeze in the last few.

What lies beyond the new end is taken up and the rest is refilled (``refill``) until all lies again. When only
a little is left over, it is laid across the others and the overlaps are driven out (``separate_kernels``).
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import replace

import numpy as np

from fairlay.core.engine import separate_kernels as kernels
from fairlay.core.engine.layer import Lying
from fairlay.core.engine.refill import Kept, Refill
from fairlay.core.engine.scene import SceneOf
from fairlay.core.engine.table import HideTable

ROUNDS = 4
"""Rounds of separation between two looks at the clock."""
PATIENCE_ROUNDS = 24
"""Rounds without less pain after which a separation is given up."""
ANYWHERE, NEARBY = 6, 10
"""Poses tried for each piece in pain, on the whole roll and about where it lies."""
MOST_SQUEEZED = 600
"""Pairs are weighed in a square table: with more pieces than this none are squeezed in."""
SHORTER, LEAST_SHARE = 0.02, 0.001
"""How much shorter the roll is taken, at first and at least, as a share of the length in use."""
GIVEN = 0.35
"""Of what it was taken shorter, this much is given back where not all goes."""
PATIENCE = 64
"""Refills after which the roll is taken less short."""
PATIENCE_SHARE = 0.25
"""But no fewer than this share of all the refills so far: late on, each step takes more of them."""
SQUEEZE_EVERY = 8
SQUEEZE_AGAIN = 0.15
SQUEEZED_SHARE = 0.02
"""What is left over may be this much of all the pieces, by area, to be squeezed in."""

Stop = Callable[[], bool]


class Shorten:
    """A search on one roll from a fair lay of all its pieces."""

    def __init__(self, table: HideTable, rng: np.random.Generator, stop: Stop) -> None:
        self.rng, self.stop = rng, stop
        self.job, self.hide, self.bank = table.job, table.hide, table.bank
        self.best = tuple(table.lying.values())
        self.all_tries = 0
        self.length = _extent(table)
        self._aim()

    def attempt(self) -> bool:
        """Refill once, or squeeze in what is left over; whether all pieces now lie on less."""
        self.tries += 1
        self.all_tries += 1
        if self.search.best.pool and any(self.search.best.pool.values()):
            self.search.attempt(max(0.0, 1.0 - 1.3 * self.tries / self.patience))
            if any(self.search.best.pool.values()) and self._worth_squeezing():
                self._squeeze(self.search.best)
        if not any(self.search.best.pool.values()):
            self.best = self.search.best.lying
            self.length = self._length_of(self.best)
            self._aim()
            return True
        if self.tries > self.patience:
            self._give_way()
        return False

    def take_over(self, lying: Sequence[Lying]) -> None:
        """Learn of a shorter lay found elsewhere; a search for a shorter one still goes on."""
        self.best, self.length = tuple(lying), self._length_of(lying)
        if self.end >= self.length * (1.0 - LEAST_SHARE):
            self._aim()

    def _aim(self) -> None:
        """Take the roll shorter; what lies beyond its new end goes to the pool."""
        self.fixed = max((self._length_of([lying]) for lying in self.best if lying.fixed), default=0.0)
        self._search(self.length * (1.0 - SHORTER), self.best, {})

    def _give_way(self) -> None:
        """Aim less short: what was found so far stays and gets more room, until the aim is hardly shorter
        than what is known.
        """
        end = self.end + GIVEN * (self.length - self.end)
        if end < self.length * (1.0 - LEAST_SHARE):
            self._search(end, self.search.best.lying, {v: list(c) for v, c in self.search.best.pool.items()})
        else:
            self._aim()

    def _search(self, end: float, lying: Sequence[Lying], pool: dict[int, list[int]]) -> None:
        """Search on the roll as far as ``end``, from what lies there of ``lying``."""
        self.end = end = max(self.fixed, end)
        outline = self.hide.outline.copy()
        outline[:, 0] = np.minimum(outline[:, 0], end)
        table = HideTable(self.job, replace(self.hide, outline=outline), self.bank, len(self.best) + 1)
        for item in lying:
            if self._length_of([item]) > end and not item.fixed:
                pool.setdefault(item.variant.index, []).append(item.copy)
            else:
                table.put(item)
        self.table, self.tries = table, 0
        self.squeezed: Kept | None = None
        self.patience = max(PATIENCE, int(PATIENCE_SHARE * self.all_tries))
        self.search = Refill(table, pool, self.rng, self.stop, plain=True)

    def _worth_squeezing(self) -> bool:
        """Now and then, and sooner where what is left over has changed."""
        if self.tries % SQUEEZE_EVERY or (
            self.squeezed is self.search.best and self.rng.random() > SQUEEZE_AGAIN
        ):
            return False
        self.squeezed = self.search.best
        return True

    def _squeeze(self, kept: Kept) -> None:
        """Lay what is left over across the others and drive the overlaps out; all is laid, or all as it
        was.
        """
        variants = self.bank.variants
        over = [(variants[v], copy) for v, copies in kept.pool.items() for copy in copies]
        area = sum(lying.variant.area_mm2 for lying in kept.lying)
        if (
            len(kept.lying) + len(over) > MOST_SQUEEZED
            or sum(v.area_mm2 for v, _ in over) > SQUEEZED_SHARE * area
        ):
            return
        scene = SceneOf(self.table, len(self.best) + 1, kept.lying)
        s = scene.state
        seed = np.array([self.rng.integers(1, 2**63)], np.uint64)
        for variant, copy in over:
            slot = scene.free_slot()
            scene.open(slot, variant, copy)
            x, y, turn, _ = kernels.seek(s, slot, variant.index, 20 * ANYWHERE, 0, seed)
            kernels.set_down(s, slot, x, y, turn)
            s.floor.live[slot] = True
        if not self._separate(scene, seed):
            return
        self.search.best = Kept(tuple(scene.lying()), {}, 0.0)

    def _separate(self, scene: SceneOf, seed: np.ndarray) -> bool:
        s = scene.state
        s.weight[:] = 1.0
        s.ground_weight[:] = 1.0
        s.least[:] = (math.inf, 0.0)
        left, given_up = kernels.feel_all(s), False
        while left > 0.0 and not given_up and not self.stop():
            left, given_up = kernels.separate(s, ROUNDS, PATIENCE_ROUNDS, ANYWHERE, NEARBY, seed)
        return bool(left == 0.0)

    def _length_of(self, lying: Sequence[Lying]) -> float:
        """How far along the roll pieces reach, in mm."""
        return max(
            (item.spot.x + self.bank.turned(item.variant, item.spot.turn_deg)[2][2] for item in lying),
            default=0.0,
        )


def _extent(table: HideTable) -> float:
    extent = table.extent()
    return extent[1] if extent else 0.0
