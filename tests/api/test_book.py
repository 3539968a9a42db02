"""The Book, buying, costing and practice over the API: a hide cut and closed to its page, what is learned and
taken, what is forecast, and what is told plainly where records are none or wrong.
"""

from __future__ import annotations

import io
import random
import threading
import time
from collections.abc import Iterator
from typing import Any

import pypdf
import pytest
from fastapi.testclient import TestClient

from fairlay.demo.year import put_year
from fairlay.store import book, forecasts, jobs, lays, people, practice
from fairlay.store import database as store
from fairlay.store.acting import acting_as
from fairlay.store.book import Asked
from fairlay.store.book_rows import BookHideRow, BookPieceRow, WorldRow
from fairlay.store.cut_rows import CutSheetRow
from fairlay.store.database import connected
from fairlay.store.settings import CURRENCIES
from fairlay.store.tables import ArticleRevisionRow, ArticleRow, DeliveryRow, JobRow, SettingRow
from fairlay.store.work_asked import LayWork
from fairlay.work.asking import ask_one
from fairlay.work.forecasting import forecast_one, help_forecast
from fairlay.work.laying import lay_one
from tests.api.conftest import at_this_machine, open_at
from tests.api.on_a_side import Table

BY = ("hide", "mill", "lot", "grade", "material", "batch", "month", "article", "piece", "cutter")


@pytest.fixture(autouse=True)
def one_money(workshop: TestClient) -> Iterator[None]:
    """The shop's money has no name, and never had one, whatever other tests called it."""

    def unnamed() -> None:
        SettingRow.delete().where(SettingRow.name == CURRENCIES.name).execute()
        BookHideRow.update(currency="").execute()

    chosen = workshop.get("/api/leather/settings").json()
    workshop.put("/api/leather/settings", json={**chosen, "currency": ""})
    connected(unnamed)()
    yield
    workshop.put("/api/leather/settings", json=chosen)
    connected(unnamed)()


def _forget_revisions(slug: str) -> None:
    """Take back what a test made of the demo's articles: other tests know them at their first revision."""
    own = ArticleRow.get(ArticleRow.slug == slug).id
    ArticleRevisionRow.delete().where(
        ArticleRevisionRow.article == own, ArticleRevisionRow.number > 1
    ).execute()


def _laid(page: TestClient, number: str, articles: dict[str, int]) -> Table:
    """A batch of its own on a side of its own, laid; the side is begun to be cut."""
    known = {a["slug"]: a["id"] for a in page.get("/api/articles").json()}
    lines = [{"article_id": known[slug], "quantity": n} for slug, n in articles.items()]
    batch = page.post("/api/batches", json={"number": f"T-{number}", "name": "to cut", "lines": lines}).json()
    delivery = {
        "invoice": {
            "mill": "Oxlade Pits",
            "lot": f"lot {number}",
            "area": 12,
            "unit": "ft2",
            "hides": 1,
            "price": 9.5,
            "material": "body leather",
            "tannage": "vegetable",
            "finish": "",
            "colour": "russet",
            "temper": "medium",
            "thickness_mm": 2.3,
            "grade": "1",
        },
        "received_on": "2026-11-02",
        "note": "",
    }
    made = page.post("/api/leather/deliveries", json=delivery)
    assert made.status_code == 201, made.text
    hides = page.post(
        f"/api/leather/deliveries/{made.json()['id']}/hides",
        json={"kind": "side", "areas": [12.0], "prefix": f"{number}-"},
    )
    assert hides.status_code == 201, hides.text
    hide = next(h for h in page.get("/api/leather").json() if h["number"].startswith(f"{number}-"))
    asked = {"material": "body leather", "hide_ids": [hide["id"]], "objective": "order"}
    lay = page.post(f"/api/batches/{batch['id']}/lays", json=asked).json()["id"]
    lay_one(jobs.add_job(lay, 0.5, 1, LayWork((), (), False, 1)))
    return Table(page, lay, hide["number"], hide["id"])


