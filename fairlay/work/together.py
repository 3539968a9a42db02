"""One job laid by several processes: each searches from a seed of its own, and what a helper finds better is
taken over.
"""

from __future__ import annotations

import os
import pickle
import struct
import subprocess
import sys
import threading
import time
from collections.abc import Callable
from contextlib import ExitStack, suppress
from dataclasses import replace
from typing import IO, Any, Final

from fairlay.core.engine import Progress, lay_job
from fairlay.core.lay import Job, Lay

LEAST_SECONDS = 6.0
"""A helper takes about two seconds to be ready: for less than this none is called."""
LENGTH: Final = struct.Struct("<Q")
SEEDS_APART = 7919
"""Added to the job's seed for each helper."""


def lay_together(
    job: Job,
    seconds: float,
    processes: int,
    on_better: Callable[[Progress], None] = lambda _: None,
    should_stop: Callable[[], bool] = lambda: False,
    start: Lay | None = None,
) -> Lay:
    """Return the best lay of a job that ``processes`` find in ``seconds``, as ``lay_job`` does.

    Helpers end with it, however it ends.
    """
    began = time.monotonic()
    with ExitStack() as stack:
        helpers = [
            stack.enter_context(_Helper(job, seconds, k, start))
            for k in range(1, processes if seconds >= LEAST_SECONDS else 1)
        ]
        left = max(0.1, seconds - (time.monotonic() - began))
        return lay_job(
            job,
            time.monotonic,
            seconds=left,
            on_better=on_better,
            should_stop=should_stop,
            start=start,
            elsewhere=lambda: _newest(helpers),
        )


def usual_processes() -> int:
    """Return how many processes a job is laid by: one for each core there is, four at the most."""
    return max(1, min(4, len(os.sched_getaffinity(0))))


def _newest(helpers: list[_Helper]) -> list[Lay]:
    return [lay for helper in helpers for lay in helper.take()]


class _Helper:
    """A process that lays the same job from another seed, and says what it finds.

    It ends when its input is closed, as when we are killed.
    """

    def __init__(self, job: Job, seconds: float, number: int, start: Lay | None) -> None:
        self.process = subprocess.Popen(
            [sys.executable, "-m", "fairlay.work.together"],
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            start_new_session=True,
        )
        self._found: list[Lay] = []
        asked = (replace(job, seed=job.seed + SEEDS_APART * number), time.time() + seconds, start)
        threading.Thread(target=self._talk, args=(asked,), daemon=True).start()

    def __enter__(self) -> _Helper:
        return self

    def __exit__(self, *_: object) -> None:
        self.process.kill()
        self.process.wait()
        for pipe in (self.process.stdin, self.process.stdout):
            if pipe is not None:
                with suppress(OSError):
                    pipe.close()

    def _talk(self, asked: object) -> None:
        if self.process.stdin is None or self.process.stdout is None:
            return
        with suppress(EOFError, OSError, ValueError, pickle.UnpicklingError):
            _write(self.process.stdin, asked)
            while True:
                # Read first: the list to append to is another one once what it held was taken.
                found = _read(self.process.stdout)
                self._found.append(found)

    def take(self) -> list[Lay]:
        """Return the newest that it found since last asked; a helper that is gone finds nothing more."""
        found, self._found = self._found, []
        return found[-1:]


def _write(pipe: IO[bytes], value: object) -> None:
    """Put a value into a pipe, its length before it."""
    packed = pickle.dumps(value)
    pipe.write(LENGTH.pack(len(packed)) + packed)
    pipe.flush()


def _read(pipe: IO[bytes]) -> Any:
    """Take the next value out of a pipe.

    Unpickling from the pipe itself would wait for more than the value. Raises EOFError at its end.
    """
    head = pipe.read(LENGTH.size)
    if len(head) < LENGTH.size:
        raise EOFError
    return pickle.loads(pipe.read(LENGTH.unpack(head)[0]))


def _end_with_input(pipe: IO[bytes]) -> None:
    """End this process when whoever called it is gone."""
    pipe.read()
    os._exit(1)


def help_out() -> None:
    """Lay the job that comes in, and put out each better lay: the helper's side."""
    job, until, start = _read(sys.stdin.buffer)
    threading.Thread(target=_end_with_input, args=(sys.stdin.buffer,), daemon=True).start()
    out = sys.stdout.buffer

    def say(progress: Progress) -> None:
        _write(out, progress.lay)

    with suppress(BrokenPipeError, KeyboardInterrupt):
        lay_job(
            job,
            time.monotonic,
            seconds=max(0.0, until - time.time()),
            on_better=say,
            start=start,
            reasons=False,
        )
    # The thread that waits for the end of the input would hold up an ordinary end.
    os._exit(0)


if __name__ == "__main__":
    help_out()
