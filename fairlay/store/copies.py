"""Copies of the whole store: one file each, consistent though people work, read back before it is called
good.

A copy is a ZIP archive of two members: ``manifest.json`` (format, release, schema, checksum, when it was
made) and ``store.sql``, as MariaDB's own dump writes it. It holds everything but sessions, codes and what
is counted of those who guess: nobody is signed in by a copy.
"""

from __future__ import annotations

import datetime
import hashlib
import json
import os
import re
import shutil
import subprocess
import zipfile
import zlib
from collections.abc import Iterator, Sequence
from contextlib import contextmanager, nullcontext, suppress
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import IO, Any, Final

from fairlay import __version__
from fairlay.core.errors import BadCopy, Refused, Unavailable
from fairlay.store import database as store
from fairlay.store.clock import now

FORMAT: Final = "fairlay.copy/1"
MANIFEST, DUMP = "manifest.json", "store.sql"
ENDS: Final = b"-- Dump completed"
NOT_COPIED: Final = ("session", "sign_in_try", "one_time_code", "worker")
CHUNK: Final = 1 << 20
MOST_MANIFEST: Final = 1_000_000
MOST_STATEMENT: Final = 64_000_000
RUN = re.compile(rb"INSERT INTO `\w+` VALUES|CREATE TABLE `\w+` \(")
LEFT_OUT = re.compile(rb"SET [@\w]|/\*M?![0-9]{5,6}")
"""What a dump of ours consists of: what fills tables is run, how the client is set is not; anything else
is no dump of ours.
"""
SUFFIX: Final = ".fairlay"


@dataclass(frozen=True)
class Copy:
    """What a copy says of itself. ``schema`` are the migrations that its tables have seen."""

    format: str
    release: str
    schema: tuple[str, ...]
    made_at: str
    sha256: str


@dataclass(frozen=True)
class Rule:
    """Which copies are kept: the newest of each of so many days, weeks and months."""

    days: int = 7
    weeks: int = 5
    months: int = 12


@contextmanager
def written_whole(path: Path, what: str) -> Iterator[Path]:
    """Give the place to write a file to, and put what was written there in its own place: whole, or nothing
    at all. ``what`` says in an error which file it was.

    Raises Refused where there is a file already, BadCopy where it could not be written.
    """
    if path.exists():
        raise Refused(
            f"{path} is there already", value=str(path), expected="a new name; it was left as it is"
        )
    part = path.with_name(path.name + ".part")
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        yield part
        with part.open("rb+") as file:
            os.fsync(file.fileno())
        part.replace(path)
    except OSError as cause:
        raise BadCopy(
            f"the {what} could not be written: {cause.strerror or cause}",
            value=str(path),
            expected="a place with room; what was there before was kept",
        ) from cause
    finally:
        with suppress(OSError):
            part.unlink(missing_ok=True)


def write_copy(path: Path) -> Copy:
    """Write a copy of the store, whole or not at all; return what it says of itself.

    Raises Refused where there is a file already, BadCopy where it could not be written or read back.
    """
    with written_whole(path, "copy") as part:
        with zipfile.ZipFile(part, "w", zipfile.ZIP_DEFLATED, compresslevel=4) as archive:
            seen = schema()
            with archive.open(DUMP, "w", force_zip64=True) as out:
                sha256 = _dump_into(out)
            made = Copy(FORMAT, __version__, seen, now().isoformat(), sha256)
            archive.writestr(MANIFEST, json.dumps(asdict(made)))
        return check_copy(part)


def schema() -> tuple[str, ...]:
    """Return the migrations that the store's tables have seen."""
    with nullcontext() if not store.database.is_closed() else store.database.connection_context():
        rows = store.database.execute_sql("SELECT name FROM migration_history ORDER BY name").fetchall()
    return tuple(str(row[0]) for row in rows)


def known_schema() -> set[str]:
    """Return the migrations that this release knows."""
    return {p.stem for p in store.MIGRATIONS.glob("0*.py")}


