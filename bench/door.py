"""What it costs a call to be held against who is signed in: an application that does nothing, with the door
before it and without.
"""

from __future__ import annotations

import asyncio
import statistics
import tempfile
import time
from pathlib import Path
from typing import Any

from starlette.responses import PlainTextResponse
from starlette.types import ASGIApp

from fairlay.api.door import COOKIE, Door
from fairlay.store import database as store
from fairlay.store import people, sessions
from scripts.mariadb import PrivateMariaDB

CALLS = 2000


def print_door() -> None:
    """Print the median and the 95th percentile of a call by somebody who is signed in."""
    with tempfile.TemporaryDirectory() as home, PrivateMariaDB(Path(home)) as server:
        store.open_database(server.url)
        store.wait_until_up()
        store.migrate()
        token = sessions.begin(people.add("Bench", "owner", "a long password").id)
        nothing = PlainTextResponse("nothing")
        took = asyncio.run(_times(token, {"without": nothing, "with": Door(nothing)}))
        store.database.close_all()
    for name, ms in took.items():
        print(f"{name:8} the door: median {statistics.median(ms):5.2f} ms, 95 % {_most(ms):5.2f} ms")
    more = statistics.median(took["with"]) - statistics.median(took["without"])
    print(f"the door adds {more:.2f} ms at the median")


def _most(ms: list[float]) -> float:
    return sorted(ms)[len(ms) * 95 // 100]


async def _times(token: str, apps: dict[str, ASGIApp]) -> dict[str, list[float]]:
    took: dict[str, list[float]] = {name: [] for name in apps}
    for _ in range(CALLS):
        for name, app in apps.items():
            scope: dict[str, Any] = {
                "type": "http",
                "method": "GET",
                "path": "/api/lays",
                "headers": [(b"cookie", f"{COOKIE}={token}".encode()), (b"host", b"127.0.0.1")],
                "client": ("127.0.0.1", 5),
            }
            start = time.perf_counter()
            await app(scope, _receive, _send)
            took[name].append(1e3 * (time.perf_counter() - start))
    return took


async def _receive() -> dict[str, Any]:
    return {"type": "http.request", "body": b""}


async def _send(message: Any) -> None:
    assert message.get("status", 200) == 200, "let in"
