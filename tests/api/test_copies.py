"""Copies of everything: consistent while people work, whole or refused, restored to the last figure."""

from __future__ import annotations

import datetime
import json
import os
import threading
import zipfile
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from fastapi.testclient import TestClient
from hypothesis import given
from hypothesis import strategies as st

from fairlay.core.errors import BadCopy, Refused, Unavailable
from fairlay.core.lay.check import broken_rules
from fairlay.store import copies, hides, lay_back, lays, looking, sessions
from fairlay.store import database as store
from fairlay.store.copies import Rule, check_copy, kept_of, restore, write_copy
from fairlay.store.database import connected
from fairlay.store.people_rows import SessionRow
from fairlay.store.tables import HideEventRow, HideRow, PersonRow
from tests.api.conftest import open_at


def _all() -> dict[str, list[Any]]:
    """Every row of every table that is copied."""
    with store.database.connection_context():
        tables = [str(row[0]) for row in store.database.execute_sql("SHOW TABLES").fetchall()]
        return {
            t: sorted(map(repr, store.database.execute_sql(f"SELECT * FROM `{t}`").fetchall()))
            for t in tables
            if t not in copies.NOT_COPIED
        }


def test_a_copy_made_while_people_work_is_one_moment_and_comes_back_to_the_last_figure(
    workshop: TestClient, elsewhere: str, mariadb: str, tmp_path: Path
) -> None:
    over = threading.Event()
    hide = hides.rack()[0].id

    def work() -> None:
        while not over.is_set():
            both()

    @connected
    def both() -> None:
        """Two rows that only ever change together."""
        HideRow.update(grade="w").where(HideRow.id == hide).execute()
        HideEventRow.create(hide=hide, kind="w", words="5 % of it, %s", created_at=sessions.now())
        HideRow.update(version=HideRow.version + 1).where(HideRow.id == hide).execute()

    def told() -> tuple[int, int]:
        row = connected(HideRow.get_by_id)(hide)
        events = HideEventRow.select().where(HideEventRow.hide == hide, HideEventRow.kind == "w")
        return int(row.version), int(connected(events.count)())

    version, _ = told()
    somebody = connected(PersonRow.get)()
    sessions.begin(somebody.id)
    busy = threading.Thread(target=work)
    busy.start()
    made = [write_copy(tmp_path / f"{n}.fairlay") for n in range(3)]
    over.set()
    busy.join()
    last = write_copy(tmp_path / "last.fairlay")
    assert all(check_copy(tmp_path / f"{n}.fairlay") == m for n, m in enumerate(made))
    before = _all()
    open_at(elsewhere)
    assert restore(tmp_path / "last.fairlay") == (last, None)
    assert _all() == before and len(before["hide"]) > 10
    assert connected(SessionRow.select().count)() == 0, "nobody is signed in by a copy"
    for n in range(3):
        _, kept = restore(tmp_path / f"{n}.fairlay", over=True)
        assert kept is not None and check_copy(kept)
        seen, events = told()
        assert seen - version == events, "what changes together is copied together"


def test_a_store_that_holds_something_is_left_alone_unless_that_is_said(
    workshop: TestClient, tmp_path: Path
) -> None:
    write_copy(tmp_path / "a.fairlay")
    before = _all()
    with pytest.raises(Refused, match=r"holds a workshop already.*--over"):
        restore(tmp_path / "a.fairlay")
    with pytest.raises(Refused, match="is there already"):
        write_copy(tmp_path / "a.fairlay")
    assert _all() == before


