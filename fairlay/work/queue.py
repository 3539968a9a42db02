"""The queues: huey over MariaDB. What a job is and how far it got stands in ``store.jobs``; huey only hands
it out.

Lays and pictures have a queue each, with workers of their own: whoever photographs a hide does not wait for a
lay to end.
"""

from __future__ import annotations

import functools
import logging
import threading
from collections.abc import Callable
from typing import Any, Final

from huey.consumer import Consumer
from huey.contrib.sql_huey import SqlHuey

from fairlay.core.errors import FairLayError
from fairlay.store import jobs
from fairlay.store.database import make_database, open_database
from fairlay.store.jobs import Kind
from fairlay.work.laying import lay_one
from fairlay.work.looking import look_one

ACTS: Final[dict[Kind, Callable[[int], None]]] = {"lay": lay_one, "look": look_one}
NAMES: Final[dict[Kind, str]] = {"lay": "fairlay", "look": "fairlay-looking"}
LOOK_FOR_ORPHANS_S = 5.0
log = logging.getLogger("fairlay.work")


@functools.cache
def _queue(kind: Kind) -> tuple[SqlHuey, Callable[[int], Any]]:
    huey = SqlHuey(NAMES[kind], database=make_database(), results=False)
    return huey, huey.task(name=kind)(ACTS[kind])


def hand_out(job_id: int, kind: Kind) -> None:
    """Put a job before the workers."""
    _queue(kind)[1](job_id)


def take_up_again() -> list[int]:
    """Put every job whose worker was killed before the workers again; return their ids."""
    found = jobs.orphans()
    for job_id in found:
        hand_out(job_id, jobs.job_by_id(job_id).kind)
    return found


def run_workers(count: int) -> None:
    """Work at the queues until told to stop: ``count`` processes lay, one reads pictures.

    SIGINT waits for the best lay so far, SIGTERM does not; a picture is taken up anew.
    """
    open_database()
    looking = _consumer("look", 1)
    laying = _consumer("lay", count, beside=looking)
    threading.Thread(target=_watch_for_orphans, daemon=True).start()
    looking.start()
    try:
        laying.run()
    finally:
        looking.stop()


class _Consumer(Consumer):  # type: ignore[misc]  # huey has no types
    """A consumer that minds the workers of another one beside it as well as its own."""

    beside: Consumer | None = None

    def check_worker_health(self) -> None:
        super().check_worker_health()
        if self.beside is not None:
            self.beside.check_worker_health()


def _consumer(kind: Kind, count: int, beside: Consumer | None = None) -> _Consumer:
    huey, _ = _queue(kind)
    # Each process opens the database anew: a connection may not be shared across a fork.
    huey.on_startup(name="open the database")(open_database)
    made = _Consumer(
        huey, workers=count, worker_type="process", periodic=False, max_delay=0.4, health_check_interval=5
    )
    made.beside = beside
    return made


def _watch_for_orphans() -> None:
    pause = threading.Event()
    while not pause.wait(LOOK_FOR_ORPHANS_S):
        try:
            for job_id in take_up_again():
                log.warning("job %d had lost its worker and is taken up again", job_id)
        except FairLayError as error:
            log.warning("looking for lost jobs: %s", error)
