"""The tables. Geometry is JSON in mm beside the columns that are searched or summed."""

from __future__ import annotations

from typing import Any, Final

import peewee

from fairlay.store.acting import who
from fairlay.store.table import Json, Table

PRACTICE: Final = "practice"
"""The state of a made-up hide, and of a batch, that is only practised on: it is on no rack and in no list."""


class PersonRow(Table):
    """Somebody of the shop. ``password`` and ``pin`` are argon2 hashes, empty where there is none."""

    name = peewee.CharField(64, unique=True)
    role = peewee.CharField(16)
    password = peewee.CharField(255, default="")
    pin = peewee.CharField(255, default="")
    active = peewee.BooleanField(default=True)
    created_at = peewee.DateTimeField()

    class Meta:
        table_name = "person"


def done_by() -> Any:
    """Whose doing a row is; null where nobody asked for it, or it was before there were accounts."""
    return peewee.ForeignKeyField(PersonRow, null=True, default=who, backref="+")


class LockRow(Table):
    """What is held while something is done that no row of its own stands for."""

    name = peewee.CharField(32, primary_key=True)

    class Meta:
        table_name = "lock_row"


class GivenNumberRow(Table):
    """A hide's number, once given out: it is never given to another."""

    number = peewee.CharField(32, primary_key=True)

    class Meta:
        table_name = "given_number"


class CameraCheckRow(Table):
    """A page of known size measured in a picture: what it measured, and how far that was off (a share, and
    mm).
    """

    camera = peewee.CharField(max_length=64)
    checked_at = peewee.DateTimeField()
    wide_mm = peewee.DoubleField()
    high_mm = peewee.DoubleField()
    off_share = peewee.DoubleField()
    off_mm = peewee.DoubleField()
    by = peewee.ForeignKeyField(PersonRow, null=True, column_name="by_id", lazy_load=False)

    class Meta:
        table_name = "camera_check"


class DeliveryRow(Table):
    """A delivery: the invoice's figures. ``closed`` once all of it is received."""

    mill = peewee.CharField(64)
    lot = peewee.CharField(64)
    invoice = Json()
    note = peewee.TextField(default="")
    received_on = peewee.DateField()
    closed = peewee.BooleanField(default=False)
    created_at = peewee.DateTimeField()
    by = done_by()

    class Meta:
        table_name = "delivery"
        indexes = ((("mill", "lot"), True),)


