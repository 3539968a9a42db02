"""What is known of each hide, changed step by step: every change is saved as it is made, on what stands
newest, and can be undone.
"""

from __future__ import annotations

import datetime
from collections.abc import Callable, Collection
from dataclasses import dataclass
from itertools import count
from typing import Any

from fairlay.core.errors import NotFound, Refused
from fairlay.core.formats.exchange import HideRecord, read_hide
from fairlay.core.formats.stored import CARD, LOOKING
from fairlay.core.lay.card import card_of
from fairlay.core.leather.looking_over import LookingOver, Points, as_hide, from_hide, how_far
from fairlay.core.leather.reshaped import cut_along
from fairlay.store.acting import mine
from fairlay.store.database import connected
from fairlay.store.hides import (
    About,
    RackHide,
    add_hide,
    note,
    numbers_given,
    rack_hide,
    shape_values,
)
from fairlay.store.locks import locked_hide, locked_hides
from fairlay.store.people import names_of_people
from fairlay.store.settings import leather_settings
from fairlay.store.tables import BatchHideRow, BatchRow, HideEventMadeRow, HideEventRow, HideRow

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
    """Something that was done with a hide; ``made`` are the offcuts that came off by it,
    while there are any."""

    kind: str
    words: str
    created_at: datetime.datetime
    outline: list[list[float]] | None
    made: tuple[int, ...]
    by: str


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
    """Change what is known of a hide by ``act``, given what stands newest; return the new version.

    Nothing is changed where ``act`` raises. ``takes_seen``: what the hide's pictures gave is taken by it, and
    waits no longer.
    """
    row = locked_hide(hide_id)
    before = _looking(row)
    after = act(before)
    if takes_seen:
        row.seen = None
    elif after == before:
        return int(row.version)
    note(hide_id, kind, words, LOOKING.write(before), facts=_facts(row) if kind == "cut" else None)
    _forget_old(hide_id)
    if kind == "cut":
        row.state, row.whole = "part used", False
    return _keep(row, after)


@connected
def cut_off(
    hide_id: int, line: Points, words: str, scrap: Collection[int] = ()
) -> tuple[int, tuple[int, ...]]:
    """Cut a hide along a line, its largest part kept, and put what came off on the rack as offcuts, but parts
    in ``scrap`` (0 the largest of them), which are thrown away; return the hide's new version and the
    offcuts' ids.

    An offcut takes along what lies on it, what was bought, and its share of what the leather cost. Raises
    BadHide for a line that parts nothing, Refused for a part to be thrown away that there is not.
    """
    held = set(numbers_given())
    row = locked_hide(hide_id)
    before, kept = _looking(row), rack_hide(row)
    after, parts = cut_along(before, line)
    unknown = sorted(set(scrap) - set(range(len(parts))))
    if unknown:
        raise Refused(
            f"part {unknown[0] + 1} is to be thrown away",
            value=unknown[0],
            expected=f"one of the {len(parts)} that come off; nothing was cut",
        )
    facts, cost = _facts(row), float(row.cost or 0.0)
    whole = kept.hide.region.area
    made = []
    for part in (p for k, p in enumerate(parts) if k not in set(scrap)):
        offcut, share = put_offcut(row, part, whole, cost, held, f"cut off {row.number}")
        made.append(offcut)
        row.cost = float(row.cost or 0.0) - share
    came = ", ".join(r.number for r in HideRow.select(HideRow.number).where(HideRow.id.in_(made or [0])))
    gone = len(parts) - len(made)
    said = [words, *([f"{came} came off"] if came else []), *([f"{gone} thrown away"] if gone else [])]
    note(hide_id, "cut", "; ".join(said), LOOKING.write(before), made, facts)
    _forget_old(hide_id)
    row.state, row.whole = "part used", False
    return _keep(row, after), tuple(made)


