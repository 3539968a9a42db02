"""A private MariaDB for the session, and the application on it with the demo workshop."""

from __future__ import annotations

import os
from collections.abc import Iterator
from pathlib import Path

import pytest
from fastapi.testclient import TestClient

from fairlay.store import database as store
from scripts.mariadb import PrivateMariaDB


@pytest.fixture(scope="session")
def mariadb(tmp_path_factory: pytest.TempPathFactory) -> Iterator[str]:
    with PrivateMariaDB(Path(tmp_path_factory.mktemp("mariadb"))) as server:
        before = os.environ.get(store.URL_VARIABLE)
        os.environ[store.URL_VARIABLE] = server.url
        yield server.url
        if before is None:
            del os.environ[store.URL_VARIABLE]


@pytest.fixture(scope="session")
def workshop(mariadb: str) -> Iterator[TestClient]:
    from fairlay.api.app import create_app
    from fairlay.demo import fill_if_empty

    app = create_app()
    assert store.migrate() == [
        "0001_first_tables",
        "0002_asked_of_a_job",
        "0003_articles_have_revisions",
        "0004_leather_is_received",
        "0005_pictures_in_the_queue",
        "0006_offcuts_and_cards",
    ]
    assert store.migrate() == []
    assert fill_if_empty() and not fill_if_empty()
    with TestClient(app, raise_server_exceptions=False) as client:
        yield client
    store.database.close_all()


@pytest.fixture
def queries(monkeypatch: pytest.MonkeyPatch) -> list[str]:
    """Every SQL statement that is run while the fixture is in use."""
    seen: list[str] = []
    own = store.database.obj
    run = own.execute_sql

    def watched(sql: str, params: object = None, *more: object) -> object:
        if sql.lstrip().upper().startswith(("SELECT", "INSERT", "UPDATE", "DELETE")):
            seen.append(sql)
        return run(sql, params, *more)

    monkeypatch.setattr(own, "execute_sql", watched)
    return seen
