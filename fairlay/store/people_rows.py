"""The tables of who is signed in, from where, and of what was done by whom."""

from __future__ import annotations

import peewee

from fairlay.store.table import Table
from fairlay.store.tables import PersonRow


class BenchRow(Table):
    """A tablet that is tied to a bench, by the hash of a token that it keeps."""

    name = peewee.CharField(64, unique=True)
    token = peewee.CharField(64, unique=True)
    by = peewee.ForeignKeyField(PersonRow, null=True, backref="+")
    created_at = peewee.DateTimeField()

    class Meta:
        table_name = "bench"


class SessionRow(Table):
    """Somebody who is signed in, by the hash of the cookie's token; ``room`` is the page last shown."""

    token = peewee.CharField(64, primary_key=True)
    person = peewee.ForeignKeyField(PersonRow, backref="sessions")
    bench = peewee.ForeignKeyField(BenchRow, null=True, backref="sessions")
    created_at = peewee.DateTimeField()
    seen_at = peewee.DateTimeField()
    ends_at = peewee.DateTimeField()
    room = peewee.CharField(128, default="")
    room_at = peewee.DateTimeField(null=True)

    class Meta:
        table_name = "session"


class TryRow(Table):
    """How often signing in failed of late, by what is slowed: an address, a name."""

    name = peewee.CharField(160, primary_key=True)
    failures = peewee.IntegerField()
    last_at = peewee.DateTimeField()

    class Meta:
        table_name = "sign_in_try"


class CodeRow(Table):
    """A code with which somebody, or the first owner, makes a password."""

    token = peewee.CharField(64, primary_key=True)
    person = peewee.ForeignKeyField(PersonRow, null=True, backref="+")
    ends_at = peewee.DateTimeField()

    class Meta:
        table_name = "one_time_code"


class DeedRow(Table):
    """A change that somebody made: by which call, of what."""

    person = peewee.ForeignKeyField(PersonRow, null=True, backref="+")
    act = peewee.CharField(64)
    subject = peewee.CharField(32)
    subject_id = peewee.IntegerField(null=True)
    at = peewee.DateTimeField()

    class Meta:
        table_name = "deed"
