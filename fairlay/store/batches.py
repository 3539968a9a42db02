"""Batches in the store: what is ordered, and the leather chosen for it."""

from __future__ import annotations

import datetime
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from typing import cast

from fairlay.core.errors import NotFound, Refused
from fairlay.core.lay.order import Cutlist, Line, cutlist
from fairlay.core.pattern.article import Article
from fairlay.core.rules import GrainSchool
from fairlay.store import spoken_for
from fairlay.store.articles import all_articles, by_revision
from fairlay.store.database import connected
from fairlay.store.locks import locked_batch, locked_hides
from fairlay.store.tables import BatchHideRow, BatchLineRow, BatchRow

STATES = ("planned", "leather chosen", "laid", "cut")


@dataclass(frozen=True)
class Batch:
    """A production batch."""

    id: int
    number: str
    name: str
    state: str
    due_on: datetime.date | None
    gap_mm: float
    grain_school: GrainSchool
    match_sets: tuple[str, ...]
    lines: tuple[Line, ...]
    hide_ids: tuple[int, ...]


@connected
def all_batches() -> list[Batch]:
    """Return every batch, soonest due first: five queries, however many there are."""
    return _batches(list(BatchRow.select().order_by(BatchRow.due_on, BatchRow.number)))


@connected
def batch_by_id(batch_id: int) -> Batch:
    """Return one batch. Raises NotFound."""
    rows = list(BatchRow.select().where(BatchRow.id == batch_id))
    if not rows:
        raise NotFound(f"there is no batch {batch_id}", value=batch_id)
    return _batches(rows)[0]


def _batches(rows: list[BatchRow]) -> list[Batch]:
    ids = [row.id for row in rows]
    if not ids:
        return []
    rows_of: dict[int, list[BatchLineRow]] = {}
    for line in BatchLineRow.select().where(BatchLineRow.batch.in_(ids)).order_by(BatchLineRow.id):
        rows_of.setdefault(line.batch_id, []).append(line)
    articles = by_revision(line.revision_id for own in rows_of.values() for line in own)
    hides: dict[int, list[int]] = {}
    for chosen in BatchHideRow.select().where(BatchHideRow.batch.in_(ids)).order_by(BatchHideRow.id):
        hides.setdefault(chosen.batch_id, []).append(chosen.hide_id)
    return [
        Batch(
            row.id,
            row.number,
            row.name,
            row.state,
            row.due_on,
            row.gap_mm,
            cast(GrainSchool, row.grain_school),
            tuple(row.match_sets),
            tuple(_line(line, articles) for line in rows_of.get(row.id, [])),
            tuple(hides.get(row.id, [])),
        )
        for row in rows
    ]


def _line(row: BatchLineRow, articles: Mapping[int, tuple[int, str, Article]]) -> Line:
    _, letter, article = articles[row.revision_id]
    return Line(_cut(article, row.ways, letter), row.quantity)


def _cut(article: Article, ways: Mapping[str, str], letter: str) -> Cutlist:
    return cutlist(article, tuple(sorted(ways.items())), letter)


@connected
def add_batch(
    number: str,
    name: str,
    lines: Sequence[tuple[int, int] | tuple[int, int, Mapping[str, str]]],
    *,
    due_on: datetime.date | None,
    gap_mm: float,
    grain_school: GrainSchool,
    match_sets: Sequence[str] = (),
) -> int:
    """Add a batch of (article id, quantity, ways chosen) lines, each at the article's newest revision; return
    its id.

    Raises Refused for a number taken, an unknown article or one without pieces, BadPattern for a way that is
    not there.
    """
    if BatchRow.select().where(BatchRow.number == number).exists():
        raise Refused(f"there is a batch {number} already", value=number, expected="a number of its own")
    known = {kept.id: kept for kept in all_articles()}
    for line in lines:
        if line[0] not in known:
            raise Refused(
                f"there is no article {line[0]}",
                value=line[0],
                expected="articles of this workshop; nothing was saved",
            )
        kept = known[line[0]]
        if not _cut(kept.article, line[2] if len(line) > 2 else {}, kept.letter).pieces:
            raise Refused(
                f"{kept.article.name} has no pieces to cut",
                value=line[0],
                expected="articles with at least one piece; nothing was saved",
            )
    row = BatchRow.create(
        number=number,
        name=name,
        state="planned",
        due_on=due_on,
        gap_mm=gap_mm,
        grain_school=grain_school,
        match_sets=list(match_sets),
    )
    for line in lines:
        BatchLineRow.create(
            batch=row.id,
            article=line[0],
            revision=known[line[0]].revision_id,
            quantity=line[1],
            ways=dict(line[2]) if len(line) > 2 else {},
        )
    return int(row.id)


@connected
def choose_leather(
    batch_id: int, *, add: Collection[int] = (), drop: Collection[int] = (), shared: bool = False
) -> None:
    """Keep more leather for a batch, and let other leather go: what is named changes, the rest stays as it
    is.

    Raises NotFound for a hide or batch that is not there, Refused for a hide that another batch keeps
    (unless it is ``shared`` knowingly) and for one to be let go that a lay of the batch lies on; nothing
    changes then.
    """
    row = locked_batch(batch_id)
    hides = {h.id: h for h in locked_hides({*add, *drop})}
    spoken_for.let_go(batch_id, [hides[i] for i in sorted(set(drop) - set(add))])
    spoken_for.keep(batch_id, [hides[i] for i in dict.fromkeys(add)], shared=shared)
    chosen = BatchHideRow.select().where(BatchHideRow.batch == batch_id).exists()
    if row.state in ("planned", "leather chosen"):
        BatchRow.update(state="leather chosen" if chosen else "planned").where(
            BatchRow.id == batch_id
        ).execute()
