"""Lays of single hides that a search came by, and which of them together make an order for the least money.

An order costs the sum of what its hides cost, each by itself; so of all that ever lay on each hide one lay is
chosen anew, that all is made: set partitioning over the parts that a local search leaves behind (Rochat and
Taillard 1995, for routes of vehicles).
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import Bounds, LinearConstraint, linprog, milp
from scipy.sparse import csr_array

from fairlay.core.engine.bank import Bank
from fairlay.core.engine.columns import Columns, renumbered
from fairlay.core.engine.cut import Cut
from fairlay.core.engine.layer import Lying
from fairlay.core.engine.table import HideTable
from fairlay.core.lay.lay import Job

Counts = NDArray[np.int64]
Floats = NDArray[np.float64]

MOST_OF_A_HIDE: Final = 500
"""Lays kept of one hide, the newest; none of them makes as much as another for more money."""
MOST_CHOSEN_FROM: Final = 600
NODES: Final = 60
"""Limits of the program: it takes a tenth of a second, and comes to the same in each run."""
LEFT_OUT: Final = 1.6
"""What the chosen lays leave out counts for so many times what the order costs by area, since it finds a
place beside them mostly.
"""
ROUNDING: Final = 1e-6


@dataclass(frozen=True)
class Kept:
    """A lay of one hide: how many it makes of each kind, its money, and what lies where."""

    makes: Counts
    cost: float
    lying: tuple[Lying, ...]


class Seen:
    """Lays of each of some hides. Kinds are numbered; how many of each are wanted is told when asked."""

    def __init__(self, hides: int) -> None:
        self.of: list[list[Kept]] = [[] for _ in range(hides)]

    def note(self, hide: int, makes: Counts, cost: float, lying: Sequence[Lying]) -> None:
        """Keep a lay of a hide, unless another makes as much for no more; forget those it does better."""
        known = self.of[hide]
        if not makes.any() or any(
            k.cost <= cost + ROUNDING and bool((k.makes >= makes).all()) for k in known
        ):
            return
        better = [k for k in known if k.cost < cost - ROUNDING or bool((k.makes > makes).any())]
        self.of[hide] = [*better[1 - MOST_OF_A_HIDE :], Kept(makes, cost, tuple(lying))]

    def choose(self, wanted: Counts, dear: Floats, least: float) -> list[Kept | None] | None:
        """Return a lay for each hide (None: not used) so that all is made that is ``wanted`` of each kind, or
        what is not counts for ``dear`` each, for less money than ``least``; None where none is found.
        """
        every = [(h, kept) for h, own in enumerate(self.of) for kept in own]
        if not every:
            return None
        n, kinds, hides = len(every), len(wanted), len(self.of)
        on = np.array([h for h, _ in every])
        makes = np.minimum(np.array([kept.makes for _, kept in every]), wanted)
        # Columns: lays, then copies left out of each kind; rows: what is wanted, then one lay a hide at most.
        one = np.zeros((hides, n))
        one[on, np.arange(n)] = 1.0
        rows = csr_array(np.block([[-makes.T, -np.eye(kinds)], [one, np.zeros((hides, kinds))]]))
        limit = np.concatenate([-wanted.astype(float), np.ones(hides)])
        money = np.concatenate([[kept.cost for _, kept in every], dear])
        most = np.concatenate([np.ones(n), wanted.astype(float)])
        relaxed = linprog(money, A_ub=rows, b_ub=limit, bounds=np.stack([np.zeros(n + kinds), most], axis=1))
        if relaxed.status != 0 or relaxed.fun >= least - ROUNDING:
            return None
        # A lay that costs so much more than what it makes is worth is in nothing better.
        beyond = (money - rows.T @ relaxed.ineqlin.marginals)[:n]
        near = np.argsort(beyond, kind="stable")[:MOST_CHOSEN_FROM]
        near = near[beyond[near] < least - relaxed.fun]
        of = np.concatenate([near, n + np.arange(kinds)])
        done = milp(
            money[of],
            integrality=np.ones(len(of)),
            bounds=Bounds(0.0, most[of]),
            constraints=LinearConstraint(rows[:, of], -np.inf, limit),
            options={"node_limit": NODES, "mip_rel_gap": 1e-3},
        )
        if done.x is None or done.fun >= least - ROUNDING:
            return None
        out: list[Kept | None] = [None] * hides
        for k in near[np.round(done.x[: len(near)]) > 0]:
            out[on[k]] = every[int(k)][1]
        return out


class Recombine:
    """The lays of single hides that a search of an order came by. Kinds are the bank's variants, for single
    pieces, then the whole sets of each name in ``columns``.
    """

    def __init__(
        self,
        job: Job,
        bank: Bank,
        tables: Sequence[HideTable],
        cuts: Sequence[Cut],
        columns: Mapping[str, Columns],
    ) -> None:
        self.tables, self.cuts, self.columns = tables, cuts, columns
        self.seen = Seen(len(tables))
        self.singles = len(bank.variants)
        self.wanted = np.zeros(self.singles + len(columns), np.int64)
        area = np.zeros(len(self.wanted))
        area[: self.singles] = [v.area_mm2 for v in bank.variants]
        fixed = {(p.piece, p.copy) for p in job.fixed}
        for piece in job.pieces:
            if not piece.filler and piece.set_name not in columns and job.lays(piece.id):
                own = bank.of_piece[piece.id]
                for n in range(piece.quantity):
                    self.wanted[own[n % len(own)].index] += (piece.id, n) not in fixed
        for k, of in enumerate(columns.values()):
            self.wanted[self.singles + k] = of.sets
            area[self.singles + k] = sum(p.per_set * p.area_mm2 for p in of.members)
        self.share = area / max(float(self.wanted @ area), 1.0)

    def see(self, h: int) -> None:
        """Remember how a hide lies now, where what lies on it is whole."""
        loose = [lying for lying in self.tables[h].lying.values() if not lying.fixed]
        makes = np.zeros(len(self.wanted), np.int64)
        sets: Counter[tuple[str, int]] = Counter()
        for lying in loose:
            if lying.variant.piece.parent:
                return
            if (own := self._set_of(lying)) is None:
                makes[lying.variant.index] += 1
            else:
                sets[own] += 1
        for k, (name, columns) in enumerate(self.columns.items()):
            counts = [n for (of, _), n in sets.items() if of == name]
            if any(n != columns.per_set for n in counts):
                return
            makes[self.singles + k] = len(counts)
        self.seen.note(h, makes, self.cuts[h].cost(self.tables[h].extent()), loose)

    def owed(self, left: Mapping[int, int], sets: Mapping[str, int], cost: float) -> float:
        """What is held against copies, by variant, and sets, by name, that such a dear order leaves out."""
        counts = np.zeros(len(self.wanted))
        for v, n in left.items():
            counts[v] = n
        for k, name in enumerate(self.columns):
            counts[self.singles + k] = sets.get(name, 0)
        return float(LEFT_OUT * cost * (self.share @ counts))

    def choose(self, cost: float, least: float, dearer: float = 1.0) -> list[Kept | None] | None:
        """Return the lays of an order for less than ``least``, as ``Seen.choose``; ``cost`` is what the order
        costs, ``dearer`` how much more is held against what they leave out.
        """
        return self.seen.choose(self.wanted, LEFT_OUT * dearer * cost * self.share, least)

    def lay(self, chosen: Sequence[Kept | None], free: Mapping[int, Sequence[int]]) -> None:
        """Lay hides, emptied, as they once lay. ``free``: the copies of each variant that lie nowhere. What
        would be one too many is left out, of single pieces those farthest from the middle of their hide.
        """
        copies = {v: list(own) for v, own in free.items()}
        numbers = {name: list(range(columns.sets)) for name, columns in self.columns.items()}
        singles: list[tuple[float, int, Lying]] = []
        for h, kept in enumerate(chosen):
            given: dict[tuple[str, int], int | None] = {}
            middle = self.tables[h].hide.region.centroid.x
            for lying in kept.lying if kept is not None else ():
                if (own := self._set_of(lying)) is None:
                    singles.append((abs(lying.spot.x - middle), h, lying))
                    continue
                if own not in given:
                    left, keeps = numbers[own[0]], self.columns[own[0]].keeps_hands
                    given[own] = next((n for n in left if keeps(own[1], n)), None)
                    numbers[own[0]] = [n for n in left if n != given[own]]
                if (number := given[own]) is not None:
                    self.tables[h].put(renumbered(lying, number))
        for _, h, lying in sorted(singles, key=lambda s: s[0]):
            if copies.get(lying.variant.index):
                self.tables[h].put(Lying(lying.variant, copies[lying.variant.index].pop(), lying.spot))

    def _set_of(self, lying: Lying) -> tuple[str, int] | None:
        piece = lying.variant.piece
        name = piece.set_name or ""
        return (name, lying.copy // piece.per_set) if name in self.columns else None
