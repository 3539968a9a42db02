"""Deliveries in the store: what was bought, and the hides of it as they come off the lorry."""

from __future__ import annotations

import datetime
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from fairlay.core.errors import NotFound, Refused
from fairlay.core.formats.stored import INVOICE
from fairlay.core.leather.looking_over import as_hide, begun
from fairlay.core.leather.receiving import (
    HideReceived,
    Invoice,
    LotCheck,
    check_invoice,
    check_lot,
    in_m2,
    next_numbers,
    roll_bought,
)
from fairlay.core.leather.usual_outline import usual_outline
from fairlay.core.numbering import as_counted
from fairlay.store.clock import now
from fairlay.store.database import connected
from fairlay.store.hides import About, OnRack, add_hide, numbers_given, rack
from fairlay.store.hides import note as note_of
from fairlay.store.locks import locked_hide, locked_hides
from fairlay.store.settings import leather_settings
from fairlay.store.spoken_for import FREE, check_free
from fairlay.store.tables import DeliveryRow, HideRow, LayHideRow


@dataclass(frozen=True)
class Delivery:
    """A delivery, how many hides of it came, and how they measure up to the invoice; ``hides`` themselves
    where one delivery is asked for.
    """

    id: int
    invoice: Invoice
    note: str
    received_on: datetime.date
    closed: bool
    count: int
    hides: tuple[OnRack, ...]
    check: LotCheck


AREAS = (
    HideRow.delivery,
    HideRow.number,
    HideRow.kind,
    HideRow.invoice_m2,
    HideRow.area_m2,
    HideRow.received_m2,
    HideRow.received_off_m2,
)


@connected
def all_deliveries() -> list[Delivery]:
    """Return every delivery, newest first, without its hides: three queries, and no hide is read for it."""
    rows = list(DeliveryRow.select().order_by(DeliveryRow.received_on.desc(), DeliveryRow.id.desc()))
    of: dict[int, list[HideRow]] = {}
    for row in _areas(HideRow.delivery.is_null(False)):
        of.setdefault(int(row.delivery_id or 0), []).append(row)
    tolerance = leather_settings().tolerance
    return [_delivery(row, of.get(row.id, []), (), tolerance) for row in rows]


@connected
def delivery_by_id(delivery_id: int) -> Delivery:
    """Return one delivery. Raises NotFound."""
    row = DeliveryRow.get_or_none(DeliveryRow.id == delivery_id)
    if row is None:
        raise NotFound(f"there is no delivery {delivery_id}", value=delivery_id)
    own = _areas(HideRow.delivery == delivery_id)
    return _delivery(row, own, tuple(rack(HideRow.delivery == delivery_id)), leather_settings().tolerance)


def _areas(where: Any) -> list[HideRow]:
    return sorted(HideRow.select(*AREAS).where(where), key=lambda row: as_counted(row.number))


def _delivery(
    row: DeliveryRow, own: Sequence[HideRow], hides: tuple[OnRack, ...], tolerance: float
) -> Delivery:
    invoice = INVOICE.read(row.invoice)
    # What came is what was measured before anything was cut off. A roll is as long as its invoice says until
    # it is unrolled: it tells nothing of what was really sent.
    received = [
        HideReceived(
            h.number,
            h.invoice_m2 or h.area_m2,
            None if h.kind == "roll" else h.received_m2,
            float(h.received_off_m2 or 0.0),
        )
        for h in own
    ]
    check = check_lot(invoice, received, tolerance, bool(row.closed))
    return Delivery(row.id, invoice, row.note, row.received_on, bool(row.closed), len(own), hides, check)


@connected
def begin_delivery(invoice: Invoice, received_on: datetime.date, note: str = "") -> int:
    """Begin a delivery, before any hide is off the lorry; return its id.

    Raises BadHide for an invoice that makes no sense, Refused for a lot that is there already.
    """
    check_invoice(invoice)
    if DeliveryRow.select().where(DeliveryRow.mill == invoice.mill, DeliveryRow.lot == invoice.lot).exists():
        raise Refused(
            f"lot {invoice.lot} of {invoice.mill} was begun already",
            value=invoice.lot,
            expected="another lot, or more hides to the one that is there",
        )
    return int(
        DeliveryRow.create(
            mill=invoice.mill,
            lot=invoice.lot,
            invoice=INVOICE.write(invoice),
            note=note,
            received_on=received_on,
            closed=False,
            created_at=now(),
        ).id
    )


