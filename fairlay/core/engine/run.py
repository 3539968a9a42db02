"""A search with a time limit: a first fair lay, then better ones, the best kept."""

from __future__ import annotations

from collections.abc import Callable, Collection, Sequence
from dataclasses import dataclass, replace

import numpy as np

from fairlay.core.engine.bank import build_bank
from fairlay.core.engine.butt import Taste
from fairlay.core.engine.construct import Construction, Plan, construct
from fairlay.core.engine.hard_first import hard_of, with_the_rest
from fairlay.core.engine.one_more import OneMore
from fairlay.core.engine.reasons import reasons_for
from fairlay.core.engine.refill import mostly_exact
from fairlay.core.engine.sets_by_hide import SetsByHide
from fairlay.core.engine.table import HideTable, Wish
from fairlay.core.engine.workers import Orders, Refills
from fairlay.core.engine.working import with_counts
from fairlay.core.lay.check import broken_rules, without
from fairlay.core.lay.lay import Better, Job, Lay
from fairlay.core.lay.measures import measure, prices, worth
from fairlay.core.lay.near import sets_near

Clock = Callable[[], float]
FRESH_LAYS = {"fill": 4, "sets": 2, "order": 1}
"""Constructive lays tried, each its own way, before the best of them is worked on."""
SETS_UNTIL, SETS_SHARE = 0.85, 0.97
"""Where whole sets count, so much of the time goes, this often, to one set more; the rest to value beside
them.
"""
BY_HIDE = 0.3
"""How often of these a hide is tried by itself."""
LEAST_COVERED, JUST_ENOUGH = 0.9, 1.05
"""Pieces that come to about as much as there is leather all go only where their sides meet: then so many lays
are made side to side afresh, each by its own taste, and as often again later.
"""
FULL, IDLE_STEPS = 0.85, 150
"""Where all of a fill lies and covers less than this of the leather, less of it is looked for, until so many
steps gained nothing.
"""
FRESH_BUTTED, WORK_SHARE_BUTTED = 40, 0.6
HARD_SHARE, AROUND_SHARE = 0.5, 0.1
"""Of an order, what is hard is searched alone for so much of the time, and the rest around it for so much."""
MOST_FIRST = 0.085
"""Where the first lay took more of the time than this, too little is left to search twice."""
SHOWN_EVERY = 0.1
"""As often, by the share of the time that went, all else is laid about what is hard, to be seen."""
SHOWING = 0.08
"""No more of the time than this goes into showing."""
GROWN_FIRST_S, GROWN_EVERY_S = 0.2, 0.4
"""So long after its first piece a first lay that is not done yet is shown, where that is wanted, and then as
often; no more of the time than a quarter goes into it.
"""
FIRST_UNTIL_S = 2.5
"""Who stops a search at the first pieces seen gets the rest of a first lay all the same, if it is done by
then.
"""
NOT_TRIED = "not laid yet: the laying was stopped before a first lay was done"
WORK_SHARE = {"fill": 0.97, "sets": 0.9, "order": 1.0}
"""How often, after the fresh lays, a step works on the best lay rather than laying afresh."""


@dataclass(frozen=True)
class Progress:
    """A better lay, with the second it was found at and its worth."""

    lay: Lay
    second: float
    worth: float
    step: int


