"""Where whole sets count: lay one set more than the best lay has, taking up and filling again what the sets
are made of and nothing else, until all of it lies.
"""

from __future__ import annotations

from collections import defaultdict
from dataclasses import replace

import numpy as np

from fairlay.core.engine.construct import leather_of_set
from fairlay.core.engine.reasons import tables_of
from fairlay.core.engine.refill import Refill
from fairlay.core.engine.table import HideTable
from fairlay.core.engine.working import Searching, with_counts
from fairlay.core.lay.lay import Lay
from fairlay.core.pattern import Piece

FILLS = 8
"""Attempts at one hide before the next."""
PATIENCE = 60
"""Steps without less left over, after which it is begun again from the best lay, for a set of another name.
"""

EXCHANGED = 1.5
"""Two sets are tried for one of another name where they take no more than so many times its leather."""


class OneMore:
    """A search for one whole set more."""

    def __init__(self, run: Searching) -> None:
        self.run = run
        self.of: Lay | None = None
        self.tables: list[HideTable] = []
        self.searches: dict[int, Refill] = {}
        self.pool: dict[int, list[int]] = {}
        self.left, self.idle, self.at = 0.0, 0, 0
        members: dict[str, list[Piece]] = defaultdict(list)
        for piece in run.job.pieces:
            if piece.set_name:
                members[piece.set_name].append(piece)
        tables = run.tables() or []
        self.leather = {name: leather_of_set(own, tables, run.bank) for name, own in members.items()}

    def useful(self) -> bool:
        """Whether any name has sets left to be made."""
        return bool(self._names())

    def work(self) -> None:
        """Work at one hide for some attempts; offer the lay once all of the set lies."""
        if self.of is not self.run.best or self.idle > PATIENCE:
            self._begin()
        h = self.at = (self.at + 1) % len(self.tables)
        if h not in self.searches:
            fixed = {slot for slot, lying in self.tables[h].lying.items() if lying.fixed}
            self.searches[h] = Refill(self.tables[h], {}, self.run.rng, self.run.stop, fixed)
        search = self.searches[h]
        search.pool = defaultdict(list, {v: list(copies) for v, copies in self.pool.items()})
        for _ in range(FILLS):
            if self.run.stop() or not any(search.pool.values()):
                break
            search.attempt(self.run.warmth())
        self.pool = {v: list(copies) for v, copies in search.pool.items()}
        if not any(self.pool.values()):
            self._offer()
            return
        now = sum(self.run.bank.variants[v].area_mm2 * len(copies) for v, copies in self.pool.items())
        self.idle = 0 if now < self.left - 1.0 else self.idle + 1
        self.left = min(self.left, now)

    def _names(self) -> list[str]:
        """Names of which a set more can be asked for."""
        return [name for name, more in self._room_for_more().items() if more > 0]

    def _room_for_more(self) -> dict[str, int]:
        """How many sets more are asked for at most, by name."""
        most: dict[str, int] = {}
        for piece in self.run.job.pieces:
            if piece.set_name:
                own = piece.quantity // piece.per_set
                most[piece.set_name] = min(own, most.get(piece.set_name, own))
        made = self._made()
        return {name: own - made[name] for name, own in most.items()}

    def _made(self) -> dict[str, int]:
        counts = self.run.best.counts(self.run.job)
        made: dict[str, int] = {}
        for piece in self.run.job.pieces:
            if piece.set_name:
                own = counts[piece.id] // piece.per_set
                made[piece.set_name] = min(own, made.get(piece.set_name, own))
        return made

    def _target(self) -> dict[str, int]:
        """Return what is tried for: one set more, of what takes least leather most often; or, where two of
        another name take little more than one takes, those for that one.
        """
        rng, more, target = self.run.rng, self._room_for_more(), self._made()
        swaps = [
            (gives, takes)
            for gives, made in target.items()
            for takes, room in more.items()
            if made
            and room > 1
            and takes != gives
            and 2 * self.leather[takes] < EXCHANGED * self.leather[gives]
        ]
        if swaps and rng.random() < 0.5:
            gives, takes = swaps[int(rng.integers(len(swaps)))]
            target[gives] -= 1
            target[takes] += 2
            return target
        names = self._names()
        if names:
            ease = np.array([self.leather[name] ** -2 for name in names])
            target[names[int(rng.choice(len(names), p=ease / ease.sum()))]] += 1
        return target

    def _begin(self) -> None:
        """Keep of the best lay what its sets, and one more, are made of; what is wanting lies nowhere yet."""
        run, job = self.run, self.run.job
        target = self._target()
        wanted = {p.id: target[p.set_name] * p.per_set if p.set_name else 0 for p in job.pieces}
        fixed = {(p.piece, p.copy) for p in job.fixed}
        kept = tuple(
            p
            for p in run.best.placements
            if (p.piece, p.copy) in fixed or p.copy < wanted[job.pieces_by_id[p.piece].parent or p.piece]
        )
        self.of = run.best
        self.tables = tables_of(job, run.bank, replace(run.best, placements=kept), run.tables(), spare=True)
        there = {(job.pieces_by_id[p.piece].parent or p.piece, p.copy) for p in kept}
        self.pool = {}
        for piece in job.pieces:
            variants = run.bank.of_piece[piece.id]
            for n in range(wanted[piece.id]):
                if (piece.id, n) not in there:
                    self.pool.setdefault(variants[n % len(variants)].index, []).append(n)
        self.searches, self.idle, self.left = {}, 0, float("inf")

    def _offer(self) -> None:
        lay = with_counts(self.run.job, Lay(tuple(p for t in self.tables for p in t.placements())))
        self.run.consider(lay)
        self.run.consider(self.run.filled(lay))
        self.of = None