def _cut(table: Table, spoil: int = 0, seconds: float = 30.0) -> None:
    """Cut a hide piece by piece and close it; the first ones are spoilt, and cut again where
    they find room.
    """
    begun = time.time() - 5000
    keys = [(p["piece"], p["copy_number"]) for p in table.now()["placements"]]
    for k, key in enumerate(keys[:spoil]):
        table.send(table.tick(key, "spoilt", begun + k * seconds, reason="the knife slipped"))
        table.page.post(f"/api/cut/{table.id}/recut", json={"piece": key[0], "copy_number": key[1]})
    there = {(p["piece"], p["copy_number"]) for p in table.now()["placements"]}
    # Those that are cut again were asked for just now: they are done after that.
    at = [
        time.time() + k if key in keys[:spoil] else begun + 1000 + k * seconds for k, key in enumerate(keys)
    ]
    table.send(*(table.tick(key, "done", at[k]) for k, key in enumerate(keys) if key in there))
    closed = table.page.post(f"/api/cut/{table.id}/close", json={})
    assert closed.status_code == 201, closed.text


def _row(sheet: int) -> dict[str, Any]:
    return dict(connected(lambda: BookHideRow.select().where(BookHideRow.sheet == sheet).dicts().get())())


def test_a_closed_hide_has_its_page_and_its_money_adds_up(workshop: TestClient) -> None:
    before = workshop.get("/api/book/where").json()["told"]["hides"]
    table = _laid(workshop, "BK1", {"stove-mitt": 2})
    _cut(table, spoil=1)
    found = workshop.get("/api/book/where").json()
    assert found["told"]["hides"] == before + 1
    (hide,) = [h for h in workshop.get("/api/book/hides").json() if h["sheet"] == table.id]
    assert sum(p["m2"] for p in hide["parts"]) == pytest.approx(hide["bought_m2"], abs=1e-4)
    assert sum(p["cents"] for p in hide["parts"]) == hide["cents"] and hide["lot"] == "lot BK1"
    # What the offcuts took along is what the Book has on the rack again.
    rack = [h for h in workshop.get("/api/leather").json() if h["number"].startswith(f"{hide['number']}-")]
    kept = next(p for p in hide["parts"] if p["part"] == "kept")
    assert sum(h["area_m2"] for h in rack) == pytest.approx(kept["m2"], abs=1e-4)
    batch = workshop.get(f"/api/book/batches/{hide['batch_id']}").json()
    mitts = batch["articles"][0]
    assert mitts["spoilt"] == 1 and batch["reasons"] == [{"reason": "the knife slipped", "pieces": 1}]
    assert batch["figures"]["planned_yield"] is not None and batch["figures"]["timed"] == 1
    assert mitts["cents"] == hide["cents"] - kept["cents"] and mitts["whole"] <= mitts["ordered"]
    for what in BY:
        page = workshop.get(f"/api/book/by/{what}").json()
        assert page["groups"] or page["pieces"], what
        csv = workshop.get(f"/api/book/{what}.csv")
        assert csv.status_code == 200 and len(csv.text.splitlines()) == 1 + len(
            page["groups"] or page["pieces"]
        )
    month = hide["closed_on"][:7]
    printed = pypdf.PdfReader(io.BytesIO(workshop.get(f"/api/book/month/{month}.pdf").content))
    assert "Where it went" in printed.pages[0].extract_text()
    empty = pypdf.PdfReader(io.BytesIO(workshop.get("/api/book/month/2019-02.pdf").content))
    assert "No hide was closed" in empty.pages[0].extract_text()
    assert workshop.get("/api/book/month/2019-13.pdf").status_code == 404
    nothing = workshop.get("/api/book/where", params={"until": "2001-01-01"}).json()
    assert nothing["figures"]["hides"] == 0 and nothing["figures"]["yields"]["value"] is None
    assert nothing["months"] == [] and nothing["stand_out"] == []


