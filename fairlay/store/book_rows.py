"""The tables of the Book. ``BookHideRow`` and ``BookPieceRow`` only repeat what cutting froze, ready to be
summed: they can be made anew at any time.
"""

from __future__ import annotations

import peewee

from fairlay.store.cut_rows import CutSheetRow
from fairlay.store.table import Json, Table
from fairlay.store.tables import JobRow, LayRow, PersonRow, done_by


class BookHideRow(Table):
    """A closed hide: where its leather went in m2, and its money in cents. ``planned_min`` and ``true_min``
    are of the pieces whose time is known. ``doubt`` says why nobody should trust it yet; ``counts``: whether
    figures are made of it.
    """

    sheet = peewee.ForeignKeyField(CutSheetRow, primary_key=True, backref="+", on_delete="CASCADE")
    batch_id = peewee.IntegerField()
    hide_id = peewee.IntegerField()
    number = peewee.CharField(32)
    kind = peewee.CharField(16)
    material = peewee.CharField(64)
    mill = peewee.CharField(64)
    lot = peewee.CharField(64)
    grade = peewee.CharField(16)
    month = peewee.CharField(7)
    closed_on = peewee.DateField()
    currency = peewee.CharField(16)
    good_m2 = peewee.DoubleField()
    spoilt_m2 = peewee.DoubleField()
    kept_m2 = peewee.DoubleField()
    edge_m2 = peewee.DoubleField()
    flaw_m2 = peewee.DoubleField()
    loose_m2 = peewee.DoubleField()
    reserved_m2 = peewee.DoubleField()
    knife_m2 = peewee.DoubleField()
    between_m2 = peewee.DoubleField()
    untold_m2 = peewee.DoubleField()
    cents = peewee.BigIntegerField()
    planned_min = peewee.DoubleField()
    true_min = peewee.DoubleField()
    planned_yield = peewee.DoubleField(null=True)
    planned_pieces = peewee.IntegerField(null=True)
    done = peewee.IntegerField()
    spoilt = peewee.IntegerField()
    reasons = Json(null=True)
    doubt = peewee.CharField(255, default="")
    counts = peewee.BooleanField(default=True)

    class Meta:
        table_name = "book_hide"


class BookPieceRow(Table):
    """A piece of a closed hide, by who cut it: how many, their area in m2 and money in cents, and the seconds
    of those whose time is known (``timed``).
    """

    sheet = peewee.ForeignKeyField(BookHideRow, backref="pieces", on_delete="CASCADE")
    batch_id = peewee.IntegerField()
    article = peewee.CharField(64)
    piece = peewee.CharField(255)
    revision = peewee.CharField(8, default="")
    done = peewee.IntegerField()
    spoilt = peewee.IntegerField()
    area_m2 = peewee.DoubleField()
    cents = peewee.BigIntegerField()
    planned_s = peewee.DoubleField()
    true_s = peewee.DoubleField()
    timed = peewee.IntegerField()
    by = peewee.ForeignKeyField(PersonRow, null=True, backref="+")

    class Meta:
        table_name = "book_piece"


class BookSeenRow(Table):
    """What somebody decided of a closed hide: whether figures are made of it, and why."""

    sheet = peewee.ForeignKeyField(CutSheetRow, backref="+", on_delete="CASCADE")
    counts = peewee.BooleanField()
    words = peewee.CharField(255)
    at = peewee.DateTimeField()
    by = done_by()

    class Meta:
        table_name = "book_seen"


class LearnedRow(Table):
    """A learned figure that somebody took: what it was before, what it is now, how sure, from how much."""

    kind = peewee.CharField(16)
    of = peewee.CharField(255)
    was = peewee.DoubleField(null=True)
    value = peewee.DoubleField()
    low = peewee.DoubleField(null=True)
    high = peewee.DoubleField(null=True)
    n = peewee.IntegerField()
    at = peewee.DateTimeField()
    by = done_by()

    class Meta:
        table_name = "learned_taken"


class NoteRow(Table):
    """A note on an article (``piece``: on one of its pieces), a hide or a batch; ``revision`` is the one that
    it became.
    """

    subject = peewee.CharField(16)
    of = peewee.IntegerField()
    piece = peewee.CharField(64, default="")
    words = peewee.TextField()
    made_at = peewee.DateTimeField()
    done_at = peewee.DateTimeField(null=True)
    revision = peewee.CharField(8, default="")
    by = done_by()

    class Meta:
        table_name = "shop_note"


class WorldRow(Table):
    """One made-up delivery of a forecast that was laid: ``part`` is what was tried, ``found`` what came of
    it (null: a worker is at it).
    """

    job = peewee.ForeignKeyField(JobRow, backref="+", on_delete="CASCADE")
    part = peewee.CharField(160)
    number = peewee.IntegerField()
    owner = peewee.CharField(32, default="")
    taken_at = peewee.DateTimeField(null=True)
    found = Json(null=True)

    class Meta:
        table_name = "forecast_world"
        indexes = ((("job", "part", "number"), True),)


class RoundRow(Table):
    """One round of practice: what was asked, what was done, and what it scored (0 to 100)."""

    person = peewee.ForeignKeyField(PersonRow, null=True, backref="+")
    kind = peewee.CharField(16)
    level = peewee.IntegerField()
    seed = peewee.IntegerField()
    asked = Json()
    done = Json(null=True)
    score = peewee.DoubleField(null=True)
    begun_at = peewee.DateTimeField()
    ended_at = peewee.DateTimeField(null=True)
    lay = peewee.ForeignKeyField(LayRow, null=True, backref="+")

    class Meta:
        table_name = "practice_round"
