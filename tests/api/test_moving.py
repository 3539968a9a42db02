"""The workshop in open formats: out, and in elsewhere to the last figure; and how long files are kept."""

from __future__ import annotations

import csv
import datetime
import io
import json
import zipfile
from pathlib import Path

import pytest
from fastapi.testclient import TestClient
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from fairlay.core.errors import BadCopy, FairLayError, Refused
from fairlay.core.formats.article_json import read_article
from fairlay.core.formats.exchange import read_job
from fairlay.core.formats.table_csv import csv_text
from fairlay.store import articles, cutting, hides, keeping, lay_back, lays, looking, moving, people, uploads
from fairlay.store import database as store
from fairlay.store.clock import now
from fairlay.store.copies import Rule
from fairlay.store.database import connected
from fairlay.store.keeping import Keeping
from fairlay.store.tables import HideEventRow, HideRow, PersonRow, SettingRow
from tests.api.conftest import open_at
from tests.effort import tried


def _members(path: Path) -> dict[str, bytes]:
    """What an archive holds, but for when it was made (which is in each DXF)."""
    with zipfile.ZipFile(path) as archive:
        found = {n: archive.read(n) for n in archive.namelist() if not n.endswith(".dxf")}
    said = json.loads(found.pop(moving.MANIFEST))
    found.pop(moving.NOTE)
    return {**found, "rows": json.dumps(said["rows"]).encode()}