def _client(program: str) -> tuple[list[str], dict[str, str], str]:
    """A MariaDB program with where it is to go; the password goes by its environment, which is its own."""
    found = shutil.which(program) or shutil.which(program, path="/usr/bin:/usr/local/bin")
    if not found:
        raise Unavailable(f"{program} is missing", expected="Debian's mariadb-client")
    to = store.parse_url(os.environ.get(store.URL_VARIABLE, ""))
    words = [found, "--no-defaults", f"--host={to['host']}", f"--port={to['port']}", f"--user={to['user']}"]
    return words, {**os.environ, "MYSQL_PWD": to["password"]}, to["database"]


def _dump_into(out: IO[bytes]) -> str:
    words, env, name = _client("mariadb-dump")
    words += ["--single-transaction", "--quick", "--hex-blob", "--skip-lock-tables", "--skip-add-locks"]
    words += ["--skip-add-drop-table", "--skip-disable-keys", "--skip-triggers", "--no-tablespaces"]
    words += ["--default-character-set=utf8mb4", "--max-allowed-packet=64M"]
    words += [f"--ignore-table-data={name}.{table}" for table in NOT_COPIED]
    running = subprocess.Popen([*words, name], stdout=subprocess.PIPE, stderr=subprocess.PIPE, env=env)
    assert running.stdout is not None and running.stderr is not None
    digest = hashlib.sha256()
    try:
        while chunk := running.stdout.read(CHUNK):
            digest.update(chunk)
            out.write(chunk)
    finally:
        running.stdout.close()
        said = running.stderr.read().decode(errors="replace").strip()
        running.stderr.close()
        running.wait()
    if running.returncode:
        raise BadCopy(f"MariaDB's dump broke off: {said}", expected="a store that answers; no copy was kept")
    return digest.hexdigest()


def check_copy(path: Path) -> Copy:
    """Return what a copy says of itself, once all of it is read and found whole.

    Raises BadCopy for one that is damaged, cut short, of another program, or of a newer release.
    """
    try:
        with zipfile.ZipFile(path) as archive:
            found = _manifest(archive)
            digest, last = hashlib.sha256(), b""
            with archive.open(DUMP) as body:
                while chunk := body.read(CHUNK):
                    digest.update(chunk)
                    last = (last + chunk)[-200:]
    except OSError as cause:
        raise BadCopy(
            f"{path} cannot be read: {cause.strerror}", value=str(path), expected="a copy that fairlay wrote"
        ) from cause
    except (zipfile.BadZipFile, zlib.error, EOFError, NotImplementedError, RuntimeError, KeyError) as cause:
        raise BadCopy(
            f"{path.name} is no whole copy: {cause}",
            value=str(path),
            expected="a copy that fairlay wrote, as it was written; nothing was changed",
        ) from cause
    if digest.hexdigest() != found.sha256 or ENDS not in last:
        raise BadCopy(
            f"{path.name} is damaged: its checksum is not its own",
            value=digest.hexdigest(),
            expected=found.sha256 + "; nothing was changed",
        )
    return found


def _manifest(archive: zipfile.ZipFile) -> Copy:
    names = sorted(archive.namelist())
    if names != [MANIFEST, DUMP]:
        raise BadCopy(
            f"this archive holds {', '.join(names[:3]) or 'nothing'}",
            value=names[:10],
            expected=f"a copy: {MANIFEST} and {DUMP}; nothing was changed",
        )
    with archive.open(MANIFEST) as file:
        text = file.read(MOST_MANIFEST)
    try:
        values: dict[str, Any] = json.loads(text)
        if values["format"] != FORMAT:
            raise BadCopy(f"a format {str(values['format'])[:40]!r}", value=values["format"], expected=FORMAT)
        found = Copy(
            FORMAT,
            str(values["release"]),
            tuple(str(name) for name in values["schema"]),
            str(values["made_at"]),
            str(values["sha256"]),
        )
    except (ValueError, TypeError, KeyError) as cause:
        raise BadCopy(
            "what the copy says of itself cannot be read",
            value=str(cause),
            expected="a copy that fairlay wrote",
        ) from cause
    unknown = set(found.schema) - known_schema()
    if unknown:
        raise BadCopy(
            f"this copy was written by a newer release ({found.release})",
            value=sorted(unknown),
            expected=f"one of release {__version__} or older; nothing was changed",
        )
    return found