def test_a_copy_that_is_not_whole_changes_nothing(
    workshop: TestClient, elsewhere: str, tmp_path: Path
) -> None:
    good = tmp_path / "good.fairlay"
    write_copy(good)
    body = good.read_bytes()
    with zipfile.ZipFile(good) as archive:
        manifest, dump = archive.read(copies.MANIFEST), archive.read(copies.DUMP)

    def zipped(members: dict[str, bytes]) -> bytes:
        path = tmp_path / "made.zip"
        with zipfile.ZipFile(path, "w") as made:
            for name, content in members.items():
                made.writestr(name, content)
        return path.read_bytes()

    def with_manifest(**changed: Any) -> bytes:
        said = json.dumps({**json.loads(manifest), **changed}).encode()
        return zipped({copies.MANIFEST: said, copies.DUMP: dump})

    damaged = bytearray(body)
    damaged[len(body) // 2] ^= 0xFF
    bad = {
        "cut short": body[: len(body) * 2 // 3],
        "half written": body[:2000],
        "damaged": bytes(damaged),
        "empty": b"",
        "another program's": b"SQLite format 3\x00" + b"\x00" * 500,
        "another archive": zipped({"readme.txt": b"hello"}),
        "paths": zipped({"../../etc/cron.d/x": b"x", copies.MANIFEST: manifest, copies.DUMP: dump}),
        "changed": zipped({copies.MANIFEST: manifest, copies.DUMP: dump.replace(b"Ferrow", b"Oxlade")}),
        "newer": with_manifest(schema=["0001_first_tables", "0999_from_the_future"], release="9.0"),
        "another format": with_manifest(format="other/3"),
        "no manifest": zipped({copies.MANIFEST: b"[1, 2", copies.DUMP: dump}),
    }
    open_at(elsewhere)
    for name, content in bad.items():
        path = tmp_path / "bad.fairlay"
        path.write_bytes(content)
        with pytest.raises(BadCopy) as told:
            restore(path)
        assert "expected" in str(told.value), name
        assert _all() == {}, name
    assert "newer release (9.0)" in _refused(tmp_path, bad["newer"])
    with pytest.raises(BadCopy, match="cannot be read"):
        check_copy(tmp_path / "not there")


def _refused(folder: Path, content: bytes) -> str:
    path = folder / "one.fairlay"
    path.write_bytes(content)
    with pytest.raises(BadCopy) as told:
        check_copy(path)
    return str(told.value)


def test_a_restore_that_breaks_off_says_so_and_can_be_done_again(
    workshop: TestClient, elsewhere: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    good = tmp_path / "good.fairlay"
    write_copy(good)
    before = _all()
    open_at(elsewhere)
    own = copies._statements

    def half(body: Any) -> Iterator[str]:
        for n, statement in enumerate(own(body)):
            if n > 25:
                raise KeyboardInterrupt
            yield statement

    monkeypatch.setattr(copies, "_statements", half)
    with pytest.raises(KeyboardInterrupt):
        restore(good)
    monkeypatch.setattr(copies, "_statements", own)
    with pytest.raises(Unavailable, match="broken off"):
        store.migrate()
    restore(good)
    assert _all() == before and store.migrate() == []


def test_only_what_fills_tables_is_run(workshop: TestClient, elsewhere: str, tmp_path: Path) -> None:
    import hashlib

    good = tmp_path / "good.fairlay"
    write_copy(good)
    with zipfile.ZipFile(good) as archive:
        manifest = json.loads(archive.read(copies.MANIFEST))
    for evil in (
        b"GRANT ALL ON *.* TO x;",
        b"\\! touch /tmp/x;",
        b"DROP DATABASE fairlay;",
        b"SELECT 1 INTO OUTFILE 'x';",
    ):
        dump = evil + b"\n-- Dump completed\n"
        path = tmp_path / "evil.fairlay"
        with zipfile.ZipFile(path, "w") as archive:
            said = {**manifest, "sha256": hashlib.sha256(dump).hexdigest()}
            archive.writestr(copies.MANIFEST, json.dumps(said))
            archive.writestr(copies.DUMP, dump)
        open_at(elsewhere)
        with pytest.raises(BadCopy, match="more than fill tables"):
            restore(path)


def test_no_room_for_a_copy_leaves_none(
    workshop: TestClient, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    def full(_: object) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(os, "fsync", full)
    with pytest.raises(BadCopy, match=r"No space left on device.*a place with room"):
        write_copy(tmp_path / "a.fairlay")
    assert list(tmp_path.iterdir()) == []


@given(
    st.lists(st.integers(0, 900), max_size=60, unique=True),
    st.integers(1, 9),
    st.integers(0, 6),
    st.integers(0, 14),
)
def test_the_rule_keeps_the_newest_of_each_day_week_and_month(
    days: list[int], d: int, w: int, m: int
) -> None:
    start = datetime.datetime(2026, 1, 1, 3)
    made = [start + datetime.timedelta(days=n, minutes=7 * n % 50) for n in days]
    kept = kept_of(made, Rule(d, w, m))
    assert kept <= set(made) and len(kept) <= d + w + m
    assert not made or max(made) in kept, "the newest is never let go"
    assert set(sorted(made)[-d:]) <= kept
    months = sorted({(t.year, t.month) for t in made})[-m:] if m else []
    assert all(max(t for t in made if (t.year, t.month) == month) in kept for month in months)


def test_the_days_copy_is_made_once_and_old_ones_go(
    workshop: TestClient, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    day = datetime.timedelta(hours=20)
    at = datetime.datetime(2026, 5, 1, 12)
    monkeypatch.setattr(copies, "now", lambda: at)
    monkeypatch.setenv("FAIRLAY_COPIES", str(tmp_path))
    assert workshop.get("/api/copies").json()["newest"] is None
    for _ in range(5):
        assert copies.make_due(tmp_path, Rule(2, 1, 1), day) is not None
        assert copies.make_due(tmp_path, Rule(2, 1, 1), day) is None
        at += datetime.timedelta(days=1)
    assert [t.day for t, _ in copies.copies_in(tmp_path)] == [5, 4]
    said = workshop.get("/api/copies").json()
    assert said["count"] == 2 and said["too_old"] and said["newest"].startswith("2026-05-05")


def test_the_copy_of_an_older_release_is_brought_up_to_date(workshop: TestClient, elsewhere: str) -> None:
    open_at(elsewhere)
    found, _ = restore(Path(__file__).with_name("data") / "release-0006.fairlay")
    assert found.schema[-1] == "0006_offcuts_and_cards" and store.migrate() == []
    rack = {h.number: h for h in hides.rack()}
    assert len(rack) == 15 and all(h.received_cost is not None for h in rack.values())
    for summary in lays.summaries():
        saved = lays.load(summary.id)
        assert saved.lay.placements and broken_rules(saved.job, saved.lay) == ()
        assert [on.hide_id for on in saved.leather] == [rack[h.id].id for h in saved.job.hides]
        number = lay_back.undo(summary.id, base=saved.head)
        assert not lays.load(summary.id, number).lay.placements
    for number in ("F-101", "O-041"):
        assert looking.known(rack[number].id).looking.outline
    answer = workshop.get("/api/me").json()
    assert answer["person"] is None and answer["first"], "its first owner is still to be made"
