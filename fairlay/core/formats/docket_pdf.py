"""What is printed for the cut: the docket of a hide, its bundles' labels, and the lay at true size. Black on
white, read at arm's length.
"""

from __future__ import annotations

import io
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray
from reportlab.graphics import renderPDF
from reportlab.graphics.barcode.qr import QrCodeWidget
from reportlab.graphics.shapes import Drawing
from reportlab.lib.units import mm
from reportlab.lib.utils import simpleSplit
from reportlab.pdfgen.canvas import Canvas

from fairlay.core.capture.grid_page import FOOT_MM, MARGIN_MM, paper_mm
from fairlay.core.cutting.cuts import Key
from fairlay.core.cutting.plan import STOP_SHORT, CutPlan
from fairlay.core.cutting.plotted import PlotLine
from fairlay.core.errors import BadLay
from fairlay.core.formats.pdf import BLACK, GREY, OVERLAP_MM, TILE_PAPERS, canvas_on, fonts, foot, tiling
from fairlay.core.lay.lay import Job, Placement
from fairlay.core.leather import Hide
from fairlay.core.shapes.placing import place_points
from fairlay.core.shapes.rings import Ring

EDGE: Final = 12.0
LABEL_W, LABEL_H, LABELS_ACROSS, LABELS_DOWN = 70.0, 37.0, 3, 8
LABEL_LINES: Final = 8
GRID_MM: Final = 100.0
MOST_SHEETS: Final = 300
STROP = (
    "Strop before the first cut. A dull blade is more dangerous than a sharp one; cap it when it is put down."
)
LIFT = "Lift hides with help. The machine's manual, local rules and trained practice come before this sheet."


@dataclass(frozen=True)
class DocketRow:
    """A step of the docket: its number, the piece in words, its tools, how it is placed, passes, cautions."""

    number: int
    name: str
    tools: str
    place: str
    passes: int
    cautions: str


@dataclass(frozen=True)
class Label:
    """A bundle's label: the article and set, lines of words, and the address its code opens."""

    title: str
    lines: tuple[str, ...]
    address: str


def docket_pdf(
    job: Job,
    hide: Hide,
    placements: Sequence[Placement],
    plan: CutPlan,
    rows: Sequence[DocketRow],
    bundles: Sequence[str],
    title: str,
    address: str,
) -> bytes:
    """Return the docket of a hide: the hide with its pieces numbered in the order they are cut, then the
    steps, what is bundled, and a code that opens the bench.
    """
    w, h = paper_mm("A4")[::-1]
    out = io.BytesIO()
    canvas = canvas_on(out, w, h, f"Docket {title}")
    plain, bold = fonts()
    canvas.setFont(bold, 22)
    canvas.drawString(EDGE * mm, (h - EDGE - 7) * mm, f"{hide.id}  {title}"[:64])
    canvas.setFont(plain, 11)
    words = f"{len(plan.steps)} pieces, {plan.cut_mm / 1000:.1f} m of cuts"
    saved = f" ({plan.saved_mm / 1000:.1f} m saved by shared edges)" if plan.saved_mm else ""
    told = f"{words}{saved}, about {plan.minutes:.0f} minutes"
    canvas.drawString(EDGE * mm, (h - EDGE - 14) * mm, told)
    _code(canvas, address, w - EDGE - 28, h - EDGE - 28, 28.0)
    numbers = {step.piece: step.number for step in plan.steps}
    _hide(canvas, job, hide, placements, numbers, EDGE, EDGE + 12, w - 2 * EDGE, h - 2 * EDGE - 46)
    canvas.setFont(plain, 9)
    for k, words in enumerate((STROP, LIFT)):
        canvas.drawString(EDGE * mm, (EDGE + 5 - 5 * k) * mm, words)
    canvas.showPage()
    always = dict.fromkeys(words for step in plan.steps for words in step.cautions if words != STOP_SHORT)
    _steps(canvas, w, h, rows, bundles, f"{hide.id}  {title}", list(always))
    canvas.save()
    return out.getvalue()


def _code(canvas: Canvas, address: str, x: float, y: float, side: float) -> None:
    code = QrCodeWidget(address, barLevel="M")
    x0, y0, x1, y1 = code.getBounds()
    drawing = Drawing(
        side * mm, side * mm, transform=[side * mm / (x1 - x0), 0, 0, side * mm / (y1 - y0), 0, 0]
    )
    drawing.add(code)
    renderPDF.draw(drawing, canvas, x * mm, y * mm)


