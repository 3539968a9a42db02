"""What estimates learn, in the store: each figure as records have it now, what is planned with, and who took
which when. A figure changes a plan only when somebody takes it.
"""

from __future__ import annotations

import datetime
import json
import math
from dataclasses import dataclass, replace
from typing import Final, Literal, get_args

import peewee

from fairlay.core.book.facts import Facts
from fairlay.core.book.learned import Learned, shrunk, spares_for, spoil_rates
from fairlay.core.cutting.pace import AS_SURE_AS
from fairlay.core.errors import NotFound, Refused
from fairlay.core.pattern.article import Article
from fairlay.store import articles, book, cutting
from fairlay.store.acting import who
from fairlay.store.book import Asked
from fairlay.store.book_rows import LearnedRow
from fairlay.store.clock import now
from fairlay.store.database import connected
from fairlay.store.tables import PersonRow

Kind = Literal["spares", "pace", "yield"]
KINDS: Final[tuple[Kind, ...]] = get_args(Kind)
LEAST_CUT: Final = 1
FEWEST_TIMED: Final = 10
SHOP: Final = "the shop"


@dataclass(frozen=True)
class Figure:
    """A figure that records teach. ``of``: a piece (``article/piece``), the shop, or a kind of leather (JSON:
    material, kind, mill, grade); ``name``: that in words. ``planned`` is what plans reckon with now
    (None: nothing was taken yet), ``proposed`` what they would after taking it.
    """

    kind: Kind
    of: str
    name: str
    learned: Learned
    planned: float | None
    proposed: float
    taken: tuple[str, datetime.datetime] | None = None


@connected
def figures(asked: Asked) -> list[Figure]:
    """Return every figure that records teach: spares by piece, the shop's pace, yields by leather."""
    facts = book.facts(asked)
    taken = _taken()
    return [*_spares(asked, taken), *_paces(asked, taken), *_yields(facts, taken)]


Taken = dict[tuple[str, str], tuple[float, str, datetime.datetime]]


def _taken() -> Taken:
    """The newest figure taken of each kind."""
    r = LearnedRow
    newest = r.select(peewee.fn.MAX(r.id)).group_by(r.kind, r.of)
    rows = r.select(r, PersonRow.name).join(PersonRow, peewee.JOIN.LEFT_OUTER).where(r.id.in_(newest))
    return {(x.kind, x.of): (float(x.value), x.by.name if x.by else "", x.at) for x in rows}


def _figure(
    kind: Kind, of: str, name: str, learned: Learned, planned: float | None, to: float, taken: Taken
) -> Figure:
    own = taken.get((kind, of))
    return Figure(kind, of, name, learned, planned, to, None if own is None else (own[1], own[2]))


def _spares(asked: Asked, taken: Taken) -> list[Figure]:
    cut = {p.key: p for p in book.pieces(asked, "article", "piece")}
    rates = spoil_rates(
        {
            f"{a}/{p}": (f.done + f.spoilt, f.spoilt)
            for (a, p), f in cut.items()
            if f.done + f.spoilt >= LEAST_CUT
        }
    )
    out = []
    known = {k.article.slug: k.article for k in articles.all_articles()}
    for of, learned in rates.items():
        slug, _, piece = of.partition("/")
        article = known.get(slug)
        pattern = article.by_slug.get(piece) if article is not None else None
        if article is None or pattern is None:  # a part of a split piece, or an article that is gone
            continue
        name = f"{article.name}: {pattern.name}"
        out.append(_figure("spares", of, name, learned, pattern.spare_rate, spares_for(learned.value), taken))
    return out


def _paces(asked: Asked, taken: Taken) -> list[Figure]:
    """How much longer cutting takes than a plan of pace 1 says, of all pieces whose time is known: shrunk
    toward that plan as ``pace_of`` shrinks it, its range from how much months differ.
    """
    rows = [p for p in book.pieces(asked, "month") if p.timed >= FEWEST_TIMED and p.planned_min > 0]
    if not rows:
        return []
    planned = cutting.choices().bench.pace
    ratios = [p.true_min / p.planned_min for p in rows]
    weight = sum(p.timed for p in rows)
    value = sum(p.true_min for p in rows) / sum(p.planned_min for p in rows)
    spread = math.sqrt(sum(p.timed * (r - value) ** 2 for p, r in zip(rows, ratios, strict=True)) / weight)
    error = spread / math.sqrt(len(rows)) if len(rows) > 1 else math.nan
    n = sum(p.timed for p in rows)
    pace = (n * value + AS_SURE_AS) / (n + AS_SURE_AS)
    learned = Learned(pace, pace - 2 * error, pace + 2 * error, n, value)
    return [_figure("pace", SHOP, "minutes of cutting", learned, planned, round(pace, 2), taken)]


