"""Trade pieces of a lay for others that are worth a little more, and make room for them by pushing.

A few pieces that lie near each other are taken up, and some that lay nowhere are laid in their place, across
whatever lies about; then the overlaps are driven out (``separate_kernels``). What lies about moves a little,
and what lies about that in turn, so that gaps too small for anything come together to one that is not. Large
trades seldom go in; those that gain little often do.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from itertools import combinations_with_replacement

import numpy as np

from fairlay.core.engine import separate_kernels as kernels
from fairlay.core.engine.layer import Lying
from fairlay.core.engine.off_ground_kernels import NEVER
from fairlay.core.engine.scene import Effort, SceneOf
from fairlay.core.engine.table import HideTable

EFFORT = Effort(rounds=4, patience=8, strikes=2, most_rounds=90, anywhere=6, nearby=8)
LOOKS = 60
"""Poses tried for a piece laid in the place of others."""
MOST_ITEMS = 500
"""Overlaps are weighed pair by pair: with more pieces than this on a hide none is traded."""
MOST_OUT, MOST_IN = 4, 3
"""So many pieces are taken up, and laid in their place."""
ABOUT = 7
"""They are of the so many nearest to one of them."""
GAIN = 0.004
"""A trade gains at most this share of the usable leather."""
MOST_KINDS = 12
"""Of so many kinds that lie nowhere, drawn at random, trades are made up."""

Stop = Callable[[], bool]


@dataclass(frozen=True)
class Traded:
    """A trade that went in: what lies where now, by slot, the slots taken up, and the copies laid."""

    lying: dict[int, Lying]
    out: tuple[int, ...]
    came: tuple[tuple[int, int], ...]


class Squeeze:
    """Trading pieces of the lay of one hide. ``worth`` is each variant's, in mm2; slots ``held`` stay."""

    def __init__(
        self,
        table: HideTable,
        worth: Mapping[int, float],
        held: set[int],
        rng: np.random.Generator,
        stop: Stop,
    ) -> None:
        self.table, self.worth, self.held, self.rng, self.stop = table, worth, held, rng, stop
        self.scene = SceneOf(table, min(MOST_ITEMS, len(table.layers[0].floor.live)), ())
        self.seed = np.array([rng.integers(1, 2**63)], np.uint64)
        self.most_gain = GAIN * float(table.hide.usable.area)

    def attempt(self, pool: Mapping[int, Sequence[int]], least_gain: float) -> Traded | None:
        """Trade once; what lies where then, None where it does not go. The table is left as it is."""
        table, scene, s = self.table, self.scene, self.scene.state
        out = self._taken_up()
        came = self._in_their_place(out, pool, least_gain)
        if came is None or max(table.lying, default=0) + len(came) >= scene.capacity:
            return None
        scene.show(table.lying)
        for slot in self.held:
            s.pinned[slot] = True
        where = [(table.lying[i].spot.x, table.lying[i].spot.y) for i in out]
        for slot in out:
            scene.take(slot)
        for variant, copy in came:
            if not self._lay_across(variant, copy, where):
                return None
        if not scene.separate(EFFORT, self.seed, self.stop):
            return None
        return Traded(scene.lying_by_slot(), tuple(out), tuple(came))

    def _taken_up(self) -> list[int]:
        """Slots of a few pieces near each other; none, now and then."""
        lying, rng = self.table.lying, self.rng
        loose = [
            i
            for i, own in lying.items()
            if not own.fixed and i not in self.held and own.variant.piece.parent is None
        ]
        count = int(rng.integers(0, MOST_OUT + 1))
        if not loose or not count:
            return []
        at = np.array([(lying[i].spot.x, lying[i].spot.y) for i in loose])
        middle = at[int(rng.integers(len(loose)))]
        nearest = np.argsort(np.hypot(*(at - middle).T))[:ABOUT]
        rest = rng.permutation(nearest[1:])[: count - 1]
        return [loose[int(k)] for k in (nearest[0], *rest)]

    def _in_their_place(
        self, out: list[int], pool: Mapping[int, Sequence[int]], least_gain: float
    ) -> list[tuple[int, int]] | None:
        """Copies that lie nowhere, (variant, copy), together worth a little more than what is taken up; None
        where there are no such.
        """
        left = sum(self.worth[self.table.lying[i].variant.index] for i in out)
        over = [v for v, copies in pool.items() if copies]
        kinds = [over[int(k)] for k in self.rng.permutation(len(over))[:MOST_KINDS]]
        gone = {self.table.lying[i].variant.index for i in out}
        found = []
        for count in range(1, MOST_IN + 1):
            for group in combinations_with_replacement(kinds, count):
                gain = sum(self.worth[v] for v in group) - left
                if (
                    least_gain <= gain <= self.most_gain
                    and not (count == 1 and group[0] in gone)
                    and all(group.count(v) <= len(pool[v]) for v in group)
                ):
                    found.append(group)
        if not found:
            return None
        group = found[int(self.rng.integers(len(found)))]
        largest_first = sorted(group, key=lambda v: -self.worth[v])
        return [(v, pool[v][-1 - largest_first[:k].count(v)]) for k, v in enumerate(largest_first)]

    def _lay_across(self, v: int, copy: int, where: Sequence[tuple[float, float]]) -> bool:
        """Lay a copy where it overlaps least, about where others were taken up (or anywhere)."""
        scene, s, rng = self.scene, self.scene.state, self.rng
        slot = scene.free_slot()
        scene.open(slot, self.table.bank.variants[v], copy)
        if where:
            x, y = where[int(rng.integers(len(where)))]
            kernels.set_down(s, slot, v, x, y, kernels.held(s, v, x, y, 0.0))
            s.floor.live[slot] = True
        x, y, turn, pain = kernels.seek(s, slot, v, 0 if where else LOOKS, LOOKS if where else 0, self.seed)
        if pain >= NEVER:
            return False
        kernels.set_down(s, slot, v, x, y, turn)
        s.floor.live[slot] = True
        return True
