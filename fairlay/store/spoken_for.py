"""Leather that is spoken for: kept for a batch from when it is chosen or laid on, and nobody else's without a
word.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Sequence

from fairlay.core.errors import Refused
from fairlay.core.numbering import as_counted
from fairlay.store.database import connected
from fairlay.store.hides import STATES, note
from fairlay.store.lay_rows import hides_under, state_at
from fairlay.store.locks import locked_hides
from fairlay.store.tables import BatchHideRow, BatchRow, HideRow, LayHideRow, LayJobRow, LayRow

FREE = ("received", "looked over")
SPOKEN = ("kept", "laid")


def keep(batch_id: int, rows: Sequence[HideRow], *, shared: bool = False) -> None:
    """Keep hides, held, for a batch. Raises Refused for one that another batch keeps, unless it is ``shared``
    knowingly or this batch keeps it already, and for one that is used up; none is kept then.
    """
    ids = [row.id for row in rows]
    here = BatchHideRow.select(BatchHideRow.hide).where(
        BatchHideRow.batch == batch_id, BatchHideRow.hide.in_(ids or [0])
    )
    ours = {row.hide_id for row in here}
    others = {} if shared else kept_by_others(batch_id, set(ids) - ours)
    for row in rows:
        if row.id in others:
            raise Refused(
                f"{row.number} is kept for {', '.join(others[row.id])}",
                value=row.number,
                expected="leather that is free, or word that both batches share it; nothing was kept",
            )
        if row.state == "used up":
            raise Refused(f"{row.number} is used up", value=row.number, expected="leather; nothing was kept")
    for row in rows:
        BatchHideRow.insert(batch=batch_id, hide=row.id).on_conflict_ignore().execute()
        if row.state in FREE:
            _set(row.id, "kept")


def let_go(batch_id: int, rows: Sequence[HideRow]) -> None:
    """Let hides, held, go that a batch keeps. Raises Refused for one that a lay of the batch lies on; none is
    let go then.
    """
    lying = lays_on([row.id for row in rows], batch_id)
    for row in rows:
        if row.id in lying:
            raise Refused(
                f"a lay of this batch lies on {row.number}",
                value=row.number,
                expected="to give that lay up first; the hide stays kept",
            )
    ids = [row.id for row in rows]
    if ids:
        BatchHideRow.delete().where(BatchHideRow.batch == batch_id, BatchHideRow.hide.in_(ids)).execute()
    still = kept_by_others(batch_id, ids)
    for row in rows:
        if row.id not in still and row.state in SPOKEN:
            _set(row.id, "looked over" if row.looked_enough and row.measured else "received")


@connected
def kept_by_others(batch_id: int, hide_ids: Collection[int]) -> dict[int, list[str]]:
    """Return the numbers of other batches that keep hides, by hide."""
    out: dict[int, list[str]] = {}
    if hide_ids:
        rows = (
            BatchHideRow.select(BatchHideRow.hide, BatchRow.number)
            .join(BatchRow)
            .where(BatchHideRow.hide.in_(list(hide_ids)), BatchHideRow.batch != batch_id)
        )
        for row in sorted(rows, key=lambda row: as_counted(row.batch.number)):
            out.setdefault(row.hide_id, []).append(row.batch.number)
    return out


@connected
def lays_on(hide_ids: Collection[int], batch_id: int | None = None) -> set[int]:
    """Return which hides a lay that is not given up is on; of one batch, or any."""
    if not hide_ids:
        return set()
    rows = (
        LayHideRow.select(LayHideRow.hide)
        .join(LayJobRow)
        .join(LayRow)
        .where(LayHideRow.hide.in_(list(hide_ids)), ~LayRow.given_up)
    )
    if batch_id is not None:
        rows = rows.where(LayRow.batch == batch_id)
    return {row.hide_id for row in rows}


def settle(row: LayRow, under: Collection[str]) -> None:
    """Call hides laid where something of a lay lies on them now, and kept where nothing does. The lay is held
    with its hides (``locks.hold_lay``), so nobody else lays on them meanwhile.
    """
    hides = list(
        HideRow.select(HideRow.id, HideRow.number, HideRow.state)
        .join(LayHideRow)
        .join(LayJobRow)
        .where(LayJobRow.lay == row.id)
        .distinct()
    )
    lies = set() if row.given_up else set(under)
    for hide in hides:
        if hide.number in lies and hide.state in (*FREE, "kept"):
            _set(hide.id, "laid")
        elif hide.number not in lies and hide.state == "laid" and not _laid_elsewhere(row.id, hide):
            _set(hide.id, "kept")


def _laid_elsewhere(lay_id: int, hide: HideRow) -> bool:
    others = (
        LayRow.select(LayRow.id, LayRow.head)
        .join(LayJobRow)
        .join(LayHideRow)
        .where(LayHideRow.hide == hide.id, LayRow.id != lay_id, ~LayRow.given_up, LayRow.head > 1)
        .distinct()
    )
    return any(hide.number in hides_under(state_at(lay.id, int(lay.head)).lies.values()) for lay in others)


@connected
def set_state(ids: Collection[int], state: str) -> None:
    """Say by hand that hides are received, looked over, part used or used up. All of them or none.

    Raises Refused for another word (kept and laid follow from what is done), and for a hide that is kept
    for a batch or laid and would be free by it.
    """
    if state not in STATES or state in SPOKEN:
        raise Refused(
            f"a hide cannot be called {state!r} by hand",
            value=state,
            expected=", ".join(s for s in STATES if s not in SPOKEN),
        )
    rows = locked_hides(ids)
    if state in FREE:
        check_free(rows)
    for row in rows:
        if row.state != state:
            _set(row.id, state)


def _set(hide_id: int, state: str) -> None:
    HideRow.update(state=state).where(HideRow.id == hide_id).execute()
    note(hide_id, "state", state)


def check_free(rows: Iterable[HideRow]) -> None:
    """Raise Refused for a hide, held, that a batch keeps or a lay is on: nobody may take it away."""
    rows = list(rows)
    ids = [row.id for row in rows]
    kept, lying = kept_by_others(0, ids), lays_on(ids)
    for row in rows:
        if row.id in kept or row.id in lying:
            whom = ", ".join(kept.get(row.id, [])) or "a lay"
            raise Refused(
                f"{row.number} is kept for {whom}",
                value=row.number,
                expected="leather that nothing was planned with; it was kept",
            )
