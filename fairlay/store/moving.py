"""The whole workshop as open files in one archive, and back: to move it elsewhere, or to read it without
Fair Lay.

A ZIP archive. ``records/`` has a file of JSON lines for each table, a row a line, columns by name;
``articles/`` and ``lay-jobs/`` hold, in the exchange formats, what rows of theirs say they are kept ``in``;
``files/`` the files and pictures as they came. What is drawn or listed from these for other readers (SVG,
DXF, CSV) stands beside them and is not read back. Nothing of the archive is ever unpacked to disk.
"""

from __future__ import annotations

import base64
import datetime
import json
import shutil
import tempfile
import zipfile
import zlib
from collections.abc import Callable, Iterator
from contextlib import contextmanager, nullcontext
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Final

import peewee
from pydantic import TypeAdapter, ValidationError

from fairlay import __version__
from fairlay.core.errors import BadCopy, FairLayError, Refused
from fairlay.core.formats.article_json import ARTICLE_FORMAT
from fairlay.core.formats.exchange import explain, read_job
from fairlay.core.formats.stored import ARTICLE
from fairlay.core.pattern.changes import letter
from fairlay.store import (
    articles,
    batches,
    copies,
    deliveries,
    hides,
    keeping,
    lays,
    looking,
    settings,
    uploads,
)
from fairlay.store import database as store
from fairlay.store import tables as t
from fairlay.store.book_rows import (
    BookHideRow,
    BookPieceRow,
    BookSeenRow,
    LearnedRow,
    NoteRow,
    RoundRow,
    WorldRow,
)
from fairlay.store.clock import now
from fairlay.store.cut_rows import CutSheetRow, CutTickRow
from fairlay.store.database import connected
from fairlay.store.moving_drawings import drawings, member_of
from fairlay.store.people_rows import BenchRow, CodeRow, DeedRow, SessionRow, TryRow
from fairlay.store.table import Json, Table

FORMAT: Final = "fairlay.workshop/1"
MANIFEST, NOTE = "workshop.json", "READ-ME.txt"
TRAVELS: Final[tuple[type[Table], ...]] = (
    t.PersonRow,
    t.GivenNumberRow,
    t.DeliveryRow,
    t.HideRow,
    t.HideEventRow,
    t.HideEventMadeRow,
    t.SettingRow,
    t.CameraCheckRow,
    t.ArticleRow,
    t.ArticleRevisionRow,
    t.UploadRow,
    t.BatchRow,
    t.BatchLineRow,
    t.BatchHideRow,
    t.LayRow,
    t.LayBatchRow,
    t.LayJobRow,
    t.LayHideRow,
    t.LayRevisionRow,
    t.LaySnapshotRow,
    t.LayMarkRow,
    t.LayPinRow,
    t.LayInsistedRow,
    CutSheetRow,
    CutTickRow,
    t.JobRow,
    t.LayCandidateRow,
    DeedRow,
    BookSeenRow,
    LearnedRow,
    NoteRow,
    WorldRow,
    RoundRow,
)
"""In the order in which they are filled: what a row refers to comes before it."""
STAYS: Final[tuple[type[Table], ...]] = (
    SessionRow,
    CodeRow,
    TryRow,
    BenchRow,
    t.WorkerRow,
    t.HelpRow,
    BookPieceRow,
    BookHideRow,
)
STAYS_IN_WORDS: Final = (
    "passwords and PINs: everybody gets new ones (fairlay owner NAME makes the first owner's code)",
    "who is signed in, one-time codes, and what is counted of those who guess",
    "the benches' tablets: tie them again",
    "which workers are there",
    "what the Book has ready to be summed: it is made anew of the cutting's own facts",
)
SECRET: Final = frozenset({"password", "pin"})
IN: Final = "in"
ROWS_AT_ONCE: Final = 100
MOST_LINE: Final = 64_000_000
SUFFIXES: Final = {
    "image/jpeg": "jpg",
    "image/png": "png",
    "image/tiff": "tif",
    "image/webp": "webp",
    "image/bmp": "bmp",
    "image/svg+xml": "svg",
}
EXCHANGED: Final = {"article_revision": "article", "lay_job": None}
"""Tables whose ``document`` is a file of its own, and under which word it stands there (None: the whole)."""


@dataclass(frozen=True)
class Moved:
    """What an archive says of itself: ``rows`` of each table. ``stays`` are what does not travel."""

    format: str
    release: str
    made_at: str
    schema: tuple[str, ...]
    rows: dict[str, int]
    stays: tuple[str, ...]


