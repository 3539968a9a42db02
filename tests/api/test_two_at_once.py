"""Two who do the same at once are one after the other: each act takes its locks in one order and judges what
stands then.
"""

from __future__ import annotations

import datetime
import re
import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import Any

import peewee
import pytest
from fastapi.testclient import TestClient

from fairlay.core.cutting.ticks import Tick
from fairlay.core.errors import FairLayError, Refused
from fairlay.core.lay.what_if import Change
from fairlay.core.leather.looking_over import RingedFlaw, with_flaw
from fairlay.store import (
    batches,
    by_hand,
    candidates,
    changed_leather,
    closing,
    cutting,
    hides,
    jobs,
    lay_back,
    lays,
    looking,
    ordering,
    what_if,
)
from fairlay.store.clock import now
from fairlay.store.jobs import Lost
from fairlay.store.work_asked import LayWork, ReadWork
from fairlay.work import files
from tests.api.on_a_side import Table, job_on, keys_of, new_hide, tab_at

RANKS = ("lock_row", "batch", "hide", "lay", "work_job")
"""Tables whose rows are held, in the one order (``fairlay.store.locks``)."""


class Held:
    """Which rows a transaction holds, in order; a row that is taken out of it is told in ``broken``."""

    def __init__(self) -> None:
        self.rows: list[tuple[int, Any]] = []
        self.broken: list[str] = []

    def heard(self, sql: str, params: Any) -> None:
        read = re.search(r"FROM `(\w+)`", sql) if sql.endswith("FOR UPDATE") else None
        written = re.match(r"UPDATE `(\w+)` .* WHERE \(`\w+`\.`id` (?:= %s|IN \([%s, ]+\))\)$", sql)
        found = read or written
        if found is None or found[1] not in RANKS:
            return
        rank, given = RANKS.index(found[1]), list(params or ())
        many = re.search(r"IN \(([%s, ]+)\)", sql)
        if read:
            ids = given[: many[1].count("%s")] if many else given[:1]
        else:
            ids = given[-many[1].count("%s") :] if many else given[-1:]
        for one in ids:
            if (rank, one) in self.rows:
                continue
            if self.rows and (rank, one) < max(self.rows):
                self.broken.append(f"{found[1]} {one} after {self.rows}: {sql[:120]}")
            self.rows.append((rank, one))


@contextmanager
def listening(monkeypatch: pytest.MonkeyPatch) -> Iterator[Held]:
    held = Held()
    with monkeypatch.context() as patch:
        run = peewee.Database.execute_sql

        def heard(self: Any, sql: str, params: Any = None, *more: Any) -> Any:
            held.heard(sql, params)
            return run(self, sql, params, *more)

        def over(name: str) -> None:
            ends = getattr(peewee.Database, name)

            def ended(self: Any) -> Any:
                held.rows.clear()
                return ends(self)

            patch.setattr(peewee.Database, name, ended)

        patch.setattr(peewee.Database, "execute_sql", heard)
        over("commit")
        over("rollback")
        yield held


def both(*acts: Callable[[], Any]) -> list[Any]:
    """What came of acts that were begun at once: what each returned, or raised on purpose."""
    gate, out = threading.Barrier(len(acts)), [None] * len(acts)

    def run(k: int) -> None:
        gate.wait()
        try:
            out[k] = acts[k]()
        except FairLayError as error:
            out[k] = error

    threads = [threading.Thread(target=run, args=(k,)) for k in range(len(acts))]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    return out


def _cut_all(table: Table) -> None:
    at = table.page.get(f"/api/cut/{table.id}/states").json()["at_s"]
    table.send(*(table.tick(key, "done", at + k) for k, key in enumerate(keys_of(table))))


def test_a_hide_closed_twice_at_once_is_closed_once(table: Table) -> None:
    _cut_all(table)
    before = {h.number for h in hides.rack()}
    told = both(*[lambda: closing.close(table.id)] * 3)
    assert sorted(isinstance(t, Refused) for t in told) == [False, True, True], told
    account = next(t for t in told if not isinstance(t, Refused)).account
    came = [h for h in hides.rack() if h.number not in before]
    assert sum(h.area_m2 for h in came) == pytest.approx(account.kept_m2, rel=0.01)
    assert {h.parent_id for h in came} <= {table.hide_id}


