"""Who is let in, who may do what, and whose doing a change is."""

from __future__ import annotations

import datetime
import json
import re
import threading
import time
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any

import pytest
from argon2 import PasswordHasher
from fastapi import FastAPI
from fastapi.testclient import TestClient
from typer.testing import CliRunner

from fairlay import cli
from fairlay.api.door import PUBLIC
from fairlay.api.may import BY_CALL, TABLE, as_page, may
from fairlay.core.errors import NotSignedIn, Refused, TooSoon
from fairlay.store import database as store
from fairlay.store import deeds, people, sessions
from fairlay.store.people import ROLES
from fairlay.store.people_rows import BenchRow, CodeRow, SessionRow, TryRow
from fairlay.store.tables import PersonRow
from tests.api.conftest import at_this_machine
from tests.effort import tried

PASSWORD = "nine long hides"
PIN = "4071"


@pytest.fixture
def shop(workshop: TestClient, monkeypatch: pytest.MonkeyPatch) -> Iterator[FastAPI]:
    """The workshop with one of each role who can sign in; afterwards it is the demo's again."""
    # As a shop has it, but quick: what a hash costs is not tried here.
    monkeypatch.setattr(people, "_hasher", PasswordHasher(time_cost=1, memory_cost=64, parallelism=1))
    for role in ROLES:
        people.add(f"Test {role}", role, PASSWORD, PIN)
    assert isinstance(workshop.app, FastAPI)
    yield workshop.app
    with store.database.connection_context():
        for table in (SessionRow, CodeRow, TryRow, BenchRow):
            table.delete().execute()
        PersonRow.delete().where(PersonRow.password != "").execute()


def signed_in(app: FastAPI, role: str) -> TestClient:
    client = at_this_machine(app)
    answer = client.post("/api/sign-in", json={"name": f"test {role}", "password": PASSWORD})
    assert answer.status_code == 204, answer.text
    return client


def calls(client: TestClient) -> list[tuple[str, str, str]]:
    """Every call: its name, method and address, with ids that are there."""
    assert isinstance(client.app, FastAPI)
    document = client.app.openapi()
    return [
        (call["operationId"], method.upper(), re.sub(r"\{kind\}", "json", re.sub(r"\{\w+_id\}", "1", path)))
        for path, methods in document["paths"].items()
        for method, call in methods.items()
    ]


def test_every_call_stands_in_the_table_once_and_the_handbook_says_the_same(workshop: TestClient) -> None:
    names = [name for name, _, _ in calls(workshop)]
    assert sorted(names) == sorted(BY_CALL), "a call that stands in no row is refused to everybody"
    assert len(names) == sum(len(row.asks) + len(row.changes) for row in TABLE)
    open_to_all = {path for name, _, path in calls(workshop) if BY_CALL[name].anyone}
    assert open_to_all == PUBLIC
    page = Path(__file__).resolve().parents[2] / "docs" / "who-may-do-what.md"
    assert page.read_text() == as_page(), "fairlay may > docs/who-may-do-what.md"


def test_the_front_ends_client_is_made_from_what_the_application_says_of_itself(workshop: TestClient) -> None:
    assert isinstance(workshop.app, FastAPI)
    document = Path(__file__).resolve().parents[2] / "ui" / "openapi.json"
    assert json.loads(document.read_text()) == workshop.app.openapi(), "scripts/make_client"


def test_each_role_may_do_what_the_table_says_and_nothing_else(shop: FastAPI, workshop: TestClient) -> None:
    told: set[str] = set()
    for role in ROLES:
        client = signed_in(shop, role)
        for name, method, path in calls(workshop):
            if name in ("sign_out", "sign_out_everywhere") or path.endswith("/events"):
                continue
            if may(role, name) and name in ("send_back", "remove_article", "undo_change", "give_up", "undo"):
                continue  # allowed, and would be done
            if may(role, name):
                # What one was told in full is asked by others of what is not there: that they may, not what.
                path = re.sub(r"/1(?=/|$)", "/999999999", path) if name in told else path  # noqa: PLW2901
                told.add(name)
            answer = client.request(method, path)
            assert answer.status_code != 500, (name, answer.text)
            if BY_CALL[name].anyone:
                continue
            refused = answer.status_code == 403
            assert refused != may(role, name), (role, name, answer.status_code, answer.text)
            if refused:
                assert f"Test {role} is a" in answer.json()["problem"]


