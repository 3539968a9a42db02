"""What is ordered, from a table as CSV, whatever program wrote it: each row that is wrong is named, with its
reason.
"""

from __future__ import annotations

import calendar
import csv
import difflib
import io
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Final

from fairlay.core.errors import Refused

HEADINGS: Final[Mapping[str, tuple[str, ...]]] = {
    "article": ("article", "item", "product", "model", "style", "name", "article name", "description"),
    "quantity": ("quantity", "qty", "pieces", "pcs", "amount", "count", "how many", "ordered", "order qty"),
    "colour": ("colour", "color"),
    "due": ("due", "due date", "due on", "due by", "deliver by", "delivery", "delivery date", "needed by"),
    "priority": ("priority", "prio"),
}
"""What each column may be called; the first is its own name, and goes before the others."""
NEEDED: Final = ("article", "quantity")
TOTALS: Final = frozenset({"total", "totals", "sum", "grand total"})
HEAD_WITHIN: Final = 12
"""The head line is among so many first lines: titles may stand over it."""
MOST_EACH: Final = 10_000
MOST_ROWS: Final = 2_000
MOST_COLOUR: Final = 32
MONTHS: Final = ("jan", "feb", "mar", "apr", "may", "jun", "jul", "aug", "sep", "oct", "nov", "dec")
EARLIEST_YEAR: Final = 2000


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


Line = tuple[int, list[str]]


def read_order(text: str, articles: Mapping[str, str]) -> tuple[OrderRow, ...]:
    """Return the rows of an order. ``articles`` are the shop's: name or slug in lower case, and slug.

    Rows that ask for the same in the same way are added up; a last row of totals is passed over. All or
    nothing: raises Refused naming every row that is wrong with its reason.
    """
    lines, at, columns = _head(text)
    rows = lines[at + 1 :]
    if len(rows) > MOST_ROWS:
        raise Refused(f"the table has {len(rows)} rows", value=len(rows), expected=f"{MOST_ROWS} at most")
    width = len(lines[at][1])
    found: dict[str, OrderRow] = {}
    wrong: list[WrongRow] = []
    for number, cells in rows:
        own = {name: cells[k] for name, k in columns.items() if k < len(cells)}
        if own.get("article", "").lower().rstrip(":") in TOTALS:
            continue
        try:
            if any(cells[width:]):
                raise ValueError("it has more cells than the head line")
            row = _row(own, articles)
            found[row.article] = _added(found.get(row.article), row, own["article"])
        except ValueError as why:
            wrong.append(WrongRow(number, str(why)))
    if wrong or not found:
        said = (
            "; ".join(f"line {w.line}: {w.why}" for w in wrong[:20]) or "there is no row under the head line"
        )
        raise Refused(said, value=len(wrong), expected="rows that can all be taken; nothing was taken")
    return tuple(found.values())


def _head(text: str) -> tuple[list[Line], int, dict[str, int]]:
    """The lines that hold anything, which of them is the head line, and where its columns are. Commas,
    semicolons or tabs: whichever gives a head line, those first that there are most of.
    """
    first = None
    for delimiter in sorted(",;\t", key=lambda mark: -text.count(mark)):
        rows = csv.reader(io.StringIO(text.removeprefix("\ufeff"), newline=""), delimiter=delimiter)
        try:
            stripped = [(n, [cell.strip() for cell in row]) for n, row in enumerate(rows, 1)]
        except csv.Error as error:
            raise Refused(
                f"this is no table of text: {error}", value=len(text), expected="a table saved as CSV"
            ) from None
        lines = [(n, cells) for n, cells in stripped if any(cells)]
        for at, (_, cells) in enumerate(lines[:HEAD_WITHIN]):
            columns = _columns(cells)
            if all(name in columns for name in NEEDED):
                names = _names(cells)
                for column in (names[k] for k in columns.values()):
                    if names.count(column) > 1:
                        raise Refused(
                            f"the head line has twice the column {column}",
                            value=cells[:10],
                            expected="each column once; nothing was taken",
                        )
                return lines, at, columns
        first = first or lines
    if not first:
        raise Refused("the table is empty", value=0, expected="a head line and a row for each article")
    head = max((cells for _, cells in first[:HEAD_WITHIN]), key=lambda cells: len(_columns(cells)))
    missing = next(name for name in NEEDED if name not in _columns(head))
    raise Refused(
        f"the head line has no column {missing}",
        value=head[:10],
        expected=f"columns {', '.join(NEEDED)}, if wanted {', '.join(list(HEADINGS)[2:])}; nothing was taken",
    )


def _columns(cells: Sequence[str]) -> dict[str, int]:
    """Where each column is that a line of headings names."""
    names = _names(cells)
    found = ((column, [name for name in called if name in names]) for column, called in HEADINGS.items())
    return {column: names.index(known[0]) for column, known in found if known}


