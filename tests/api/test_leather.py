"""The Leather room over HTTP: looking over, worth, the rack; nothing is lost, whoever does what at once."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from typing import Any

import pytest
from fastapi.testclient import TestClient

from tests.api.leather_room import by_rule, change, delivery, flaw, ring, room, side


def test_a_hide_is_looked_over_step_by_step(workshop: TestClient, queries: list[str]) -> None:
    hide = side(workshop)
    seen = by_rule(workshop, hide)
    workshop.post(f"/api/leather/hides/{hide}/accept", json={"outline": seen["outline"]})
    for step in ("backbone", "surface", "feel"):
        assert change(workshop, hide, step={"step": step, "done": True}).status_code == 200
    known = room(workshop, hide)
    assert (
        known["enough"]
        and known["rack"]["state"] == "looked over"
        and known["looked"] == "looked over quickly, 3 of 8 steps"
    )
    queries.clear()
    room(workshop, hide)
    assert len(queries) <= 5
    change(workshop, hide, step={"step": "feel", "done": False})
    assert room(workshop, hide)["rack"]["state"] == "received"


def test_a_flaw_gets_the_severity_its_kind_suggests(workshop: TestClient) -> None:
    hide = side(workshop)
    assert change(workshop, hide, flaw=flaw("a", kind="flay cut", severity=0)).status_code == 200
    assert (
        change(workshop, hide, flaw=flaw("b", 900, kind="scratch", severity=3, note="deep")).status_code
        == 200
    )
    flaws = {f["id"]: f for f in room(workshop, hide)["flaws"]}
    assert flaws["a"]["severity_name"] == "unsound" and flaws["a"]["suggested"] == 3
    assert flaws["b"]["severity"] == 3 and flaws["b"]["suggested"] < 3 and flaws["b"]["why"]
    assert change(workshop, hide, flaw=flaw("a", kind="flay cut", severity=1)).status_code == 200
    assert {f["id"]: f["severity"] for f in room(workshop, hide)["flaws"]} == {"a": 1, "b": 3}, (
        "the cutter has the last word"
    )


@pytest.mark.parametrize(
    ("what", "status", "words"),
    [
        ({}, 409, "a change of nothing"),
        (
            {"step": {"step": "flex", "done": True}, "remove": {"what": "flaw", "id": "a"}},
            409,
            "just one change",
        ),
        ({"flaw": flaw("a", kind="blot")}, 422, "of kind 'blot'"),
        ({"flaw": flaw("a", 90_000)}, 422, "off the hide"),
        ({"pull": {"id": "p", "x": 500, "y": 200, "along_mm": 90, "across_mm": 1}}, 422, "a give of 90"),
        ({"reading": {"id": "r", "x": 500, "y": 200, "mm": 40}}, 422, "thickness reading"),
        ({"cut": {"line": [[9000, 0], [9000, 50]]}}, 422, "does not part"),
        ({"flaw": flaw("no such id!")}, 422, "id"),
        ({"ends": {"tail_x": 0, "tail_y": 0, "neck_x": 1, "neck_y": 0}}, 422, "mm apart"),
    ],
)
def test_a_change_that_makes_no_sense_changes_nothing(
    workshop: TestClient, what: dict[str, Any], status: int, words: str
) -> None:
    hide = side(workshop)
    before = room(workshop, hide)
    refused = change(workshop, hide, **what)
    assert refused.status_code == status and words in refused.json()["problem"]
    assert room(workshop, hide) == before


def test_pull_tests_make_the_map(workshop: TestClient) -> None:
    hide = side(workshop)
    for k, (x, y, along, across) in enumerate(
        [(500, 200, 1.0, 1.8), (1500, 200, 5.0, 9.0), (1000, 700, 2.0, 3.0)]
    ):
        assert (
            change(
                workshop, hide, pull={"id": f"p{k}", "x": x, "y": y, "along_mm": along, "across_mm": across}
            ).status_code
            == 200
        )
    known = room(workshop, hide)
    assert [p["tightness_name"] for p in known["pulls"]] == ["tight", "slack", "firm"]
    assert all(p["way_deg"] == 0 for p in known["pulls"])
    shape = known["shape"]["zones"]
    assert {z["tightness"] for z in shape} == {1, 2, 3, 4}
    assert change(workshop, hide, remove={"what": "pull", "id": "p1"}).status_code == 200
    assert len(room(workshop, hide)["pulls"]) == 2


def test_a_wild_reading_is_questioned_until_it_is_sure(workshop: TestClient) -> None:
    hide = side(workshop)
    for k, (x, mm) in enumerate([(300, 2.3), (700, 2.35), (1100, 2.3), (1500, 2.25), (1700, 5.5)]):
        change(workshop, hide, reading={"id": f"r{k}", "x": x, "y": 300, "mm": mm})
    doubts = {r["id"]: r["doubt"] for r in room(workshop, hide)["readings"]}
    assert doubts["r4"] and not any(doubts[f"r{k}"] for k in range(4))
    change(workshop, hide, reading={"id": "r4", "x": 1700, "y": 300, "mm": 5.5, "sure": True})
    known = room(workshop, hide)
    assert not any(r["doubt"] for r in known["readings"]) and known["contours"]


def test_the_gauge_reads(workshop: TestClient) -> None:
    hide = side(workshop)
    read = workshop.post(f"/api/leather/hides/{hide}/gauge", json={"x": 600, "y": 200})
    assert read.status_code == 200 and 1.8 < read.json()["mm"] < 2.8
    assert workshop.post(f"/api/leather/hides/{hide}/gauge", json={"x": 60_000, "y": 200}).status_code == 503


def test_every_change_can_be_undone_in_order(workshop: TestClient) -> None:
    hide = side(workshop)
    states = [room(workshop, hide)]
    acts: list[dict[str, Any]] = [
        {"flaw": flaw("a")},
        {"flaw": flaw("a", severity=3)},
        {"step": {"step": "flex", "done": True, "note": "sound"}},
        {"pull": {"id": "p", "x": 500, "y": 200, "along_mm": 3, "across_mm": 6}},
        {"brush": {"stroke": [[800, 0], [900, 0]], "width_mm": 60, "add": True}},
        {"cut": {"line": [[1700, -50], [1700, 1500]], "words": "cut for B-29"}},
        {"zone": {"outline": ring(500, 200, 90), "tightness": 4}},
        {"outline": {"outline": ring(500, 400, 400)}},
        {"ends": {"tail_x": 800, "tail_y": 0, "neck_x": 0, "neck_y": 0}},
    ]
    for act in acts:
        assert change(workshop, hide, **act).status_code == 200, act
        states.append(room(workshop, hide))
    assert states[6]["rack"]["area_m2"] < states[5]["rack"]["area_m2"]
    for before in reversed(states[:-1]):
        assert workshop.post(f"/api/leather/hides/{hide}/undo").status_code == 200
        now = room(workshop, hide)
        for key in ("outline", "holes", "flaws", "pulls", "steps", "shape"):
            assert now[key] == before[key], key
    refused = workshop.post(f"/api/leather/hides/{hide}/undo")
    assert refused.status_code == 409 and "nothing to undo" in refused.json()["problem"]


def test_what_was_done_is_written_down(workshop: TestClient) -> None:
    hide = side(workshop)
    change(workshop, hide, flaw=flaw("a"))
    change(workshop, hide, cut={"line": [[1700, -50], [1700, 1500]], "words": "cut for B-29"})
    events = workshop.get(f"/api/leather/hides/{hide}/history").json()
    assert [e["words"] for e in events] == ["cut for B-29", "scratch, blemish", "received from Oxlade Pits"]
    assert events[0]["outline"] and events[1]["outline"] is None, "what it was before it was cut is kept"
    assert room(workshop, hide)["rack"]["state"] == "part used"
    workshop.post(f"/api/leather/hides/{hide}/undo")
    assert room(workshop, hide)["rack"]["state"] == "received"
    change(workshop, hide, cut={"line": [[1700, -50], [1700, 1500]]})
    assert room(workshop, hide)["rack"]["state"] == "received", "an outline that is mended uses no leather"
    assert workshop.get("/api/leather/hides/99999/history").status_code == 404


def test_what_comes_off_is_racked_and_whole_again_when_the_cut_is_undone(workshop: TestClient) -> None:
    hide = side(workshop)
    by_rule(workshop, hide)
    seen = room(workshop, hide)["seen"]
    assert (
        workshop.post(f"/api/leather/hides/{hide}/accept", json={"outline": seen["outline"]}).status_code
        == 200
    )
    for step in ("backbone", "surface", "feel"):
        change(workshop, hide, step={"step": step, "done": True})
    change(workshop, hide, flaw=flaw("neck", 1950))
    change(workshop, hide, flaw=flaw("tail", 300))
    whole = room(workshop, hide)
    cut = {"line": [[1600, -50], [1600, 1500]], "words": "cut for B-29", "rack_off": True}
    done = change(workshop, hide, cut=cut).json()
    off, left = room(workshop, done["made"][0]), room(workshop, hide)
    assert (
        off["rack"]["number"] == f"{whole['rack']['number']}-1"
        and off["rack"]["kind"] == "offcut"
        and off["rack"]["state"] == "looked over"
    )
    assert (
        [f["id"] for f in off["flaws"]] == ["neck"]
        and [f["id"] for f in left["flaws"]] == ["tail"]
        and left["rack"]["state"] == "part used"
    )
    assert off["rack"]["area_m2"] + left["rack"]["area_m2"] == pytest.approx(
        whole["rack"]["area_m2"], rel=1e-3
    )
    assert off["rack"]["cost_per_m2"] == whole["rack"]["cost_per_m2"] and off["rack"]["delivery_id"] is None
    second = change(workshop, hide, cut={**cut, "line": [[1200, -50], [1200, 1500]]}).json()
    assert room(workshop, second["made"][0])["rack"]["number"].endswith("-2")
    assert (
        workshop.post(f"/api/leather/hides/{hide}/undo").status_code == 200
        and workshop.get(f"/api/leather/hides/{second['made'][0]}").status_code == 404
    )

    # What was done with the offcut meanwhile is not thrown away with it.
    change(workshop, done["made"][0], flaw=flaw("new", 60, 300))
    refused = workshop.post(f"/api/leather/hides/{hide}/undo")
    assert (
        refused.status_code == 409
        and "was worked on since" in refused.json()["problem"]
        and room(workshop, hide)["rack"]["area_m2"] == left["rack"]["area_m2"]
    )
    assert workshop.post(f"/api/leather/hides/{done['made'][0]}/undo").status_code == 200
    batch = next(b["id"] for b in workshop.get("/api/batches").json() if b["number"] == "B-31")
    acts = {"ids": done["made"], "batch_id": batch}
    assert workshop.post("/api/leather/acts", json=acts).status_code == 204
    assert "was planned with since" in workshop.post(f"/api/leather/hides/{hide}/undo").json()["problem"]
    assert workshop.post(f"/api/batches/{batch}/leather", json={"drop": done["made"]}).status_code == 204
    assert workshop.post(f"/api/leather/hides/{hide}/undo").status_code == 200
    again = room(workshop, hide)
    assert (
        again["outline"] == whole["outline"]
        and again["flaws"] == whole["flaws"]
        and workshop.get(f"/api/leather/hides/{done['made'][0]}").status_code == 404
    )
    refused = change(workshop, hide, cut={**cut, "line": [[9000, 0], [9000, 50]]})
    assert refused.status_code == 422 and room(workshop, hide)["version"] == again["version"]


def test_two_people_at_one_hide_lose_nothing(workshop: TestClient) -> None:
    hide = side(workshop)

    def put(k: int) -> int:
        return int(change(workshop, hide, flaw=flaw(f"f{k}", 300 + 90 * k, 250)).status_code)

    with ThreadPoolExecutor(4) as pool:
        assert list(pool.map(put, range(12))) == [200] * 12
    known = room(workshop, hide)
    assert {f["id"] for f in known["flaws"]} == {f"f{k}" for k in range(12)}


def test_a_change_sent_twice_is_made_once(workshop: TestClient) -> None:
    hide = side(workshop)
    first = change(workshop, hide, flaw=flaw("same")).json()["version"]
    assert change(workshop, hide, flaw=flaw("same")).json()["version"] == first
    assert len(room(workshop, hide)["flaws"]) == 1


def test_worth_tells_blocks_articles_and_batches(workshop: TestClient) -> None:
    rack = {h["number"]: h for h in workshop.get("/api/leather").json()}
    found = workshop.get(f"/api/leather/hides/{rack['F-101']['id']}/worth").json()
    assert found["block"]["area_m2"] > 0.2 and found["strap"]["length_mm"] > 1000
    assert found["cost_per_usable_m2"] > rack["F-101"]["cost_per_m2"]
    assert {a["article"] for a in found["articles"]} >= {"camp-chair", "log-sling"}
    for a in found["articles"]:
        assert a["all_m2"] <= a["any_m2"] + 1e-9 <= found["usable_m2"] + 1e-6
    scores = [b["score"] for b in found["batches"]]
    assert scores == sorted(scores, reverse=True) and all(b["reason"] for b in found["batches"])
    assert next(b for b in found["batches"] if b["batch"] == "B-30")["chosen"]
    roll = workshop.get(f"/api/leather/hides/{rack['L-003']['id']}/worth").json()
    assert (
        roll["block"] is None
        and roll["strap"] is None
        and not any("tighter" in b["reason"] for b in roll["batches"])
    )


def test_several_hides_are_marked_at_once(workshop: TestClient) -> None:
    ids = [h["id"] for h in delivery(workshop, 20.0, 21.0, 22.0)["hides"]]
    assert workshop.post("/api/leather/acts", json={"ids": ids, "state": "used up"}).status_code == 204
    assert {h["state"] for h in workshop.get("/api/leather").json() if h["id"] in ids} == {"used up"}
    for bad in (
        {"ids": ids},
        {"ids": ids, "state": "laid", "batch_id": 1},
        {"ids": [*ids, 99999], "state": "laid"},
    ):
        assert workshop.post("/api/leather/acts", json=bad).status_code in (404, 409)
    assert workshop.post("/api/leather/acts", json={"ids": ids, "state": "lost"}).status_code == 422
    assert {h["state"] for h in workshop.get("/api/leather").json() if h["id"] in ids} == {"used up"}


def test_leather_kept_for_a_batch_is_free_again_when_it_is_left(workshop: TestClient) -> None:
    hide = side(workshop)
    seen = by_rule(workshop, hide)
    workshop.post(f"/api/leather/hides/{hide}/accept", json={"outline": seen["outline"]})
    for step in ("backbone", "surface", "feel"):
        change(workshop, hide, step={"step": step, "done": True})
    batch = next(b for b in workshop.get("/api/batches").json() if b["number"] == "B-31")
    url = f"/api/batches/{batch['id']}/leather"
    assert workshop.post(url, json={"add": [hide]}).status_code == 204
    known = room(workshop, hide)["rack"]
    assert known["state"] == "kept" and known["kept_for"] == ["B-31"]
    assert workshop.post(url, json={"drop": [hide]}).status_code == 204
    assert room(workshop, hide)["rack"]["state"] == "looked over"


def test_a_lay_on_a_hide_not_looked_over_says_so(workshop: TestClient) -> None:
    d = delivery(workshop, 22.0)
    batch = next(b for b in workshop.get("/api/batches").json() if b["number"] == "B-31")
    made = workshop.post(
        f"/api/batches/{batch['id']}/lays",
        json={
            "material": "body leather",
            "hide_ids": [d["hides"][0]["id"]],
            "objective": "order",
            "shared": True,
        },
    )
    assert made.status_code == 201, made.text
    doubts = workshop.get(f"/api/lays/{made.json()['id']}").json()["doubts"]
    assert doubts == [f"{d['hides'][0]['number']} is not measured, not looked over"]
    assert workshop.get(f"/api/batches/{batch['id']}").json()["state"] == batch["state"]


def test_the_shop_sets_its_own_limits_and_chalk(workshop: TestClient) -> None:
    own = workshop.get("/api/leather/settings").json()
    assert own["limits"] == [2.0, 4.0, 7.0] and [c["name"] for c in own["chalks"]] == [
        "white",
        "blue",
        "red",
        "yellow",
    ]
    hide = side(workshop)
    try:
        assert (
            workshop.put(
                "/api/leather/settings", json={**own, "limits": [1.0, 2.0, 3.0], "tolerance": 0.05}
            ).status_code
            == 204
        )
        change(workshop, hide, pull={"id": "p", "x": 500, "y": 200, "along_mm": 1.0, "across_mm": 2.5})
        assert room(workshop, hide)["pulls"][0]["tightness"] == 3
        for bad in (
            {"limits": [3.0, 2.0, 1.0]},
            {"tolerance": 0.9},
            {"chalks": [own["chalks"][0], own["chalks"][0]]},
            {"strap_mm": 0},
        ):
            assert workshop.put("/api/leather/settings", json={**own, **bad}).status_code in (409, 422)
        assert workshop.get("/api/leather/settings").json()["limits"] == [1.0, 2.0, 3.0]
    finally:
        workshop.put("/api/leather/settings", json=own)
