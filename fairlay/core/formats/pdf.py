"""Patterns and squared paper as PDF at true size, for any printer: every sheet carries a bar and a square to
measure.
"""

from __future__ import annotations

import io
import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache
from importlib.resources import files

from reportlab.lib.colors import Color
from reportlab.lib.units import mm
from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.ttfonts import TTFont
from reportlab.pdfgen.canvas import Canvas

from fairlay.core.capture.grid_page import FOOT_MM, INK, LINE_MM, MARGIN_MM, grid_page, paper_mm
from fairlay.core.errors import BadPattern
from fairlay.core.formats.article_out import COLOURS, Drawn, lines_of
from fairlay.core.pattern.article import Article
from fairlay.core.pattern.cut import cut_region
from fairlay.core.pattern.pattern import Pattern
from fairlay.core.pattern.scale import BAR_MM

OVERLAP_MM = 10.0
SQUARE_MM = 20.0
MOST_SHEETS = 400
TILE_PAPERS = ("A4", "A3", "Letter")
GREY = Color(0.45, 0.45, 0.45)
BLACK = Color(0.1, 0.09, 0.08)


@dataclass(frozen=True)
class Tiling:
    """How a piece falls on sheets: columns and rows, and what each sheet shows, in mm."""

    across: int
    down: int
    shown_w: float
    shown_h: float


def tiling(width_mm: float, height_mm: float, paper: str) -> Tiling:
    """Return how many sheets a piece takes: each shows all but the margins and foot, and laps over the next
    by ``OVERLAP_MM``.
    """
    w, h = paper_mm(paper)
    shown_w, shown_h = w - 2 * MARGIN_MM, h - 2 * MARGIN_MM - FOOT_MM
    across = max(1, math.ceil((width_mm - OVERLAP_MM) / (shown_w - OVERLAP_MM)))
    down = max(1, math.ceil((height_mm - OVERLAP_MM) / (shown_h - OVERLAP_MM)))
    return Tiling(across, down, shown_w, shown_h)


@cache
def fonts() -> tuple[str, str]:
    """Return the names of two typefaces, plain and bold, embedded in what is printed: DejaVu Sans, which has
    Latin, Greek and Cyrillic letters.
    """
    for name, file in (("FairLay", "DejaVuSans.ttf"), ("FairLayBold", "DejaVuSans-Bold.ttf")):
        body = files("fairlay.core.formats").joinpath("typefaces", file).read_bytes()
        pdfmetrics.registerFont(TTFont(name, io.BytesIO(body)))
    return "FairLay", "FairLayBold"


def canvas_on(out: io.BytesIO, w: float, h: float, title: str) -> Canvas:
    """Return a canvas of w x h mm that viewers are asked not to scale."""
    canvas = Canvas(out, pagesize=(w * mm, h * mm), invariant=1, pageCompression=1)
    canvas.setTitle(title)
    canvas.setViewerPreference("PrintScaling", "None")
    return canvas


def quantity_words(p: Pattern) -> str:
    """Return how many to cut, as a card says it: "cut 1 + 1 mirrored"."""
    n = p.each * p.layers
    return f"cut {n // 2} + {n - n // 2} mirrored" if p.pair else f"cut {n}"


def patterns_pdf(
    article: Article,
    revisions: dict[str, str],
    paper: str = "A4",
    pieces: Sequence[str] = (),
    flesh: bool = False,
) -> bytes:
    """Return the patterns of an article as 1:1 sheets. ``pieces`` prints only these; ``revisions`` has each
    piece's letter.

    ``flesh`` prints them mirrored, as the pattern lies on the flesh side. Raises BadPattern for a paper
    or piece that is not known, and for more sheets than anyone would tape together.
    """
    if paper not in TILE_PAPERS:
        raise BadPattern(
            f"patterns are not printed on {paper!r}", value=paper, expected=", ".join(TILE_PAPERS)
        )
    for slug in pieces:
        if slug not in article.by_slug:
            raise BadPattern(
                f"{article.name} has no piece {slug!r}", value=slug, expected=", ".join(article.by_slug)
            )
    chosen = [p for p in article.pieces if not pieces or p.slug in pieces]
    if not chosen:
        raise BadPattern(
            f"{article.name} has no pieces to print", value=article.slug, expected="at least one piece"
        )
    w, h = paper_mm(paper)
    out = io.BytesIO()
    canvas = canvas_on(out, w, h, f"{article.name}, patterns at true size")
    tiles = [(p, tiling(*_size(p), paper)) for p in chosen]
    sheets = sum(t.across * t.down for _, t in tiles)
    if sheets > MOST_SHEETS:
        raise BadPattern(
            f"that would be {sheets} sheets of {paper}",
            value=sheets,
            expected=f"{MOST_SHEETS} at most: print fewer pieces, or on larger paper",
        )
    for p, tile in tiles:
        lines = list(lines_of(p, article))
        for row in range(tile.down):
            for column in range(tile.across):
                _sheet(
                    canvas, article, p, lines, revisions.get(p.slug, "A"), tile, column, row, (w, h), flesh
                )
                canvas.showPage()
    canvas.save()
    return out.getvalue()


