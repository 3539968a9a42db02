"""The fenced side of ``fence``: reads one file after the other within limits of memory."""

from __future__ import annotations

import os
import resource
import sys
from contextlib import suppress
from multiprocessing.connection import Connection
from pathlib import Path
from typing import Any

import cv2

from fairlay.core.errors import FairLayError
from fairlay.work import reading
from fairlay.work.fence import TooMuch

LOADED = reading
"""All that acts need is loaded before memory is limited."""


def work(connection: Connection, memory_mb: int) -> None:
    """Do what is asked, one act after the other, until nobody asks any more."""
    pages = int(Path("/proc/self/statm").read_text().split()[0])
    most = pages * os.sysconf("SC_PAGE_SIZE") + memory_mb * 1_000_000
    resource.setrlimit(resource.RLIMIT_AS, (most, most))
    with suppress(EOFError, KeyboardInterrupt):
        while True:
            act = connection.recv()
            connection.send(done(act, lambda words, share: connection.send(("told", (words, share)))))


def done(act: Any, tell: Any) -> tuple[str, Any]:
    """Return what an act gave, or what was wrong with what it was given."""
    try:
        return "done", act(tell)
    except FairLayError as error:
        return "wrong", error
    except (MemoryError, RecursionError) as error:
        return "wrong", _too_much("nesting" if isinstance(error, RecursionError) else "memory")
    except cv2.error as error:
        if error.code != cv2.Error.StsNoMem:
            raise
        return "wrong", _too_much("memory")


def _too_much(what: str) -> TooMuch:
    return TooMuch(
        f"reading it took too much {what}",
        value=what,
        expected="a file that takes less; nothing was taken from it",
    )


if __name__ == "__main__":
    work(Connection(int(sys.argv[1])), int(sys.argv[2]))