_MOVED: Final = TypeAdapter(Moved)


@contextmanager
def one_moment() -> Iterator[None]:
    """Read the store as it stands at one moment, whatever is changed meanwhile."""
    with nullcontext() if not store.database.is_closed() else store.database.connection_context():
        run = store.database.execute_sql
        run("SET SESSION TRANSACTION ISOLATION LEVEL REPEATABLE READ")
        try:
            with store.database.atomic():
                yield
        finally:
            run("SET SESSION TRANSACTION ISOLATION LEVEL READ COMMITTED")


def take_out(path: Path) -> Moved:
    """Write the whole workshop into an archive, whole or not at all; return what it says of itself.

    Raises Refused where there is a file already, BadCopy where it could not be written or read back.
    """
    with copies.written_whole(path, "archive") as part:
        with zipfile.ZipFile(part, "w", zipfile.ZIP_DEFLATED, compresslevel=4) as archive, one_moment():
            moved = _write(archive)
        with zipfile.ZipFile(part) as archive:
            if (bad := archive.testzip()) is not None or _manifest(archive) != moved:
                raise BadCopy(
                    f"{bad or MANIFEST} was not written as it was meant", expected="a disk that keeps"
                )
        return moved


def _write(archive: zipfile.ZipFile) -> Moved:
    rows = {name_of(table): _write_table(archive, table) for table in TRAVELS}
    for name, text in drawings():
        archive.writestr(name, text)
    moved = Moved(FORMAT, __version__, now().isoformat(), copies.schema(), rows, STAYS_IN_WORDS)
    archive.writestr(NOTE, _note(moved))
    archive.writestr(MANIFEST, json.dumps(_MOVED.dump_python(moved, mode="json"), indent=1))
    return moved


def name_of(table: type[Table]) -> str:
    """Return a table's name."""
    return str(table._meta.table_name)


def _note(moved: Moved) -> str:
    return (
        f"A whole workshop, taken out of Fair Lay {moved.release} at {moved.made_at} UTC.\n"
        "fairlay import FILE brings it into an empty store.\n\n"
        "records/   every row of every table as JSON, a row a line; in mm and m2, times in UTC\n"
        "articles/  patterns, each revision in the exchange format, as SVG and as DXF\n"
        "lay-jobs/  what each lay was asked, in the exchange format\n"
        "lays/      each lay as it stands: in the exchange format, and as SVG\n"
        "hides/     the leather: in the exchange format, as SVG and as DXF\n"
        "files/     files and pictures as they came; records/upload.jsonl has their names\n"
        "*.csv      the rack, deliveries and batches for a spreadsheet\n\n"
        "Read back are records/, articles/*.json, lay-jobs/ and files/.\n\n"
        "What does not travel:\n" + "".join(f"- {words}\n" for words in moved.stays)
    )


def _write_table(archive: zipfile.ZipFile, table: type[Table]) -> int:
    name = name_of(table)
    columns = {f.column_name: f for f in table._meta.sorted_fields if f.column_name not in SECRET}
    count = 0
    # A table may be larger than memory: it is read by the page, and waits on disk while files of its own are
    # written (an archive takes one member at a time).
    with tempfile.TemporaryFile() as lines:
        for row in _paged(table):
            values = {c: _out(getattr(row, f.safe_name)) for c, f in columns.items() if f.name != "body"}
            if table is t.UploadRow:
                kept = uploads.upload(row.id)
                values[IN] = f"files/{row.id}.{_suffix(kept)}"
                archive.writestr(values[IN], kept.body, zipfile.ZIP_STORED)
            elif name in EXCHANGED:
                _document_out(archive, name, row, values)
            lines.write(json.dumps(values, allow_nan=False, separators=(",", ":")).encode() + b"\n")
            count += 1
        lines.seek(0)
        with archive.open(f"records/{name}.jsonl", "w", force_zip64=True) as member:
            shutil.copyfileobj(lines, member)
    return count


def _paged(table: type[Table]) -> Iterator[Any]:
    """Every row of a table by its key, without the bodies of files."""
    key: Any = table._meta.primary_key
    query = table.select(*(f for f in table._meta.sorted_fields if f.name != "body")).order_by(key)
    page = list(query.limit(ROWS_AT_ONCE))
    while page:
        yield from page
        page = list(query.where(key > getattr(page[-1], key.safe_name)).limit(ROWS_AT_ONCE))


