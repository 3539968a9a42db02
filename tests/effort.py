"""How much a test tries: little in every run, much more in the long form (FAIRLAY_TESTS=long)."""

from __future__ import annotations

import os
from collections.abc import Iterable
from typing import Any

LONG = os.environ.get("FAIRLAY_TESTS") == "long"


def tried(in_check: int, in_long: int) -> int:
    """How many examples, acts or turns a test tries in this run."""
    return in_long if LONG else in_check


def some(cases: Iterable[Any], of: int) -> list[Any]:
    """Which cases a test tries in this run: one of so many, the first among them; in the long form all."""
    return list(cases)[:: 1 if LONG else of]
