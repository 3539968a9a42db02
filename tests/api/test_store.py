"""The store: revisions are a model's own history, migrations go on from where they broke, killed workers lose
nothing.
"""

from __future__ import annotations

import json
import os
import signal
import subprocess
import sys
import threading
import time
from collections.abc import Callable
from pathlib import Path

import pytest
from fastapi.testclient import TestClient

from fairlay.core.errors import Refused, Unavailable
from fairlay.core.lay import broken_rules, measure
from fairlay.core.lay.measures import worth
from fairlay.store import articles, batches, candidates, helpers, hides, jobs, lays
from fairlay.store import database as store
from fairlay.store.jobs import Lost
from fairlay.store.work_asked import LayWork
from fairlay.work.queue import QUEUE_URL_VARIABLE
from scripts.mariadb import PrivateMariaDB
from tests.api.conftest import ALL_MIGRATIONS
from tests.effort import LONG

pytestmark = pytest.mark.usefixtures("quiet")

ROOT = Path(__file__).resolve().parents[2]
OLD_PIECES = """CREATE TABLE piece (id INT AUTO_INCREMENT PRIMARY KEY, article_id INT NOT NULL,
slug VARCHAR(64) NOT NULL, name VARCHAR(128) NOT NULL,
    material VARCHAR(64) NOT NULL, revision VARCHAR(16) NOT NULL, needs JSON NOT NULL,
    UNIQUE KEY piece_revision (article_id, slug, revision))"""


def _lay_id() -> int:
    batch = next(b for b in batches.all_batches() if b.number == "B-29")
    source = lays.load(lays.summaries(batch.id)[-1].id)
    return lays.create_lay(batch.id, source.material, source.job, source.leather)


def test_jobs_are_claimed_once_and_end_once(workshop: TestClient) -> None:
    lay_id = _lay_id()
    job_id = jobs.add_job(lay_id, 5.0, 1, LayWork())
    assert job_id in jobs.waiting()
    with pytest.raises(Refused, match="being laid already"):
        jobs.add_job(lay_id, 5.0, 1, LayWork())
    assert jobs.ask_to_stop(job_id).state == "stopped" and jobs.take_up(job_id, "one") is None
    again = jobs.add_job(lay_id, 5.0, 1, LayWork())
    claimed = jobs.take_up(again, "one")
    assert claimed is not None and claimed.attempts == 1 and not jobs.beat(again, "one", 1.0).stop
    assert jobs.take_up(again, "two") is None
    assert jobs.ask_to_stop(again).stop_asked and jobs.beat(again, "one", 1.5).stop
    jobs.end(again, "one", "stopped", 1.5)
    with pytest.raises(Lost):
        jobs.end(again, "one", "done", 2.0)
    assert jobs.newest_of_lay(lay_id) == jobs.job_by_id(again) and jobs.job_by_id(again).state == "stopped"


def test_a_worker_that_comes_back_late_writes_nothing(
    workshop: TestClient, monkeypatch: pytest.MonkeyPatch
) -> None:
    lay_id = _lay_id()
    job_id = jobs.add_job(lay_id, 5.0, 1, LayWork())
    assert jobs.take_up(job_id, "late") is not None
    monkeypatch.setattr(jobs, "STALE_AFTER_S", -1.0)
    assert jobs.orphans() == [job_id] and jobs.take_up(job_id, "next") is not None
    before, lay = jobs.job_by_id(job_id), lays.load(lay_id)
    for write in (
        lambda: jobs.beat(job_id, "late", 9.0),
        lambda: jobs.say(job_id, "late", ["something"]),
        lambda: jobs.found_better(job_id, "late", 9.0, [{"second": 1.0, "measure": 9.0}]),
        lambda: jobs.end(job_id, "late", "done", 9.0),
        lambda: candidates.put(lay_id, job_id, "late", lay.lay, job_number=1, base=1),
    ):
        with pytest.raises(Lost):
            write()
    assert jobs.job_by_id(job_id) == before and candidates.of_lay(lay_id) is None
    jobs.end(job_id, "next", "stopped", 1.0)


def test_a_job_that_loses_its_worker_too_often_is_given_up(
    workshop: TestClient, monkeypatch: pytest.MonkeyPatch
) -> None:
    job_id = jobs.add_job(_lay_id(), 5.0, 1, LayWork())
    monkeypatch.setattr(jobs, "STALE_AFTER_S", -1.0)
    for _ in range(jobs.MOST_ATTEMPTS - 1):
        assert jobs.take_up(job_id, "one") is not None and jobs.orphans() == [job_id]
    assert jobs.take_up(job_id, "one") is not None and jobs.orphans() == []
    assert jobs.job_by_id(job_id).state == "failed"