def test_the_book_is_made_anew_of_the_same_facts(workshop: TestClient) -> None:
    table = _laid(workshop, "BK2", {"stove-mitt": 1})
    _cut(table)
    first = _row(table.id)
    pieces = workshop.get("/api/book/by/piece").json()["pieces"]
    connected(lambda: (BookPieceRow.delete().execute(), BookHideRow.delete().execute()))()
    assert book.keep_up() >= 1 and _row(table.id) == first
    assert workshop.get("/api/book/by/piece").json()["pieces"] == pieces


def test_a_hide_with_more_pieces_than_leather_waits_until_somebody_looks(workshop: TestClient) -> None:
    table = _laid(workshop, "BK3", {"stove-mitt": 1})
    _cut(table)
    counted = workshop.get("/api/book/where").json()["told"]
    account = connected(lambda: CutSheetRow.get_by_id(table.id).account)()
    wrong = {**account, "pieces_m2": account["whole_m2"] * 1.4}
    connected(lambda: CutSheetRow.update(account=wrong).where(CutSheetRow.id == table.id).execute())()
    book.write_down([table.id])
    told = workshop.get("/api/book/where").json()["told"]
    assert told["hides"] == counted["hides"] - 1 and told["doubted"] == counted["doubted"] + 1
    (own,) = [
        h for h in workshop.get("/api/book/hides", params={"doubted": True}).json() if h["sheet"] == table.id
    ]
    assert "more pieces than leather" in own["doubt"] and not own["counts"]
    say = f"/api/book/hides/{table.id}/decide"
    assert workshop.post(say, json={"counts": True, "words": " "}).status_code == 409
    assert (
        workshop.post(say, json={"counts": True, "words": "two mitts were ticked twice"}).status_code == 204
    )
    told = workshop.get("/api/book/where").json()["told"]
    assert told["hides"] == counted["hides"] and told["doubted"] == counted["doubted"]
    # A batch cut twice by mistake is told, and one of its hides can be left out.
    batch = f"/api/book/batches/{own['batch_id']}"
    connected(
        lambda: (
            BookPieceRow.update(done=BookPieceRow.done * 2).where(BookPieceRow.sheet == table.id).execute()
        )
    )()
    assert any("cut twice" in w for w in workshop.get(batch).json()["warnings"])
    assert workshop.post(say, json={"counts": False, "words": "cut twice, taken back"}).status_code == 204
    assert workshop.get(batch).json()["figures"]["hides"] == 0
    book.write_down([table.id])  # what was decided outlives the rows
    assert not _row(table.id)["counts"]
    assert (
        workshop.post("/api/book/hides/99999/decide", json={"counts": True, "words": "x"}).status_code == 404
    )


def test_prices_of_another_currency_are_not_added(workshop: TestClient) -> None:
    table = _laid(workshop, "BK4", {"stove-mitt": 1})
    _cut(table)
    chosen = workshop.get("/api/leather/settings").json()
    for name in ("crowns", "florins"):
        assert workshop.put("/api/leather/settings", json={**chosen, "currency": name}).status_code == 204
        named = workshop.get("/api/book/where").json()
        # The first name is that of all there is; another leaves that where it was.
        assert named["told"]["currencies"] == {"crowns": named["told"]["hides"]}
        assert named["figures"]["hides"] == (named["told"]["hides"] if name == "crowns" else 0)
    old = workshop.get("/api/book/where", params={"currency": "crowns"}).json()
    assert old["figures"]["hides"] == old["told"]["hides"] > 0
    table = _laid(workshop, "BK6", {"stove-mitt": 1})
    _cut(table)
    assert _row(table.id)["currency"] == "crowns"  # bought before the money was changed


