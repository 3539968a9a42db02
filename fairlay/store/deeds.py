"""Who did what, and when: a line for every change that was made through a room."""

from __future__ import annotations

import datetime
from dataclasses import dataclass

from peewee import JOIN

from fairlay.store.clock import now
from fairlay.store.database import connected
from fairlay.store.people_rows import DeedRow
from fairlay.store.tables import PersonRow


@dataclass(frozen=True)
class Deed:
    """A change: whose (empty where nobody is known), by which call, of what, and when."""

    id: int
    person: str
    act: str
    subject: str
    subject_id: int | None
    at: datetime.datetime


@connected
def note(person_id: int | None, act: str, subject: str, subject_id: int | None) -> None:
    """Write a change down."""
    DeedRow.create(person=person_id, act=act, subject=subject, subject_id=subject_id, at=now())


@connected
def deeds(
    *, subject: str = "", subject_id: int | None = None, before: int | None = None, most: int = 100
) -> list[Deed]:
    """Return changes, the newest first: of one thing, or of all; ``before`` goes on from one of them."""
    query = DeedRow.select(DeedRow, PersonRow).join(PersonRow, JOIN.LEFT_OUTER).order_by(DeedRow.id.desc())
    if subject:
        query = query.where(DeedRow.subject == subject, DeedRow.subject_id == subject_id)
    if before is not None:
        query = query.where(DeedRow.id < before)
    return [
        Deed(
            row.id,
            row.person.name if row.person else "",
            row.act,
            row.subject,
            row.subject_id,
            row.at,
        )
        for row in query.limit(most)
    ]