@connected
def change_delivery(
    delivery_id: int, invoice: Invoice, note: str, closed: bool, *, correct: bool = False
) -> None:
    """Change what the invoice says, of the hides still to come. Those received keep what they came at, unless
    the invoice was typed wrong: ``correct`` gives them its price and words too, and each hide's history says
    what stood there before.

    Raises as ``begin_delivery`` does.
    """
    check_invoice(invoice)
    row = DeliveryRow.select().where(DeliveryRow.id == delivery_id).for_update().get_or_none()
    if row is None:
        raise NotFound(f"there is no delivery {delivery_id}", value=delivery_id)
    if (
        DeliveryRow.select()
        .where(
            DeliveryRow.mill == invoice.mill, DeliveryRow.lot == invoice.lot, DeliveryRow.id != delivery_id
        )
        .exists()
    ):
        raise Refused(
            f"lot {invoice.lot} of {invoice.mill} is another delivery",
            value=invoice.lot,
            expected="a lot of its own",
        )
    DeliveryRow.update(
        mill=invoice.mill, lot=invoice.lot, invoice=INVOICE.write(invoice), note=note, closed=closed
    ).where(DeliveryRow.id == delivery_id).execute()
    if correct:
        own = [h.id for h in HideRow.select(HideRow.id).where(HideRow.delivery == delivery_id)]
        offcuts = [h.id for h in HideRow.select(HideRow.id).where(HideRow.parent.in_(own or [0]))]
        held = {hide.id: hide for hide in locked_hides([*own, *offcuts])}
        for hide_id in own:
            _correct(held[hide_id], invoice, [h for h in held.values() if h.parent_id == hide_id])


WORDS_OF = ("mill", "material", "colour", "tannage", "temper", "thickness_mm", "grade", "finish")


def _correct(hide: HideRow, invoice: Invoice, offcuts: Sequence[HideRow]) -> None:
    """Give a hide and the offcuts that came off it, all held, what a corrected invoice says."""
    price = invoice.price_per_m2
    said = {name: getattr(invoice, name) for name in WORDS_OF}
    changed = [name for name, value in said.items() if getattr(hide, name) != value]
    if hide.cost_per_m2 != price:
        changed.append("price")
    if not changed:
        return
    facts = {"v": 1, "cost_per_m2": hide.cost_per_m2, "received_cost": hide.received_cost}
    by = price / hide.cost_per_m2 if hide.cost_per_m2 else 0.0
    paid = (hide.invoice_m2 or hide.area_m2) * price
    for offcut in offcuts:
        HideRow.update(cost_per_m2=price, cost=(offcut.cost or 0.0) * by, **said).where(
            HideRow.id == offcut.id
        ).execute()
    cost = (hide.cost or 0.0) * by if hide.cost_per_m2 else paid
    HideRow.update(cost_per_m2=price, received_cost=paid, cost=cost, **said).where(
        HideRow.id == hide.id
    ).execute()
    words = f"invoice corrected: {', '.join(name.replace('_mm', '') for name in changed)}"
    note_of(hide.id, "corrected", words, facts=facts)


@connected
def receive_hides(
    delivery_id: int, kind: str, areas: Sequence[float], prefix: str, width_mm: float | None = None
) -> list[int]:
    """Take hides of a delivery off the lorry: ``areas`` are the invoice's, in its own unit, one a hide;
    return their ids. All of them or none.

    Each gets the next number after ``prefix`` and, until it is measured, the outline a hide of its kind and
    area usually has. Rolls are ``width_mm`` wide, and there is nothing to look over on them.
    """
    delivery = delivery_by_id(delivery_id)
    invoice = delivery.invoice
    margin = leather_settings().edge_margin_mm
    made = []
    for number, area in zip(next_numbers(prefix, numbers_given(), len(areas)), areas, strict=True):
        m2 = in_m2(area, invoice.unit)
        looking = None if kind == "roll" else begun(kind, usual_outline(kind, m2), measured=False)
        if looking is None:
            hide = roll_bought(number, width_mm, m2, edge_margin_mm=margin, cost_per_m2=invoice.price_per_m2)
        else:
            hide = as_hide(looking, number, edge_margin_mm=margin, cost_per_m2=invoice.price_per_m2)
        about = About(
            invoice.material,
            invoice.mill,
            invoice.colour,
            invoice.tannage,
            invoice.temper,
            invoice.thickness_mm,
            invoice.grade,
            "received" if looking else "looked over",
            delivery.received_on,
            invoice.finish,
            delivery_id,
            m2,
        )
        made.append(add_hide(hide, about, looking))
    return made


@connected
def send_back(hide_id: int) -> None:
    """Take a hide of a delivery off the rack again: it was counted by mistake, or goes back.

    Raises Refused once it is kept for a batch or laid.
    """
    row = locked_hide(hide_id)
    check_free([row])
    if row.state not in FREE:
        raise Refused(
            f"{row.number} is {row.state}", value=row.state, expected="a hide as it came; it was kept"
        )
    if LayHideRow.select().where(LayHideRow.hide == hide_id).exists():
        raise Refused(
            f"{row.number} has been laid on",
            value=row.number,
            expected="a hide that no lay ever lay on; it was kept: call it used up",
        )
    row.delete_instance()
