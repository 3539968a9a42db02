"""A lay is one thing, kept whole: thousands of acts from several connections, and every revision stays what
it was.
"""

from __future__ import annotations

import json
import threading
from collections.abc import Callable
from dataclasses import replace
from typing import Any

import numpy as np
import pytest
from fastapi.testclient import TestClient

from fairlay.core.errors import BadLay, FairLayError, NotFound, Refused, Stale
from fairlay.core.lay import Lay, Placement, broken_rules
from fairlay.core.leather.looking_over import RingedFlaw, with_flaw
from fairlay.core.shapes import Placing
from fairlay.store import (
    batches,
    by_hand,
    candidates,
    changed_leather,
    helpers,
    hides,
    jobs,
    lay_back,
    lays,
    looking,
    people,
    spoken_for,
)
from fairlay.store.acting import acting_as
from fairlay.store.database import connected
from fairlay.store.deliveries import send_back
from fairlay.store.lay_rows import SNAPSHOT_EVERY, Lies, play, state_at
from fairlay.store.lays import LaidOn
from fairlay.store.tables import LayRevisionRow, LaySnapshotRow
from fairlay.store.work_asked import LayWork
from tests.api.on_a_side import ROOM, job_on, new_hide, tab_at
from tests.effort import tried


@pytest.fixture(scope="module")
def batch_id(workshop: TestClient) -> int:
    article = workshop.get("/api/articles").json()[0]["id"]
    asked = {"number": "B-77", "name": "Tabs", "lines": [{"article_id": article, "quantity": 1}]}
    return int(workshop.post("/api/batches", json=asked).json()["id"])


@connected
def _replayed(lay_id: int, number: int) -> Lies:
    """What lies after a revision, by playing every change from the first: no snapshot is asked."""
    lies: Lies = {}
    for row in (
        LayRevisionRow.select()
        .where(LayRevisionRow.lay == lay_id, LayRevisionRow.number <= number)
        .order_by(LayRevisionRow.number)
    ):
        play(lies, row.changes)
    return lies


class _Player:
    """Somebody at a lay: moves by hand, undoes, goes back, searches; told of what others did, tries again."""

    def __init__(self, lay_id: int, hide: str, seed: int, acts: int, job_id: int | None) -> None:
        self.lay_id, self.hide, self.acts, self.job_id = lay_id, hide, acts, job_id
        self.rng = np.random.default_rng(seed)
        self.owner = f"player{seed}"
        self.done = {"hand": 0, "undo": 0, "go": 0, "search": 0, "stale": 0, "unfair": 0}
        self.kinds = ["hand"] * 6 + ["undo", "go"] + ["search"] * (2 if job_id else 0)
        self.meant = [str(what) for what in self.rng.permutation(self.kinds)]
        self.broke: list[BaseException] = []

    def run(self) -> None:
        try:
            for _ in range(self.acts):
                self._act()
        except BaseException as error:  # noqa: BLE001 — told in the test's own thread
            self.broke.append(error)

    def _act(self) -> None:
        saved = lays.load(self.lay_id)
        what = self.meant.pop() if self.meant else str(self.rng.choice(self.kinds))
        try:
            if what == "hand":
                self._move(saved)
            elif what == "undo":
                lay_back.undo(self.lay_id, base=saved.head)
            elif what == "go":
                lay_back.go_to(self.lay_id, int(self.rng.integers(1, saved.head + 1)), base=saved.head)
            else:
                self._find(saved)
            self.done[what] += 1
        except Stale:
            self.done["stale"] += 1
            self.meant.append(what)
        except BadLay:
            self.done["unfair"] += 1
        except Refused as error:
            assert "nothing before" in str(error), error

    def _move(self, saved: lays.SavedLay) -> None:
        copy = int(self.rng.integers(12))
        if self.rng.random() < 0.25:
            by_hand.act(self.lay_id, base=saved.head, take=[("tab", copy)])
        else:
            turn = float(self.rng.choice([0.0, 0.0, 180.0]))
            place = int(self.rng.integers(12))
            put = tab_at(copy, place, self.hide, turn)
            if turn:
                put = replace(put, at=Placing(put.at.x + 60, put.at.y + 50, turn))
            by_hand.act(self.lay_id, base=saved.head, put=[put])

    def _find(self, saved: lays.SavedLay) -> None:
        """A search from what stands: it lays as many tabs as there are places, in an order of its own."""
        assert self.job_id is not None
        order = self.rng.permutation(12)
        found = Lay(tuple(tab_at(int(c), k, self.hide) for k, c in enumerate(order)))
        for _ in range(int(self.rng.integers(1, 4))):
            candidates.put(
                self.lay_id, self.job_id, self.owner, found, job_number=saved.job_number, base=saved.head
            )
        candidates.take_in(self.lay_id, self.job_id)


