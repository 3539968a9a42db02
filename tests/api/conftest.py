"""A private MariaDB for the session, and the application on it with the demo workshop."""

from __future__ import annotations

import os
import subprocess
import time
from collections.abc import Iterator
from contextlib import suppress
from pathlib import Path
from typing import Any

import pytest
import redis
from fastapi import FastAPI
from fastapi.testclient import TestClient

from fairlay.store import database as store
from fairlay.store import jobs
from fairlay.store.tables import JobRow, WorkerRow
from scripts.mariadb import PrivateMariaDB, free_port
from tests.api.on_a_side import Table, begun_table

ALL_MIGRATIONS = sorted(p.stem for p in store.MIGRATIONS.glob("0*.py"))


@pytest.fixture(scope="session")
def mariadb(tmp_path_factory: pytest.TempPathFactory) -> Iterator[str]:
    with PrivateMariaDB(Path(tmp_path_factory.mktemp("mariadb")), lasting=False) as server:
        before = os.environ.get(store.URL_VARIABLE)
        os.environ[store.URL_VARIABLE] = server.url
        yield server.url
        if before is None:
            del os.environ[store.URL_VARIABLE]


def at_this_machine(app: FastAPI, host: str = "127.0.0.1") -> TestClient:
    """A page of ours, opened on this machine: the demo lets it in."""
    return TestClient(
        app,
        base_url=f"http://{host}",
        headers={"fair-lay": "1"},
        client=("127.0.0.1", 50_000),
        raise_server_exceptions=False,
    )


@pytest.fixture(scope="session")
def workshop(mariadb: str) -> Iterator[TestClient]:
    from fairlay.api.app import create_app
    from fairlay.demo import fill_if_empty

    app = create_app()
    assert store.migrate() == ALL_MIGRATIONS
    assert store.migrate() == []
    assert fill_if_empty() and not fill_if_empty()
    with at_this_machine(app) as client:
        yield client
    store.database.close_all()


@pytest.fixture
def elsewhere(workshop: TestClient, mariadb: str, monkeypatch: pytest.MonkeyPatch) -> Iterator[str]:
    """An empty store beside the workshop's, and ours for as long as the test takes."""
    with store.database.connection_context():
        store.database.execute_sql("DROP DATABASE IF EXISTS fairlay_other")
        store.database.execute_sql("CREATE DATABASE fairlay_other CHARACTER SET utf8mb4")
    yield mariadb.rsplit("/", 1)[0] + "/fairlay_other"
    monkeypatch.undo()
    open_at(mariadb)


def open_at(url: str) -> None:
    """Make another store ours."""
    store.database.close_all()
    os.environ[store.URL_VARIABLE] = url
    store.open_database(url)


@pytest.fixture(scope="session")
def redis_url(tmp_path_factory: pytest.TempPathFactory) -> Iterator[str]:
    """A Redis server of our own, Debian's."""
    port = free_port()
    words = ["redis-server", "--port", str(port), "--bind", "127.0.0.1", "--save", "", "--appendonly", "no"]
    home = tmp_path_factory.mktemp("redis")
    with (home / "log").open("wb") as log:
        server = subprocess.Popen(words, cwd=home, stdout=log, stderr=log)
    client = redis.Redis(port=port)
    for _ in range(100):
        with suppress(redis.ConnectionError):
            if client.ping():
                break
        time.sleep(0.05)
    client.close()
    yield f"redis://127.0.0.1:{port}/0"
    server.terminate()
    server.wait(10)


@pytest.fixture
def quiet(workshop: TestClient) -> None:
    """Nothing waits or runs from another test, and no worker is known."""
    with store.database.connection_context():
        JobRow.update(state="failed").where(JobRow.state.in_(jobs.LIVE)).execute()
        WorkerRow.delete().execute()


@pytest.fixture
def reads_at_once(monkeypatch: pytest.MonkeyPatch) -> None:
    """Files are read where they are asked for, behind the fence as a worker would."""
    from fairlay.work.files import read_one

    monkeypatch.setattr("fairlay.api.reading.hand_out", lambda job_id, _kind: read_one(job_id))


def told(client: TestClient, asked: Any) -> Any:
    """What a file that was asked for told, by the answer to the asking."""
    assert asked.status_code == 202, asked.text
    what = asked.request.url.path.rsplit("/", 1)[1]
    return client.get(f"/api/ways-in/readings/{asked.json()['id']}/{what}")


@pytest.fixture
def queries(monkeypatch: pytest.MonkeyPatch) -> list[str]:
    """Every SQL statement that is run while the fixture is in use, but for the door's own."""
    seen: list[str] = []
    own = store.database.obj
    run = own.execute_sql

    def watched(sql: str, params: object = None, *more: object) -> object:
        asks = sql.lstrip().upper().startswith(("SELECT", "INSERT", "UPDATE", "DELETE"))
        if asks and not any(table in sql for table in ("`person`", "FROM session", "`deed`")):
            seen.append(sql)
        return run(sql, params, *more)

    monkeypatch.setattr(own, "execute_sql", watched)
    return seen


@pytest.fixture
def table(workshop: TestClient, request: pytest.FixtureRequest) -> Table:
    """A hide that is being cut, of this test alone."""
    return begun_table(workshop, f"C-{abs(hash(request.node.name)) % 10**8}")
