"""Fill a place by butting: side to side and corner to corner, what lies along most of its outline first.

Straight sides that share a cut waste nothing, and pieces that were one before come together again
where their sides match.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from fairlay.core.engine import butt_kernels as kernels
from fairlay.core.engine.bank import Sides, Variant, sides_of
from fairlay.core.engine.layer import Lying, Spot
from fairlay.core.engine.table import HideTable
from fairlay.core.rules.grain import any_way, fair_turns, off_grain
from fairlay.core.tolerances import GRAIN_GRACE_DEG

LEAST_SIDE_MM = 14.0
"""Shorter sides are matched only where they lie along something anyway."""
LEAST_SHARE = 0.12
LONG_SHARE = 0.5
REACH_MM = 250.0
"""Sides this far outside a window may still be met by what lies in it."""
EVERYWHERE = (-1e9, -1e9, 1e9, 1e9)
MOST_POSES = 4000
KEPT = 400

Floats = NDArray[np.float64]
Stop = Callable[[], bool]
Window = tuple[float, float, float, float]


@dataclass(frozen=True)
class Taste:
    """How poses are weighed: ``share`` of the outline in contact to this power, times ``demand`` to that one,
    shaken by ``shake``.
    """

    share: float = 3.0
    demand: float = 0.0
    shake: float = 0.0


class Butting:
    """A filling of a window of a hide (None: all of it) with copies of variants, by contact."""

    def __init__(
        self,
        table: HideTable,
        pool: dict[int, list[int]],
        demand: dict[int, float],
        rng: np.random.Generator,
        stop: Stop,
    ) -> None:
        self.table, self.pool, self.demand, self.rng, self.stop = table, pool, demand, rng, stop
        self.poses: dict[int, Floats] = {}
        self._turns: dict[int, Floats] = {}

    def fill(self, window: Window | None, taste: Taste) -> int:
        """Lay pieces until none lies along enough; return how many."""
        laid, fresh = 0, None
        classes = self.table.bank.classes
        if self.table.left:
            return 0
        self.poses = {}
        pieces = [self._laid_sides(c.sides, window) for c in classes]
        while not self.stop():
            weighed = []
            for v in [v for v, copies in self.pool.items() if copies]:
                own = self.table.bank.class_of[v]
                self._propose(v, window, pieces[own], None if fresh is None else fresh[own])
                found = self._best(v)
                if found is not None:
                    key = found.cost**taste.share * self.demand[v] ** taste.demand
                    weighed.append(
                        (key * math.exp(self.rng.normal(0.0, taste.shake)) if taste.shake else key, v, found)
                    )
            if not weighed:
                break
            _, v, spot = max(weighed, key=lambda w: (w[0], -w[1]))
            variant = self.table.bank.variants[v]
            self.table.put(Lying(variant, self.pool[v].pop(), spot))
            fresh = [_at(c.sides[v].near, spot) for c in classes]
            pieces = [np.concatenate(both) for both in zip(pieces, fresh, strict=True)]
            laid += 1
        return laid

    def _propose(self, v: int, window: Window | None, pieces: Floats, fresh: Floats | None) -> None:
        """Add poses that the sides newly laid offer (all sides, the first time)."""
        sides = self.table.bank.own(self.table.bank.variants[v]).sides[v]
        known = v in self.poses
        edge = self._edge(v, window)
        out = np.empty((MOST_POSES, 4))
        offers = fresh if known and fresh is not None else np.concatenate([pieces, edge])
        on_edge = 0 if known and fresh is not None else len(edge)
        longest = float(
            np.hypot(sides.near[:, 2] - sides.near[:, 0], sides.near[:, 3] - sides.near[:, 1]).max()
        )
        turns = self._turns_of(v)
        # Where any two sides can be laid together, only the long ones are worth it.
        least = LONG_SHARE * longest if turns[0, 1] >= math.pi else min(LEAST_SIDE_MM, 0.7 * longest)
        n = kernels.propose(
            sides.near,
            sides.ground,
            offers,
            on_edge,
            pieces,
            edge,
            turns,
            np.array(window or EVERYWHERE),
            least,
            math.radians(GRAIN_GRACE_DEG),
            int(self.rng.integers(1 << 30)),
            out,
        )
        poses = out[:n]
        poses = poses[poses[:, 3] >= LEAST_SHARE]
        if known:
            poses = np.concatenate([self.poses[v], poses])
        self.poses[v] = poses[np.argsort(-poses[:, 3], kind="stable")][:KEPT]

    def _best(self, v: int) -> Spot | None:
        """Return the fair pose of a variant with the most contact; what is not fair is forgotten, since the
        floor only fills.
        """
        table, variant = self.table, self.table.bank.variants[v]
        poses = self.poses[v]
        ground, layer = table.ground(variant), table.layer(variant)
        k = -1
        while True:
            k, x, y = kernels.first_fair(
                poses,
                k + 1,
                layer.bodies,
                v,
                ground.fair,
                ground.off_show or ground.fair,
                ground.off_show is not None,
                layer.floor,
                table.scratch,
            )
            if k < 0:
                break
            turn = math.degrees(poses[k, 2])
            if self._keeps_grain(variant, x, y, turn):
                poses[k, :2] = x, y
                self.poses[v] = poses[k:]
                return Spot(0, float(x), float(y), turn, float(poses[k, 3]))
        self.poses[v] = poses[:0]
        return None

    def _keeps_grain(self, variant: Variant, x: float, y: float, turn: float) -> bool:
        return (
            off_grain(variant.piece, self.table.hide, self.table.job.policy, turn, variant.mirrored, x, y)
            is None
        )

    def _turns_of(self, v: int) -> Floats:
        if v not in self._turns:
            table, variant = self.table, self.table.bank.variants[v]
            policy = table.job.policy
            if any_way(variant.piece, policy):
                turns = [(0.0, 180.0)]
            else:
                turns = [
                    t
                    for line in table.lines(table.ground(variant).fair)[0]
                    for t in fair_turns(variant.piece, line, variant.mirrored, policy)
                ]
            self._turns[v] = np.radians(np.array(turns))
        return self._turns[v]

    def _laid_sides(self, sides: Sequence[Sides], window: Window | None) -> Floats:
        table = self.table
        out = [np.empty((0, 4))]
        for slot, lying in table.lying.items():
            box = table.box(slot)
            if window is None or (
                box[0] <= window[2] + REACH_MM
                and box[2] >= window[0] - REACH_MM
                and box[1] <= window[3] + REACH_MM
                and box[3] >= window[1] - REACH_MM
            ):
                out.append(_at(sides[lying.variant.index].near, lying.spot))
        return np.concatenate(out)

    def _edge(self, v: int, window: Window | None) -> Floats:
        """Sides of fair ground, turned about so that bad ground is on their left."""
        ground = self.table.ground(self.table.bank.variants[v])
        if ground.sides is None:
            ground.sides = np.ascontiguousarray(sides_of(ground.region)[:, [2, 3, 0, 1]])
        edge = ground.sides
        if window is None:
            return edge
        lo, hi = np.minimum(edge[:, :2], edge[:, 2:]), np.maximum(edge[:, :2], edge[:, 2:])
        return edge[
            (lo[:, 0] <= window[2] + REACH_MM)
            & (hi[:, 0] >= window[0] - REACH_MM)
            & (lo[:, 1] <= window[3] + REACH_MM)
            & (hi[:, 1] >= window[1] - REACH_MM)
        ]


def _at(sides: Floats, spot: Spot) -> Floats:
    turn = math.radians(spot.turn_deg)
    out = np.empty_like(sides)
    kernels.placed_sides(sides, spot.x, spot.y, math.cos(turn), math.sin(turn), out)
    return out
