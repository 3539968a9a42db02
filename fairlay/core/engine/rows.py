"""Fill a place with copies of one piece in rows, as close as they go (see ``lattice``)."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Final

import numpy as np
from shapely.geometry import Polygon

from fairlay.core.engine.bank import BODIES, NEAR, Bank, Variant
from fairlay.core.engine.cut import EVERYWHERE, Span
from fairlay.core.engine.lattice import Lattice, lattices_of
from fairlay.core.engine.layer import Lying, Spot
from fairlay.core.engine.table import HideTable, Wish
from fairlay.core.rules.grain import any_way, off_grain

ANCHORS: Final = 6
"""Ways of putting the rows over a place that are tried; the one that holds most, and of those that hold as
many the one that takes least of the hide's length, is laid.
"""
FEWEST: Final = 4
"""Rows are not worth it for fewer copies."""
OFTEN: Final = ((0.5, 0.3), (0.2, 0.1), (0.06, 0.03), (0.0, 0.01))
QUARTERS: Final = (0.0, 90.0)

Window = tuple[float, float, float, float]


@dataclass
class Rows:
    """Rows of pieces on one table. ``hide``: its place among those of a search."""

    table: HideTable
    rng: np.random.Generator
    stop: Callable[[], bool]
    hide: int = 0

    def fill(
        self,
        pool: dict[int, list[int]],
        variant: Variant,
        window: Window | None,
        span: Span = EVERYWHERE,
        side: float | None = None,
    ) -> int:
        """Lay copies of a pool in rows; return how many.

        Their centroids lie within a window (all of the hide where there is none), and they themselves
        between the two x of ``span``; they are laid from the tail end on where ``side`` is 1, from the neck
        where it is -1.
        """
        table, copies = self.table, pool[variant.index]
        turns = [turn for line, turn in table.turns_to_try(variant, 1, spread=False)]
        free = any_way(variant.piece, table.job.policy)
        if len(copies) < FEWEST or not turns or table.left:
            return 0
        lattices = _lattices(table.bank, variant, free or _half_about(turns), self.stop)
        best: list[Spot] = []
        for _ in range(ANCHORS):
            if self.stop() or not lattices:
                break
            lattice = lattices[int(self.rng.integers(len(lattices)))]
            spots = self._over(variant, lattice, turns, free, window, span)
            # From one end on, so that what is left over is in one place.
            way = side or float(self.rng.choice([-1.0, 1.0]))
            spots.sort(key=lambda s: s.x, reverse=way < 0.0)
            fair = self._fair(variant, spots, len(copies))
            if (len(fair), -_extent(fair)) > (len(best), -_extent(best)):
                best = fair
        for spot in best:
            table.put(Lying(variant, copies.pop(), spot))
        return len(best)

    def _over(
        self,
        variant: Variant,
        of: Lattice,
        turns: Sequence[float],
        free: bool,
        window: Window | None,
        span: Span,
    ) -> list[Spot]:
        """Places of a lattice over a window: put on a place that a single copy would have, or anywhere."""
        rng, table = self.rng, self.table
        turn = float(turns[int(rng.integers(len(turns)))])
        if free:
            along = math.degrees(math.atan2(of.along[1], of.along[0]))
            across = math.degrees(math.atan2(of.across[1], of.across[0]))
            turn = float(rng.choice([0.0, -along, -across])) + float(rng.choice(QUARTERS))
        x0, y0, x1, y1 = window or table.hide.region.bounds
        at = np.array([rng.uniform(x0, x1), rng.uniform(y0, y1)])
        if rng.random() < 0.5:
            ways = np.array([[0.0, rng.choice([-1.0, 1.0])], [rng.choice([-1.0, 1.0]), 0.0]] * 2)
            found = table.find(
                variant,
                self.hide,
                Wish(tight=0.0, noise=30.0),
                rng,
                keep_within=span,
                tries=20,
                window=window,
                turns=[(-1, turn)],
            ).take(ways)
            if found is not None:
                at = np.array([found.x, found.y])
        cos, sin = math.cos(math.radians(turn)), math.sin(math.radians(turn))
        turned = np.array([[cos, sin], [-sin, cos]])
        cell = np.array([of.along, of.across]) @ turned
        corners = np.array([[x0, y0], [x1, y0], [x1, y1], [x0, y1]]) - at
        i, j = (corners @ np.linalg.inv(cell)).T
        steps = np.mgrid[
            math.floor(i.min()) - 1 : math.ceil(i.max()) + 2, math.floor(j.min()) - 1 : math.ceil(j.max()) + 2
        ].reshape(2, -1)
        out = []
        for dx, dy, half in of.motif:
            places = steps.T @ cell + at + np.array([dx, dy]) @ turned
            own = (turn + 180.0 * half) % 360.0
            left, _, right, _ = table.bank.turned(variant, own)[2]
            low, high = (max(x0, span[0] - left), y0), (min(x1, span[1] - right), y1)
            held = (places >= low).all(axis=1) & (places <= high).all(axis=1)
            out += [Spot(self.hide, float(x), float(y), own, 0.0) for x, y in places[held]]
        return out

    def _fair(self, variant: Variant, spots: Sequence[Spot], most: int) -> list[Spot]:
        """Those of some places, far enough apart already, that are fair as the table lies; ``most`` at
        most.
        """
        table, job = self.table, self.table.job
        out: list[Spot] = []
        for s in spots:
            if len(out) == most or self.stop():
                break
            if table.fits(variant, s.x, s.y, s.turn_deg) and (
                off_grain(variant.piece, table.hide, job.policy, s.turn_deg, variant.mirrored, s.x, s.y)
                is None
            ):
                out.append(s)
        return out


def _extent(spots: Sequence[Spot]) -> float:
    """From the first to the last of some places, along the hide."""
    return abs(spots[-1].x - spots[0].x) if spots else 0.0


def how_often(most: float) -> float:
    """Return how often rows are worth laying, where copies of one piece come to so much of all."""
    return next(often for share, often in OFTEN if most >= share)


def _half_about(turns: Sequence[float]) -> bool:
    """Whether the first of some turns may be turned half about."""
    return any(abs((turn - turns[0]) % 360.0 - 180.0) < 1e-6 for turn in turns)


def _lattices(
    bank: Bank, variant: Variant, turns_half: bool, stop: Callable[[], bool]
) -> tuple[Lattice, ...]:
    """The densest lattices of a variant, gap and all, found when first asked for."""
    key = (variant.index, turns_half)
    known: tuple[Lattice, ...] | None = bank.lattices.get(key)
    if known is None:
        bodies = bank.own(variant).bodies
        k = variant.index * BODIES + NEAR
        pts = bodies.pts[bodies.pt_at[k] : bodies.pt_at[k + 1]]
        starts = bodies.starts[bodies.ring_at[k] : bodies.ring_at[k + 1]]
        outer = max((Polygon(pts[a:b]).buffer(0) for a, b in pairwise(starts)), key=lambda p: p.area)
        known = lattices_of(outer, variant.area_mm2, turns_half, stop)
        if known:
            bank.lattices[key] = known
    return known
