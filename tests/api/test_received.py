"""Leather received over HTTP: lots, invoices, hides, claims, tags."""

from __future__ import annotations

from typing import Any
from unittest import mock

import pytest
from fastapi.testclient import TestClient

from tests.api.leather_room import LOT, by_rule, delivery, room


def test_a_lot_is_received_hide_by_hide(workshop: TestClient) -> None:
    d = delivery(workshop, 21.25, 22.5)
    numbers = [h["number"] for h in d["hides"]]
    assert len(set(numbers)) == 2 and all(n.startswith("T-") for n in numbers)
    assert (
        d["hides"][0]["invoice_m2"] == pytest.approx(21.25 * 0.09290304)
        and d["hides"][0]["measured_m2"] is None
    )
    assert d["words"] == "no hide of this lot is measured yet" and not d["closed"]
    more = workshop.post(
        f"/api/leather/deliveries/{d['id']}/hides", json={"kind": "shoulder", "areas": [9.0], "prefix": "T-"}
    )
    assert more.status_code == 201
    again = workshop.get(f"/api/leather/deliveries/{d['id']}").json()
    assert len(again["hides"]) == 3 and {h["kind"] for h in again["hides"]} == {"side", "shoulder"}
    rack = {h["id"]: h for h in workshop.get("/api/leather").json()}
    new = rack[more.json()[0]["id"]]
    assert (
        new["state"] == "received"
        and not new["measured"]
        and not new["looked_enough"]
        and new["delivery_id"] == d["id"]
    )


def test_rolls_come_off_the_lorry_with_their_width(workshop: TestClient) -> None:
    d = delivery(workshop, material="lining", unit="m2", price=18.0, thickness_mm=1.0)
    path = f"/api/leather/deliveries/{d['id']}/hides"
    made = workshop.post(path, json={"kind": "roll", "areas": [12.6, 7.0], "prefix": "L-", "width_mm": 1400})
    assert made.status_code == 201, made.text
    rack = {h["id"]: h for h in workshop.get("/api/leather").json()}
    first = rack[made.json()[0]["id"]]
    assert (
        first["kind"] == "roll"
        and first["area_m2"] == pytest.approx(12.6)
        and first["cost_per_m2"] == pytest.approx(18.0)
    )
    assert first["measured"] and first["looked_enough"] and first["state"] == "looked over", (
        "there is nothing to look over on a roll"
    )
    known = room(workshop, first["id"])
    assert known["looked"] == "woven: nothing to look over" and known["flaws"] == []
    refused = workshop.post(path, json={"kind": "roll", "areas": [12.6], "prefix": "L-"})
    assert refused.status_code == 422 and "without its width" in refused.json()["problem"]
    after = workshop.get(f"/api/leather/deliveries/{d['id']}").json()
    assert len(after["hides"]) == 2 and after["measured"] == 0 and not after["claim"], (
        "a roll is as long as its invoice says: nothing was measured"
    )
    asked = {"material": "lining", "hide_ids": [first["id"]], "objective": "order"}
    begun = [
        workshop.post(f"/api/batches/{b['id']}/lays", json=asked) for b in workshop.get("/api/batches").json()
    ]
    lays = [made.json()["id"] for made in begun if made.status_code == 201]
    assert lays and all(workshop.get(f"/api/lays/{lay}").json()["doubts"] == [] for lay in lays)


def test_all_hides_come_off_the_lorry_or_none(workshop: TestClient) -> None:
    d = delivery(workshop)
    bad = workshop.post(
        f"/api/leather/deliveries/{d['id']}/hides",
        json={"kind": "side", "areas": [21.0, -4.0], "prefix": "T-"},
    )
    assert bad.status_code == 422 and "area of -4" in bad.json()["problem"]
    assert workshop.get(f"/api/leather/deliveries/{d['id']}").json()["hides"] == []


def test_a_lot_is_begun_once(workshop: TestClient) -> None:
    d = delivery(workshop)
    twice = workshop.post("/api/leather/deliveries", json={"invoice": {**LOT, "lot": d["invoice"]["lot"]}})
    assert twice.status_code == 409 and "begun already" in twice.json()["problem"]
    assert (
        workshop.post(
            "/api/leather/deliveries", json={"invoice": {**LOT, "lot": "x", "price": -1}}
        ).status_code
        == 422
    )
    assert workshop.get("/api/leather/deliveries/99999").status_code == 404


def test_a_changed_invoice_reaches_its_hides(workshop: TestClient) -> None:
    d = delivery(workshop, 20.0)
    to = {
        "invoice": {**d["invoice"], "price": 100.0, "unit": "m2", "colour": "russet"},
        "note": "price was wrong",
        "closed": True,
    }
    url, hide_id = f"/api/leather/deliveries/{d['id']}", d["hides"][0]["id"]

    def hide() -> dict[str, Any]:
        return next(h for h in workshop.get("/api/leather").json() if h["id"] == hide_id)

    came = hide()
    assert workshop.put(url, json=to).status_code == 204
    assert hide() == came, "what was received stays what it came at"
    assert workshop.put(url, json={**to, "correct": True}).status_code == 204
    assert hide()["cost_per_m2"] == 100.0 and hide()["colour"] == "russet"
    told = workshop.get(f"/api/leather/hides/{hide_id}/history").json()[0]
    assert told["words"] == "invoice corrected: colour, price"
    assert workshop.put(url, json={**to, "correct": True}).status_code == 204
    assert len(workshop.get(f"/api/leather/hides/{hide_id}/history").json()) == 2, "nothing more to correct"
    after = workshop.get(f"/api/leather/deliveries/{d['id']}").json()
    assert after["closed"] and after["note"] == "price was wrong"