def test_thousands_of_acts_from_several_connections_leave_every_revision_fair_and_as_it_was(
    workshop: TestClient, batch_id: int
) -> None:
    _, on = new_hide("K-1")
    lay_id = lays.create_lay(batch_id, "body leather", job_on("K-1"), [on])
    job_id = jobs.add_job(lay_id, 5.0, 1, LayWork())
    assert jobs.take_up(job_id, "player0") is not None
    acts = tried(40, 1500)
    players = [_Player(lay_id, "K-1", k, acts, job_id if k == 0 else None) for k in range(4)]
    written: dict[int, str] = {}
    over = threading.Event()

    def watch() -> None:
        """Remembers each revision as it was first seen."""
        while not over.wait(0.05):
            written.update({n: t for n, t in _texts(lay_id).items() if n not in written})

    watcher = threading.Thread(target=watch)
    threads = [threading.Thread(target=p.run) for p in players]
    for t in (watcher, *threads):
        t.start()
    for t in threads:
        t.join()
    over.set()
    watcher.join()
    jobs.end(job_id, "player0", "stopped", 1.0)
    for p in players:
        if p.broke:
            raise p.broke[0]
    done = {k: sum(p.done[k] for p in players) for k in players[0].done}
    assert (
        sum(done.values()) > 3.5 * acts
        and min(done[k] for k in ("hand", "undo", "go", "search", "stale")) > 0
    )
    saved = lays.load(lay_id)
    assert saved.head == 1 + done["hand"] + done["undo"] + done["go"] + done["search"] - _for_nothing(
        lay_id, done
    )
    texts = _texts(lay_id)
    assert all(texts[n] == t for n, t in written.items()), "a revision was rewritten"
    assert sorted(texts) == list(range(1, saved.head + 1)), "one change each, none missing"
    numbers = np.random.default_rng(5).choice(
        np.arange(1, saved.head + 1), size=min(60, saved.head), replace=False
    )
    for n in (int(n) for n in (*numbers, saved.head)):
        shown = lays.load(lay_id, n)
        assert {(p.piece, p.copy): p for p in shown.lay.placements} == _replayed(lay_id, n)
        assert broken_rules(shown.job, shown.lay) == ()
        left = {u.piece: u.count for u in shown.lay.unplaced}
        begun = n == 1 or json.loads(texts[n])[1] == 1
        assert begun or left.get("tab", 0) == 12 - len(shown.lay.placements)
    assert max(np.diff(sorted([0, *_shots(lay_id), saved.head]))) <= SNAPSHOT_EVERY, (
        "so many changes are played at most"
    )


@connected
def _texts(lay_id: int) -> dict[int, str]:
    return {
        row.number: json.dumps([row.source, row.stands_for, row.changes, row.unplaced, row.measures])
        for row in LayRevisionRow.select().where(LayRevisionRow.lay == lay_id)
    }


@connected
def _shots(lay_id: int) -> list[int]:
    return [row.number for row in LaySnapshotRow.select().where(LaySnapshotRow.lay == lay_id)]


@connected
def _for_nothing(lay_id: int, done: dict[str, int]) -> int:
    """Searches that found just what lay already make no revision."""
    rows = LayRevisionRow.select().where(LayRevisionRow.lay == lay_id, LayRevisionRow.source == "engine")
    return done["search"] - int(rows.count())