def _document_out(archive: zipfile.ZipFile, name: str, row: Any, values: dict[str, Any]) -> None:
    """Put a row's document into a file of its own, where that is the exchange format's as it stands."""
    document = values["document"]
    if name == "lay_job":
        member, whole = f"lay-jobs/{row.lay_id}-{row.number}.json", document
    elif ARTICLE.is_current(document):
        own = {k: v for k, v in document.items() if k != "v"}
        at = letter(row.number)
        member = f"articles/{member_of(row)}.json"
        whole = {
            "format": ARTICLE_FORMAT,
            "units": "mm",
            "revision": at,
            "reason": row.reason,
            "article": own,
        }
        values["document_version"] = document.get("v", 1)
    else:
        return
    del values["document"]
    values[IN] = member
    archive.writestr(member, json.dumps(whole, indent=1, allow_nan=False))


def _out(value: Any) -> Any:
    if isinstance(value, datetime.datetime | datetime.date):
        return value.isoformat()
    if isinstance(value, bytes | bytearray | memoryview):
        return base64.b64encode(bytes(value)).decode()
    return value


def _suffix(kept: uploads.Upload) -> str:
    given = kept.name.rsplit(".", 1)[-1].lower()
    return SUFFIXES.get(kept.media_type) or (given if given in ("svg", "dxf", "json") else "bin")


def bring_in(path: Path, *, over: bool = False) -> tuple[Moved, Path | None]:
    """Bring the workshop of an archive into the store; return what the archive said of itself, and the copy
    that was made of what the store held, if it held anything.

    All of it comes in, or nothing: what is there is changed in one transaction. Raises BadCopy for an archive
    that is not whole, was written by a newer release, or does not make sense; Refused where the store holds
    something and ``over`` is not said.
    """
    try:
        with zipfile.ZipFile(path) as archive:
            moved = _manifest(archive)
            if (bad := archive.testzip()) is not None:
                raise _not_whole(path, f"{bad} is damaged")
            kept = None
            if _holds_something():
                if not over:
                    raise Refused(
                        "the store holds a workshop already",
                        value=str(path),
                        expected="an empty store, or --over, which puts this one in its place; nothing was "
                        "changed",
                    )
                kept = path.with_name(f"before-{now():%Y%m%d-%H%M%S-%f}{copies.SUFFIX}")
                copies.write_copy(kept)
            connected(_fill)(archive, moved)
    except OSError as cause:
        raise BadCopy(
            f"{path} cannot be read: {cause.strerror}", value=str(path), expected="an archive of a workshop"
        ) from cause
    except (zipfile.BadZipFile, zlib.error, EOFError, NotImplementedError, RuntimeError, KeyError) as cause:
        raise _not_whole(path, str(cause)) from cause
    return moved, kept


def _not_whole(path: Path, why: str) -> BadCopy:
    return BadCopy(
        f"{path.name} is no whole workshop: {why}",
        value=str(path),
        expected="an archive that fairlay export wrote, as it was written; nothing was changed",
    )


def _manifest(archive: zipfile.ZipFile) -> Moved:
    if MANIFEST not in archive.namelist():
        raise BadCopy(
            f"this archive has no {MANIFEST}",
            value=archive.namelist()[:10],
            expected="an archive that fairlay export wrote; nothing was changed",
        )
    try:
        values = json.loads(_bytes(archive, MANIFEST, copies.MOST_MANIFEST))
        found = values.get("format") if isinstance(values, dict) else None
        if found != FORMAT:
            raise BadCopy(f"a format {str(found)[:40]!r}", value=found, expected=FORMAT)
        moved = _MOVED.validate_python(values)
    except ValidationError as cause:
        raise BadCopy(
            f"what the archive says of itself cannot be read: {explain(cause, MANIFEST)}", expected=FORMAT
        ) from cause
    except ValueError as cause:
        raise BadCopy(f"{MANIFEST} is not whole JSON: {cause}", expected=FORMAT) from cause
    if set(moved.schema) - set(copies.known_schema()) or set(moved.rows) - {name_of(x) for x in TRAVELS}:
        raise BadCopy(
            f"this workshop was taken out of a newer release ({moved.release})",
            value=moved.release,
            expected=f"one of release {__version__} or older; nothing was changed",
        )
    return moved


def _bytes(archive: zipfile.ZipFile, name: str, most: int) -> bytes:
    if archive.getinfo(name).file_size > most:
        raise BadCopy(f"{name} is larger than it can be", expected=f"{most / 1e6:.0f} MB at most")
    return archive.read(name)


@connected
def _holds_something() -> bool:
    return any(table.select().exists() for table in TRAVELS)


