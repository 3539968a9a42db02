"""What is known of each hide, changed step by step: every change is saved as it is made, on what stands
newest, and can be undone.
"""

from __future__ import annotations

import datetime
from collections.abc import Callable
from dataclasses import dataclass
from itertools import count
from typing import Any

from fairlay.core.errors import NotFound, Refused
from fairlay.core.formats.exchange import HideRecord, read_hide
from fairlay.core.formats.looking_json import looking_values, read_looking
from fairlay.core.leather.looking_over import LookingOver, Points, as_hide, cut_along, from_hide, how_far
from fairlay.store.database import connected
from fairlay.store.hides import (
    About,
    RackHide,
    add_hide,
    card_values,
    note,
    numbers_held,
    rack_hide,
    shape_values,
)
from fairlay.store.settings import leather_settings
from fairlay.store.tables import BatchHideRow, BatchRow, HideEventRow, HideRow

KEPT_STEPS = 60
"""So many changes of a hide can be undone; older ones stay in its history as words."""


@dataclass(frozen=True)
class Known:
    """A hide with what is known of it, and what its pictures gave that was not yet accepted."""

    rack: RackHide
    looking: LookingOver
    seen: Any
    can_undo: bool


@dataclass(frozen=True)
class Event:
    """Something that was done with a hide; ``made`` is the offcut that came off by it, while there is one."""

    kind: str
    words: str
    created_at: datetime.datetime
    outline: list[list[float]] | None
    made: int | None


@connected
def known(hide_id: int) -> Known:
    """Return a hide with what is known of it. Raises NotFound."""
    row = _row(hide_id)
    undoable = (
        HideEventRow.select().where(HideEventRow.hide == hide_id, HideEventRow.before.is_null(False)).exists()
    )
    return Known(rack_hide(row), _looking(row), row.seen, undoable)


@connected
def change(
    hide_id: int,
    act: Callable[[LookingOver], LookingOver],
    words: str,
    kind: str = "looked at",
    takes_seen: bool = False,
) -> int:
    """Change what is known of a hide by ``act``, given what stands newest; return the new version. Nothing is
    changed where ``act`` raises.

    ``takes_seen``: what the hide's pictures gave is taken by it, and waits no longer.
    """
    row = HideRow.select().where(HideRow.id == hide_id).for_update().get_or_none()
    if row is None:
        raise NotFound(f"there is no hide {hide_id} on the rack", value=hide_id)
    before = _looking(row)
    after = act(before)
    if takes_seen:
        row.seen = None
    elif after == before:
        return int(row.version)
    note(hide_id, kind, words, looking_values(before), state=row.state if kind == "cut" else None)
    _forget_old(hide_id)
    if kind == "cut":
        row.state = "part used"
    return _keep(row, after)


@connected
def cut_off(hide_id: int, line: Points, words: str) -> tuple[int, int]:
    """Cut a hide along a line, its larger part kept, and put what came off on the rack as an offcut; return
    the hide's new version and the offcut's id.

    The offcut takes along what lies on it, and what was bought. Raises BadHide for a line that parts nothing.
    """
    row = HideRow.select().where(HideRow.id == hide_id).for_update().get_or_none()
    if row is None:
        raise NotFound(f"there is no hide {hide_id} on the rack", value=hide_id)
    before, kept = _looking(row), rack_hide(row)
    after, off = cut_along(before, line)
    held = set(numbers_held())
    number = next(n for n in (f"{row.number}-{k}" for k in count(1)) if n not in held)
    enough = how_far(off).enough
    about = About(
        row.material,
        row.mill,
        row.colour,
        row.tannage,
        row.temper,
        row.thickness_mm,
        row.grade,
        "looked over" if enough else "received",
        row.received_on,
        row.finish,
    )
    hide = as_hide(
        off,
        number,
        edge_margin_mm=kept.hide.edge_margin_mm,
        cost_per_m2=row.cost_per_m2,
        limits=leather_settings().limits,
    )
    made = add_hide(hide, about, off, f"cut off {row.number}")
    note(hide_id, "cut", f"{words}; {number} came off", looking_values(before), made, row.state)
    _forget_old(hide_id)
    row.state = "part used"
    return _keep(row, after), made


