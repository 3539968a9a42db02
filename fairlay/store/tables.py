"""The tables. Geometry is JSON in mm beside the columns that are searched or summed."""

from __future__ import annotations

import json
from typing import Any

import peewee

from fairlay.store.database import database


class Json(peewee.Field):
    """Any JSON value, in MariaDB's JSON column.

    (peewee's own field casts to JSON, which MariaDB has no cast to.)
    """

    field_type = "JSON"

    def db_value(self, value: Any) -> str | None:
        return None if value is None else json.dumps(value, allow_nan=False, separators=(",", ":"))

    def python_value(self, value: Any) -> Any:
        return None if value is None else json.loads(value)


class Table(peewee.Model):
    # peewee makes these at run time: the key, and beside each foreign key the id it holds.
    id: Any
    article_id: int
    batch_id: int
    hide_id: int
    lay_id: int
    revision_id: int
    delivery_id: int | None
    made_id: int | None

    class Meta:
        database = database
        legacy_table_names = False


class DeliveryRow(Table):
    """A delivery: the invoice's figures. ``closed`` once all of it is received."""

    mill = peewee.CharField(64)
    lot = peewee.CharField(64)
    invoice = Json()
    note = peewee.TextField(default="")
    received_on = peewee.DateField()
    closed = peewee.BooleanField(default=False)
    created_at = peewee.DateTimeField()

    class Meta:
        table_name = "delivery"
        indexes = ((("mill", "lot"), True),)


class HideRow(Table):
    """A hide on the rack. ``shape`` holds outline, holes, zones, flaws, readings, backbone, margin and width:
    what is laid on.

    ``looking`` is what looking it over told, from which ``shape`` follows; null for one that came with its
    shape. ``seen`` is what its pictures gave, until that is accepted. ``version`` rises with each change.
    ``card`` is what the rack shows of ``shape``; null where it is still to be reckoned.
    """

    number = peewee.CharField(32, unique=True)
    kind = peewee.CharField(16)
    material = peewee.CharField(64, index=True)
    mill = peewee.CharField(64)
    colour = peewee.CharField(32)
    tannage = peewee.CharField(32)
    temper = peewee.CharField(16)
    thickness_mm = peewee.FloatField()
    grade = peewee.CharField(16)
    state = peewee.CharField(16, index=True)
    cost_per_m2 = peewee.FloatField()
    area_m2 = peewee.FloatField()
    shape = Json()
    received_on = peewee.DateField()
    delivery = peewee.ForeignKeyField(DeliveryRow, backref="hides", null=True)
    invoice_m2 = peewee.DoubleField(null=True)
    finish = peewee.CharField(64, default="")
    looking = Json(null=True)
    seen = Json(null=True)
    card = Json(null=True)
    version = peewee.IntegerField(default=0)
    looked = peewee.CharField(128, default="not looked over")
    looked_enough = peewee.BooleanField(default=False)
    measured = peewee.BooleanField(default=True)

    class Meta:
        table_name = "hide"


class HideEventRow(Table):
    """What was done with a hide; ``before`` is what was known of it until then, where that changed; ``made``
    the offcut a cut put on the rack, ``state`` what the hide was before it.
    """

    hide = peewee.ForeignKeyField(HideRow, backref="events", on_delete="CASCADE")
    kind = peewee.CharField(32)
    words = peewee.CharField(255)
    before = Json(null=True)
    made = peewee.ForeignKeyField(HideRow, backref="+", null=True, on_delete="SET NULL")
    state = peewee.CharField(16, null=True)
    created_at = peewee.DateTimeField()

    class Meta:
        table_name = "hide_event"


class SettingRow(Table):
    """A choice of the shop's."""

    name = peewee.CharField(64, primary_key=True)
    value = Json()

    class Meta:
        table_name = "setting"


class ArticleRow(Table):
    slug = peewee.CharField(64, unique=True)
    name = peewee.CharField(128)
    note = peewee.TextField(default="")

    class Meta:
        table_name = "article"


class ArticleRevisionRow(Table):
    """An article at one revision: ``document`` is the article as exchange JSON has it.

    ``version`` rises with each change while nothing is planned with it.
    """

    article = peewee.ForeignKeyField(ArticleRow, backref="revisions", on_delete="CASCADE")
    number = peewee.IntegerField()
    reason = peewee.TextField(default="")
    document = Json()
    version = peewee.IntegerField(default=1)
    created_at = peewee.DateTimeField()

    class Meta:
        table_name = "article_revision"
        indexes = ((("article", "number"), True),)