def _fill(archive: zipfile.ZipFile, moved: Moved) -> None:
    for table in (*STAYS, *reversed(TRAVELS)):
        table.delete().execute()
    for table in TRAVELS:
        name, count = name_of(table), 0
        if name not in moved.rows:
            continue  # an older release had no such table
        rows: list[dict[str, Any]] = []
        size = 0
        for number, line in enumerate(_lines(archive, f"records/{name}.jsonl"), 1):
            try:
                rows.append(_row_in(archive, table, json.loads(line)))
            except (ValueError, TypeError) as cause:
                raise BadCopy(
                    f"records/{name}.jsonl, line {number}: {cause}",
                    value=line[:80].decode(errors="replace"),
                    expected="a row as fairlay export wrote it; nothing was changed",
                ) from cause
            count, size = count + 1, size + len(line)
            # MariaDB takes so much at once and no more; a file is held alone.
            if len(rows) >= ROWS_AT_ONCE or size > uploads.PART_BYTES // 2 or table is t.UploadRow:
                _insert(table, rows)
                rows, size = [], 0
        _insert(table, rows)
        if count != moved.rows.get(name, 0):
            raise BadCopy(
                f"{count} rows of {name}",
                value=count,
                expected=f"{moved.rows.get(name, 0)}, as the archive says; nothing was changed",
            )
    _read_back()


def _insert(table: type[Table], rows: list[dict[str, Any]]) -> None:
    if rows:
        try:
            if table is t.UploadRow:
                for row in rows:
                    uploads.keep_as(row)
            else:
                table.insert_many(rows).execute()
        except (TypeError, ValueError, KeyError, AttributeError) as cause:
            raise BadCopy(f"a row of {name_of(table)} does not fit: {cause}", value=str(cause)) from cause


def _lines(archive: zipfile.ZipFile, name: str) -> Iterator[bytes]:
    with archive.open(name) as body:
        while line := body.readline(MOST_LINE):
            if line.strip():
                yield line


def _row_in(archive: zipfile.ZipFile, table: type[Table], values: Any) -> dict[str, Any]:
    """Return a row as it goes into its table. Raises ValueError or TypeError for one that is none."""
    if not isinstance(values, dict):
        raise TypeError("a row is an object")
    name = name_of(table)
    columns = {f.column_name: f for f in table._meta.sorted_fields if f.column_name not in SECRET}
    if name in EXCHANGED and IN in values:
        whole = json.loads(_bytes(archive, str(values.pop(IN)), MOST_LINE))
        under = EXCHANGED[name]
        values["document"] = whole if under is None else whole[under]
        if under is not None:
            values["document"] = {"v": values.pop("document_version"), **values["document"]}
    if table is t.UploadRow:
        body = _bytes(archive, str(values.pop(IN)), uploads.MOST_BYTES)
    unknown = sorted(set(values) - set(columns))
    if unknown:
        raise ValueError(f"there is no column {unknown[0][:40]!r}")
    out: dict[str, Any] = {}
    for column, value in values.items():
        field = columns[column]
        if isinstance(field, peewee.BlobField) and value is not None:
            out[field.name] = base64.b64decode(value, validate=True)
        elif not isinstance(field, Json) and isinstance(value, dict | list):
            raise TypeError(f"{column} is no single value")
        else:
            out[field.name] = value
    return {**out, "body": body} if table is t.UploadRow else out


def _read_back() -> None:
    """Read all that came in as every room will. Raises BadCopy for what makes no sense."""
    rooms: tuple[tuple[str, Callable[[], Any]], ...] = (
        ("the shop's choices", lambda: (settings.leather_settings(), keeping.keeping())),
        ("articles", articles.all_articles),
        ("the rack", hides.all_hides),
        ("deliveries", deliveries.all_deliveries),
        ("batches", batches.all_batches),
        ("what is known of hides", lambda: [looking.known(r.id) for r in t.HideRow.select(t.HideRow.id)]),
        (
            "what lays were asked",
            lambda: [
                read_job(json.dumps(r.document), sizes_are_right=True)
                for r in t.LayJobRow.select().iterator()
            ],
        ),
        ("lays", lambda: [lays.load(r.id) for r in t.LayRow.select(t.LayRow.id)]),
    )
    for what, read in rooms:
        try:
            read()
        except (FairLayError, ValueError, TypeError, KeyError, AttributeError) as cause:
            raise BadCopy(
                f"{what} of this archive cannot be read: {cause}",
                value=what,
                expected="an archive that fairlay export wrote; nothing was changed",
            ) from cause
