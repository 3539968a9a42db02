"""What is proved of a lay: how many of what it leaves out have room on its hides at all."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from typing import Any

from fairlay.core.bounds.at_most import AtMost, Step, steps, told
from fairlay.core.errors import Refused
from fairlay.core.formats.exchange import write_job
from fairlay.core.lay.lay import Job
from fairlay.store import jobs, lays
from fairlay.store.database import connected
from fairlay.store.lays import SavedLay
from fairlay.store.work_asked import ProveWork, WorkJob


@dataclass(frozen=True)
class Proofs:
    """What is known of a lay as it stands: whether there is anything to be ``asked`` that was
    not, the newest job that proved
    something, what that found; it is ``old`` where the lay is asked for otherwise since, and says nothing.
    """

    asked: bool
    job: WorkJob | None = None
    proved: int = 0
    found: tuple[AtMost, ...] = ()
    old: bool = False


def job_proved(saved: SavedLay) -> Job:
    """Return what a lay is asked for, as if nothing lay and nothing was pinned."""
    return replace(saved.job, fixed=(), leave=frozenset(), more_of=frozenset())


@connected
def prove(lay_id: int) -> int:
    """Queue the proofs of a lay as it stands; return the job's id. Raises NotFound, and Refused where there
    is nothing to prove, or it is being proved.
    """
    saved = lays.load(lay_id)
    asked = steps(job_proved(saved), saved.lay)
    if not asked:
        raise Refused(
            "there is nothing to prove of what this lay leaves out",
            value=sum(u.count for u in saved.lay.unplaced),
            expected="a large piece, whole and held to its grain, or a set with one, left out on hides",
        )
    return jobs.add_proof(lay_id, ProveWork(asked, saved.head))


@connected
def proofs_of(saved: SavedLay) -> Proofs:
    """Return what is proved of a lay as it stands."""
    job = job_proved(saved)
    asked, newest = steps(job, saved.lay), jobs.newest_proof(saved.id)
    if newest is None:
        return Proofs(bool(asked))
    work = newest.prove_work
    if work.base != saved.head and write_job(job_proved(lays.load(saved.id, work.base))) != write_job(job):
        return Proofs(bool(asked), newest, old=True)
    known = known_of(jobs.kept_result(newest.id) or [])
    more = newest.state in ("failed", "stopped") or not {*asked} <= {*work.steps}
    return Proofs(bool(asked) and more, newest, len(known), told(job, saved.lay, work.steps, known))


def row_of(step: Step, most: int) -> Any:
    """Return a proof as its job keeps it."""
    return [step.hide, step.of, step.name, most]


def known_of(rows: Iterable[Sequence[Any]]) -> dict[Step, int]:
    """Return proofs from how their job keeps them."""
    return {Step(hide, of, name): int(most) for hide, of, name, most in rows}
