"""Pictures read as a job: what was found is said, it can be stopped, and whatever breaks leaves pictures and
hide as they were.
"""

from __future__ import annotations

import json
import time
from typing import Any, NoReturn

import numpy as np
import pytest
from fastapi.testclient import TestClient

from fairlay.core.capture.squared_paper import as_jpeg
from fairlay.core.errors import NotFound, Refused, Unavailable
from fairlay.store import jobs, uploads
from fairlay.work import beating, looking, queue
from tests.api.leather_room import room, side

pytestmark = pytest.mark.usefixtures("quiet")

TELL, STOP = "tell", "should_stop"


@pytest.fixture(autouse=True)
def handed(monkeypatch: pytest.MonkeyPatch) -> list[tuple[int, str]]:
    """Jobs are handed to this list instead of to workers."""
    out: list[tuple[int, str]] = []
    monkeypatch.setattr("fairlay.api.measuring.hand_out", lambda job_id, kind: out.append((job_id, kind)))
    return out


@pytest.fixture
def picture() -> int:
    """Two points of an upload that decodes."""
    body = b"P6 2 2 255\n" + bytes(12)
    return uploads.keep("two.ppm", "image/x-portable-pixmap", body)


def begin(client: TestClient, hide: int, picture: int) -> int:
    asked = client.post(f"/api/leather/hides/{hide}/pictures", json={"files": [picture], "bar_mm": 99.5})
    assert asked.status_code == 202, asked.text
    return int(asked.json()["id"])


def test_pictures_wait_in_their_own_queue(
    workshop: TestClient, handed: list[tuple[int, str]], picture: int
) -> None:
    hide = side(workshop)
    job_id = begin(workshop, hide, picture)
    assert handed == [(job_id, "look")]
    waiting = room(workshop, hide)["pictures"]
    assert (waiting["job"]["state"], waiting["job"]["said"], waiting["files"], waiting["bar_mm"]) == (
        "queued",
        [],
        [picture],
        99.5,
    )
    again = workshop.post(f"/api/leather/hides/{hide}/pictures", json={"files": [picture]})
    assert again.status_code == 409 and "being read already" in again.json()["problem"]
    assert workshop.post(f"/api/jobs/{job_id}/stop").json()["state"] == "stopped"
    looking.look_one(job_id)
    assert jobs.job_by_id(job_id).attempts == 0, "stopped before its turn, it is not begun"
    begin(workshop, hide, picture)


def test_pictures_of_a_hide_that_is_not_there(workshop: TestClient, picture: int) -> None:
    with pytest.raises(NotFound):
        jobs.add_look(99_999, (picture,), 100.0)
    assert workshop.post("/api/leather/hides/99999/pictures", json={"files": [picture]}).status_code == 404