def _size(p: Pattern) -> tuple[float, float]:
    x0, y0, x1, y1 = cut_region(p).bounds
    return x1 - x0, y1 - y0


def _sheet(
    canvas: Canvas,
    article: Article,
    p: Pattern,
    lines: list[Drawn],
    revision: str,
    tile: Tiling,
    column: int,
    row: int,
    page: tuple[float, float],
    flesh: bool,
) -> None:
    w, h = page
    x0, y0, x1, _ = cut_region(p).bounds
    left, top = column * (tile.shown_w - OVERLAP_MM), row * (tile.shown_h - OVERLAP_MM)

    def at(x: float, y: float) -> tuple[float, float]:
        across = (x1 - x if flesh else x - x0) - left
        return (MARGIN_MM + across) * mm, (h - MARGIN_MM - (y - y0 - top)) * mm

    canvas.saveState()
    clip = canvas.beginPath()
    # A hair wider than what is shown, so that a line along its border keeps its width.
    clip.rect(
        (MARGIN_MM - 0.4) * mm,
        (h - MARGIN_MM - tile.shown_h - 0.4) * mm,
        (tile.shown_w + 0.8) * mm,
        (tile.shown_h + 0.8) * mm,
    )
    canvas.clipPath(clip, stroke=0, fill=0)
    for line in lines:
        _line(canvas, line, at)
    _words_on(canvas, p, at)
    canvas.restoreState()
    _overlaps(canvas, tile, column, row, h)
    hand = "FLESH SIDE, MIRRORED. " if flesh else ""
    where = (
        f"sheet {column + 1} across, {row + 1} down, of {tile.across} x {tile.down}"
        if tile.across * tile.down > 1
        else "one sheet"
    )
    foot(
        canvas,
        w,
        f"{p.name}, rev. {revision}",
        f"{hand}{quantity_words(p)} from {p.material} for each {article.name}",
        where,
    )


def _line(canvas: Canvas, line: Drawn, at: object) -> None:
    colour = COLOURS[line.layer.removesuffix("_FLESH")][0].lstrip("#")
    canvas.setStrokeColor(Color(*(int(colour[i : i + 2], 16) / 255 for i in (0, 2, 4))))
    canvas.setLineWidth((0.35 if line.layer in ("OUTLINE", "WINDOW") else 0.2) * mm)
    dash = {
        "STITCH": (1, 2),
        "FOLD": (6, 2),
        "GLUE": (2, 2),
        "SKIVE": (4, 2),
        "PLACE": (3, 3),
        "FINISHED": (1, 1),
    }.get(line.layer.removesuffix("_FLESH"))
    canvas.setDash(*([[d * mm for d in dash]] if dash else [[]]))
    points = [at(x, y) for x, y in line.points]  # type: ignore[operator]  # a function of the sheet
    if line.dots:
        canvas.setDash([])
        for x, y in points:
            canvas.circle(x, y, 0.35 * mm, stroke=1, fill=0)
        return
    path = canvas.beginPath()
    path.moveTo(*points[0])
    for x, y in points[1:]:
        path.lineTo(x, y)
    if line.closed:
        path.close()
    canvas.drawPath(path, stroke=1, fill=0)
    if line.layer == "GRAIN":
        (ax, ay), (bx, by) = points
        for (x, y), turn in (
            ((bx, by), math.atan2(by - ay, bx - ax)),
            ((ax, ay), math.atan2(ay - by, ax - bx)),
        ):
            for lean in (2.6, -2.6):
                canvas.line(x, y, x + 4 * mm * math.cos(turn + lean), y + 4 * mm * math.sin(turn + lean))
    canvas.setDash([])


def _words_on(canvas: Canvas, p: Pattern, at: object) -> None:
    _, bold = fonts()
    c = p.region.representative_point()
    x, y = at(c.x, c.y)  # type: ignore[operator]  # a function of the sheet
    canvas.setFillColor(BLACK)
    canvas.setFont(bold, 9)
    canvas.drawCentredString(x, y + 2 * mm, p.name)


