"""The one order in which locks are taken: numbers, batch, hides, lay, job. Who takes several takes them so.

Held until the transaction ends. A lock is a row read for update, so what is read after it is what stands
newest.
"""

from __future__ import annotations

from collections.abc import Iterable

from fairlay.core.errors import NotFound, Refused
from fairlay.store.tables import BatchRow, HideRow, JobRow, LayRow, LockRow

HIDE_NUMBERS = "hide numbers"


def lock_numbers() -> None:
    """Whoever else wants to number hides waits."""
    LockRow.insert(name=HIDE_NUMBERS).on_conflict_ignore().execute()
    LockRow.select().where(LockRow.name == HIDE_NUMBERS).for_update().get()


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
    """Return a lay, held. Raises NotFound."""
    row = LayRow.select().where(LayRow.id == lay_id).for_update().get_or_none()
    if row is None:
        raise NotFound(f"there is no lay {lay_id}", value=lay_id)
    return row


def locked_job(job_id: int) -> JobRow:
    """Return a job, held. Raises NotFound."""
    row = JobRow.select().where(JobRow.id == job_id).for_update().get_or_none()
    if row is None:
        raise NotFound(f"there is no job {job_id}", value=job_id)
    return row
