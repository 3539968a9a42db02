"""The Patterns room over HTTP: articles and their revisions, ways in, files out, and what batches keep."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from fastapi.testclient import TestClient
from pydantic import TypeAdapter

from fairlay.core.pattern.by_dimensions import draw
from fairlay.core.pattern.needs import start_named
from fairlay.core.pattern.pattern import Pattern
from tests.api.conftest import told

FILES = Path(__file__).resolve().parents[1] / "files"


def tab(name: str = "Tab", **more: Any) -> dict[str, Any]:
    values: dict[str, Any] = TypeAdapter(Pattern).dump_python(
        Pattern(
            name.lower(),
            name,
            "body leather",
            2,
            draw("rectangle", {"length": 90, "width": 30}).contour,
            needs=start_named("crumb").needs,
        ),
        mode="json",
    )
    return values | more


@pytest.fixture
def trial(workshop: TestClient, request: pytest.FixtureRequest) -> int:
    """An article with one piece, in a drawer of its own."""
    made = workshop.post("/api/patterns", json={"name": f"Trial {abs(hash(request.node.name))}"})
    assert made.status_code == 201, made.text
    number = int(made.json()["id"])
    assert save(workshop, number, pieces=[tab()]).status_code == 200
    return number


def view(client: TestClient, number: int, **query: Any) -> dict[str, Any]:
    answer = client.get(f"/api/patterns/{number}", params=query)
    assert answer.status_code == 200, answer.text
    return answer.json()


def save(client: TestClient, number: int, base: int | None = None, **changed: Any) -> Any:
    now = view(client, number)
    return client.put(
        f"/api/patterns/{number}", json={"base": base or now["version"], "article": now["article"] | changed}
    )


def drawing(client: TestClient, name: str) -> int:
    sent = client.post("/api/ways-in/files", files={"file": (name, (FILES / name).read_bytes())})
    assert sent.status_code == 201 and sent.json()["kind"] == "drawing"
    return int(sent.json()["id"])


def test_the_drawers_hold_the_demo_complete(workshop: TestClient, queries: list[str]) -> None:
    cards = {c["slug"]: c for c in workshop.get("/api/patterns").json()}
    assert len(queries) <= 3 and {"camp-chair", "stove-mitt", "hearth-bellows"} <= set(cards)
    chair = cards["camp-chair"]
    assert (chair["letter"], chair["wrong"], chair["look"]) == ("A", 0, 0) and "B-30" in chair["batches"]
    mitts = view(workshop, cards["stove-mitt"]["id"])
    palm = next(d for d in mitts["drawn"] if d["slug"] == "mitt-palm")
    assert (
        palm["quantity_words"] == "cut 1 + 1 mirrored"
        and palm["stitches"][0]["stitches"] > 150
        and {m["kind"] for m in palm["marks"]} == {"stitch", "place"}
    )
    assert mitts["figures"]["seams"][0]["stack_mm"] == pytest.approx(4.4)
    told = workshop.get(f"/api/patterns/{chair['id']}/rack").json()
    assert all(f["do"] for f in told)


def test_a_piece_is_added_altered_and_a_stale_save_loses_nothing(workshop: TestClient, trial: int) -> None:
    first = view(workshop, trial)
    longer = draw("rectangle", {"length": 120, "width": 30}).contour
    assert save(workshop, trial, pieces=[tab(contour=[list(n) for n in longer])]).json()["drawn"][0][
        "length_mm"
    ] == pytest.approx(120, abs=0.1)
    stale = save(workshop, trial, base=first["version"], pieces=[])
    assert (
        stale.status_code == 409
        and stale.json()["newer"] == first["version"] + 1
        and len(view(workshop, trial)["article"]["pieces"]) == 1
    )
    for bad, words in (
        ([tab(), tab()], "two pieces are called tab"),
        ([tab(each=-1)], "-1 in each"),
        ([tab(contour=[[0, 0], [1, 1]])], "distinct points"),
        ([{"slug": "x"}], "required"),
    ):
        refused = save(workshop, trial, pieces=bad)
        assert refused.status_code == 422 and words in refused.json()["problem"].lower()
    assert len(view(workshop, trial)["article"]["pieces"]) == 1
    assert (
        workshop.post("/api/patterns", json={"name": view(workshop, trial)["article"]["name"]}).status_code
        == 409
    )


def test_what_is_planned_stays_and_a_new_revision_says_why(workshop: TestClient, trial: int) -> None:
    name = view(workshop, trial)["article"]["name"]
    batch = workshop.post(
        "/api/batches",
        json={"number": f"P-{trial}", "name": "planned", "lines": [{"article_id": trial, "quantity": 4}]},
    )
    assert batch.status_code == 201, batch.text
    refused = save(workshop, trial, pieces=[tab(each=5)])
    assert (
        refused.status_code == 409 and f"planned in P-{trial} and stays as it is" in refused.json()["problem"]
    )
    assert workshop.delete(f"/api/patterns/{trial}").status_code == 409
    assert workshop.post(f"/api/patterns/{trial}/revisions", json={"reason": " "}).status_code == 409
    begun = workshop.post(f"/api/patterns/{trial}/revisions", json={"reason": "The tab tore out"})
    assert begun.status_code == 201 and begun.json()["letter"] == "B" and begun.json()["batches"] == []
    wider = [list(n) for n in draw("rectangle", {"length": 90, "width": 40}).contour]
    assert save(workshop, trial, pieces=[tab(contour=wider), tab("Keeper")]).status_code == 200
    (changed, new) = workshop.get(f"/api/patterns/{trial}/changes", params={"old": 1, "new": 2}).json()
    assert (
        (changed["kind"], new["kind"]) == ("changed", "new")
        and {"width", "area cut"} == {d["what"] for d in changed["differs"]}
        and changed["moved_mm"] == pytest.approx(10, abs=0.2)
    )
    assert [r["letter"] for r in workshop.get(f"/api/patterns/{trial}/revisions").json()] == ["B", "A"]
    kept = workshop.get(f"/api/batches/{batch.json()['id']}").json()
    line = {k: kept["lines"][0][k] for k in ("article", "name", "quantity", "revision")}
    slug = view(workshop, trial)["article"]["slug"]
    assert line == {"article": slug, "name": name, "quantity": 4, "revision": "A"}
    (body,) = kept["materials"]
    assert [i["name"] for i in body["items"]] == ["Tab"] and np.ptp(
        body["items"][0]["rings"][0], axis=0
    ).tolist() == pytest.approx([90, 30], abs=0.1)
    letters = {d["slug"]: d["letter"] for d in view(workshop, trial)["drawn"]}
    assert letters == {"tab": "B", "keeper": "B"} and view(workshop, trial, revision=1)["newest"] is False
    assert workshop.get(f"/api/patterns/{trial}", params={"revision": 9}).status_code == 404


def test_ways_to_make_a_part_are_chosen_in_the_batch(workshop: TestClient) -> None:
    chair = next(a for a in workshop.get("/api/articles").json() if a["slug"] == "camp-chair")
    assert chair["parts"] == {"arm strap": ["single, thick", "double, thin"]}
    made = workshop.post(
        "/api/batches",
        json={
            "number": "W-1",
            "name": "thin",
            "lines": [{"article_id": chair["id"], "quantity": 1, "ways": {"arm strap": "double, thin"}}],
        },
    )
    batch = workshop.get(f"/api/batches/{made.json()['id']}").json()
    assert {m["material"] for m in batch["materials"]} == {"body leather", "lining"}
    bad = workshop.post(
        "/api/batches",
        json={
            "number": "W-2",
            "name": "x",
            "lines": [{"article_id": chair["id"], "quantity": 1, "ways": {"arm strap": "felt"}}],
        },
    )
    assert (
        bad.status_code == 422
        and "double, thin" in bad.json()["problem"]
        and not any(b["number"] == "W-2" for b in workshop.get("/api/batches").json())
    )


def test_shapes_halves_and_the_scale(workshop: TestClient) -> None:
    shapes = workshop.get("/api/ways-in/shapes").json()
    for shape in shapes:
        drawn = workshop.post(f"/api/ways-in/shapes/{shape['kind']}", json={"measures": {}}).json()
        assert drawn["rings"][0] and drawn["length_mm"] >= drawn["width_mm"] > 0
    assert workshop.post("/api/ways-in/shapes/strap", json={"measures": {"length": 1}}).status_code == 422
    whole = workshop.post(
        "/api/ways-in/half",
        json={
            "contour": [[0, 0], [50, 0], [50, 80], [0, 80]],
            "start": {"x": 0, "y": 0},
            "end": {"x": 0, "y": 80},
        },
    ).json()
    assert whole["outline"]["length_mm"] == pytest.approx(100, abs=0.1) and whole["says"] == []
    assert "3.0 % too small" in workshop.get("/api/ways-in/scale", params={"measured_mm": 97}).json()["says"]
    begun = workshop.post("/api/patterns/starts/strap", json=tab()).json()
    assert begun["needs"]["template"] == "strap" and begun["tool"] == "strap cutter"


@pytest.mark.usefixtures("reads_at_once")
def test_a_drawing_becomes_patterns_ready_to_add(workshop: TestClient, trial: int) -> None:
    number = drawing(workshop, "bulges_r12.dxf")
    url = f"/api/ways-in/files/{number}"
    asked = workshop.post(f"{url}/drawing")
    seen = told(workshop, asked).json()
    assert (
        asked.json()["state"] == "done" and workshop.post(f"{url}/drawing").json()["id"] == asked.json()["id"]
    )
    assert (
        seen["unit_mm"] is None
        and seen["units_mm"]["inch"] == 25.4
        and [x["suggested"] for x in seen["layers"]] == ["outline", "stitch", "hole"]
    )
    said = {"unit_mm": 1.0, "uses": {"SEWING": "leave out"}}
    out = told(workshop, workshop.post(f"{url}/sorted", json=said)).json()
    (found,) = out["pieces"]
    assert [m["kind"] for m in found["pattern"]["marks"]] == ["hole"] and found["length_mm"] == pytest.approx(
        220, abs=0.1
    )
    added = save(workshop, trial, pieces=[tab(), found["pattern"]]).json()
    assert added["drawn"][1]["slug"] == "handle-wrap" and any(
        "not stated" in f["says"] for f in added["findings"]
    )
    assert workshop.post(f"/api/ways-in/files/{number}/sorted", json={"unit_mm": 0}).status_code == 422
    for name, body, words in (
        ("x.txt", b"x", "no file that patterns are taken from"),
        ("x.svg", b"", "is empty"),
    ):
        refused = workshop.post("/api/ways-in/files", files={"file": (name, body)})
        assert refused.status_code == 409 and words in refused.json()["problem"]
    assert workshop.post("/api/ways-in/files/9999/drawing").status_code == 404
    wrong = told(workshop, workshop.post(f"{url}/sorted", json={"unit_mm": 1.0, "uses": {"NONE": "hole"}}))
    assert wrong.status_code == 409 and "there is no layer 'NONE'" in wrong.json()["problem"]
    assert workshop.get("/api/ways-in/readings/9999/drawing").status_code == 404

    # What one contour is can be said, whatever its layer holds.
    (contour,) = out["contours"]
    assert contour["use"] == "outline" and len(contour["points"]) > 4
    one = {k: contour[k] for k in ("x", "y", "size")}
    without = told(
        workshop,
        workshop.post(f"{url}/sorted", json={**said, "contours": [{**one, "use": "leave out"}]}),
    ).json()
    assert without["pieces"] == [] and without["contours"][0]["use"] == "leave out"
    fold = workshop.post(f"{url}/sorted", json={**said, "contours": [{**one, "use": "fold"}]})
    assert told(workshop, fold).status_code == 409


@pytest.mark.usefixtures("reads_at_once")
def test_a_photograph_becomes_an_outline(workshop: TestClient) -> None:
    at_hand = workshop.get("/api/ways-in/camera").json()
    assert at_hand["camera"] == "simulated" and "an old stove mitt, opened out" in at_hand["tables"]
    taken = workshop.post("/api/ways-in/camera", json={"table": "an old stove mitt, opened out"}).json()
    assert (
        taken["kind"] == "picture"
        and workshop.get(f"/api/ways-in/files/{taken['id']}/picture").content[:2] == b"\xff\xd8"
    )
    url = f"/api/ways-in/files/{taken['id']}/traced"
    asked = workshop.post(url, json={"thickness_mm": 1.5})
    assert "squares found" in asked.json()["said"][-1] and asked.json()["share"] == 1.0
    traced = told(workshop, asked).json()
    (part,) = traced["parts"]
    assert (part["length_mm"], part["width_mm"]) == pytest.approx((262, 190), abs=1.0) and len(
        part["contour"]
    ) < 40
    straight = workshop.get(traced["picture"])
    assert straight.headers["content-type"] == "image/jpeg"
    small = told(workshop, workshop.post(url, json={"bar_mm": 98})).json()
    assert small["parts"][0]["length_mm"] == pytest.approx(262 * 0.98, abs=1.5)
    assert workshop.post("/api/ways-in/camera", json={"table": "the moon"}).status_code == 404


def test_files_go_out_and_an_article_comes_back(workshop: TestClient, trial: int) -> None:
    kinds = {"svg": b"<?xml", "dxf": b"  0", "json": b"{", "pdf": b"%PDF"}
    for kind, start in kinds.items():
        file = workshop.get(f"/api/patterns/{trial}/file", params={"kind": kind})
        assert (
            file.status_code == 200
            and file.content.startswith(start)
            and f".{kind}" in file.headers["content-disposition"]
        )
    assert (
        workshop.get(f"/api/patterns/{trial}/file", params={"kind": "pdf", "paper": "A9"}).status_code == 422
    )
    assert workshop.get("/api/ways-in/squared-page.pdf", params={"paper": "A4"}).content.startswith(b"%PDF")
    values = json.loads(workshop.get(f"/api/patterns/{trial}/file", params={"kind": "json"}).content)
    values["article"] |= {"slug": f"copy-{trial}", "name": f"Copy {trial}"}
    sent = workshop.post(
        "/api/ways-in/files", files={"file": ("article.json", json.dumps(values).encode())}
    ).json()
    made = workshop.post(f"/api/ways-in/files/{sent['id']}/article")
    assert made.status_code == 201 and view(workshop, made.json()["id"])["article"] == values["article"]
    assert workshop.post(f"/api/ways-in/files/{sent['id']}/article").status_code == 409
    assert (
        workshop.delete(f"/api/patterns/{made.json()['id']}").status_code == 204
        and workshop.get(f"/api/patterns/{made.json()['id']}").status_code == 404
    )
