"""Deliveries in the store: what was bought, and the hides of it as they come off the lorry."""

from __future__ import annotations

import datetime
from collections.abc import Sequence
from dataclasses import dataclass

from pydantic import TypeAdapter

from fairlay.core.errors import NotFound, Refused
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
from fairlay.store.clock import now
from fairlay.store.database import connected
from fairlay.store.hides import About, RackHide, add_hide, numbers_held, rack_hide
from fairlay.store.settings import leather_settings
from fairlay.store.tables import BatchHideRow, DeliveryRow, HideRow

_INVOICE = TypeAdapter(Invoice)


@dataclass(frozen=True)
class Delivery:
    """A delivery with its hides, and how they measure up to the invoice."""

    id: int
    invoice: Invoice
    note: str
    received_on: datetime.date
    closed: bool
    hides: tuple[RackHide, ...]
    check: LotCheck


@connected
def all_deliveries() -> list[Delivery]:
    """Return every delivery, newest first."""
    rows = list(DeliveryRow.select().order_by(DeliveryRow.received_on.desc(), DeliveryRow.id.desc()))
    of: dict[int, list[RackHide]] = {}
    for row in HideRow.select().where(HideRow.delivery.is_null(False)).order_by(HideRow.number):
        of.setdefault(int(row.delivery_id or 0), []).append(rack_hide(row))
    tolerance = leather_settings().tolerance
    return [_delivery(row, of.get(row.id, []), tolerance) for row in rows]


@connected
def delivery_by_id(delivery_id: int) -> Delivery:
    """Return one delivery. Raises NotFound."""
    row = DeliveryRow.get_or_none(DeliveryRow.id == delivery_id)
    if row is None:
        raise NotFound(f"there is no delivery {delivery_id}", value=delivery_id)
    own = [
        rack_hide(h) for h in HideRow.select().where(HideRow.delivery == delivery_id).order_by(HideRow.number)
    ]
    return _delivery(row, own, leather_settings().tolerance)


def _delivery(row: DeliveryRow, own: Sequence[RackHide], tolerance: float) -> Delivery:
    invoice = _INVOICE.validate_python(row.invoice)
    # A roll is as long as its invoice says until it is unrolled: it tells nothing of what was really sent.
    received = [
        HideReceived(
            h.number, h.invoice_m2 or h.area_m2, h.area_m2 if h.measured and not h.hide.is_roll else None
        )
        for h in own
    ]
    return Delivery(
        row.id,
        invoice,
        row.note,
        row.received_on,
        bool(row.closed),
        tuple(own),
        check_lot(invoice, received, tolerance, bool(row.closed)),
    )


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
            invoice=_INVOICE.dump_python(invoice),
            note=note,
            received_on=received_on,
            closed=False,
            created_at=now(),
        ).id
    )


@connected
def change_delivery(delivery_id: int, invoice: Invoice, note: str, closed: bool) -> None:
    """Change what the invoice says; its hides follow: their price, material and the rest.

    Raises as ``begin_delivery`` does.
    """
    check_invoice(invoice)
    row = DeliveryRow.get_or_none(DeliveryRow.id == delivery_id)
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
        mill=invoice.mill, lot=invoice.lot, invoice=_INVOICE.dump_python(invoice), note=note, closed=closed
    ).where(DeliveryRow.id == delivery_id).execute()
    HideRow.update(
        mill=invoice.mill,
        material=invoice.material,
        colour=invoice.colour,
        tannage=invoice.tannage,
        temper=invoice.temper,
        thickness_mm=invoice.thickness_mm,
        grade=invoice.grade,
        finish=invoice.finish,
        cost_per_m2=invoice.price_per_m2,
    ).where(HideRow.delivery == delivery_id).execute()


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
    for number, area in zip(next_numbers(prefix, numbers_held(), len(areas)), areas, strict=True):
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
    row = HideRow.get_or_none(HideRow.id == hide_id)
    if row is None:
        raise NotFound(f"there is no hide {hide_id} on the rack", value=hide_id)
    if (
        row.state not in ("received", "looked over")
        or BatchHideRow.select().where(BatchHideRow.hide == hide_id).exists()
    ):
        raise Refused(
            f"{row.number} is kept for a batch, or has been laid on",
            value=row.state,
            expected="a hide that nothing was planned with; it was kept",
        )
    row.delete_instance()
