"""A worker says that it is there, from a thread of its own, whatever its work is busy with."""

from __future__ import annotations

import logging
import os
import socket
import threading
import time
import uuid
from collections.abc import Callable
from types import TracebackType
from typing import TypeVar

from fairlay.core.errors import FairLayError, Unavailable
from fairlay.store import helpers, jobs
from fairlay.store.acting import acting_as
from fairlay.store.jobs import Lost
from fairlay.store.work_asked import Kind, WorkJob

T = TypeVar("T")
BEAT_S = 0.5
PATIENCE_S = 120.0
"""A database that was killed is up again within seconds; longer than this nobody waits for it."""
log = logging.getLogger("fairlay.work")


class Stopped(Exception):
    """Whoever asked for the work asked to stop."""


def new_token() -> str:
    """Return a token that no other worker has."""
    return uuid.uuid4().hex


def patiently(act: Callable[[], T], seconds: float = PATIENCE_S) -> T:
    """Do something in the store, waiting for it where it does not answer. Raises Unavailable in the end."""
    end, pause = time.monotonic() + seconds, 0.1
    while True:
        try:
            return act()
        except Unavailable:
            if time.monotonic() > end:
                raise
            time.sleep(pause)
            pause = min(2.0, 2 * pause)


class Pulse:
    """Does something again and again on a thread of its own, until left; what goes wrong with the store is
    told and tried again.
    """

    def __init__(self, act: Callable[[], None], every_s: float) -> None:
        self._act, self._every = act, every_s
        self._over = threading.Event()
        self._thread = threading.Thread(target=self._run, daemon=True)

    def __enter__(self) -> Pulse:
        self._thread.start()
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self._over.set()
        self._thread.join()

    def _run(self) -> None:
        while not self._over.wait(self._every):
            try:
                self._act()
            except FairLayError as error:
                log.warning("%s", error)


class Beating:
    """The heartbeat of one job: says how long was spent, and learns whether it is to stop or was lost."""

    def __init__(self, job: WorkJob) -> None:
        self.job = job
        self.began = time.monotonic()
        self.said: list[str] = []
        self.lost = False
        self._stop = threading.Event()
        self._pulse = Pulse(self._beat, BEAT_S)

    def __enter__(self) -> Beating:
        self._pulse.__enter__()
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self._pulse.__exit__(kind, error, trace)

    def spent(self) -> float:
        """Seconds spent on the job, those of workers before this one too."""
        return self.job.spent_s + time.monotonic() - self.began

    def should_stop(self) -> bool:
        """Whether it was asked to stop, or is no longer this worker's."""
        return self._stop.is_set()

    def say(self, words: str, share: float = 0.0) -> None:
        """Note what was found. Raises Stopped once asked to stop, Lost where the job is another's."""
        self.said.append(words)
        patiently(lambda: jobs.say(self.job.id, self.job.owner, self.said, share))
        self.check()

    def check(self) -> None:
        """Raise Stopped once asked to stop, Lost where the job is another's."""
        if self.lost:
            raise Lost(f"job {self.job.id} is no longer this worker's", value=self.job.id)
        if self._stop.is_set():
            raise Stopped

    def _beat(self) -> None:
        try:
            if jobs.beat(self.job.id, self.job.owner, self.spent()).stop:
                self._stop.set()
        except Lost:
            self.lost = True
            self._stop.set()


def carry_out(job_id: int, work: Callable[[WorkJob, Beating], tuple[str, int | None]], broke: str) -> None:
    """Take a job up and do its ``work``, which gives the state it ends in and the revision it made, if any.

    However it ends, the job says so, unless it is another worker's by then. ``broke`` is what is said
    where the work itself is at fault.
    """
    job = patiently(lambda: jobs.take_up(job_id, new_token()))
    if job is None:
        return
    log.info(
        "job %d: %s %d%s", job.id, job.kind, job.subject, "" if job.attempts == 1 else ", taken up again"
    )
    with Beating(job) as beating:

        def end(state: str, error: str = "", revision: int | None = None) -> None:
            patiently(lambda: jobs.end(job.id, job.owner, state, beating.spent(), error, revision))

        try:
            with acting_as(job.by):
                state, revision = work(job, beating)
            end(state, revision=revision)
            log.info("job %d: %s after %.1f s", job.id, state, beating.spent())
        except Lost as error:
            log.warning("job %d: %s", job.id, error)
        except Stopped:
            end("stopped")
        except FairLayError as error:
            log.warning("job %d: %s", job.id, error)
            end("failed", str(error))
        except Exception:
            log.exception("job %d broke", job.id)
            end("failed", broke)
            raise


def worker_pulse(kind: Kind) -> Pulse:
    """Return the pulse of a worker's process: that it is there, and where."""
    token, place = new_token(), f"{socket.gethostname()}:{os.getpid()}"
    return Pulse(lambda: helpers.worker_is_there(token, kind, place), 2.0)
