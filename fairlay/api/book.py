"""The Book: where leather went and why, what stands out, what estimates learn, notes."""

from __future__ import annotations

import datetime
import math
from collections.abc import Iterable
from typing import Annotated, Any, Final, Literal

import numpy as np
from fastapi import APIRouter, Depends, Path, Query, Response

from fairlay.api.book_models import (
    ArticleCut,
    BookBatch,
    BookFigures,
    ClassWorthIO,
    ClosedHide,
    DecidedOut,
    DecideIn,
    GroupOut,
    GroupsOut,
    LearnedOut,
    LearnedPage,
    MonthOut,
    NoteBecame,
    NoteIn,
    NoteOut,
    PartOut,
    PieceGroupOut,
    ReasonOut,
    SpreadOut,
    StandOutOut,
    TakeIn,
    TakenOut,
    Told,
    TrendOut,
    WhereOut,
)
from fairlay.api.files import as_file
from fairlay.api.models import Created
from fairlay.core.book.facts import PART_WORDS, PARTS, Facts
from fairlay.core.book.figures import Figures, Spread, figures_of, grouped
from fairlay.core.book.learned import Learned, spoil_rates
from fairlay.core.book.news import StandOut, groups_that_stand_out, hides_that_stand_out, trend
from fairlay.core.errors import NotFound
from fairlay.core.formats.book_pdf import MonthPage, month_pdf
from fairlay.core.formats.table_csv import csv_text
from fairlay.core.lay.order import piece_id
from fairlay.core.numbering import as_counted
from fairlay.store import articles, batches, book, book_lists, learned, notes, people
from fairlay.store.book import Asked, PieceFigures
from fairlay.store.book_lists import Closed
from fairlay.store.book_rows import BookHideRow
from fairlay.store.settings import leather_settings

router = APIRouter(prefix="/api/book", tags=["book"])
By = Literal["hide", "mill", "lot", "grade", "material", "batch", "month", "article", "piece", "cutter"]
OF_PIECES: Final = {"article": ("article",), "piece": ("article", "piece"), "cutter": ("by",)}
MOST_GROUPS: Final = 400


def asked_of(
    since: datetime.date | None = None,
    until: datetime.date | None = None,
    mill: Annotated[str, Query(max_length=64)] = "",
    material: Annotated[str, Query(max_length=64)] = "",
    currency: Annotated[str | None, Query(max_length=16)] = None,
) -> Asked:
    """Return of which hides figures are asked; in the shop's currency where none is said."""
    book.keep_up()
    own = leather_settings().currency if currency is None else currency
    return Asked(since, until, mill, material, own)


Which = Annotated[Asked, Depends(asked_of)]


@router.get("/where")
def where_leather_went(asked: Which) -> WhereOut:
    """Where the leather of closed hides went, month by month, with what stands out."""
    facts = book.facts(asked)
    by_month = grouped(facts, facts.label["month"])
    going = trend(facts)
    news = [s for what in ("mill", "lot", "grade") for s in groups_that_stand_out(facts, what)]
    return WhereOut(
        told=_told(asked),
        figures=_figures(figures_of(facts)),
        months=[_month(m, by_month.get(m)) for m in _months(list(by_month))],
        trend=TrendOut(
            slope=_num(going.slope),
            low=_num(going.low),
            high=_num(going.high),
            news=going.news,
            words=going.words,
        ),
        stand_out=[_stand_out(s) for s in [*news, *hides_that_stand_out(facts)]],
        reasons=_reasons(book.spoil_reasons(asked)),
    )


@router.get("/by/{what}")
def book_by(what: By, asked: Which) -> GroupsOut:
    """The Book in groups: hides by what they are, or pieces by article, name or cutter."""
    if what in OF_PIECES:
        return GroupsOut(told=_told(asked), groups=[], pieces=_piece_groups(what, asked), stand_out=[])
    facts = book.facts(asked)
    return GroupsOut(
        told=_told(asked),
        groups=_groups(what, facts),
        pieces=[],
        stand_out=[_stand_out(s) for s in _news(what, facts)],
    )


def _news(what: str, facts: Facts) -> list[StandOut]:
    if what == "hide":
        return hides_that_stand_out(facts)
    return groups_that_stand_out(facts, what) if what in ("mill", "lot", "grade", "month") else []


