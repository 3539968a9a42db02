"""The lay bench over the API: held pieces, moves, insisting and signing, undo and redo, several people."""

from __future__ import annotations

import json
from dataclasses import replace
from typing import Any

import numpy as np
import pytest
from fastapi.testclient import TestClient
from shapely.affinity import translate
from shapely.geometry import Point, Polygon
from shapely.ops import unary_union

from fairlay.api.laid import by_name
from fairlay.core.errors import Refused
from fairlay.core.formats.exchange import read_job
from fairlay.core.lay import Lay, broken_rules
from fairlay.core.lay.check import why_not
from fairlay.core.shapes import Placing
from fairlay.demo.laid_cards import cards_on_hide
from fairlay.store import by_hand, insisted, lay_back, lays, people
from fairlay.store.acting import acting_as
from fairlay.work import files as reading
from fairlay.work.laying import lay_one
from tests import jobs as small
from tests.api.on_a_side import new_hide


class Bench:
    """A lay on one side, asked as the page asks it."""

    def __init__(self, page: TestClient, lay_id: int, hide: str) -> None:
        self.page, self.lay_id, self.hide = page, lay_id, hide

    def asks(self, what: str, **body: Any) -> Any:
        return self.page.post(f"/api/lays/{self.lay_id}/{what}", json=body)

    def does(self, what: str, **body: Any) -> Any:
        answer = self.asks(what, base=self.lay()["head"], **body)
        assert answer.status_code in (200, 201), answer.text
        return answer.json()

    def lay(self) -> Any:
        return self.page.get(f"/api/lays/{self.lay_id}").json()

    def put(self, piece: str, copy: int, x: float, y: float, **more: Any) -> Any:
        at = {"piece": piece, "copy": copy, "hide": self.hide, "x": x, "y": y}
        at |= {"rotation_deg": 0.0, "mirrored": False, **more}
        return at

    def lies(self) -> dict[tuple[str, int], dict[str, Any]]:
        return {(p["piece"], p["copy_number"]): p for p in self.lay()["state"]["placements"]}


@pytest.fixture(scope="module")
def batch_id(workshop: TestClient) -> int:
    article = workshop.get("/api/articles").json()[0]["id"]
    asked = {"number": "B-178", "name": "By hand", "lines": [{"article_id": article, "quantity": 1}]}
    return int(workshop.post("/api/batches", json=asked).json()["id"])


@pytest.fixture
def bench(workshop: TestClient, batch_id: int, request: pytest.FixtureRequest) -> Bench:
    number = f"H-{abs(hash(request.node.name)) % 10**8}"
    _, on = new_hide(number)
    values = small.everything(gap=0.0, hides=[small.side(number)], grain_school="backbone")
    lay_id = lays.create_lay(batch_id, "body leather", read_job(json.dumps(values)), [on])
    return Bench(workshop, lay_id, number)


def held(bench: Bench, piece: str, **more: Any) -> dict[str, Any]:
    return {"piece": piece, "hide": bench.hide, "turn_deg": 0.0, "mirrored": False, "lifted": [], **more}


def test_a_held_piece_is_told_where_it_can_go_and_goes_there(bench: Bench) -> None:
    ground = bench.asks("hand/ground", **held(bench, "back")).json()
    lit = [Polygon(part[0], part[1:]) for part in ground["parts"]]
    assert sum(p.area for p in lit) > 1000 and ground["sentence"] == ""
    at = max(lit, key=lambda p: p.area).representative_point()
    bench.does("moves", put=[bench.put("back", 0, at.x, at.y)])
    beside = bench.asks("hand/ground", **held(bench, "back")).json()
    assert not any(Polygon(p[0]).contains(Point(at)) for p in beside["parts"])
    lifted = [{"piece": "back", "copy_number": 0}]
    again = bench.asks("hand/ground", **held(bench, "back", lifted=lifted)).json()
    assert again["parts"] == ground["parts"]
    off = bench.asks("hand/ground", **held(bench, "back", turn_deg=40.0)).json()
    assert off["parts"] == [] and "40.0 degrees off the backbone" in off["sentence"]
    told = bench.asks("hand/why", **held(bench, "back", x=at.x + 30, y=at.y)).json()
    assert any(b["rule"] == "gap" and "over back 1" in b["sentence"] and b["rings"] for b in told["because"])
    best = bench.asks("hand/angle", **held(bench, "back", turn_deg=40.0, x=at.x + 30, y=at.y)).json()
    bench.does("moves", put=[bench.put("back", 1, best["x"], best["y"], rotation_deg=best["turn_deg"])])