def test_an_apprentice_has_hands_where_they_practise_and_nowhere_else(
    shop: FastAPI, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("fairlay.api.practice.hand_out", lambda *_: None)
    apprentice, cutter = signed_in(shop, "apprentice"), signed_in(shop, "cutter")
    own = apprentice.post("/api/practice/rounds", json={"kind": "lay", "level": 1}).json()
    theirs = cutter.get("/api/lays").json()[0]["id"]
    for lay, denied in ((own["lay_id"], False), (theirs, True)):
        for call in ("undo", "moves"):
            answer = apprentice.post(f"/api/lays/{lay}/{call}", json={})
            assert (answer.status_code == 403) == denied, answer.text
    # What another practises on is no more theirs than the shop's.
    assert apprentice.get(f"/api/practice/rounds/{own['id']}").status_code == 200
    assert cutter.get(f"/api/practice/rounds/{own['id']}").status_code == 404
    assert (
        apprentice.post(f"/api/lays/{own['lay_id']}/run", json={"seconds": 1, "seed": 1}).status_code == 403
    )


def test_nobody_is_told_to_sign_in_and_gets_nothing(shop: FastAPI, workshop: TestClient) -> None:
    stranger = at_this_machine(shop)
    for name, method, path in calls(workshop):
        answer = stranger.request(method, path)
        assert answer.status_code != 500
        if not BY_CALL[name].anyone:
            assert answer.status_code == 401, (name, answer.text)
            assert set(answer.json()) == {"problem", "newer"}
    assert stranger.get("/api/me").json()["person"] is None
    assert stranger.get("/api/sign-in/bench").json() == {"bench": "", "names": []}, (
        "names are told to no stranger"
    )


@pytest.mark.parametrize(
    "headers",
    [
        {"fair-lay": ""},
        {"origin": "https://elsewhere.example"},
        {"sec-fetch-site": "cross-site"},
        {"origin": "http://127.0.0.1.elsewhere.example"},
        {"origin": "null"},
    ],
)
def test_a_change_from_anothers_page_is_refused(shop: FastAPI, headers: dict[str, str]) -> None:
    owner = signed_in(shop, "owner")
    if headers == {"fair-lay": ""}:
        del owner.headers["fair-lay"]
        headers = {}
    for path in ("/api/sign-out", "/api/lays/1/undo", "/api/sign-in"):
        answer = owner.post(path, headers=headers)
        assert answer.status_code == 403 and "another page" in answer.json()["problem"]
    assert owner.get("/api/me").json()["person"]["name"] == "Test owner"


def test_the_cookie_is_kept_from_scripts_and_other_sites(shop: FastAPI) -> None:
    client = at_this_machine(shop)
    answer = client.post("/api/sign-in", json={"name": "Test owner", "password": PASSWORD})
    said = answer.headers.get_list("set-cookie")[-1].lower()
    assert "httponly" in said and "samesite=strict" in said and "path=/api" in said and "secure" not in said
    assert answer.headers["cache-control"] == "no-store"
    far = TestClient(shop, base_url="https://shop.example", headers={"fair-lay": "1"}, client=("10.0.0.7", 5))
    said = far.post("/api/sign-in", json={"name": "Test owner", "password": PASSWORD}).headers["set-cookie"]
    assert "secure" in said.lower()
    plain = TestClient(
        shop, base_url="http://shop.example", headers={"fair-lay": "1"}, client=("10.0.0.7", 5)
    )
    answer = plain.post("/api/sign-in", json={"name": "Test owner", "password": PASSWORD})
    assert answer.status_code == 403 and "https" in answer.json()["problem"] and not answer.cookies


def test_a_session_ends_when_it_should(shop: FastAPI) -> None:
    owner, cutter = signed_in(shop, "owner"), signed_in(shop, "cutter")
    kept = dict(cutter.cookies)
    who = cutter.get("/api/me").json()["person"]["id"]

    def replayed() -> int:
        old = at_this_machine(shop)
        old.cookies.update(kept)
        return old.get("/api/lays").status_code

    assert replayed() == 200
    assert owner.put(f"/api/people/{who}", json={"role": "planner", "active": True}).status_code == 200
    assert cutter.get("/api/me").json()["person"]["role"] == "planner", "at once, in the session that is open"
    assert cutter.get("/api/people").status_code == 403
    cutter.post("/api/sign-out")
    assert replayed() == 401, "a cookie that is kept is of no use once its session is over"
    one, two = signed_in(shop, "cutter"), signed_in(shop, "cutter")
    one.post("/api/sign-out-everywhere")
    assert two.get("/api/lays").status_code == 401
    again = signed_in(shop, "cutter")
    assert owner.put(f"/api/people/{who}", json={"role": "cutter", "active": False}).status_code == 200
    assert again.get("/api/lays").status_code == 401
    assert (
        at_this_machine(shop).post("/api/sign-in", json={"name": "Test cutter", "password": PASSWORD}).json()
        == at_this_machine(shop).post("/api/sign-in", json={"name": "No one", "password": PASSWORD}).json()
    )
    forged = at_this_machine(shop)
    for cookie in (
        "fairlay_session=",
        "fairlay_session=" + "A" * 43,
        'fairlay_session="; x=\x01',
        "x" * 9000,
    ):
        assert forged.get("/api/lays", headers={"cookie": cookie}).status_code == 401
    late = signed_in(shop, "planner")
    with store.database.connection_context():
        SessionRow.update(ends_at=datetime.datetime(2020, 1, 1)).execute()
    assert late.get("/api/lays").status_code == 401


def test_a_stream_ends_with_its_session(shop: FastAPI) -> None:
    owner, cutter = signed_in(shop, "owner"), signed_in(shop, "cutter")
    who = cutter.get("/api/me").json()["person"]["id"]
    ended = threading.Timer(1.0, lambda: owner.post(f"/api/people/{who}/sign-out"))
    ended.start()
    begun = time.monotonic()
    answer = cutter.get("/api/lays/1/events", params={"seen": ""})
    assert answer.status_code == 200 and "event: lay" in answer.text and time.monotonic() - begun < 20
    assert cutter.get("/api/lays/1/events").status_code == 401


def test_a_password_changed_ends_every_other_session(shop: FastAPI) -> None:
    here, there = signed_in(shop, "planner"), signed_in(shop, "planner")
    wrong = here.put("/api/me/password", json={"before": "not it at all", "password": "another long one"})
    assert wrong.status_code == 401 and there.get("/api/lays").status_code == 200
    short = here.put("/api/me/password", json={"before": PASSWORD, "password": "short"})
    assert short.status_code == 409 and there.get("/api/lays").status_code == 200
    done = here.put("/api/me/password", json={"before": PASSWORD, "password": "another long one"})
    assert done.status_code == 204 and here.get("/api/lays").status_code == 200
    assert there.get("/api/lays").status_code == 401
    with store.database.connection_context():
        kept = PersonRow.get(PersonRow.name == "Test planner").password
    assert kept.startswith("$argon2id$") and "another" not in kept


def test_guessing_is_slowed_by_name_and_by_address(shop: FastAPI, monkeypatch: pytest.MonkeyPatch) -> None:
    client = at_this_machine(shop)
    said = [
        client.post("/api/sign-in", json={"name": "Test owner", "password": f"guess {n} of it"}).status_code
        for n in range(7)
    ]
    assert said == [401] * 5 + [429] * 2
    answer = client.post("/api/sign-in", json={"name": "Test owner", "password": PASSWORD})
    assert answer.status_code == 429, "not even the right one is looked at"
    unknown = [
        client.post("/api/sign-in", json={"name": "Nobody", "password": "guess of it"}).status_code
        for _ in range(7)
    ]
    assert unknown == said, "a name that is not there is slowed alike"
    later = sessions.now() + datetime.timedelta(seconds=60)
    monkeypatch.setattr(sessions, "now", lambda: later)
    signed_in(shop, "owner")
    assert sessions.wait_s(4, 4) == 0 and sessions.wait_s(9, 4) == 32 and sessions.wait_s(99, 4) == 900
    for n in range(sessions.FREE_TRIES_OF_AN_ADDRESS + 1):
        sessions.begin_try("10.0.0.9", [f"name {n}"])
    with pytest.raises(TooSoon):
        sessions.begin_try("10.0.0.9", ["name of another"])
    sessions.begin_try("10.0.0.8", ["name of another"])


def test_a_pin_guessed_from_many_tablets_at_once_is_counted_once_for_all(
    shop: FastAPI, monkeypatch: pytest.MonkeyPatch
) -> None:
    owner = signed_in(shop, "owner")
    who = next(p["id"] for p in owner.get("/api/people").json() if p["name"] == "Test cutter")
    tablets = []
    for n in range(10):
        tablet = signed_in(shop, "owner")
        assert tablet.post("/api/benches", json={"name": f"Bench {n}"}).status_code == 204
        tablet.post("/api/sign-out")
        assert [p["name"] for p in tablet.get("/api/sign-in/bench").json()["names"]]
        tablets.append(tablet)

    at = sessions.now()
    monkeypatch.setattr(sessions, "now", lambda: at)  # No wait passes while thirty PINs are hashed.

    def guess(n: int) -> int:
        return (
            tablets[n % 10].post("/api/sign-in/bench", json={"person": who, "pin": f"{5000 + n}"}).status_code
        )

    with ThreadPoolExecutor(10) as many:
        said = list(many.map(guess, range(30)))
    assert said.count(401) == sessions.FREE_TRIES + 1 and set(said) == {401, 429}
    assert (
        at_this_machine(shop).post("/api/sign-in/bench", json={"person": who, "pin": PIN}).status_code == 403
    )


def test_a_bench_tablet_changes_over_and_does_what_a_bench_needs(shop: FastAPI) -> None:
    tablet = signed_in(shop, "owner")
    assert tablet.post("/api/benches", json={"name": "Window bench"}).status_code == 204
    there = tablet.get("/api/sign-in/bench").json()
    ids = {p["name"]: p["id"] for p in there["names"]}
    assert there["bench"] == "Window bench" and {"Test cutter", "Test apprentice"} <= set(ids)
    for name in ("Test cutter", "Test owner"):
        assert tablet.post("/api/sign-in/bench", json={"person": ids[name], "pin": PIN}).status_code == 204
        me = tablet.get("/api/me").json()
        assert (me["person"]["name"], me["at_bench"], me["bench"]) == (name, True, "Window bench")
    assert sessions.benches()[0].signed_in == "Test owner", "one tablet, one session"
    answer = tablet.get("/api/people")
    assert answer.status_code == 403 and "the bench's" in answer.json()["problem"], (
        "not even an owner's, by PIN"
    )
    new = tablet.put("/api/me/password", json={"before": PASSWORD, "password": "made with a PIN"})
    assert new.status_code == 403, "a PIN makes no password"
    desk = signed_in(shop, "owner")
    bench = desk.get("/api/benches").json()[0]
    assert desk.delete(f"/api/benches/{bench['id']}").status_code == 204
    assert (
        tablet.get("/api/lays").status_code == 401 and tablet.get("/api/sign-in/bench").json()["names"] == []
    )


@pytest.mark.parametrize("pin", ["123", "123456789", "12a4", "0000", "١٢٣٤"])
def test_what_can_be_no_pin(shop: FastAPI, pin: str) -> None:
    owner = signed_in(shop, "owner")
    who = owner.get("/api/people").json()[0]["id"]
    answer = owner.put(f"/api/people/{who}/pin", json={"pin": pin})
    assert answer.status_code == 409 and "4 to 8 digits" in answer.json()["problem"]


def test_the_demo_is_open_on_this_machine_alone_and_until_somebody_can_sign_in(workshop: TestClient) -> None:
    me = workshop.get("/api/me").json()
    assert me["demo"] and me["person"]["name"] == people.DEMO_OWNER and not me["first"]
    assert isinstance(workshop.app, FastAPI)
    for host, client, more in (
        ("shop.example", "127.0.0.1", {}),
        ("127.0.0.1", "10.0.0.7", {}),
        ("127.0.0.1", "127.0.0.1", {"x-forwarded-for": "127.0.0.1"}),
        ("127.0.0.1.shop.example", "127.0.0.1", {}),
    ):
        far = TestClient(workshop.app, base_url=f"http://{host}", client=(client, 5), headers=more)
        assert far.get("/api/lays").status_code == 401 and far.get("/api/me").json()["person"] is None
    said = CliRunner().invoke(cli.app, ["serve", "--host", "0.0.0.0"])
    assert "fairlay owner NAME" in str(said.exception), "the demo is not served to others"
    made = people.add("First owner", "owner", PASSWORD)
    try:
        assert workshop.get("/api/lays").status_code == 401
    finally:
        with store.database.connection_context():
            PersonRow.delete().where(PersonRow.id == made.id).execute()
    assert workshop.get("/api/lays").status_code == 200


def test_the_first_owner_is_made_once_with_a_code(
    workshop: TestClient, monkeypatch: pytest.MonkeyPatch
) -> None:
    assert isinstance(workshop.app, FastAPI)
    code = people.make_code(None)
    with pytest.raises(NotSignedIn):
        people.use_code("aaaa-bbbb-cccc-dddd-eeee", "Ansel", PASSWORD)
    apps = [at_this_machine(workshop.app) for _ in range(4)]

    def make(n: int) -> int:
        body = {"code": code.upper(), "name": f"Owner {n}", "password": PASSWORD}
        return apps[n].post("/api/sign-in/code", json=body).status_code

    try:
        with ThreadPoolExecutor(4) as many:
            said = list(many.map(make, range(4)))
        assert said.count(204) == 1 and set(said) <= {204, 401, 429}
        owners = [p for p in people.people() if p.has_password]
        assert len(owners) == 1
        with pytest.raises(Refused, match="the shop has an owner"):
            people.make_code(None)
        with pytest.raises(Refused, match="only owner"):
            people.change(owners[0].id, "cutter", True)
        with pytest.raises(Refused, match="only owner"):
            people.change(owners[0].id, "owner", False)
        mine = people.make_code(owners[0].id)
        with pytest.raises(NotSignedIn):
            people.use_code(mine, "Somebody else", "a new long one")
        people.use_code(mine, owners[0].name, "a new long one")
        with pytest.raises(NotSignedIn):
            people.use_code(mine, owners[0].name, "a third long one")
        old = people.make_code(owners[0].id)
        later = sessions.now() + datetime.timedelta(hours=25)
        monkeypatch.setattr(people, "now", lambda: later)
        with pytest.raises(NotSignedIn):
            people.use_code(old, owners[0].name, "a fourth long one")
    finally:
        with store.database.connection_context():
            for table in (SessionRow, CodeRow, TryRow):
                table.delete().execute()
            PersonRow.delete().where(PersonRow.password != "").execute()


def test_what_is_done_says_whose_doing_it_is(shop: FastAPI) -> None:
    planner, cutter = signed_in(shop, "planner"), signed_in(shop, "cutter")
    rack = planner.get("/api/leather").json()
    hide = next(h["id"] for h in rack if h["kind"] == "side")
    path = f"/api/leather/hides/{hide}"
    ring = [[300, 300], [330, 300], [315, 330]]
    flaw = {"id": "w1", "kind": "scratch", "severity": 1, "outline": ring}
    assert cutter.post(f"{path}/changes", json={"flaw": flaw}).status_code == 200
    event = cutter.get(f"{path}/history").json()[0]
    assert event["by"] == "Test cutter"
    answer = planner.post(f"{path}/undo")
    assert answer.status_code == 409 and "Test cutter's" in answer.json()["problem"]
    assert cutter.post(f"{path}/undo").status_code == 200
    mine = [d for d in planner.get("/api/deeds").json() if d["subject_id"] == hide]
    assert [(d["person"], d["words"]) for d in mine[:2]] == [
        ("Test cutter", "took a change of a hide back"),
        ("Test cutter", "changed what is known of a hide"),
    ]
    of = cutter.get("/api/deeds/of", params={"subject": "hide", "subject_id": hide}).json()
    assert of[0]["words"] == mine[0]["words"] and cutter.get("/api/deeds").status_code == 403
    assert deeds.deeds(before=mine[0]["id"])[0].id < mine[0]["id"]


def test_those_in_one_room_see_each_other(shop: FastAPI) -> None:
    planner, cutter, also = signed_in(shop, "planner"), signed_in(shop, "cutter"), signed_in(shop, "cutter")
    for client, room in ((planner, "/lay/1"), (cutter, "/lay/1"), (also, "/lay/1"), (cutter, "/lay/1")):
        said = client.put("/api/here", json={"room": room}).json()["names"]
    assert said == ["Test planner"], "not oneself, however often one has it open"
    assert planner.put("/api/here", json={"room": "/lay/1"}).json()["names"] == ["Test cutter"]
    assert cutter.put("/api/here", json={"room": "/lay/2"}).json()["names"] == []


def test_requests_of_every_role_made_of_anything_break_nothing(shop: FastAPI, workshop: TestClient) -> None:
    import random

    rng = random.Random(8)
    values: list[Any] = [None, 0, -1, 2**63, 1e308, "", "x" * 5000, "\x00", [], {}, [[]], True, "1"]
    clients = {role: signed_in(shop, role) for role in ROLES}
    risky = {
        "sign_out",
        "sign_out_everywhere",
        "change_person",
        "end_sessions",
        "send_back",
        "remove_article",
    }
    listed = [c for c in calls(workshop) if c[0] not in risky and not c[2].endswith("/events")]
    document = shop.openapi()
    for _ in range(tried(60, 5000)):
        name, method, path = listed[rng.randrange(len(listed))]
        role = rng.choice(ROLES)
        fields = rng.choice(list(document["components"]["schemas"].values())).get("properties", {})
        body = {field: rng.choice(values) for field in fields}
        sent = body if rng.random() < 0.8 else rng.choice(values)
        answer = clients[role].request(
            method, path, content=json.dumps(sent), headers={"content-type": "application/json"}
        )
        assert answer.status_code not in (500,), (name, sent, answer.text)
        assert may(role, name) or BY_CALL[name].anyone or answer.status_code in (403, 422), (role, name)