def test_what_a_search_finds_waits_where_hands_moved_the_same_pieces(
    workshop: TestClient, batch_id: int
) -> None:
    _, on = new_hide("K-2")
    lay_id = lays.create_lay(batch_id, "body leather", job_on("K-2"), [on])
    by_hand.act(lay_id, base=1, put=[tab_at(0, 0, "K-2"), tab_at(1, 1, "K-2")])

    def search(found: Lay) -> int:
        job_id = jobs.add_job(lay_id, 5.0, 1, LayWork(base=lays.load(lay_id).head))
        assert jobs.take_up(job_id, "engine") is not None
        base = lays.load(lay_id).head
        candidates.put(lay_id, job_id, "engine", found, job_number=1, base=base)
        return job_id

    # Hands move another piece meanwhile: both stand.
    one = search(Lay((tab_at(0, 0, "K-2"), tab_at(1, 1, "K-2"), tab_at(2, 2, "K-2"))))
    by_hand.act(lay_id, base=2, put=[tab_at(1, 5, "K-2")])
    taken = candidates.take_in(lay_id, one)
    jobs.end(one, "engine", "done", 1.0, revision=taken.number)
    lies = {p.copy: (p.at.x, p.at.y) for p in lays.load(lay_id).lay.placements}
    assert taken.number == 4 and lies == {0: ROOM[0], 1: ROOM[5], 2: ROOM[2]}
    assert [(u.piece, u.count) for u in lays.load(lay_id).lay.unplaced] == [("tab", 9)]
    # Hands move the same piece: what was found waits, and the hand move stands.
    two = search(Lay((tab_at(0, 3, "K-2"), tab_at(1, 5, "K-2"), tab_at(2, 2, "K-2"), tab_at(3, 4, "K-2"))))
    by_hand.act(lay_id, base=4, put=[tab_at(0, 6, "K-2")])
    assert workshop.get(f"/api/lays/{lay_id}").json()["waiting"] is None, (
        "what is still bettered does not wait"
    )
    taken = candidates.take_in(lay_id, two)
    jobs.end(two, "engine", "done", 1.0)
    assert taken.number is None and "moved by hand" in taken.waits and lays.load(lay_id).head == 5
    assert {p.copy: (p.at.x, p.at.y) for p in lays.load(lay_id).lay.placements}[0] == ROOM[6]
    # It can be taken over the hand move, which can be gone back to.
    page = workshop.get(f"/api/lays/{lay_id}").json()
    assert page["waiting"]["placed"] == 4 and len(page["state"]["placements"]) == 3
    assert workshop.post(f"/api/lays/{lay_id}/waiting", json={"base": 4}).status_code == 409
    head = workshop.post(f"/api/lays/{lay_id}/waiting", json={"base": 5}).json()["head"]
    assert head == 6 and len(lays.load(lay_id).lay.placements) == 4
    assert lay_back.undo(lay_id, base=6) == 7 and len(lays.load(lay_id).lay.placements) == 3
    assert workshop.get(f"/api/lays/{lay_id}").json()["waiting"] is None


def test_a_hand_move_says_what_is_left_out_and_a_name_changes_nothing(
    workshop: TestClient, batch_id: int
) -> None:
    _, on = new_hide("K-3")
    lay_id = lays.create_lay(batch_id, "body leather", job_on("K-3", quantity=3), [on])
    url = f"/api/lays/{lay_id}"
    put = [
        {"piece": "tab", "copy": k, "hide": "K-3", "x": x, "y": y, "rotation_deg": 0.0}
        for k, (x, y) in enumerate(ROOM[:3])
    ]
    assert workshop.post(f"{url}/moves", json={"base": 1, "put": put, "mark": "first"}).json() == {"head": 2}
    assert workshop.get(url).json()["state"]["unplaced"] == []
    take = [{"piece": "tab", "copy_number": 1}]
    assert workshop.post(f"{url}/moves", json={"base": 2, "take": take}).json() == {"head": 3}
    left = workshop.get(url).json()["state"]["unplaced"]
    assert [(u["piece"], u["count"], u["reason"]) for u in left] == [("tab", 1, "not laid yet")]
    before = _texts(lay_id)[2]
    assert workshop.put(f"{url}/revisions/2/mark", json={"mark": "kept"}).status_code == 204
    assert _texts(lay_id)[2] == before and lays.load(lay_id).revisions[1].mark == "kept"
    over = [{**put[0], "x": -40.0}]
    refused = workshop.post(f"{url}/moves", json={"base": 3, "put": over})
    assert refused.status_code == 422 and "over the edge" in refused.json()["problem"]
    # Somebody moved another piece since: this move stands on what is newest. The same piece: it is told.
    assert (
        workshop.post(f"{url}/moves", json={"base": 2, "put": [{**put[2], "x": 420.0, "y": 150.0}]}).json()[
            "head"
        ]
        == 4
    )
    stale = workshop.post(f"{url}/moves", json={"base": 3, "put": [{**put[2], "y": 90.0}]})
    assert stale.status_code == 409 and stale.json()["newer"] == 4


