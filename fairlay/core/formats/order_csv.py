"""What is ordered, from a table as CSV: each row that is wrong is named, with its reason."""

from __future__ import annotations

import calendar
import csv
import io
import re
from collections.abc import Collection
from dataclasses import dataclass
from typing import Final

from fairlay.core.errors import Refused

COLUMNS: Final = ("article", "quantity", "colour", "due", "priority")
NEEDED: Final = ("article", "quantity")
MOST_EACH: Final = 10_000
MOST_ROWS: Final = 2_000
MOST_COLOUR: Final = 32


@dataclass(frozen=True)
class OrderRow:
    """A row of an order: ``article`` is its slug as the shop has it, ``due_on`` a day as 2026-05-31 ("":
    none).
    """

    article: str
    quantity: int
    colour: str = ""
    due_on: str = ""
    priority: int = 0


@dataclass(frozen=True)
class WrongRow:
    """A row that is not understood: its line in the file, from 1, and why."""

    line: int
    why: str


def read_order(text: str, articles: dict[str, str]) -> tuple[OrderRow, ...]:
    """Return the rows of an order. ``articles`` are the shop's: name or slug in lower case, and slug.

    All or nothing: raises Refused naming every row that is wrong with its reason.
    """
    rows = list(csv.reader(io.StringIO(text, newline=""), _dialect(text)))
    lines = [(n, [cell.strip() for cell in row]) for n, row in enumerate(rows, 1) if any(map(str.strip, row))]
    if not lines:
        raise Refused("the table is empty", value=0, expected="a head line and a row for each article")
    head = [name.lower() for name in lines[0][1]]
    missing = [name for name in NEEDED if name not in head]
    twice = sorted({name for name in head if name and head.count(name) > 1})
    if missing or twice:
        raise Refused(
            f"the head line has {'no' if missing else 'twice the'} column {(missing or twice)[0]}",
            value=head[:10],
            expected=f"columns {', '.join(NEEDED)}, if wanted {', '.join(COLUMNS[2:])}; nothing was taken",
        )
    if len(lines) - 1 > MOST_ROWS:
        raise Refused(
            f"the table has {len(lines) - 1} rows", value=len(lines) - 1, expected=f"{MOST_ROWS} at most"
        )
    found: dict[str, OrderRow] = {}
    wrong: list[WrongRow] = []
    for number, cells in lines[1:]:
        try:
            row = _row(dict(zip(head, cells, strict=False)), len(cells) > len(head), articles, found)
            found[row.article] = row
        except ValueError as why:
            wrong.append(WrongRow(number, str(why)))
    if wrong or not found:
        said = (
            "; ".join(f"line {w.line}: {w.why}" for w in wrong[:20]) or "there is no row under the head line"
        )
        raise Refused(said, value=len(wrong), expected="rows that can all be taken; nothing was taken")
    return tuple(found.values())


def _dialect(text: str) -> type[csv.Dialect]:
    """Commas, semicolons or tabs: whichever the head line has most of."""
    head = text.lstrip().split("\n", 1)[0]

    class Own(csv.excel):
        delimiter = max(",;\t", key=head.count)

    return Own


def _row(cells: dict[str, str], too_many: bool, articles: dict[str, str], known: Collection[str]) -> OrderRow:
    if too_many:
        raise ValueError("it has more cells than the head line")
    slug = articles.get(cells.get("article", "").lower())
    if slug is None:
        raise ValueError(f"there is no article {cells.get('article', '')[:40]!r}")
    if slug in known:
        raise ValueError(f"{cells['article']} stands in the table already")
    try:
        quantity = int(cells.get("quantity", ""))
    except ValueError:
        raise ValueError(f"a quantity of {cells.get('quantity', '')[:20]!r}, a whole number wanted") from None
    if not 1 <= quantity <= MOST_EACH:
        raise ValueError(f"a quantity of {quantity}, 1 to {MOST_EACH} wanted")
    due = cells.get("due", "")
    if due and not _is_day(due):
        raise ValueError(f"a day {due[:20]!r}, one like 2026-05-31 wanted")
    priority = cells.get("priority", "") or "0"
    if priority not in ("0", "1", "2", "3"):
        raise ValueError(f"a priority of {priority[:20]!r}, 0 to 3 wanted")
    colour = cells.get("colour", "")
    if len(colour) > MOST_COLOUR:
        raise ValueError(f"a colour of {len(colour)} letters, {MOST_COLOUR} at most")
    return OrderRow(slug, quantity, colour, due, int(priority))


def _is_day(text: str) -> bool:
    """Whether words are a day that there is, from the year 2000 on."""
    found = re.fullmatch(r"(2\d{3})-(\d{2})-(\d{2})", text, re.ASCII)
    if found is None:
        return False
    year, month, day = map(int, found.groups())
    return 1 <= month <= 12 and 1 <= day <= calendar.monthrange(year, month)[1]
