"""A month of the Book on paper."""

from __future__ import annotations

import io
import math
from collections.abc import Sequence
from dataclasses import dataclass

from reportlab.lib.units import mm

from fairlay.core.book.facts import CENTS, PART_WORDS, PARTS
from fairlay.core.book.figures import Figures
from fairlay.core.capture.grid_page import paper_mm
from fairlay.core.formats.pdf import canvas_on, fonts

LEFT, LINE = 18.0, 5.6


@dataclass(frozen=True)
class MonthPage:
    """What a month's page says: all figures, those of each mill, of each article (name, good, spoilt, m2,
    cents), why pieces were spoilt, and what stands out.
    """

    month: str
    shop: str
    currency: str
    figures: Figures
    mills: Sequence[tuple[str, Figures]]
    articles: Sequence[tuple[str, int, int, float, int]]
    reasons: Sequence[tuple[str, int]]
    news: Sequence[str]


def month_pdf(page: MonthPage) -> bytes:
    """Return a month as A4 pages; one without work says so."""
    w, h = paper_mm("A4")
    out = io.BytesIO()
    canvas = canvas_on(out, w, h, f"The month {page.month}")
    plain, bold = fonts()
    y = h - 22.0

    def row(*cells: tuple[float, str], size: float = 9.0, font: str = plain, down: float = LINE) -> None:
        nonlocal y
        if y < 22:
            canvas.showPage()
            y = h - 22.0
        canvas.setFont(font, size)
        for x, text in cells:
            canvas.drawString(x * mm, y * mm, text)
        y -= down

    def bar(share: float) -> None:
        # One part of the whole, drawn on the line just written.
        canvas.rect(
            110 * mm, (y + LINE - 0.6) * mm, 70 * mm * min(1.0, max(0.0, share)), 3 * mm, stroke=0, fill=1
        )

    f = page.figures
    row((LEFT, f"{page.shop + ': ' if page.shop else ''}the month {page.month}"), size=16, font=bold, down=10)
    if f.hides == 0:
        row((LEFT, "No hide was closed in this month."), size=11)
        canvas.showPage()
        canvas.save()
        return out.getvalue()
    row(
        (LEFT, f"{f.hides} hides, {f.bought_m2:.2f} m², {f.cost:.2f} {page.currency}".strip()),
        size=11,
        font=bold,
    )
    row((LEFT, _yield_words(f)), size=11, down=9)
    row((LEFT, "Where it went"), size=11, font=bold)
    for part in PARTS:
        if f.m2[part] > 5e-5:
            share = f.m2[part] / f.bought_m2
            money = f"{f.cents[part] / CENTS:.2f}"
            row((LEFT, PART_WORDS[part]), (74, f"{f.m2[part]:.2f} m²"), (94, f"{share:.0%}"), (182, money))
            bar(share)
    y -= 4
    row((LEFT, "By mill"), size=11, font=bold)
    for name, own in page.mills:
        row(
            (LEFT, name),
            (74, f"{own.hides} hides"),
            (94, f"{own.bought_m2:.2f} m²"),
            (114, _yield_words(own)),
        )
    y -= 4
    row((LEFT, "By article"), size=11, font=bold)
    for name, good, spoilt, m2, cents in page.articles:
        row(
            (LEFT, name),
            (94, f"{good} pieces, {spoilt} spoilt"),
            (140, f"{m2:.2f} m²"),
            (162, f"{cents / CENTS:.2f}"),
        )
    if page.reasons:
        y -= 4
        row((LEFT, "Why pieces were spoilt"), size=11, font=bold)
        for reason, n in page.reasons:
            row((LEFT, reason), (94, str(n)))
    if page.news:
        y -= 4
        row((LEFT, "What stands out"), size=11, font=bold)
        for words in page.news:
            for line in _folded(words, 105):
                row((LEFT, line))
    canvas.showPage()
    canvas.save()
    return out.getvalue()


def _yield_words(f: Figures) -> str:
    s = f.yields
    if math.isnan(s.value):
        return "no yield: nothing was used"
    likely = "" if math.isnan(s.low) else f", likely {s.low:.0%} to {s.high:.0%}"
    return f"yield {s.value:.0%}{likely}"


def _folded(words: str, most: int) -> list[str]:
    out = [""]
    for word in words.split():
        if len(out[-1]) + len(word) + 1 > most:
            out.append("")
        out[-1] = f"{out[-1]} {word}".strip()
    return out
