"""The Cut room over the API: begun from a fair lay, ticked by several tablets, spoilt and recut, closed."""

from __future__ import annotations

import random
from dataclasses import replace

import pytest
from fastapi.testclient import TestClient
from hypothesis import given
from hypothesis import strategies as st

from fairlay.core.cutting.ticks import ACTS, Tick, states_of
from fairlay.store import cutting, hides, jobs, lays
from fairlay.store.cut_state import cut_keys
from fairlay.store.database import connected
from fairlay.store.lays import LaidOn
from fairlay.store.tables import HideRow
from fairlay.store.work_asked import LayWork
from fairlay.work.laying import lay_one
from tests.api.on_a_side import Table, keys_of, new_hide


@given(st.randoms(use_true_random=False), st.integers(1, 60))
def test_ticks_in_any_order_and_twice_come_to_the_same(rng: random.Random, n: int) -> None:
    ticks = [
        Tick(str(k), "card", rng.randrange(5), rng.choice(ACTS), rng.randrange(20) / 2, rng.choice("abc"), k)
        for k in range(n)
    ]
    wanted = states_of(ticks)
    mixed = ticks + rng.choices(ticks, k=n)
    rng.shuffle(mixed)
    assert states_of(mixed) == wanted
    for key, last in wanted.items():
        assert last.at_s == max(t.at_s for t in ticks if t.key == key)


def test_a_hide_is_cut_piece_by_piece_and_closed(table: Table) -> None:
    page, own = table.page, table.now()
    keys = keys_of(table)
    assert own["state"] == "open" and own["minutes"] > 1 and len(keys) == len(own["placements"])
    assert [s["number"] for s in own["steps"]] == list(range(1, len(keys) + 1))
    assert sorted(k for s in own["steps"] for k in s["frees"]) == sorted(f"{i}#{k}" for i, k in keys)
    assert page.post(f"/api/lays/{table.lay_id}/cut", json={"hide": table.hide}).json()["id"] == table.id
    at = page.get(f"/api/cut/{table.id}/states").json()["at_s"]
    states = table.send(*(table.tick(k, "done", at + 2 * n) for n, k in enumerate(keys[:-2])))
    assert set(states.values()) == {"done"} and len(states) == len(keys) - 2
    assert page.get("/api/cut-pace").json()["pieces"] >= len(keys) - 4
    listed = next(c for c in page.get("/api/cut").json() if c["sheet"] == table.id)
    assert listed["done"] == len(keys) - 2 and listed["state"] == "open"
    left = page.get(f"/api/cut/{table.id}/left").json()
    closed = page.post(f"/api/cut/{table.id}/close", json={"keep": [0] if left else []})
    assert closed.status_code == 201, closed.text
    told = closed.json()
    account = told["account"]
    parts = ("good_m2", "spoilt_m2", "kept_m2", "scrap_m2")
    assert sum(account[p] for p in parts) == pytest.approx(account["whole_m2"], abs=1e-8)
    assert told["back_in_tray"] == 2 and len(told["offcuts"]) == len(left[:1])
    rack = {h.number: h for h in hides.rack()}
    assert rack[table.hide].state == "used up"
    for number in told["offcuts"]:
        assert rack[number].parent_id == table.hide_id and rack[number].kind == "offcut"
        assert rack[number].area_m2 == pytest.approx(account["kept_m2"], rel=0.01)
    after = table.now()
    assert after["state"] == "closed" and len(after["placements"]) == len(keys) - 2
    assert page.post(f"/api/cut/{table.id}/close", json={}).status_code == 409
    assert table.send(table.tick(keys[0], "done", at + 500)), (
        "what comes late is written down, and changes nothing"
    )