def _groups(what: str, facts: Facts) -> list[GroupOut]:
    keys: Any = facts.sheet if what == "hide" else facts.batch if what == "batch" else facts.label[what]
    if what == "hide" and len(facts) > MOST_GROUPS:  # hides one by one: the newest
        newest = np.arange(len(facts) - MOST_GROUPS, len(facts))
        facts, keys = facts.of(newest), keys[newest]
    found = grouped(facts, keys)
    names: dict[Any, str] = {}
    if what == "hide":
        names = dict(zip(facts.sheet.tolist(), facts.label["number"].tolist(), strict=True))
    elif what == "batch":
        names = book.batch_names(found)
    rows = [
        GroupOut(key=str(k), name=names.get(k, str(k)) or "not named", **_figures(f).model_dump())
        for k, f in found.items()
    ]
    if what == "batch":
        rows = rows[-MOST_GROUPS:]
    return rows if what == "month" else sorted(rows, key=lambda g: (-g.hides, as_counted(g.name)))


def _piece_groups(what: str, asked: Asked) -> list[PieceGroupOut]:
    found = book.pieces(asked, *OF_PIECES[what])
    rates = spoil_rates({_key(p): (p.done + p.spoilt, p.spoilt) for p in found})
    names = _names(what)
    rows = [_piece_group(p, names.get(_key(p), _key(p)), rates[_key(p)]) for p in found]
    return sorted(rows, key=lambda g: -g.done)


def _key(p: PieceFigures) -> str:
    return "/".join("" if k is None else str(k) for k in p.key)


def _names(what: str) -> dict[str, str]:
    if what == "cutter":
        return {
            **{str(k): v for k, v in people.names_of_people().items() if k is not None},
            "": "nobody known",
        }
    known = [k.article for k in articles.all_articles()]
    if what == "article":
        return {a.slug: a.name for a in known}
    return {f"{a.slug}/{p.slug}": f"{a.name}: {p.name}" for a in known for p in a.pieces}


def _piece_group(p: PieceFigures, name: str, rate: Learned) -> PieceGroupOut:
    return PieceGroupOut(
        key=_key(p),
        name=name,
        done=p.done,
        spoilt=p.spoilt,
        spoil_rate=SpreadOut(
            value=_num(rate.value), low=_num(rate.low), high=_num(rate.high), least=None, most=None, n=rate.n
        ),
        m2=p.m2,
        cents=p.cents,
        minutes_each=p.true_min / p.timed if p.timed else None,
        pace=p.true_min / p.planned_min if p.planned_min > 0 else None,
        timed=p.timed,
    )


@router.get("/hides")
def closed_hides(before: int | None = None, doubted: bool = False) -> list[ClosedHide]:
    """Closed hides, the newest first; ``before`` goes on from one; or those that nobody should trust yet."""
    book.keep_up()
    where = (BookHideRow.doubt != "") | ~BookHideRow.counts if doubted else None
    return [_closed(c) for c in book_lists.closed_hides(where, 60, before)]


@router.post("/hides/{sheet_id}/decide", status_code=204)
def decide_hide(sheet_id: int, asked: DecideIn) -> None:
    """Say whether a closed hide counts in the figures, and why."""
    book.keep_up()
    book_lists.decide(sheet_id, asked.counts, asked.words)


