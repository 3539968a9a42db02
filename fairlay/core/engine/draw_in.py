"""Draw in the end of a hide of an order, or do without a hide: what lay there is laid across the rest, on the
same hide and on others in use, and the overlaps are driven out over all of them at once.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from fairlay.core.engine import separate_kernels as kernels
from fairlay.core.engine.cut import EVERYWHERE, NOWHERE, Cut, Span
from fairlay.core.engine.layer import Lying
from fairlay.core.engine.off_ground_kernels import NEVER
from fairlay.core.engine.scene import Effort, SceneOf, replace_hide
from fairlay.core.engine.table import HideTable
from fairlay.core.tolerances import REMNANT_MIN_M2

MOST_HIDES = 3
"""So many hides are worked on together."""
MOST_ITEMS = 700
"""With more pieces than this on them, none is drawn in: overlaps are weighed pair by pair."""
AGAIN = 14
"""Tries with the same hides, before others are drawn."""
BY_MM = (8.0, 260.0)
"""How far an end is drawn in, at least and at most; evenly by its logarithm."""
CLOSED = 0.12
"""How often a hide is done without altogether."""
MOVED_SETS = 0.5
"""How often a set that reaches beyond the new end goes to another hide whole."""
PUSHED = 0.5
"""How often pieces across the new end are pushed back rather than laid elsewhere."""
LOOKS = 80
EFFORT = Effort(rounds=4, patience=5, strikes=2, most_rounds=120, anywhere=10, nearby=8)

Stop = Callable[[], bool]
SetOf = Callable[[Lying], tuple[str, int] | None]


@dataclass(frozen=True)
class DrawnIn:
    """An end drawn in: what lies on each of some hides now, by their place in the order's."""

    lying: dict[int, list[Lying]]


class DrawIn:
    """Drawing in the ends of an order's hides. ``set_of`` tells which set, that must come from one hide, a
    piece belongs to.
    """

    def __init__(
        self,
        tables: Sequence[HideTable],
        cuts: Sequence[Cut],
        set_of: SetOf,
        rng: np.random.Generator,
        stop: Stop,
    ) -> None:
        self.tables, self.cuts, self.set_of, self.rng, self.stop = tables, cuts, set_of, rng, stop
        self.seed = np.array([rng.integers(1, 2**63)], np.uint64)
        self.of: list[int] = []
        self.tries = 0
        self.scene: SceneOf | None = None

    def attempt(self, opened: Sequence[int]) -> DrawnIn | None:
        """Draw in one end; what lies where then, None where it does not go. The tables are left as they
        are.
        """
        scene = self._scene(opened)
        lying: dict[int, Lying] = {}
        for k, h in enumerate(self.of):
            for item in self.tables[h].lying.values():
                lying[len(lying)] = replace_hide(item, k)
        if scene is None or len(lying) > scene.capacity:
            return None
        scene.show(lying)
        s, rng = scene.state, self.rng
        for k, h in enumerate(self.of):
            span = self.cuts[h].free_span(self.tables[h].extent())
            s.spans[k] = np.array(span or NOWHERE) + scene.shifts[k, 0]
        for i, item in lying.items():
            if self.set_of(item) is not None:
                s.home[i] = item.spot.hide
        k = int(rng.integers(len(self.of)))
        span = self._span(self.of[k])
        if span is None:
            return None
        s.spans[k] = np.array(span) + scene.shifts[k, 0]
        if span == NOWHERE:
            # Far from everything, but not so far that nothing else is felt.
            x0, _, x1, _ = self.tables[self.of[k]].hide.region.bounds
            s.spans[k] = np.array([x1, x0]) + scene.shifts[k, 0]
        if not self._lay_elsewhere(scene, lying, k, closed=span == NOWHERE) or not scene.separate(
            EFFORT, self.seed, self.stop
        ):
            return None
        out: dict[int, list[Lying]] = {h: [] for h in self.of}
        for item in scene.lying_by_slot().values():
            h = self.of[item.spot.hide]
            out[h].append(replace_hide(item, h))
        return DrawnIn(out)

    def _scene(self, opened: Sequence[int]) -> SceneOf | None:
        """The scene of some hides in use; drawn anew now and then, and where one of them is not in use any
        more.
        """
        self.tries += 1
        if self.scene is None or self.tries > AGAIN or not set(self.of) <= set(opened):
            some = [int(h) for h in self.rng.permutation(opened)[:MOST_HIDES]]
            items = sum(len(self.tables[h].lying) for h in some)
            self.tries = 0
            if not some or items > MOST_ITEMS:
                self.scene = None
                return None
            if set(some) != set(self.of) or self.scene is None or self.scene.capacity < items:
                self.of = some
                self.scene = SceneOf([self.tables[h] for h in some], min(MOST_ITEMS, items + 60), ())
        return self.scene

    def _span(self, h: int) -> Span | None:
        """What a hide is held to: drawn in at the end that is kept, or nothing of it."""
        table, cut, rng = self.tables[h], self.cuts[h], self.rng
        extent = table.extent()
        if extent is None:
            return None
        fixed = [table.box(i) for i, item in table.lying.items() if item.fixed]
        if not fixed and len(self.of) > 1 and rng.random() < CLOSED:
            return NOWHERE
        tail, neck = cut.kept_m2(*extent)
        at_neck = neck >= tail if max(tail, neck) >= REMNANT_MIN_M2 else bool(rng.random() < 0.5)
        by = math.exp(rng.uniform(*np.log(BY_MM)))
        racked = cut.racked_at()
        if at_neck:
            return EVERYWHERE[0], max([min(extent[1], racked[1]) - by, *(float(b[2]) for b in fixed)])
        return min([max(extent[0], racked[0]) + by, *(float(b[0]) for b in fixed)]), EVERYWHERE[1]

    def _lay_elsewhere(self, scene: SceneOf, lying: Mapping[int, Lying], k: int, closed: bool) -> bool:
        """Lay what reaches beyond the span of hide k elsewhere, largest first, across whatever lies there."""
        s, rng = scene.state, self.rng
        low, high = s.spans[k]
        beyond = [
            i
            for i, item in lying.items()
            if item.spot.hide == k
            and not item.fixed
            and (closed or s.floor.box[i, 0] < low or s.floor.box[i, 2] > high)
        ]
        pushed = not closed and rng.random() < PUSHED
        moved = {i for i in beyond if not (pushed and low <= s.pose[i, 0] <= high)}
        others = [j for j in range(len(self.of)) if j != k and s.spans[j, 0] < s.spans[j, 1]]
        # In order: that of a set is another in each process, and the same seed is to give the same lay.
        for own in sorted({found for i in moved if (found := self.set_of(lying[i])) is not None}):
            if others and (closed or rng.random() < MOVED_SETS):
                new_home = others[int(rng.integers(len(others)))]
                for i, item in lying.items():
                    if self.set_of(item) == own:
                        if item.fixed:
                            return False
                        s.home[i] = new_home
                        moved.add(i)
            elif closed:
                return False
        s.floor.live[list(moved)] = False
        for i in sorted(moved, key=lambda i: -lying[i].variant.area_mm2):
            v = lying[i].variant.index
            x, y, turn, pain = kernels.seek(s, i, v, LOOKS, 0, self.seed)
            if pain >= NEVER:
                return False
            kernels.set_down(s, i, v, x, y, turn)
            s.floor.live[i] = True
        return bool(beyond)
