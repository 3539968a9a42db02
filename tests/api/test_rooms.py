"""The rooms over HTTP, on MariaDB: what they tell, what they refuse, how many queries they take."""

from __future__ import annotations

import json
from typing import Any

import pytest
from fastapi.testclient import TestClient

from fairlay.api import lays as lays_api
from fairlay.api.laid import delta
from fairlay.api.models import LaidState
from fairlay.store import jobs, lays
from fairlay.store.work_asked import LayWork
from fairlay.work import beating, laying, queue
from tests import referee

pytestmark = pytest.mark.usefixtures("quiet")

BODY = "body leather"


@pytest.fixture(autouse=True)
def no_workers(monkeypatch: pytest.MonkeyPatch) -> list[int]:
    """Jobs are handed to this list instead of to workers; tests lay them in place."""
    handed: list[int] = []
    monkeypatch.setattr("fairlay.api.lays.hand_out", lambda job_id, _kind: handed.append(job_id))
    return handed


def _batch(client: TestClient, number: str) -> dict[str, Any]:
    return next(b for b in client.get("/api/batches").json() if b["number"] == number)


def _begin(
    client: TestClient, number: str = "B-30", hides: tuple[str, ...] = ("F-101",), objective: str = "order"
) -> int:
    rack = {h["number"]: h["id"] for h in client.get("/api/leather").json()}
    made = client.post(
        f"/api/batches/{_batch(client, number)['id']}/lays",
        json={"material": BODY, "hide_ids": [rack[h] for h in hides], "objective": objective},
    )
    assert made.status_code == 201, made.text
    return int(made.json()["id"])


def _run(client: TestClient, lay_id: int, handed: list[int]) -> dict[str, Any]:
    assert client.post(f"/api/lays/{lay_id}/run", json={"seconds": 1}).status_code == 202
    laying.lay_one(handed.pop())
    return client.get(f"/api/lays/{lay_id}").json()


def test_the_rack_tells_every_hide(workshop: TestClient, queries: list[str]) -> None:
    rack = workshop.get("/api/leather").json()
    assert len(queries) == 2, "hides, and what batches they are kept for"
    rack = [
        h for h in rack if h["number"][:2] in ("F-", "O-", "L-", "R-")
    ]  # the demo's own; other tests receive hides too
    assert {h["kind"] for h in rack} == {"side", "shoulder", "bend", "offcut", "roll"}
    for hide in rack:
        assert 0 < hide["usable_m2"] < hide["area_m2"] and hide["worth"] == pytest.approx(
            hide["area_m2"] * hide["cost_per_m2"]
        )
        if hide["kind"] == "side":
            assert 1.5 < hide["area_m2"] < 2.5
            assert sum(c["usable_m2"] for c in hide["classes"]) == pytest.approx(hide["usable_m2"], abs=1e-3)


def test_batches_tell_what_they_need(workshop: TestClient, queries: list[str]) -> None:
    found = workshop.get("/api/batches").json()
    assert len(queries) <= 6
    found = [b for b in found if b["number"] in ("B-29", "B-30", "B-31")]
    assert [b["number"] for b in found] == ["B-29", "B-30", "B-31"]
    assert {b["state"] for b in found} >= {"planned", "laid"}
    queries.clear()
    batch = workshop.get(f"/api/batches/{found[1]['id']}").json()
    assert len(queries) <= 12
    body = batch["materials"][0]
    assert body["material"] == BODY and sum(i["quantity"] for i in body["items"]) == body["pieces"]
    assert sum(i["area_m2"] for i in body["items"]) == pytest.approx(body["area_m2"])
    assert any("Seat" in offer["never"] for offer in body["offers"] if offer["number"] == "R-219")


