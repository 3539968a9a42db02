"""The time of day, in one place."""

from __future__ import annotations

import datetime


def now() -> datetime.datetime:
    """Return the time now in UTC, without zone (as the tables keep it), to the millisecond."""
    t = datetime.datetime.now(datetime.UTC).replace(tzinfo=None)
    return t.replace(microsecond=t.microsecond // 1000 * 1000)


def at_seconds(seconds: float) -> datetime.datetime:
    """Return a time given in seconds since 1970 as the store keeps it."""
    return datetime.datetime.fromtimestamp(seconds, datetime.UTC).replace(tzinfo=None)


def seconds_at(at: datetime.datetime) -> float:
    """Return a time of the store's in seconds since 1970."""
    return at.replace(tzinfo=datetime.UTC).timestamp()
