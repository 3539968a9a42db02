"""The history of a lay as it is listed: its revisions, whose they are, and their names."""

from __future__ import annotations

import datetime
from dataclasses import dataclass

from fairlay.store.database import connected
from fairlay.store.people import names_of_people
from fairlay.store.tables import (
    LayMarkRow,
    LayRevisionRow,
)

LISTED = 60
"""So many revisions a lay lists, besides those that have a name; older ones are there all the same."""


@dataclass(frozen=True)
class Revision:
    """One revision of a lay, as its history lists it."""

    number: int
    source: str
    mark: str
    stands_for: int | None
    placed: int
    yield_of_used: float
    created_at: datetime.datetime
    by: str = ""


@connected
def history(lay_id: int, before: int | None = None) -> tuple[Revision, ...]:
    """Return revisions of a lay, the oldest first: those that have a name, and the newest ``LISTED`` (before
    one of them, where ``before`` says so).
    """
    r = LayRevisionRow
    listed = (
        r.select(r.number, r.source, r.stands_for, r.placed, r.yield_of_used, r.created_at, r.by)
        .where(r.lay == lay_id)
        .order_by(r.number.desc())
    )
    marks = {
        m.number: m.name
        for m in LayMarkRow.select().where(LayMarkRow.lay == lay_id)
        if before is None or m.number < before
    }
    rows = list((listed if before is None else listed.where(r.number < before)).limit(LISTED))
    whose = names_of_people()
    missing = set(marks) - {row.number for row in rows}
    if missing:
        rows += list(listed.where(r.number.in_(sorted(missing))))
    return tuple(
        Revision(
            row.number,
            row.source,
            marks.get(row.number, ""),
            row.stands_for,
            row.placed,
            row.yield_of_used,
            row.created_at,
            whose.get(row.by_id, ""),
        )
        for row in sorted(rows, key=lambda row: row.number)
    )
