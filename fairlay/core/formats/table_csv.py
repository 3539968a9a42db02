"""Tables as CSV that a spreadsheet reads as words and figures, never as formulas."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Sequence

FORMULA = ("=", "+", "-", "@", "\t", "\r")


def csv_text(head: Sequence[str], rows: Iterable[Sequence[object]]) -> str:
    """Return a table with its head line. Words that a spreadsheet would reckon with get an apostrophe before
    them; numbers stand as they are, nothing as an empty cell.
    """
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(head)
    writer.writerows([_cell(value) for value in row] for row in rows)
    return out.getvalue()


def _cell(value: object) -> object:
    if isinstance(value, str) and value.startswith(FORMULA):
        return "'" + value
    return "" if value is None else value
