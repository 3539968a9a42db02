"""The Book in the store: every hide that was closed, ready to be summed, and what somebody decided of it.

Its rows only repeat what receiving, the bench and the closing of a hide froze. They are made as a hide is
closed, and for hides closed before, as soon as anybody looks.
"""

from __future__ import annotations

import datetime
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Any, Final

import numpy as np
import peewee

from fairlay.core.book.facts import CENTS, LABELS, PARTS, Facts, facts_of, in_cents
from fairlay.core.book.sheet import (
    CLASS_WORTH,
    Press,
    SheetTold,
    article_of,
    doubt_of,
    money_of,
    told_by,
    waste_by_part,
)
from fairlay.core.cutting.left_over import Account
from fairlay.core.errors import Refused
from fairlay.core.lay.lay import Job
from fairlay.core.pattern.changes import letter
from fairlay.store.book_rows import BookHideRow, BookPieceRow, BookSeenRow
from fairlay.store.clock import seconds_at
from fairlay.store.cut_rows import CutSheetRow, CutTickRow
from fairlay.store.database import connected
from fairlay.store.lay_rows import job_of
from fairlay.store.setting import Setting
from fairlay.store.settings import currency_on, first_currency
from fairlay.store.table import rows_of
from fairlay.store.tables import (
    ArticleRevisionRow,
    ArticleRow,
    BatchLineRow,
    BatchRow,
    DeliveryRow,
    HideRow,
    LayJobRow,
    LayRow,
)

AT_ONCE: Final = 40
WORTH_OF_CLASSES: Final = Setting[dict[int, float]](
    "class worth",
    lambda: dict(CLASS_WORTH),
    lambda kept: {int(k): float(v) for k, v in kept.items()},
    lambda worth: {str(k): v for k, v in worth.items()},
)


@dataclass(frozen=True)
class Asked:
    """Of which hides figures are made: closed ``since`` and ``until`` (days, that one too), of a mill, a
    material; of all where nothing is said. Hides that do not count, or were bought in another currency than
    ``currency``, are left out.
    """

    since: datetime.date | None = None
    until: datetime.date | None = None
    mill: str = ""
    material: str = ""
    currency: str = ""
    batch: int | None = None

    def where(self) -> Any:
        b = BookHideRow
        found = b.counts & (b.currency == self.currency)
        if self.since:
            found &= b.closed_on >= self.since
        if self.until:
            found &= b.closed_on <= self.until
        if self.mill:
            found &= b.mill == self.mill
        if self.material:
            found &= b.material == self.material
        if self.batch is not None:
            found &= b.batch_id == self.batch
        return found


@connected
def keep_up() -> int:
    """Write down every closed hide that is not in the Book yet; return how many."""
    missing = (
        CutSheetRow.select(CutSheetRow.id)
        .join(BookHideRow, peewee.JOIN.LEFT_OUTER, on=(BookHideRow.sheet == CutSheetRow.id))
        .where(CutSheetRow.state == "closed", BookHideRow.sheet.is_null())
        .order_by(CutSheetRow.id)
    )
    ids = [row.id for row in missing]
    for k in range(0, len(ids), AT_ONCE):
        write_down(ids[k : k + AT_ONCE])
    if named := first_currency():  # what was closed before the shop's money had a name
        BookHideRow.update(currency=named).where(BookHideRow.currency == "").execute()
    return len(ids)


@connected
def write_down(sheet_ids: Sequence[int]) -> None:
    """Write closed hides into the Book, or anew."""
    BookHideRow.delete().where(BookHideRow.sheet.in_(list(sheet_ids))).execute()
    sheets = {r.id: r for r in CutSheetRow.select().where(CutSheetRow.id.in_(list(sheet_ids)))}
    presses = _presses(sheets)
    decided = {
        r.sheet_id: bool(r.counts)
        for r in BookSeenRow.select().where(BookSeenRow.sheet.in_(list(sheets))).order_by(BookSeenRow.id)
    }
    facts = _labels(r.hide_id for r in sheets.values())
    lays = {r.id: r for r in LayRow.select().where(LayRow.id.in_([s.lay_id for s in sheets.values()]))}
    letters = _letters({lay.batch_id for lay in lays.values()})
    hides, pieces = [], []
    for sheet in sheets.values():
        if sheet.account is None:
            continue
        row, own = _of_sheet(sheet, presses.get(sheet.id, []), facts[sheet.hide_id], lays[sheet.lay_id])
        row["counts"] = decided.get(sheet.id, not row["doubt"])
        for piece in own:
            piece["revision"] = letters.get((piece["batch_id"], piece["article"]), "")
        hides.append(row)
        pieces += own
    if hides:
        BookHideRow.insert_many(hides).execute()
    if pieces:
        BookPieceRow.insert_many(pieces).execute()