def test_a_batch_is_added_and_its_leather_chosen(workshop: TestClient) -> None:
    article = workshop.get("/api/articles").json()[0]
    asked = {"number": "B-78", "name": "Prüfung ☂", "lines": [{"article_id": article["id"], "quantity": 2}]}
    made = workshop.post("/api/batches", json=asked)
    assert made.status_code == 201
    path = f"/api/batches/{made.json()['id']}"
    assert workshop.get(path).json()["name"] == "Prüfung ☂"
    rack = [h for h in workshop.get("/api/leather").json() if not h["kept_for"]]
    assert workshop.post(f"{path}/leather", json={"add": [rack[0]["id"]]}).status_code == 204
    refused = workshop.post(f"{path}/leather", json={"add": [rack[1]["id"], 9999]})
    assert refused.status_code == 404 and "nothing was changed" in refused.json()["problem"]
    taken = next(h for h in workshop.get("/api/leather").json() if h["kept_for"] == ["B-29"])
    refused = workshop.post(f"{path}/leather", json={"add": [taken["id"]]})
    assert refused.status_code == 409 and "is kept for B-29" in refused.json()["problem"]
    chosen = [o["number"] for m in workshop.get(path).json()["materials"] for o in m["offers"] if o["chosen"]]
    assert chosen == [rack[0]["number"]]
    assert workshop.post("/api/batches", json=asked).status_code == 409


@pytest.mark.parametrize(
    ("body", "words"),
    [
        ('{"number":"B-1","name":"x","lines":[{"article_id":1,"quantity":0}]}', "greater than or equal to 1"),
        (
            '{"number":"B-1","name":"x","lines":[{"article_id":1,"quantity":20000}]}',
            "less than or equal to 10000",
        ),
        ('{"number":"B-1","name":"x","gap_mm":NaN,"lines":[{"article_id":1,"quantity":1}]}', "finite number"),
        ('{"number":"B-1","name":"x","lines":[{"article_id":1,', "JSON"),
        (
            '{"number":"B-1","name":"x","lines":[{"article_id":4711,"quantity":1}]}',
            "there is no article 4711",
        ),
        ('{"number":"","name":"x","lines":[]}', "at least 1"),
    ],
)
def test_a_bad_batch_is_refused_and_nothing_is_saved(workshop: TestClient, body: str, words: str) -> None:
    before = len(workshop.get("/api/batches").json())
    refused = workshop.post("/api/batches", content=body, headers={"content-type": "application/json"})
    assert refused.status_code in (409, 422) and words in refused.json()["problem"]
    assert len(workshop.get("/api/batches").json()) == before


def test_a_lay_is_laid_saved_measured_and_taken_out(
    workshop: TestClient, no_workers: list[int], queries: list[str]
) -> None:
    lay_id = _begin(workshop, hides=("F-101", "F-102"))
    assert workshop.get(f"/api/lays/{lay_id}").json()["state"]["figures"]["placed"] == 0
    lay = _run(workshop, lay_id, no_workers)
    assert lay["job"]["state"] == "done" and lay["job"]["history"] and lay["head"] == 2
    state = lay["state"]
    assert state["figures"]["placed"] == len(state["placements"]) > 30
    left = state["figures"]["wanted"] - state["figures"]["placed"]
    assert sum(u["count"] for u in state["unplaced"]) == left
    assert all(u["reason"] for u in state["unplaced"])
    job, out = (workshop.get(f"/api/lays/{lay_id}/export/{kind}").json() for kind in ("job.json", "lay.json"))
    assert referee.broken(job, out) == []
    svg = workshop.get(f"/api/lays/{lay_id}/export/svg")
    assert svg.headers["content-type"].startswith("image/svg") and svg.text.count("data-piece") == len(
        state["placements"]
    )
    assert workshop.get(f"/api/lays/{lay_id}/export/dxf").text.count("LWPOLYLINE") > len(state["placements"])
    queries.clear()
    workshop.get(f"/api/lays/{lay_id}")
    assert len(queries) <= 20


