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
from fairlay.core.lay.lay import Lay, Placement
from fairlay.core.pattern import Piece

FILLS = 8
"""Attempts at one hide before the next."""
PATIENCE = 60
"""Steps without less left over, after which it is begun again from the best lay, for a set of another name.
"""

PATIENCE_ONE_HIDE = 15
"""The same where a set comes from one hide, which may be the wrong one."""
ONE_HIDE = 0.5
"""How often one hide alone is worked at where a set may come from several."""
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
        self.only: int | None = None
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
        patience = PATIENCE if self.only is None else PATIENCE_ONE_HIDE
        if self.of is not self.run.best or self.idle > patience:
            self._begin()
        h = self.at = (self.at + 1) % len(self.tables) if self.only is None else self.only
        if h not in self.searches:
            fixed = {slot for slot, lying in self.tables[h].lying.items() if lying.fixed}
            self.searches[h] = Refill(self.tables[h], {}, self.run.rng, self.run.stop, fixed, in_rows=False)
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

    def _exchange(self) -> tuple[str, str] | None:
        """Return, half of the times that there is one, a name of which a set is given, and one of which two
        are tried for it: they take little more leather.
        """
        more, made = self._room_for_more(), self._made()
        found = [
            (gives, takes)
            for gives in made
            for takes, room in more.items()
            if made[gives] and room > 1 and 2 * self.leather[takes] < EXCHANGED * self.leather[gives]
        ]
        return (
            found[int(self.run.rng.integers(len(found)))] if found and self.run.rng.random() < 0.5 else None
        )

    def _begin(self) -> None:
        """Keep of the best lay what its sets, and one more, are made of; what is wanting lies nowhere yet."""
        run, job = self.run, self.run.job
        target, placements = self._made(), run.best.placements
        exchange, names = self._exchange(), self._names()
        self.only = None
        if exchange is not None:
            gives, takes = exchange
            if job.match_sets:
                placements = self._given_last(gives, target[gives] - 1)
            target[gives] -= 1
            target[takes] += 2
        elif names:
            ease = np.array([self.leather[name] ** -2 for name in names])
            target[names[int(run.rng.choice(len(names), p=ease / ease.sum()))]] += 1
        wanted = {p.id: target[p.set_name] * p.per_set if p.set_name else 0 for p in job.pieces}
        fixed = {(p.piece, p.copy) for p in job.fixed}
        kept = tuple(
            p
            for p in placements
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
        if self.only is None and (job.match_sets or run.rng.random() < ONE_HIDE):
            self.only = self._one_hide()

    def _given_last(self, name: str, last: int) -> tuple[Placement, ...]:
        """Return the best lay with one set of a name, any one, numbered ``last``; its hide is worked at."""
        job, placements = self.run.job, self.run.best.placements

        def whole(p: Placement) -> Piece:
            piece = job.pieces_by_id[p.piece]
            return job.pieces_by_id[piece.parent] if piece.parent else piece

        own = [(p, p.copy // whole(p).per_set) for p in placements if whole(p).set_name == name]
        held = {(p.piece, p.copy) for p in job.fixed}
        kept = {n for p, n in own if (p.piece, p.copy) in held}
        # The hand of one of a pair goes by its number.
        by_twos = any(whole(p).pair and whole(p).per_set % 2 for p, _ in own)
        homes = {
            n: p.hide for p, n in own if n <= last and n not in kept and (not by_twos or (last - n) % 2 == 0)
        }
        if last in kept or not homes:
            return placements
        given = list(homes)[int(self.run.rng.integers(len(homes)))]
        self.only = next(h for h, hide in enumerate(job.hides) if hide.id == homes[given])
        moved = {
            (p.piece, p.copy): p.copy + ((given if n == last else last) - n) * whole(p).per_set
            for p, n in own
            if n in (given, last)
        }
        return tuple(replace(p, copy=moved.get((p.piece, p.copy), p.copy)) for p in placements)

    def _one_hide(self) -> int:
        """Where sets come from one hide each: the one that the set wanting is begun on, or any."""
        wanting = {
            (piece.set_name, n // piece.per_set)
            for v, copies in self.pool.items()
            for n in copies
            if (piece := self.run.bank.variants[v].piece).set_name
        }
        begun = [
            h
            for h, table in enumerate(self.tables)
            for lying in table.lying.values()
            if (lying.variant.piece.set_name, lying.copy // lying.variant.piece.per_set) in wanting
        ]
        return begun[0] if begun else int(self.run.rng.integers(len(self.tables)))

    def _offer(self) -> None:
        lay = with_counts(self.run.job, Lay(tuple(p for t in self.tables for p in t.placements())))
        self.run.consider(lay)
        self.run.consider(self.run.filled(lay))
        self.of = None
