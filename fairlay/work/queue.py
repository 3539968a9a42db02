"""The queues: huey over MariaDB, or over Redis where a shop says so. What a job is and how far it got stands
in ``store.jobs``; huey only hands it out.

Lays have a queue of their own, and files and pictures another, each with its own workers: whoever
photographs a hide does not wait for a lay to end. Helpers of a search are tasks of the lays' queue that
any idle worker takes, after whatever lay nobody works at yet.
"""

from __future__ import annotations

import functools
import logging
import os
import threading
from collections.abc import Callable
from contextlib import ExitStack
from dataclasses import dataclass
from typing import Any, Final

from huey import PriorityRedisHuey
from huey.api import Huey
from huey.consumer import Consumer
from huey.contrib.sql_huey import SqlHuey

from fairlay.core.engine.warm import warm_kernels
from fairlay.core.errors import FairLayError, Unavailable
from fairlay.store import jobs
from fairlay.store.database import make_database, open_database
from fairlay.store.work_asked import Kind
from fairlay.work.asking import ask_one
from fairlay.work.beating import worker_pulse
from fairlay.work.files import read_one
from fairlay.work.forecasting import forecast_one, help_forecast
from fairlay.work.laying import help_lay, lay_one
from fairlay.work.looking import look_one
from fairlay.work.proving import prove_one

QUEUE_URL_VARIABLE: Final = "FAIRLAY_QUEUE_URL"
"""redis://host:port/number: the queue's back end, for a shop with many machines; MariaDB where it is not set.
"""
NAMES: Final[dict[str, str]] = {"lay": "fairlay", "look": "fairlay-looking"}
QUEUE_OF: Final[dict[Kind, str]] = {
    "lay": "lay",
    "what if": "lay",
    "prove": "lay",
    "forecast": "lay",
    "look": "look",
    "read": "look",
}
LOOK_FOR_LOST_S = 2.0
LOOK_FOR_WORK_S = 0.2
"""An idle worker asks at least so often whether there is work."""
FIRST, LATER = 10, 0
"""A lay that nobody works at comes before the helpers of others."""
log = logging.getLogger("fairlay.work")


@dataclass(frozen=True)
class _Queue:
    """A queue, and what may be put in it: each takes the numbers it needs."""

    huey: Huey
    acts: dict[str, Callable[..., Any]]


def _huey(name: str) -> Huey:
    url = os.environ.get(QUEUE_URL_VARIABLE, "")
    if not url:
        return SqlHuey(name, database=make_database(), results=False)
    if not url.startswith(("redis://", "rediss://", "unix://")):
        raise Unavailable(
            f"{QUEUE_URL_VARIABLE} cannot be read", value=url, expected="redis://host:port/number, or nothing"
        )
    return PriorityRedisHuey(name, url=url, results=False)


@functools.cache
def _queue(name: str) -> _Queue:
    huey = _huey(NAMES[name])
    if name == "lay":
        acts = {
            "lay": huey.task(name="lay", priority=FIRST)(lambda job_id: lay_one(job_id, hand_out_help)),
            "help": huey.task(name="help", priority=LATER)(_help),
            "forecast": huey.task(name="forecast", priority=LATER)(
                lambda job_id: forecast_one(job_id, hand_out_help, lambda again: hand_out(again, "forecast"))
            ),
            "what if": huey.task(name="what if", priority=LATER)(
                lambda job_id: ask_one(job_id, lambda again: hand_out(again, "what if"))
            ),
            "prove": huey.task(name="prove", priority=LATER)(
                lambda job_id: prove_one(job_id, lambda again: hand_out(again, "prove"))
            ),
        }
    else:
        acts = {"look": huey.task(name="look")(look_one), "read": huey.task(name="read")(read_one)}
    return _Queue(huey, acts)


def _help(job_id: int, number: int) -> None:
    """Help with a job, whatever it is."""
    forecast = jobs.job_by_id(job_id).kind == "forecast"
    (help_forecast if forecast else help_lay)(job_id, number)


def hand_out(job_id: int, kind: Kind) -> None:
    """Put a job before the workers. Where that fails, it is found in the store and handed out later."""
    _queue(QUEUE_OF[kind]).acts[kind](job_id)
    jobs.handed_out(job_id)


def hand_out_help(job_id: int, number: int) -> None:
    """Put the helping with a search before the workers."""
    _queue("lay").acts["help"](job_id, number)


def take_up_again() -> list[int]:
    """Put every job whose worker was killed, or that was lost on its way, before the workers; return their
    ids.
    """
    found = [*jobs.orphans(), *jobs.never_handed_out()]
    for job_id in found:
        hand_out(job_id, jobs.job_by_id(job_id).kind)
    return found


def run_workers(count: int) -> None:
    """Work at the queues until told to stop: ``count`` processes lay, one reads files and pictures.

    SIGINT waits for the best lay so far, SIGTERM does not; a picture is taken up anew.
    """
    open_database()
    # Once, before there are processes: each then begins with what the others have in memory.
    warm_kernels()
    looking = _consumer("look", 1)
    laying = _consumer("lay", count, beside=looking)
    threading.Thread(target=_watch_for_lost, daemon=True).start()
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


def _consumer(name: str, count: int, beside: Consumer | None = None) -> _Consumer:
    huey = _queue(name).huey
    there = ExitStack()

    def begin() -> None:
        # Each process opens the database anew: a connection may not be shared across a fork.
        open_database()
        there.enter_context(worker_pulse("lay" if name == "lay" else "look"))

    huey.on_startup(name="begin")(begin)
    made = _Consumer(
        huey,
        workers=count,
        worker_type="process",
        periodic=False,
        max_delay=LOOK_FOR_WORK_S,
        health_check_interval=5,
    )
    made.beside = beside
    return made


def _watch_for_lost() -> None:
    pause = threading.Event()
    while not pause.wait(LOOK_FOR_LOST_S):
        try:
            for job_id in take_up_again():
                log.warning("job %d was lost, and is handed out again", job_id)
        except FairLayError as error:
            log.warning("looking for lost jobs: %s", error)