def test_a_hide_is_cut_by_one_lay_at_a_time(table: Table) -> None:
    first = lays.load(table.lay_id)
    other = lays.create_lay(first.batch_id, first.material, first.job, first.leather)
    lays.save(other, first.lay, "engine", base=1)
    told = cutting.begin(table.lay_id, table.hide)
    assert told == table.id, "beginning again is the same"
    with pytest.raises(Refused, match="is being cut already"):
        cutting.begin(other, table.hide)
    _cut_all(table)
    closing.close(table.id)
    with pytest.raises(Refused, match="changed since"):
        cutting.begin(other, table.hide)


def test_nothing_goes_against_a_rule_on_a_hide_that_is_being_cut(table: Table) -> None:
    saved = lays.load(table.lay_id)
    one, two = saved.lay.placements[:2]
    over = type(one)(one.piece, one.copy, one.hide, two.at)
    with pytest.raises(Refused, match="being cut"):
        by_hand.act(table.lay_id, base=saved.head, put=[over], insisting=True)
    assert lays.load(table.lay_id).head == saved.head


def test_ticks_beside_a_close_are_counted_or_told_to_be_late(table: Table) -> None:
    keys = keys_of(table)
    at = table.page.get(f"/api/cut/{table.id}/states").json()["at_s"]
    table.send(table.tick(keys[0], "done", at))
    ticks = [Tick(f"beside-{table.id}-{k}", *key, "done", at + 1 + k) for k, key in enumerate(keys[1:5])]
    told = both(lambda: closing.close(table.id), *(lambda t=t: cutting.tick(table.id, [t]) for t in ticks))
    late = {i for t in told[1:] for i in t.late}
    done = [s for s in cutting.states(table.id).values() if s.act == "done"]
    assert len(done) == 1 + len(ticks) - len(late)
    after = cutting.tick(table.id, [Tick(f"late-{table.id}", *keys[5], "done", at + 9)])
    assert after.late == (f"late-{table.id}",) and keys[5] not in after.states


def test_a_clock_set_back_counts_no_tick_that_came_late_and_loses_none_before(
    table: Table, monkeypatch: pytest.MonkeyPatch
) -> None:
    keys = keys_of(table)
    at = table.page.get(f"/api/cut/{table.id}/states").json()["at_s"]
    table.send(table.tick(keys[0], "done", at))
    hour_ago = now() - datetime.timedelta(hours=1)
    for module in (cutting, closing):
        monkeypatch.setattr(module, "now", lambda: hour_ago)
    assert closing.close(table.id).account.good_m2 > 0
    late = cutting.tick(table.id, [Tick(f"back-{table.id}", *keys[1], "done", at + 1)])
    assert late.late == (f"back-{table.id}",) and set(late.states) == {keys[0]}


def test_leather_that_two_lays_shared_is_kept_once_both_are_empty(workshop: TestClient) -> None:
    batch_id = next(b.id for b in batches.all_batches() if b.number == "B-31")
    _, on = new_hide("T-1")
    made = [lays.create_lay(batch_id, "body leather", job_on("T-1"), [on]) for _ in range(2)]
    for lay_id in made:
        by_hand.act(lay_id, base=1, put=[tab_at(0, 0, "T-1")])
    assert both(*(lambda i=i: by_hand.act(i, base=2, take=[("tab", 0)]) for i in made)) == [3, 3]
    assert next(h.state for h in hides.rack() if h.number == "T-1") == "kept"


def test_what_a_lost_worker_read_is_not_written(
    workshop: TestClient, quiet: None, monkeypatch: pytest.MonkeyPatch
) -> None:
    from fairlay.store import camera_checks, uploads

    upload = uploads.keep("page.jpg", "image/jpeg", b"a picture")
    said = {"wide_mm": 160, "high_mm": 220, "bar_mm": 100, "camera": "by hand"}
    job_id, _ = jobs.add_read(upload, ReadWork("check", said))
    checks = camera_checks.checks()

    def slow(*_: Any, **__: Any) -> dict[str, Any]:
        monkeypatch.setattr(jobs, "STALE_AFTER_S", -1.0)
        assert job_id in jobs.orphans() and jobs.take_up(job_id, "next") is not None
        return {"camera": "", "wide_mm": 160.0, "high_mm": 220.0, "off_share": 0.0, "off_mm": 0.0}

    monkeypatch.setattr(files, "fenced", slow)
    files.read_one(job_id)
    assert camera_checks.checks() == checks and jobs.kept_result(job_id) is None
    assert (jobs.job_by_id(job_id).owner, jobs.job_by_id(job_id).state) == ("next", "running")
    jobs.end(job_id, "next", "stopped", 0.0)
    with pytest.raises(Lost):
        jobs.as_owner(job_id, "late", lambda: None)


