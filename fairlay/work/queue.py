"""The queue: huey over MariaDB. What a job is and how far it got stands in ``store.jobs``; huey only hands it out."""

from __future__ import annotations

import functools
import logging
import threading
from collections.abc import Callable
from typing import Any

from huey.consumer import Consumer
from huey.contrib.sql_huey import SqlHuey

from fairlay.core.errors import FairLayError
from fairlay.store import jobs
from fairlay.store.database import make_database, open_database
from fairlay.work.laying import lay_one

QUEUE = "fairlay"
LOOK_FOR_ORPHANS_S = 5.0
log = logging.getLogger("fairlay.work")


@functools.cache
def _queue() -> tuple[SqlHuey, Callable[[int], Any]]:
    huey = SqlHuey(QUEUE, database=make_database(), results=False)
    return huey, huey.task(name="lay")(lay_one)


def hand_out(job_id: int) -> None:
    """Put a job before the workers."""
    _queue()[1](job_id)


def take_up_again() -> list[int]:
    """Put every job whose worker was killed before the workers again; return their ids."""
    found = jobs.orphans()
    for job_id in found:
        hand_out(job_id)
    return found


def run_workers(count: int) -> None:
    """Work at the queue with ``count`` processes until told to stop (SIGINT waits for the best so far, SIGTERM does not)."""
    open_database()
    huey, _ = _queue()
    # Each process opens the database anew: a connection may not be shared across a fork.
    huey.on_startup(name="open the database")(open_database)
    consumer = Consumer(huey, workers=count, worker_type="process", periodic=False, max_delay=0.4, health_check_interval=5)
    threading.Thread(target=_watch_for_orphans, daemon=True).start()
    consumer.run()


def _watch_for_orphans() -> None:
    pause = threading.Event()
    while not pause.wait(LOOK_FOR_ORPHANS_S):
        try:
            for job_id in take_up_again():
                log.warning("job %d had lost its worker and is taken up again", job_id)
        except FairLayError as error:
            log.warning("looking for lost jobs: %s", error)
