"""Hides, small lays and a hide that is cut, for the tests that need one of their own."""

from __future__ import annotations

import json
import uuid
from typing import Any

from fastapi.testclient import TestClient

from fairlay.core.formats.exchange import HideRecord, read_hide, read_job
from fairlay.core.lay import Job, Placement
from fairlay.core.shapes import Placing
from fairlay.store import hides, jobs, lays
from fairlay.store.lays import LaidOn
from fairlay.store.work_asked import LayWork
from fairlay.work.laying import lay_one
from tests import jobs as small

ROOM = [(420.0 + 70 * (k % 4), 30.0 + 60 * (k // 4)) for k in range(12)]
"""Twelve places on the small side where a tab lies fairly."""


def new_hide(number: str, **changed: Any) -> tuple[int, LaidOn]:
    hide = read_hide(HideRecord.model_validate(small.side(number, flaws=[], zones=[], **changed)))
    source = next(h for h in hides.all_hides() if h.number == "F-101")
    about = hides.About(
        "body leather",
        "Ferrow Mill",
        "chestnut",
        "vegetable",
        "medium",
        2.3,
        "1",
        "looked over",
        source.received_on,
    )
    made = hides.add_hide(hide, about)
    return made, LaidOn(made, 0)


def job_on(*numbers: str, quantity: int = 12) -> Job:
    return read_job(
        json.dumps(
            small.everything(
                gap=0.0,
                hides=[small.side(n, flaws=[], zones=[]) for n in numbers],
                pieces=[small.piece("tab", small.rectangle(60, 50), quantity)],
            )
        )
    )


def tab_at(copy: int, place: int, hide: str, turn: float = 0.0) -> Placement:
    return Placement("tab", copy, hide, Placing(*ROOM[place], turn))


class Table:
    """A hide that is cut, as a tablet sees it."""

    def __init__(self, page: TestClient, lay_id: int, hide: str, hide_id: int) -> None:
        self.page, self.lay_id, self.hide, self.hide_id = page, lay_id, hide, hide_id
        made = page.post(f"/api/lays/{lay_id}/cut", json={"hide": hide})
        assert made.status_code == 201, made.text
        self.id = int(made.json()["id"])
        self.pressed = 0

    def now(self) -> Any:
        return self.page.get(f"/api/cut/{self.id}").json()

    def tick(
        self, key: tuple[str, int], act: str, at_s: float, tablet: str = "a", **more: Any
    ) -> dict[str, Any]:
        self.pressed += 1
        own = {"id": str(uuid.uuid4()), "piece": key[0], "copy_number": key[1], "act": act}
        return own | {"at_s": at_s, "tablet": tablet, "number": self.pressed, **more}

    def send(self, *ticks: dict[str, Any]) -> dict[tuple[str, int], str]:
        answer = self.page.post(f"/api/cut/{self.id}/ticks", json={"ticks": list(ticks)})
        assert answer.status_code == 200, answer.text
        return {(s["piece"], s["copy_number"]): s["state"] for s in answer.json()["states"]}


def begun_table(workshop: TestClient, number: str) -> Table:
    """A hide of a small lay, laid and begun to cut."""
    hide_id, on = new_hide(number)
    article = workshop.get("/api/articles").json()[0]["id"]
    asked = {"number": f"B-{number}", "name": "Cut", "lines": [{"article_id": article, "quantity": 1}]}
    batch = int(workshop.post("/api/batches", json=asked).json()["id"])
    values = small.everything(gap=0.0, hides=[small.side(number)], grain_school="backbone")
    lay_id = lays.create_lay(batch, "body leather", read_job(json.dumps(values)), [on])
    lay_one(jobs.add_job(lay_id, 0.6, 1, LayWork(base=1)))
    return Table(workshop, lay_id, number, hide_id)


def keys_of(table: Table) -> list[tuple[str, int]]:
    return [(s["piece"], s["copy_number"]) for s in table.now()["steps"]]
