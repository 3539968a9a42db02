"""A lay asked otherwise over the API: tried beside it, taken, asked at once; hides proposed, batches
together.
"""

from __future__ import annotations

from typing import Any

import pytest
from fastapi.testclient import TestClient

from fairlay.store import helpers, jobs
from fairlay.store.work_asked import LayWork
from fairlay.work import asking, in_turn
from fairlay.work.laying import lay_one

WIDE = "body leather"


@pytest.fixture(scope="module")
def batch(workshop: TestClient) -> Any:
    return workshop.get("/api/batches/1").json()


@pytest.fixture(scope="module")
def lay_id(workshop: TestClient, batch: Any) -> int:
    need = next(m for m in batch["materials"] if m["material"] == WIDE)
    free = [o["hide_id"] for o in need["offers"] if not o["kept_for"]][:2]
    made = workshop.post(f"/api/batches/{batch['id']}/lays", json={"material": WIDE, "hide_ids": free})
    assert made.status_code == 201, made.text
    lay_id = int(made.json()["id"])
    lay_one(jobs.add_job(lay_id, 1.5, 1, LayWork(base=1)))
    return lay_id


def _lay(workshop: TestClient, lay_id: int) -> Any:
    return workshop.get(f"/api/lays/{lay_id}").json()


def _try(workshop: TestClient, lay_id: int, **asked: Any) -> Any:
    made = workshop.post(f"/api/lays/{lay_id}/what-ifs", json={"seconds": 1.0, **asked})
    assert made.status_code == 202, made.text
    asking.ask_one(made.json()["id"], lambda _: None)
    return workshop.get(f"/api/lays/{lay_id}/what-ifs").json()[0]


def _change(kind: str, of: str = "", to: float = 0.0, way: str = "") -> dict[str, Any]:
    return {"kind": kind, "of": of, "to": to, "way": way}


def test_questions_are_tried_beside_the_lay_and_the_better_one_is_taken(
    workshop: TestClient, lay_id: int
) -> None:
    before = _lay(workshop, lay_id)
    asked = workshop.get(f"/api/lays/{lay_id}/questions").json()
    kinds = {c["kind"] for c in [*asked["eased"], *asked["other"]]}
    assert {"marks", "degrees", "fewer", "without", "start", "with"} <= kinds
    eased = asked["eased"][0]
    fewer = next(c for c in asked["other"] if c["kind"] == "fewer")
    found = _try(workshop, lay_id, asked=[[eased], [fewer, eased]])
    assert found["job"]["state"] == "done" and found["base"] == before["head"]
    plain, one, both = found["answers"]
    assert plain["changes"] == [] and one["changes"] == [eased] and len(both["changes"]) == 2
    assert both["wanted"] < plain["wanted"] and eased["words"]
    assert _lay(workshop, lay_id)["state"] == before["state"], "the lay itself stays as it is"
    seen = workshop.get(f"/api/lays/{lay_id}/what-ifs/{found['job']['id']}/1").json()
    assert seen["state"]["figures"]["placed"] == one["placed"] and seen["changes"] == [eased["words"]]
    taken = workshop.post(
        f"/api/lays/{lay_id}/what-ifs/{found['job']['id']}/1", json={"base": before["head"]}
    )
    assert taken.status_code == 201, taken.text
    now = _lay(workshop, lay_id)
    assert now["changes"] == [eased["words"]] and now["revisions"][-1]["source"] == "what if"
    assert now["state"]["figures"]["placed"] == one["placed"] and not now["asked_otherwise"]
    late = workshop.post(f"/api/lays/{lay_id}/what-ifs/{found['job']['id']}/2", json={"base": now["head"]})
    assert late.status_code == 409 and "try it again" in late.json()["problem"]
    laid = jobs.add_job(lay_id, 1.0, 1, LayWork())
    jobs.ask_to_stop(laid)
    other = workshop.post(f"/api/lays/{lay_id}/what-ifs/{laid}/1", json={"base": now["head"]})
    assert other.status_code == 404, "a job that asked nothing otherwise gave no answer"
    workshop.post(f"/api/lays/{lay_id}/undo", json={"base": now["head"]})
    assert _lay(workshop, lay_id)["changes"] == [], "an undo takes the asking back too"


