"""Articles in the store: whole documents, one for each revision.

A revision that a batch is planned with is never changed.
"""

from __future__ import annotations

import datetime
from collections.abc import Iterable
from dataclasses import dataclass

import peewee

from fairlay.core.errors import NotFound, Refused, Stale
from fairlay.core.formats.stored import ARTICLE
from fairlay.core.numbering import as_counted
from fairlay.core.pattern.article import Article, check_article, with_variants
from fairlay.core.pattern.changes import letter
from fairlay.store.clock import now
from fairlay.store.database import connected
from fairlay.store.tables import ArticleRevisionRow, ArticleRow, BatchLineRow, BatchRow


@dataclass(frozen=True)
class Kept:
    """An article as it is kept: at which revision, whether that is the newest, and the numbers of the batches
    planned with it.
    """

    id: int
    revision_id: int
    number: int
    version: int
    reason: str
    created_at: datetime.datetime
    article: Article
    newest: bool
    batches: tuple[str, ...]

    @property
    def letter(self) -> str:
        return letter(self.number)


def _kept(row: ArticleRevisionRow, newest: int, batches: tuple[str, ...]) -> Kept:
    article = ARTICLE.read(row.document)
    return Kept(
        row.article_id,
        row.id,
        row.number,
        row.version,
        row.reason,
        row.created_at,
        article,
        row.number == newest,
        batches,
    )


@connected
def all_articles() -> list[Kept]:
    """Return every article at its newest revision, by name: three queries."""
    r = ArticleRevisionRow
    newest = r.select(r.article, peewee.fn.MAX(r.number).alias("number")).group_by(r.article).alias("newest")
    same = (r.article == newest.c.article_id) & (r.number == newest.c.number)
    rows = {row.article_id: row for row in r.select(r).join(newest, on=same)}
    planned = _planned(row.id for row in rows.values())
    return sorted(
        (_kept(row, row.number, planned.get(row.id, ())) for row in rows.values()),
        key=lambda k: k.article.name.lower(),
    )


def _planned(revision_ids: Iterable[int]) -> dict[int, tuple[str, ...]]:
    wanted = list(revision_ids)
    out: dict[int, tuple[str, ...]] = {}
    if wanted:
        lines = (
            BatchLineRow.select(BatchLineRow.revision, BatchRow.number)
            .join(BatchRow)
            .where(BatchLineRow.revision.in_(wanted))
        )
        for line in sorted(lines, key=lambda line: as_counted(line.batch.number)):
            out[line.revision_id] = (*out.get(line.revision_id, ()), line.batch.number)
    return out


@connected
def revisions(article_id: int) -> list[Kept]:
    """Return every revision of an article, the first first. Raises NotFound."""
    rows = list(
        ArticleRevisionRow.select()
        .where(ArticleRevisionRow.article == article_id)
        .order_by(ArticleRevisionRow.number)
    )
    if not rows:
        raise NotFound(f"there is no article {article_id}", value=article_id)
    planned = _planned(r.id for r in rows)
    return [_kept(row, rows[-1].number, planned.get(row.id, ())) for row in rows]


@connected
def article_at(article_id: int, number: int | None = None) -> Kept:
    """Return an article at a revision, the newest by default. Raises NotFound."""
    found = revisions(article_id)
    if number is None:
        return found[-1]
    for kept in found:
        if kept.number == number:
            return kept
    raise NotFound(
        f"{found[-1].article.name} has no revision {letter(number) if number > 0 else number}",
        value=number,
        expected=f"A to {letter(found[-1].number)}",
    )


@connected
def by_revision(revision_ids: Iterable[int]) -> dict[int, tuple[int, str, Article]]:
    """Return articles by the ids of their revisions: article id, letter, article. One query."""
    wanted = list(set(revision_ids))
    rows = ArticleRevisionRow.select().where(ArticleRevisionRow.id.in_(wanted)) if wanted else []
    return {row.id: (row.article_id, letter(row.number), ARTICLE.read(row.document)) for row in rows}


@connected
def add_article(article: Article, reason: str = "") -> int:
    """Put an article in the store at its first revision; return its id.

    Raises Refused where one of its name is there already.
    """
    article = with_variants(article)
    check_article(article)
    if ArticleRow.select().where(ArticleRow.slug == article.slug).exists():
        raise Refused(
            f"there is an article called {article.slug} already",
            value=article.slug,
            expected="a name of its own",
        )
    row = ArticleRow.create(slug=article.slug, name=article.name, note=article.note)
    ArticleRevisionRow.create(
        article=row.id, number=1, reason=reason, document=ARTICLE.write(article), created_at=now()
    )
    return int(row.id)


@connected
def save_article(article_id: int, article: Article, *, base: int) -> Kept:
    """Write an article's newest revision anew; ``base`` is the version it was changed from.

    Raises Refused where a batch is planned with it, or its short name was changed; Stale where someone saved
    since; whatever ``check_article`` raises. Then nothing is changed.
    """
    article = with_variants(article)
    check_article(article)
    kept = article_at(article_id)
    if kept.batches:
        raise Refused(
            f"revision {kept.letter} of {kept.article.name} is planned in {', '.join(kept.batches)} and "
            "stays as it is",
            value=kept.number,
            expected="a new revision, with its reason; nothing was changed",
        )
    if article.slug != kept.article.slug:
        raise Refused(
            f"the article's short name is {kept.article.slug}, not {article.slug}",
            value=article.slug,
            expected="the short name it was made with",
        )
    version = kept.version + 1
    changed = (
        ArticleRevisionRow.update(document=ARTICLE.write(article), version=version)
        .where(ArticleRevisionRow.id == kept.revision_id, ArticleRevisionRow.version == base)
        .execute()
    )
    if not changed:
        raise Stale(
            f"{kept.article.name} was changed elsewhere since; nothing was overwritten", newer=kept.version
        )
    ArticleRow.update(name=article.name, note=article.note).where(ArticleRow.id == article_id).execute()
    return article_at(article_id)


@connected
def new_revision(article_id: int, reason: str) -> Kept:
    """Begin a new revision of an article as a copy of its newest. Raises Refused without a reason."""
    if not reason.strip():
        raise Refused(
            "a new revision needs a reason", value=reason, expected="what the last one taught, in a few words"
        )
    kept = article_at(article_id)
    ArticleRevisionRow.create(
        article=article_id,
        number=kept.number + 1,
        reason=reason.strip(),
        document=ARTICLE.write(kept.article),
        created_at=now(),
    )
    return article_at(article_id)


@connected
def piece_letters(article_id: int, number: int | None = None) -> dict[str, str]:
    """Return for each piece the letter of the revision in which it was last changed, as its sheets carry
    it.
    """
    out: dict[str, str] = {}
    before: Article | None = None
    for kept in revisions(article_id):
        if number is not None and kept.number > number:
            break
        for p in kept.article.pieces:
            if before is None or before.by_slug.get(p.slug) != p:
                out[p.slug] = kept.letter
        before = kept.article
    return out


@connected
def remove_article(article_id: int) -> None:
    """Take an article with all its revisions out of the store.

    Raises Refused where any is planned in a batch.
    """
    planned = [number for kept in revisions(article_id) for number in kept.batches]
    if planned:
        raise Refused(
            f"this article is planned in {', '.join(dict.fromkeys(planned))}",
            value=article_id,
            expected="an article that no batch makes; it was kept",
        )
    ArticleRow.delete().where(ArticleRow.id == article_id).execute()
