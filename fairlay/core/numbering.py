"""Numbers of hides, batches and lots in the order that people count in: O-999 before O-1000."""

from __future__ import annotations

import re

_FIGURES = re.compile(r"(\d+)")


def as_counted(number: str) -> tuple[list[str | int], str]:
    """Return what to sort numbers by: figures in them count as whole numbers, letters as small or capital
    alike; of two that count the same (7 and 07) the order is by letters.
    """
    # Letters and figures take turns, letters first, so that like is compared with like.
    parts = _FIGURES.split(number.casefold())
    return [int(part) if k % 2 else part for k, part in enumerate(parts)], number