def test_a_job_that_was_stored_and_never_handed_out_is_found(
    workshop: TestClient, monkeypatch: pytest.MonkeyPatch
) -> None:
    job_id = jobs.add_job(_lay_id(), 5.0, 1, LayWork())
    assert job_id not in jobs.never_handed_out(), "it may still be on its way"
    monkeypatch.setattr(jobs, "HAND_OUT_AFTER_S", -1.0)
    assert job_id in jobs.never_handed_out() and job_id not in jobs.never_handed_out()
    jobs.ask_to_stop(job_id)


def test_helpers_are_asked_for_once_and_again_where_they_were_lost(
    workshop: TestClient, monkeypatch: pytest.MonkeyPatch
) -> None:
    job_id = jobs.add_job(_lay_id(), 5.0, 1, LayWork())
    assert jobs.take_up(job_id, "main") is not None
    assert helpers.ask_for_help(job_id, "main", [1, 2]) == [1, 2]
    assert helpers.ask_for_help(job_id, "main", [1, 2]) == []
    assert (
        helpers.take_help(job_id, 1, "helper") is not None and helpers.take_help(job_id, 1, "other") is None
    )
    assert helpers.beat_help(job_id, 1, "helper") and not helpers.beat_help(job_id, 1, "other")
    monkeypatch.setattr(helpers, "STALE_AFTER_S", -1.0)
    assert helpers.ask_for_help(job_id, "main", [1, 2]) == [1], "it was lost; the other is still on its way"
    assert not helpers.beat_help(job_id, 1, "helper"), "nobody waits for the one that was lost"
    monkeypatch.undo()
    assert helpers.take_help(job_id, 2, "helper") is not None
    jobs.ask_to_stop(job_id)
    assert not helpers.beat_help(job_id, 2, "helper")
    jobs.end(job_id, "main", "stopped", 1.0)
    assert helpers.take_help(job_id, 1, "helper") is None


def test_workers_are_shared_among_the_lays_that_are_wanted(workshop: TestClient) -> None:
    for k in range(4):
        helpers.worker_is_there(f"w{k}", "lay", "here")
    helpers.worker_is_there("reader", "look", "here")
    before = helpers.fair_share()
    wanted = [jobs.add_job(_lay_id(), 5.0, 1, LayWork()) for _ in range(3)]
    assert before == 4 and helpers.fair_share() == 1
    jobs.ask_to_stop(wanted[0])
    assert helpers.fair_share() == 2
    for job_id in wanted[1:]:
        jobs.ask_to_stop(job_id)


def test_two_that_stand_in_each_others_way_are_tried_again(workshop: TestClient) -> None:
    """A deadlock made on purpose: each holds what the other waits for."""
    first, second = _lay_id(), _lay_id()
    both, tries = threading.Barrier(2, timeout=20), []

    def name_both(one: int, other: int, word: str) -> None:
        @store.connected
        def act() -> None:
            tries.append(word)
            lays.name_revision(one, 1, word)
            if tries.count(word) == 1:
                both.wait()
            lays.name_revision(other, 1, word)

        act()

    threads = [
        threading.Thread(target=name_both, args=a) for a in ((first, second, "a"), (second, first, "b"))
    ]
    for t in threads:
        t.start()
    for t in threads:
        t.join()
    names = {lays.load(lay_id).revisions[0].mark for lay_id in (first, second)}
    assert len(tries) == 3 and len(names) == 1, "one was rolled back whole, and done again after the other"


