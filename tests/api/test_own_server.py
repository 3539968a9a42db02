"""The MariaDB that ./start starts."""

from __future__ import annotations

from pathlib import Path

from fairlay.store.database import make_database
from scripts.mariadb import PrivateMariaDB


def test_a_server_that_ended_is_started_again_at_its_address(tmp_path: Path) -> None:
    with PrivateMariaDB(tmp_path) as server:
        url = server.url
        assert not server.start_again_if_gone() and server.process is not None
        server.process.kill()
        server.process.wait()
        assert server.start_again_if_gone() and server.url == url
        database = make_database(url)
        with database.connection_context():
            assert database.execute_sql("SELECT 1").fetchone() == (1,)
        database.close_all()