def test_what_is_insisted_on_is_told_until_it_is_moved_or_signed_for(bench: Bench) -> None:
    wrong = bench.put("seat", 0, 640.0, 280.0)
    refused = bench.asks("moves", base=1, put=[wrong])
    assert refused.status_code == 422 and "slack leather" in refused.json()["problem"]
    bench.does("moves", put=[wrong], insisting=True)
    (unfair,) = bench.lay()["state"]["unfair"]
    assert unfair["piece"] == "seat" and unfair["signed_by"] == "" and unfair["by"] == "Demo owner"
    assert any("slack leather" in s for s in unfair["sentences"])
    # The rest is laid by hand and by the engine around it.
    bench.does("moves", put=[bench.put("back", 0, 120.0, 30.0)])
    both = bench.asks("moves", base=3, put=[bench.put("washer", 1, 650.0, 300.0)])
    assert both.status_code == 422 and "overlap" in both.json()["problem"]
    key = {"piece": "seat", "copy_number": 0}
    bench.page.post(f"/api/lays/{bench.lay_id}/pins", json={"add": [key], "drop": []})
    job = bench.asks("run", seconds=1.0, seed=3, hides=[], keep_all=False).json()
    lay_one(job["id"])
    after = lays.load(bench.lay_id)
    excused = replace(after.job, excused=frozenset({("seat", 0)}))
    assert len(after.lay.placements) > 5 and broken_rules(excused, after.lay) == ()
    assert ("seat", 0) in {(p.piece, p.copy) for p in after.lay.placements}
    signed = bench.page.put(f"/api/lays/{bench.lay_id}/signed", json={"piece": key})
    assert signed.status_code == 204
    assert [u["signed_by"] for u in bench.lay()["state"]["unfair"]] == ["Demo owner"]
    bench.does("moves", put=[bench.put("seat", 0, 645.0, 280.0)], insisting=True)
    assert [u["signed_by"] for u in bench.lay()["state"]["unfair"]] == [""], (
        "what was moved is not signed for"
    )
    bench.does("moves", put=[], take=[key])
    assert bench.lay()["state"]["unfair"] == []
    gone = bench.page.put(f"/api/lays/{bench.lay_id}/signed", json={"piece": key})
    assert gone.status_code == 409, "what lies against nothing is not signed for"
    bench.does("undo")
    assert len(bench.lay()["state"]["unfair"]) == 1, "an undo brings the mark back too"
    other = {"piece": "back", "copy_number": 0}
    assert bench.page.put(f"/api/lays/{bench.lay_id}/signed", json={"piece": other}).status_code == 409
    many = [bench.put("seat", n, 60.0 + 160 * n, 20.0) for n in range(3)]
    assert bench.asks("moves", base=bench.lay()["head"], put=many, insisting=True).status_code == 422, (
        "nobody can insist on more than is ordered"
    )


def test_undo_and_redo_go_all_the_way_and_back(bench: Bench) -> None:
    shown = []
    for n in range(4):
        bench.does("moves", put=[bench.put("washer", n, 60.0 + 30 * n, 30.0)])
        shown.append(bench.lies())
    assert bench.asks("redo", base=bench.lay()["head"]).status_code == 409
    for n in (2, 1, 0):
        bench.does("undo")
        assert bench.lies() == shown[n]
    for n in (1, 2):
        bench.does("redo")
        assert bench.lies() == shown[n]
    bench.does("undo")
    assert bench.lies() == shown[1]
    for n in (2, 3):
        bench.does("redo")
        assert bench.lies() == shown[n]
    assert "is there again" in bench.asks("redo", base=bench.lay()["head"]).json()["problem"]
    bench.does("undo")
    bench.does("moves", put=[bench.put("washer", 9, 400.0, 100.0)])
    assert bench.asks("redo", base=bench.lay()["head"]).status_code == 409, (
        "a new move leaves nothing to redo"
    )