def restore(path: Path, *, over: bool = False) -> tuple[Copy, Path | None]:
    """Bring a copy into the store, and its tables up to date; return what it said of itself, and the copy
    that was made of what the store held, if it held anything.

    Raises BadCopy for one that is not whole, Refused where the store holds something and ``over`` is not
    said. Broken off, it leaves a store that says so and takes nothing but another restore.
    """
    found = check_copy(path)
    tables = _tables()
    kept = None
    if tables and not store.is_restoring():
        if not over:
            raise Refused(
                "the store holds a workshop already",
                value=len(tables),
                expected="an empty store, or --over, which puts the copy in its place; nothing was changed",
            )
        kept = path.with_name(f"before-{now():%Y%m%d-%H%M%S-%f}{SUFFIX}")
        write_copy(kept)
    with store.database.connection_context():
        run = store.database.execute_sql
        run("SET FOREIGN_KEY_CHECKS = 0, UNIQUE_CHECKS = 0, SQL_MODE = 'NO_AUTO_VALUE_ON_ZERO'")
        run(f"CREATE TABLE IF NOT EXISTS `{store.RESTORING}` (at DATETIME NOT NULL)")
        for table in tables:
            if table != store.RESTORING:
                run(f"DROP TABLE IF EXISTS `{table}`")
        with zipfile.ZipFile(path) as archive, archive.open(DUMP) as body:
            # As they stand: given any arguments, even none, a % in somebody's words would be read as a place
            # for one.
            cursor = store.database.cursor()
            for statement in _statements(body):
                cursor.execute(statement)
        run("SET FOREIGN_KEY_CHECKS = 1, UNIQUE_CHECKS = 1, SQL_MODE = DEFAULT")
        store.migrate_tables()
        run(f"DROP TABLE `{store.RESTORING}`")
    return found, kept


def _tables() -> list[str]:
    with store.database.connection_context():
        return [str(row[0]) for row in store.database.execute_sql("SHOW TABLES").fetchall()]


def _statements(body: IO[bytes]) -> Iterator[str]:
    """The statements of a dump. One ends with its line: no line of data holds a line's end unescaped."""
    lines: list[bytes] = []
    for line in body:
        if not lines and (line.startswith((b"--", b"/*M!")) or not line.strip()):
            continue
        lines.append(line)
        if not line.rstrip().endswith(b";"):
            if sum(map(len, lines)) > MOST_STATEMENT:
                raise BadCopy("a statement without an end", expected="a copy that fairlay wrote")
            continue
        whole = b"".join(lines).strip().removesuffix(b";")
        lines = []
        if RUN.match(whole):
            yield whole.decode("utf-8")
        elif not LEFT_OUT.match(whole):
            raise BadCopy(
                f"this copy would do more than fill tables: {whole[:60].decode(errors='replace')!r}",
                expected="a copy that fairlay wrote; restore a good one",
            )


def kept_of(made: Sequence[datetime.datetime], rule: Rule) -> set[datetime.datetime]:
    """Return which of some copies a rule keeps: the newest of each of its days, weeks and months."""
    kept: set[datetime.datetime] = set()
    for count, part in ((rule.days, "%Y-%m-%d"), (rule.weeks, "%G-%V"), (rule.months, "%Y-%m")):
        newest: dict[str, datetime.datetime] = {}
        for at in sorted(made):
            newest[at.strftime(part)] = at
        kept |= set(sorted(newest.values())[-count:] if count else [])
    return kept


def copies_in(folder: Path) -> list[tuple[datetime.datetime, Path]]:
    """Return the copies that were made by the schedule, the newest first."""
    out = []
    for path in folder.glob(f"*{SUFFIX}"):
        with suppress(ValueError):
            out.append((datetime.datetime.strptime(path.stem, "%Y%m%d-%H%M%S"), path))
    return sorted(out, reverse=True)


def make_due(folder: Path, rule: Rule, every: datetime.timedelta) -> Path | None:
    """Make the copy that is due, and let go those that the rule keeps no longer; return the one made."""
    there = copies_in(folder)
    if there and now() - there[0][0] < every:
        return None
    path = folder / f"{now():%Y%m%d-%H%M%S}{SUFFIX}"
    write_copy(path)
    there = copies_in(folder)
    kept = kept_of([at for at, _ in there], rule)
    for at, old in there:
        if at not in kept:
            with suppress(OSError):
                old.unlink()
    return path