def _presses(sheets: dict[int, CutSheetRow]) -> dict[int, list[Press]]:
    t = CutTickRow
    rows = (
        t.select(t.sheet, t.piece, t.copy_number, t.act, t.pressed_at, t.came_at, t.planned_s, t.by, t.reason)
        .where(t.sheet.in_(list(sheets)))
        .order_by(t.id)
    )
    out: dict[int, list[Press]] = {}
    for sheet, piece, copy, act, pressed, came, planned, by, reason in rows_of(rows):
        closed = sheets[sheet].closed_at
        if closed is None or came <= closed:
            press = Press(piece, int(copy), act, seconds_at(pressed), float(planned), by, reason)
            out.setdefault(sheet, []).append(press)
    return out


@dataclass(frozen=True)
class _Label:
    number: str
    kind: str
    material: str
    mill: str
    lot: str
    grade: str
    received_on: datetime.date
    cost: float
    cost_per_m2: float


def _labels(hide_ids: Iterable[int]) -> dict[int, _Label]:
    """What is said of some hides; an offcut has its lot of the hide it was cut off."""
    h, parent = HideRow, HideRow.alias()
    rows = (
        h.select(
            h.id,
            h.number,
            h.kind,
            h.material,
            h.mill,
            h.grade,
            h.received_on,
            h.cost,
            h.cost_per_m2,
            h.delivery,
            parent.delivery.alias("parent_delivery"),
        )
        .join(parent, peewee.JOIN.LEFT_OUTER, on=(h.parent == parent.id))
        .where(h.id.in_(list(hide_ids)))
    )
    found = rows_of(rows)
    wanted = {r[9] or r[10] for r in found} - {None}
    lots = (
        {
            r.id: r.lot
            for r in DeliveryRow.select(DeliveryRow.id, DeliveryRow.lot).where(DeliveryRow.id.in_(wanted))
        }
        if wanted
        else {}
    )
    return {
        r[0]: _Label(
            r[1], r[2], r[3], r[4], lots.get(r[9] or r[10], ""), r[5], r[6], float(r[7] or 0.0), float(r[8])
        )
        for r in found
    }


def _letters(batch_ids: Iterable[int]) -> dict[tuple[int, str], str]:
    """The letter of the revision that each article of some batches is planned with."""
    rows = (
        BatchLineRow.select(BatchLineRow.batch, ArticleRow.slug, ArticleRevisionRow.number)
        .join(ArticleRow)
        .switch(BatchLineRow)
        .join(ArticleRevisionRow)
        .where(BatchLineRow.batch.in_(list(batch_ids)))
    )
    return {(batch, slug): letter(number) for batch, slug, number in rows_of(rows)}


def _job_of(lay_id: int) -> Job:
    newest = LayJobRow.select(peewee.fn.MAX(LayJobRow.number)).where(LayJobRow.lay == lay_id).scalar()
    return job_of(lay_id, int(newest))


def _of_sheet(
    sheet: CutSheetRow, presses: list[Press], label: _Label, lay: LayRow
) -> tuple[dict[str, Any], list[dict[str, Any]]]:
    """One closed hide as rows of the Book."""
    account = Account(**sheet.account)
    facts = sheet.facts or {}
    told = told_by(presses)
    waste = waste_by_part(account)
    m2 = {"good": account.good_m2, "spoilt": account.spoilt_m2, "kept": account.kept_m2, **waste}
    cost = facts.get("cost")
    if cost is None:  # closed before this was frozen: what it stands for now
        cost = label.cost or label.cost_per_m2 * account.whole_m2
    cents = round(cost * CENTS)
    planned = facts.get("planned") or {}
    used = planned.get("used_m2") or 0.0
    closed_on = (sheet.closed_at or sheet.begun_at).date()
    row = {
        "sheet": sheet.id,
        "batch_id": lay.batch_id,
        "hide_id": sheet.hide_id,
        "number": label.number,
        "kind": label.kind,
        "material": label.material,
        "mill": label.mill,
        "lot": label.lot,
        "grade": label.grade,
        "month": f"{closed_on:%Y-%m}",
        "closed_on": closed_on,
        "currency": facts.get("currency") or currency_on(label.received_on),
        **{f"{part}_m2": m2[part] for part in PARTS},
        "cents": cents,
        "planned_min": _pace(sheet) * sum(p.planned_s for p in told.pieces.values()) / 60,
        "true_min": sum(p.true_s for p in told.pieces.values()) / 60,
        "planned_yield": planned["pieces_m2"] / used if used > 1e-9 else None,
        "planned_pieces": planned.get("pieces"),
        "done": told.done,
        "spoilt": told.spoilt,
        "reasons": told.reasons or None,
        "doubt": doubt_of(account),
    }
    parts = in_cents(np.array([cents]), np.array([[m2[part] for part in PARTS]]))[0]
    worth = {int(k): float(v) for k, v in facts["worth"].items()} if "worth" in facts else class_worth()
    return row, _pieces(sheet.id, told, lay, cents - int(parts[PARTS.index("kept")]), worth)


def _pace(sheet: CutSheetRow) -> float:
    return float(((sheet.bench or {}).get("bench") or {}).get("pace", 1.0))