@pytest.mark.parametrize("back_end", ["mariadb", "redis"] if LONG else ["redis"])
def test_a_killed_worker_process_loses_nothing(
    workshop: TestClient, mariadb: str, tmp_path: Path, back_end: str, request: pytest.FixtureRequest
) -> None:
    env = {**os.environ, store.URL_VARIABLE: mariadb, "FAIRLAY_SILENT_S": "3"}
    if back_end == "redis":
        env[QUEUE_URL_VARIABLE] = request.getfixturevalue("redis_url")
    lay_id = _lay_id()
    job_id = jobs.add_job(lay_id, 6.0, 1, LayWork(base=1))

    def worker() -> subprocess.Popen[bytes]:
        with (tmp_path / "worker.log").open("ab") as said:
            return subprocess.Popen(
                [sys.executable, "-m", "fairlay.cli", "worker", "--count", "2"],
                cwd=ROOT,
                env=env,
                stdout=said,
                stderr=said,
                start_new_session=True,
            )

    def wait_for(what: Callable[[], object], seconds: float) -> None:
        end = time.monotonic() + seconds
        while not what():
            assert time.monotonic() < end, (tmp_path / "worker.log").read_text()
            time.sleep(0.1)

    # Nobody hands it out: the worker finds it in the store.
    running = worker()
    try:
        wait_for(lambda: candidates.best_of(job_id), 60)
    finally:
        os.killpg(running.pid, signal.SIGKILL)
        running.wait()
    assert jobs.job_by_id(job_id).state == "running" and lays.load(lay_id).head == 1
    before = candidates.best_of(job_id)
    running = worker()
    try:
        wait_for(lambda: jobs.job_by_id(job_id).state == "done", 60)
    finally:
        os.killpg(running.pid, signal.SIGTERM)
        running.wait(20)
    job, saved = jobs.job_by_id(job_id), lays.load(lay_id)
    assert job.attempts == 2 and job.revision == saved.head == 2 and before is not None
    assert worth(saved.job, measure(saved.job, saved.lay)) >= before.worth - 1e-9
    assert not broken_rules(saved.job, saved.lay) and candidates.of_lay(lay_id) is None
    assert "helper 1 begins" in (tmp_path / "worker.log").read_text(), "the idle worker helped"


def test_a_migration_that_broke_goes_on(tmp_path: Path) -> None:
    """MariaDB does not roll DDL back: half of the tables stand already, with what is in them."""
    current = store.database.obj
    try:
        with PrivateMariaDB(tmp_path / "old") as server:
            store.open_database(server.url)
            with store.database.connection_context():
                store.database.execute_sql(
                    "CREATE TABLE article (id INT AUTO_INCREMENT PRIMARY KEY, slug VARCHAR(64) NOT NULL "
                    "UNIQUE, name VARCHAR(128) NOT NULL, note LONGTEXT NOT NULL)"
                )
                store.database.execute_sql(
                    "INSERT INTO article (slug, name, note) VALUES ('old-stool', 'Old stool', '')"
                )
                store.database.execute_sql(OLD_PIECES)
                needs = {
                    "outline": [[0, 0], [90, 0], [90, 30], [0, 30]],
                    "holes": [],
                    "quantity": 3,
                    "pair": False,
                    "show_limit": 1,
                    "grain": {"axis_deg": 5, "tolerance_deg": 12},
                    "thickness_mm": [2, 3],
                }
                store.database.execute_sql(
                    "INSERT INTO piece (article_id, slug, name, material, revision, needs) VALUES (1, 'tab', "
                    "'Tab', 'body leather', 'A', %s)",
                    (json.dumps(needs),),
                )
            ran = ALL_MIGRATIONS
            assert store.migrate() == ran and store.migrate() == []
            kept = articles.article_at(1)
            assert kept.article.slug == "old-stool" and kept.letter == "A" and not kept.batches
            (tab,) = kept.article.pieces
            assert (tab.each, tab.needs.show_limit, tab.needs.grain_tolerance_deg, tab.needs.least_mm) == (
                3,
                1,
                12,
                2,
            ) and tab.region.area == 2700
            with store.database.connection_context():
                assert store.database.execute_sql("SELECT name FROM article").fetchall() == (("Old stool",),)
                found = {row[0] for row in store.database.execute_sql("SHOW TABLES").fetchall()}
            assert (
                "piece" not in found
                and {
                    "hide",
                    "article",
                    "article_revision",
                    "upload",
                    "upload_part",
                    "batch",
                    "batch_line",
                    "batch_hide",
                    "lay",
                    "lay_revision",
                    "work_job",
                    "delivery",
                    "hide_event",
                    "setting",
                }
                <= found
            )
            assert hides.count_hides() == 0
            store.database.close_all()
        with PrivateMariaDB(tmp_path / "old") as again:
            store.open_database(again.url)
            store.wait_until_up()
            with store.database.connection_context():
                assert store.database.execute_sql("SELECT count(*) FROM article").fetchone() == (1,)
            store.database.close_all()
    finally:
        store.database.initialize(current)


@pytest.mark.parametrize("url", ["", "postgres://a@b/c", "mysql://user@host", "mysql:///name"])
def test_an_address_that_is_none_is_refused(url: str, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.delenv(store.URL_VARIABLE, raising=False)
    with pytest.raises(Unavailable, match="FAIRLAY_DATABASE_URL"):
        store.make_database(url)
