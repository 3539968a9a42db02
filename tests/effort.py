"""How much a test tries: little in every run, much more in the long form (FAIRLAY_TESTS=long)."""

from __future__ import annotations

import os

LONG = os.environ.get("FAIRLAY_TESTS") == "long"


def tried(in_check: int, in_long: int) -> int:
    """How many examples, acts or turns a test tries in this run."""
    return in_long if LONG else in_check