def test_every_act_that_writes_takes_its_locks_in_one_order(
    workshop: TestClient, table: Table, monkeypatch: pytest.MonkeyPatch
) -> None:
    batch_id = next(b.id for b in batches.all_batches() if b.number == "B-31")
    ids = [new_hide(f"T-2{k}") for k in range(4)]
    (early, _), (_, on), (other, _), (late, _) = ids
    lay_id = 0

    def begin() -> None:
        nonlocal lay_id
        lay_id = lays.create_lay(batch_id, "body leather", job_on("T-21"), [on])

    def search() -> None:
        job_id = jobs.add_job(lay_id, 5.0, 1, LayWork(base=1))
        assert jobs.take_up(job_id, "one") is not None
        saved = lays.load(lay_id)
        candidates.put(lay_id, job_id, "one", saved.lay, job_number=saved.job_number, base=saved.head)
        candidates.take_in(lay_id, job_id)
        jobs.end(job_id, "one", "done", 1.0)

    def marked(hide_id: int) -> None:
        ring = [[600.0, 300.0], [630.0, 300.0], [630.0, 330.0]]
        looking.change(hide_id, lambda k: with_flaw(k, RingedFlaw("h", "hole", 3, ring)), "hole")

    def head() -> int:
        return lays.load(lay_id).head

    def spoil() -> None:
        key = keys_of(table)[0]
        at = table.page.get(f"/api/cut/{table.id}/states").json()["at_s"]
        cutting.tick(table.id, [Tick(f"spoilt-{table.id}", *key, "spoilt", at)])
        closing.recut(table.id, key)

    acts: dict[str, Callable[[], Any]] = {
        "choose": lambda: batches.choose_leather(batch_id, add=[other, early]),
        "begin": begin,
        "move": lambda: by_hand.act(lay_id, base=1, put=[tab_at(0, 0, "T-21"), tab_at(1, 1, "T-21")]),
        "undo": lambda: lay_back.undo(lay_id, base=2),
        "redo": lambda: lay_back.redo(lay_id, base=3),
        "search": search,
        "mark the hide": lambda: marked(on.hide_id),
        "bring onto its leather": lambda: changed_leather.bring(lay_id, base=head()),
        "ask with another hide": lambda: what_if.ask_now(lay_id, [Change("with", "T-20")], base=head()),
        "cut off": lambda: looking.cut_off(late, [[180, -40], [180, 600]], "tail end cut off"),
        "undo the cut": lambda: looking.undo(late),
        "begin to cut": lambda: cutting.begin(table.lay_id, table.hide),
        "spoil and recut": spoil,
        "close": lambda: closing.close(table.id),
        "bring onto its order": lambda: ordering.bring(lay_id, base=head()),
        "give up": lambda: lays.give_up(lay_id),
        "give up the batch": lambda: ordering.stand(_new_batch(workshop), "given up"),
        "let go": lambda: batches.choose_leather(batch_id, drop=[other, early]),
    }
    broken = {}
    for name, act in acts.items():
        with listening(monkeypatch) as held:
            act()
            if held.broken:
                broken[name] = held.broken
    assert broken == {}


def _new_batch(page: TestClient) -> int:
    article = page.get("/api/articles").json()[0]["id"]
    asked = {"number": "B-T2", "name": "Given up", "lines": [{"article_id": article, "quantity": 1}]}
    made = int(page.post("/api/batches", json=asked).json()["id"])
    (_, on), (kept, _) = new_hide("T-31"), new_hide("T-30")
    batches.choose_leather(made, add=[kept])
    lays.create_lay(made, "body leather", job_on("T-31"), [on])
    return made
