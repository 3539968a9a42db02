"""What is printed of leather: tags with a code that opens the hide, reference markers for the table, and the
claim for a lot that is short.
"""

from __future__ import annotations

import io
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from reportlab.graphics import renderPDF
from reportlab.graphics.barcode.qr import QrCodeWidget
from reportlab.graphics.shapes import Drawing
from reportlab.lib.units import mm
from reportlab.pdfgen.canvas import Canvas

from fairlay.core.capture.check_page import CHECK_ABOVE_MM, CHECK_MM
from fairlay.core.capture.grid_page import paper_mm
from fairlay.core.capture.marker_sheet import FIELDS, MARKER_MM, MOST_MARKERS, fields
from fairlay.core.errors import BadHide
from fairlay.core.formats.pdf import BLACK, GREY, canvas_on, fonts
from fairlay.core.leather.hide import Hide
from fairlay.core.leather.receiving import Invoice, LotCheck
from fairlay.core.pattern.scale import BAR_MM
from fairlay.core.shapes.rings import Ring

TAG_W, TAG_H, TAG_MARGIN = 90.0, 52.0, 10.0
MARKER_PAPERS = ("A4", "Letter")
ROW_MM = 27.0


@dataclass(frozen=True)
class Tag:
    """What a hide's tag says: its number, lines of words, and the address its code opens."""

    number: str
    lines: tuple[str, ...]
    address: str