def test_a_learned_figure_changes_a_plan_only_when_it_is_taken(workshop: TestClient) -> None:
    table = _laid(workshop, "BK5", {"tripod-stool": 1})
    _cut(table, spoil=2)
    page = workshop.get("/api/book/learned").json()
    own = next(f for f in page["figures"] if f["of"].startswith("tripod-stool/"))
    assert own["planned"] == 0 and own["proposed"] > 0 and own["low"] < own["value"] < own["high"]
    article = next(a for a in workshop.get("/api/articles").json() if a["slug"] == "tripod-stool")
    taken = workshop.post("/api/book/learned/take", json={"kind": "spares", "of": own["of"]})
    assert taken.status_code == 200 and taken.json()["planned"] == own["proposed"], taken.text
    newer = next(a for a in workshop.get("/api/articles").json() if a["slug"] == "tripod-stool")
    assert newer["revision"] > article["revision"]  # planned in batches: a revision of its own
    again = workshop.post("/api/book/learned/take", json={"kind": "spares", "of": own["of"]})
    assert again.status_code == 409 and "already" in again.json()["problem"]
    assert workshop.post("/api/book/learned/take", json={"kind": "pace", "of": "nobody"}).status_code == 404
    # A yield that is taken tells batches how much leather they will likely use.
    batch = f"/api/batches/{workshop.get('/api/batches').json()[0]['id']}"
    need = next(m for m in workshop.get(batch).json()["materials"] if m["material"] == "body leather")
    assert need["likely_m2"] is None
    leather = next(f for f in page["figures"] if f["kind"] == "yield")
    assert (
        workshop.post("/api/book/learned/take", json={"kind": "yield", "of": leather["of"]}).status_code
        == 200
    )
    need = next(m for m in workshop.get(batch).json()["materials"] if m["material"] == "body leather")
    assert need["likely_m2"] == pytest.approx(need["area_m2"] / leather["proposed"])
    last = workshop.get("/api/book/learned").json()["history"][1]
    assert (last["of"], last["was"], last["value"]) == (own["of"], 0, own["proposed"]) and last["by"]
    worth = {"1": 1, "2": 1, "3": 1, "4": 0.5}
    assert workshop.put("/api/book/class-worth", json={"worth": worth}).status_code == 204
    assert workshop.put("/api/book/class-worth", json={"worth": {"1": 0}}).status_code == 409
    assert workshop.get("/api/book/learned").json()["class_worth"] == worth
    connected(lambda: _forget_revisions("tripod-stool"))()


def test_a_note_comes_up_where_it_matters_and_becomes_a_revision(workshop: TestClient) -> None:
    article = next(a for a in workshop.get("/api/articles").json() if a["slug"] == "camp-chair")
    note = {
        "subject": "article",
        "of": article["id"],
        "piece": "post-loop",
        "words": "loop too tight on the post",
    }
    made = workshop.post("/api/book/notes", json=note)
    assert made.status_code == 201
    for bad in ({**note, "of": 999}, {**note, "piece": "no-such"}):
        assert workshop.post("/api/book/notes", json=bad).status_code == 404
    assert workshop.post("/api/book/notes", json={**note, "words": " "}).status_code == 409
    here = {"subject": "article", "of": article["id"]}
    assert [n["words"] for n in workshop.get("/api/book/notes", params=here).json()] == [note["words"]]
    became = workshop.post(f"/api/book/notes/{made.json()['id']}/revision").json()
    assert became["article_id"] == article["id"] and became["letter"] > article["revision"]
    assert workshop.get("/api/book/notes", params=here).json() == []
    kept = next(n for n in workshop.get("/api/book/notes").json() if n["id"] == made.json()["id"])
    assert kept["revision"] == became["letter"] and kept["done_at"]
    assert workshop.post(f"/api/book/notes/{made.json()['id']}/away").status_code == 409
    connected(lambda: _forget_revisions("camp-chair"))()


@pytest.fixture
def nobody_works(monkeypatch: pytest.MonkeyPatch) -> None:
    for room in ("buying", "practice"):
        monkeypatch.setattr(f"fairlay.api.{room}.hand_out", lambda *_: None)


