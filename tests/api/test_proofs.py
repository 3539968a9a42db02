"""How many of what a lay leaves out have room at all, over the API: proved, given way, stopped, out of
date."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import pytest
from fastapi.testclient import TestClient

from fairlay.core.bounds import at_most
from fairlay.store import jobs, proofs
from fairlay.store.work_asked import LayWork
from fairlay.work.laying import lay_one
from fairlay.work.proving import prove_one

BODY = "body leather"


@pytest.fixture(scope="module")
def batch(workshop: TestClient) -> Iterator[Any]:
    """Bellows and slings by themselves, given up at the end: others look at the demo's own batches."""
    articles = {a["slug"]: a["id"] for a in workshop.get("/api/articles").json()}
    lines = [{"article_id": articles[slug], "quantity": 12} for slug in ("hearth-bellows", "log-sling")]
    made = workshop.post("/api/batches", json={"number": "P-1", "name": "To be proved", "lines": lines})
    assert made.status_code == 201, made.text
    number = made.json()["id"]
    yield workshop.get(f"/api/batches/{number}").json()
    left = workshop.put(f"/api/batches/{number}/standing", json={"standing": "given up"})
    assert left.status_code < 300, left.text


def _lay(workshop: TestClient, batch: Any, material: str, hide_id: int) -> int:
    made = workshop.post(
        f"/api/batches/{batch['id']}/lays",
        json={"material": material, "hide_ids": [hide_id], "shared": True},
    )
    assert made.status_code == 201, made.text
    return int(made.json()["id"])


def test_what_has_no_room_is_proved(
    workshop: TestClient, batch: Any, monkeypatch: pytest.MonkeyPatch
) -> None:
    need = next(m for m in batch["materials"] if m["material"] == BODY)
    offcut = next(o["hide_id"] for o in need["offers"] if o["number"] == "R-219")
    lay_id = _lay(workshop, batch, BODY, offcut)
    lay_one(jobs.add_job(lay_id, 1.0, 1, LayWork(base=1)))
    address = f"/api/lays/{lay_id}/proofs"
    before = workshop.get(address).json()
    assert before["ask"] and before["job"] is None and before["found"] == []
    # One proof of a few seconds is enough here.
    monkeypatch.setattr(proofs, "steps", lambda job, lay: at_most.steps(job, lay)[:1])

    asked = workshop.post(address)
    assert asked.status_code == 202, asked.text
    job_id = int(asked.json()["id"])
    assert workshop.post(address).status_code == 409, "one at a time"
    waiting, again = jobs.add_job(lay_id, 1.0, 1, LayWork(base=2)), list[int]()
    prove_one(job_id, again.append)
    assert again == [job_id] and jobs.job_by_id(job_id).state == "queued", "a lay goes first"
    lay_one(waiting)
    prove_one(job_id, again.append)
    now = workshop.get(address).json()
    assert now["job"]["state"] == "done" and (now["proved"], now["proofs"]) == (1, 1) and not now["ask"]
    [found] = now["found"]
    assert found["of"] == "piece" and found["laid"] <= found["most"] < found["wanted"] == 24
    assert f"{found['most']} of 24 Hearth bellows Board face" in found["words"]

    changes = [{"kind": "gap", "of": "", "to": 30.0, "way": ""}]
    head = workshop.get(f"/api/lays/{lay_id}").json()["head"]
    otherwise = workshop.post(f"/api/lays/{lay_id}/asked", json={"base": head, "changes": changes})
    assert otherwise.status_code == 201, otherwise.text
    old = workshop.get(address).json()
    assert old["old"] and old["ask"] and old["found"] == []
    job_id = int(workshop.post(address).json()["id"])
    workshop.post(f"/api/jobs/{job_id}/stop")
    prove_one(job_id, again.append)
    stopped = workshop.get(address).json()
    assert stopped["job"]["state"] == "stopped" and stopped["ask"] and not stopped["old"]


def test_nothing_is_asked_where_nothing_large_is_left_out(workshop: TestClient, batch: Any) -> None:
    straps = next(m for m in batch["materials"] if m["material"] != BODY)
    address = f"/api/lays/{_lay(workshop, batch, straps['material'], straps['offers'][0]['hide_id'])}/proofs"
    assert not workshop.get(address).json()["ask"]
    refused = workshop.post(address)
    assert refused.status_code == 409 and "nothing to prove" in refused.text
    assert workshop.post("/api/lays/999999/proofs").status_code == 404
