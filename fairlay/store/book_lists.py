"""The Book as its pages list it: what it holds in all, closed hides one by one, and what somebody decided of
them.
"""

from __future__ import annotations

import datetime
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
import peewee

from fairlay.core.book.facts import PARTS, in_cents
from fairlay.core.errors import NotFound, Refused
from fairlay.store.acting import who
from fairlay.store.book_rows import BookHideRow, BookSeenRow
from fairlay.store.clock import now
from fairlay.store.database import connected
from fairlay.store.table import rows_of
from fairlay.store.tables import BatchRow, PersonRow


@dataclass(frozen=True)
class Told:
    """What the Book holds in all: hides that count, that do not (``doubted``: nobody looked yet), from when
    to when; currencies, with how many hides each; mills and materials.
    """

    hides: int
    left_out: int
    doubted: int
    first: datetime.date | None
    last: datetime.date | None
    currencies: dict[str, int]
    mills: tuple[str, ...]
    materials: tuple[str, ...]


@connected
def told() -> Told:
    """Return what the Book holds: three queries."""
    b, count = BookHideRow, peewee.fn.COUNT
    seen = BookSeenRow.select(BookSeenRow.sheet)
    found = b.select(
        peewee.fn.SUM(peewee.Case(None, [(b.counts, 1)], 0)),
        count(b.sheet),
        peewee.fn.SUM(peewee.Case(None, [((b.doubt != "") & b.sheet.not_in(seen), 1)], 0)),
        peewee.fn.MIN(b.closed_on),
        peewee.fn.MAX(b.closed_on),
    )
    row = rows_of(found)[0]
    counts = int(row[0] or 0)
    money = b.select(b.currency, count(b.sheet)).where(b.counts).group_by(b.currency)
    kinds = rows_of(b.select(b.mill, b.material).distinct())
    return Told(
        counts,
        int(row[1] or 0) - counts,
        int(row[2] or 0),
        row[3],
        row[4],
        {name: int(n) for name, n in rows_of(money)},
        tuple(sorted({m for m, _ in kinds if m})),
        tuple(sorted({m for _, m in kinds})),
    )


@dataclass(frozen=True)
class Closed:
    """A closed hide as a list shows it. ``decided``: who said last whether it counts, why, and when."""

    sheet: int
    hide_id: int
    number: str
    material: str
    mill: str
    lot: str
    grade: str
    batch: str
    batch_id: int
    closed_on: datetime.date
    m2: dict[str, float]
    cents: int
    currency: str
    done: int
    spoilt: int
    planned_pieces: int | None
    planned_yield: float | None
    planned_min: float
    true_min: float
    doubt: str
    counts: bool
    decided: tuple[str, str, datetime.datetime] | None


@connected
def closed_hides(where: Any = None, most: int = 200, before: int | None = None) -> list[Closed]:
    """Return closed hides, the newest first, with what was decided of them: two queries."""
    b = BookHideRow
    query = b.select(b, BatchRow.number.alias("batch_number")).join(
        BatchRow, peewee.JOIN.LEFT_OUTER, on=(b.batch_id == BatchRow.id), attr="of_batch"
    )
    if where is not None:
        query = query.where(where)
    if before is not None:
        query = query.where(b.sheet < before)
    rows = list(query.order_by(b.sheet.desc()).limit(most))
    decided = decisions([r.sheet_id for r in rows])
    return [
        Closed(
            r.sheet_id,
            r.hide_id,
            r.number,
            r.material,
            r.mill,
            r.lot,
            r.grade,
            getattr(getattr(r, "of_batch", None), "batch_number", ""),
            r.batch_id,
            r.closed_on,
            {part: float(getattr(r, f"{part}_m2")) for part in PARTS},
            int(r.cents),
            r.currency,
            int(r.done),
            int(r.spoilt),
            r.planned_pieces,
            r.planned_yield,
            float(r.planned_min),
            float(r.true_min),
            r.doubt,
            bool(r.counts),
            decided.get(r.sheet_id),
        )
        for r in rows
    ]


@connected
def decisions(sheet_ids: Sequence[int]) -> dict[int, tuple[str, str, datetime.datetime]]:
    """Return of some closed hides who said last whether they count, why, and when."""
    rows = (
        BookSeenRow.select(BookSeenRow, PersonRow.name)
        .join(PersonRow, peewee.JOIN.LEFT_OUTER)
        .where(BookSeenRow.sheet.in_(list(sheet_ids)))
        .order_by(BookSeenRow.id)
    )
    return {r.sheet_id: (r.by.name if r.by else "", r.words, r.at) for r in rows}


@connected
def decide(sheet_id: int, counts: bool, words: str) -> None:
    """Say whether a closed hide counts in the figures, and why; who said so is kept, and facts stay as they
    are. Raises NotFound, and Refused without a reason.
    """
    if not BookHideRow.select().where(BookHideRow.sheet == sheet_id).exists():
        raise NotFound(f"there is no closed hide of cut sheet {sheet_id}", value=sheet_id)
    if not words.strip():
        raise Refused(
            "a hide is left out of the figures, or counted, for a reason",
            value=words,
            expected="a few words; nothing was changed",
        )
    BookSeenRow.create(sheet=sheet_id, counts=counts, words=words.strip()[:255], at=now(), by=who())
    BookHideRow.update(counts=counts).where(BookHideRow.sheet == sheet_id).execute()


def parts_in_cents(closed: Closed) -> dict[str, int]:
    """Return a closed hide's money by where its leather went, which adds up to all of it."""
    parts = in_cents(np.array([closed.cents]), np.array([[closed.m2[p] for p in PARTS]]))[0]
    return {name: int(v) for name, v in zip(PARTS, parts, strict=True)}
