"""Lays in the store: each a chain of revisions, so that nothing laid is ever lost."""

from __future__ import annotations

import datetime
import json
from collections.abc import Sequence
from dataclasses import asdict, dataclass
from typing import Any

from fairlay.core.errors import NotFound, Refused, Stale
from fairlay.core.formats.exchange import (
    PlacementRecord,
    placement_values,
    read_job,
    read_placement,
    write_job,
)
from fairlay.core.lay.lay import Job, Lay, Placement, Unplaced
from fairlay.core.lay.measures import measure, worth
from fairlay.store.clock import now
from fairlay.store.database import connected
from fairlay.store.tables import LayRevisionRow, LayRow

Key = tuple[str, int]


@dataclass(frozen=True)
class Revision:
    """One revision of a lay, as its history lists it."""

    number: int
    source: str
    mark: str
    stands_for: int | None
    worth: float
    measures: dict[str, Any]
    created_at: datetime.datetime


@dataclass(frozen=True)
class SavedLay:
    """A lay at one of its revisions."""

    id: int
    batch_id: int
    material: str
    objective: str
    head: int
    at: int
    job: Job
    lay: Lay
    measures: dict[str, Any]
    revisions: tuple[Revision, ...]


@dataclass(frozen=True)
class LaySummary:
    """A lay as a list names it."""

    id: int
    batch_id: int
    material: str
    objective: str
    head: int
    created_at: datetime.datetime
    measures: dict[str, Any]


@connected
def create_lay(batch_id: int, material: str, job: Job) -> int:
    """Begin a lay: an empty revision 1 with the job as it stands now. Return its id."""
    row = LayRow.create(
        batch=batch_id,
        material=material,
        objective=job.objective,
        job=write_job(job),
        head=0,
        created_at=now(),
    )
    _append(row, Lay(tuple(job.fixed)), "begun", job, {})
    return int(row.id)


@connected
def summaries(batch_id: int | None = None) -> list[LaySummary]:
    """Return the lays of a batch, or all, newest first: two queries."""
    query = LayRow.select(
        LayRow.id, LayRow.batch, LayRow.material, LayRow.objective, LayRow.head, LayRow.created_at
    ).order_by(LayRow.id.desc())
    rows = list(query.where(LayRow.batch == batch_id) if batch_id is not None else query)
    if not rows:
        return []
    heads = {
        r.lay_id: r.measures
        for r in LayRevisionRow.select(LayRevisionRow.lay, LayRevisionRow.measures)
        .join(LayRow, on=(LayRevisionRow.lay == LayRow.id))
        .where(LayRow.id.in_([row.id for row in rows]), LayRevisionRow.number == LayRow.head)
    }
    return [
        LaySummary(r.id, r.batch_id, r.material, r.objective, r.head, r.created_at, heads.get(r.id, {}))
        for r in rows
    ]


@connected
def load(lay_id: int, at: int | None = None) -> SavedLay:
    """Return a lay at a revision, the newest by default. Raises NotFound."""
    row = _row(lay_id)
    revisions = _revisions(row)
    number = row.head if at is None else at
    if number not in {r.number for r in revisions}:
        raise NotFound(f"lay {lay_id} has no revision {number}", value=number, expected=f"1 to {row.head}")
    shown = next(r for r in revisions if r.number == number)
    lay = Lay(tuple(_replay(revisions, number).values()), tuple(Unplaced(**u) for u in shown.unplaced))
    listed = tuple(
        Revision(r.number, r.source, r.mark, r.stands_for, r.worth, r.measures, r.created_at)
        for r in revisions
    )
    return SavedLay(
        row.id,
        row.batch_id,
        row.material,
        row.objective,
        row.head,
        number,
        read_job(_text(row.job), sizes_are_right=True),
        lay,
        shown.measures,
        listed,
    )


@connected
def save(lay_id: int, lay: Lay, source: str, *, base: int, mark: str = "") -> int:
    """Add a revision made from revision ``base``; return its number.

    Raises Stale where a newer one stands already.
    """
    row = _row(lay_id)
    if row.head != base:
        raise Stale(
            f"revision {row.head} was saved since revision {base}; nothing was overwritten", newer=row.head
        )
    job = read_job(_text(row.job), sizes_are_right=True)
    return _append(row, lay, source, job, _replay(_revisions(row), row.head), mark=mark)


@connected
def save_found(lay_id: int, lay: Lay, revision: int | None) -> int:
    """Save a better lay of a running search: a new revision the first time, then that one brought up to date.

    Where someone saved a revision since, the search's lay becomes a new one after it. Returns its number.
    """
    row = _row(lay_id)
    job = read_job(_text(row.job), sizes_are_right=True)
    revisions = _revisions(row)
    if revision is not None and row.head == revision:
        before = _replay(revisions, revision - 1)
        LayRevisionRow.update(**_values(lay, job, before)).where(
            LayRevisionRow.lay == lay_id, LayRevisionRow.number == revision
        ).execute()
        return revision
    return _append(row, lay, "engine", job, _replay(revisions, row.head))


