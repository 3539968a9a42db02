"""What a batch orders: changed, imported, held, given up, copied; its lays brought along; short leather."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from typing import Any

import pytest
from fastapi.testclient import TestClient
from hypothesis import given
from hypothesis import strategies as st

from fairlay.core.errors import Refused
from fairlay.core.formats.order_csv import read_order
from fairlay.core.lay import broken_rules
from fairlay.store import hides, lays
from fairlay.work.laying import lay_one

NAMES = {"camp chair": "camp-chair", "camp-chair": "camp-chair", "stove mitt": "stove-mitt"}


@pytest.fixture
def batch(workshop: TestClient, request: pytest.FixtureRequest) -> Any:
    """A batch of four chairs."""
    chair = next(a for a in workshop.get("/api/articles").json() if a["slug"] == "camp-chair")
    number = f"N-{abs(hash(request.node.name)) % 10**6}"
    asked = {"number": number, "name": "Chairs", "lines": [{"article_id": chair["id"], "quantity": 4}]}
    made = workshop.post("/api/batches", json=asked)
    assert made.status_code == 201, made.text
    return workshop.get(f"/api/batches/{made.json()['id']}").json()


def change(page: TestClient, batch: Any, **changed: Any) -> Any:
    lines = [{k: line[k] for k in ("article_id", "quantity")} for line in batch["lines"]]
    asked = {"version": batch["version"], "name": batch["name"], "lines": lines, **changed}
    return page.put(f"/api/batches/{batch['id']}", json=asked)


def test_an_order_is_changed_and_its_lay_is_brought_along(workshop: TestClient, batch: Any) -> None:
    body = next(m for m in batch["materials"] if m["material"] == "body leather")
    free = [
        h.id for h in hides.rack() if h.material == "body leather" and h.state in ("looked over", "received")
    ]
    begun = workshop.post(
        f"/api/batches/{batch['id']}/lays",
        json={"material": "body leather", "hide_ids": free[:2], "objective": "order", "shared": True},
    ).json()["id"]
    job = workshop.post(
        f"/api/lays/{begun}/run", json={"seconds": 1.5, "hides": [], "keep_all": False}
    ).json()
    lay_one(job["id"])
    laid = workshop.get(f"/api/lays/{begun}").json()
    assert laid["state"]["placements"] and not laid["asked_otherwise"]
    mitt = next(a for a in workshop.get("/api/articles").json() if a["slug"] == "stove-mitt")
    chair = batch["lines"][0]["article_id"]
    lines = [
        {"article_id": chair, "quantity": 2, "colour": "chestnut"},
        {"article_id": mitt["id"], "quantity": 3},
    ]
    assert change(workshop, batch, lines=lines).json() == {"version": 2}
    assert change(workshop, batch).status_code == 409, "of an older version"
    now = workshop.get(f"/api/batches/{batch['id']}").json()
    assert [(line["quantity"], line["colour"]) for line in now["lines"]] == [(2, "chestnut"), (3, "")]
    assert now["lines"][0]["revision"] == batch["lines"][0]["revision"]
    told = workshop.get(f"/api/lays/{begun}").json()
    assert told["asked_otherwise"] and told["state"]["placements"] == laid["state"]["placements"]
    brought = workshop.post(f"/api/lays/{begun}/batch", json={"base": told["head"]}).json()
    after = lays.load(begun)
    assert brought["taken_up"] == len(laid["state"]["placements"]) - len(after.lay.placements) > 0
    assert broken_rules(after.job, after.lay) == () and after.lay.placements
    assert body["pieces"] > sum(p.quantity for p in after.job.pieces if p.id.startswith("camp-chair"))
    assert not workshop.get(f"/api/lays/{begun}").json()["asked_otherwise"]


@pytest.mark.parametrize(
    ("lines", "says"),
    [
        ([], "lines"),
        ([{"article_id": 99_999, "quantity": 1}], "there is no article 99999"),
        ([{"article_id": 1, "quantity": 1}, {"article_id": 1, "quantity": 2}], "is ordered twice"),
        ([{"article_id": 1, "quantity": 0}], "quantity"),
        ([{"article_id": 1, "quantity": 100_000}], "quantity"),
        ([{"article_id": 1, "quantity": 1, "priority": 9}], "priority"),
    ],
)
def test_an_order_that_makes_no_sense_changes_nothing(
    workshop: TestClient, batch: Any, lines: list[dict[str, Any]], says: str
) -> None:
    answer = change(workshop, batch, lines=lines)
    assert answer.status_code in (409, 422) and says in answer.text
    assert workshop.get(f"/api/batches/{batch['id']}").json()["lines"] == batch["lines"]


def test_a_batch_is_held_taken_up_given_up_and_ordered_once_more(workshop: TestClient, batch: Any) -> None:
    at = f"/api/batches/{batch['id']}"
    free = next(
        h for h in hides.rack() if h.material == "body leather" and h.state in ("looked over", "received")
    )
    workshop.post(f"{at}/leather", json={"add": [free.id], "drop": []})
    assert workshop.get(at).json()["state"] == "leather chosen"
    assert workshop.put(f"{at}/standing", json={"standing": "held"}).status_code == 204
    assert "is held" in change(workshop, batch).json()["problem"]
    begun = {"material": "body leather", "hide_ids": [free.id], "objective": "order"}
    for act, asked in (("lays", begun), ("leather", {"add": [free.id], "drop": []})):
        assert "is held" in workshop.post(f"{at}/{act}", json=asked).json()["problem"]
    assert workshop.post(f"{at}/leather", json={"add": [], "drop": [free.id]}).status_code == 204
    workshop.put(f"{at}/standing", json={"standing": "open"})
    assert change(workshop, batch, name="Four chairs").status_code == 200
    workshop.put(f"{at}/standing", json={"standing": "given up"})
    given = workshop.get(at).json()
    assert given["standing"] == "given up" and given["state"] == "planned" and given["chosen"] == 0
    assert next(h for h in hides.rack() if h.id == free.id).state == free.state, "its leather is free again"
    copied = workshop.post(f"{at}/copies", json={"number": f"{batch['number']}b"})
    again = workshop.get(f"/api/batches/{copied.json()['id']}").json()
    assert again["lines"] == batch["lines"] and again["standing"] == "open" and again["name"] == "Four chairs"
    assert workshop.post(f"{at}/copies", json={"number": batch["number"]}).status_code == 409
    assert workshop.put(f"{at}/standing", json={"standing": "lost"}).status_code == 422


def test_two_who_change_an_order_at_once_lose_nothing(workshop: TestClient, batch: Any) -> None:
    article = batch["lines"][0]["article_id"]

    def ask(quantity: int) -> int:
        return int(change(workshop, batch, lines=[{"article_id": article, "quantity": quantity}]).status_code)

    with ThreadPoolExecutor(4) as pool:
        codes = sorted(pool.map(ask, range(10, 14)))
    assert codes == [200, 409, 409, 409], "one of them, and the others are told"
    now = workshop.get(f"/api/batches/{batch['id']}").json()
    assert now["version"] == 2 and len(now["lines"]) == 1 and 10 <= now["lines"][0]["quantity"] <= 13


def test_leather_that_cannot_be_enough_is_told_before_anything_is_laid(
    workshop: TestClient, batch: Any
) -> None:
    many = [{"article_id": batch["lines"][0]["article_id"], "quantity": 900}]
    assert change(workshop, batch, lines=many).status_code == 200
    materials = workshop.get(f"/api/batches/{batch['id']}").json()["materials"]
    body = next(m for m in materials if m["material"] == "body leather")
    assert any("at most fit the" in s and "wanted" in s for s in body["short_on_rack"])
    assert any("is fair to any of them" in s for s in body["short_on_rack"])
    few = [{"article_id": batch["lines"][0]["article_id"], "quantity": 1}]
    batch["version"] += 1
    change(workshop, batch, lines=few)
    materials = workshop.get(f"/api/batches/{batch['id']}").json()["materials"]
    assert next(m for m in materials if m["material"] == "body leather")["short_on_rack"] == []


def test_a_table_is_taken_whole(workshop: TestClient) -> None:
    text = "Article;Quantity;Due;Colour\nCamp chair;4;2026-12-01;chestnut\n\nstove-mitt; 10;;\n"
    rows = workshop.post("/api/batches/order-table", json={"text": text}).json()
    assert [(r["quantity"], r["colour"], r["due_on"]) for r in rows] == [
        (4, "chestnut", "2026-12-01"),
        (10, "", None),
    ]
    wrong = ("Camp chair,0,", "Camp chair,4,2026-02-30", "lamp,1,", "Stove Mitts,many,")
    bad = "\n".join(["article,quantity,due", *wrong, "stove mitts,2,", "stove-mitt,2,2026-12-01"])
    told = workshop.post("/api/batches/order-table", json={"text": bad}).json()["problem"]
    for says in (
        "line 2: a quantity of 0",
        "line 3: a day '2026-02-30'",
        "line 4: there is no article 'lamp'",
        "line 5: a quantity of 'many'",
        "line 7: stove-mitt stands in the table already",
        "nothing was taken",
    ):
        assert says in told


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("", "the table is empty"),
        ("article,shade\nCamp chair,3", "no column quantity"),
        ("Order of the week\nqty\n3", "no column article"),
        ("article,quantity\nCamp char,3", "no article 'Camp char'; the nearest is 'camp chair'"),
        ("article,quantity\n,3", "line 2: it names no article"),
        ("article,quantity\nCamp chair,12.000", "may be 12 or 12000"),
        ("article,quantity\nCamp chair,2.5", "a quantity of '2.5'"),
        ("article,quantity\nCamp chair,9999\ncamp-chair,2", "line 3: more than 10000"),
        ("article,quantity,due\nCamp chair,3,05/06/2026", "may be 2026-06-05 or 2026-05-06"),
        ("article,quantity,due\nCamp chair,3,31 Smarch 2026", "a day '31 Smarch 2026'"),
        ("article,quantity,due\nCamp chair,3,31.02.2026", "a day '31.02.2026'"),
        ("article,quantity,quantity\nCamp chair,3,4", "twice the column quantity"),
        ("article,quantity\n", "no row under the head line"),
        ("article,quantity\nCamp chair,3,4,5", "more cells than the head line"),
        ("article,quantity\nCamp chair,100000", "a quantity of 100000"),
        ("article,quantity,priority\nCamp chair,1,-1", "a priority of '-1'"),
    ],
)
def test_a_table_that_is_wrong_says_where(text: str, says: str) -> None:
    with pytest.raises(Refused, match=says):
        read_order(text, NAMES)


@pytest.mark.parametrize(
    ("text", "rows"),
    [
        ("\ufeffItem;Qty.;Color\nCAMP CHAIRS;12 pcs;chestnut\n", [("camp-chair", 12, "chestnut", "")]),
        (
            "sep=;\nQuillback Yard;;\n\nNo;Product;Due Date;Order_Qty\n1;Camp  chair;31.05.2026;1,200\n"
            ";Total;;1200",
            [("camp-chair", 1200, "", "2026-05-31")],
        ),
        ("article\tquantity\tdue\ncamp-chair\t3.0\t5/31/2026", [("camp-chair", 3, "", "2026-05-31")]),
        (
            "article,quantity,due by\ncamp chair,2,2026-05-31 00:00:00\nCamp chair,x3,31 May 2026",
            [("camp-chair", 5, "", "2026-05-31")],
        ),
        ('"Name","How many","Notes"\n"Stove mitts","4","left, right"', [("stove-mitt", 4, "", "")]),
        (
            "article,quantity,due\ncamp chair,1,May 3, 2026".replace("3, ", "3 "),
            [("camp-chair", 1, "", "2026-05-03")],
        ),
    ],
)
def test_a_table_is_read_as_any_program_writes_it(text: str, rows: list[tuple[str, int, str, str]]) -> None:
    assert [(r.article, r.quantity, r.colour, r.due_on) for r in read_order(text, NAMES)] == rows


@given(st.text(st.characters(codec="utf-8"), max_size=200))
def test_no_table_breaks_the_reader(text: str) -> None:
    for whole in (text, "article,quantity\n" + text):
        try:
            rows = read_order(whole, NAMES)
        except Refused as told:
            assert "expected" in str(told)
        else:
            assert all(r.quantity >= 1 and r.article in NAMES.values() for r in rows)
