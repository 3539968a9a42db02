"""Notes of the shop on articles, hides and batches: what was learned in use, found again where it matters."""

from __future__ import annotations

import datetime
from collections.abc import Collection
from dataclasses import dataclass
from typing import Final, Literal, get_args

import peewee

from fairlay.core.errors import NotFound, Refused
from fairlay.store import articles
from fairlay.store.acting import who
from fairlay.store.book_rows import NoteRow
from fairlay.store.clock import now
from fairlay.store.database import connected
from fairlay.store.table import Table, rows_of
from fairlay.store.tables import ArticleRow, BatchRow, HideRow, PersonRow

Subject = Literal["article", "hide", "batch"]
SUBJECTS: Final[tuple[Subject, ...]] = get_args(Subject)
ROWS: Final[dict[str, type[Table]]] = {"article": ArticleRow, "hide": HideRow, "batch": BatchRow}
MOST_WORDS: Final = 2000


@dataclass(frozen=True)
class Note:
    """A note: on what, its name, which piece of it (empty: all), the words, whose, and what became of it
    (``revision``: the one that it became; ``done_at``: when it was put away).
    """

    id: int
    subject: str
    of: int
    name: str
    piece: str
    words: str
    by: str
    made_at: datetime.datetime
    done_at: datetime.datetime | None
    revision: str


@connected
def add(subject: str, of: int, words: str, piece: str = "") -> int:
    """Write a note down; return its id. Raises NotFound, and Refused for none or too many words."""
    if subject not in ROWS or not ROWS[subject].select().where(ROWS[subject].id == of).exists():
        raise NotFound(f"there is no {subject} {of}", value=of)
    if not 0 < len(words.strip()) <= MOST_WORDS:
        raise Refused(
            f"a note of {len(words.strip())} letters",
            value=len(words),
            expected=f"1 to {MOST_WORDS}; nothing was kept",
        )
    if piece and subject == "article" and piece not in articles.article_at(of).article.by_slug:
        raise NotFound(f"this article has no piece {piece}", value=piece)
    row = NoteRow.create(subject=subject, of=of, piece=piece, words=words.strip(), made_at=now(), by=who())
    return int(row.id)


@connected
def notes(
    subject: str = "", of: Collection[int] = (), *, open_only: bool = False, most: int = 200
) -> list[Note]:
    """Return notes, the newest first: all, or on some articles, hides or batches."""
    query = NoteRow.select(NoteRow, PersonRow.name).join(PersonRow, peewee.JOIN.LEFT_OUTER)
    if subject:
        query = query.where(NoteRow.subject == subject, NoteRow.of.in_(list(of)))
    if open_only:
        query = query.where(NoteRow.done_at.is_null())
    rows = list(query.order_by(NoteRow.id.desc()).limit(most))
    names = _names(rows)
    return [
        Note(
            r.id,
            r.subject,
            r.of,
            names.get((r.subject, r.of), "gone since"),
            r.piece,
            r.words,
            r.by.name if r.by else "",
            r.made_at,
            r.done_at,
            r.revision,
        )
        for r in rows
    ]


def _names(rows: Collection[NoteRow]) -> dict[tuple[str, int], str]:
    out: dict[tuple[str, int], str] = {}
    for subject, table in ROWS.items():
        ids = {r.of for r in rows if r.subject == subject}
        if ids:
            column = getattr(table, "name" if subject == "article" else "number")
            for row_id, name in rows_of(table.select(table.id, column).where(table.id.in_(ids))):
                out[subject, row_id] = name
    return out


def _open(note_id: int) -> NoteRow:
    row = NoteRow.get_or_none(NoteRow.id == note_id)
    if row is None:
        raise NotFound(f"there is no note {note_id}", value=note_id)
    if row.done_at is not None:
        raise Refused("this note was put away already", value=note_id, expected="one that stands")
    return row


@connected
def put_away(note_id: int) -> None:
    """Put a note away: it is kept, and comes up no more. Raises NotFound, Refused."""
    _open(note_id)
    NoteRow.update(done_at=now()).where(NoteRow.id == note_id).execute()


@connected
def become_revision(note_id: int) -> tuple[int, str]:
    """Begin a new revision of an article with a note as its reason, and put the note away; return the
    article's id and the revision's letter. Raises NotFound, and Refused for a note on something else.
    """
    row = _open(note_id)
    if row.subject != "article":
        raise Refused(
            f"a note on a {row.subject}", value=row.subject, expected="a note on an article; nothing was made"
        )
    kept = articles.new_revision(row.of, row.words)
    NoteRow.update(done_at=now(), revision=kept.letter).where(NoteRow.id == note_id).execute()
    return row.of, kept.letter