@router.get("/batches/{batch_id}")
def book_batch(batch_id: int) -> BookBatch:
    """A batch in the Book: what was planned, and what truly came."""
    book.keep_up()
    batch = batches.batch_by_id(batch_id)
    hides = book_lists.closed_hides(BookHideRow.batch_id == batch_id, 400)
    currency = hides[0].currency if hides else leather_settings().currency
    asked = Asked(currency=currency, batch=batch_id)
    cut = {p.key: p for p in book.pieces(Asked(currency=currency), "article", "piece", only_batch=batch_id)}
    rows, warnings = [], []
    for line in batch.lines:
        slug = line.article.slug
        wanted = {piece_id(line.article, p): p.pattern.quantity * line.quantity for p in line.article.pieces}
        own = {f"{a}/{p}": f for (a, p), f in cut.items() if a == slug}
        done = {k: own[k].done if k in own else 0 for k in wanted}
        each = {piece_id(line.article, p): p.pattern.quantity for p in line.article.pieces}
        whole = min((done[k] // each[k] for k in wanted), default=0)
        spoilt = sum(f.spoilt for f in own.values())
        cents = sum(f.cents for f in own.values())
        rows.append(
            ArticleCut(
                article=slug,
                name=line.article.name,
                ordered=line.quantity,
                whole=min(whole, line.quantity),
                done=sum(done.values()),
                wanted=sum(wanted.values()),
                spoilt=spoilt,
                cents=cents,
                cents_each=round(cents / min(whole, line.quantity)) if whole and line.quantity else None,
            )
        )
        over = {k: n - wanted[k] for k, n in done.items() if n > wanted[k] * (1 + SPARE_AT_MOST)}
        if over:
            worst = max(over, key=lambda k: over[k])
            warnings.append(
                f"{done[worst]} of {worst.partition('/')[2]} were cut for {line.article.name}, "
                f"{wanted[worst]} are ordered. If it was cut twice by mistake, leave one of the hides out."
            )
    warnings += [
        f"{c.number}: {c.doubt}; {'counted' if c.counts else 'left out of the figures'}"
        for c in hides
        if c.doubt
    ]
    planned = [c.planned_pieces for c in hides if c.counts]
    return BookBatch(
        id=batch.id,
        number=batch.number,
        name=batch.name,
        figures=_figures(figures_of(book.facts(asked))),
        hides=[_closed(c) for c in hides],
        articles=rows,
        planned_pieces=None if not planned or None in planned else sum(n or 0 for n in planned),
        warnings=warnings,
        reasons=_reasons(book.spoil_reasons(asked)),
    )


SPARE_AT_MOST: Final = 0.25
"""Beyond what is ordered, so many are spares; more were hardly meant."""


@router.get("/learned")
def learned_figures(asked: Which) -> LearnedPage:
    """What estimates learn from records, beside what plans reckon with."""
    return LearnedPage(
        told=_told(asked),
        figures=[_learned(f) for f in learned.figures(asked)],
        history=[TakenOut.model_validate(t) for t in learned.history()],
        class_worth=book.class_worth(),
    )


@router.post("/learned/take")
def take_learned(which: TakeIn, asked: Which) -> LearnedOut:
    """Plan with a learned figure from now on."""
    return _learned(learned.take(asked, which.kind, which.of))


@router.put("/class-worth", status_code=204)
def put_class_worth(asked: ClassWorthIO) -> None:
    """Keep what leather of each class is worth beside tight leather."""
    book.set_class_worth(asked.worth)


@router.get("/notes")
def all_notes(subject: str = "", of: Annotated[list[int] | None, Query()] = None) -> list[NoteOut]:
    """Notes, the newest first: all, or those that stand on some articles, hides or batches."""
    found = notes.notes(subject, of or [], open_only=bool(subject))
    return [NoteOut.model_validate(n) for n in found]


@router.post("/notes", status_code=201)
def add_note(asked: NoteIn) -> Created:
    """Keep a note on an article, a hide or a batch."""
    return Created(id=notes.add(asked.subject, asked.of, asked.words, asked.piece))


@router.post("/notes/{note_id}/away", status_code=204)
def put_note_away(note_id: int) -> None:
    """Put a note away."""
    notes.put_away(note_id)


@router.post("/notes/{note_id}/revision", status_code=201)
def note_to_revision(note_id: int) -> NoteBecame:
    """Begin a revision of an article with a note as its reason."""
    article_id, letter = notes.become_revision(note_id)
    return NoteBecame(article_id=article_id, letter=letter)


@router.get("/{what}.csv")
def book_csv(what: By, asked: Which) -> Response:
    """The Book in groups, as CSV."""
    found = book_by(what, asked)
    if found.pieces or what in OF_PIECES:
        head = ["name", "good", "spoilt", "spoil rate", "m2", "money", "minutes each", "pace", "timed"]
        rows: Iterable[list[object]] = (
            [
                g.name,
                g.done,
                g.spoilt,
                _round(g.spoil_rate.value, 4),
                _round(g.m2, 4),
                g.cents / 100,
                _round(g.minutes_each, 2),
                _round(g.pace, 3),
                g.timed,
            ]
            for g in found.pieces
        )
    else:
        head = ["name", "hides", "bought m2", *(f"{PART_WORDS[p]} m2" for p in PARTS), "yield", "yield low"]
        head += ["yield high", "planned yield", "money", "money a good m2", "planned minutes", "true minutes"]
        rows = (
            [
                g.name,
                g.hides,
                _round(g.bought_m2, 4),
                *(_round(p.m2, 4) for p in g.parts),
                _round(g.yields.value, 4),
                _round(g.yields.low, 4),
                _round(g.yields.high, 4),
                _round(g.planned_yield, 4),
                g.cents / 100,
                _round(g.cost_per_good_m2, 2),
                _round(g.planned_minutes, 1),
                _round(g.true_minutes, 1),
            ]
            for g in found.groups
        )
    return as_file(csv_text(head, rows), "text/csv; charset=utf-8", f"book-by-{what}.csv")


@router.get("/month/{month}.pdf")
def month_page(month: Annotated[str, Path(pattern=r"^\d{4}-\d{2}$")]) -> Response:
    """A month of the Book, to be printed."""
    try:
        first = datetime.date.fromisoformat(f"{month}-01")
    except ValueError as error:
        raise NotFound(f"there is no month {month}", value=month, expected="as 2026-11") from error
    until = (first.replace(day=28) + datetime.timedelta(days=4)).replace(day=1) - datetime.timedelta(days=1)
    asked = asked_of(first, until, "", "", None)
    facts = book.facts(asked)
    chosen = leather_settings()
    names = _names("article")
    page = MonthPage(
        month,
        chosen.shop,
        chosen.currency,
        figures_of(facts),
        [(str(k) or "not named", f) for k, f in grouped(facts, facts.label["mill"]).items()],
        [
            (names.get(str(p.key[0]), str(p.key[0])), p.done, p.spoilt, p.m2, p.cents)
            for p in book.pieces(asked, "article")
        ],
        list(book.spoil_reasons(asked).items()),
        [s.words for s in hides_that_stand_out(facts)],
    )
    return as_file(month_pdf(page), "application/pdf", f"book-{month}.pdf")


def _told(asked: Asked) -> Told:
    t = book_lists.told()
    return Told(
        hides=t.hides,
        left_out=t.left_out,
        doubted=t.doubted,
        first=t.first,
        last=t.last,
        currencies=t.currencies,
        currency=asked.currency,
        mills=list(t.mills),
        materials=list(t.materials),
    )


def _num(value: float) -> float | None:
    return None if math.isnan(value) or math.isinf(value) else float(value)


def _round(value: float | None, digits: int) -> float | None:
    return None if value is None else round(value, digits)


def spread_out(s: Spread) -> SpreadOut:
    """Return a figure with its range as it is told."""
    return SpreadOut(
        value=_num(s.value), low=_num(s.low), high=_num(s.high), least=_num(s.least), most=_num(s.most), n=s.n
    )


def _figures(f: Figures) -> BookFigures:
    return BookFigures(
        hides=f.hides,
        bought_m2=f.bought_m2,
        cents=sum(f.cents.values()),
        parts=[PartOut(part=p, words=PART_WORDS[p], m2=f.m2[p], cents=f.cents[p]) for p in PARTS],
        yields=spread_out(f.yields),
        planned_yield=_num(f.planned_yield),
        cost_per_good_m2=_num(f.cost_per_good_m2),
        planned_minutes=f.planned_minutes,
        true_minutes=f.true_minutes,
        timed=f.timed,
    )


def _month(month: str, found: Figures | None) -> MonthOut:
    return MonthOut(month=month, **_figures(found or figures_of(book.no_facts())).model_dump())


def _months(found: list[str]) -> list[str]:
    """Every month from the first to the last, those without work too."""
    if not found:
        return []
    out = [min(found)]
    while out[-1] < max(found):
        year, month = int(out[-1][:4]), int(out[-1][5:])
        out.append(f"{year + month // 12:04d}-{month % 12 + 1:02d}")
    return out


def _stand_out(s: StandOut) -> StandOutOut:
    return StandOutOut(
        what=s.what, key=s.key, hides=s.hides, value=s.value, usual=s.usual, by=s.by, words=s.words
    )


def _reasons(found: dict[str, int]) -> list[ReasonOut]:
    return [ReasonOut(reason=k, pieces=v) for k, v in found.items()]


def _learned(f: learned.Figure) -> LearnedOut:
    return LearnedOut(
        kind=f.kind,
        of=f.of,
        name=f.name,
        value=f.learned.value,
        low=_num(f.learned.low),
        high=_num(f.learned.high),
        bare=_num(f.learned.bare),
        n=f.learned.n,
        planned=f.planned,
        proposed=f.proposed,
        taken_by=f.taken[0] if f.taken else "",
        taken_at=f.taken[1] if f.taken else None,
    )


def _closed(c: Closed) -> ClosedHide:
    bought = sum(c.m2.values())
    used = bought - c.m2["kept"]
    cents = book_lists.parts_in_cents(c)
    return ClosedHide(
        sheet=c.sheet,
        hide_id=c.hide_id,
        number=c.number,
        material=c.material,
        mill=c.mill,
        lot=c.lot,
        grade=c.grade,
        batch=c.batch,
        batch_id=c.batch_id,
        closed_on=c.closed_on,
        parts=[PartOut(part=p, words=PART_WORDS[p], m2=c.m2[p], cents=cents[p]) for p in PARTS],
        bought_m2=bought,
        cents=c.cents,
        currency=c.currency,
        done=c.done,
        spoilt=c.spoilt,
        planned_pieces=c.planned_pieces,
        yield_of_used=c.m2["good"] / used if used > 1e-9 else None,
        planned_yield=c.planned_yield,
        planned_minutes=c.planned_min,
        true_minutes=c.true_min,
        doubt=c.doubt,
        counts=c.counts,
        decided=None
        if c.decided is None
        else DecidedOut(by=c.decided[0], words=c.decided[1], at=c.decided[2]),
    )
