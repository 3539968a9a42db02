"""What a step of the search works at: refilling the hides of the best lay, or sharing an order among them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from fairlay.core.engine.layer import Lying
from fairlay.core.engine.reasons import tables_of
from fairlay.core.engine.refill import Refill
from fairlay.core.engine.roll_of_strips import OFTEN, RollOfStrips
from fairlay.core.engine.share import Share
from fairlay.core.engine.shorten import MOST_ITEMS, Shorten
from fairlay.core.engine.table import HideTable
from fairlay.core.engine.working import Searching, with_counts
from fairlay.core.lay.lay import Lay

REFILLS = 25
"""Attempts at refilling a hide that make one step."""
IMPROVES = 10
"""Attempts at making an order cheaper that make one step."""
SEEKS = 3
"""Ways tried of laying sets on a hide, before the next hide."""
SEEK_ROUNDS, SEEK_SHARE, SEEK_LACKING = 3, 0.06, 0.12
"""Rounds of the hides, seeking columns, before orders are laid out by them; after the first no more of the
time than this share goes into it, and where sets are still lacking as much as the other, round after round.
"""
LAY_OUTS = 2
"""Orders laid out afresh before the best is worked on."""
RECOMBINED, FEW_HIDES = 2, 8
"""One step in so many, lays that single hides had are put together anew; seldomer where there are more hides:
it takes ten times as long on twelve.
"""
PATIENCE, GAIN = 60, 0.001
"""After so many attempts none of which made an order cheaper by this share, another lay is begun from: one
laid out afresh, then what hides had before, in turn.
"""
STARTS_UNTIL, MOST_LAY_OUT = 0.8, 0.08
"""Other lays are begun from until so much of the time is gone, where one takes no more of it than this."""


class Orders:
    """Sharing an order among hides: columns of sets, orders laid out by them, then less and less leather.

    Without ``afresh`` only the last: where most of the order was searched before.
    """

    def __init__(self, run: Searching, *, afresh: bool) -> None:
        self.run = run
        job = run.job
        fillers = {p.id for p in job.pieces if p.filler}
        lay = replace(run.best, placements=tuple(p for p in run.best.placements if p.piece not in fillers))
        self.share = Share(
            job, run.bank, tables_of(job, run.bank, lay, run.tables(), spare=True), run.rng, run.stop
        )
        self.of = run.best
        self.fillers = fillers
        self.turn = 0
        # Columns begin from emptied hides: where sets are fixed, orders are only made better.
        free = afresh and not any(job.pieces_by_id[p.piece].set_name in job.match_sets for p in job.fixed)
        self.seeks = SEEK_ROUNDS * len(job.hides) if job.match_sets and free else 0
        self.seek_from = run.used()
        self.lay_outs = LAY_OUTS if free else 0
        hides = len(job.hides)
        self.recombined = RECOMBINED if hides <= FEW_HIDES else 2 * hides // 3
        self.recombines = not job.fixed and not job.more_of
        self.begins_anew = free and self.recombines
        self.steps = self.idle = self.starts = 0
        self.least = self.lowest = self._now()

    def useful(self) -> bool:
        """There is always leather to save."""
        return True

    def work(self) -> None:
        """Work at the order for some attempts; offer what gets better."""
        self.turn += 1
        hides = len(self.share.tables)
        lacking = self.turn <= self.seeks and self._lacking()
        until = self.seek_from + (SEEK_LACKING if lacking else SEEK_SHARE)
        if lacking and self.turn == self.seeks and self.run.used() < until:
            self.seeks += hides
        if hides < self.turn <= self.seeks and self.run.used() > until:
            self.turn = self.seeks + 1
        if self.turn <= self.seeks:
            hide = (self.turn - 1) % hides
            for columns in self.share.columns.values():
                for _ in range(SEEKS):
                    columns.seek(hide)
            return
        if self.turn <= self.seeks + self.lay_outs:
            self._lay_out()
            return
        if self.of is not self.run.best:
            self._load(self.run.best)
        if self.recombines:
            self._recombine()
        for _ in range(IMPROVES):
            if self.run.stop():
                return
            self.idle += 1
            if self.share.improve(self.run.warmth()):
                now = self._now()
                if now[0] < self.lowest[0] or now[1] < (1.0 - GAIN) * self.lowest[1]:
                    self.idle, self.lowest = 0, now
                if now < self.least:
                    self._offer()

    def _lacking(self) -> bool:
        """Whether all hides together never took as many sets of a name as are wanted."""
        hides = range(len(self.share.tables))
        return any(sum(c.most(h) for h in hides) < c.sets for c in self.share.columns.values())

    def _recombine(self) -> None:
        """Put together anew what single hides had, where that is better; begin from another lay where
        nothing was gained for long, and in the end from the best.
        """
        self.steps += 1
        if self.steps % self.recombined == 0 and self.share.recombine(self.least):
            before = self.run.best
            self._offer()
            if self.run.best is not before:
                self._begin_here()
        if not self.begins_anew:
            return
        if self.run.used() > STARTS_UNTIL:
            self.begins_anew = False
            self._load(self.run.best)
        elif self.idle > PATIENCE:
            self.starts += 1
            if self.starts % 2 or not self.share.recombine(self.least, anyway=True):
                self.share.lay_out()
            self._begin_here()

    def _begin_here(self) -> None:
        self.idle, self.lowest = 0, self._now()

    def _now(self) -> tuple[int, float]:
        return self.share.missing(), round(self.share.cost(), 3)

    def _lay_out(self) -> None:
        began = self.run.used()
        self.share.lay_out()
        if self.run.used() > began + MOST_LAY_OUT:
            self.begins_anew = False
        if self._now() < self.least:
            self._offer()
        else:
            self._load(self.run.best)

    def _offer(self) -> None:
        run = self.run
        lay = with_counts(run.job, Lay(self.share.placements()))
        before = run.best
        run.consider(lay)
        if run.best is not before:
            self.of, self.least = run.best, self._now()

    def _load(self, lay: Lay) -> None:
        self.share.load(tuple(p for p in lay.placements if p.piece not in self.fillers))
        self.of, self.least = lay, self._now()
        self._begin_here()


class Refills:
    """Refilling the hides of the best lay in turn."""

    def __init__(self, run: Searching) -> None:
        self.run = run
        self.tables: list[HideTable] = []
        self.of: Lay | None = None
        self.at = 0
        self.search: Refill | None = None
        self.roll: Shorten | None = None
        self.strips: RollOfStrips | None = None

    def useful(self) -> bool:
        """Whether there is anything to gain: pieces that lie nowhere, or a roll that could be shorter."""
        return bool(self.run.best.unplaced) or self._one_roll()

    def _one_roll(self) -> bool:
        hides, best = self.run.job.hides, self.run.best
        one = len(hides) == 1 and hides[0].is_roll and not best.unplaced
        return one and len(best.placements) <= MOST_ITEMS

    def work(self) -> None:
        """Work at one hide for some attempts; offer what gets better."""
        run = self.run
        if self.of is not run.best:
            self._take_over(run.best)
        if self._one_roll():
            self._shorten()
            return
        if self.search is None or len(self.tables) > 1:
            self.search = Refill(
                self.tables[self.at], self._pool(), run.rng, run.stop, self._held(self.tables[self.at])
            )
        better = False
        for _ in range(REFILLS):
            if run.stop():
                break
            better = self.search.attempt(run.warmth() if len(self.tables) == 1 else 0.0) or better
        if better:
            self._offer(self.search)
        self.at = (self.at + 1) % len(self.tables)

    def _shorten(self) -> None:
        if self.roll is None:
            self.roll = Shorten(self.tables[0], self.run.rng, self.run.stop)
            self.strips = RollOfStrips.of(self.tables[0], self.run.rng, self.run.stop)
        if self.strips is not None and self.strips.useful and self.run.rng.random() < OFTEN:
            lying = self.strips.attempt(self.run.rng, self.run.used())
            if lying is not None:
                self._offer_roll(lying)
            return
        for _ in range(REFILLS):
            if self.run.stop():
                return
            if self.roll.attempt(self.run.used()):
                before = self.run.best
                self._offer_roll(self.roll.best)
                if self.run.best is not before:
                    self.of = self.run.best

    def _offer_roll(self, lying: Sequence[Lying]) -> None:
        self.run.consider(Lay(tuple(self.tables[0].placement(item) for item in lying)))

    def _take_over(self, lay: Lay) -> None:
        self.tables = tables_of(self.run.job, self.run.bank, lay, self.run.tables(), spare=True)
        self.of, self.search = lay, None
        if self.roll is not None and self._one_roll():
            extent = self.tables[0].extent()
            self.roll.take_over(list(self.tables[0].lying.values()), extent[1] if extent else 0.0)
            if self.strips is not None:
                self.strips.take_over(self.tables[0])
        else:
            self.roll = None

    def _offer(self, search: Refill) -> None:
        job = self.run.job
        here = search.table.hide.id
        kept = tuple(p for p in self.of.placements if p.hide != here) if self.of else ()
        placements = kept + tuple(search.table.placement(lying) for lying in search.best.lying)
        lay = with_counts(job, Lay(placements))
        before = self.run.best
        self.run.consider(lay)
        if self.run.best is not before:
            self.of = self.run.best
            if len(self.tables) > 1:
                self._take_over(self.run.best)

    def _pool(self) -> dict[int, list[int]]:
        """Copies that lie nowhere, by variant. A set that must come from one hide is not begun here."""
        job = self.run.job
        placed = {(p.piece, p.copy) for t in self.tables for p in t.placements()}
        placed |= {(job.pieces_by_id[name].parent or name, copy) for name, copy in placed}
        out: dict[int, list[int]] = {}
        for piece in job.pieces:
            if piece.set_name in job.match_sets or (piece.filler and job.objective == "order"):
                continue
            if not job.lays(piece.id):
                continue
            variants = self.run.bank.of_piece[piece.id]
            for n in range(piece.quantity):
                if (piece.id, n) not in placed:
                    out.setdefault(variants[n % len(variants)].index, []).append(n)
        return out

    def _held(self, table: HideTable) -> set[int]:
        """Slots that stay: pieces of matched sets, and where whole sets count, all that sets are made of."""
        job = self.run.job
        held = set()
        for slot, lying in table.lying.items():
            name = lying.variant.piece.set_name
            if name is not None and (name in job.match_sets or job.objective == "sets"):
                held.add(slot)
        return held
