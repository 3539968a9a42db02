"""What strangers' files are read in: a process of its own with limits of memory and time, so that a file that
is too much ends there and takes nothing with it.

The process is kept for the next file, and replaced where it broke. What goes to it and comes from it goes
through the standard library's connections.
"""

from __future__ import annotations

import subprocess
import sys
import threading
import time
from collections.abc import Callable
from multiprocessing import Pipe
from typing import Final, Protocol, TypeVar

from fairlay.core.errors import FairLayError

T_co = TypeVar("T_co", covariant=True)
T = TypeVar("T")
Tell = Callable[[str, float], None]

MEMORY_MB: Final = 3_000
"""What reading one file may take, beyond what the programs themselves take."""
SECONDS: Final = 90.0
LOOK_EVERY_S = 0.2


class TooMuch(FairLayError, ValueError):
    """A file that takes more memory or time to read than any file may."""


class Act(Protocol[T_co]):
    """What is done behind the fence: it can be pickled, tells how far it is, and gives a result that can
    be.
    """

    def __call__(self, tell: Tell) -> T_co: ...


class _Fence:
    """The process, and our end of its connection."""

    def __init__(self) -> None:
        self.ours, theirs = Pipe()
        fd = theirs.fileno()
        words = [sys.executable, "-m", "fairlay.work.behind_fence", str(fd), str(MEMORY_MB)]
        self.process = subprocess.Popen(words, pass_fds=[fd], stdin=subprocess.DEVNULL)
        self.idle = True
        theirs.close()

    def end(self) -> None:
        self.process.kill()
        self.process.wait()
        self.ours.close()


class _Kept:
    """The process that waits for the next file, if there is one."""

    fence: _Fence | None = None
    lock = threading.Lock()


def fenced(
    act: Act[T],
    *,
    tell: Tell = lambda _words, _share: None,
    should_stop: Callable[[], None] = lambda: None,
    seconds: float = SECONDS,
) -> T:
    """Return what an act gives, done behind the fence.

    ``tell`` hears how far it is; ``should_stop`` is asked often, and raises to stop it. Raises TooMuch
    where it took too much memory or time, and whatever the act raises on purpose.
    """
    with _Kept.lock:
        fence = _Kept.fence or _Fence()
        _Kept.fence = None
        try:
            result = _await(fence, act, tell, should_stop, seconds)
        except BaseException as error:
            # What the act refused in words left the process well, and idle; anything else may not have.
            if fence.idle and not isinstance(error, TooMuch):
                _Kept.fence = fence
            else:
                fence.end()
            raise
        _Kept.fence = fence
        return result


def close_fence() -> None:
    """End the process that is kept."""
    with _Kept.lock:
        if _Kept.fence is not None:
            _Kept.fence.end()
            _Kept.fence = None


def _await(fence: _Fence, act: Act[T], tell: Tell, should_stop: Callable[[], None], seconds: float) -> T:
    end = time.monotonic() + seconds
    try:
        fence.idle = False
        fence.ours.send(act)
        while True:
            should_stop()
            if not fence.ours.poll(LOOK_EVERY_S):
                if time.monotonic() > end:
                    raise TooMuch(
                        f"reading it took more than {seconds:.0f} s",
                        value=seconds,
                        expected="a file that is read sooner; nothing was taken from it",
                    )
                continue
            kind, value = fence.ours.recv()
            if kind == "told":
                tell(*value)
                continue
            fence.idle = True
            if kind == "wrong":
                raise value
            given: T = value
            return given
    except (EOFError, BrokenPipeError, ConnectionResetError) as cause:
        raise TooMuch(
            f"reading it took more than {MEMORY_MB / 1000:g} GB of memory, or broke",
            value=fence.process.poll(),
            expected="a file that takes less; nothing was taken from it",
        ) from cause
