"""The store: revisions are a model's own history, migrations go on from where they broke, killed workers lose
nothing.
"""

from __future__ import annotations

import json
import os
import signal
import subprocess
import sys
import time
from pathlib import Path

import pytest
from fastapi.testclient import TestClient
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from fairlay.core.errors import NotFound, Refused, Stale, Unavailable
from fairlay.core.lay import Lay, Placement
from fairlay.core.shapes import Placing
from fairlay.store import articles, batches, hides, jobs, lays
from fairlay.store import database as store
from scripts.mariadb import PrivateMariaDB

ROOT = Path(__file__).resolve().parents[2]
OLD_PIECES = """CREATE TABLE piece (id INT AUTO_INCREMENT PRIMARY KEY, article_id INT NOT NULL, slug VARCHAR(64) NOT NULL, name VARCHAR(128) NOT NULL,
    material VARCHAR(64) NOT NULL, revision VARCHAR(16) NOT NULL, needs JSON NOT NULL, UNIQUE KEY piece_revision (article_id, slug, revision))"""


def _lay_id() -> int:
    batch = next(b for b in batches.all_batches() if b.number == "B-29")
    source = lays.load(lays.summaries(batch.id)[-1].id)
    return lays.create_lay(batch.id, source.material, source.job)


@settings(max_examples=12, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(
    st.lists(
        st.one_of(
            st.tuples(st.just("save"), st.integers(0, 15)),
            st.tuples(st.just("undo"), st.just(0)),
            st.tuples(st.just("go"), st.integers(1, 9)),
        ),
        max_size=9,
    )
)
def test_revisions_keep_every_lay_ever_saved(workshop: TestClient, acts: list[tuple[str, int]]) -> None:
    lay_id = _lay_id()
    piece, hide = "log-sling/toggle", "O-041"
    shown: list[frozenset[int]] = [frozenset()]  # what each revision shows
    trail = [0]  # for each revision, the index of the one it stands for
    for act, value in acts:
        base = len(shown)
        if act == "save":
            copies = frozenset(n for n in range(4) if value >> n & 1)
            lay = Lay(
                tuple(
                    Placement(piece, n, hide, Placing(100.0 * n, float(value), 0.0)) for n in sorted(copies)
                )
            )
            assert lays.save(lay_id, lay, "hand", base=base) == base + 1
            shown.append(copies)
            trail.append(len(shown) - 1)
        elif act == "undo":
            target = trail[-1] - 1
            if target < 0:
                with pytest.raises(Refused):
                    lays.undo(lay_id, base=base)
                continue
            assert lays.undo(lay_id, base=base) == base + 1
            shown.append(shown[target])
            trail.append(trail[target])
        else:
            if value > base:
                with pytest.raises(NotFound):
                    lays.go_to(lay_id, value, base=base)
                continue
            assert lays.go_to(lay_id, value, base=base) == base + 1
            shown.append(shown[value - 1])
            trail.append(trail[value - 1])
        with pytest.raises(Stale):
            lays.save(lay_id, Lay(()), "hand", base=base)
    for number, copies in enumerate(shown, start=1):
        assert {p.copy for p in lays.load(lay_id, number).lay.placements} == copies


def test_a_search_brings_its_own_revision_up_to_date_and_no_other(workshop: TestClient) -> None:
    lay_id = _lay_id()

    def lay(count: int) -> Lay:
        return Lay(
            tuple(
                Placement("log-sling/toggle", n, "O-041", Placing(90.0 * n, 0.0, 0.0)) for n in range(count)
            )
        )

    first = lays.save_found(lay_id, lay(1), None)
    assert lays.save_found(lay_id, lay(2), first) == first == 2
    assert lays.save(lay_id, lay(1), "hand", base=2) == 3
    assert lays.save_found(lay_id, lay(3), first) == 4
    assert [len(lays.load(lay_id, n).lay.placements) for n in (1, 2, 3, 4)] == [0, 2, 1, 3]


def test_jobs_are_claimed_once_and_end_once(workshop: TestClient) -> None:
    lay_id = _lay_id()
    job_id = jobs.add_job(lay_id, 5.0, 1)
    assert job_id in jobs.waiting()
    with pytest.raises(Refused, match="being laid already"):
        jobs.add_job(lay_id, 5.0, 1)
    assert jobs.ask_to_stop(job_id).state == "stopped" and jobs.take_up(job_id) is None
    again = jobs.add_job(lay_id, 5.0, 1)
    claimed = jobs.take_up(again)
    assert claimed is not None and claimed.attempts == 1 and not jobs.beat(again, 1.0)
    assert jobs.ask_to_stop(again).stop_asked and jobs.beat(again, 1.5)
    jobs.end(again, "stopped", 1.5)
    assert jobs.newest_of_lay(lay_id) == jobs.job_by_id(again) and jobs.job_by_id(again).state == "stopped"


def test_a_job_that_loses_its_worker_too_often_is_given_up(
    workshop: TestClient, monkeypatch: pytest.MonkeyPatch
) -> None:
    job_id = jobs.add_job(_lay_id(), 5.0, 1)
    monkeypatch.setattr(jobs, "STALE_AFTER", jobs.STALE_AFTER * -1)
    for _ in range(jobs.MOST_ATTEMPTS - 1):
        assert jobs.take_up(job_id) is not None and jobs.orphans() == [job_id]
    assert jobs.take_up(job_id) is not None and jobs.orphans() == []
    assert jobs.job_by_id(job_id).state == "failed"


def test_a_killed_worker_process_loses_nothing(workshop: TestClient, mariadb: str, tmp_path: Path) -> None:
    from fairlay.work.queue import hand_out

    lay_id = _lay_id()
    job_id = jobs.add_job(lay_id, 6.0, 1)
    hand_out(job_id, "lay")

    def worker() -> subprocess.Popen[bytes]:
        with (tmp_path / "worker.log").open("ab") as said:
            return subprocess.Popen(
                [sys.executable, "-m", "fairlay.cli", "worker", "--count", "1"],
                cwd=ROOT,
                env={**os.environ, store.URL_VARIABLE: mariadb},
                stdout=said,
                stderr=said,
                start_new_session=True,
            )

    def wait_for(what: str, seconds: float) -> None:
        end = time.monotonic() + seconds
        while not (
            jobs.job_by_id(job_id).revision if what == "a lay" else jobs.job_by_id(job_id).state == what
        ):
            assert time.monotonic() < end, (tmp_path / "worker.log").read_text()
            time.sleep(0.1)

    running = worker()
    try:
        wait_for("a lay", 60)
    finally:
        os.killpg(running.pid, signal.SIGKILL)
        running.wait()
    assert jobs.job_by_id(job_id).state == "running"
    before = lays.load(lay_id).measures["placed"]
    running = worker()
    try:
        wait_for("done", 60)
    finally:
        os.killpg(running.pid, signal.SIGTERM)
        running.wait(20)
    job = jobs.job_by_id(job_id)
    assert job.attempts == 2 and lays.load(lay_id).measures["placed"] >= before > 0


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
            ran = [
                "0001_first_tables",
                "0002_asked_of_a_job",
                "0003_articles_have_revisions",
                "0004_leather_is_received",
                "0005_pictures_in_the_queue",
                "0006_offcuts_and_cards",
            ]
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