def tags_pdf(tags: Sequence[Tag], paper: str = "A4") -> bytes:
    """Return tags to cut out and tie on, two by five on a sheet of A4, each with a QR code (ISO/IEC 18004).

    Raises BadHide for none.
    """
    if not tags:
        raise BadHide("no tags to print", value=0, expected="at least one hide")
    w, h = paper_mm(paper)
    across, down = int((w - 2 * TAG_MARGIN) // TAG_W), int((h - 2 * TAG_MARGIN) // TAG_H)
    out = io.BytesIO()
    canvas = canvas_on(out, w, h, "Hide tags")
    for k, tag in enumerate(tags):
        place = k % (across * down)
        if k and place == 0:
            canvas.showPage()
        x, y = TAG_MARGIN + place % across * TAG_W, h - TAG_MARGIN - (place // across + 1) * TAG_H
        _tag(canvas, tag, x, y)
    canvas.showPage()
    canvas.save()
    return out.getvalue()


def _tag(canvas: Canvas, tag: Tag, x: float, y: float) -> None:
    plain, bold = fonts()
    canvas.setStrokeColor(GREY)
    canvas.setLineWidth(0.3)
    canvas.setDash(2, 2)
    canvas.rect(x * mm, y * mm, TAG_W * mm, TAG_H * mm)
    canvas.setDash()
    canvas.circle((x + 5) * mm, (y + TAG_H - 5) * mm, 2.2 * mm)
    canvas.setFillColor(BLACK)
    canvas.setFont(bold, 22)
    canvas.drawString((x + 10) * mm, (y + TAG_H - 12) * mm, tag.number[:12])
    canvas.setFont(plain, 8)
    for i, words in enumerate(tag.lines[:6]):
        canvas.drawString((x + 5) * mm, (y + TAG_H - 20 - 4.6 * i) * mm, words[:34])
    side = 34.0
    code = QrCodeWidget(tag.address, barLevel="M")
    x0, y0, x1, y1 = code.getBounds()
    drawing = Drawing(
        side * mm, side * mm, transform=[side * mm / (x1 - x0), 0, 0, side * mm / (y1 - y0), 0, 0]
    )
    drawing.add(code)
    renderPDF.draw(drawing, canvas, (x + TAG_W - side - 2) * mm, (y + 3) * mm)


def markers_pdf(numbers: Sequence[int], paper: str = "A4") -> bytes:
    """Return reference markers at true size, one a sheet, with a bar to measure.

    Raises BadHide for another paper or none, BadPicture for a number there is no marker of.
    """
    if paper not in MARKER_PAPERS:
        raise BadHide(f"markers are not printed on {paper!r}", value=paper, expected=", ".join(MARKER_PAPERS))
    if not numbers or len(numbers) > MOST_MARKERS:
        raise BadHide(f"{len(numbers)} markers", value=len(numbers), expected=f"1 to {MOST_MARKERS}")
    w, h = paper_mm(paper)
    out = io.BytesIO()
    canvas = canvas_on(out, w, h, "Reference markers for the cutting table")
    plain, bold = fonts()
    for number in numbers:
        left, top = (w - MARKER_MM) / 2, h - 30.0
        field = MARKER_MM / FIELDS
        canvas.setFillColor(BLACK)
        canvas.setStrokeColor(BLACK)
        canvas.rect(left * mm, (top - MARKER_MM) * mm, MARKER_MM * mm, MARKER_MM * mm, stroke=0, fill=1)
        canvas.setFillGray(1)
        for j, i in np.argwhere(~fields(number)):
            canvas.rect(
                (left + i * field) * mm,
                (top - (j + 1) * field) * mm,
                field * mm,
                field * mm,
                stroke=0,
                fill=1,
            )
        canvas.setFillColor(BLACK)
        canvas.setFont(bold, 20)
        low = top - MARKER_MM - 40
        canvas.drawString(left * mm, low * mm, f"Marker {number}")
        canvas.setFont(plain, 9)
        for k, words in enumerate(
            (
                "Tape the sheets flat on the table round the hide: eight or more, at both ends and along "
                "both sides.",
                "Each number once. Cut nothing off: the white rim belongs to the marker.",
            )
        ):
            canvas.drawString(left * mm, (low - 7 - 5 * k) * mm, words)
        canvas.setLineWidth(0.4)
        canvas.line(left * mm, (low - 20) * mm, (left + BAR_MM) * mm, (low - 20) * mm)
        for x in (left, left + BAR_MM):
            canvas.line(x * mm, (low - 22) * mm, x * mm, (low - 18) * mm)
        canvas.drawString(
            left * mm,
            (low - 27) * mm,
            f"This bar must measure {BAR_MM:g} mm; if it does not, print at 100 %, or tell Fair Lay what it "
            "measures.",
        )
        canvas.showPage()
    canvas.save()
    return out.getvalue()


def check_page_pdf(paper: str = "A4") -> bytes:
    """Return the page that a camera is checked with: a black block of known size. Raises BadHide for another
    paper.
    """
    if paper not in MARKER_PAPERS:
        raise BadHide(
            f"the check page is not printed on {paper!r}", value=paper, expected=", ".join(MARKER_PAPERS)
        )
    w, h = paper_mm(paper)
    out = io.BytesIO()
    canvas = canvas_on(out, w, h, "Check page for the camera over the cutting table")
    plain, bold = fonts()
    wide, high = CHECK_MM
    left, low = (w - wide) / 2, h - CHECK_ABOVE_MM - high
    canvas.setFillColor(BLACK)
    canvas.rect(left * mm, low * mm, wide * mm, high * mm, stroke=0, fill=1)
    canvas.setFont(bold, 12)
    canvas.drawString(left * mm, (low - 9) * mm, f"Check page: {wide:g} by {high:g} mm")
    canvas.setFont(plain, 9)
    canvas.drawString(
        left * mm,
        (low - 15) * mm,
        "Measure the block with a steel rule; lay the page flat where a hide would lie; photograph "
        "the table.",
    )
    canvas.showPage()
    canvas.save()
    return out.getvalue()


def claim_pdf(
    invoice: Invoice, check: LotCheck, hides: Sequence[Hide], shop: str, day: str, currency: str = ""
) -> bytes:
    """Return the claim for a lot: what was invoiced and measured, hide by hide with its outline at one scale,
    and the difference as money.
    """
    w, h = paper_mm("A4")
    out = io.BytesIO()
    canvas = canvas_on(out, w, h, f"Measured area of lot {invoice.lot}")
    plain, bold = fonts()
    by_number = {x.id: x for x in hides}
    longest = max((float(np.ptp(x.outline[:, 0])) for x in hides), default=1.0)
    y = h - 22.0

    def words(text: str, x: float, size: float = 9.0, font: str = plain) -> None:
        canvas.setFont(font, size)
        canvas.setFillColor(BLACK)
        canvas.drawString(x * mm, y * mm, text)

    words(f"Lot {invoice.lot} of {invoice.mill}: measured area", 18, 16, bold)
    y -= 7
    words(
        f"{shop + ', ' if shop else ''}{day}. {invoice.material}, {invoice.tannage}, {invoice.colour}, "
        f"{invoice.thickness_mm:g} mm, grade {invoice.grade}; {f'{invoice.price:.2f} {currency}'.strip()} "
        f"per {'m²' if invoice.unit == 'm2' else 'ft²'}.",
        18,
    )
    y -= 5
    words(
        "Areas were measured by the shop from pictures with reference markers, or by rule; outlines are to "
        "one scale.",
        18,
    )
    y -= 8
    for heading, x in (
        ("hide", 18),
        ("invoiced", 48),
        ("measured", 74),
        ("difference", 100),
        ("of it", 124),
        ("in money", 142),
    ):
        words(heading, x, 8)
    y -= 6
    for row in check.hides:
        if y < 40:
            canvas.showPage()
            y = h - 22.0
        words(row.number, 18, 11, bold)
        words(f"{row.invoice_m2:.3f} m²", 48)
        words("not measured" if row.measured_m2 is None else f"{row.measured_m2:.3f} m²", 74)
        if row.measured_m2 is not None:
            words(f"{row.off_m2:+.3f} m²", 100)
            words(f"{row.off_share:+.1%}", 124)
            words(f"{row.off_money:+.2f} {currency}", 142)
        if row.number in by_number:
            _outline(canvas, by_number[row.number].outline, 165, y + 4, 32.0 / longest)
        y -= ROW_MM * 0.75
    y -= 4
    if y < 30:
        canvas.showPage()
        y = h - 30.0
    canvas.line(18 * mm, (y + 6) * mm, (w - 18) * mm, (y + 6) * mm)
    words(
        f"Of what was measured {check.invoice_m2:.3f} m² were invoiced, {check.measured_m2:.3f} m² found:",
        18,
        10,
        bold,
    )
    y -= 6
    words(f"{check.off_m2:+.3f} m², {check.off_share:+.1%}, {check.off_money:+.2f} {currency}", 18, 10, bold)
    y -= 6
    if check.never_m2:
        of = f"{check.out_hides} hide{'s' if check.out_hides > 1 else ''}, " if check.out_hides > 0 else ""
        words(
            f"Invoiced beyond that, and never came: {of}{check.never_m2:.3f} m², "
            f"{check.never_m2 * invoice.price_per_m2:.2f} {currency}",
            18,
            10,
            bold,
        )
        y -= 6
    words(check.words[:1].upper() + check.words[1:] + ".", 18)
    if check.doubt_m2 > 0:
        y -= 6
        words(
            f"As measured, the lot may be off by {check.doubt_m2:.3f} m², {check.doubt_money:.2f} "
            f"{currency}, "
            "nineteen times in twenty.",
            18,
        )
    canvas.showPage()
    canvas.save()
    return out.getvalue()


def _outline(canvas: Canvas, ring: Ring, x: float, y: float, scale: float) -> None:
    at = (ring - ring.min(axis=0)) * scale
    path = canvas.beginPath()
    path.moveTo((x + at[0, 0]) * mm, (y - at[0, 1]) * mm)
    for px, py in at[1:]:
        path.lineTo((x + px) * mm, (y - py) * mm)
    path.close()
    canvas.setLineWidth(0.5)
    canvas.setStrokeColor(BLACK)
    canvas.drawPath(path)
