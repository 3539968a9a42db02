"""Batches in the store: what is ordered, and the leather chosen for it."""

from __future__ import annotations

import datetime
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Final, cast

from fairlay.core.errors import NotFound, Refused
from fairlay.core.lay.order import Cutlist, Line, cutlist
from fairlay.core.numbering import as_counted
from fairlay.core.pattern.article import Article
from fairlay.core.rules import GrainSchool
from fairlay.store import spoken_for
from fairlay.store.articles import Kept, all_articles, by_revision
from fairlay.store.database import connected
from fairlay.store.locks import locked_batch, locked_hides, open_batch
from fairlay.store.tables import PRACTICE, BatchHideRow, BatchLineRow, BatchRow, LayBatchRow, LayRow

MOST_LINES: Final = 200
STATES = ("planned", "leather chosen", "laid", "cut")


@dataclass(frozen=True)
class Ordered:
    """A line as it is asked for: an article, how many, and what else is wanted of it."""

    article_id: int
    quantity: int
    ways: Mapping[str, str] = field(default_factory=dict)
    colour: str = ""
    due_on: datetime.date | None = None
    priority: int = 0
    filler: bool = False


@dataclass(frozen=True)
class Batch:
    """A production batch. ``standing`` is open, held or given up; ``version`` rises with each change of what
    is ordered.
    """

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
    standing: str = "open"
    version: int = 1
    ordered: tuple[Ordered, ...] = ()


@connected
def all_batches() -> list[Batch]:
    """Return every batch, soonest due first: five queries, however many there are."""
    rows = BatchRow.select().where(BatchRow.state != PRACTICE)
    by_number = sorted(rows, key=lambda row: as_counted(row.number))
    return _batches(sorted(by_number, key=lambda row: (row.due_on is not None, row.due_on)))


@connected
def batch_by_id(batch_id: int) -> Batch:
    """Return one batch. Raises NotFound."""
    rows = list(BatchRow.select().where(BatchRow.id == batch_id))
    if not rows:
        raise NotFound(f"there is no batch {batch_id}", value=batch_id)
    return _batches(rows)[0]


@connected
def articles_of_lay(lay_id: int) -> list[tuple[str, Article, dict[str, str], str]]:
    """Return each article of a lay's batches: the name its pieces begin with, itself, the ways chosen to make
    its parts, and its revision's letter.
    """
    row = LayRow.get_by_id(lay_id)
    others = [r.batch_id for r in LayBatchRow.select().where(LayBatchRow.lay == lay_id)]
    lines = BatchLineRow.select().where(BatchLineRow.batch.in_([row.batch_id, *others]))
    rows = list(lines.order_by(BatchLineRow.id))
    known = by_revision(line.revision_id for line in rows)
    out = []
    for line in rows:
        _, letter, article = known[line.revision_id]
        before = "" if line.batch_id == row.batch_id else f"{line.batch.number}:"
        out.append((before + article.slug, article, dict(line.ways), letter))
    return out


def in_ways(
    lines: Sequence[Line],
    articles: Sequence[tuple[str, Article, dict[str, str], str]],
    ways: Mapping[str, Mapping[str, str]],
) -> tuple[Line, ...]:
    """Return lines whose parts are made in other ways (by article and part), the rest as they are. Raises
    BadPattern for a way that is not there.
    """
    out = []
    for line in lines:
        own = ways.get(line.article.slug)
        if own:
            article, chosen, letter = next(a[1:] for a in articles if a[0] == line.article.slug)
            cut = cut_of(article, {**chosen, **own}, letter)
            out.append(replace(line, article=replace(cut, slug=line.article.slug, name=line.article.name)))
        else:
            out.append(line)
    return tuple(out)


@connected
def batch_of_lay(lay_id: int) -> Batch:
    """Return the batch that a lay is for; where it is for several, with the lines and matched sets of all:
    those of the others under names that begin with their batch's number. Raises NotFound.
    """
    row = LayRow.get_or_none(LayRow.id == lay_id)
    if row is None:
        raise NotFound(f"there is no lay {lay_id}", value=lay_id)
    others = [r.batch_id for r in LayBatchRow.select().where(LayBatchRow.lay == lay_id)]
    return together(batch_by_id(row.batch_id), [batch_by_id(i) for i in others])


