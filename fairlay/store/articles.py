"""Articles and their pieces in the store."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace

from fairlay.core.formats.exchange import PieceRecord, piece_values, read_piece
from fairlay.core.lay.order import Article, ArticlePiece
from fairlay.store.database import connected
from fairlay.store.tables import ArticleRow, PieceRow


@connected
def all_articles() -> dict[int, Article]:
    """Return every article by its row's id, with its pieces in the order they were added."""
    return articles_by_id(row.id for row in ArticleRow.select(ArticleRow.id).order_by(ArticleRow.name))


@connected
def articles_by_id(ids: Iterable[int]) -> dict[int, Article]:
    """Return the articles of those ids with their pieces: two queries."""
    wanted = list(ids)
    if not wanted:
        return {}
    pieces: dict[int, list[ArticlePiece]] = {}
    for row in PieceRow.select().where(PieceRow.article.in_(wanted)).order_by(PieceRow.id):
        pattern = read_piece(PieceRecord.model_validate({**row.needs, "id": row.slug}))
        pieces.setdefault(row.article_id, []).append(ArticlePiece(pattern, row.name, row.material))
    rows = {row.id: row for row in ArticleRow.select().where(ArticleRow.id.in_(wanted))}
    return {i: Article(rows[i].slug, rows[i].name, tuple(pieces.get(i, ()))) for i in wanted if i in rows}


@connected
def add_article(article: Article, note: str = "") -> int:
    """Put an article and its pieces in the store; return its id."""
    row = ArticleRow.create(slug=article.slug, name=article.name, note=note)
    for piece in article.pieces:
        PieceRow.create(article=row.id, slug=piece.pattern.id, name=piece.name, material=piece.material, needs=piece_values(replace(piece.pattern, set_name=None)))
    return int(row.id)