class UploadRow(Table):
    """A file or photograph that patterns are taken from, kept as it came."""

    name = peewee.CharField(255)
    media_type = peewee.CharField(64)
    body = peewee.BlobField()
    created_at = peewee.DateTimeField()

    class Meta:
        table_name = "upload"


class UploadPartRow(Table):
    """What of a large file comes after its first part, which is the upload's own body."""

    upload = peewee.ForeignKeyField(UploadRow, backref="parts", on_delete="CASCADE")
    number = peewee.IntegerField()
    body = peewee.BlobField()

    class Meta:
        table_name = "upload_part"
        indexes = ((("upload", "number"), True),)


class BatchRow(Table):
    number = peewee.CharField(32, unique=True)
    name = peewee.CharField(128)
    state = peewee.CharField(16, index=True)
    due_on = peewee.DateField(null=True)
    gap_mm = peewee.FloatField(default=0.0)
    grain_school = peewee.CharField(16, default="backbone")
    match_sets = Json(default=list)

    class Meta:
        table_name = "batch"


class BatchLineRow(Table):
    """How many of an article, at the revision it was planned with; ``ways`` are the ways chosen to make its
    parts.
    """

    batch = peewee.ForeignKeyField(BatchRow, backref="lines", on_delete="CASCADE")
    article = peewee.ForeignKeyField(ArticleRow)
    revision = peewee.ForeignKeyField(ArticleRevisionRow, backref="lines")
    quantity = peewee.IntegerField()
    ways = Json(default=dict)

    class Meta:
        table_name = "batch_line"
        indexes = ((("batch", "article"), True),)


class BatchHideRow(Table):
    """Leather chosen for a batch."""

    batch = peewee.ForeignKeyField(BatchRow, backref="leather", on_delete="CASCADE")
    hide = peewee.ForeignKeyField(HideRow)

    class Meta:
        table_name = "batch_hide"
        indexes = ((("batch", "hide"), True),)


class LayRow(Table):
    """A lay of one material of a batch.

    ``job`` is the exchange job as it was when laying began; ``head`` the newest revision.
    """

    batch = peewee.ForeignKeyField(BatchRow, backref="lays", on_delete="CASCADE")
    material = peewee.CharField(64)
    objective = peewee.CharField(16)
    job = Json()
    head = peewee.IntegerField(default=0)
    created_at = peewee.DateTimeField()

    class Meta:
        table_name = "lay"


class LayRevisionRow(Table):
    """What one revision changed: ``changes`` has ``down`` (placements put or moved) and ``up`` (keys taken
    away).

    ``stands_for`` is the revision whose lay this one shows again, after an undo.
    """

    lay = peewee.ForeignKeyField(LayRow, backref="revisions", on_delete="CASCADE")
    number = peewee.IntegerField()
    source = peewee.CharField(16)
    mark = peewee.CharField(128, default="")
    stands_for = peewee.IntegerField(null=True)
    changes = Json()
    unplaced = Json(default=list)
    measures = Json(default=dict)
    worth = peewee.DoubleField(default=0.0)
    created_at = peewee.DateTimeField()

    class Meta:
        table_name = "lay_revision"
        indexes = ((("lay", "number"), True),)


class JobRow(Table):
    """Long work in the queue: a lay to be laid, or pictures of a hide to be read.

    ``said`` is what it found so far, in words; ``version`` rises with each change, for those who watch.
    """

    kind = peewee.CharField(16)
    lay = peewee.ForeignKeyField(LayRow, backref="jobs", on_delete="CASCADE", null=True)
    hide = peewee.ForeignKeyField(HideRow, backref="jobs", on_delete="CASCADE", null=True)
    state = peewee.CharField(16, index=True)
    seconds = peewee.FloatField()
    seed = peewee.IntegerField(default=1)
    stop_asked = peewee.BooleanField(default=False)
    version = peewee.IntegerField(default=0)
    attempts = peewee.IntegerField(default=0)
    revision = peewee.IntegerField(null=True)
    spent_s = peewee.FloatField(default=0.0)
    history = Json(default=list)
    asked = Json(default=dict)
    said = Json(null=True)
    error = peewee.TextField(default="")
    beat_at = peewee.DateTimeField(null=True)
    created_at = peewee.DateTimeField()
    ended_at = peewee.DateTimeField(null=True)

    class Meta:
        table_name = "work_job"