def together(batch: Batch, others: Sequence[Batch]) -> Batch:
    """Return a batch with the lines and matched sets of others, kept apart by their batches' numbers."""
    lines, sets = list(batch.lines), list(batch.match_sets)
    for other in others:
        for line in other.lines:
            slug = f"{other.number}:{line.article.slug}"
            named = replace(line.article, slug=slug, name=f"{line.article.name} ({other.number})")
            lines.append(replace(line, article=named))
        sets += [f"{other.number}:{name}" for name in other.match_sets]
    ordered = (*batch.ordered, *(o for other in others for o in other.ordered))
    return replace(batch, lines=tuple(lines), match_sets=tuple(sets), ordered=ordered)


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
            row.standing,
            row.version,
            tuple(_ordered(line) for line in rows_of.get(row.id, [])),
        )
        for row in rows
    ]


def _line(row: BatchLineRow, articles: Mapping[int, tuple[int, str, Article]]) -> Line:
    _, letter, article = articles[row.revision_id]
    return Line(cut_of(article, row.ways, letter), row.quantity, int(row.priority), bool(row.filler))


def _ordered(row: BatchLineRow) -> Ordered:
    return Ordered(
        row.article_id,
        row.quantity,
        row.ways,
        row.colour,
        row.due_on,
        int(row.priority),
        bool(row.filler),
    )


def cut_of(article: Article, ways: Mapping[str, str], letter: str) -> Cutlist:
    """Return what is cut for an article in the ways chosen."""
    return cutlist(article, tuple(sorted(ways.items())), letter)


@connected
def add_batch(
    number: str,
    name: str,
    lines: Sequence[Ordered],
    *,
    due_on: datetime.date | None,
    gap_mm: float,
    grain_school: GrainSchool,
    match_sets: Sequence[str] = (),
) -> int:
    """Add a batch, each line at its article's newest revision; return its id.

    Raises Refused for a number taken, an unknown article or one without pieces, BadPattern for a way that is
    not there.
    """
    if BatchRow.select().where(BatchRow.number == number).exists():
        raise Refused(f"there is a batch {number} already", value=number, expected="a number of its own")
    known = checked(lines)
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
        put_line(row.id, line, known[line.article_id].revision_id)
    return int(row.id)


def put_line(batch_id: int, line: Ordered, revision_id: int) -> None:
    """Add a line to a batch, at a revision of its article."""
    BatchLineRow.create(
        batch=batch_id,
        article=line.article_id,
        revision=revision_id,
        quantity=line.quantity,
        ways=dict(line.ways),
        colour=line.colour,
        due_on=line.due_on,
        priority=line.priority,
        filler=line.filler,
    )


def checked(lines: Sequence[Ordered]) -> dict[int, Kept]:
    """Return the articles of an order, by id. Raises Refused for an order without lines or with too many, an
    article that is not there, has no pieces or is ordered twice; BadPattern for a way that is not there.
    """
    known = {kept.id: kept for kept in all_articles()}
    ids = [line.article_id for line in lines]
    if not lines or len(lines) > MOST_LINES:
        raise Refused(
            f"an order of {len(lines)} lines",
            value=len(lines),
            expected=f"1 to {MOST_LINES}; to order nothing more, give the batch up",
        )
    for line in lines:
        if line.article_id not in known:
            raise Refused(
                f"there is no article {line.article_id}",
                value=line.article_id,
                expected="articles of this workshop; nothing was saved",
            )
        kept = known[line.article_id]
        if ids.count(line.article_id) > 1:
            raise Refused(
                f"{kept.article.name} is ordered twice",
                value=line.article_id,
                expected="one line for an article; nothing was saved",
            )
        if not cut_of(kept.article, line.ways, kept.letter).pieces:
            raise Refused(
                f"{kept.article.name} has no pieces to cut",
                value=line.article_id,
                expected="articles with at least one piece; nothing was saved",
            )
    return known


@connected
def choose_leather(
    batch_id: int, *, add: Collection[int] = (), drop: Collection[int] = (), shared: bool = False
) -> None:
    """Keep more leather for a batch, and let other leather go: what is named changes, the rest stays as it
    is.

    Raises NotFound for a hide or batch that is not there, Refused for a batch that rests, a hide that
    another batch keeps (unless it is ``shared`` knowingly) and for one to be let go that a lay of the batch
    lies on; nothing changes then.
    """
    row = open_batch(batch_id) if add else locked_batch(batch_id)
    hides = {h.id: h for h in locked_hides({*add, *drop})}
    spoken_for.let_go(batch_id, [hides[i] for i in sorted(set(drop) - set(add))])
    spoken_for.keep(batch_id, [hides[i] for i in dict.fromkeys(add)], shared=shared)
    chosen = BatchHideRow.select().where(BatchHideRow.batch == batch_id).exists()
    if row.state in ("planned", "leather chosen"):
        BatchRow.update(state="leather chosen" if chosen else "planned").where(
            BatchRow.id == batch_id
        ).execute()
