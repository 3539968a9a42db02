"""The rack: hides in the store."""

from __future__ import annotations

import datetime
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, fields
from typing import Any

from peewee import fn
from pydantic import TypeAdapter

from fairlay.core.errors import NotFound, Refused
from fairlay.core.formats.exchange import HideRecord, hide_values, read_hide
from fairlay.core.formats.looking_json import looking_values
from fairlay.core.lay.card import RackCard, card_of
from fairlay.core.leather import Hide
from fairlay.core.leather.looking_over import LookingOver, from_hide, how_far
from fairlay.store.clock import now
from fairlay.store.database import connected
from fairlay.store.tables import HideEventRow, HideRow

_CARD = TypeAdapter(RackCard)
SHOWN = [field for field in HideRow._meta.sorted_fields if field.name not in ("shape", "looking", "seen")]
STATES = ("received", "looked over", "kept", "laid", "part used", "used up")


@dataclass(frozen=True)
class OnRack:
    """A hide as the rack shows it: what was said of it, its state, and its card."""

    id: int
    number: str
    kind: str
    material: str
    mill: str
    colour: str
    tannage: str
    temper: str
    thickness_mm: float
    grade: str
    state: str
    cost_per_m2: float
    area_m2: float
    received_on: datetime.date
    version: int
    finish: str
    delivery_id: int | None
    invoice_m2: float | None
    looked: str
    looked_enough: bool
    measured: bool
    card: RackCard


@dataclass(frozen=True)
class RackHide(OnRack):
    """A hide with its shape, ready to be laid on."""

    hide: Hide


def rack_hide(row: HideRow) -> RackHide:
    """Return a row with its shape."""
    hide = _hide_of(row)
    return RackHide(
        **_said_of(row),
        card=card_of(hide) if row.card is None else _CARD.validate_python(row.card),
        hide=hide,
    )


def _hide_of(row: HideRow) -> Hide:
    return read_hide(
        HideRecord.model_validate(
            {**row.shape, "id": row.number, "kind": row.kind, "cost_per_m2": row.cost_per_m2}
        )
    )


def _said_of(row: HideRow) -> dict[str, Any]:
    """What ``OnRack`` has of a row besides its card."""
    same = {
        f.name: getattr(row, f.name)
        for f in fields(OnRack)
        if f.name not in ("card", "looked_enough", "measured")
    }
    return {**same, "looked_enough": bool(row.looked_enough), "measured": bool(row.measured)}


@connected
def rack() -> list[OnRack]:
    """Return every hide on the rack, by number, as the rack shows it.

    Shapes are read only where a card is still to be reckoned.
    """
    rows = list(HideRow.select(*SHOWN).order_by(HideRow.number))
    blank = [row.id for row in rows if row.card is None]
    made = (
        {row.id: card_values(_hide_of(row)) for row in HideRow.select().where(HideRow.id.in_(blank))}
        if blank
        else {}
    )
    for hide_id, card in made.items():
        HideRow.update(card=card).where(HideRow.id == hide_id, HideRow.card.is_null()).execute()
    return [OnRack(**_said_of(row), card=_CARD.validate_python(made.get(row.id, row.card))) for row in rows]


def card_values(hide: Hide) -> dict[str, Any]:
    """Return what a row keeps as ``card``."""
    values: dict[str, Any] = _CARD.dump_python(card_of(hide), mode="json")
    return values


@connected
def all_hides() -> list[RackHide]:
    """Return every hide on the rack with its shape, by number."""
    return [rack_hide(row) for row in HideRow.select().order_by(HideRow.number)]


@connected
def hides_by_id(ids: Iterable[int]) -> list[RackHide]:
    """Return hides in the order asked. Raises NotFound naming the first that is missing."""
    wanted = list(ids)
    found = (
        {row.id: rack_hide(row) for row in HideRow.select().where(HideRow.id.in_(wanted))} if wanted else {}
    )
    for hide_id in wanted:
        if hide_id not in found:
            raise NotFound(f"there is no hide {hide_id} on the rack", value=hide_id)
    return [found[hide_id] for hide_id in wanted]