def test_a_lay_is_asked_otherwise_at_once_and_keeps_to_it(workshop: TestClient, lay_id: int) -> None:
    head = _lay(workshop, lay_id)["head"]
    lane = _change("lane", to=100.0, way="last")
    done = workshop.post(f"/api/lays/{lay_id}/asked", json={"base": head, "changes": [lane]})
    assert done.status_code == 201 and done.json()["taken_up"] > 0, done.text
    now = _lay(workshop, lay_id)
    assert now["changes"] == ["100 mm along the backbone kept free, for straps later"]
    brought = workshop.post(f"/api/lays/{lay_id}/batch", json={"base": now["head"]}).json()
    assert brought["taken_up"] == 0 and _lay(workshop, lay_id)["changes"] == now["changes"]
    head = _lay(workshop, lay_id)["head"]
    for wrong, words in (
        (_change("marks", "nothing"), "no piece"),
        (_change("without", "Z-1"), "no hide"),
        (_change("with", "Z-1"), "Z-1"),
        (_change("way", "camp-chair/nothing", way="x"), "nothing"),
    ):
        refused = workshop.post(f"/api/lays/{lay_id}/asked", json={"base": head, "changes": [wrong]})
        assert refused.status_code in (404, 422) and words in refused.json()["problem"]
        tried = workshop.post(f"/api/lays/{lay_id}/what-ifs", json={"asked": [[wrong]]})
        assert tried.status_code in (404, 422)
    assert _lay(workshop, lay_id)["head"] == head
    workshop.post(f"/api/lays/{lay_id}/asked", json={"base": head, "changes": [_change("lane", to=0.0)]})