def test_a_colleagues_undo_is_not_taken_back(bench: Bench) -> None:
    bench.does("moves", put=[bench.put("washer", 0, 60.0, 30.0)])
    mine, theirs = people.add(f"Ansel {bench.hide}", "cutter"), people.add(f"Ida {bench.hide}", "cutter")
    with acting_as(theirs.id):
        lay_back.go_to(bench.lay_id, 1, base=2)
    with acting_as(mine.id), pytest.raises(Refused, match="the newest undo is a colleague's"):
        lay_back.redo(bench.lay_id, base=3)
    with acting_as(theirs.id):
        lay_back.redo(bench.lay_id, base=3)
    assert ("washer", 0) in bench.lies()


def test_several_held_together_go_where_all_of_them_can(bench: Bench) -> None:
    along = [{"piece": "washer", "turn_deg": 0.0, "mirrored": False, "dx": 40.0, "dy": 0.0}]
    both = bench.asks("hand/ground", **held(bench, "washer", along=along)).json()["parts"]
    alone = bench.asks("hand/ground", **held(bench, "washer")).json()["parts"]
    lit = unary_union([Polygon(p[0], p[1:]) for p in both])
    one = unary_union([Polygon(p[0], p[1:]) for p in alone])
    assert lit.symmetric_difference(one.intersection(translate(one, -40.0, 0.0))).area < 50 < lit.area


def test_where_the_leather_went_is_told_with_its_ground(bench: Bench) -> None:
    bench.does("moves", put=[bench.put("back", 0, 120.0, 40.0)])
    told = bench.page.get(f"/api/lays/{bench.lay_id}/went/{bench.hide}").json()
    assert sum(s["m2"] for s in told["steps"]) == pytest.approx(told["whole_m2"], abs=1e-4)
    assert sum(s["share"] for s in told["steps"]) == pytest.approx(1.0, abs=1e-3)
    (pieces,) = [s for s in told["steps"] if s["kind"] == "pieces"]
    assert pieces["m2"] == pytest.approx(0.14 * 0.09, rel=1e-3) and pieces["rings"]
    assert {"edge", "flaw", "between"} <= {s["kind"] for s in told["steps"]}
    assert bench.page.get(f"/api/lays/{bench.lay_id}/went/Q-404").status_code == 422


def test_rows_are_pushed_pieces_swapped_pairs_turned_over_and_arrangements_copied(bench: Bench) -> None:
    key = lambda piece, copy: {"piece": piece, "copy_number": copy}  # noqa: E731
    bench.does("moves", put=[bench.put("washer", n, 100.0 + 40 * n, 30.0) for n in range(4)])
    bench.does("hand/push", pieces=[key("washer", n) for n in range(4)], dx=-1.0, dy=0.0)
    x = sorted(p["matrix"]["e"] for p in bench.lies().values())
    assert x[0] < 60 and np.allclose(np.diff(x), 16.0, atol=0.2), "they stand side by side at the tail"
    bench.does("moves", put=[bench.put("back", 0, 120.0, 40.0), bench.put("vent", 0, 380.0, 40.0)])
    before = bench.lies()
    bench.does("hand/swap", first=key("back", 0), second=key("vent", 0))
    after = bench.lies()
    assert after["back", 0]["matrix"]["e"] > 300 and after["vent", 0]["matrix"]["e"] < 200
    assert before["washer", 1] == after["washer", 1]
    hands = [bench.put("palm", n, 120.0 + 110 * n, 250.0, mirrored=n % 2 == 1) for n in range(4)]
    hands = [{**h, "x": h["x"] + (90 if h["mirrored"] else 0)} for h in hands]
    bench.does("moves", put=hands)
    bench.does("hand/over", piece=key("palm", 0))
    mirrored = [p["mirrored"] for k, p in sorted(bench.lies().items()) if k[0] == "palm"]
    assert mirrored[0] and sum(mirrored) == 2, "another was turned over with it"
    row = [key("washer", n) for n in range(4)]
    copied = bench.does("hand/copy", pieces=row, hide=bench.hide, dx=560, dy=50)
    assert copied["placed"] == copied["asked"] == 4
    lost = bench.asks("hand/push", base=bench.lay()["head"], pieces=[key("washer", 19)], dx=1, dy=0)
    assert lost.status_code == 422 and "does not lie" in lost.json()["problem"]


