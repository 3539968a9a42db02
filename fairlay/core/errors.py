"""One root for every error Fair Lay raises on purpose.

Each child is also the builtin that fits, carries the value that was wrong and says
what was expected, so that a boundary (command line, API) can print it as it is.
"""

from __future__ import annotations


class FairLayError(Exception):
    """Something was wrong with what Fair Lay was given or asked for.

    ``value`` is the offending value, ``expected`` a phrase for what would have been right.
    """

    def __init__(self, message: str, *, value: object = None, expected: str = "") -> None:
        self.value = value
        self.expected = expected
        super().__init__(message if not expected else f"{message} (expected {expected})")


class BadShape(FairLayError, ValueError):
    """A ring that encloses no area, crosses itself or holds something that is no number."""


class BadPattern(FairLayError, ValueError):
    """A piece whose outline or needs cannot be met by any leather."""


class BadHide(FairLayError, ValueError):
    """A hide, zone, flaw or reading that makes no sense."""


class BadJob(FairLayError, ValueError):
    """A job that cannot be read, or that contradicts itself."""


class BadLay(FairLayError, ValueError):
    """A lay that cannot be read, or that does not belong to its job."""


class NotFound(FairLayError, LookupError):
    """Asked for something that is not in the store."""


class Stale(FairLayError, RuntimeError):
    """Someone saved a newer revision first. Nothing was written; ``newer`` is its number."""

    def __init__(self, message: str, *, newer: int) -> None:
        self.newer = newer
        super().__init__(message, value=newer)


class NotSignedIn(FairLayError, PermissionError):
    """Nobody is signed in, or a name and its secret do not belong together."""


class NotAllowed(FairLayError, PermissionError):
    """Whoever asks may not do this."""


class TooSoon(FairLayError, RuntimeError):
    """Tried too often; ``value`` are the seconds to wait."""


class Refused(FairLayError, ValueError):
    """An act that the state of things does not allow now."""


class Unavailable(FairLayError, RuntimeError):
    """A service Fair Lay needs (database, browser build) is missing or did not answer."""


class BadCopy(FairLayError, ValueError):
    """A copy of the store that is damaged, not ours, or could not be written."""


class BadPicture(FairLayError, ValueError):
    """A photograph from which nothing sure can be read; the message says what to change when it is taken
    again.
    """