def _overlaps(canvas: Canvas, tile: Tiling, column: int, row: int, h: float) -> None:
    """Broken lines where the next sheet laps over, with ticks at both ends and in the middle that must
    meet.
    """
    font, _ = fonts()
    canvas.setStrokeColor(GREY)
    canvas.setFillColor(GREY)
    canvas.setLineWidth(0.2 * mm)
    x0, x1 = MARGIN_MM, MARGIN_MM + tile.shown_w
    y0, y1 = h - MARGIN_MM, h - MARGIN_MM - tile.shown_h
    canvas.setFont(font, 6)
    for on, x, beside in (
        (column > 0, x0 + OVERLAP_MM / 2, column),
        (column < tile.across - 1, x1 - OVERLAP_MM / 2, column + 1),
    ):
        if on:
            canvas.setDash([2 * mm, 2 * mm])
            canvas.line(x * mm, y0 * mm, x * mm, y1 * mm)
            canvas.setDash([])
            for f in (0.06, 0.5, 0.94):
                y = y0 + (y1 - y0) * f
                canvas.line((x - 3) * mm, y * mm, (x + 3) * mm, y * mm)
                canvas.drawString((x + 0.6) * mm, (y + 0.8) * mm, f"{chr(64 + min(26, beside))}{row + 1}")
    for on, y, beside in (
        (row > 0, y0 - OVERLAP_MM / 2, row),
        (row < tile.down - 1, y1 + OVERLAP_MM / 2, row + 1),
    ):
        if on:
            canvas.setDash([2 * mm, 2 * mm])
            canvas.line(x0 * mm, y * mm, x1 * mm, y * mm)
            canvas.setDash([])
            for f in (0.06, 0.5, 0.94):
                x = x0 + (x1 - x0) * f
                canvas.line(x * mm, (y - 3) * mm, x * mm, (y + 3) * mm)
                canvas.drawString((x + 0.8) * mm, (y + 0.6) * mm, f"{beside}{chr(97 + min(25, column))}")


def foot(canvas: Canvas, w: float, title: str, words: str, where: str) -> None:
    """Draw the foot of a sheet: a bar of 100 mm, a square of 20 mm, and what the sheet is."""
    font, bold = fonts()
    base = MARGIN_MM
    canvas.setStrokeColor(BLACK)
    canvas.setFillColor(BLACK)
    canvas.setDash([])
    canvas.setLineWidth(0.2 * mm)
    x = MARGIN_MM
    canvas.line(x * mm, (base + 6) * mm, (x + BAR_MM) * mm, (base + 6) * mm)
    for k in range(11):
        reach = 4.0 if k % 10 == 0 else 2.5 if k % 5 == 0 else 1.5
        canvas.line(
            (x + k * BAR_MM / 10) * mm, (base + 6) * mm, (x + k * BAR_MM / 10) * mm, (base + 6 + reach) * mm
        )
    canvas.setFont(font, 7)
    canvas.drawString(
        x * mm,
        (base + 2) * mm,
        f"This bar must measure {BAR_MM:g} mm and the square {SQUARE_MM:g} x {SQUARE_MM:g} mm. If not, do "
        "not cut by this sheet.",
    )
    s = w - MARGIN_MM - SQUARE_MM
    canvas.rect(s * mm, (base + 5) * mm, SQUARE_MM * mm, SQUARE_MM * mm, stroke=1, fill=0)
    canvas.setFont(bold, 10)
    canvas.drawString(x * mm, (base + 20.5) * mm, title)
    canvas.setFont(font, 8)
    canvas.drawString(x * mm, (base + 16) * mm, words)
    canvas.drawString(x * mm, (base + 12) * mm, where)


def grid_pdf(paper: str = "A3", landscape: bool = False) -> bytes:
    """Return the squared page as PDF. Raises BadPattern for an unknown paper."""
    page = grid_page(paper, landscape)
    out = io.BytesIO()
    canvas = canvas_on(out, page.width_mm, page.height_mm, f"Squared page, {paper}")
    canvas.setStrokeColor(Color(*INK))
    canvas.setLineWidth(LINE_MM * mm)
    right, low = page.x0 + page.across * page.square_mm, page.y0 + page.down * page.square_mm
    for k in range(page.across + 1):
        x = page.x0 + k * page.square_mm
        canvas.line(x * mm, (page.height_mm - page.y0) * mm, x * mm, (page.height_mm - low) * mm)
    for k in range(page.down + 1):
        y = page.height_mm - page.y0 - k * page.square_mm
        canvas.line(page.x0 * mm, y * mm, right * mm, y * mm)
    foot(
        canvas,
        page.width_mm,
        f"Squared page, squares of {page.square_mm:g} mm",
        "One part, flat, two squares clear of the border. Photograph it from straight above, all squares in "
        "the picture.",
        f"{paper}, {page.across} x {page.down} squares",
    )
    canvas.showPage()
    canvas.save()
    return out.getvalue()