def test_random_moves_by_hand_leave_a_fair_lay_that_says_what_it_holds(bench: Bench) -> None:
    rng = np.random.default_rng(7)
    table = by_hand.table_for(by_hand.in_hand(bench.lay_id).job, bench.hide)
    for n in range(25):
        now = by_hand.in_hand(bench.lay_id)
        piece = now.job.pieces[rng.integers(len(now.job.pieces))]
        copy = int(rng.integers(piece.quantity))
        # Of a pair, even copies are the one hand and odd ones the other.
        at = Placing(
            float(rng.uniform(0, 700)), float(rng.uniform(0, 380)), 0.0, bool(piece.pair and copy % 2)
        )
        fair = not list(why_not(piece, table.hide, now.job.policy, at))
        answer = bench.asks(
            "moves", base=now.head, put=[bench.put(piece.id, copy, at.x, at.y, mirrored=at.mirrored)]
        )
        if not fair:
            assert answer.status_code == 422, n
        saved = lays.load(bench.lay_id)
        assert broken_rules(saved.job, Lay(saved.lay.placements)) == ()
    assert insisted.insisted_keys(bench.lay_id) == frozenset()


def test_sentences_tell_pieces_apart_whose_ids_begin_alike() -> None:
    names = {"chair/strap": "Strap", "chair/strap-end": "Strap end"}
    said = by_name("Q-1: chair/strap-end 1 and chair/strap 2 overlap by 3 mm²", names)
    assert said == "Strap end 1 and Strap 2 overlap by 3 mm²"


def test_card_templates_are_photographed_and_compared_with_the_lay(
    bench: Bench, monkeypatch: pytest.MonkeyPatch
) -> None:
    def smaller(*asked: Any) -> Any:
        return replace(cards_on_hide(*asked), width_px=2100, height_px=1400)

    monkeypatch.setattr("fairlay.api.templates.cards_on_hide", smaller)

    def found(file: int) -> Any:
        """Have a picture read, by this process in the worker's place."""
        asked = bench.asks("templates", file=file, hide=bench.hide)
        assert asked.status_code == 202, asked.text
        reading.read_one(asked.json()["id"])
        return bench.page.get(f"/api/lays/{bench.lay_id}/templates/{asked.json()['id']}").json()

    lies = [("seat", 0, 150.0, 60.0), ("back", 0, 330.0, 230.0), ("vent", 0, 500.0, 240.0)]
    bench.does("moves", put=[bench.put(*at) for at in lies], insisting=True)
    assert bench.asks("templates/camera", hide="H-0").status_code == 404
    file = bench.asks("templates/camera", hide=bench.hide).json()["id"]
    as_planned = found(file)
    assert {t["name"] for t in as_planned["templates"]} == {"seat", "back", "vent"}
    assert all(t["off_mm"] < 6 for t in as_planned["templates"]) and all(
        p["found"] for p in as_planned["planned"]
    )
    # The picture stays what it is while the lay changes: one moved, one put elsewhere.
    bench.does("moves", put=[bench.put("back", 0, 330.0, 255.0)], insisting=True)
    bench.does("moves", put=[], take=[{"piece": "vent", "copy_number": 0}])
    changed = {t["name"]: t for t in found(file)["templates"]}
    assert abs(changed["back"]["off_mm"] - 25) < 6 and changed["vent"]["off_mm"] is None
    nowhere = bench.page.get(f"/api/lays/{bench.lay_id}/templates/0")
    assert nowhere.status_code == 404
