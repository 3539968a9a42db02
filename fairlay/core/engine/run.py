"""A search with a time limit: a first fair lay, then better ones, the best kept."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from fairlay.core.engine.bank import Bank, build_bank
from fairlay.core.engine.construct import Construction, Plan, construct
from fairlay.core.engine.reasons import reasons_for
from fairlay.core.engine.table import HideTable, Wish
from fairlay.core.lay.check import broken_rules, without
from fairlay.core.lay.lay import Better, Job, Lay
from fairlay.core.lay.measures import measure, worth

Clock = Callable[[], float]


@dataclass(frozen=True)
class Progress:
    """A better lay, with the second it was found at and its worth."""

    lay: Lay
    second: float
    worth: float
    step: int


def lay_job(
    job: Job,
    clock: Clock,
    *,
    seconds: float | None = None,
    steps: int | None = None,
    on_better: Callable[[Progress], None] = lambda _: None,
    should_stop: Callable[[], bool] = lambda: False,
    start: Lay | None = None,
) -> Lay:
    """Return the best lay of a job found in ``seconds`` (the job's own by default) or ``steps``.

    ``clock`` gives seconds, rising. ``on_better`` hears of each better lay; ``should_stop`` is asked
    often, and ends the search with its best so far. Each lay is checked against the rules before
    it counts: what is returned keeps them all, and is never worse than ``start`` where that keeps
    them. The same job, seed and steps give the same lay.
    """
    limit = job.seconds if seconds is None else seconds
    began = clock()
    rng = np.random.default_rng(job.seed)
    bank = build_bank(job)
    history: list[Better] = []
    best, best_worth = Lay(()), -1.0
    if start is not None and not broken_rules(job, start):
        best, best_worth = replace(start, history=()), worth(job, measure(job, start))
    last: Construction | None = None
    step = 0

    def stop() -> bool:
        return should_stop() or (step > 0 and clock() - began > limit)

    while not stop() and (steps is None or step < steps):
        grounds = dict(enumerate(last.tables)) if last else None
        work = construct(job, bank, _plan(job, step, rng), rng, stop, grounds)
        last = work
        lay = _fair(job, work.lay())
        value = worth(job, measure(job, lay))
        step += 1
        if value > best_worth + 1e-9:
            best, best_worth = lay, value
            history.append(Better(clock() - began, value))
            best = replace(best, history=tuple(history))
            on_better(Progress(best, clock() - began, value, step))
        if not best.unplaced and job.objective == "fill":
            break
    return replace(best, unplaced=reasons_for(job, bank, best, _tables(last)))


def _tables(work: Construction | None) -> list[HideTable] | None:
    return work.tables if work else None


def _plan(job: Job, step: int, rng: np.random.Generator) -> Plan:
    """Return how the next constructive lay goes about it; the first is the plain one."""
    roll = any(hide.is_roll for hide in job.hides)
    along = 0.6 if roll else 0.03 if job.objective == "order" else 0.0
    if step == 0:
        return Plan(Wish(along=along))
    return Plan(
        wish=Wish(along=along * float(rng.uniform(0.5, 2.0)), tight=float(rng.uniform(4.0, 30.0)), noise=float(rng.choice([0.0, 1.0, 3.0]))),
        turns=int(rng.choice([8, 12])),
        shuffle=float(rng.uniform(0.05, 0.5)),
        straight_first=bool(rng.integers(2)),
    )


def _fair(job: Job, lay: Lay) -> Lay:
    """Return a lay without whatever breaks a rule: by the engine's own exactness nothing does, and this is where it is made sure."""
    for _ in range(4):
        broken = broken_rules(job, lay)
        if not any(b.placements for b in broken):
            return lay
        lay = without(lay, broken)
    return Lay(tuple(job.fixed))


def bank_of(job: Job) -> Bank:
    """Return the compiled pieces of a job."""
    return build_bank(job)