def test_a_helper_that_comes_late_leaves_nothing_beside_the_lay(workshop: TestClient, batch_id: int) -> None:
    _, on = new_hide("K-3L")
    lay_id = lays.create_lay(batch_id, "body leather", job_on("K-3L"), [on])
    job_id = jobs.add_job(lay_id, 5.0, 1, LayWork(base=1))
    assert jobs.take_up(job_id, "main") is not None and helpers.ask_for_help(job_id, "main", [1]) == [1]
    assert helpers.take_help(job_id, 1, "helper") is not None
    found = Lay((tab_at(0, 0, "K-3L"),))
    for owner, helper in (("main", 0), ("helper", 1)):
        candidates.put(lay_id, job_id, owner, found, job_number=1, base=1, helper=helper)
    assert candidates.take_in(lay_id, job_id).number == 2
    with pytest.raises(jobs.Lost):
        candidates.put(lay_id, job_id, "helper", found, job_number=1, base=1, helper=1)
    assert candidates.of_lay(lay_id) is None


def test_pins_are_part_of_the_lay(workshop: TestClient, batch_id: int) -> None:
    _, on = new_hide("K-4")
    lay_id = lays.create_lay(batch_id, "body leather", job_on("K-4"), [on])
    by_hand.act(lay_id, base=1, put=[tab_at(k, k, "K-4") for k in range(3)])
    url = f"/api/lays/{lay_id}"
    both = [{"piece": "tab", "copy_number": k} for k in (0, 2)]
    assert workshop.post(f"{url}/pins", json={"add": both}).json() == both
    assert workshop.post(f"{url}/pins", json={"add": [{"piece": "tab", "copy_number": 9}]}).status_code == 422
    assert workshop.get(url).json()["pins"] == both
    by_hand.act(lay_id, base=2, take=[("tab", 2)])
    assert workshop.get(url).json()["pins"] == both[:1], "what does not lie is not pinned"
    assert workshop.post(f"{url}/pins", json={"drop": both}).json() == []


def test_leather_that_changed_since_is_told_and_the_lay_brought_onto_it(
    workshop: TestClient, batch_id: int
) -> None:
    hide_id, on = new_hide("K-5")
    lay_id = lays.create_lay(batch_id, "body leather", job_on("K-5", quantity=4), [on])
    by_hand.act(lay_id, base=1, put=[tab_at(k, k, "K-5") for k in range(4)])
    url = f"/api/lays/{lay_id}"
    assert workshop.get(url).json()["changed"] == []
    looking.change(hide_id, lambda k: replace(k, steps=dict(k.steps)), "nothing")
    x, y = ROOM[1]
    ring = [[x + 20, y + 20], [x + 30, y + 20], [x + 30, y + 30], [x + 20, y + 30]]
    looking.change(hide_id, lambda k: with_flaw(k, RingedFlaw("h", "hole", 3, ring)), "hole, unsound")
    (told,) = workshop.get(url).json()["changed"]
    assert told["hit"] == 1 and told["words"].endswith("1 piece now lies on unsound leather")
    assert any(b["leather_changed"] for b in workshop.get("/api/batches").json() if b["id"] == batch_id)
    before = lays.load(lay_id)
    taken = workshop.post(f"{url}/leather", json={"base": 2}).json()
    assert taken == {"head": 3, "taken_up": 1}
    now = lays.load(lay_id)
    assert now.job_number == 2 and [f.severity for f in now.job.hides[0].flaws] == [3]
    assert {p.copy for p in now.lay.placements} == {0, 2, 3} and broken_rules(now.job, now.lay) == ()
    assert workshop.get(url).json()["changed"] == [] and now.leather == (
        LaidOn(hide_id, now.leather[0].version),
    )
    again = lays.load(lay_id, 2)
    assert again.job_number == 1 and again.lay == before.lay and not again.job.hides[0].flaws
    # Going back shows the lay on the leather it was laid on, and says so again.
    assert lay_back.go_to(lay_id, 2, base=3) == 4
    assert workshop.get(url).json()["changed"][0]["hit"] == 1


