"""Receiving leather: deliveries, their hides as they come off the lorry, tags, and the claim for a lot that
is short.
"""

from __future__ import annotations

from dataclasses import asdict

from fastapi import APIRouter, Request, Response

from fairlay.api.delivery_models import (
    ChangedDelivery,
    DeliveryOut,
    HidesOff,
    InvoiceIO,
    NewDelivery,
    ReceivedHide,
)
from fairlay.api.files import as_file
from fairlay.api.models import Created
from fairlay.core.errors import Refused
from fairlay.core.formats.leather_pdf import Tag, check_page_pdf, claim_pdf, markers_pdf, tags_pdf
from fairlay.core.leather.receiving import HideCheck, Invoice
from fairlay.store import deliveries, hides
from fairlay.store.clock import now
from fairlay.store.deliveries import Delivery
from fairlay.store.hides import OnRack, RackHide
from fairlay.store.settings import leather_settings

router = APIRouter(prefix="/api/leather", tags=["leather"])


@router.get("/deliveries")
def all_deliveries() -> list[DeliveryOut]:
    """Every delivery, newest first, each hide measured against its invoice."""
    return [_out(d) for d in deliveries.all_deliveries()]


@router.post("/deliveries", status_code=201)
def begin_delivery(asked: NewDelivery) -> Created:
    """Begin a delivery; its hides come as they are taken off the lorry."""
    return Created(
        id=deliveries.begin_delivery(_invoice(asked.invoice), asked.received_on or now().date(), asked.note)
    )


@router.get("/deliveries/{delivery_id}")
def one_delivery(delivery_id: int) -> DeliveryOut:
    """A delivery with its hides."""
    return _out(deliveries.delivery_by_id(delivery_id))


@router.put("/deliveries/{delivery_id}", status_code=204)
def change_delivery(delivery_id: int, asked: ChangedDelivery) -> None:
    """Change what the invoice says, or close the delivery once all of it is here."""
    deliveries.change_delivery(
        delivery_id, _invoice(asked.invoice), asked.note, asked.closed, correct=asked.correct
    )


@router.post("/deliveries/{delivery_id}/hides", status_code=201)
def receive_hides(delivery_id: int, asked: HidesOff) -> list[Created]:
    """Take hides off the lorry: each gets a number."""
    return [
        Created(id=i)
        for i in deliveries.receive_hides(delivery_id, asked.kind, asked.areas, asked.prefix, asked.width_mm)
    ]


@router.delete("/hides/{hide_id}", status_code=204)
def send_back(hide_id: int) -> None:
    """Take a hide off the rack again that was counted by mistake or goes back to the mill."""
    deliveries.send_back(hide_id)


@router.get("/deliveries/{delivery_id}/claim.pdf")
def claim(delivery_id: int) -> Response:
    """What a lot measures against its invoice, with the outlines, as a PDF."""
    d = deliveries.delivery_by_id(delivery_id)
    if not d.check.measured and not d.check.never_m2:
        raise Refused(
            "no hide of this lot is measured yet",
            value=0,
            expected="measured outlines to put beside the invoice",
        )
    chosen = leather_settings()
    body = claim_pdf(
        d.invoice,
        d.check,
        [h.hide for h in hides.hides_by_id(h.id for h in d.hides if h.measured)],
        chosen.shop,
        now().date().isoformat(),
        chosen.currency,
    )
    return as_file(body, "application/pdf", f"claim-{d.invoice.lot}.pdf")


@router.get("/tags.pdf")
def tags(ids: str, request: Request, paper: str = "A4") -> Response:
    """Tags of hides to print and tie on, each with a code that opens the hide.

    ``ids`` are separated by commas.
    """
    if not all(part.strip().isdigit() for part in ids.split(",")):
        raise Refused(f"hides {ids!r}", value=ids, expected="numbers separated by commas")
    found = hides.hides_by_id([int(part) for part in ids.split(",")])
    base = leather_settings().address or str(request.base_url)
    return as_file(tags_pdf([_tag(h, base.rstrip("/")) for h in found], paper), "application/pdf", "tags.pdf")


@router.get("/markers.pdf")
def markers(count: int = 12, paper: str = "A4") -> Response:
    """Reference markers for the cutting table, at true size, one a sheet."""
    return as_file(markers_pdf(range(count), paper), "application/pdf", "markers.pdf")


@router.get("/check-page.pdf")
def check_page(paper: str = "A4") -> Response:
    """The printed page that the camera over the table is checked with."""
    return Response(check_page_pdf(paper), media_type="application/pdf")


def _tag(h: RackHide, base: str) -> Tag:
    lines = (
        f"{h.hide.kind}, {h.material}",
        f"{h.mill}, grade {h.grade}",
        f"{h.colour}, {h.tannage}"[:34],
        f"{h.thickness_mm:g} mm, {h.temper}",
        f"{h.area_m2:.2f} m² {'measured' if h.measured else 'invoiced'}",
        f"received {h.received_on}",
    )
    return Tag(h.number, lines, f"{base}/leather/{h.id}")


def _invoice(asked: InvoiceIO) -> Invoice:
    return Invoice(**asked.model_dump())


def _out(d: Delivery) -> DeliveryOut:
    by_number = {row.number: row for row in d.check.hides}
    return DeliveryOut(
        id=d.id,
        invoice=InvoiceIO(**asdict(d.invoice)),
        note=d.note,
        received_on=d.received_on,
        closed=d.closed,
        count=d.count,
        hides=[_hide(h, by_number[h.number]) for h in d.hides],
        measured=d.check.measured,
        invoice_m2=d.check.invoice_m2,
        measured_m2=d.check.measured_m2,
        off_m2=d.check.off_m2,
        off_share=d.check.off_share,
        off_money=d.check.off_money,
        doubt_m2=d.check.doubt_m2,
        doubt_money=d.check.doubt_money,
        out_hides=d.check.out_hides,
        out_m2=d.check.out_m2,
        claim=d.check.claim,
        claim_money=d.check.claim_money,
        words=d.check.words,
    )


def _hide(h: OnRack, row: HideCheck) -> ReceivedHide:
    return ReceivedHide(
        id=h.id,
        number=h.number,
        kind=h.kind,
        state=h.state,
        measured=h.measured,
        looked=h.looked,
        invoice_m2=row.invoice_m2,
        measured_m2=row.measured_m2,
        off_m2=row.off_m2,
        off_share=row.off_share,
        off_money=row.off_money,
        doubt_money=row.doubt_money,
        outline=h.card.drawn.rings[0],
    )