@pytest.mark.usefixtures("quiet", "nobody_works")
def test_a_forecast_is_laid_by_many_stops_at_once_and_keeps_what_it_found(
    workshop: TestClient, monkeypatch: pytest.MonkeyPatch
) -> None:
    mitt = next(a for a in workshop.get("/api/articles").json() if a["slug"] == "stove-mitt")
    sources = workshop.get("/api/buying/sources", params={"material": "body leather"}).json()
    assert all(s["area_m2"] > 0 and len(s["flaws_per_m2"]) == 3 for s in sources)
    stated = {"kind": "side", "area_m2": 1.8, "price_per_m2": 60, "quality": "seconds"}
    asked = {
        "lines": [{"article_id": mitt["id"], "quantity": 2}],
        "material": "body leather",
        "sources": [{"name": sources[0]["name"]}, {"stated": stated}, {"stated": stated}],
    }
    monkeypatch.setattr("fairlay.api.buying.FIRM", 4)
    job = workshop.post("/api/buying", json=asked).json()["id"]
    nothing = workshop.get(f"/api/buying/{job}").json()
    assert nothing["parts"] == [] and nothing["of"] == 12 and nothing["old"] == []
    # A worker that was lost with a delivery in hand: it is laid again by whoever comes.
    lost = forecasts.take_world(job, ["leather 0 x 1"], 5, "gone")
    assert lost == ("leather 0 x 1", 0)
    connected(lambda: WorldRow.update(taken_at=jobs.db_ago(999)).where(WorldRow.job == job).execute())()
    helped: list[tuple[int, int]] = []
    forecast_one(job, lambda j, n: helped.append((j, n)), lambda _: None)
    found = workshop.get(f"/api/buying/{job}").json()
    assert found["job"]["state"] == "done" and found["worlds"] == 12
    first, second, _ = found["parts"]
    assert first["break_even"] is None and second["break_even"]["price_per_m2"] > 0
    assert first["never"] == 0 and first["buy"] >= 1 and first["chances"][-1]["enough"] > 0.5
    assert "as stated" in second["name"] and any("on record" in r for r in found["rests"])
    assert any(f["job_id"] == job for f in workshop.get("/api/buying").json())
    # Its leather came at new prices since: it says so.
    newest = DeliveryRow.lot == "OP-2217"
    day = connected(lambda: DeliveryRow.get(newest).received_on)()
    connected(lambda: DeliveryRow.update(received_on="2031-01-01").where(newest).execute())()
    old = workshop.get(f"/api/buying/{job}").json()["old"]
    connected(lambda: DeliveryRow.update(received_on=day).where(newest).execute())()
    assert any("new prices" in w for w in old)
    monkeypatch.setattr("fairlay.api.buying.FIRM", 500)
    long = workshop.post("/api/buying", json={**asked, "sources": [{"stated": stated}]}).json()["id"]
    worker = threading.Thread(target=forecast_one, args=(long, lambda *_: None, lambda _: None))
    worker.start()
    while not connected(lambda: forecasts.count_worlds(long))():
        time.sleep(0.05)
    workshop.post(f"/api/jobs/{long}/stop")
    at = time.monotonic()
    worker.join(20)
    assert time.monotonic() - at < 10 and not worker.is_alive()
    kept = workshop.get(f"/api/buying/{long}").json()
    assert (
        kept["job"]["state"] == "stopped"
        and kept["worlds"] >= 1
        and kept["parts"][0]["worlds"] == kept["worlds"]
    )
    help_forecast(long, 1)  # too late to help: nothing happens