@dataclass(frozen=True)
class About:
    """What is said of a hide besides its shape."""

    material: str
    mill: str
    colour: str
    tannage: str
    temper: str
    thickness_mm: float
    grade: str
    state: str
    received_on: datetime.date
    finish: str = ""
    delivery_id: int | None = None
    invoice_m2: float | None = None


@connected
def add_hide(hide: Hide, about: About, looking: LookingOver | None = None, words: str = "") -> int:
    """Put a hide on the rack under its id as number; return the row's id.

    Without ``looking`` it counts as looked over as far as its state says. ``words`` say where it is from.
    """
    known = looking or from_hide(hide)
    far = how_far(known)
    enough = about.state != "received" if looking is None else far.enough
    row = HideRow.create(
        number=hide.id,
        kind=hide.kind,
        material=about.material,
        mill=about.mill,
        colour=about.colour,
        tannage=about.tannage,
        temper=about.temper,
        thickness_mm=about.thickness_mm,
        grade=about.grade,
        state=about.state,
        cost_per_m2=hide.cost_per_m2,
        area_m2=hide.region.area / 1e6,
        shape=shape_values(hide),
        card=card_values(hide),
        received_on=about.received_on,
        finish=about.finish,
        delivery=about.delivery_id,
        invoice_m2=about.invoice_m2,
        looking=None if looking is None else looking_values(looking),
        seen=None,
        version=0,
        looked=far.words
        if looking is not None or hide.is_roll
        else "looked over"
        if enough
        else "not looked over",
        looked_enough=enough or hide.is_roll,
        measured=known.measured,
    )
    note(int(row.id), "received", words or f"received from {about.mill}")
    return int(row.id)


def shape_values(hide: Hide) -> dict[str, Any]:
    """Return what a row keeps as ``shape``."""
    values = hide_values(hide)
    return {key: values[key] for key in values if key not in ("id", "kind", "cost_per_m2")}


def note(
    hide_id: int, kind: str, words: str, before: Any = None, made: int | None = None, state: str | None = None
) -> None:
    """Write in a hide's history; ``state``: what it was before a cut made it part used."""
    HideEventRow.create(
        hide=hide_id, kind=kind, words=words[:255], before=before, made=made, state=state, created_at=now()
    )


@connected
def set_state(ids: Sequence[int], state: str) -> None:
    """Mark hides as received, looked over, kept, laid, part used or used up.

    Raises Refused for another word.
    """
    if state not in STATES:
        raise Refused(f"a hide cannot be {state!r}", value=state, expected=", ".join(STATES))
    changed = [
        row.id for row in HideRow.select(HideRow.id).where(HideRow.id.in_(list(ids)), HideRow.state != state)
    ]
    HideRow.update(state=state).where(HideRow.id.in_(changed)).execute()
    for hide_id in changed:
        note(hide_id, "state", state)


@connected
def count_hides() -> int:
    """Return how many hides the rack holds."""
    return int(HideRow.select().count())


@connected
def numbers_held() -> list[str]:
    """Return every number that a hide has, held until the transaction ends: whoever else wants to number
    hides waits.
    """
    return [str(row.number) for row in HideRow.select(HideRow.number).for_update()]


@dataclass(frozen=True)
class LaidOn:
    """What whoever lays on a hide is told of it: a ``doubt`` where nobody measured it or looked it over well
    enough, and whether its neck is at the left.
    """

    doubt: str
    neck_left: bool


@connected
def laid_on(found: Iterable[str]) -> dict[str, LaidOn]:
    """Return what is told of hides, by number; those no longer on the rack are left out."""
    wanted = list(found)
    left = fn.JSON_VALUE(HideRow.looking, "$.neck_left")
    rows = (
        HideRow.select(HideRow.number, HideRow.looked, HideRow.looked_enough, HideRow.measured, left)
        .where(HideRow.number.in_(wanted))
        .tuples()
        if wanted
        else []
    )
    return {
        number: LaidOn(
            "" if enough and measured else looked if measured else "not measured, " + looked,
            str(turned).lower() in ("1", "true"),
        )
        for number, looked, enough, measured, turned in rows
    }