class HideRow(Table):
    """A hide on the rack. ``shape`` holds outline, holes, zones, flaws, readings, backbone, margin and width:
    what is laid on.

    ``looking`` is what looking it over told, from which ``shape`` follows; null for one that came with its
    shape. ``seen`` is what its pictures gave, until that is accepted. ``version`` rises with each change.
    ``card`` is what the rack shows of ``shape``; null where it is still to be reckoned.

    What came is frozen: ``invoice_m2`` and ``received_cost`` as bought, ``received_m2`` as the shop
    measured it before anything was cut off (``whole``; null: never measured whole). ``cost`` is what its
    leather stands for now: less than what was paid where ``parent``'s offcuts took their share along.
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
    received_m2 = peewee.DoubleField(null=True)
    received_off_m2 = peewee.DoubleField(null=True)
    received_cost = peewee.DoubleField(null=True)
    cost = peewee.DoubleField(null=True)
    parent = peewee.ForeignKeyField("self", backref="offcuts", null=True, on_delete="SET NULL")
    whole = peewee.BooleanField(default=True)
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
    """What was done with a hide; ``before`` is what was known of it until then, where that changed; ``facts``
    what else it was until then (state, whole, cost, received area).
    """

    hide = peewee.ForeignKeyField(HideRow, backref="events", on_delete="CASCADE")
    kind = peewee.CharField(32)
    words = peewee.CharField(255)
    before = Json(null=True)
    facts = Json(null=True)
    state = peewee.CharField(16, null=True)
    created_at = peewee.DateTimeField()
    by = done_by()

    class Meta:
        table_name = "hide_event"


class HideEventMadeRow(Table):
    """An offcut that an event put on the rack."""

    event = peewee.ForeignKeyField(HideEventRow, backref="made", on_delete="CASCADE")
    hide = peewee.ForeignKeyField(HideRow, backref="+", on_delete="CASCADE")

    class Meta:
        table_name = "hide_event_made"
        indexes = ((("event", "hide"), True),)


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
    by = done_by()

    class Meta:
        table_name = "article_revision"
        indexes = ((("article", "number"), True),)


class UploadRow(Table):
    """A file or photograph that patterns are taken from, kept as it came."""

    name = peewee.CharField(255)
    media_type = peewee.CharField(64)
    body = peewee.BlobField()
    created_at = peewee.DateTimeField()
    by = done_by()

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
    """What is ordered together. ``state`` follows from what was done; ``standing`` is open, held or given up.
    ``version`` rises with each change of what is ordered.
    """

    number = peewee.CharField(32, unique=True)
    name = peewee.CharField(128)
    state = peewee.CharField(16, index=True)
    due_on = peewee.DateField(null=True)
    gap_mm = peewee.FloatField(default=0.0)
    grain_school = peewee.CharField(16, default="backbone")
    match_sets = Json(default=list)
    standing = peewee.CharField(16, default="open")
    version = peewee.IntegerField(default=1)
    by = done_by()

    class Meta:
        table_name = "batch"


class BatchLineRow(Table):
    """How many of an article, at the revision it was planned with; ``ways`` are the ways chosen to make its
    parts. A line of higher ``priority`` is worth more where not everything finds a place; a ``filler`` is
    made of what is left.
    """

    batch = peewee.ForeignKeyField(BatchRow, backref="lines", on_delete="CASCADE")
    article = peewee.ForeignKeyField(ArticleRow)
    revision = peewee.ForeignKeyField(ArticleRevisionRow, backref="lines")
    quantity = peewee.IntegerField()
    ways = Json(default=dict)
    colour = peewee.CharField(32, default="")
    due_on = peewee.DateField(null=True)
    priority = peewee.IntegerField(default=0)
    filler = peewee.BooleanField(default=False)

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
    """A lay of one material of a batch; ``head`` is its newest revision. Whoever writes to it holds this
    row.
    """

    batch = peewee.ForeignKeyField(BatchRow, backref="lays", on_delete="CASCADE")
    material = peewee.CharField(64)
    objective = peewee.CharField(16)
    head = peewee.IntegerField(default=0)
    given_up = peewee.BooleanField(default=False)
    created_at = peewee.DateTimeField()
    by = done_by()

    class Meta:
        table_name = "lay"


class LayBatchRow(Table):
    """Another batch that a lay is laid for as well, because it shares the leather."""

    lay = peewee.ForeignKeyField(LayRow, backref="others", on_delete="CASCADE")
    batch = peewee.ForeignKeyField(BatchRow, backref="+", on_delete="CASCADE")

    class Meta:
        table_name = "lay_batch"
        indexes = ((("lay", "batch"), True),)


class LayJobRow(Table):
    """What a lay is asked, as exchange JSON: a new one each time it is brought onto leather that changed, or
    asked otherwise; ``changes`` is what was taken of such questions.
    """

    lay = peewee.ForeignKeyField(LayRow, backref="lay_jobs", on_delete="CASCADE")
    number = peewee.IntegerField()
    document = Json()
    changes = Json(null=True)
    created_at = peewee.DateTimeField()

    class Meta:
        table_name = "lay_job"
        indexes = ((("lay", "number"), True),)


class LayHideRow(Table):
    """A hide that a lay is on, and the version of it that was laid on."""

    lay_job = peewee.ForeignKeyField(LayJobRow, backref="hides", on_delete="CASCADE")
    hide = peewee.ForeignKeyField(HideRow)
    version = peewee.IntegerField()

    class Meta:
        table_name = "lay_hide"
        indexes = ((("lay_job", "hide"), True),)


class LayRevisionRow(Table):
    """One change of a lay, never changed itself: ``changes`` has what it put ``down``, took ``up``, and what
    lay there before (``was``).

    ``stands_for`` is the revision whose lay this one shows again, after an undo; ``job_number`` is what the
    lay was asked then.
    """

    lay = peewee.ForeignKeyField(LayRow, backref="revisions", on_delete="CASCADE")
    number = peewee.IntegerField()
    source = peewee.CharField(16)
    stands_for = peewee.IntegerField(null=True)
    job_number = peewee.IntegerField(default=1)
    changes = Json()
    unplaced = Json(default=list)
    measures = Json(default=dict)
    placed = peewee.IntegerField(default=0)
    yield_of_used = peewee.DoubleField(default=0.0)
    worth = peewee.DoubleField(default=0.0)
    created_at = peewee.DateTimeField()
    by = done_by()

    class Meta:
        table_name = "lay_revision"
        indexes = ((("lay", "number"), True),)


class LaySnapshotRow(Table):
    """All that lies after a revision: from here on changes are played, so that the 5,000th loads as the
    first.
    """

    lay = peewee.ForeignKeyField(LayRow, backref="snapshots", on_delete="CASCADE")
    number = peewee.IntegerField()
    lies = Json()

    class Meta:
        table_name = "lay_snapshot"
        indexes = ((("lay", "number"), True),)


class LayMarkRow(Table):
    """The name of a revision."""

    lay = peewee.ForeignKeyField(LayRow, backref="marks", on_delete="CASCADE")
    number = peewee.IntegerField()
    name = peewee.CharField(128)
    created_at = peewee.DateTimeField()
    by = done_by()

    class Meta:
        table_name = "lay_mark"
        indexes = ((("lay", "number"), True),)


class LayPinRow(Table):
    """A piece that is held where it lies."""

    lay = peewee.ForeignKeyField(LayRow, backref="pins", on_delete="CASCADE")
    piece = peewee.CharField(255)
    copy_number = peewee.IntegerField()
    by = done_by()

    class Meta:
        table_name = "lay_pin"
        indexes = ((("lay", "piece", "copy_number"), True),)


class LayInsistedRow(Table):
    """A piece that somebody put where a rule forbids it, on purpose; ``signed_by`` is who answers for it."""

    lay = peewee.ForeignKeyField(LayRow, backref="insisted", on_delete="CASCADE")
    piece = peewee.CharField(255)
    copy_number = peewee.IntegerField()
    by = done_by()
    signed_by = peewee.ForeignKeyField(PersonRow, null=True, backref="+")
    signed_at = peewee.DateTimeField(null=True)

    class Meta:
        table_name = "lay_insisted"
        indexes = ((("lay", "piece", "copy_number"), True),)


class JobRow(Table):
    """Long work in the queue: a lay to be laid, pictures of a hide or a file to be read. ``said`` is what it
    found so far, in words; ``version`` rises with each change, for those who watch. ``owner`` is the token of
    the worker that has it: nobody else may write to it. Times of beats are the database's own.
    """

    kind = peewee.CharField(16)
    lay = peewee.ForeignKeyField(LayRow, backref="jobs", on_delete="CASCADE", null=True)
    hide = peewee.ForeignKeyField(HideRow, backref="jobs", on_delete="CASCADE", null=True)
    upload = peewee.ForeignKeyField(UploadRow, backref="jobs", on_delete="CASCADE", null=True)
    state = peewee.CharField(16, index=True)
    owner = peewee.CharField(32, default="")
    seconds = peewee.FloatField()
    seed = peewee.IntegerField(default=1)
    stop_asked = peewee.BooleanField(default=False)
    version = peewee.IntegerField(default=0)
    attempts = peewee.IntegerField(default=0)
    revision = peewee.IntegerField(null=True)
    spent_s = peewee.FloatField(default=0.0)
    share = peewee.DoubleField(default=0.0)
    history = Json(default=list)
    asked = Json(default=dict)
    said = Json(null=True)
    result = peewee.BlobField(null=True)
    error = peewee.TextField(default="")
    handed_at = peewee.DateTimeField(null=True)
    beat_at = peewee.DateTimeField(null=True)
    created_at = peewee.DateTimeField()
    ended_at = peewee.DateTimeField(null=True)
    by = done_by()

    class Meta:
        table_name = "work_job"


class LayCandidateRow(Table):
    """The best that a search has found so far, beside the lay's history until it is taken in. ``helper`` 0 is
    the search itself; ``base`` the revision it began from.
    """

    lay = peewee.ForeignKeyField(LayRow, backref="candidates", on_delete="CASCADE")
    job = peewee.ForeignKeyField(JobRow, backref="candidates", on_delete="CASCADE")
    helper = peewee.IntegerField()
    version = peewee.IntegerField(default=1)
    job_number = peewee.IntegerField()
    base = peewee.IntegerField()
    lies = Json()
    unplaced = Json(default=list)
    measures = Json(default=dict)
    worth = peewee.DoubleField()
    found_at = peewee.DateTimeField()

    class Meta:
        table_name = "lay_candidate"
        indexes = ((("job", "helper"), True),)


class HelpRow(Table):
    """A helper that a search asked for: nobody's (``owner`` empty) until a worker that is idle takes it."""

    job = peewee.ForeignKeyField(JobRow, backref="helpers", on_delete="CASCADE")
    number = peewee.IntegerField()
    owner = peewee.CharField(32, default="")
    asked_at = peewee.DateTimeField()
    beat_at = peewee.DateTimeField(null=True)

    class Meta:
        table_name = "work_help"
        indexes = ((("job", "number"), True),)


class WorkerRow(Table):
    """A worker's process that is there, for as long as it beats."""

    token = peewee.CharField(32, primary_key=True)
    kind = peewee.CharField(16)
    place = peewee.CharField(128)
    beat_at = peewee.DateTimeField()

    class Meta:
        table_name = "worker"
