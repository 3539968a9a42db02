"""Figures of closed hides, with how sure they are."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray
from scipy import special

from fairlay.core.book.facts import CENTS, PARTS, Facts, Floats

SURE: Final = 0.95
"""Of a figure's range: how often such a range holds the true figure."""


@dataclass(frozen=True)
class Spread:
    """A figure from ``n`` hides: between what it likely lies (nan: too few to say), and between what the
    middle eight of ten hides lie.
    """

    value: float
    low: float
    high: float
    least: float
    most: float
    n: int


@dataclass(frozen=True)
class Figures:
    """Some closed hides together: m2 and cents by where they went, the yield, what a m2 of good pieces costs
    (nan: none), planned and true minutes of hides that were ticked.
    """

    hides: int
    m2: dict[str, float]
    cents: dict[str, int]
    yields: Spread
    planned_yield: float
    cost_per_good_m2: float
    planned_minutes: float
    true_minutes: float
    timed: int

    @property
    def bought_m2(self) -> float:
        return sum(self.m2.values())

    @property
    def cost(self) -> float:
        """Money, all of it."""
        return sum(self.cents.values()) / CENTS


def figures_of(facts: Facts) -> Figures:
    """Return the figures of some hides; of none, zeros and nan."""
    m2 = facts.m2.sum(axis=0) if len(facts) else np.zeros(len(PARTS))
    cents = facts.money.sum(axis=0) if len(facts) else np.zeros(len(PARTS), np.int64)
    timed = facts.minutes[:, 1] > 0
    told = ~np.isnan(facts.planned)
    used = facts.used
    kept_cents = int(cents[PARTS.index("kept")])
    good = float(m2[0])
    return Figures(
        len(facts),
        {name: float(v) for name, v in zip(PARTS, m2, strict=True)},
        {name: int(v) for name, v in zip(PARTS, cents, strict=True)},
        ratio(facts.good, used),
        float((facts.planned * used)[told].sum() / used[told].sum()) if used[told].sum() > 0 else math.nan,
        (int(cents.sum()) - kept_cents) / CENTS / good if good > 1e-9 else math.nan,
        float(facts.minutes[timed, 0].sum()),
        float(facts.minutes[timed, 1].sum()),
        int(timed.sum()),
    )


def ratio(part: Floats, whole: Floats) -> Spread:
    """Return the ratio of two sums over hides, with its range.

    The range is that of a ratio estimator, by the residuals of the hides and Student's t (Cochran, Sampling
    Techniques, 6.4). With one hide there is none.
    """
    sound = whole > 1e-9
    part, whole = part[sound], whole[sound]
    n = len(part)
    if n == 0:
        return Spread(math.nan, math.nan, math.nan, math.nan, math.nan, 0)
    value = float(part.sum() / whole.sum())
    each = part / whole
    least, most = (float(v) for v in np.percentile(each, [10, 90]))
    if n == 1:
        return Spread(value, math.nan, math.nan, least, most, 1)
    error = math.sqrt(n / (n - 1) * float(((part - value * whole) ** 2).sum())) / float(whole.sum())
    reach = float(special.stdtrit(n - 1, (1 + SURE) / 2)) * error
    return Spread(value, max(0.0, value - reach), value + reach, least, most, n)


def grouped(facts: Facts, keys: NDArray[Any]) -> dict[Any, Figures]:
    """Return the figures of each key's hides; ``keys`` has one for each hide, ``(n,)``. In the
    keys' order.
    """
    return _by(facts, keys, figures_of)


def _by(facts: Facts, keys: NDArray[Any], of: Callable[[Facts], Figures]) -> dict[Any, Figures]:
    names, which = np.unique(keys, return_inverse=True)
    order = np.argsort(which, kind="stable")
    ends = np.searchsorted(which[order], np.arange(len(names) + 1))
    return {
        name.item(): of(facts.of(order[a:b])) for name, a, b in zip(names, ends[:-1], ends[1:], strict=True)
    }