def test_three_tablets_out_of_order_and_late_come_to_one_state(table: Table) -> None:
    keys = keys_of(table)
    at = table.page.get(f"/api/cut/{table.id}/states").json()["at_s"] - 600
    rng = random.Random(7)
    ticks = [
        table.tick(rng.choice(keys), rng.choice(("done", "skip", "back")), at + n * 0.5, rng.choice("abc"))
        for n in range(160)
    ]
    wanted = {}
    for t in ticks:
        wanted[t["piece"], t["copy_number"]] = {"done": "done", "skip": "skipped", "back": "to cut"}[t["act"]]
    sent = ticks + rng.choices(ticks, k=80)
    rng.shuffle(sent)
    for k in range(0, len(sent), 40):
        got = table.send(*sent[k : k + 40])
    assert got == wanted
    ahead = table.tick(keys[0], "done", at + 9e8, "c")
    assert table.send(ahead)[keys[0]] == "done", "a clock that is wrong by years presses now"


def test_what_is_cut_stays_while_the_rest_is_laid_again(table: Table) -> None:
    page, keys = table.page, keys_of(table)
    at = page.get(f"/api/cut/{table.id}/states").json()["at_s"]
    table.send(table.tick(keys[0], "done", at))
    lay = page.get(f"/api/lays/{table.lay_id}").json()
    refused = page.post(
        f"/api/lays/{table.lay_id}/moves",
        json={"base": lay["head"], "take": [{"piece": keys[0][0], "copy_number": keys[0][1]}]},
    )
    assert refused.status_code == 409 and "is cut" in refused.json()["problem"]
    where = {(p["piece"], p["copy_number"]): p for p in lay["state"]["placements"]}
    lay_one(jobs.add_job(table.lay_id, 0.6, 5, LayWork(base=lay["head"])))
    again = page.get(f"/api/lays/{table.lay_id}").json()["state"]["placements"]
    assert where[keys[0]] in again
    moved = page.post(
        f"/api/lays/{table.lay_id}/moves",
        json={
            "base": page.get(f"/api/lays/{table.lay_id}").json()["head"],
            "take": [{"piece": keys[-1][0], "copy_number": keys[-1][1]}],
        },
    )
    assert moved.status_code == 201, "what is not cut yet is moved as ever"
    assert page.get(f"/api/cut/{table.id}/states").json()["head"] > lay["head"]


def test_a_spoilt_piece_is_cut_again_from_the_waste_or_waits(table: Table) -> None:
    page, keys = table.page, keys_of(table)
    washer = next(k for k in keys if k[0] == "washer")
    at = page.get(f"/api/cut/{table.id}/states").json()["at_s"]
    asked = {"piece": washer[0], "copy_number": washer[1]}
    early = page.post(f"/api/cut/{table.id}/recut", json=asked)
    assert early.status_code == 409 and "not spoilt" in early.json()["problem"]
    table.send(table.tick(washer, "spoilt", at, reason="the knife slipped"))
    before = next(p for p in table.now()["placements"] if (p["piece"], p["copy_number"]) == washer)
    found = page.post(f"/api/cut/{table.id}/recut", json=asked).json()
    assert found["hide"] == table.hide
    own = table.now()
    after = next(p for p in own["placements"] if (p["piece"], p["copy_number"]) == washer)
    assert after["matrix"] != before["matrix"] and len(own["spoilt"]) == 1
    states = {(s["piece"], s["copy_number"]): s["state"] for s in own["states"]}
    assert states[washer] == "to cut"
    for what, body in (("undo", {}), ("go-to", {"number": 1})):
        asked_back = page.post(f"/api/lays/{table.lay_id}/{what}", json={"base": own["head"], **body})
        assert asked_back.status_code == 409 and "cut again" in asked_back.json()["problem"]
    seat = next(k for k in keys if k[0] == "seat")
    table.send(table.tick(seat, "spoilt", at + 1))
    big = page.post(f"/api/cut/{table.id}/recut", json={"piece": seat[0], "copy_number": seat[1]}).json()
    tray = page.get(f"/api/lays/{table.lay_id}").json()
    lies = {(p["piece"], p["copy_number"]) for p in tray["state"]["placements"]}
    assert (seat in lies) == (big["hide"] != "")
    table.send(table.tick(keys[0], "done", at + 2))
    account = page.post(f"/api/cut/{table.id}/close", json={}).json()["account"]
    assert account["spoilt_m2"] > 0.0165
    assert cut_keys(table.lay_id) == {keys[0]}, "what was spoilt may be laid again, what is cut may not"
    late = table.send(table.tick(washer, "done", at + 3))
    assert washer not in cut_keys(table.lay_id) and late[washer] == "to cut"