class Run:
    """One run of the engine at one job."""

    def __init__(
        self,
        job: Job,
        clock: Clock,
        limit: float,
        steps: int | None,
        on_better: Callable[[Progress], None],
        should_stop: Callable[[], bool],
        start: Lay | None,
        spares: bool = True,
        afresh: bool = True,
        growing: bool = False,
    ) -> None:
        self.job, self.clock, self.limit, self.steps = _priced(job), clock, limit, steps
        self.on_better, self.should_stop = on_better, should_stop
        self.spares, self.afresh = spares, afresh
        self.grows = growing and start is None and not any(h.is_roll for h in job.hides)
        self.grown_next: float | None = None
        self.broken_off: Lay | None = None
        self.began = clock()
        self.rng = np.random.default_rng(job.seed)
        self.bank = build_bank(job)
        self.history: list[Better] = []
        self.best, self.best_worth = Lay(()), -1.0
        self.step = 0
        self.grounds: dict[int, HideTable] | None = None
        self.just_enough = _just_enough(job)
        self.start = start.placements if start is not None else ()
        if start is not None and not broken_rules(job, own := _fair(job, start)):
            self.best = with_counts(self.job, replace(own, history=()))
            self.best_worth = worth(self.job, measure(self.job, own))

    def stop(self) -> bool:
        return self.should_stop() or (self.step > 0 and self.spent() > self.limit)

    def spent(self) -> float:
        return self.clock() - self.began

    def used(self) -> float:
        """The share of the time or the steps that is gone."""
        return self.step / self.steps if self.steps is not None else self.spent() / max(self.limit, 1e-9)

    def warmth(self) -> float:
        """1 at the start, 0 at the end of the time or the steps."""
        return max(0.0, 1.0 - 1.15 * self.used())

    def consider(self, lay: Lay) -> None:
        """Keep a lay that is worth more than the best, once the rules themselves have passed it."""
        value = worth(self.job, measure(self.job, lay))
        if value <= self.best_worth + 1e-9:
            return
        # What lies as it does in the best lay has passed already: only what moved can break a rule.
        passed = frozenset(self.best.placements)
        fair = _fair(self.job, lay, {(p.piece, p.copy) for p in lay.placements if p not in passed})
        value = worth(self.job, measure(self.job, fair))
        if value > self.best_worth + 1e-9:
            self.history.append(Better(self.spent(), value))
            self.best = with_counts(self.job, replace(fair, history=tuple(self.history)))
            self.best_worth = value
            self.on_better(Progress(self.best, self.spent(), value, self.step))

    def search(self, elsewhere: Callable[[], Sequence[Lay]]) -> None:
        """Search until the time or the steps are used up."""
        worker: Refills | Orders | None = None
        sets: OneMore | None = None
        by_hide: SetsByHide | None = None
        while not self.stop() and (self.steps is None or self.step < self.steps):
            for lay in elsewhere():
                self.consider(lay)
            if self.step >= self._fresh_lays() and worker is None:
                searched = self._hard_first()
                worker = (
                    Orders(self, afresh=not searched)
                    if self.job.objective == "order" and not any(h.is_roll for h in self.job.hides)
                    else Refills(self)
                )
            if worker is not None and self.job.objective == "sets" and sets is None:
                sets, by_hide = OneMore(self), SetsByHide(self)
            if (
                sets is not None
                and by_hide is not None
                and self.used() < SETS_UNTIL
                and sets.useful()
                and self.rng.random() < SETS_SHARE
            ):
                (by_hide if by_hide.useful() and self.rng.random() < BY_HIDE else sets).work()
            elif worker is not None and worker.useful() and self.rng.random() < self._work_share():
                worker.work()
            else:
                self.lay_afresh()
            self.step += 1
            if self.job.objective != "order" and self.best.placements and not self.best.unplaced:
                self._spare_leather()
                break
        for lay in elsewhere():
            self.consider(lay)

    def _hard_first(self) -> bool:
        """Search an order without what is easy to lay, then lay that around it; whether that was done."""
        if not self.afresh:
            return False
        hard = hard_of(self.job, self.bank, tables) if (tables := self.tables()) else None
        if hard is None or self.used() > MOST_FIRST:
            return False
        shown, every = self.used(), SHOWN_EVERY

        def show(found: Progress) -> None:
            nonlocal shown, every
            if (began := self.used()) > shown + every:
                self.consider(with_the_rest(self, found.lay, self.stop, tries=1))
                shown = self.used()
                every = max(SHOWN_EVERY, (shown - began) / SHOWING)

        alone = self._part(hard, HARD_SHARE, show)
        if self.stop():
            # What was found is kept all the same, with all else laid about it once more.
            if alone.best.placements:
                self.consider(with_the_rest(self, alone.best, lambda: False))
            return True
        around = replace(self.job, fixed=alone.best.placements)
        self.consider(self._part(around, AROUND_SHARE, lambda _: None).best)
        return True

    def _part(self, job: Job, share: float, on_better: Callable[[Progress], None]) -> Run:
        """Return a run at part of the job, for a share of the time or the steps."""
        steps = None if self.steps is None else max(1, int(self.steps * share))
        part = Run(job, self.clock, self.limit * share, steps, on_better, self.stop, None)
        part.search(tuple)
        self.step += part.step
        return part

    def _spare_leather(self) -> None:
        """All lies: lay it on less leather, as an order is, until that gains nothing for a while."""
        full = measure(self.job, self.best).fill >= FULL and not any(h.is_roll for h in self.job.hides)
        steps = None if self.steps is None else self.steps - self.step
        if full or not self.spares or steps == 0 or self.stop():
            return
        gained = 0

        def shorter(found: Progress) -> None:
            nonlocal gained
            gained = part.step
            self.consider(found.lay)

        part = Run(
            replace(self.job, objective="order"),
            self.clock,
            self.limit - self.spent(),
            steps,
            shorter,
            lambda: self.stop() or part.step > gained + IDLE_STEPS,
            self.best,
            afresh=False,
        )
        part.search(tuple)
        self.step += part.step

    def _fresh_lays(self) -> int:
        return FRESH_BUTTED if self.just_enough else FRESH_LAYS[self.job.objective]

    def _work_share(self) -> float:
        return WORK_SHARE_BUTTED if self.just_enough else WORK_SHARE[self.job.objective]

    def with_reasons(self) -> Lay:
        """Return the best lay, sets together, with the reason for each piece that found no place."""
        broken_off = self.best is self.broken_off
        if self.job.objective == "order" and any(piece.filler for piece in self.job.pieces):
            self.best = self._with_fillers(self.best)
        near = sets_near(self.job, self.best, self.start)
        if broken_off:
            left = (u for u in near.unplaced if not self.job.pieces_by_id[u.piece].filler)
            return replace(near, unplaced=tuple(replace(u, reason=NOT_TRIED) for u in left))
        return replace(near, unplaced=reasons_for(self.job, self.bank, near, self.tables()))

    def lay_afresh(self) -> None:
        """Lay all anew, each time another way, and keep it where it is better."""
        work = construct(
            self.job,
            self.bank,
            _plan(self.job, self.step, self.rng, self.just_enough),
            self.rng,
            self._stop_first if self.grows else self.stop,
            self.grounds,
            growing=self._grown if self.grows else lambda _: None,
        )
        first = self.grounds is None
        if first:
            self.grounds = dict(enumerate(work.tables))
        self.consider(work.lay())
        if first and not self.start and (self._stop_first() if self.grows else self.stop()):
            self.broken_off = self.best
        self.grows = False

    def _stop_first(self) -> bool:
        return self.spent() > FIRST_UNTIL_S and self.stop()

    def _grown(self, work: Construction) -> None:
        """Offer what lies so far of the first lay, now and then: it is fair, and seen the sooner."""
        began = self.spent()
        if self.grown_next is None:
            self.grown_next = began + GROWN_FIRST_S
        if began >= self.grown_next:
            self.consider(work.lay())
            self.grown_next = self.spent() + max(GROWN_EVERY_S, 3.0 * (self.spent() - began))

    def filled(self, lay: Lay) -> Lay:
        """Return a lay with all else laid where it still goes, sets or not."""
        around = replace(self.job, fixed=lay.placements, objective="fill")
        return construct(around, self.bank, Plan(square=2.0), self.rng, self.stop, self.grounds).lay()

    def _with_fillers(self, lay: Lay) -> Lay:
        """Return a lay with fillers in its gaps, none of them costing leather."""
        work = construct(
            replace(self.job, fixed=lay.placements),
            self.bank,
            Plan(),
            self.rng,
            self.should_stop,
            self.grounds,
            only_fillers=True,
        )
        full = _fair(self.job, replace(lay, placements=tuple(p for t in work.tables for p in t.placements())))
        return (
            full
            if worth(self.job, measure(self.job, full)) >= worth(self.job, measure(self.job, lay)) - 1e-9
            else lay
        )

    def tables(self) -> list[HideTable] | None:
        """Empty or not, tables whose compiled ground may be shared; None before the first lay."""
        return [self.grounds[i] for i in range(len(self.job.hides))] if self.grounds else None


