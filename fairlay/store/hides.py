"""The rack: hides in the store."""

from __future__ import annotations

import datetime
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, fields
from typing import Any

import peewee

from fairlay.core.errors import NotFound, Refused
from fairlay.core.formats.exchange import HideRecord, hide_values, read_hide
from fairlay.core.formats.stored import CARD, LOOKING
from fairlay.core.lay.card import RackCard, card_of
from fairlay.core.leather import Hide
from fairlay.core.leather.looking_over import LookingOver, from_hide, how_far
from fairlay.core.numbering import as_counted
from fairlay.store.clock import now
from fairlay.store.database import connected
from fairlay.store.locks import HIDE_NUMBERS, lock_named
from fairlay.store.tables import PRACTICE, GivenNumberRow, HideEventMadeRow, HideEventRow, HideRow

SHOWN = [field for field in HideRow._meta.sorted_fields if field.name not in ("shape", "looking", "seen")]
USED_UP = "used up"
USED_UP_LISTED = 60
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
    received_m2: float | None
    received_cost: float | None
    cost: float | None
    parent_id: int | None
    card: RackCard


@dataclass(frozen=True)
class RackHide(OnRack):
    """A hide with its shape, ready to be laid on."""

    hide: Hide


def rack_hide(row: HideRow) -> RackHide:
    """Return a row with its shape."""
    hide = _hide_of(row)
    card = CARD.read(row.card) if CARD.is_current(row.card) else card_of(hide)
    return RackHide(**_said_of(row), card=card, hide=hide)


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
def rack(where: Any = None) -> list[OnRack]:
    """Return hides on the rack (all, or those of a condition), by number, as the rack shows them.

    Shapes are read only where a card is still to be reckoned.
    """
    query = HideRow.select(*SHOWN).where(HideRow.state != PRACTICE)
    return _on_rack(query if where is None else query.where(where))


def _by_number(rows: Iterable[HideRow]) -> list[HideRow]:
    return sorted(rows, key=lambda row: as_counted(row.number))


def _on_rack(query: Any) -> list[OnRack]:
    rows = _by_number(query)
    blank = [row.id for row in rows if not CARD.is_current(row.card)]
    made = (
        {row.id: CARD.write(card_of(_hide_of(row))) for row in HideRow.select().where(HideRow.id.in_(blank))}
        if blank
        else {}
    )
    for hide_id, card in made.items():
        HideRow.update(card=card).where(HideRow.id == hide_id).execute()
    return [OnRack(**_said_of(row), card=CARD.read(made.get(row.id, row.card))) for row in rows]


@connected
def listed() -> list[OnRack]:
    """Return the rack as its room lists it: all leather there is, and the hides used up last. Older ones are
    in the Book.
    """
    h, gone = HideRow, HideRow.alias()
    last = gone.select(gone.id).where(gone.state == USED_UP).order_by(gone.id.desc()).limit(USED_UP_LISTED)
    last = last.alias("last")
    query = h.select(*SHOWN).join(last, peewee.JOIN.LEFT_OUTER, on=(h.id == last.c.id))
    shown = (h.state.not_in((USED_UP, PRACTICE))) | last.c.id.is_null(False)
    return _on_rack(query.where(shown))


@connected
def leather_there_is() -> list[RackHide]:
    """Return every hide that is not used up with its shape, by number."""
    rows = HideRow.select().where(HideRow.state != USED_UP, HideRow.state != PRACTICE)
    return [rack_hide(row) for row in _by_number(rows)]


@connected
def all_hides() -> list[RackHide]:
    """Return every hide on the rack with its shape, by number."""
    return [rack_hide(row) for row in _by_number(HideRow.select().where(HideRow.state != PRACTICE))]


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
    parent_id: int | None = None
    cost: float | None = None


@connected
def add_hide(hide: Hide, about: About, looking: LookingOver | None = None, words: str = "") -> int:
    """Put a hide on the rack under its id as number; return the row's id.

    Without ``looking`` it counts as looked over as far as its state says. ``words`` say where it is from.
    """
    known = looking or from_hide(hide)
    far = how_far(known)
    enough = about.state != "received" if looking is None else far.enough
    area = hide.region.area / 1e6
    bought = about.parent_id is None
    paid = (about.invoice_m2 or area) * hide.cost_per_m2 if bought else 0.0
    if not GivenNumberRow.insert(number=hide.id).on_conflict_ignore().as_rowcount().execute():
        raise Refused(
            f"the number {hide.id} was given out before",
            value=hide.id,
            expected="a number that no hide ever had; nothing was received",
        )
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
        area_m2=area,
        shape=shape_values(hide),
        card=CARD.write(card_of(hide)),
        received_on=about.received_on,
        finish=about.finish,
        delivery=about.delivery_id,
        invoice_m2=about.invoice_m2,
        received_m2=area if bought and known.measured and not hide.is_roll else None,
        received_cost=paid,
        cost=paid if about.cost is None else about.cost,
        parent=about.parent_id,
        looking=None if looking is None else LOOKING.write(looking),
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
    hide_id: int,
    kind: str,
    words: str,
    before: Any = None,
    made: Sequence[int] = (),
    facts: Any = None,
) -> None:
    """Write in a hide's history; ``made`` are offcuts that it put on the rack, ``facts`` what else the hide
    was until then.
    """
    event = HideEventRow.create(
        hide=hide_id, kind=kind, words=words[:255], before=before, facts=facts, created_at=now()
    )
    for offcut in made:
        HideEventMadeRow.create(event=event.id, hide=offcut)


@connected
def count_hides() -> int:
    """Return how many hides the rack holds."""
    return int(HideRow.select().where(HideRow.state != PRACTICE).count())


@connected
def numbers_given() -> list[str]:
    """Return every number that a hide has or ever had, held until the transaction ends: whoever else wants to
    number hides waits.
    """
    lock_named(HIDE_NUMBERS)
    return [str(row.number) for row in GivenNumberRow.select()]


@dataclass(frozen=True)
class ToldOf:
    """What whoever lays on a hide is told of it: its id, its colour, which version it is now, and a ``doubt``
    where nobody measured it or looked it over well enough.
    """

    id: int
    version: int
    colour: str
    doubt: str


@connected
def told_of(found: Iterable[str]) -> dict[str, ToldOf]:
    """Return what is told of hides, by number; those no longer on the rack are left out."""
    h = HideRow
    shown = (h.id, h.number, h.version, h.colour, h.looked, h.looked_enough, h.measured)
    wanted = list(found)
    rows = h.select(*shown).where(h.number.in_(wanted)).tuples() if wanted else []
    return {
        number: ToldOf(
            row_id,
            version,
            colour,
            "" if enough and measured else looked if measured else "not measured, " + looked,
        )
        for row_id, number, version, colour, looked, enough, measured in rows
    }