def test_what_is_found_is_said_until_it_is_stopped(
    workshop: TestClient, picture: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    hide = side(workshop)
    job_id = begin(workshop, hide, picture)
    heard: list[list[str]] = []

    def look(*_: object, **asked: Any) -> NoReturn:
        asked[TELL]("nine markers", 0.0)
        heard.append(jobs.job_by_id(job_id).said)
        jobs.ask_to_stop(job_id)
        asked[TELL]("the edge", 0.0)
        end = time.monotonic() + 20
        while time.monotonic() < end:
            asked[STOP]()
            time.sleep(0.02)
        pytest.fail("it went on")

    monkeypatch.setattr(looking, "fenced", look)
    looking.look_one(job_id)
    job = jobs.job_by_id(job_id)
    assert heard == [["nine markers"]] and job.state == "stopped" and job.said == ["nine markers", "the edge"]
    assert room(workshop, hide)["seen"] is None and room(workshop, hide)["pictures"]["files"] == [picture]
    with workshop.stream("GET", f"/api/jobs/{job_id}/events") as stream:
        event = next(line for line in stream.iter_lines() if line.startswith("data:"))
    assert json.loads(event[5:])["said"] == job.said


def test_a_long_step_does_not_look_like_a_lost_worker(
    workshop: TestClient, picture: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    job_id = begin(workshop, side(workshop), picture)
    seen: list[int] = []

    def look(*_: object, **asked: Any) -> NoReturn:
        end = time.monotonic() + 20
        while len(set(seen)) < 4 and time.monotonic() < end:
            seen.append(jobs.job_by_id(job_id).version)
            time.sleep(0.02)
        jobs.ask_to_stop(job_id)
        while time.monotonic() < end:
            asked[STOP]()
            time.sleep(0.02)
        pytest.fail("it went on")

    monkeypatch.setattr(beating, "BEAT_S", 0.05)
    monkeypatch.setattr(looking, "fenced", look)
    looking.look_one(job_id)
    assert len(set(seen)) >= 4 and jobs.job_by_id(job_id).state == "stopped"


def test_reading_that_breaks_keeps_everything(
    workshop: TestClient, picture: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    hide = side(workshop)
    before = room(workshop, hide)

    def look(*_: object, **__: object) -> NoReturn:
        raise RuntimeError("no such thing was thought of")

    monkeypatch.setattr(looking, "fenced", look)
    job_id = begin(workshop, hide, picture)
    with pytest.raises(RuntimeError):
        looking.look_one(job_id)
    now = room(workshop, hide)
    assert "were kept" in now["pictures"]["job"]["error"] and now["pictures"]["files"] == [picture]
    assert {**now, "pictures": None} == before


@pytest.mark.parametrize(
    ("name", "body", "words"),
    [
        ("hide.heic", b"....ftypheic", "send the picture as JPEG"),
        ("IMG_1", b"\0\0\0\x18ftypheic", "set the telephone's camera"),
        ("hide.txt", b"a hide", "no file that patterns"),
    ],
)
def test_a_picture_of_another_kind_says_what_to_do(
    workshop: TestClient, name: str, body: bytes, words: str
) -> None:
    refused = workshop.post("/api/ways-in/files", files={"file": (name, body)})
    assert refused.status_code == 409 and words in refused.json()["problem"]
    body = as_jpeg(np.full((8, 12, 3), 200, np.uint8))
    kept = workshop.post("/api/ways-in/files", files={"file": ("image", body, "text/html")}).json()
    again = workshop.get(f"/api/ways-in/files/{kept['id']}/picture")
    assert kept["kind"] == "picture" and "immutable" in again.headers["cache-control"]
    assert (
        again.headers["content-type"] == "image/jpeg" and again.headers["x-content-type-options"] == "nosniff"
    )
    assert "sandbox" in again.headers["content-security-policy"]


def test_a_file_that_is_no_picture_is_said(workshop: TestClient) -> None:
    hide = side(workshop)
    job_id = begin(workshop, hide, uploads.keep("table.jpg", "image/jpeg", b"none"))
    looking.look_one(job_id)
    job = room(workshop, hide)["pictures"]["job"]
    assert job["state"] == "failed" and "no picture that can be read" in job["error"]


def test_a_lost_worker_is_made_good_in_the_same_queue(
    workshop: TestClient, picture: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    hide = side(workshop)
    job_id = begin(workshop, hide, picture)
    assert jobs.take_up(job_id, "lost") is not None
    jobs.say(job_id, "lost", ["nine markers"])
    given: list[tuple[int, str]] = []
    monkeypatch.setattr(queue, "hand_out", lambda found, kind: given.append((found, kind)))
    monkeypatch.setattr(jobs, "STALE_AFTER_S", -1.0)
    assert queue.take_up_again() == [job_id] and given == [(job_id, "look")]
    again = jobs.take_up(job_id, "next")
    assert again is not None and again.attempts == 2 and again.said == [], (
        "what the lost one said is not said for the next"
    )
    assert jobs.running() == 0, "lays being laid, not pictures being read"
    jobs.end(job_id, "next", "stopped", 0.0)


@pytest.mark.parametrize(
    "size",
    [1, uploads.PART_BYTES - 1, uploads.PART_BYTES, uploads.PART_BYTES + 1, 2 * uploads.PART_BYTES + 3],
)
def test_files_larger_than_a_packet_come_back_whole(workshop: TestClient, size: int) -> None:
    body = bytes(range(251)) * (size // 251 + 1)
    kept = uploads.keep("large.tif", "image/tiff", body[:size])
    assert uploads.upload(kept).body == body[:size]


def test_a_file_too_large_is_refused_whole(workshop: TestClient, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(uploads, "MOST_BYTES", 100)
    with pytest.raises(Refused, match="nothing was kept"):
        uploads.keep("huge.tif", "image/tiff", bytes(101))
    with pytest.raises(Refused, match="is empty"):
        uploads.keep("none.tif", "image/tiff", b"")


def test_a_beat_that_the_database_misses_is_no_end(
    workshop: TestClient, picture: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    job_id = begin(workshop, side(workshop), picture)
    missed: list[int] = []
    own = jobs.beat

    def beat(job: int, owner: str, spent: float) -> jobs.Beat:
        if len(missed) < 2:
            missed.append(job)
            raise Unavailable("gone for a moment", expected="back soon")
        return own(job, owner, spent)

    def look(*_: object, **asked: Any) -> NoReturn:
        end = time.monotonic() + 20
        while len(missed) < 2 and time.monotonic() < end:
            time.sleep(0.02)
        raise beating.Stopped

    monkeypatch.setattr(beating, "BEAT_S", 0.02)
    monkeypatch.setattr(jobs, "beat", beat)
    monkeypatch.setattr(looking, "fenced", look)
    looking.look_one(job_id)
    assert len(missed) == 2 and jobs.job_by_id(job_id).state == "stopped"