@pytest.fixture(scope="module")
def taken_out(workshop: TestClient, tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The demo, with a file of two parts, a name that a spreadsheet would reckon with, and a PIN."""
    somebody = people.add("=Tobin()", "cutter", pin="4711")
    kept = [
        uploads.keep("große Haut.jpg", "image/jpeg", bytes(range(256)) * 40_000),
        uploads.keep("a", "", b"a"),
    ]
    path = tmp_path_factory.mktemp("moving") / "workshop.zip"
    moving.take_out(path)
    connected(PersonRow.delete().where(PersonRow.id == somebody.id).execute)()
    connected(uploads.UploadRow.delete().where(uploads.UploadRow.id.in_(kept)).execute)()
    return path


def test_it_comes_in_elsewhere_the_same_to_the_last_figure(
    taken_out: Path, elsewhere: str, tmp_path: Path
) -> None:
    open_at(elsewhere)
    store.migrate()
    moved, kept = moving.bring_in(taken_out)
    assert kept is None and moved.rows["hide"] == connected(HideRow.select().count)() > 10
    again = tmp_path / "again.zip"
    moving.take_out(again)
    before, after = _members(taken_out), _members(again)
    assert before.keys() == after.keys() and all(before[n] == after[n] for n in before)
    who = next(p for p in people.people() if p.name == "=Tobin()")
    assert not who.has_pin and not people.somebody_can_sign_in()
    large = next(u for u in map(uploads.upload, range(1, 99)) if u.name.endswith("Haut.jpg"))
    assert large.body == bytes(range(256)) * 40_000
    cut = {lay for _, lay, _, _ in cutting.sheets()}  # what other tests cut stays cut
    for one in lays.summaries():
        saved = lays.load(one.id)
        if saved.head > 1 and one.id not in cut:
            lay_back.go_to(one.id, 1, base=saved.head)  # its history came along
    with pytest.raises(Refused, match=r"holds a workshop already.*--over"):
        moving.bring_in(taken_out)
    _, kept = moving.bring_in(taken_out, over=True)
    assert kept is not None and kept.exists()
    moving.take_out(tmp_path / "third.zip")
    assert _members(tmp_path / "third.zip") == before


def test_more_than_a_packet_holds_comes_in(workshop: TestClient, elsewhere: str, tmp_path: Path) -> None:
    """MariaDB takes 16 MB at once; the documents of many steps of Undo are more than that together."""
    hide = hides.rack()[0].id
    event = {"hide": hide, "kind": "much", "words": "x", "created_at": now(), "before": {"x": "y" * 900_000}}
    for _ in range(19):
        connected(HideEventRow.insert(event).execute)()
    path = tmp_path / "much.zip"
    moving.take_out(path)
    connected(HideEventRow.delete().where(HideEventRow.kind == "much").execute)()
    open_at(elsewhere)
    store.migrate()
    moving.bring_in(path)
    assert connected(HideEventRow.select().where(HideEventRow.kind == "much").count)() == 19


def test_what_is_in_it_can_be_read_by_others(taken_out: Path) -> None:
    with zipfile.ZipFile(taken_out) as archive:
        names = archive.namelist()
        assert all(n.isascii() and ".." not in n and not n.startswith("/") for n in names)
        patterns = [n for n in names if n.startswith("articles/") and n.endswith(".json")]
        assert {read_article(archive.read(n)).name for n in patterns} >= {
            k.article.name for k in articles.all_articles()
        }
        for n in names:
            if n.startswith("lay-jobs/"):
                read_job(archive.read(n), sizes_are_right=True)
        rack = list(csv.DictReader(io.StringIO(archive.read("rack.csv").decode())))
        assert {r["number"] for r in rack} == {h.number for h in hides.rack()}
        assert sum(n.endswith(".dxf") and not n.startswith("files/") for n in names) == len(rack) + len(
            patterns
        )
        note = archive.read(moving.NOTE).decode()
        everything = b"".join(archive.read(n) for n in names if n.startswith("records/"))
    assert "passwords and PINs" in note and b"argon2" not in everything


def test_every_table_is_known_to_travel_or_to_stay(workshop: TestClient) -> None:
    with store.database.connection_context():
        tables = {str(row[0]) for row in store.database.execute_sql("SHOW TABLES").fetchall()}
    made_by_release = {"migration_history", "lock_row"}
    with_files, queue = {"upload_part"}, {"kv", "schedule", "task", "counter"}
    known = {moving.name_of(t) for t in (*moving.TRAVELS, *moving.STAYS)}
    assert tables - made_by_release - with_files - queue == known


HIDES, CHOICES, SAID = "records/hide.jsonl", "records/setting.jsonl", moving.MANIFEST
WRONG: dict[str, tuple[dict[str, bytes | None], str]] = {
    "no table": ({HIDES: None}, "no whole workshop"),
    "fewer rows": ({"records/hide_event.jsonl": b""}, "0 rows of hide_event"),
    "another column": ({HIDES: b'{"id": 1, "evil": 2}\n'}, "line 1: there is no column 'evil'"),
    "no row": ({HIDES: b"[1]\n"}, "line 1: a row is an object"),
    "no value": ({HIDES: b'{"number": {"a": 1}}\n'}, "line 1: number is no single value"),
    "not JSON": ({HIDES: b'{"number": 1\n'}, "line 1"),
    "a newer document": (
        {CHOICES: b'{"name":"leather","value":{"v":99}}\n', "rows": b'{"setting": 1}'},
        "the shop's choices of this archive cannot be read",
    ),
    "nobody's doing": ({"records/person.jsonl": b"", "rows": b'{"person": 0}'}, "cannot be saved"),
    "a newer table": ({"rows": b'{"another": 1}'}, "newer release"),
    "newer tables": ({"schema": b'["0999_later"]'}, "newer release"),
    "half said": ({SAID: b"{"}, "not whole JSON"),
    "another format": ({SAID: b'{"format": "other/1"}'}, "a format 'other/1'"),
    "little said": ({SAID: b'{"format": "fairlay.workshop/1"}'}, "says of itself cannot be read"),
    "nothing said": ({SAID: None}, f"no {SAID}"),
}


def test_what_makes_no_sense_changes_nothing(taken_out: Path, elsewhere: str, tmp_path: Path) -> None:
    with zipfile.ZipFile(taken_out) as archive:
        good: dict[str, bytes | None] = {n: archive.read(n) for n in archive.namelist()}
    open_at(elsewhere)
    store.migrate()
    for name, (changes, says) in WRONG.items():
        said = json.loads(good[SAID] or b"")
        said["rows"] |= json.loads(changes.get("rows") or b"{}")
        said["schema"] += json.loads(changes.get("schema") or b"[]")
        members = good | {SAID: json.dumps(said).encode()} | changes
        bad = tmp_path / "bad.zip"
        with zipfile.ZipFile(bad, "w", zipfile.ZIP_STORED) as archive:
            for member, body in members.items():
                if body is not None:
                    archive.writestr(member, body)
        with pytest.raises((BadCopy, Refused), match=says):
            moving.bring_in(bad)
        assert hides.rack() == [] and people.people() == [] and articles.all_articles() == [], name


@settings(suppress_health_check=[HealthCheck.function_scoped_fixture], max_examples=tried(4, 100))
@given(at=st.floats(0, 1), what=st.sampled_from(["cut", "flip", "row"]))
def test_an_archive_damaged_anywhere_is_refused_or_comes_in_whole(
    taken_out: Path, elsewhere: str, at: float, what: str
) -> None:
    body = bytearray(taken_out.read_bytes())
    place = int(at * (len(body) - 1))
    if what == "cut":
        del body[place:]
    else:
        body[place] ^= 0xFF
    bad = taken_out.with_name("bad.zip")
    bad.write_bytes(bytes(body))
    open_at(elsewhere)
    store.migrate()
    try:
        moving.bring_in(bad, over=True)
    except FairLayError as told:
        assert "expected" in str(told)
        return
    assert len(hides.rack()) > 10 and lays.summaries()


def test_an_owner_takes_it_out_from_the_page(workshop: TestClient, tmp_path: Path) -> None:
    answer = workshop.get("/api/workshop.zip")
    assert answer.status_code == 200 and answer.headers["content-type"] == "application/zip"
    with zipfile.ZipFile(io.BytesIO(answer.content)) as archive:
        assert archive.testzip() is None and moving.MANIFEST in archive.namelist()


@given(st.lists(st.text("=+-@\t\r\n'\",;aB1.", max_size=5), min_size=1, max_size=4))
def test_no_word_in_a_csv_is_a_formula(words: list[str]) -> None:
    body = csv_text(["a"] * len(words), [words]).split("\r\n", 1)[1]
    cells = next(csv.reader(io.StringIO(body, newline="")), [""])
    assert [c.removeprefix("'") for c in cells] == [w.removeprefix("'") for w in words]
    assert not any(c.startswith(("=", "+", "-", "@", "\t", "\r")) for c in cells)
    assert csv_text(["n"], [[-1.5], [None]]).splitlines() == ["n", "-1.5", '""']


def test_files_that_nothing_refers_to_go_after_the_time_the_shop_set(workshop: TestClient) -> None:
    kept = uploads.UploadRow
    file = {
        n: uploads.keep(f"{n}.jpg", "image/jpeg", b"\xff\xd8\xff")
        for n in ("drop", "seen", "undo", "free", "new")
    }
    old = [i for n, i in file.items() if n != "new"]
    long_ago = now() - datetime.timedelta(days=200)
    connected(kept.update(created_at=long_ago).where(kept.id.in_(old)).execute)()
    hide = hides.rack()[0].id
    row = connected(HideRow.get_by_id)(hide)
    undo = {"drop": {"picture": file["undo"]}}
    event = {"hide": hide, "kind": "x", "words": "x", "created_at": now(), "before": undo}
    made = connected(HideEventRow.insert(event).execute)()
    known = {**looking.LOOKING.write(looking.known(hide).looking), "drop": {"picture": file["drop"]}}
    seen = {"picture": f"/api/ways-in/files/{file['seen']}/picture"}
    connected(HideRow.update(looking=known, seen=seen).where(HideRow.id == hide).execute)()
    try:
        asked = {"days": 3, "weeks": 5, "months": 12, "files_days": 0}
        assert workshop.put("/api/keeping", json=asked).status_code == 204
        assert keeping.clear_old_files() == 0, "0 keeps them for ever"
        for wrong in ({"days": 0}, {"weeks": -1}, {"files_days": -3}, {"months": 10**9}):
            assert workshop.put("/api/keeping", json={**asked, **wrong}).status_code == 409
        assert workshop.get("/api/keeping").json() == asked
        assert workshop.put("/api/keeping", json={**asked, "files_days": 100}).status_code == 204
        assert keeping.keeping() == Keeping(Rule(3, 5, 12), 100)
        assert keeping.clear_old_files() >= 1
        there = connected(lambda: {r.id for r in kept.select(kept.id)})()
        assert {n for n, i in file.items() if i in there} == {"drop", "seen", "undo", "new"}
    finally:
        connected(HideRow.update(looking=row.looking, seen=row.seen).where(HideRow.id == hide).execute)()
        connected(HideEventRow.delete().where(HideEventRow.id == made).execute)()
        connected(SettingRow.delete().where(SettingRow.name == keeping.CHOICES.name).execute)()