def _yields(facts: Facts, taken: Taken) -> list[Figure]:
    labels = ("material", "kind", "mill", "grade")
    groups: dict[str, list[float]] = {}
    columns = [facts.label[x] for x in labels]
    for i, value in enumerate(facts.yields):
        if not math.isnan(value):
            groups.setdefault(json.dumps([str(c[i]) for c in columns]), []).append(float(value))
    out = []
    for of, learned in shrunk(groups).items():
        own = taken.get(("yield", of))
        name = leather_in_words(of)
        planned = own[0] if own else None
        out.append(_figure("yield", of, name, learned, planned, round(learned.value, 3), taken))
    return out


def leather_in_words(of: str) -> str:
    """Return the words for a kind of leather, as figures name it: its material, kind, mill and grade."""
    material, kind, mill, grade = json.loads(of)
    return f"{mill or 'no mill'}, {material} {kind}, grade {grade or 'not named'}"


@connected
def take(asked: Asked, kind: str, of: str) -> Figure:
    """Plan with a learned figure from now on; return it as it was taken.

    Spares go into the article's newest revision (a new one, where batches are planned with that), the pace
    into how the shop cuts, a yield into what forecasts begin with. Raises NotFound for a figure that records
    do not teach, Refused where it is planned with already.
    """
    found = next((f for f in figures(asked) if f.kind == kind and f.of == of), None)
    if found is None:
        raise NotFound(f"records teach no {kind} of {of}", value=of)
    if found.planned is not None and abs(found.planned - found.proposed) < 1e-9:
        raise Refused(
            f"{found.name} is planned with {found.proposed:g} already",
            value=found.proposed,
            expected="a figure that differs; nothing was changed",
        )
    if kind == "spares":
        _take_spares(found)
    elif kind == "pace":
        chosen = cutting.choices()
        cutting.choose(replace(chosen, bench=replace(chosen.bench, pace=found.proposed)))
    LearnedRow.create(
        kind=kind,
        of=of,
        was=found.planned,
        value=found.proposed,
        low=_or_none(found.learned.low),
        high=_or_none(found.learned.high),
        n=found.learned.n,
        at=now(),
        by=who(),
    )
    return next(f for f in figures(asked) if f.kind == kind and f.of == of)


def _or_none(value: float) -> float | None:
    return None if math.isnan(value) else value


def _take_spares(found: Figure) -> None:
    slug, _, piece = found.of.partition("/")
    kept = next(k for k in articles.all_articles() if k.article.slug == slug)
    if kept.batches:
        before = found.planned or 0.0
        kept = articles.new_revision(
            kept.id, f"spares of {found.name} {before:.1%}, now {found.proposed:.1%}: what the Book taught"
        )
    articles.save_article(kept.id, _with_spares(kept.article, piece, found.proposed), base=kept.version)


def _with_spares(article: Article, piece: str, rate: float) -> Article:
    return replace(
        article,
        pieces=tuple(replace(p, spare_rate=rate) if p.slug == piece else p for p in article.pieces),
    )


@dataclass(frozen=True)
class TakenOnce:
    """A figure that somebody took: what it was before (None: nothing), what it became, from how many records,
    between what, who and when.
    """

    kind: str
    of: str
    was: float | None
    value: float
    low: float | None
    high: float | None
    n: int
    by: str
    at: datetime.datetime


@connected
def history(most: int = 100) -> list[TakenOnce]:
    """Return the figures that were taken, the newest first."""
    r = LearnedRow
    rows = r.select(r, PersonRow.name).join(PersonRow, peewee.JOIN.LEFT_OUTER).order_by(r.id.desc())
    return [
        TakenOnce(
            x.kind,
            leather_in_words(x.of) if x.kind == "yield" else x.of,
            x.was,
            float(x.value),
            x.low,
            x.high,
            int(x.n),
            x.by.name if x.by else "",
            x.at,
        )
        for x in rows.limit(most)
    ]


@connected
def yield_taken(material: str) -> float | None:
    """Return the yield that the shop plans a material with: the mean of those taken of it; None where nobody
    took one.
    """
    own = [
        v for (kind, of), (v, _, _) in _taken().items() if kind == "yield" and json.loads(of)[0] == material
    ]
    return sum(own) / len(own) if own else None
