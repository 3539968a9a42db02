"""Where whole sets count: the most sets of each name that each hide makes by itself, emptied for them, and
the most that all hides make so together. What lies across hides is ``one_more``'s to find.
"""

from __future__ import annotations

from dataclasses import replace

from fairlay.core.engine.columns import Columns
from fairlay.core.engine.reasons import tables_of
from fairlay.core.engine.working import Searching, with_counts
from fairlay.core.lay.lay import Lay

TRIES = 8
"""Hides tried before something else is done."""
Counts = tuple[int, ...]
Ways = tuple[tuple[int, int], ...]
"""For each hide looked at: the index of a name, and how many sets of it; none: (0, 0)."""


class SetsByHide:
    """Columns of sets, hide by hide."""

    def __init__(self, run: Searching) -> None:
        self.run, job = run, run.job
        self.tables = tables_of(job, run.bank, replace(run.best, placements=()), run.tables(), spare=True)
        self.hides = [h for h, hide in enumerate(job.hides) if hide.id not in job.leave]
        names = dict.fromkeys(p.set_name for p in job.pieces if p.set_name and not p.filler)
        self.columns = [
            Columns(
                name,
                [p for p in job.pieces if p.set_name == name and not p.filler],
                run.bank,
                self.tables,
                run.rng,
                run.stop,
            )
            for name in names
        ]

    def useful(self) -> bool:
        """Whether hides may be laid by themselves: nothing is fixed, and more of everything is wanted."""
        return bool(self.hides and self.columns) and not self.run.job.fixed and not self.run.job.more_of

    def work(self) -> None:
        """Try some times for one set more on one hide than it ever took; offer all hides together where they
        make more sets than the best lay.
        """
        rng, better = self.run.rng, False
        for _ in range(TRIES):
            columns = self.columns[int(rng.integers(len(self.columns)))]
            better = columns.seek(self.hides[int(rng.integers(len(self.hides)))]) or better
        if better:
            made, ways = self._most()
            if sum(made) > int(self.run.best_worth):
                self._offer(ways)

    def _most(self) -> tuple[Counts, Ways]:
        """Return how many sets of each name all hides make together at most, and how each is used."""
        known: dict[Counts, Ways] = {(0,) * len(self.columns): ()}
        for h in self.hides:
            now: dict[Counts, Ways] = {}
            for made, ways in known.items():
                now.setdefault(made, (*ways, (0, 0)))
                for k, columns in enumerate(self.columns):
                    more = min(columns.most(h), columns.sets - made[k])
                    if more > 0:
                        now.setdefault((*made[:k], made[k] + more, *made[k + 1 :]), (*ways, (k, more)))
            known = now
        return max(known.items(), key=lambda own: sum(own[0]))

    def _offer(self, ways: Ways) -> None:
        marks = [table.mark() for table in self.tables]
        free = [list(range(columns.sets)) for columns in self.columns]
        for h, (k, sets) in zip(self.hides, ways, strict=True):
            self.columns[k].put_some(h, sets, free[k])
        lay = Lay(tuple(p for t in self.tables for p in t.placements()))
        for table, mark in zip(self.tables, marks, strict=True):
            table.back_to(mark)
        self.run.consider(with_counts(self.run.job, lay))
        self.run.consider(self.run.filled(lay))
