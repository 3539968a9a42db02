"""One job laid by several processes of this machine, without a store: each searches from a seed of its own,
and what one finds better is taken over. For the command line; in the store's queue, helpers are tasks
(``laying``).
"""

from __future__ import annotations

import os
import threading
import time
from collections.abc import Callable
from contextlib import ExitStack, suppress
from dataclasses import replace
from multiprocessing import get_context
from multiprocessing.connection import Connection

from fairlay.core.engine import Progress, lay_job
from fairlay.core.lay import Job, Lay
from fairlay.work.laying import SEEDS_APART

LEAST_SECONDS = 6.0
"""A helper takes about two seconds to be ready: for less than this none is called."""
_processes = get_context("spawn")


def lay_together(
    job: Job,
    seconds: float,
    processes: int,
    on_better: Callable[[Progress], None] = lambda _: None,
    should_stop: Callable[[], bool] = lambda: False,
    start: Lay | None = None,
) -> Lay:
    """Return the best lay of a job that ``processes`` find in ``seconds``, as ``lay_job`` does. Helpers end
    with it, however it ends.
    """
    began = time.monotonic()
    with ExitStack() as stack:
        wanted = range(1, processes if seconds >= LEAST_SECONDS else 1)
        helpers = [stack.enter_context(_Helper(job, seconds, k, start)) for k in wanted]
        left = max(0.1, seconds - (time.monotonic() - began))
        return lay_job(
            job,
            time.monotonic,
            seconds=left,
            on_better=on_better,
            should_stop=should_stop,
            start=start,
            elsewhere=lambda: [lay for helper in helpers for lay in helper.take()],
        )


def usual_processes() -> int:
    """Return how many processes a job is laid by: one for each core there is, four at the most."""
    return max(1, min(4, len(os.sched_getaffinity(0))))


class _Helper:
    """A process that lays the same job from another seed, and says what it finds. It ends when our end of its
    connection is gone, as when we are killed.
    """

    def __init__(self, job: Job, seconds: float, number: int, start: Lay | None) -> None:
        self.ours, theirs = _processes.Pipe()
        asked = (replace(job, seed=job.seed + SEEDS_APART * number), time.time() + seconds, start)
        self.process = _processes.Process(target=help_out, args=(theirs, *asked), daemon=True)
        self.process.start()
        theirs.close()

    def __enter__(self) -> _Helper:
        return self

    def __exit__(self, *_: object) -> None:
        self.process.kill()
        self.process.join()
        self.ours.close()

    def take(self) -> list[Lay]:
        """Return the newest that it found since last asked; a helper that is gone finds nothing more."""
        found: list[Lay] = []
        with suppress(EOFError, OSError):
            while self.ours.poll():
                found = [self.ours.recv()]
        return found


def help_out(theirs: Connection, job: Job, until: float, start: Lay | None) -> None:
    """Lay a job, and send each better lay: the helper's side. ``until`` is a time of day."""
    threading.Thread(target=_end_with, args=(theirs,), daemon=True).start()

    def say(progress: Progress) -> None:
        theirs.send(progress.lay)

    with suppress(BrokenPipeError, ConnectionResetError, KeyboardInterrupt):
        seconds = max(0.0, until - time.time())
        lay_job(job, time.monotonic, seconds=seconds, on_better=say, start=start, reasons=False)


def _end_with(theirs: Connection) -> None:
    """End this process when whoever called it is gone."""
    with suppress(EOFError, OSError):
        theirs.recv()
    os._exit(1)
