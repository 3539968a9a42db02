"""The time of day, in one place."""

from __future__ import annotations

import datetime


def now() -> datetime.datetime:
    """Return the time now in UTC, without zone (as the tables keep it), to the millisecond."""
    t = datetime.datetime.now(datetime.UTC).replace(tzinfo=None)
    return t.replace(microsecond=t.microsecond // 1000 * 1000)
