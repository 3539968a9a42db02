"""What a search finds, kept beside the lay until it is taken in: a hand move is never written over."""

from __future__ import annotations

from dataclasses import asdict, dataclass, replace
from typing import Any

from fairlay.core.errors import NotFound, Refused, Stale
from fairlay.core.lay.check import broken_rules
from fairlay.core.lay.lay import Job, Lay, Unplaced
from fairlay.core.lay.measures import measure, worth
from fairlay.core.lay.unplaced import still_unplaced
from fairlay.store import lays
from fairlay.store.clock import now
from fairlay.store.database import connected
from fairlay.store.helpers import check_owner_of_help
from fairlay.store.insisted import insisted_keys
from fairlay.store.jobs import LIVE, check_owner
from fairlay.store.lay_rows import (
    State,
    difference,
    job_of,
    lies_of,
    read_written,
    rounded,
    state_at,
    with_difference,
    written,
)
from fairlay.store.locks import hold_lay, locked_lay
from fairlay.store.tables import HelpRow, JobRow, LayCandidateRow, LayRow


@dataclass(frozen=True)
class Candidate:
    """The best of a search so far: what lies, from which revision it began, who found it (0: the search
    itself).
    """

    lay_id: int
    job_id: int
    helper: int
    version: int
    job_number: int
    base: int
    lay: Lay
    measures: dict[str, Any]
    worth: float


@dataclass(frozen=True)
class TakenIn:
    """Whether what a search found is in the lay now, as which revision; else why it waits."""

    number: int | None
    waits: str = ""


def _from(row: LayCandidateRow) -> Candidate:
    lay = Lay(tuple(map(read_written, row.lies)), tuple(Unplaced(**u) for u in row.unplaced))
    return Candidate(
        row.lay_id,
        row.job_id,
        row.helper,
        row.version,
        row.job_number,
        row.base,
        lay,
        row.measures,
        row.worth,
    )


@connected
def put(
    lay_id: int, job_id: int, owner: str, lay: Lay, *, job_number: int, base: int, helper: int = 0
) -> None:
    """Keep the best of a search. Raises Lost where ``owner`` has the job no longer: nothing is kept then."""
    if helper:
        check_owner_of_help(job_id, helper, owner)
    else:
        check_owner(job_id, owner)
    job = job_of(lay_id, job_number)
    kept = replace(lay, placements=rounded(lay.placements))
    measures = measure(job, kept)
    values = {
        "job_number": job_number,
        "base": base,
        "lies": written(kept.placements),
        "unplaced": [asdict(u) for u in lay.unplaced],
        "measures": asdict(measures),
        "worth": worth(job, measures),
        "found_at": now(),
    }
    own = (LayCandidateRow.job == job_id) & (LayCandidateRow.helper == helper)
    if not LayCandidateRow.update(version=LayCandidateRow.version + 1, **values).where(own).execute():
        LayCandidateRow.create(lay=lay_id, job=job_id, helper=helper, version=1, **values)


@connected
def best_of(job_id: int, *, but: int | None = None, over: float | None = None) -> Candidate | None:
    """Return the best that a search and its helpers found: ``but`` one of them, only what is worth more than
    ``over``; None where there is none.
    """
    query = LayCandidateRow.select().where(LayCandidateRow.job == job_id)
    if but is not None:
        query = query.where(LayCandidateRow.helper != but)
    if over is not None:
        query = query.where(LayCandidateRow.worth > over + 1e-9)
    row = query.order_by(LayCandidateRow.worth.desc(), LayCandidateRow.helper).first()
    return None if row is None else _from(row)


@connected
def of_lay(lay_id: int) -> Candidate | None:
    """Return what waits beside a lay: the best of its newest search that is not taken in yet."""
    row = (
        LayCandidateRow.select()
        .where(LayCandidateRow.lay == lay_id)
        .order_by(LayCandidateRow.job.desc(), LayCandidateRow.worth.desc(), LayCandidateRow.helper)
        .first()
    )
    return None if row is None else _from(row)


@connected
def take_in(lay_id: int, job_id: int, *, over_hand: bool = False, base: int | None = None) -> TakenIn:
    """Take the best of a search into the lay, as a new revision on what stands newest.

    Where pieces were moved by hand meanwhile, both stand if they touch different pieces and lie fairly
    together; else what was found waits, unless it is to be taken ``over_hand`` (from revision ``base``).
    Raises NotFound where nothing waits, Stale where ``base`` is not the newest.
    """
    row = hold_lay(lay_id)
    found = best_of(job_id)
    if found is None:
        raise NotFound(f"nothing that job {job_id} found waits", value=job_id)
    head = state_at(row.id, int(row.head))
    if base is not None and base != row.head:
        raise Stale(f"revision {row.head} was saved since revision {base}", newer=row.head)
    lay = found.lay if over_hand else _together(row, head, found)
    if lay is None:
        return TakenIn(None, "pieces were moved by hand while it was laid, and both cannot stand together")
    if over_hand and found.job_number != head.job_number:
        raise Refused(
            "this was found on the leather as it was before it changed",
            value=found.job_number,
            expected="a search on the leather as it is now; the lay stays as it is",
        )
    number = None
    if difference(head.lies, lies_of(lay.placements)).keys or lay.unplaced != head.unplaced:
        number = lays.add_revision(row, head, lay, "engine")
    _forget(job_id)
    return TakenIn(number if number is not None else int(row.head))


def _together(row: LayRow, head: State, found: Candidate) -> Lay | None:
    """What a search found, on a lay that may have gone on by hand; None where both cannot stand."""
    if found.job_number != head.job_number:
        return None
    if head.number == found.base:
        return found.lay
    began = state_at(row.id, found.base)
    if began.job_number != head.job_number:
        return None
    by_search = difference(began.lies, lies_of(found.lay.placements))
    by_hand = difference(began.lies, head.lies)
    if by_search.keys & by_hand.keys:
        return None
    job = job_of(row.id, head.job_number)
    both = Lay(tuple(with_difference(head.lies, by_search).values()))
    if _breaks(replace(job, excused=insisted_keys(row.id)), both):
        return None
    return replace(both, unplaced=still_unplaced(job, both, found.lay.unplaced))


def _breaks(job: Job, lay: Lay) -> bool:
    return bool(broken_rules(job, lay))


@connected
def leave(lay_id: int) -> None:
    """Leave what waits beside a lay. Raises Refused while it is being laid."""
    locked_lay(lay_id)
    live = JobRow.select().where(JobRow.lay == lay_id, JobRow.kind == "lay", JobRow.state.in_(LIVE))
    if live.exists():
        raise Refused("this lay is being laid", value=lay_id, expected="to stop that first")
    LayCandidateRow.delete().where(LayCandidateRow.lay == lay_id).execute()


def _forget(job_id: int) -> None:
    """Let go what a search found, and first its helpers: one that comes late leaves nothing beside the
    lay.
    """
    HelpRow.delete().where(HelpRow.job == job_id).execute()
    LayCandidateRow.delete().where(LayCandidateRow.job == job_id).execute()