@connected
def undo(lay_id: int, *, base: int) -> int:
    """Show the lay again as it was before the newest revision, as a new revision; return its number.

    Undoing twice goes back two. Raises Refused when there is nothing before, Stale like ``save``.
    """
    row = _row(lay_id)
    if row.head != base:
        raise Stale(
            f"revision {row.head} was saved since revision {base}; nothing was overwritten", newer=row.head
        )
    revisions = _revisions(row)
    head = revisions[-1]
    target = (head.stands_for or head.number) - 1
    if target < 1:
        raise Refused(
            "there is nothing before this to go back to",
            value=base,
            expected="a lay with an earlier revision",
        )
    return _show_again(row, revisions, target)


@connected
def go_to(lay_id: int, number: int, *, base: int) -> int:
    """Show the lay of an earlier revision again, as a new revision; return its number."""
    row = _row(lay_id)
    if row.head != base:
        raise Stale(
            f"revision {row.head} was saved since revision {base}; nothing was overwritten", newer=row.head
        )
    revisions = _revisions(row)
    if number not in {r.number for r in revisions}:
        raise NotFound(f"lay {lay_id} has no revision {number}", value=number, expected=f"1 to {row.head}")
    return _show_again(row, revisions, number)


@connected
def name_revision(lay_id: int, number: int, mark: str) -> None:
    """Give a revision a name to find it by."""
    if not LayRevisionRow.update(mark=mark).where(
        LayRevisionRow.lay == lay_id, LayRevisionRow.number == number
    ).execute() and not _has(lay_id, number):
        raise NotFound(f"lay {lay_id} has no revision {number}", value=number)


@connected
def replace_unplaced(lay_id: int, number: int, unplaced: Sequence[Unplaced]) -> None:
    """Write the reasons for what a revision leaves out, once they are known."""
    LayRevisionRow.update(unplaced=[asdict(u) for u in unplaced]).where(
        LayRevisionRow.lay == lay_id, LayRevisionRow.number == number
    ).execute()


def _has(lay_id: int, number: int) -> bool:
    return bool(
        LayRevisionRow.select().where(LayRevisionRow.lay == lay_id, LayRevisionRow.number == number).exists()
    )


def _row(lay_id: int) -> LayRow:
    row = LayRow.get_or_none(LayRow.id == lay_id)
    if row is None:
        raise NotFound(f"there is no lay {lay_id}", value=lay_id)
    return row


def _revisions(row: LayRow) -> list[LayRevisionRow]:
    return list(LayRevisionRow.select().where(LayRevisionRow.lay == row.id).order_by(LayRevisionRow.number))


def _text(job: dict[str, Any]) -> str:
    return json.dumps(job)


def _replay(revisions: Sequence[LayRevisionRow], upto: int) -> dict[Key, Placement]:
    lying: dict[Key, Placement] = {}
    for revision in revisions:
        if revision.number > upto:
            break
        for piece, copy in revision.changes["up"]:
            lying.pop((piece, copy), None)
        for values in revision.changes["down"]:
            placement = read_placement(PlacementRecord.model_validate(values))
            lying[placement.piece, placement.copy] = placement
    return lying


def _values(lay: Lay, job: Job, before: dict[Key, Placement]) -> dict[str, Any]:
    after = {(p.piece, p.copy): p for p in lay.placements}
    measures = measure(job, lay)
    return {
        "changes": {
            "down": [placement_values(p) for key, p in after.items() if before.get(key) != p],
            "up": [list(key) for key in before if key not in after],
        },
        "unplaced": [asdict(u) for u in lay.unplaced],
        "measures": asdict(measures),
        "worth": worth(job, measures),
    }


def _append(
    row: LayRow,
    lay: Lay,
    source: str,
    job: Job,
    before: dict[Key, Placement],
    *,
    mark: str = "",
    stands_for: int | None = None,
) -> int:
    number = int(row.head) + 1
    LayRevisionRow.create(
        lay=row.id,
        number=number,
        source=source,
        mark=mark,
        stands_for=stands_for,
        created_at=now(),
        **_values(lay, job, before),
    )
    LayRow.update(head=number).where(LayRow.id == row.id).execute()
    row.head = number
    return number


def _show_again(row: LayRow, revisions: Sequence[LayRevisionRow], target: int) -> int:
    shown = next(r for r in revisions if r.number == target)
    lay = Lay(tuple(_replay(revisions, target).values()), tuple(Unplaced(**u) for u in shown.unplaced))
    job = read_job(_text(row.job), sizes_are_right=True)
    return _append(row, lay, "undo", job, _replay(revisions, row.head), stands_for=shown.stands_for or target)
