"""Batches in the store: what is ordered, and the leather chosen for it."""

from __future__ import annotations

import datetime
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import cast

from fairlay.core.errors import NotFound, Refused
from fairlay.core.lay.order import Cutlist, Line, cutlist
from fairlay.core.pattern.article import Article
from fairlay.core.rules import GrainSchool
from fairlay.store.articles import all_articles, by_revision
from fairlay.store.database import connected
from fairlay.store.hides import set_state as set_hide_state
from fairlay.store.tables import BatchHideRow, BatchLineRow, BatchRow, HideRow

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
def choose_leather(batch_id: int, hide_ids: Sequence[int]) -> None:
    """Choose the leather of a batch anew.

    Raises NotFound for a hide or batch that is not there; then nothing changes.
    """
    if not BatchRow.select().where(BatchRow.id == batch_id).exists():
        raise NotFound(f"there is no batch {batch_id}", value=batch_id)
    known = (
        {row.id for row in HideRow.select(HideRow.id).where(HideRow.id.in_(list(hide_ids)))}
        if hide_ids
        else set()
    )
    for hide_id in hide_ids:
        if hide_id not in known:
            raise NotFound(
                f"there is no hide {hide_id} on the rack; the leather chosen before was kept", value=hide_id
            )
    before = [row.hide_id for row in BatchHideRow.select().where(BatchHideRow.batch == batch_id)]
    BatchHideRow.delete().where(BatchHideRow.batch == batch_id).execute()
    for hide_id in dict.fromkeys(hide_ids):
        BatchHideRow.create(batch=batch_id, hide=hide_id)
    _mark_kept(before, hide_ids)
    BatchRow.update(state="leather chosen" if hide_ids else "planned").where(
        BatchRow.id == batch_id, BatchRow.state.in_(("planned", "leather chosen"))
    ).execute()


def _mark_kept(before: Sequence[int], after: Sequence[int]) -> None:
    """Hides chosen for a batch are kept; those that no batch keeps any more are free again.

    What is laid on or used is left as it is.
    """
    still = (
        {
            row.hide_id
            for row in BatchHideRow.select(BatchHideRow.hide).where(
                BatchHideRow.hide.in_(list({*before, *after}))
            )
        }
        if before or after
        else set()
    )
    for ids, was, to in (
        (still & set(after), ("looked over",), "kept"),
        (set(before) - still, ("kept",), "looked over"),
    ):
        moved = (
            [
                row.id
                for row in HideRow.select(HideRow.id).where(HideRow.id.in_(list(ids)), HideRow.state.in_(was))
            ]
            if ids
            else []
        )
        set_hide_state(moved, to)


@connected
def keep_more(batch_id: int, hide_ids: Sequence[int]) -> None:
    """Choose leather for a batch besides what it has. Raises as ``choose_leather`` does."""
    own = [
        row.hide_id
        for row in BatchHideRow.select().where(BatchHideRow.batch == batch_id).order_by(BatchHideRow.id)
    ]
    choose_leather(batch_id, [*own, *hide_ids])


@connected
def set_state(batch_id: int, state: str) -> None:
    """Mark a batch as planned, leather chosen, laid or cut."""
    BatchRow.update(state=state).where(BatchRow.id == batch_id).execute()