def lay_job(
    job: Job,
    clock: Clock,
    *,
    seconds: float | None = None,
    steps: int | None = None,
    on_better: Callable[[Progress], None] = lambda _: None,
    should_stop: Callable[[], bool] = lambda: False,
    start: Lay | None = None,
    elsewhere: Callable[[], Sequence[Lay]] = tuple,
    reasons: bool = True,
    spares: bool = True,
    growing: bool = False,
) -> Lay:
    """Return the best lay of a job found in ``seconds`` (the job's own by default) or ``steps``.

    ``clock`` gives seconds, rising. ``on_better`` hears of each better lay; ``should_stop`` is asked
    often, and ends the search with its best so far. Each lay is checked against the rules before
    it counts: what is returned keeps them all, and is never worse than ``start`` where that keeps
    them. The same job, seed and steps give the same lay. ``elsewhere`` is asked at each step for lays
    found by others, which are taken over where they are better; ``reasons`` says whether what found no
    place is given its reason; ``spares``, whether a fill of which all lies goes on for less leather;
    ``growing``, whether a first lay is offered while it is laid, a few pieces at first.
    """
    limit = job.seconds if seconds is None else seconds
    run = Run(job, clock, limit, steps, on_better, should_stop, start, spares, growing=growing)
    run.search(elsewhere)
    return run.with_reasons() if reasons else run.best


