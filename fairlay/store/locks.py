"""The one order in which locks are taken: a named lock, batches, hides, lays, a job; each by id.

Held until the transaction ends. A lock is a row read for update, so what is read after it is what stands
newest. Whoever writes to a lay takes ``hold_lay`` first and judges what it reads after that; nothing else
takes several of these locks for one.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Sequence
from typing import Final

from fairlay.core.errors import NotFound, Refused
from fairlay.store.database import TakeAgain
from fairlay.store.tables import (
    BatchRow,
    HideRow,
    JobRow,
    LayBatchRow,
    LayHideRow,
    LayJobRow,
    LayRow,
    LockRow,
)

HIDE_NUMBERS: Final = "hide numbers"
ACCOUNTS: Final = "accounts"


def lock_named(name: str) -> None:
    """Hold a lock that no single row stands for: the numbers of hides, the shop's accounts."""
    LockRow.insert(name=name).on_conflict_ignore().execute()
    LockRow.select().where(LockRow.name == name).for_update().get()


def locked_batch(batch_id: int) -> BatchRow:
    """Return a batch, held. Raises NotFound."""
    row = BatchRow.select().where(BatchRow.id == batch_id).for_update().get_or_none()
    if row is None:
        raise NotFound(f"there is no batch {batch_id}", value=batch_id)
    return row


def open_batch(batch_id: int) -> BatchRow:
    """Return a batch that is worked at, held. Raises NotFound, and Refused where it rests or is given up."""
    row = locked_batch(batch_id)
    if row.standing != "open":
        raise Refused(
            f"{row.number} is {row.standing}",
            value=row.standing,
            expected="a batch that is open; nothing was changed",
        )
    return row


def locked_hide(hide_id: int) -> HideRow:
    """Return a hide, held. Raises NotFound."""
    return locked_hides([hide_id])[0]


def locked_hides(hide_ids: Iterable[int]) -> list[HideRow]:
    """Return hides, held, by id. Raises NotFound for one that is not there."""
    wanted = sorted(set(hide_ids))
    rows = HideRow.select().where(HideRow.id.in_(wanted)).order_by(HideRow.id).for_update() if wanted else []
    found = {row.id: row for row in rows}
    for hide_id in wanted:
        if hide_id not in found:
            raise NotFound(f"there is no hide {hide_id} on the rack; nothing was changed", value=hide_id)
    return list(found.values())


def locked_lay(lay_id: int) -> LayRow:
    """Return a lay, held alone: for what touches neither its hides nor its batch. Raises NotFound."""
    row = LayRow.select().where(LayRow.id == lay_id).for_update().get_or_none()
    if row is None:
        raise NotFound(f"there is no lay {lay_id}", value=lay_id)
    return row


def hold_lay(lay_id: int, also_hides: Iterable[int] = ()) -> LayRow:
    """Return a lay, held with all that a change of it may touch: its batches, every hide that any of its jobs
    is on, and ``also_hides``.

    Raises NotFound for a lay or hide that is not there.
    """
    return hold_lays([lay_id], also_hides)[0]


def hold_lays(
    lay_ids: Collection[int], also_hides: Iterable[int] = (), also_batches: Iterable[int] = ()
) -> list[LayRow]:
    """Return several lays by id, each held as ``hold_lay`` holds one. Raises NotFound."""
    wanted = sorted(set(lay_ids))
    batch_ids = _batches_of(wanted) | set(also_batches)
    held_batches = BatchRow.select(BatchRow.id).where(BatchRow.id.in_(sorted(batch_ids) or [0]))
    list(held_batches.order_by(BatchRow.id).for_update())
    hide_ids = _hides_of(wanted) | set(also_hides)
    held_hides = HideRow.select(HideRow.id).where(HideRow.id.in_(sorted(hide_ids) or [0]))
    there = {row.id for row in held_hides.order_by(HideRow.id).for_update()}
    if not hide_ids <= there:
        gone = min(hide_ids - there)
        raise NotFound(f"there is no hide {gone} on the rack; nothing was changed", value=gone)
    rows = [locked_lay(lay_id) for lay_id in wanted]
    if not _hides_of(wanted) <= hide_ids:
        raise TakeAgain  # one was brought onto other leather while its hides were waited for
    return rows


def _batches_of(lay_ids: Sequence[int]) -> set[int]:
    own = LayRow.select(LayRow.batch).where(LayRow.id.in_(lay_ids or [0]))
    beside = LayBatchRow.select(LayBatchRow.batch).where(LayBatchRow.lay.in_(lay_ids or [0]))
    return {row.batch_id for row in own} | {row.batch_id for row in beside}


def _hides_of(lay_ids: Sequence[int]) -> set[int]:
    rows = LayHideRow.select(LayHideRow.hide).join(LayJobRow).where(LayJobRow.lay.in_(lay_ids or [0]))
    return {row.hide_id for row in rows.distinct()}


def locked_job(job_id: int) -> JobRow:
    """Return a job, held. Raises NotFound."""
    row = JobRow.select().where(JobRow.id == job_id).for_update().get_or_none()
    if row is None:
        raise NotFound(f"there is no job {job_id}", value=job_id)
    return row
