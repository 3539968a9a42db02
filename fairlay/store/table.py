"""What every table is made of."""

from __future__ import annotations

import json
from typing import Any

import peewee
from pydantic_core import from_json

from fairlay.store.database import database


class Json(peewee.Field):
    """Any JSON value, in MariaDB's JSON column.

    (peewee's own field casts to JSON, which MariaDB has no cast to.)
    """

    field_type = "JSON"

    def db_value(self, value: Any) -> str | None:
        return None if value is None else json.dumps(value, allow_nan=False, separators=(",", ":"))

    def python_value(self, value: Any) -> Any:
        return None if value is None else from_json(value)


def rows_of(query: Any) -> list[tuple[Any, ...]]:
    """Return what a query gives, a plain tuple a row."""
    return list(query.tuples())


class Table(peewee.Model):
    # peewee makes these at run time: the key, and beside each foreign key the id it holds.
    id: Any
    article_id: int
    batch_id: int
    hide_id: int
    lay_id: int
    revision_id: int
    delivery_id: int | None
    upload_id: int | None
    parent_id: int | None
    lay_job_id: int
    sheet_id: int
    event_id: int
    job_id: int
    person_id: Any
    bench_id: int | None
    by_id: int | None
    signed_by_id: int | None

    class Meta:
        database = database
        legacy_table_names = False