def _priced(job: Job) -> Job:
    """Return a job whose leather has a price, any, where none was stated."""
    if any(hide.cost_per_m2 for hide in job.hides):
        return job
    each = prices(job)
    return replace(job, hides=tuple(replace(h, cost_per_m2=each[h.id]) for h in job.hides))


def _just_enough(job: Job) -> bool:
    """Whether all pieces just cover the leather, and butting is quick: they are held to their line."""
    if job.objective != "fill" or job.policy.grain_school == "free" or any(h.is_roll for h in job.hides):
        return False
    area = sum(p.area_mm2 * p.quantity for p in job.pieces)
    usable = sum(h.usable.area for h in job.hides)
    return bool(LEAST_COVERED * usable <= area <= JUST_ENOUGH * usable)


def _plan(job: Job, step: int, rng: np.random.Generator, just_enough: bool = False) -> Plan:
    """Return how the next constructive lay goes about it; the first is the plain one."""
    roll = any(hide.is_roll for hide in job.hides)
    along = 0.6 if roll else 0.03 if job.objective == "order" else 0.0
    square = 2.0 if job.objective == "fill" else 0.0
    if step == 0:
        return Plan(Wish(along=along), square=square, one_by_one=job.objective == "sets")
    if step == 1 and job.objective == "sets":
        return Plan(Wish(along=along), square=square)
    if step == 1 and job.objective == "fill" and mostly_exact(job):
        return Plan(Wish(along=along), square=square, butt=Taste())
    if just_enough:
        taste = Taste(
            float(rng.uniform(1.0, 5.0)),
            float(rng.choice([0.0, 0.3, 1.0])),
            float(rng.choice([0.0, 0.1, 0.4])),
        )
        return Plan(Wish(along=along), square=square, butt=taste)
    return Plan(
        wish=Wish(
            along=along * float(rng.uniform(0.5, 2.0)),
            tight=float(rng.uniform(4.0, 30.0)),
            noise=float(rng.choice([0.0, 1.0, 3.0])),
        ),
        turns=int(rng.choice([8, 12])),
        shuffle=float(rng.uniform(0.05, 0.5)),
        straight_first=bool(rng.integers(2)),
        square=float(rng.choice([0.0, 2.0, 4.0])) if job.objective == "fill" else 0.0,
    )


def _fair(job: Job, lay: Lay, moved: Collection[tuple[str, int]] | None = None) -> Lay:
    """Return a lay without whatever breaks a rule: by the engine's own exactness nothing does, and this is
    where it is made sure. ``moved``: all else lies as it did in a lay that broke none.
    """
    for _ in range(4):
        broken = broken_rules(job, lay, moved)
        if not broken:
            return lay
        if not any(b.placements for b in broken):
            break
        lay = without(lay, broken)
    return Lay(tuple(job.fixed))
