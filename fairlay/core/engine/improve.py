"""Make a fair lay of one hide better: overfill it, drive the overlaps out, keep what comes out fair and worth more."""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Callable

import numpy as np

from fairlay.core.engine import separate_kernels as kernels
from fairlay.core.engine.bank import Variant
from fairlay.core.engine.construct import UP_AND_TAILWARD
from fairlay.core.engine.scene import Item, SceneOf, Snapshot
from fairlay.core.engine.table import HideTable, Wish

ROUNDS = 4
"""Rounds of separation between two looks at the clock."""
PATIENCE = 24
"""Rounds without less pain after which a separation is given up."""
ANYWHERE, NEARBY = 20, 24
"""Poses tried for each item in pain, on the whole hide and about where it lies."""
FIRST_LOOKS = 500
"""Poses tried for a piece that is brought in."""
MOST_ITEMS = 700
"""Pairs are weighed in a square table: more items than this are not separated."""

TRIES = 60
WAYS = tuple(np.array([a, b, a, b], float) for a, b in (((0, -1), (-1, 0)), ((-1, 0), (0, -1)), ((0, -1), (1, 0)), ((0, 1), (-1, 0)), ((0, 1), (1, 0)), ((1, 0), (0, 1))))
"""Ways a piece is slid into contact when a place is filled again."""

Stop = Callable[[], bool]


