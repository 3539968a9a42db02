"""Who acts: set where a request or a job begins, read where a row says whose doing it is."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar

_who: ContextVar[int | None] = ContextVar("who", default=None)


def who() -> int | None:
    """Return the id of the person whose doing this is; None where nobody asked for it."""
    return _who.get()


def mine(by: int | None) -> bool:
    """Whether something that was done is the doing of whoever acts now; what nobody is known for is
    anybody's.
    """
    return by is None or who() is None or by == who()


@contextmanager
def acting_as(person_id: int | None) -> Iterator[None]:
    """Do what follows as a person."""
    before = _who.set(person_id)
    try:
        yield
    finally:
        _who.reset(before)