def _pieces(
    sheet_id: int, told: SheetTold, lay: LayRow, cents: int, worth: dict[int, float]
) -> list[dict[str, Any]]:
    """The rows of a hide's pieces: good ones pay for what of its leather was used."""
    job = _job_of(lay.id)
    keys = [key for key in told.pieces if key[0] in job.pieces_by_id]
    good = [(job.pieces_by_id[piece], told.pieces[piece, by].done) for piece, by in keys]
    pay = money_of(cents, good, worth) if any(n for _, n in good) else [0] * len(keys)
    out = []
    for (piece, by), paid in zip(keys, pay, strict=True):
        own = told.pieces[piece, by]
        batch, slug, name = article_of(piece)
        out.append(
            {
                "sheet": sheet_id,
                "batch_id": _batch_called(batch) if batch else lay.batch_id,
                "article": slug,
                "piece": name,
                "done": own.done,
                "spoilt": own.spoilt,
                "area_m2": job.pieces_by_id[piece].area_mm2 / 1e6,
                "cents": paid,
                "planned_s": own.planned_s,
                "true_s": own.true_s,
                "timed": own.timed,
                "by": by,
            }
        )
    return out


def _batch_called(number: str) -> int:
    row = BatchRow.get_or_none(BatchRow.number == number)
    return int(row.id) if row is not None else 0


@connected
def facts(asked: Asked) -> Facts:
    """Return the closed hides that figures are made of, in the order they were closed: one query."""
    b = BookHideRow
    columns = [
        b.sheet,
        b.batch_id,
        *(getattr(b, name) for name in LABELS),
        *(getattr(b, f"{part}_m2") for part in PARTS),
        b.cents,
        peewee.fn.TO_DAYS(b.closed_on),
        b.planned_min,
        b.true_min,
        b.planned_yield,
    ]
    rows = b.select(*columns).where(asked.where()).order_by(b.closed_on, b.sheet)
    return facts_of(rows_of(rows))


@dataclass(frozen=True)
class PieceFigures:
    """Pieces that were cut, of one key: how many good and spoilt, their m2 and cents, true minutes of those
    whose time is known, and the minutes that the plan's own speeds (a pace of 1) give them.
    """

    key: tuple[Any, ...]
    done: int
    spoilt: int
    m2: float
    cents: int
    planned_min: float
    true_min: float
    timed: int


@connected
def pieces(asked: Asked, *keys: str, only_batch: int | None = None) -> list[PieceFigures]:
    """Return what was cut, by some columns (article, piece, by, batch_id, revision, month); ``only_batch``:
    for a batch, also where it was laid together with others. One query.
    """
    p, b = BookPieceRow, BookHideRow
    columns = [getattr(p if hasattr(p, k) else b, k) for k in keys]
    total = peewee.fn.SUM
    rows = (
        p.select(
            *columns,
            total(p.done),
            total(p.spoilt),
            total(p.done * p.area_m2),
            total(p.cents),
            total(p.planned_s),
            total(p.true_s),
            total(p.timed),
        )
        .join(b)
        .where(asked.where() if only_batch is None else asked.where() & (p.batch_id == only_batch))
        .group_by(*columns)
        .order_by(*columns)
    )
    k = len(keys)
    return [
        PieceFigures(
            tuple(r[:k]),
            int(r[k]),
            int(r[k + 1]),
            float(r[k + 2]),
            int(r[k + 3]),
            float(r[k + 4]) / 60,
            float(r[k + 5]) / 60,
            int(r[k + 6]),
        )
        for r in rows_of(rows)
    ]


def no_facts() -> Facts:
    """Return no hides at all."""
    return facts_of([])


@connected
def batch_names(ids: Iterable[int]) -> dict[int, str]:
    """Return the numbers and names of some batches."""
    rows = BatchRow.select(BatchRow.id, BatchRow.number, BatchRow.name).where(BatchRow.id.in_(list(ids)))
    return {r.id: f"{r.number} {r.name}" for r in rows}


@connected
def spoil_reasons(asked: Asked) -> dict[str, int]:
    """Return how often pieces were spoilt for which reason, the commonest first."""
    found: dict[str, int] = {}
    rows = BookHideRow.select(BookHideRow.reasons).where(asked.where(), BookHideRow.reasons.is_null(False))
    for row in rows:
        for reason, n in (row.reasons or {}).items():
            found[reason] = found.get(reason, 0) + int(n)
    return dict(sorted(found.items(), key=lambda kv: -kv[1]))


@connected
def class_worth() -> dict[int, float]:
    """Return what leather of each class is worth beside tight leather, as the shop has it."""
    return WORTH_OF_CLASSES.get()


@connected
def set_class_worth(worth: dict[int, float]) -> None:
    """Keep what leather of each class is worth beside tight leather (all the same: by area alone), for hides
    closed from now on. Raises Refused for figures that make no sense.
    """
    if set(worth) != {1, 2, 3, 4} or not all(0.05 <= v <= 1.0 for v in worth.values()):
        raise Refused(
            "shares that make no sense",
            value=list(worth.values()),
            expected="a share of 0.05 to 1 for each of the four classes; those before were kept",
        )
    WORTH_OF_CLASSES.put(worth)
