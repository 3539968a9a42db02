"""Batches in the store: what is ordered, and the leather chosen for it."""

from __future__ import annotations

import datetime
from collections.abc import Sequence
from dataclasses import dataclass
from typing import cast

from fairlay.core.errors import NotFound, Refused
from fairlay.core.lay.order import Line
from fairlay.core.rules import GrainSchool
from fairlay.store.articles import articles_by_id
from fairlay.store.database import connected
from fairlay.store.tables import ArticleRow, BatchHideRow, BatchLineRow, BatchRow, HideRow

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
    lines: dict[int, list[tuple[int, int]]] = {}
    for line in BatchLineRow.select().where(BatchLineRow.batch.in_(ids)).order_by(BatchLineRow.id):
        lines.setdefault(line.batch_id, []).append((line.article_id, line.quantity))
    articles = articles_by_id({article for own in lines.values() for article, _ in own})
    hides: dict[int, list[int]] = {}
    for chosen in BatchHideRow.select().where(BatchHideRow.batch.in_(ids)).order_by(BatchHideRow.id):
        hides.setdefault(chosen.batch_id, []).append(chosen.hide_id)
    return [
        Batch(
            row.id, row.number, row.name, row.state, row.due_on, row.gap_mm, cast(GrainSchool, row.grain_school), tuple(row.match_sets),
            tuple(Line(articles[a], n) for a, n in lines.get(row.id, [])), tuple(hides.get(row.id, [])),
        )
        for row in rows
    ]  # fmt: skip


@connected
def add_batch(
    number: str, name: str, lines: Sequence[tuple[int, int]], *, due_on: datetime.date | None, gap_mm: float, grain_school: GrainSchool, match_sets: Sequence[str] = ()
) -> int:
    """Add a batch of (article id, quantity) lines; return its id. Raises Refused for a number taken or an unknown article."""
    if BatchRow.select().where(BatchRow.number == number).exists():
        raise Refused(f"there is a batch {number} already", value=number, expected="a number of its own")
    known = {row.id for row in ArticleRow.select(ArticleRow.id).where(ArticleRow.id.in_([a for a, _ in lines]))}
    for article, _ in lines:
        if article not in known:
            raise Refused(f"there is no article {article}", value=article, expected="articles of this workshop; nothing was saved")
    row = BatchRow.create(number=number, name=name, state="planned", due_on=due_on, gap_mm=gap_mm, grain_school=grain_school, match_sets=list(match_sets))
    for article, quantity in lines:
        BatchLineRow.create(batch=row.id, article=article, quantity=quantity)
    return int(row.id)


@connected
def choose_leather(batch_id: int, hide_ids: Sequence[int]) -> None:
    """Choose the leather of a batch anew. Raises NotFound for a hide or batch that is not there; then nothing changes."""
    if not BatchRow.select().where(BatchRow.id == batch_id).exists():
        raise NotFound(f"there is no batch {batch_id}", value=batch_id)
    known = {row.id for row in HideRow.select(HideRow.id).where(HideRow.id.in_(list(hide_ids)))} if hide_ids else set()
    for hide_id in hide_ids:
        if hide_id not in known:
            raise NotFound(f"there is no hide {hide_id} on the rack; the leather chosen before was kept", value=hide_id)
    BatchHideRow.delete().where(BatchHideRow.batch == batch_id).execute()
    for hide_id in dict.fromkeys(hide_ids):
        BatchHideRow.create(batch=batch_id, hide=hide_id)
    BatchRow.update(state="leather chosen" if hide_ids else "planned").where(BatchRow.id == batch_id, BatchRow.state.in_(("planned", "leather chosen"))).execute()


@connected
def set_state(batch_id: int, state: str) -> None:
    """Mark a batch as planned, leather chosen, laid or cut."""
    BatchRow.update(state=state).where(BatchRow.id == batch_id).execute()
