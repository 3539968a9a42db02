"""What the tables keep of hides that are cut."""

from __future__ import annotations

import peewee

from fairlay.store.table import Json, Table
from fairlay.store.tables import HideRow, LayRow, done_by


class CutSheetRow(Table):
    """The cutting of one hide of a lay: open until it is closed, with where its leather went then
    (``account``). ``bench`` is how the shop cut when it was begun; ``facts`` what was promised of it then
    (``planned``), and what its leather stood for when it was closed.
    """

    lay = peewee.ForeignKeyField(LayRow, backref="cut_sheets", on_delete="CASCADE")
    hide = peewee.ForeignKeyField(HideRow, backref="+")
    state = peewee.CharField(16, default="open", index=True)
    bench = Json(default=dict)
    planned_minutes = peewee.DoubleField(default=0.0)
    account = Json(null=True)
    facts = Json(null=True)
    begun_at = peewee.DateTimeField()
    closed_at = peewee.DateTimeField(null=True)
    by = done_by()

    class Meta:
        table_name = "cut_sheet"
        indexes = ((("lay", "hide"), True),)


class CutTickRow(Table):
    """What somebody did at the bench with a piece, never changed: ``pressed_at`` is when, by the clock of the
    server as the tablet knew it; ``tick`` is its own name, by which one sent twice is known. ``lies`` is
    where the piece lay.
    """

    sheet = peewee.ForeignKeyField(CutSheetRow, backref="ticks", on_delete="CASCADE")
    tick = peewee.CharField(36, unique=True)
    piece = peewee.CharField(255)
    copy_number = peewee.IntegerField()
    act = peewee.CharField(16)
    reason = peewee.CharField(128, default="")
    tablet = peewee.CharField(36, default="")
    number = peewee.IntegerField(default=0)
    revision = peewee.IntegerField(default=0)
    lies = Json(null=True)
    planned_s = peewee.DoubleField(default=0.0)
    pressed_at = peewee.DateTimeField()
    came_at = peewee.DateTimeField()
    by = done_by()

    class Meta:
        table_name = "cut_tick"
