"""The Patterns room: articles, their pieces, revisions, and files out."""

from __future__ import annotations

from functools import lru_cache
from typing import Annotated, Literal

import numpy as np
from fastapi import APIRouter, Query, Response

from fairlay.api.files import as_file
from fairlay.api.models import Circle, Created
from fairlay.api.pattern_models import (
    ArticleCard,
    ArticleView,
    CardPiece,
    ChangeOut,
    DifferenceOut,
    DrawnPiece,
    EdgeOut,
    FiguresOut,
    FindingOut,
    NewArticle,
    NewRevision,
    RevisionCard,
    SaveArticle,
    SeamOut,
    StartOut,
    StitchOut,
)
from fairlay.core.errors import FairLayError
from fairlay.core.formats.article_json import write_article
from fairlay.core.formats.article_out import article_dxf, article_svg
from fairlay.core.formats.pdf import patterns_pdf, quantity_words
from fairlay.core.formats.read_out import Bounds, MarkLine
from fairlay.core.lay.article_checks import Finding, findings, findings_on_rack
from fairlay.core.pattern.article import Article, figures_of, piece_of
from fairlay.core.pattern.changes import changes, length_and_width
from fairlay.core.pattern.cut import cut_region
from fairlay.core.pattern.drawn import mark_values
from fairlay.core.pattern.edges import edges_of, length_mm, line_of
from fairlay.core.pattern.marks import drawn_marks, stitches_of
from fairlay.core.pattern.needs import STARTS, with_start
from fairlay.core.pattern.pattern import Pattern, slug_of
from fairlay.core.pattern.words import needs_in_words
from fairlay.core.shapes.rings import as_points
from fairlay.store import articles, hides
from fairlay.store.articles import Kept

router = APIRouter(prefix="/api/patterns", tags=["patterns"])


@lru_cache(maxsize=256)
def _findings(article: Article) -> tuple[Finding, ...]:
    return findings(article)


@router.get("")
def drawers() -> list[ArticleCard]:
    """Every article at its newest revision, its card templates drawn."""
    return [_card(kept) for kept in articles.all_articles()]


@router.post("", status_code=201)
def add_drawer(asked: NewArticle) -> Created:
    """Begin an article without pieces."""
    return Created(id=articles.add_article(Article(slug_of(asked.name), asked.name.strip(), asked.note)))


@router.get("/starts")
def starts() -> list[StartOut]:
    """The kinds of piece from which needs may start."""
    return [StartOut(name=s.name, says=s.says) for s in STARTS]


@router.post("/starts/{name}")
def begin_with(name: str, pattern: Pattern) -> Pattern:
    """A pattern with the needs of a kind of piece; its grain axis and hidden areas are kept."""
    return with_start(pattern, name)


@router.get("/{article_id}")
def one_article(article_id: int, revision: int | None = None) -> ArticleView:
    """An article at a revision, the newest by default."""
    return _view(articles.article_at(article_id, revision))


@router.put("/{article_id}")
def save_article(article_id: int, asked: SaveArticle) -> ArticleView:
    """Save an article's newest revision; refused where a batch is planned with it."""
    return _view(articles.save_article(article_id, asked.article, base=asked.base))


@router.delete("/{article_id}", status_code=204)
def remove_article(article_id: int) -> None:
    """Take an article away; refused where a batch makes it."""
    articles.remove_article(article_id)


@router.get("/{article_id}/rack")
def on_the_rack(article_id: int, revision: int | None = None) -> list[FindingOut]:
    """Which pieces nothing on the rack can hold."""
    rack = [(h.material, h.hide) for h in hides.leather_there_is()]
    return [_finding(f) for f in findings_on_rack(articles.article_at(article_id, revision).article, rack)]


@router.get("/{article_id}/revisions")
def revisions(article_id: int) -> list[RevisionCard]:
    """Every revision of an article with its reason, the newest first."""
    return [
        RevisionCard(
            number=k.number,
            letter=k.letter,
            reason=k.reason,
            created_at=k.created_at,
            batches=list(k.batches),
            pieces=len(k.article.pieces),
        )
        for k in reversed(articles.revisions(article_id))
    ]


@router.post("/{article_id}/revisions", status_code=201)
def new_revision(article_id: int, asked: NewRevision) -> ArticleView:
    """Begin a new revision, a copy of the newest, with its reason."""
    return _view(articles.new_revision(article_id, asked.reason))


@router.get("/{article_id}/changes")
def what_changed(article_id: int, old: int, new: int) -> list[ChangeOut]:
    """What differs between two revisions, piece by piece."""
    found = changes(
        articles.article_at(article_id, old).article, articles.article_at(article_id, new).article
    )
    return [
        ChangeOut(
            slug=c.slug,
            name=c.name,
            kind=c.kind,
            before=[as_points(r, 2) for r in c.before],
            after=[as_points(r, 2) for r in c.after],
            moved_mm=c.moved_mm,
            differs=[DifferenceOut(what=d.what, before=d.before, after=d.after) for d in c.differs],
        )
        for c in found
    ]