def put_offcut(
    row: HideRow, part: LookingOver, whole_mm2: float, cost: float, held: set[str], words: str
) -> tuple[int, float]:
    """Put a part of a hide on the rack under a number of its own (none of ``held``, to which it is added),
    with its share by area of what the hide's leather ``cost``; return the offcut's id, and that share.
    """
    number = next(n for n in (f"{row.number}-{k}" for k in count(1)) if n not in held)
    held.add(number)
    hide = as_hide(
        part,
        number,
        edge_margin_mm=rack_hide(row).hide.edge_margin_mm,
        cost_per_m2=row.cost_per_m2,
        limits=leather_settings().limits,
    )
    share = cost * hide.region.area / whole_mm2 if whole_mm2 else 0.0
    about = About(
        row.material,
        row.mill,
        row.colour,
        row.tannage,
        row.temper,
        row.thickness_mm,
        row.grade,
        "looked over" if how_far(part).enough else "received",
        row.received_on,
        row.finish,
        parent_id=row.id,
        cost=share,
    )
    return add_hide(hide, about, part, words), share


def _facts(row: HideRow) -> dict[str, Any]:
    """What a cut makes another of, besides what is known of the hide."""
    return {"v": 1, "state": row.state, "whole": bool(row.whole), "cost": row.cost}


@connected
def undo(hide_id: int) -> int:
    """Take back the newest change of a hide; return the new version. Offcuts that it put on the rack are
    whole with it again.

    Raises Refused where there is no change, or an offcut was worked on or planned with since.
    """
    row = locked_hide(hide_id)
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
    if not mine(event.by_id):
        raise Refused(
            f"the newest change of this hide is {names_of_people().get(event.by_id)}'s: {event.words}",
            value=hide_id,
            expected="to undo a change of your own, or to ask them; nothing was changed",
        )
    before = LOOKING.read(event.before)
    words = event.words
    offcuts = locked_hides(made.hide_id for made in event.made)
    for offcut in offcuts:
        _whole_again(offcut)
    cut = event.kind == "cut"
    event.delete_instance()
    if cut:
        _as_it_was(row, event, sum(float(offcut.cost or 0.0) for offcut in offcuts))
    note(hide_id, "undone", f"undone: {words}")
    return _keep(row, before)


def _as_it_was(row: HideRow, event: HideEventRow, came_off: float) -> None:
    """Give a hide back what it was before a cut. Cuts from before facts were kept tell its state at most."""
    cut_before = HideEventRow.select().where(HideEventRow.hide == row.id, HideEventRow.kind == "cut").exists()
    facts = event.facts or {
        "state": event.state or ("part used" if cut_before else "received"),
        "whole": not cut_before,
        "cost": float(row.cost or 0.0) + came_off,
    }
    if row.state == "part used":
        row.state = facts["state"]
    row.whole, row.cost = facts["whole"], facts["cost"]


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
            f"{offcut.number}, which came off by this cut, was "
            f"{'planned with' if planned else 'worked on'} since",
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
    events = list(
        HideEventRow.select().where(HideEventRow.hide == hide_id).order_by(HideEventRow.id.desc()).limit(200)
    )
    whose = names_of_people()
    made: dict[int, list[int]] = {}
    for row in HideEventMadeRow.select().where(HideEventMadeRow.event.in_([e.id for e in events] or [0])):
        made.setdefault(row.event_id, []).append(row.hide_id)
    return [
        Event(
            e.kind,
            e.words,
            e.created_at,
            e.before["outline"] if e.before is not None and e.kind in ("cut", "outline") else None,
            tuple(made.get(e.id, ())),
            whose.get(e.by_id, ""),
        )
        for e in events
    ]


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


def looking_of(row: HideRow) -> LookingOver:
    """Return what is known of a hide."""
    return _looking(row)


def _looking(row: HideRow) -> LookingOver:
    return LOOKING.read(row.looking) if row.looking is not None else from_hide(rack_hide(row).hide)


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
    row.looking, row.shape, row.area_m2 = LOOKING.write(looking), shape_values(hide), hide.region.area / 1e6
    row.card = CARD.write(card_of(hide))
    if row.whole and looking.measured and row.parent_id is None and not hide.is_roll:
        row.received_m2, row.received_off_m2 = row.area_m2, looking.off_m2
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
