"""Lays in the store: one live thing each, with one writer at a time. Its history only grows: undo and going
back are changes too, a name is given beside a revision, and nothing that was laid is ever rewritten.
"""

from __future__ import annotations

import datetime
from collections.abc import Collection, Iterable, Sequence
from dataclasses import asdict, dataclass, replace
from typing import Any, Final

from fairlay.core.errors import NotFound, Refused, Stale
from fairlay.core.formats.exchange import write_job
from fairlay.core.lay.lay import Job, Lay
from fairlay.core.lay.unplaced import still_unplaced
from fairlay.core.lay.what_if import Change
from fairlay.store import spoken_for
from fairlay.store.clock import now
from fairlay.store.cut_state import cut_keys, is_cut
from fairlay.store.database import connected
from fairlay.store.insisted import unsign
from fairlay.store.jobs import LIVE
from fairlay.store.lay_history import Revision, history
from fairlay.store.lay_rows import (
    Key,
    State,
    append,
    difference,
    hides_under,
    job_of,
    lies_of,
    rounded,
    state_at,
    touched_since,
)
from fairlay.store.locks import hold_lay, locked_hides, locked_lay, open_batch
from fairlay.store.tables import (
    PRACTICE,
    BatchRow,
    HideRow,
    LayBatchRow,
    LayCandidateRow,
    LayHideRow,
    LayJobRow,
    LayMarkRow,
    LayPinRow,
    LayRevisionRow,
    LayRow,
)
from fairlay.store.work_asked import WorkJob

MOST_LISTED: Final = 400


@dataclass(frozen=True)
class LaidOn:
    """A hide that a lay is on, at the version that was laid on."""

    hide_id: int
    version: int


@dataclass(frozen=True)
class SavedLay:
    """A lay at one of its revisions; ``leather`` are the hides of its job as they were laid on, ``changes``
    what is asked of it otherwise than its batch has it, ``with_batches`` the others it is laid for.
    """

    id: int
    batch_id: int
    material: str
    objective: str
    given_up: bool
    head: int
    at: int
    job_number: int
    job: Job
    lay: Lay
    leather: tuple[LaidOn, ...]
    pins: tuple[Key, ...]
    revisions: tuple[Revision, ...]
    changes: tuple[Change, ...] = ()
    with_batches: tuple[int, ...] = ()


@dataclass(frozen=True)
class LaySummary:
    """A lay as a list names it."""

    id: int
    batch_id: int
    material: str
    objective: str
    given_up: bool
    head: int
    created_at: datetime.datetime
    measures: dict[str, Any]


@connected
def create_lay(
    batch_id: int,
    material: str,
    job: Job,
    leather: Sequence[LaidOn],
    *,
    shared: bool = False,
    with_batches: Sequence[int] = (),
) -> int:
    """Begin a lay on hides, as they are now, for a batch ``with_batches`` beside it: an empty revision 1.
    Return its id.

    The hides are kept for the batch from then on. Raises Refused where the batch rests or one
    is kept for another batch, unless it is ``shared`` knowingly, and Stale where one changed since its
    version was read.
    """
    for one in sorted({batch_id, *with_batches}):
        open_batch(one)
    rows = locked_hides(on.hide_id for on in leather)
    versions = {int(row.id): int(row.version) for row in rows}
    for on in leather:
        if versions[on.hide_id] != on.version:
            raise Stale("a hide was changed just now; nothing was begun", newer=versions[on.hide_id])
    spoken_for.keep(batch_id, rows, shared=shared)
    row = LayRow.create(batch=batch_id, material=material, objective=job.objective, head=0, created_at=now())
    for other in with_batches:
        LayBatchRow.create(lay=row.id, batch=other)
    _keep_job(row.id, 1, job, leather)
    append(row, State(0, 1, {}, ()), Lay(tuple(job.fixed)), "begun")
    return int(row.id)


def _keep_job(
    lay_id: int, number: int, job: Job, leather: Sequence[LaidOn], changes: Sequence[Change] = ()
) -> None:
    made = LayJobRow.create(
        lay=lay_id,
        number=number,
        document=write_job(job),
        changes=[asdict(c) for c in changes] or None,
        created_at=now(),
    )
    for on in leather:
        LayHideRow.create(lay_job=made.id, hide=on.hide_id, version=on.version)