def test_a_lay_follows_its_hide_where_that_was_cut(workshop: TestClient, batch_id: int) -> None:
    hide_id, on = new_hide("K-6")
    lay_id = lays.create_lay(batch_id, "body leather", job_on("K-6", quantity=4), [on])
    by_hand.act(lay_id, base=1, put=[tab_at(k, k, "K-6") for k in range(4)])
    looking.cut_off(hide_id, [[180, -40], [180, 600]], "tail end cut off")
    assert changed_leather.of_lay(lays.load(lay_id)) == (), "it was cut clear of what lies"
    assert changed_leather.bring(lay_id, base=2).taken_up == 0
    moved = lays.load(lay_id)
    assert broken_rules(moved.job, moved.lay) == ()
    gone = ROOM[0][0] - moved.lay.placements[0].at.x
    assert gone == pytest.approx(180, abs=2), (
        "it lies where it lay on the leather, which begins elsewhere now"
    )


def test_leather_is_spoken_for(workshop: TestClient, batch_id: int) -> None:
    hide_id, on = new_hide("K-7")
    lay_id = lays.create_lay(batch_id, "body leather", job_on("K-7"), [on])

    def state() -> str:
        return next(h.state for h in hides.rack() if h.number == "K-7")

    assert state() == "kept" and batches.batch_by_id(batch_id).hide_ids[-1] == hide_id
    by_hand.act(lay_id, base=1, put=[tab_at(0, 0, "K-7")])
    assert state() == "laid" and batches.batch_by_id(batch_id).state == "laid"
    other = next(b.id for b in batches.all_batches() if b.number == "B-31")
    refusals: list[Callable[[], Any]] = [
        lambda: lays.create_lay(other, "body leather", job_on("K-7"), [on]),
        lambda: batches.choose_leather(other, add=[hide_id]),
        lambda: batches.choose_leather(batch_id, drop=[hide_id]),
        lambda: spoken_for.set_state([hide_id], "looked over"),
        lambda: spoken_for.set_state([hide_id], "kept"),
        lambda: send_back(hide_id),
    ]
    for act in refusals:
        with pytest.raises(Refused, match=r"K-7|by hand"):
            act()
    assert state() == "laid"
    batches.choose_leather(other, add=[hide_id], shared=True)
    assert hide_id in batches.batch_by_id(other).hide_ids
    batches.choose_leather(other, drop=[hide_id])
    assert state() == "laid"
    lay_back.undo(lay_id, base=2)
    assert state() == "kept"
    lays.give_up(lay_id)
    batches.choose_leather(batch_id, drop=[hide_id])
    assert state() in ("looked over", "received")
    with pytest.raises(Refused, match="has been laid on"):
        send_back(hide_id)
    with pytest.raises(Refused, match="was given out before"):
        new_hide("K-7")