def _hide(
    canvas: Canvas,
    job: Job,
    hide: Hide,
    placements: Sequence[Placement],
    numbers: Mapping[Key, int],
    left: float,
    low: float,
    width: float,
    height: float,
) -> None:
    x0, y0, x1, y1 = hide.region.bounds
    scale = min(width / (x1 - x0), height / (y1 - y0))

    def at(points: Ring) -> list[tuple[float, float]]:
        return [(left + (x - x0) * scale, low + height - (y - y0) * scale) for x, y in points]

    def ring(points: Ring, **look: float | bool) -> None:
        path = canvas.beginPath()
        (x, y), *rest = at(points)
        path.moveTo(x * mm, y * mm)
        for x, y in rest:
            path.lineTo(x * mm, y * mm)
        path.close()
        canvas.setLineWidth(float(look.get("line", 0.35)) * mm)
        canvas.drawPath(path, stroke=1, fill=int(bool(look.get("fill"))))

    canvas.setStrokeColor(BLACK)
    for points in (hide.outline, *hide.holes):
        ring(points, line=0.6)
    canvas.setStrokeColor(GREY)
    canvas.setFillColor(GREY)
    for flaw in hide.flaws:
        ring(flaw.outline, line=0.25, fill=flaw.severity == 3)
    canvas.setStrokeColor(BLACK)
    canvas.setFillColor(BLACK)
    _, bold = fonts()
    for p in placements:
        piece = job.pieces_by_id[p.piece]
        for points in (piece.outline, *piece.holes):
            ring(place_points(points, p.at))
        number = numbers.get((p.piece, p.copy))
        if number is None or p.hide != hide.id:
            continue
        (mx, my), radius = place_points(np.array([piece.name_at[:2]]), p.at)[0], piece.name_at[2]
        (px, py) = at(np.array([[mx, my]]))[0]
        size = max(5.0, min(15.0, radius * scale * mm * 0.95))
        canvas.setFont(bold, size)
        canvas.drawCentredString(px * mm, py * mm - size * 0.35, str(number))


def _steps(
    canvas: Canvas,
    w: float,
    h: float,
    rows: Sequence[DocketRow],
    bundles: Sequence[str],
    title: str,
    always: Sequence[str],
) -> None:
    plain, bold = fonts()
    columns = ((EDGE, 12.0), (EDGE + 13, 62.0), (EDGE + 77, 66.0), (EDGE + 145, w - 2 * EDGE - 145))
    y = 0.0

    def head() -> float:
        canvas.setFont(bold, 12)
        canvas.drawString(EDGE * mm, (h - EDGE - 4) * mm, title[:80])
        canvas.setFont(plain, 8)
        for (x, _), words in zip(columns, ("", "piece", "tool", "placing"), strict=True):
            canvas.drawString(x * mm, (h - EDGE - 10) * mm, words)
        return h - EDGE - 13

    y = head()
    canvas.setFont(plain, 11)
    for words in always:
        canvas.drawString(EDGE * mm, (y - 4) * mm, words)
        y -= 5.5
    for row in rows:
        passes = f", {row.passes} strokes" if row.passes > 1 else ""
        cells = (
            simpleSplit(row.name, bold, 12, columns[1][1] * mm),
            simpleSplit(row.tools + passes, plain, 11, columns[2][1] * mm),
            simpleSplit(row.place, plain, 11, columns[3][1] * mm)
            + simpleSplit(row.cautions, plain, 11, columns[3][1] * mm),
        )
        tall = 3.0 + 5.0 * max(len(c) for c in cells)
        if y - tall < EDGE:
            canvas.showPage()
            y = head()
        canvas.setStrokeColor(GREY)
        canvas.setLineWidth(0.15 * mm)
        canvas.line(EDGE * mm, y * mm, (w - EDGE) * mm, y * mm)
        canvas.setFont(bold, 16)
        canvas.drawString(columns[0][0] * mm, (y - 6) * mm, str(row.number))
        for (x, _), lines, (font, size) in zip(
            columns[1:], cells, ((bold, 12), (plain, 11), (plain, 11)), strict=True
        ):
            canvas.setFont(font, size)
            for k, words in enumerate(lines):
                canvas.drawString(x * mm, (y - 5.0 - 5.0 * k) * mm, words)
        y -= tall
    canvas.setFont(plain, 10)
    for words in bundles:
        if y - 6 < EDGE:
            canvas.showPage()
            y = head()
            canvas.setFont(plain, 10)
        canvas.drawString(EDGE * mm, (y - 6) * mm, words[:140])
        y -= 5.5
    canvas.showPage()