class Improver:
    """A search on one hide from a fair lay; ``pool`` holds the copies that lie nowhere, by variant."""

    def __init__(self, table: HideTable, pool: dict[int, list[int]], rng: np.random.Generator, stop: Stop) -> None:
        self.table, self.rng, self.stop = table, rng, stop
        spare = sum(len(copies) for copies in pool.values())
        self.scene = SceneOf(table, min(MOST_ITEMS, len(table.lying) + spare) + 1)
        self.pool: dict[int, list[int]] = defaultdict(list, {v: list(copies) for v, copies in pool.items()})
        self.seed = np.array([np.uint64(rng.integers(1, 2**63))], np.uint64)
        self.value = self._value()
        self.demand = {v.index: v.piece.value * v.area_mm2**0.35 * float(np.hypot(*np.ptp(v.piece.outline, axis=0))) ** 1.3 * (v.area_mm2 / v.piece.region.minimum_rotated_rectangle.area) ** 2 for v in table.bank.variants}

    def worth_of(self, item: Item) -> float:
        """Value of an item lying: its area, weighted."""
        return item.variant.area_mm2 * item.variant.piece.value

    def _value(self) -> float:
        return sum(self.worth_of(item) for item in self.scene.items.values())

    def attempt(self) -> bool:
        """Try once to make the lay worth more; whether it is. What is not kept is as it was before."""
        before, pool = self.scene.snapshot(), {v: list(c) for v, c in self.pool.items()}
        if self._bring_in() and self._value() > self.value - 1e-6:
            self._fill_gaps()
            better = self._value() > self.value + 1.0
            self.value = self._value()
            return better
        self.scene.back_to(before)
        self.pool = defaultdict(list, pool)
        return False

    def _bring_in(self) -> bool:
        variant = self._choose()
        if variant is None:
            return False
        if self.rng.random() < 0.6:
            self._make_room(variant)
        slot = self.scene.free_slot()
        if slot < 0:
            return False
        self.scene.open(slot, variant, self.pool[variant.index].pop())
        s = self.scene.state
        x, y, turn, pain = kernels.seek(s, slot, variant.index, FIRST_LOOKS, 0, self.seed)
        if pain >= kernels.NEVER:
            self._eject(slot)
            return False
        kernels.set_down(s, slot, x, y, turn)
        s.floor.live[slot] = True
        return self._separate() or self._eject_the_worst()

    def _choose(self) -> Variant | None:
        """Choose a copy that lies nowhere: larger ones more often."""
        ready = [v for v, copies in self.pool.items() if copies and not self.table.bank.variants[v].piece.filler]
        if not ready:
            return None
        area = np.array([self.table.bank.variants[v].area_mm2 for v in ready]) ** 0.7
        return self.table.bank.variants[int(self.rng.choice(ready, p=area / area.sum()))]

    def _make_room(self, coming: Variant) -> None:
        """Take up one item smaller than what comes, so that what comes is worth more than what goes."""
        smaller = [i for i, item in self.scene.items.items() if not item.fixed and item.variant.piece.parent is None and 0.25 < item.variant.area_mm2 / coming.area_mm2 < 0.97]
        if smaller:
            self._eject(int(self.rng.choice(smaller)))

    def _eject(self, slot: int) -> None:
        item = self.scene.take(slot)
        self.pool[item.variant.index].append(item.copy)

    def _separate(self) -> bool:
        s = self.scene.state
        s.weight[:] = 1.0
        s.ground_weight[:] = 1.0
        s.least[:] = (math.inf, 0.0)
        left = kernels.feel_all(s)
        given_up = False
        while left > 0.0 and not given_up and not self.stop():
            left, given_up = kernels.separate(s, ROUNDS, PATIENCE, ANYWHERE, NEARBY, self.seed)
        return bool(left == 0.0)

    def _eject_the_worst(self) -> bool:
        """Take up items in pain, cheapest for their pain first, until none is left; give up where that costs too much."""
        s = self.scene.state
        kernels.feel_all(s)
        while True:
            pain = s.own_pain + s.pain.sum(axis=1)
            hurt = [i for i in self.scene.items if pain[i] > 0.0 and not self.scene.items[i].fixed and self.scene.items[i].variant.piece.parent is None]
            if not hurt:
                return not any(pain[i] > 0.0 for i in self.scene.items)
            self._eject(min(hurt, key=lambda i: self.worth_of(self.scene.items[i]) / pain[i]))
            if self._value() < 0.97 * self.value:
                return False

    def ruin(self) -> bool:
        """Take up everything about a point and fill the place again in another order; keep it where it is worth no less."""
        before, pool = self.scene.snapshot(), {v: list(c) for v, c in self.pool.items()}
        s = self.scene.state
        loose = [i for i, item in self.scene.items.items() if not item.fixed and item.variant.piece.parent is None]
        if not loose:
            return False
        middle = s.pose[int(self.rng.choice(loose)), :2]
        away = np.hypot(*(s.pose[loose, :2] - middle).T) * (1.0 if self.rng.random() < 0.7 else self.rng.uniform(0.6, 1.4, len(loose)))
        taken, share = 0.0, self.rng.uniform(0.05, 0.3) * self.value
        for k in np.argsort(away):
            taken += self.worth_of(self.scene.items[loose[k]])
            self._eject(loose[k])
            if taken > share:
                break
        self._fill_gaps(float(self.rng.uniform(0.1, 0.6)), Wish(tight=float(self.rng.uniform(0, 15)), noise=float(self.rng.choice([0.0, 0.5, 2.0]))))
        value = self._value()
        if value >= self.value - 1e-6 and not self.stop():
            better = value > self.value + 1.0
            self.value = value
            return better
        self.scene.back_to(before)
        self.pool = defaultdict(list, pool)
        return False

    def _fill_gaps(self, shuffle: float = 0.0, wish: Wish | None = None) -> None:
        """Lay down whatever of the pool still goes: hardest to place first, the more at random the larger ``shuffle``."""
        table = fresh_table(self.table, self.scene)
        ways = WAYS[int(self.rng.integers(len(WAYS)))] if shuffle else UP_AND_TAILWARD
        spread = bool(self.rng.integers(2))
        order = {v: self.demand[v] * math.exp(self.rng.normal(0.0, shuffle)) for v, copies in self.pool.items() if copies}
        for v in sorted(order, key=lambda v: -order[v]):
            variant = self.table.bank.variants[v]
            while self.pool[v] and not self.stop():
                spot = table.find(variant, 0, wish or Wish(tight=0.0), self.rng, 8, spread=spread, tries=TRIES).take(ways)
                if spot is None:
                    break
                slot = self.scene.add(variant, self.pool[v][-1], spot.x, spot.y, math.radians(spot.turn_deg))
                if slot < 0:
                    return
                self.pool[v].pop()
                table.put(self.scene.lying()[-1])

    def shorten(self, share: float) -> bool:
        """Try to lay a roll's pieces on a shorter length; whether it went. What does not is as it was before."""
        before = self.scene.snapshot()
        s = self.scene.state
        end = max(float(s.floor.box[i, 2]) for i in self.scene.items)
        s.end[0] = end * (1.0 - share)
        if self.rng.random() < 0.5:
            self._swap_two()
        if self._separate():
            return True
        self.scene.back_to(before)
        return False

    def _swap_two(self) -> None:
        s = self.scene.state
        loose = [i for i, item in self.scene.items.items() if not item.fixed]
        if len(loose) > 1:
            a, b = (int(i) for i in self.rng.choice(loose, 2, replace=False))
            ax, ay, at, bx, by, bt = *s.pose[a, [0, 1, 4]], *s.pose[b, [0, 1, 4]]
            kernels.set_down(s, a, bx, by, at)
            kernels.set_down(s, b, ax, ay, bt)

    def snapshot(self) -> Snapshot:
        """Remember the lay as it is."""
        return self.scene.snapshot()


def fresh_table(like: HideTable, scene: SceneOf) -> HideTable:
    """Return a table of the same hide with what lies in a scene, compiled ground shared."""
    table = HideTable(like.job, like.hide, like.bank, scene.capacity + 1)
    table.grounds, table._lines, table._tightness = like.grounds, like._lines, like._tightness
    for lying in scene.lying():
        table.put(lying)
    return table
