"""Hides as the separation works on them: pieces with poses that may overlap, weights and pains.

Several hides lie side by side in one scene, each moved by whole cells of its field, so that a piece can be
pushed from one to the next like anywhere else.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from fairlay.core.engine import separate_kernels as kernels
from fairlay.core.engine.bank import Variant
from fairlay.core.engine.build_scene import Floats, build_scene, side_by_side
from fairlay.core.engine.layer import Lying, Spot
from fairlay.core.engine.off_ground_kernels import NEVER
from fairlay.core.engine.table import HideTable

LESS = 0.9
"""A separation gets on where its pain falls to this share of the least before."""


@dataclass(frozen=True)
class Item:
    """What lies in a slot of a scene."""

    variant: Variant
    copy: int
    fixed: bool


@dataclass(frozen=True)
class Snapshot:
    """A scene's items with their poses, to return to."""

    items: dict[int, Item]
    pose: Floats


@dataclass(frozen=True)
class Effort:
    """How hard overlaps are driven out: rounds between two looks at the clock, those without less pain after
    which it is begun again, how often that, the most in all; poses tried a move, anywhere and near.
    """

    rounds: int
    patience: int
    strikes: int
    most_rounds: int
    anywhere: int
    nearby: int


class SceneOf:
    """A scene of one or several hide tables, and what lies in each of its slots: what lies on the tables, or
    ``lying`` instead. ``shifts[h]`` is added to coordinates on hide h.
    """

    def __init__(
        self, tables: HideTable | Sequence[HideTable], capacity: int, lying: Iterable[Lying] | None = None
    ) -> None:
        self.tables = [tables] if isinstance(tables, HideTable) else list(tables)
        self.bank = self.tables[0].bank
        self.items: dict[int, Item] = {}
        self.shifts, first_cols = side_by_side(self.tables)
        self.state = build_scene(self.tables, self.shifts, first_cols, capacity)
        if lying is None:
            lying = [
                replace_hide(item, h) for h, table in enumerate(self.tables) for item in table.lying.values()
            ]
        for item in lying:
            h = item.spot.hide if len(self.tables) > 1 else 0
            self.add(
                item.variant,
                item.copy,
                item.spot.x + self.shifts[h, 0],
                item.spot.y + self.shifts[h, 1],
                math.radians(item.spot.turn_deg),
                fixed=item.fixed,
            )

    @property
    def capacity(self) -> int:
        return len(self.state.pose) - 1

    def free_slot(self) -> int:
        """Return a slot that nothing lies in; -1 where all are taken."""
        return next((i for i in range(self.capacity) if i not in self.items), -1)

    def open(self, slot: int, variant: Variant, copy: int, fixed: bool = False) -> None:
        """Take a slot for a variant without laying it down yet."""
        s = self.state
        self.items[slot] = Item(variant, copy, fixed)
        s.floor.variant[slot] = variant.index
        s.floor.live[slot] = False
        s.floor.used[0] = max(int(s.floor.used[0]), slot + 1)
        s.pinned[slot] = fixed
        s.home[slot] = -1
        s.weight[slot, :] = s.weight[:, slot] = 1.0
        s.ground_weight[slot] = 1.0
        s.pain[slot, :] = s.pain[:, slot] = 0.0
        s.own_pain[slot] = 0.0

    def add(self, variant: Variant, copy: int, x: float, y: float, turn: float, fixed: bool = False) -> int:
        """Lay a variant down, overlapping or not; return its slot, or -1 where all are taken."""
        slot = self.free_slot()
        if slot >= 0:
            self.open(slot, variant, copy, fixed)
            kernels.set_down(self.state, slot, variant.index, x, y, turn)
            self.state.floor.live[slot] = True
        return slot

    def take(self, slot: int) -> Item:
        """Take an item up."""
        self.state.floor.live[slot] = False
        self.state.pain[slot, :] = self.state.pain[:, slot] = 0.0
        self.state.own_pain[slot] = 0.0
        return self.items.pop(slot)

    def snapshot(self) -> Snapshot:
        """Remember what lies where."""
        return Snapshot(dict(self.items), self.state.pose.copy())

    def back_to(self, kept: Snapshot) -> None:
        """Return to what was remembered."""
        s = self.state
        s.floor.live[:] = False
        s.home[:] = -1
        self.items = dict(kept.items)
        for slot, item in kept.items.items():
            s.floor.variant[slot] = item.variant.index
            s.floor.live[slot] = True
            s.pinned[slot] = item.fixed
        s.floor.used[0] = max(kept.items, default=-1) + 1
        s.pose[:] = kept.pose
        kernels.lay_all(s)

    def show(self, lying: Mapping[int, Lying]) -> None:
        """Lay what lies in each slot, in place of what lies here; ``spot.hide`` counts the scene's tables."""
        pose = np.zeros_like(self.state.pose)
        for slot, item in lying.items():
            turn = math.radians(item.spot.turn_deg)
            x, y = self.shifts[item.spot.hide if len(self.tables) > 1 else 0]
            pose[slot] = item.spot.x + x, item.spot.y + y, math.cos(turn), math.sin(turn), turn
        self.back_to(Snapshot({i: Item(v.variant, v.copy, v.fixed) for i, v in lying.items()}, pose))

    def lying(self) -> list[Lying]:
        """Return what lies here as the table knows it."""
        return list(self.lying_by_slot().values())

    def lying_by_slot(self) -> dict[int, Lying]:
        """Return what lies in each slot as the tables know it; ``spot.hide`` counts the scene's tables."""
        pose, out = self.state.pose, {}
        for i, item in self.items.items():
            h = self.hide_at(float(pose[i, 0]))
            x, y = pose[i, 0] - self.shifts[h, 0], pose[i, 1] - self.shifts[h, 1]
            spot = Spot(h, float(x), float(y), math.degrees(pose[i, 4]), 0.0)
            out[i] = Lying(item.variant, item.copy, spot, item.fixed)
        return out

    def separate(self, effort: Effort, seed: NDArray[np.uint64], stop: Callable[[], bool]) -> bool:
        """Drive all overlaps out; whether they all went. Begun again, weights even, from the least pain so
        far,
        for as long as that falls.
        """
        s = self.state
        rounds, strikes, least = 0, 0, kernels.feel_all(s)
        s.least[:] = (NEVER, 0.0)
        best, left = self.snapshot(), least
        while left > 0.0 and rounds < effort.most_rounds and strikes < effort.strikes and not stop():
            left, given_up = kernels.separate(
                s, effort.rounds, effort.patience, effort.anywhere, effort.nearby, seed
            )
            rounds += effort.rounds
            if left < least:
                strikes = 0 if left < LESS * least else strikes
                best, least = self.snapshot(), left
            if given_up:
                strikes += 1
                home = s.home.copy()
                pinned = s.pinned.copy()
                self.back_to(best)
                s.home[:], s.pinned[:] = home, pinned
                kernels.feel_all(s)
                s.least[:] = (NEVER, 0.0)
        return bool(left == 0.0)

    def hide_at(self, x: float) -> int:
        """Which of the scene's tables lies at an x of the scene."""
        s = self.state
        col = int((x - s.grounds.origin[0]) / s.step + 0.5)
        return int(s.hide_of[min(max(col, 0), len(s.hide_of) - 1)])


def replace_hide(lying: Lying, hide: int) -> Lying:
    """Return a piece lying as it does, on a table counted ``hide``."""
    return replace(lying, spot=replace(lying.spot, hide=hide))