def test_only_a_fair_lay_on_leather_as_it_is_is_begun(workshop: TestClient, table: Table) -> None:
    lay = lays.load(table.lay_id)
    assert workshop.post(f"/api/lays/{table.lay_id}/cut", json={"hide": "Z-9"}).status_code == 404
    other_id, on = new_hide(f"{table.hide}-x")
    job = replace(lay.job, hides=(replace(lay.job.hides[0], id=f"{table.hide}-x"),))
    bare = lays.create_lay(lay.batch_id, "body leather", job, [on])
    empty = workshop.post(f"/api/lays/{bare}/cut", json={"hide": f"{table.hide}-x"})
    assert empty.status_code == 409 and "nothing lies" in empty.json()["problem"]
    placed = [replace(p, hide=f"{table.hide}-x") for p in lay.lay.placements]
    lays.save(bare, replace(lay.lay, placements=tuple(placed)), "engine", base=1)
    rename = HideRow.update(version=on.version + 1).where(HideRow.id == other_id)
    connected(rename.execute)()
    changed = workshop.post(f"/api/lays/{bare}/cut", json={"hide": f"{table.hide}-x"})
    assert changed.status_code == 409 and "changed since" in changed.json()["problem"]
    sent = [Tick("t-123456", "seat", 0, "recut", 0.0), Tick("t-123457", "hat", 0, "done", 0.0)]
    told = cutting.tick(table.id, [*sent, Tick("t-123458", "seat", 0, "skip", 0.0)])
    assert "no act" in told.refused["t-123456"] and "no piece" in told.refused["t-123457"]
    assert set(told.refused) == {"t-123456", "t-123457"} and told.states["seat", 0].act == "skip"
    assert isinstance(on, LaidOn)


def test_the_prints_and_files_of_a_cut_come_whole(table: Table) -> None:
    at = f"/api/cut/{table.id}"
    for path, begins in (
        ("docket.pdf", b"%PDF"),
        ("labels.pdf", b"%PDF"),
        ("print.pdf?paper=roll&flesh=true", b"%PDF"),
        ("plot/hpgl", b"IN;"),
        ("plot/dxf", b"  0\nSECTION"),
    ):
        answer = table.page.get(f"{at}/{path}")
        assert answer.status_code == 200 and answer.content.startswith(begins), path
    places = table.page.get(f"{at}/placing").json()
    assert [(p["piece"], p["copy_number"]) for p in places] == keys_of(table)
    assert all(any(w in p["words"] for w in ("mm", "stops", "level")) for p in places)


def test_how_the_shop_cuts_is_kept_and_nonsense_refused(workshop: TestClient) -> None:
    own = workshop.get("/api/cut-choices").json()
    chosen = own | {"school": "straps last", "pace": 1.4}
    assert workshop.put("/api/cut-choices", json=chosen).status_code == 204
    assert workshop.get("/api/cut-choices").json() == chosen
    assert workshop.put("/api/cut-choices", json=own | {"pace": 0}).status_code == 409
    learned = workshop.get("/api/cut-pace").json()
    assert learned["pace"] > 0 and (learned["pieces"] == 0) == (learned["planned_min"] == 0)
    assert workshop.put("/api/cut-choices", json=own | {"punches_mm": [-3]}).status_code == 409
    assert workshop.put("/api/cut-choices", json=own).status_code == 204