@connected
def summaries(batch_id: int | None = None) -> list[LaySummary]:
    """Return the lays of a batch, or the newest of all, newest first: two queries."""
    query = LayRow.select().join(BatchRow).order_by(LayRow.id.desc())
    if batch_id is None:
        query = query.where(BatchRow.state != PRACTICE).limit(MOST_LISTED)
    else:
        query = query.where(LayRow.batch == batch_id)
    rows = list(query)
    if not rows:
        return []
    heads = {
        r.lay_id: r.measures
        for r in LayRevisionRow.select(LayRevisionRow.lay, LayRevisionRow.measures)
        .join(LayRow, on=(LayRevisionRow.lay == LayRow.id))
        .where(LayRow.id.in_([row.id for row in rows]), LayRevisionRow.number == LayRow.head)
    }
    return [
        LaySummary(
            r.id,
            r.batch_id,
            r.material,
            r.objective,
            bool(r.given_up),
            r.head,
            r.created_at,
            heads.get(r.id, {}),
        )
        for r in rows
    ]


@connected
def load(lay_id: int, at: int | None = None) -> SavedLay:
    """Return a lay at a revision, the newest by default. Raises NotFound."""
    row = LayRow.get_or_none(LayRow.id == lay_id)
    if row is None:
        raise NotFound(f"there is no lay {lay_id}", value=lay_id)
    number = int(row.head) if at is None else at
    if not 1 <= number <= row.head:
        raise NotFound(f"lay {lay_id} has no revision {number}", value=number, expected=f"1 to {row.head}")
    state = state_at(row.id, number)
    pins = tuple(
        (pin.piece, int(pin.copy_number))
        for pin in LayPinRow.select()
        .where(LayPinRow.lay == row.id)
        .order_by(LayPinRow.piece, LayPinRow.copy_number)
        if (pin.piece, int(pin.copy_number)) in state.lies
    )
    return SavedLay(
        row.id,
        row.batch_id,
        row.material,
        row.objective,
        bool(row.given_up),
        row.head,
        number,
        state.job_number,
        job_of(row.id, state.job_number),
        state.lay,
        _leather(row.id, state.job_number),
        pins,
        history(row.id),
        _changes(row.id, state.job_number),
        tuple(r.batch_id for r in LayBatchRow.select().where(LayBatchRow.lay == row.id)),
    )


def versions_of(hide_ids: Iterable[int]) -> dict[int, int]:
    """Return which version hides are now, by id."""
    rows = HideRow.select(HideRow.id, HideRow.version).where(HideRow.id.in_(list(hide_ids) or [0]))
    return {int(row.id): int(row.version) for row in rows}


def _changes(lay_id: int, job_number: int) -> tuple[Change, ...]:
    row = LayJobRow.select(LayJobRow.changes).where(LayJobRow.lay == lay_id, LayJobRow.number == job_number)
    return tuple(Change(**c) for c in row.get().changes or ())


def _leather(lay_id: int, job_number: int) -> tuple[LaidOn, ...]:
    rows = (
        LayHideRow.select(LayHideRow.hide, LayHideRow.version)
        .join(LayJobRow)
        .where(LayJobRow.lay == lay_id, LayJobRow.number == job_number)
        .order_by(LayHideRow.id)
    )
    return tuple(LaidOn(row.hide_id, row.version) for row in rows)


@connected
def save(lay_id: int, lay: Lay, source: str, *, base: int, mark: str = "") -> int:
    """Add a revision that shows a whole lay; return its number. Raises Stale where a newer one stands."""
    row = hold_lay(lay_id)
    return add_revision(row, state_of_base(row, base), lay, source, mark=mark)


@connected
def name_revision(lay_id: int, number: int, mark: str) -> None:
    """Give a revision a name to find it by; without a name it has none. The revision itself stays as it
    is.
    """
    row = locked_lay(lay_id)
    if not 1 <= number <= row.head:
        raise NotFound(f"lay {lay_id} has no revision {number}", value=number, expected=f"1 to {row.head}")
    _name(row, number, mark)


def _name(row: LayRow, number: int, mark: str) -> None:
    LayMarkRow.delete().where(LayMarkRow.lay == row.id, LayMarkRow.number == number).execute()
    if mark:
        LayMarkRow.create(lay=row.id, number=number, name=mark, created_at=now())