@pytest.mark.usefixtures("quiet", "nobody_works")
def test_a_forecast_lets_one_go_first_that_has_no_answer_yet(workshop: TestClient) -> None:
    mitt = next(a for a in workshop.get("/api/articles").json() if a["slug"] == "stove-mitt")
    asked = {
        "lines": [{"article_id": mitt["id"], "quantity": 1}],
        "material": "body leather",
        "sources": [{"stated": {"kind": "side", "area_m2": 1.0, "price_per_m2": 60, "quality": "clean"}}],
    }
    old, new = (workshop.post("/api/buying", json=asked).json()["id"] for _ in range(2))
    assert not forecasts.should_give_way(old, 1)
    rows = [{"job": old, "part": "x", "number": k, "found": {}} for k in range(forecasts.ROUGH)]
    connected(lambda: WorldRow.insert_many(rows).execute())()
    assert forecasts.should_give_way(old, 1) and not forecasts.should_give_way(new, 1)
    connected(lambda: JobRow.update(state="failed").where(JobRow.id == new).execute())()
    assert not forecasts.should_give_way(old, 1)
    for bad, status in (
        ({**asked, "sources": []}, 409),
        ({**asked, "lines": []}, 409),
        ({**asked, "material": "gold"}, 422),
        ({**asked, "margin": 0.7}, 422),
        ({**asked, "sources": [{"name": "Nobody, side, grade 9"}]}, 404),
    ):
        assert workshop.post("/api/buying", json=bad).status_code == status, bad
    assert workshop.get("/api/buying/999999").status_code == 404


@pytest.mark.usefixtures("quiet", "nobody_works")
def test_an_article_is_costed_by_piece_and_by_size(
    workshop: TestClient, monkeypatch: pytest.MonkeyPatch
) -> None:
    mitt = next(a for a in workshop.get("/api/articles").json() if a["slug"] == "stove-mitt")
    page = f"/api/buying/costing/{mitt['id']}"
    bare = workshop.get(page).json()
    assert bare["leather"] is None and all(p["money"] is None for p in bare["pieces"])
    monkeypatch.setattr("fairlay.api.buying.WORLDS_OF_COSTING", 2)
    monkeypatch.setattr("fairlay.api.buying.MOST_VARIANTS", 1)
    monkeypatch.setattr("fairlay.api.buying.SIZES", (1, 3))
    stated = {"stated": {"kind": "side", "area_m2": 1.8, "price_per_m2": 100, "quality": "clean"}}
    asked = {"material": "body leather", "source": stated}
    job = workshop.post(page, json=asked).json()["id"]
    forecast_one(job, lambda *_: None, lambda _: None)
    prices = {"minute": 0.5, "thread_m": 0.1, "hardware": {}}
    assert workshop.put("/api/buying/prices", json=prices).status_code == 204
    told = workshop.get(page, params={"material": "body leather"}).json()
    assert told["leather"] > 0 and sum(p["money"] for p in told["pieces"]) == pytest.approx(
        told["leather"], abs=0.01
    )
    assert told["total"] >= told["leather"] and len(told["variants"]) == 1
    assert workshop.post(page, json={**asked, "material": "nothing"}).status_code == 409
    assert workshop.put("/api/buying/prices", json={**prices, "minute": -1}).status_code == 422


@pytest.mark.usefixtures("nobody_works")
def test_rounds_are_ones_own_and_levels_open_by_scores(workshop: TestClient) -> None:
    for kind in ("look", "accept", "fault"):
        made = workshop.post("/api/practice/rounds", json={"kind": kind, "level": 1})
        assert made.status_code == 201, made.text
        round_ = made.json()
        assert round_ == workshop.get(f"/api/practice/rounds/{round_['id']}").json()
        done = {"spent_s": 5, "rings": [{"x": 10, "y": 10, "r": 30}], "answers": [True], "pressed": [0]}
        first = workshop.post(f"/api/practice/rounds/{round_['id']}/done", json=done).json()
        assert 0 <= first["round"]["score"] <= 100
        assert workshop.get(f"/api/practice/rounds/{round_['id']}/result").json() == first
        assert workshop.post(f"/api/practice/rounds/{round_['id']}/done", json=done).status_code == 409
        with acting_as(people.people()[1].id), pytest.raises(Exception, match="no round"):
            practice.one_round(round_["id"])
        too_high = workshop.post("/api/practice/rounds", json={"kind": kind, "level": 2})
        assert too_high.status_code == 409 and "not open" in too_high.json()["problem"]
    owner = people.demo_owner()
    assert owner is not None
    with acting_as(owner.id):
        for _ in range(2):
            practice.end(practice.begin("accept", 1).id, {}, 80.0)
    assert workshop.get("/api/practice").json()["levels"]["accept"] == 2
    touched = workshop.post("/api/practice/rounds", json={"kind": "accept", "level": 1}).json()["id"]
    place = {"tool": "feel", "x": 1, "y": 1}
    assert workshop.post(f"/api/practice/rounds/{touched}/touch", json=place).status_code == 409