@connected
def undo(hide_id: int) -> int:
    """Take back the newest change of a hide; return the new version. An offcut that it put on the rack is
    whole with it again.

    Raises Refused where there is no change, or the offcut was worked on or planned with since.
    """
    row = HideRow.select().where(HideRow.id == hide_id).for_update().get_or_none()
    if row is None:
        raise NotFound(f"there is no hide {hide_id} on the rack", value=hide_id)
    event = (
        HideEventRow.select()
        .where(HideEventRow.hide == hide_id, HideEventRow.before.is_null(False))
        .order_by(HideEventRow.id.desc())
        .first()
    )
    if event is None:
        raise Refused(
            "there is nothing to undo on this hide", value=hide_id, expected="a change that was made"
        )
    before = read_looking(event.before)
    words = event.words
    if event.made_id is not None:
        _whole_again(event.made)
    event.delete_instance()
    if event.kind == "cut" and row.state == "part used":
        # Cuts from before states were kept leave a hide received, unless an older cut still stands.
        cut_before = (
            HideEventRow.select().where(HideEventRow.hide == hide_id, HideEventRow.kind == "cut").exists()
        )
        row.state = event.state or ("part used" if cut_before else "received")
    note(hide_id, "undone", f"undone: {words}")
    return _keep(row, before)


def _whole_again(offcut: HideRow) -> None:
    worked_on = (
        HideEventRow.select()
        .where(HideEventRow.hide == offcut.id, HideEventRow.before.is_null(False))
        .exists()
    )
    planned = (
        offcut.state not in ("received", "looked over")
        or BatchHideRow.select().where(BatchHideRow.hide == offcut.id).exists()
    )
    if worked_on or planned:
        raise Refused(
            f"{offcut.number}, which came off by this cut, was {'planned with' if planned else 'worked on'} "
            "since",
            value=offcut.number,
            expected="an offcut as it came off: undo what was done with it first; nothing was changed",
        )
    offcut.delete_instance()


@connected
def put_seen(hide_id: int, seen: Any) -> None:
    """Keep what a hide's pictures gave until it is accepted, or None. Raises NotFound."""
    if not HideRow.update(seen=seen, version=HideRow.version + 1).where(HideRow.id == hide_id).execute():
        raise NotFound(f"there is no hide {hide_id} on the rack", value=hide_id)


@connected
def history(hide_id: int) -> list[Event]:
    """Return what was done with a hide, newest first; with the outline it had before, where that changed.

    Raises NotFound.
    """
    _row(hide_id)
    out = []
    for e in (
        HideEventRow.select().where(HideEventRow.hide == hide_id).order_by(HideEventRow.id.desc()).limit(200)
    ):
        before = e.before if e.kind in ("cut", "outline") else None
        out.append(
            Event(e.kind, e.words, e.created_at, None if before is None else before["outline"], e.made_id)
        )
    return out


@connected
def batches_of(hide_ids: list[int]) -> dict[int, list[str]]:
    """Return the numbers of the batches that hides are kept for, by hide."""
    out: dict[int, list[str]] = {}
    rows = (
        BatchHideRow.select(BatchHideRow.hide, BatchRow.number)
        .join(BatchRow)
        .where(BatchHideRow.hide.in_(hide_ids))
        .tuples()
        if hide_ids
        else []
    )
    for hide_id, number in rows:
        out.setdefault(int(hide_id), []).append(str(number))
    return out


def _row(hide_id: int) -> HideRow:
    row = HideRow.get_or_none(HideRow.id == hide_id)
    if row is None:
        raise NotFound(f"there is no hide {hide_id} on the rack", value=hide_id)
    return row


def _looking(row: HideRow) -> LookingOver:
    return read_looking(row.looking) if row.looking is not None else from_hide(rack_hide(row).hide)


def _keep(row: HideRow, looking: LookingOver) -> int:
    kept = rack_hide(row).hide
    chosen = leather_settings()
    hide = as_hide(
        looking,
        row.number,
        edge_margin_mm=kept.edge_margin_mm,
        cost_per_m2=row.cost_per_m2,
        limits=chosen.limits,
        width_mm=kept.width_mm,
    )
    far = how_far(looking)
    # What is kept must be what can be read back: this raises before anything is written.
    read_hide(
        HideRecord.model_validate(
            {**shape_values(hide), "id": row.number, "kind": row.kind, "cost_per_m2": row.cost_per_m2}
        )
    )
    row.looking, row.shape, row.area_m2 = looking_values(looking), shape_values(hide), hide.region.area / 1e6
    row.card = card_values(hide)
    row.looked, row.looked_enough, row.measured = far.words, far.enough, looking.measured
    if far.enough and looking.measured and row.state == "received":
        row.state = "looked over"
    elif not (far.enough and looking.measured) and row.state == "looked over":
        row.state = "received"
    row.version += 1
    row.save()
    return int(row.version)


def _forget_old(hide_id: int) -> None:
    old = [
        e.id
        for e in HideEventRow.select(HideEventRow.id)
        .where(HideEventRow.hide == hide_id, HideEventRow.before.is_null(False))
        .order_by(HideEventRow.id.desc())
        .offset(KEPT_STEPS)
        .limit(1000)
    ]
    if old:
        HideEventRow.update(before=None).where(
            HideEventRow.id.in_(old), HideEventRow.kind.not_in(("cut", "outline"))
        ).execute()
