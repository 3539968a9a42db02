"""What goes into a workshop's archive for other readers: drawings and lists made from its records."""

from __future__ import annotations

import json
import re
from collections.abc import Callable, Iterator

from fairlay.core.formats.article_out import article_dxf, article_svg
from fairlay.core.formats.dxf import hide_dxf
from fairlay.core.formats.exchange import hide_values, write_lay
from fairlay.core.formats.stored import ARTICLE
from fairlay.core.formats.svg import hide_svg, lay_svg
from fairlay.core.formats.table_csv import csv_text
from fairlay.core.pattern.changes import letter
from fairlay.store import batches, deliveries, hides, lays
from fairlay.store.hides import OnRack
from fairlay.store.tables import ArticleRevisionRow


def drawings() -> Iterator[tuple[str, str]]:
    """Yield each drawing or list: its name in the archive, and its text."""
    yield from _articles()
    yield from _leather()
    for lay in lays.summaries():
        saved = lays.load(lay.id)
        yield f"lays/{lay.id}.json", json.dumps(write_lay(saved.lay), indent=1)
        yield f"lays/{lay.id}.svg", lay_svg(saved.job, saved.lay)
    yield (
        "batches.csv",
        csv_text(
            ("batch", "name", "state", "due on", "article", "revision", "quantity"),
            (
                (b.number, b.name, b.state, b.due_on, line.article.name, line.article.revision, line.quantity)
                for b in batches.all_batches()
                for line in b.lines
            ),
        ),
    )
    yield (
        "deliveries.csv",
        csv_text(
            ("mill", "lot", "invoiced m2 of measured hides", "measured m2", "hides", "received on", "note"),
            (
                (
                    d.invoice.mill,
                    d.invoice.lot,
                    d.check.invoice_m2,
                    d.check.measured_m2,
                    d.count,
                    d.received_on,
                    d.note,
                )
                for d in deliveries.all_deliveries()
            ),
        ),
    )


def _articles() -> Iterator[tuple[str, str]]:
    for row in ArticleRevisionRow.select().order_by(ArticleRevisionRow.id):
        article = ARTICLE.read(row.document)
        name = f"articles/{member_of(row)}"
        yield f"{name}.svg", article_svg(article)
        yield f"{name}.dxf", article_dxf(article)


def member_of(row: ArticleRevisionRow) -> str:
    """Return the name under which files of an article's revision stand, without its ending."""
    return f"{row.article_id}-{plain(row.article.slug)}-{letter(row.number)}"


def _leather() -> Iterator[tuple[str, str]]:
    found = hides.all_hides()
    for one in found:
        name = f"hides/{one.id}-{plain(one.number)}"
        yield f"{name}.json", json.dumps(hide_values(one.hide), indent=1)
        yield f"{name}.svg", hide_svg(one.hide)
        yield f"{name}.dxf", hide_dxf(one.hide)
    columns: dict[str, Callable[[OnRack], object]] = {
        "number": lambda h: h.number,
        "kind": lambda h: h.kind,
        "material": lambda h: h.material,
        "mill": lambda h: h.mill,
        "colour": lambda h: h.colour,
        "tannage": lambda h: h.tannage,
        "temper": lambda h: h.temper,
        "grade": lambda h: h.grade,
        "state": lambda h: h.state,
        "thickness mm": lambda h: h.thickness_mm,
        "area m2": lambda h: round(h.area_m2, 4),
        "cost per m2": lambda h: h.cost_per_m2,
        "received on": lambda h: h.received_on,
    }
    yield "rack.csv", csv_text(list(columns), ([of(h) for of in columns.values()] for h in found))


def plain(words: str) -> str:
    """Return words that can be a file's name anywhere."""
    return re.sub(r"[^A-Za-z0-9_-]+", "-", words).strip("-")[:60] or "x"
