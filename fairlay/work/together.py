"""One job laid by several processes: each searches from a seed of its own, and what a helper finds better is taken over."""

from __future__ import annotations

import multiprocessing
import os
import time
from collections.abc import Callable
from contextlib import ExitStack, suppress
from dataclasses import replace
from multiprocessing.connection import Connection

from fairlay.core.engine import Progress, lay_job
from fairlay.core.lay import Job, Lay

LEAST_SECONDS = 6.0
"""A helper takes about two seconds to be ready: for less than this none is called."""
SEEDS_APART = 7919
"""Added to the job's seed for each helper."""


def lay_together(job: Job, seconds: float, processes: int, on_better: Callable[[Progress], None] = lambda _: None) -> Lay:
    """Return the best lay of a job that ``processes`` find in ``seconds``. Helpers end with it, however it ends."""
    began = time.monotonic()
    with ExitStack() as stack:
        helpers = [stack.enter_context(_Helper(job, seconds, k)) for k in range(1, processes if seconds >= LEAST_SECONDS else 1)]
        return lay_job(job, time.monotonic, seconds=max(0.1, seconds - (time.monotonic() - began)), on_better=on_better, elsewhere=lambda: _newest(helpers))


def usual_processes() -> int:
    """Return how many processes a job is laid by: one for each core there is, four at the most."""
    return max(1, min(4, len(os.sched_getaffinity(0))))


def _newest(helpers: list[_Helper]) -> list[Lay]:
    return [lay for helper in helpers for lay in helper.take()]


class _Helper:
    """A process that lays the same job from another seed, and says what it finds."""

    def __init__(self, job: Job, seconds: float, number: int) -> None:
        context = multiprocessing.get_context("spawn")
        self.ours, theirs = context.Pipe(duplex=False)
        until = time.time() + seconds
        self.process = context.Process(target=_help, args=(replace(job, seed=job.seed + SEEDS_APART * number), until, theirs), daemon=True)
        self.process.start()
        theirs.close()

    def __enter__(self) -> _Helper:
        return self

    def __exit__(self, *_: object) -> None:
        self.process.kill()
        self.process.join()
        self.ours.close()

    def take(self) -> list[Lay]:
        """Return what it found since last asked; a helper that is gone finds nothing more."""
        out: list[Lay] = []
        with suppress(EOFError, OSError):
            while self.ours.poll():
                out.append(self.ours.recv())
        return out[-1:]


def _help(job: Job, until: float, out: Connection) -> None:
    with suppress(BrokenPipeError, KeyboardInterrupt):
        lay_job(job, time.monotonic, seconds=max(0.0, until - time.time()), on_better=lambda progress: out.send(progress.lay), reasons=False)