def test_undo_goes_back_and_nothing_is_lost(workshop: TestClient, no_workers: list[int]) -> None:
    lay_id = _begin(workshop)
    url = f"/api/lays/{lay_id}"
    lies = _run(workshop, lay_id, no_workers)["state"]["placements"]
    keys = [{"piece": p["piece"], "copy_number": p["copy_number"]} for p in lies]
    fewer = workshop.post(f"{url}/moves", json={"base": 2, "take": keys[-3:], "mark": "three taken up"})
    assert fewer.json() == {"head": 3}
    stale = workshop.post(f"{url}/moves", json={"base": 2, "take": keys[-1:]})
    assert stale.status_code == 409 and stale.json()["newer"] == 3
    first, second = lies[:2]
    onto = {"copy": second["copy_number"], "x": first["matrix"]["e"], "y": first["matrix"]["f"]}
    names = {k: second[k] for k in ("piece", "hide", "rotation_deg", "mirrored")}
    refused = workshop.post(f"{url}/moves", json={"base": 3, "put": [{**names, **onto}]})
    assert refused.status_code == 422 and "kept" in refused.json()["problem"]

    def shown(at: int | None = None) -> int:
        return len(workshop.get(url + (f"?at={at}" if at else "")).json()["state"]["placements"])

    n = len(lies)
    assert shown() == n - 3
    for base, expected in ((3, n), (4, 0)):
        assert workshop.post(f"{url}/undo", json={"base": base}).json() == {"head": base + 1}
        assert shown() == expected
    assert workshop.post(f"{url}/undo", json={"base": 5}).status_code == 409
    assert workshop.post(f"{url}/go-to", json={"base": 5, "number": 3}).json() == {"head": 6}
    assert shown() == n - 3
    assert [shown(at) for at in (1, 2, 3, 4, 5)] == [0, n, n - 3, n, 0]
    assert workshop.put(f"{url}/revisions/6/mark", json={"mark": "the good one"}).status_code == 204
    revisions = workshop.get(url).json()["revisions"]
    assert [r["mark"] for r in revisions] == ["", "", "three taken up", "", "", "the good one"]
    assert workshop.get(f"{url}/revisions", params={"before": 4}).json() == revisions[:3]


def test_a_running_search_is_stopped_and_keeps_its_best(
    workshop: TestClient, no_workers: list[int], monkeypatch: pytest.MonkeyPatch
) -> None:
    lay_id = _begin(workshop)
    job_id = workshop.post(f"/api/lays/{lay_id}/run", json={"seconds": 60}).json()["id"]
    assert workshop.post(f"/api/lays/{lay_id}/run", json={"seconds": 60}).status_code == 409
    found = jobs.found_better

    def stop_when_found(*args: Any) -> None:
        found(*args)
        workshop.post(f"/api/jobs/{job_id}/stop")

    monkeypatch.setattr(jobs, "found_better", stop_when_found)
    monkeypatch.setattr(beating, "BEAT_S", 0.01)
    laying.lay_one(job_id)
    job = workshop.get(f"/api/jobs/{job_id}").json()
    assert job["state"] == "stopped" and job["spent_s"] < 40
    assert workshop.get(f"/api/lays/{lay_id}").json()["state"]["figures"]["placed"] > 0
    with workshop.stream("GET", f"/api/jobs/{job_id}/events") as stream:
        event = next(line for line in stream.iter_lines() if line.startswith("data:"))
    assert json.loads(event[5:])["state"] == "stopped"


def test_a_killed_workers_job_is_taken_up_again(
    workshop: TestClient, no_workers: list[int], monkeypatch: pytest.MonkeyPatch
) -> None:
    lay_id = _begin(workshop)
    job_id = workshop.post(f"/api/lays/{lay_id}/run", json={"seconds": 1}).json()["id"]
    assert jobs.take_up(job_id, "lost") and jobs.take_up(job_id, "other") is None
    monkeypatch.setattr(queue, "hand_out", lambda job_id, _kind: no_workers.append(job_id))
    no_workers.clear()
    assert queue.take_up_again() == []
    monkeypatch.setattr(jobs, "STALE_AFTER_S", -1.0)
    assert queue.take_up_again() == [job_id] == no_workers
    laying.lay_one(job_id)
    again = jobs.job_by_id(job_id)
    assert again.state == "done" and again.attempts == 2 and lays.load(lay_id).lay.placements


@pytest.mark.parametrize(
    "path",
    ["/api/batches/999", "/api/lays/999", "/api/jobs/999", "/api/lays/1?at=99", "/api/jobs/999/events"],
)
def test_what_is_not_there_is_said(workshop: TestClient, path: str) -> None:
    missing = workshop.get(path)
    assert missing.status_code == 404 and missing.json()["problem"]