def test_every_rule_is_tried_in_turn_and_a_lay_that_waits_goes_first(
    workshop: TestClient, lay_id: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    asked = {"every_rule": True, "seconds": 1.0}
    job = workshop.post(f"/api/lays/{lay_id}/what-ifs", json=asked).json()
    assert workshop.post(f"/api/lays/{lay_id}/what-ifs", json=asked).status_code == 409
    handed: list[int] = []
    monkeypatch.setattr(in_turn, "LOOK_FOR_LAYS_S", 0.05)
    waits = jobs.add_job(lay_id, 1.0, 1, LayWork(base=_lay(workshop, lay_id)["head"]))
    asking.ask_one(job["id"], handed.append)
    assert handed == [job["id"]] and jobs.job_by_id(job["id"]).state == "queued"
    jobs.ask_to_stop(waits)
    stops = iter([False] * 1)
    real = jobs.keep_result

    def keep_then_stop(job_id: int, owner: str, result: Any, share: float = 1.0) -> None:
        real(job_id, owner, result, share)
        if not next(stops, False):
            jobs.ask_to_stop(job_id)

    monkeypatch.setattr(jobs, "keep_result", keep_then_stop)
    asking.ask_one(job["id"], handed.append)
    found = workshop.get(f"/api/lays/{lay_id}/what-ifs").json()[0]
    assert found["job"]["state"] == "stopped" and 1 <= len(found["answers"]) <= found["asked"]
    assert found["asked"] == len(workshop.get(f"/api/lays/{lay_id}/questions").json()["eased"][:24])


def test_a_corner_is_bettered_and_smalls_fill_gaps_while_the_rest_stays(
    workshop: TestClient, lay_id: int
) -> None:
    lay = _lay(workshop, lay_id)
    hide = lay["hides"][0]
    box = hide["bounds"]
    window = [box["x0"], box["y0"], box["x0"] + 600, box["y1"]]
    for asked in (
        {"hides": [hide["number"]], "window": window},
        {"keep_all": True, "pieces": [min(lay["pieces"], key=lambda p: p["area_m2"])["id"]]},
    ):
        before = {(p["piece"], p["copy_number"]): p for p in _lay(workshop, lay_id)["state"]["placements"]}
        job = workshop.post(f"/api/lays/{lay_id}/run", json={"seconds": 1.0, **asked})
        assert job.status_code == 202, job.text
        lay_one(job.json()["id"])
        after = {(p["piece"], p["copy_number"]): p for p in _lay(workshop, lay_id)["state"]["placements"]}
        moved = [key for key, p in before.items() if after.get(key) != p]
        if "window" in asked:
            outside = [k for k in moved if before[k]["hide"] != hide["number"]]
            assert not outside and len(after) >= len(before)
        else:
            assert not moved and {k[0] for k in set(after) - set(before)} <= set(asked["pieces"])
    two = workshop.post(f"/api/lays/{lay_id}/run", json={"seconds": 1.0, "window": window})
    assert two.status_code == 409 and "corner" in two.json()["problem"]


def test_a_place_is_asked_why_and_no_lay_passes_what_is_said(workshop: TestClient, lay_id: int) -> None:
    lay = _lay(workshop, lay_id)
    hide = lay["hides"][0]
    at = {"hide": hide["number"], "x": hide["bounds"]["x0"] - 20, "y": 0.0}
    told = workshop.post(f"/api/lays/{lay_id}/hand/spot", json=at).json()
    assert told["sentences"] == ["this is not on the leather"] and told["rings"] == []
    bound = workshop.get(f"/api/lays/{lay_id}/most").json()
    assert lay["state"]["figures"]["yield_of_used"] <= bound["yield_of_used"] <= 1
    assert bound["least_cost"] > 0


def test_hides_are_proposed_at_least_cost_and_what_is_left_out_is_not(
    workshop: TestClient, batch: Any
) -> None:
    path = f"/api/batches/{batch['id']}/proposal"
    first = workshop.get(path, params={"material": WIDE}).json()
    assert first["hides"] and first["cost"] == pytest.approx(sum(h["price"] for h in first["hides"]))
    assert sum(h["holds_m2"] for h in first["hides"]) > 0
    left = str(first["hides"][0]["hide_id"])
    other = workshop.get(path, params={"material": WIDE, "leave": left}).json()
    assert left not in {str(h["hide_id"]) for h in other["hides"]}
    assert workshop.get(path, params={"material": "velvet"}).status_code == 409


def test_two_batches_are_laid_together_and_counted_apart(workshop: TestClient, batch: Any) -> None:
    article = next(
        a for a in workshop.get("/api/articles").json() if a["slug"] == batch["lines"][0]["article"]
    )
    asked = {"number": "B-177", "name": "Beside", "lines": [{"article_id": article["id"], "quantity": 1}]}
    other = int(workshop.post("/api/batches", json=asked).json()["id"])
    need = next(m for m in workshop.get(f"/api/batches/{other}").json()["materials"] if m["material"] == WIDE)
    assert batch["number"] in {s["number"] for s in need["shares_with"]}
    free = [o["hide_id"] for o in need["offers"] if not o["kept_for"] and not o["laid"]][:1]
    body = {"material": WIDE, "hide_ids": free, "with_batches": [other]}
    made = workshop.post(f"/api/batches/{batch['id']}/lays", json=body)
    assert made.status_code == 201, made.text
    lay = _lay(workshop, made.json()["id"])
    assert lay["with_batches"] == ["B-177"] and not lay["asked_otherwise"]
    own = [p for p in lay["pieces"] if p["id"].startswith("B-177:")]
    assert own and all(p["article"].endswith("(B-177)") for p in own)
    lay_one(jobs.add_job(lay["id"], 1.0, 1, LayWork(base=1)))
    assert workshop.get(f"/api/batches/{other}").json()["state"] == "laid"
    assert helpers.fair_share() >= 1