def test_two_quick_presses_both_count(workshop: TestClient, batch_id: int) -> None:
    ids = [new_hide(f"K-1{k}")[0] for k in range(6)]
    wrong: list[BaseException] = []

    def press(hide_id: int) -> None:
        try:
            batches.choose_leather(batch_id, add=[hide_id])
        except FairLayError as error:
            wrong.append(error)

    threads = [threading.Thread(target=press, args=(i,)) for i in ids]
    for t in threads:
        t.start()
    for t in threads:
        t.join()
    assert not wrong and set(ids) <= set(batches.batch_by_id(batch_id).hide_ids)
    batches.choose_leather(batch_id, drop=ids[:2])
    assert not set(ids[:2]) & set(batches.batch_by_id(batch_id).hide_ids) and set(ids[2:]) <= set(
        batches.batch_by_id(batch_id).hide_ids
    )


def test_what_is_not_there_is_told(workshop: TestClient, batch_id: int) -> None:
    _, on = new_hide("K-8")
    with pytest.raises(Stale, match="changed just now"):
        lays.create_lay(batch_id, "body leather", job_on("K-8"), [replace(on, version=7)])
    lay_id = lays.create_lay(batch_id, "body leather", job_on("K-8"), [on])
    wrong: list[tuple[type[FairLayError], Callable[[], Any]]] = [
        (NotFound, lambda: lays.load(lay_id, 2)),
        (NotFound, lambda: lays.load(lay_id, 0)),
        (NotFound, lambda: lays.name_revision(lay_id, 9, "x")),
        (NotFound, lambda: lay_back.go_to(lay_id, 3, base=1)),
        (Refused, lambda: lay_back.undo(lay_id, base=1)),
        (Stale, lambda: lay_back.undo(lay_id, base=4)),
        (NotFound, lambda: by_hand.act(999_999, base=1)),
        (NotFound, lambda: candidates.take_in(lay_id, 1)),
    ]
    for kind, act in wrong:
        with pytest.raises(kind):
            act()
    assert connected(state_at)(lay_id, 1).lies == {}


def test_undo_takes_back_ones_own_and_leaves_a_colleagues(workshop: TestClient, batch_id: int) -> None:
    _, on = new_hide("K-9")
    lay_id = lays.create_lay(batch_id, "body leather", job_on("K-9"), [on])
    mara, tobin = (people.add(f"Undo {name}", "cutter").id for name in ("Mara", "Tobin"))

    def by(person: int, what: str, *moves: Placement, take: tuple[tuple[str, int], ...] = ()) -> int:
        head = lays.load(lay_id).head
        with acting_as(person):
            if what == "undo":
                return lay_back.undo(lay_id, base=head)
            return by_hand.act(lay_id, base=head, put=moves, take=take)

    def lie() -> dict[int, int]:
        """Which place each tab lies at."""
        places = {place: n for n, place in enumerate(ROOM)}
        return {p.copy: places[p.at.x, p.at.y] for p in lays.load(lay_id).lay.placements}

    by(mara, "act", tab_at(0, 0, "K-9"))
    by(mara, "act", tab_at(1, 1, "K-9"))
    by(tobin, "act", tab_at(2, 2, "K-9"))
    by(mara, "undo")
    assert lie() == {0: 0, 2: 2}, "hers is gone, his stays"
    left = {u.piece: u.count for u in lays.load(lay_id).lay.unplaced}
    assert left == {"tab": 10}
    by(mara, "undo")
    assert lie() == {2: 2}, "twice goes back two of hers"
    with pytest.raises(Refused, match="nothing of yours"):
        by(mara, "undo")
    by(tobin, "undo")
    assert lie() == {}
    assert [r.by for r in lays.load(lay_id).revisions][1:5] == ["Undo Mara"] * 2 + ["Undo Tobin", "Undo Mara"]
    # What a colleague built upon is not taken back behind their back.
    by(mara, "act", tab_at(3, 3, "K-9"))
    by(tobin, "act", tab_at(3, 4, "K-9"))
    with pytest.raises(Refused, match=r"built upon since: tab 4"):
        by(mara, "undo")
    assert lie() == {3: 4}
    # Nor where its place was taken since.
    by(mara, "act", take=(("tab", 3),))
    by(tobin, "act", tab_at(5, 4, "K-9"))
    with pytest.raises(Refused, match="built upon"):
        by(mara, "undo")
    assert lie() == {5: 4}