def ask_anew(
    row: LayRow,
    job: Job,
    lay: Lay,
    leather: Sequence[LaidOn],
    *,
    base: int,
    changes: Sequence[Change],
    source: str = "leather",
    freed: Collection[Key] = (),
) -> int:
    """Ask a lay, held with the hides of ``leather`` (``hold_lay``), for something else: of its hides as they
    are now, of its batch, or otherwise. What lies is as ``lay`` has it; ``changes`` is all that it is asked
    otherwise from then on. Return the number of the new revision.

    Raises Stale as ``save`` does, and where a hide changed once more.
    """
    state = state_of_base(row, base)
    versions = versions_of(on.hide_id for on in leather)
    for on in leather:
        if versions[on.hide_id] != on.version:
            raise Stale("the leather was changed once more; nothing was changed", newer=versions[on.hide_id])
    newest = LayJobRow.select(LayJobRow.number).where(LayJobRow.lay == row.id)
    number = int(newest.order_by(LayJobRow.number.desc()).first().number) + 1
    _keep_job(row.id, number, job, leather, changes)
    lay = replace(lay, unplaced=still_unplaced(job, lay, (*state.unplaced, *lay.unplaced)))
    return add_revision(row, state, lay, source, job_number=number, freed=freed)


@connected
def give_up(lay_id: int, given_up: bool = True) -> None:
    """Give a lay up, or take it up again: its hides stay kept for the batch until that lets them go."""
    given_up_held(hold_lay(lay_id), given_up)


def given_up_held(row: LayRow, given_up: bool) -> None:
    """Give a lay that is held up, or take it up again."""
    LayRow.update(given_up=given_up).where(LayRow.id == row.id).execute()
    row.given_up = given_up
    spoken_for.settle(row, hides_under(state_at(row.id, int(row.head)).lies.values()))


@connected
def seen_now(lay_id: int, newest: WorkJob | None) -> str:
    """Return the name of the state a lay is in, as ``api.laid`` names it, without reading what lies."""
    row = LayRow.select(LayRow.head).where(LayRow.id == lay_id).get_or_none()
    if row is None:
        raise NotFound(f"there is no lay {lay_id}", value=lay_id)
    if newest is not None and newest.state in LIVE:
        found = (
            LayCandidateRow.select(LayCandidateRow.helper, LayCandidateRow.version)
            .where(LayCandidateRow.job == newest.id)
            .order_by(LayCandidateRow.worth.desc(), LayCandidateRow.helper)
            .first()
        )
        if found is not None:
            return f"c{newest.id}.{found.helper}.{found.version}"
    return f"r{row.head}"


def add_revision(
    row: LayRow,
    state: State,
    lay: Lay,
    source: str,
    *,
    mark: str = "",
    job_number: int | None = None,
    stands_for: int | None = None,
    undoes: int | None = None,
    freed: Collection[Key] = (),
) -> int:
    """Add a revision to a lay that is held (``hold_lay``), and what follows from it; return its number.

    Raises Refused where it would move what is cut, but for pieces in ``freed``.
    """
    before = hides_under(state.lies.values())
    if is_cut(row):
        touched = difference(state.lies, lies_of(rounded(lay.placements))).keys
        stuck = sorted((touched & cut_keys(int(row.id))) - set(freed))
        if stuck:
            raise Refused(
                f"{stuck[0][0]} {stuck[0][1] + 1} is cut",
                value=len(stuck),
                expected="what is cut to stay where it was; nothing was changed",
            )
    after = append(row, state, lay, source, job_number=job_number, stands_for=stands_for, undoes=undoes)
    if mark:
        _name(row, after.number, mark)
    unsign(row.id, difference(state.lies, after.lies).keys)
    under = hides_under(after.lies.values())
    if under != before:
        spoken_for.settle(row, under)
    if after.lies:
        early = BatchRow.state.in_(("planned", "leather chosen"))
        others = LayBatchRow.select(LayBatchRow.batch).where(LayBatchRow.lay == row.id)
        for_lay = (BatchRow.id == row.batch_id) | BatchRow.id.in_([r.batch_id for r in others] or [0])
        BatchRow.update(state="laid").where(for_lay, early).execute()
    return after.number


def state_of_base(row: LayRow, base: int) -> State:
    """The state at the head of a lay that is held. Raises Stale where that is not ``base``."""
    if row.head != base:
        raise Stale(
            f"revision {row.head} was saved since revision {base}; nothing was overwritten", newer=row.head
        )
    return state_at(row.id, int(row.head))


def newest_for(row: LayRow, base: int, keys: set[Key]) -> State:
    """The state at the head, where nobody touched some pieces since ``base``."""
    state = state_at(row.id, int(row.head))
    if row.head == base:
        return state
    if not 1 <= base <= row.head:
        raise NotFound(f"lay {row.id} has no revision {base}", value=base, expected=f"1 to {row.head}")
    moved = sorted(touched_since(row.id, base) & keys)
    if moved or state_at(row.id, base).job_number != state.job_number:
        what = ", ".join(f"{piece} {copy + 1}" for piece, copy in moved[:3]) or "the leather it lies on"
        raise Stale(f"{what} was changed since revision {base}; nothing was overwritten", newer=row.head)
    return state