def _names(cells: Sequence[str]) -> list[str]:
    """Headings in small letters, without marks."""
    return [re.sub(r"[\s_]+", " ", cell.lower()).strip(" .:*#") for cell in cells]


def _row(cells: Mapping[str, str], articles: Mapping[str, str]) -> OrderRow:
    slug = _article(cells.get("article", ""), articles)
    quantity = _whole(cells.get("quantity", ""))
    if not 1 <= quantity <= MOST_EACH:
        raise ValueError(f"a quantity of {quantity}, 1 to {MOST_EACH} wanted")
    due = _day(cells.get("due", ""))
    priority = cells.get("priority", "") or "0"
    if priority not in ("0", "1", "2", "3"):
        raise ValueError(f"a priority of {priority[:20]!r}, 0 to 3 wanted")
    colour = cells.get("colour", "")
    if len(colour) > MOST_COLOUR:
        raise ValueError(f"a colour of {len(colour)} letters, {MOST_COLOUR} at most")
    return OrderRow(slug, quantity, colour, due, int(priority))


def _added(before: OrderRow | None, row: OrderRow, called: str) -> OrderRow:
    """A row with what an earlier one asks for of the same article, in the same way, added."""
    if before is None:
        return row
    if replace(before, quantity=row.quantity) != row:
        raise ValueError(
            f"{called} stands in the table already, in another colour, or due or urgent otherwise"
        )
    if before.quantity + row.quantity > MOST_EACH:
        raise ValueError(f"more than {MOST_EACH} of {called} with the rows before")
    return replace(row, quantity=before.quantity + row.quantity)


def _article(called: str, articles: Mapping[str, str]) -> str:
    """The slug of an article by its name or slug, in the singular or plural."""
    name = " ".join(called.lower().split())
    if not name:
        raise ValueError("it names no article")
    for may in (name, f"{name}s", name.removesuffix("s")):
        if may in articles:
            return articles[may]
    near = difflib.get_close_matches(name, articles, 1, 0.75)
    raise ValueError(
        f"there is no article {called[:40]!r}" + (f"; the nearest is {near[0]!r}" if near else "")
    )


def _whole(text: str) -> int:
    """A number of pieces: "12", "12.0", "1,200", "12 pcs"."""
    bare = re.sub(r"\s*(pcs?|pieces?|off|ea|each)\.?$", "", text.lower().strip().removeprefix("x").strip())
    if re.fullmatch(r"\d{1,3}[.,]000", bare, re.ASCII):
        raise ValueError(
            f"a quantity of {text[:20]!r}, which may be {bare[:-4]} or {bare[:-4]}000: a plain number wanted"
        )
    found = re.fullmatch(r"(\d{1,3}(?:[ .,'\u00a0\u202f]\d{3})+|\d{1,9})(?:[.,]0{1,2})?", bare, re.ASCII)
    if found is None:
        raise ValueError(f"a quantity of {text[:20]!r}, a whole number wanted")
    return int(re.sub(r"\D", "", found[1]))


def _day(text: str) -> str:
    """A day as 2026-05-31, from that, 31.5.2026, 31/05/2026, or 31 May 2026; "" for nothing."""
    bare = re.sub(r"[T ]\d{1,2}:\d{2}.*$", "", text.strip())
    if not bare:
        return ""
    problem = f"a day {text[:20]!r}, one like 2026-05-31 wanted"
    year_first = re.fullmatch(r"(\d{4})([-/.])(\d{1,2})\2(\d{1,2})", bare, re.ASCII)
    year_last = re.fullmatch(r"(\d{1,2})([-/.])(\d{1,2})\2(\d{4})", bare, re.ASCII)
    if year_first:
        year, month, day = int(year_first[1]), int(year_first[3]), int(year_first[4])
    elif year_last:
        day, month, year = int(year_last[1]), int(year_last[3]), int(year_last[4])
        if year_last[2] != "." and month > 12 >= day:
            day, month = month, day
        elif year_last[2] != "." and day <= 12 and day != month:
            raise ValueError(
                f"a day {text[:20]!r}, which may be {year}-{month:02}-{day:02} or {year}-{day:02}-{month:02}"
            )
    else:
        words = re.findall(r"[a-z]+|\d+", bare.lower())
        names = [w for w in words if w[:3] in MONTHS]
        figures = [int(w) for w in words if w.isdigit() and w.isascii()]
        if len(words) != 3 or len(names) != 1 or len(figures) != 2:
            raise ValueError(problem)
        month = MONTHS.index(names[0][:3]) + 1
        day, year = sorted(figures)
    if year < EARLIEST_YEAR or not 1 <= month <= 12 or not 1 <= day <= calendar.monthrange(year, month)[1]:
        raise ValueError(problem)
    return f"{year:04}-{month:02}-{day:02}"