def labels_pdf(labels: Sequence[Label]) -> bytes:
    """Return bundle labels on sheets of A4, three by eight of 70 x 37 mm. Raises BadLay for none."""
    if not labels:
        raise BadLay("no labels to print", value=0, expected="at least one bundle")
    w, h = paper_mm("A4")
    out = io.BytesIO()
    canvas = canvas_on(out, w, h, "Labels")
    plain, bold = fonts()
    for k, label in enumerate(labels):
        place = k % (LABELS_ACROSS * LABELS_DOWN)
        if k and place == 0:
            canvas.showPage()
        x = place % LABELS_ACROSS * LABEL_W
        y = h - (place // LABELS_ACROSS + 1) * LABEL_H
        canvas.setFont(bold, 11)
        for i, words in enumerate(simpleSplit(label.title, bold, 11, (LABEL_W - 8) * mm)[:2]):
            canvas.drawString((x + 4) * mm, (y + LABEL_H - 7 - 4.6 * i) * mm, words)
        canvas.setFont(plain, 6.5)
        lines = [
            part for words in label.lines for part in simpleSplit(words, plain, 6.5, (LABEL_W - 26) * mm)
        ]
        for i, words in enumerate(lines[:LABEL_LINES]):
            canvas.drawString((x + 4) * mm, (y + LABEL_H - 14 - 2.7 * i) * mm, words)
        _code(canvas, label.address, x + LABEL_W - 21, y + 2.5, 18.0)
    canvas.showPage()
    canvas.save()
    return out.getvalue()


def lay_print_pdf(
    hide: Hide, lines: Sequence[PlotLine], title: str, *, paper: str = "A3", flesh: bool = False
) -> bytes:
    """Return a lay at true size: on sheets that lap over each other by a centimetre, or on one ``roll`` of
    paper as long as the hide. From the flesh side it is mirrored. A grid of 100 mm joins the sheets.

    Raises BadLay for an unknown paper, or more sheets than anybody would join.
    """
    x0, y0, x1, y1 = hide.region.bounds
    wide, deep = x1 - x0, y1 - y0
    outline = [PlotLine("mark", np.concatenate([r, r[:1]])) for r in (hide.outline, *hide.holes)]

    def turned(points: NDArray[np.float64]) -> NDArray[np.float64]:
        along = x1 - points[:, 0] if flesh else points[:, 0] - x0
        return np.column_stack([along, points[:, 1] - y0])

    drawn = [(line.layer, turned(line.points)) for line in (*outline, *lines)]
    side = "flesh side up, mirrored" if flesh else "grain side up"
    out = io.BytesIO()
    if paper == "roll":
        w, h = wide + 2 * MARGIN_MM, deep + 2 * MARGIN_MM + FOOT_MM
        canvas = canvas_on(out, w, h, title)
        _tile(canvas, drawn, 0.0, 0.0, wide, deep, h)
        foot(canvas, w, title, side, "one sheet")
        canvas.showPage()
        canvas.save()
        return out.getvalue()
    if paper not in TILE_PAPERS:
        raise BadLay(f"no paper {paper!r}", value=paper, expected=", ".join((*TILE_PAPERS, "roll")))
    w, h = paper_mm(paper)
    tile = tiling(wide, deep, paper)
    if tile.across * tile.down > MOST_SHEETS:
        raise BadLay(
            f"{tile.across * tile.down} sheets of {paper}",
            value=paper,
            expected=f"at most {MOST_SHEETS}: a larger paper, or a roll",
        )
    canvas = canvas_on(out, w, h, title)
    for row in range(tile.down):
        for column in range(tile.across):
            left, top = column * (tile.shown_w - OVERLAP_MM), row * (tile.shown_h - OVERLAP_MM)
            _tile(canvas, drawn, left, top, tile.shown_w, tile.shown_h, h)
            where = f"row {row + 1} of {tile.down}, sheet {column + 1} of {tile.across} in it"
            foot(canvas, w, title, side, where)
            canvas.showPage()
    canvas.save()
    return out.getvalue()


def _tile(
    canvas: Canvas,
    drawn: Sequence[tuple[str, NDArray[np.float64]]],
    left: float,
    top: float,
    width: float,
    height: float,
    h: float,
) -> None:
    canvas.saveState()
    window = canvas.beginPath()
    window.rect(MARGIN_MM * mm, (h - MARGIN_MM - height) * mm, width * mm, height * mm)
    canvas.clipPath(window, stroke=0)
    canvas.setStrokeColor(GREY)
    canvas.setLineWidth(0.1 * mm)
    for k in range(int(left // GRID_MM), int((left + width) // GRID_MM) + 2):
        x = (MARGIN_MM + k * GRID_MM - left) * mm
        canvas.line(x, (h - MARGIN_MM - height) * mm, x, (h - MARGIN_MM) * mm)
    for k in range(int(top // GRID_MM), int((top + height) // GRID_MM) + 2):
        y = (h - MARGIN_MM - (k * GRID_MM - top)) * mm
        canvas.line(MARGIN_MM * mm, y, (MARGIN_MM + width) * mm, y)
    canvas.setStrokeColor(BLACK)
    for layer, points in drawn:
        x, y = points[:, 0], points[:, 1]
        if x.max() < left or x.min() > left + width or y.max() < top or y.min() > top + height:
            continue
        canvas.setLineWidth((0.3 if layer == "cut" else 0.15) * mm)
        canvas.setDash([2 * mm, 1 * mm] if layer == "crease" else [])
        path = canvas.beginPath()
        for k, (a, b) in enumerate(points):
            go = path.lineTo if k else path.moveTo
            go((MARGIN_MM + a - left) * mm, (h - MARGIN_MM - (b - top)) * mm)
        canvas.drawPath(path)
    canvas.setDash([])
    canvas.restoreState()
