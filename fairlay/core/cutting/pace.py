"""How long cutting truly takes, beside what was planned: the shop's own pace, from its ticks."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Final

import numpy as np

LONGEST_S: Final = 900.0
"""Who ticks nothing for longer was not cutting."""
SHORTEST_S: Final = 1.0
"""Ticks closer together were made up for afterwards."""
AS_SURE_AS: Final = 30.0
"""The plan's own speeds count as much as so many pieces of the shop's."""


@dataclass(frozen=True)
class Pace:
    """By how much the shop is slower than the plan (1: as planned), from how many pieces, planned and true
    minutes of them, and between what the pace likely lies (a middle half of the pieces).
    """

    pace: float
    pieces: int
    planned_min: float
    true_min: float
    low: float
    high: float


def pace_of(presses: Sequence[Sequence[tuple[float, float]]]) -> Pace:
    """Return the pace by what was ticked: for each hide, (second it was ticked, seconds planned for it) of
    each piece that was cut. Time between two ticks is that of the later piece.

    The median of the ratios, shrunk toward 1 as if ``AS_SURE_AS`` pieces had gone as planned: few pieces
    change little.
    """
    planned, true = [], []
    for hide in presses:
        at = sorted(hide)
        for (before, _), (now, seconds) in pairwise(at):
            if SHORTEST_S <= now - before <= LONGEST_S and seconds > 0:
                planned.append(seconds)
                true.append(now - before)
    if not planned:
        return Pace(1.0, 0, 0.0, 0.0, 1.0, 1.0)
    ratios = np.array(true) / np.array(planned)
    n = len(ratios)
    middle = float(np.median(ratios))
    pace = (n * middle + AS_SURE_AS) / (n + AS_SURE_AS)
    low, high = (float(v) for v in np.percentile(ratios, [25, 75]))
    return Pace(pace, n, sum(planned) / 60, sum(true) / 60, low, high)