@router.get("/{article_id}/file")
def article_file(
    article_id: int,
    kind: Literal["svg", "dxf", "json", "pdf"],
    revision: int | None = None,
    paper: str = "A4",
    piece: Annotated[list[str] | None, Query()] = None,
    flesh: bool = False,
) -> Response:
    """An article's patterns as SVG, DXF, exchange JSON, or sheets at true size (PDF)."""
    kept = articles.article_at(article_id, revision)
    name = f"{kept.article.slug}-{kept.letter}"
    if kind == "svg":
        return as_file(article_svg(kept.article), "image/svg+xml", f"{name}.svg")
    if kind == "dxf":
        return as_file(article_dxf(kept.article), "image/vnd.dxf", f"{name}.dxf")
    if kind == "json":
        return as_file(
            write_article(kept.article, kept.letter, kept.reason), "application/json", f"{name}.json"
        )
    letters = articles.piece_letters(article_id, kept.number)
    return as_file(
        patterns_pdf(kept.article, letters, paper, piece or [], flesh),
        "application/pdf",
        f"{name}-{paper}.pdf",
    )


def _finding(f: Finding) -> FindingOut:
    return FindingOut(level=f.level, piece=f.piece, says=f.says, do=f.do)


def _card(kept: Kept) -> ArticleCard:
    found = _findings(kept.article)
    return ArticleCard(
        id=kept.id,
        slug=kept.article.slug,
        name=kept.article.name,
        letter=kept.letter,
        batches=list(kept.batches),
        pieces=[
            CardPiece(
                slug=p.slug,
                name=p.name,
                each=p.each,
                pair=p.pair,
                rings=[as_points(r, 1) for r in (p.ring, *p.window_rings)],
                grain_deg=p.needs.grain_deg if p.needs.grain_tolerance_deg < 180 else None,
            )
            for p in kept.article.pieces
        ],
        wrong=sum(f.level == "wrong" for f in found),
        look=sum(f.level == "look" for f in found),
        leather_m2=figures_of(kept.article).leather_m2,
    )


def _view(kept: Kept) -> ArticleView:
    article = kept.article
    letters = articles.piece_letters(kept.id, kept.number)
    f = figures_of(article)
    return ArticleView(
        id=kept.id,
        number=kept.number,
        letter=kept.letter,
        version=kept.version,
        newest=kept.newest,
        reason=kept.reason,
        created_at=kept.created_at,
        batches=list(kept.batches),
        article=article,
        drawn=[_drawn(p, article, letters.get(p.slug, kept.letter)) for p in article.pieces],
        figures=FiguresOut(
            leather_m2=f.leather_m2,
            thread_mm=f.thread_mm,
            stitches=f.stitches,
            hardware=f.hardware,
            pieces=f.pieces,
            seams=[
                SeamOut(
                    name=s.name,
                    run_mm=s.run_mm,
                    stitches=list(s.stitches),
                    thread_mm=s.thread_mm,
                    stack_mm=s.stack_mm,
                    layers=s.layers,
                )
                for s in f.seams
            ],
        ),
        findings=[_finding(x) for x in _findings(article)],
    )


def _drawn(p: Pattern, article: Article, letter: str) -> DrawnPiece:
    piece = piece_of(p, article)
    cut = cut_region(p)
    x0, y0, x1, y1 = cut.bounds
    length, width = length_and_width(p)
    edges = []
    for run in edges_of(p.ring):
        line = line_of(p.ring, run)
        edges.append(EdgeOut(run=run, length_mm=round(length_mm(line), 2), points=as_points(line, 2)))
    at = piece.name_at
    return DrawnPiece(
        slug=p.slug,
        letter=letter,
        cut=[as_points(np.asarray(line.coords)[:-1], 2) for line in (cut.exterior, *cut.interiors)],
        finished=as_points(p.ring, 2),
        edges=edges,
        marks=[MarkLine(**mark_values(m)) for m in drawn_marks(p, article.by_slug)],
        hidden=[as_points(h, 2) for h in piece.hidden],
        stitches=_stitches(p, article),
        needs=list(needs_in_words(piece)),
        grain_deg=p.needs.grain_deg if p.needs.grain_tolerance_deg < 180 else None,
        length_mm=length,
        width_mm=width,
        area_m2=cut.area / 1e6,
        quantity_words=quantity_words(p),
        bounds=Bounds(x0=x0, y0=y0, x1=x1, y1=y1),
        name_at=Circle(x=at[0], y=at[1], r=at[2]),
    )


def _stitches(p: Pattern, article: Article) -> list[StitchOut]:
    out = []
    for mark in p.marks:
        if mark.kind == "stitch":
            try:
                s = stitches_of(p, mark, article.by_slug)
            except FairLayError as error:
                out.append(
                    StitchOut(
                        mark=mark.id,
                        says=str(error),
                        stitches=0,
                        run_mm=0.0,
                        divides=False,
                        nearest_pitch_mm=mark.pitch_mm,
                    )
                )
                continue
            out.append(
                StitchOut(
                    mark=mark.id,
                    says=s.says,
                    stitches=s.stitches,
                    run_mm=s.run_mm,
                    divides=s.divides,
                    nearest_pitch_mm=s.nearest_pitch_mm,
                )
            )
    return out