def test_a_hide_goes_back_unless_something_was_planned_with_it(workshop: TestClient) -> None:
    d = delivery(workshop, 20.0, 21.0)
    first, second = (h["id"] for h in d["hides"])
    assert workshop.delete(f"/api/leather/hides/{first}").status_code == 204
    assert workshop.delete(f"/api/leather/hides/{first}").status_code == 404
    batch = workshop.get("/api/batches").json()[0]["id"]
    assert workshop.post("/api/leather/acts", json={"ids": [second], "batch_id": batch}).status_code == 204
    kept = workshop.delete(f"/api/leather/hides/{second}")
    assert kept.status_code == 409 and "is kept for " in kept.json()["problem"]


def test_measured_area_is_money(workshop: TestClient) -> None:
    d = delivery(workshop, 21.25, 22.5)
    hide = d["hides"][0]["id"]
    assert workshop.get(f"/api/leather/deliveries/{d['id']}/claim.pdf").status_code == 409
    seen = by_rule(workshop, hide, 0.9)
    assert (
        workshop.post(f"/api/leather/hides/{hide}/accept", json={"outline": seen["outline"]}).status_code
        == 200
    )
    after = workshop.get(f"/api/leather/deliveries/{d['id']}").json()
    row = after["hides"][0]
    assert row["measured"] and after["measured"] == 1
    assert row["off_money"] == pytest.approx((row["measured_m2"] - row["invoice_m2"]) * 8.4 / 0.09290304)
    assert after["claim"] == (after["off_share"] < -0.02) and after["claim"]
    claim = workshop.get(f"/api/leather/deliveries/{d['id']}/claim.pdf")
    assert claim.headers["content-type"] == "application/pdf" and claim.content.startswith(b"%PDF-")
    assert f"claim-{d['invoice']['lot']}.pdf" in claim.headers["content-disposition"]


def test_what_never_came_is_claimed_once_no_more_is_coming(workshop: TestClient) -> None:
    d = delivery(workshop, 21.0, 22.0, area=64.5, hides=3)
    assert (d["out_hides"], d["out_m2"]) == (1, pytest.approx(21.5 * 0.09290304)) and not d["claim"]
    assert workshop.get(f"/api/leather/deliveries/{d['id']}/claim.pdf").status_code == 409, (
        "nothing to claim yet"
    )
    path = f"/api/leather/deliveries/{d['id']}"
    assert (
        workshop.put(
            path, json={"invoice": d["invoice"], "note": "the third is lost", "closed": True}
        ).status_code
        == 204
    )
    closed = workshop.get(path).json()
    assert (
        closed["claim"]
        and closed["words"].startswith("1 of its hides never came; short by 33.3%")
        and closed["claim_money"] == pytest.approx(21.5 * 8.4)
    )
    assert workshop.get(path + "/claim.pdf").status_code == 200, (
        "what never came is claimed though no hide is measured"
    )
    first = d["hides"][0]["id"]
    by_rule(workshop, first)
    outline = room(workshop, first)["seen"]["outline"]
    assert workshop.post(f"/api/leather/hides/{first}/accept", json={"outline": outline}).status_code == 200
    both = workshop.get(path).json()
    assert (
        both["claim_money"] == pytest.approx(21.5 * 8.4 - both["off_money"])
        and "(1 of 2 hides measured)" in both["words"]
    )
    assert workshop.get(path + "/claim.pdf").content.startswith(b"%PDF-")
    assert workshop.put(path, json={"invoice": d["invoice"], "note": "", "closed": False}).status_code == 204
    assert "never came" not in workshop.get(path).json()["words"], "more is coming in again"
    over = delivery(workshop, 21.0, 22.0, area=40.0, hides=1)
    assert over["out_hides"] == -1 and over["out_m2"] == pytest.approx(-3 * 0.09290304) and not over["claim"]
    bad = workshop.post("/api/leather/deliveries", json={"invoice": {**LOT, "lot": "T-bad", "hides": -1}})
    assert bad.status_code == 422 and "hides" in bad.json()["problem"]


def test_tags_and_markers_are_printed(workshop: TestClient) -> None:
    d = delivery(workshop, 20.0, 21.0)
    ids = ",".join(str(h["id"]) for h in d["hides"])
    assert workshop.get(f"/api/leather/tags.pdf?ids={ids}").content.startswith(b"%PDF-")
    assert workshop.get("/api/leather/tags.pdf?ids=abc").status_code == 409
    before = workshop.get("/api/leather/settings").json()
    assert workshop.put("/api/leather/settings", json={**before, "address": "bench"}).status_code == 409
    try:
        assert (
            workshop.put(
                "/api/leather/settings", json={**before, "address": "http://bench.local:8000/"}
            ).status_code
            == 204
        )
        with mock.patch("fairlay.api.receiving.tags_pdf", return_value=b"") as printed:
            workshop.get(f"/api/leather/tags.pdf?ids={ids}")
        assert [t.address for t in printed.call_args.args[0]] == [
            f"http://bench.local:8000/leather/{h['id']}" for h in d["hides"]
        ]
    finally:
        assert workshop.put("/api/leather/settings", json=before).status_code == 204
    assert workshop.get("/api/leather/tags.pdf?ids=99999").status_code == 404
    assert workshop.get("/api/leather/markers.pdf?count=2").content.startswith(b"%PDF-")
    assert workshop.get("/api/leather/markers.pdf?count=0").status_code == 422