@pytest.mark.usefixtures("quiet", "nobody_works")
def test_a_lay_is_practised_on_by_anybody_and_stands_in_no_list(
    workshop: TestClient, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("fairlay.store.practice.ENGINE_S", 0.5)
    seen = [len(workshop.get(f"/api/{room}").json()) for room in ("leather", "batches", "lays")]
    round_ = workshop.post("/api/practice/rounds", json={"kind": "lay", "level": 1}).json()
    assert [len(workshop.get(f"/api/{room}").json()) for room in ("leather", "batches", "lays")] == seen
    lay = lays.load(round_["lay_id"])
    assert workshop.post(f"/api/lays/{lay.id}/cut", json={"hide": lay.job.hides[0].id}).status_code == 409
    assert practice.is_own(lay.id, people.demo_owner().id) and not practice.is_own(lay.id, 9999)  # type: ignore[union-attr]
    ask_one(practice_job(round_["id"]), lambda _: None)
    job = workshop.post(f"/api/practice/rounds/{round_['id']}/compare").json()["job_id"]
    assert workshop.get(f"/api/practice/rounds/{round_['id']}/result").status_code == 409
    ask_one(job, lambda _: None)
    told = workshop.get(f"/api/practice/rounds/{round_['id']}/result").json()
    assert told["round"]["score"] == 0 and told["laid"]["engine_m2"] > 0
    assert told["laid"]["most_m2"] >= told["laid"]["engine_m2"] and 1 <= len(told["laid"]["gains"]) <= 3
    assert all("/" not in g["words"] for g in told["laid"]["gains"])


def practice_job(round_id: int) -> int:
    """The job of the engine's own lay of a round."""
    owner = people.demo_owner()
    with acting_as(owner.id if owner else None):
        return int(practice.one_round(round_id).asked["engine_job"])


def test_a_year_of_records_adds_up_and_its_pages_ask_little(elsewhere: str) -> None:
    from fairlay.api.app import create_app

    open_at(elsewhere)
    store.migrate()
    hides, pieces = put_year(2)
    assert hides == 2 and pieces > 100 and put_year(2) == (0, 0)
    with at_this_machine(create_app()) as page:
        seen: list[str] = []
        own = store.database.obj
        run = own.execute_sql
        own.execute_sql = lambda sql, *more: (seen.append(sql), run(sql, *more))[1]
        try:
            for path in ("where", *(f"by/{w}" for w in BY), "hides", "learned", "notes"):
                seen.clear()
                assert page.get(f"/api/book/{path}").status_code == 200
                # The door's own three or four, and no more however many hides there are.
                assert len([s for s in seen if s.lstrip().upper().startswith("SELECT")]) <= 18, path
        finally:
            own.execute_sql = run
    facts = book.facts(Asked())
    rng = random.Random(3)
    for _ in range(20):
        some = [k for k in range(len(facts)) if rng.random() < 0.5]
        chosen = facts.of(some)  # type: ignore[arg-type]
        assert chosen.money.sum() == chosen.cost.sum() and (chosen.m2 > -1e-9).all()
    sheets = list(connected(lambda: list(CutSheetRow.select()))())
    for sheet in sheets:
        k = list(facts.sheet).index(sheet.id)
        assert facts.bought[k] == pytest.approx(sheet.account["whole_m2"], abs=1e-4)
        paid = connected(lambda: list(BookPieceRow.select().where(BookPieceRow.sheet == sheet.id)))()  # noqa: B023
        assert sum(r.cents for r in paid) == facts.cost[k] - facts.money[k][2]