@pytest.mark.parametrize(
    ("material", "hides", "words"),
    [("felt", ("F-101",), "cuts nothing from felt"), (BODY, (), "at least 1")],
)
def test_a_lay_that_cannot_be_begun(
    workshop: TestClient, material: str, hides: tuple[str, ...], words: str
) -> None:
    rack = {h["number"]: h["id"] for h in workshop.get("/api/leather").json()}
    refused = workshop.post(
        f"/api/batches/{_batch(workshop, 'B-30')['id']}/lays",
        json={"material": material, "hide_ids": [rack[h] for h in hides]},
    )
    assert refused.status_code == 422 and words in refused.json()["problem"]


def test_a_database_that_is_gone_is_said(workshop: TestClient, monkeypatch: pytest.MonkeyPatch) -> None:
    import peewee

    from fairlay.store.tables import HideRow

    def gone(*_: object) -> None:
        raise peewee.OperationalError(2006, "server has gone away")

    monkeypatch.setattr(HideRow, "select", gone)
    answer = workshop.get("/api/leather")
    assert answer.status_code == 503 and "did not answer" in answer.json()["problem"]


def test_one_hide_is_laid_again_around_a_pinned_piece(workshop: TestClient, no_workers: list[int]) -> None:
    lay_id = _begin(workshop, hides=("F-101", "F-102"))
    laid = _run(workshop, lay_id, no_workers)["state"]["placements"]
    here = [p for p in laid if p["hide"] == laid[0]["hide"]]
    pin = {"piece": here[0]["piece"], "copy_number": here[0]["copy_number"]}
    wrong = workshop.post(f"/api/lays/{lay_id}/run", json={"seconds": 1, "hides": ["F-999"]})
    assert wrong.status_code == 422 and "no hide F-999" in wrong.text
    assert workshop.post(f"/api/lays/{lay_id}/pins", json={"add": [pin]}).json() == [pin]
    assert not no_workers
    asked = {"seconds": 1, "hides": [here[0]["hide"]]}
    assert workshop.post(f"/api/lays/{lay_id}/run", json=asked).status_code == 202
    job_id = no_workers.pop()
    key = (pin["piece"], pin["copy_number"])
    assert jobs.job_by_id(job_id).lay_work == LayWork((here[0]["hide"],), (key,), base=2)
    laying.lay_one(job_id)
    after = workshop.get(f"/api/lays/{lay_id}").json()["state"]["placements"]
    assert here[0] in after
    assert all(p in after for p in laid if p["hide"] != here[0]["hide"])
    assert jobs.running() == 0
    # All that lies can be kept, and only what does not lie be laid.
    asked = {"seconds": 1, "keep_all": True}
    assert workshop.post(f"/api/lays/{lay_id}/run", json=asked).status_code == 202
    laying.lay_one(no_workers.pop())
    kept = workshop.get(f"/api/lays/{lay_id}").json()["state"]["placements"]
    assert all(p in kept for p in after)


def test_a_lay_is_followed_by_its_differences(workshop: TestClient, no_workers: list[int]) -> None:
    lay_id = _begin(workshop)
    before = workshop.get(f"/api/lays/{lay_id}").json()["state"]
    assert before["seen"] == "r1"
    known = LaidState.model_validate(before)
    laid = LaidState.model_validate(_run(workshop, lay_id, no_workers)["state"])
    found = delta(known, laid)
    assert (found.was, found.seen, found.up) == ("r1", "r2", []) and len(found.down) == len(laid.placements)
    back = delta(laid, known)
    assert back.down == [] and len(back.up) == len(laid.placements)
    moved = laid.model_copy(update={"seen": "r3", "placements": laid.placements[1:]})
    one = delta(laid, moved)
    assert one.down == [] and [p.copy_number for p in one.up] == [laid.placements[0].copy_number]
    state, job = lays_api._newer(lay_id, "r1")
    assert state == laid and job is not None and lays_api._newer(lay_id, "r2")[0] is None
