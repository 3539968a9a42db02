"""From many laid deliveries to advice: how many hides, how sure, at what cost, and what one more is worth."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray
from scipy import special

from fairlay.core.book.figures import SURE
from fairlay.core.forecast.stock import Source
from fairlay.core.forecast.worlds import World

USUAL_MARGIN: Final = 0.05
LEAST_PAIRS: Final = 4
"""From so many deliveries laid patiently as well, the rest are taken as a patient hand would lay them."""
DRAWS: Final = 2000
ENOUGH: Final = 1e-6
Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Laid:
    """A delivery laid at once, and patiently where that was done too."""

    quick: World
    patient: World | None = None


@dataclass(frozen=True)
class Chance:
    """So many hides are enough with this chance; between what that chance likely lies."""

    hides: int
    enough: float
    low: float
    high: float


@dataclass(frozen=True)
class Money:
    """Money for an article: its mean, how surely that is known, and between what eight of ten orders lie."""

    mean: float
    low: float
    high: float
    least: float
    most: float


@dataclass(frozen=True)
class NextHide:
    """One hide more than is advised: what it costs, what of it is left for the rack on average, and by how
    much it lowers the chance of being short. ``worth_if``: it is worth buying where being short costs more
    than this (inf: never).
    """

    cost: float
    left: float
    less_short: float
    worth_if: float


@dataclass(frozen=True)
class Answer:
    """What a source comes to for an order.

    ``buy`` hides are advised (0: none needed); ``short`` is the chance that they are not enough, as promised.
    ``cost``: of these hides. ``each``: money for one article with what is left counted as leather on the
    rack. ``never``: pieces that no hide of this kind bore.
    """

    source: Source
    worlds: int
    patient: int
    buy: int
    short: float
    short_low: float
    short_high: float
    chances: tuple[Chance, ...]
    hides: float
    cost: float
    each: Money
    next_hide: NextHide
    never: int


def answer(
    source: Source,
    laid: Sequence[Laid],
    articles: int,
    margin: float = USUAL_MARGIN,
    parts: int = 1,
    seed: int = 1,
) -> Answer | None:
    """Return the advice that some laid deliveries give; None of none.

    The chance of being short is the mean of its posterior (Jeffreys' prior), its range that posterior's;
    advised are the fewest hides at which that mean is within the ``margin``. ``parts``: the order was laid in
    so many parts, whose hides are added up by drawing among the deliveries.
    """
    if not laid:
        return None
    hides = _hides(laid, parts, seed)
    needed = np.ceil(hides - ENOUGH).astype(int)
    n = len(laid)
    first = int(needed.min())
    chances = []
    buy: int | None = None
    for count in range(first - 1 if first > 0 else 0, int(needed.max()) + 2):
        a, b = _beta(float((needed > count).mean()), n)
        low, high = (float(v) for v in special.betaincinv(a, b, [(1 - SURE) / 2, (1 + SURE) / 2]))
        short = a / (a + b)
        chances.append((Chance(count, 1 - short, 1 - high, 1 - low), short))
        if buy is None and short <= margin:
            buy = count
    if buy is None:  # so few deliveries cannot promise this margin: one more than any of them took
        buy = chances[-1][0].hides
    short = next(s for c, s in chances if c.hides == buy)
    own = next(c for c, _ in chances if c.hides == buy)
    price = source.area_m2 * source.price_per_m2
    per = hides * price / max(1, articles)
    mean, error = float(per.mean()), float(per.std(ddof=1)) / math.sqrt(n) if n > 1 else math.nan
    least, most = (float(v) for v in np.percentile(per, [10, 90]))
    reach = float(special.stdtrit(n - 1, (1 + SURE) / 2)) * error if n > 1 else math.nan
    return Answer(
        source,
        n,
        sum(1 for one in laid if one.patient is not None),
        buy,
        short,
        1 - own.high,
        1 - own.low,
        tuple(c for c, _ in chances),
        float(hides.mean()),
        buy * price,
        Money(mean, mean - reach, mean + reach, least, most),
        _next(hides, needed, buy, price),
        max(one.quick.never for one in laid),
    )


def _beta(share: float, n: int) -> tuple[float, float]:
    return share * n + 0.5, (1 - share) * n + 0.5


def _hides(laid: Sequence[Laid], parts: int, seed: int) -> Floats:
    """Hides that orders use up, each delivery as a patient hand would lay it, where enough were."""
    rng = np.random.default_rng(seed)
    own = np.array([(one.patient or one.quick).hides for one in laid])
    pairs = [one for one in laid if one.patient is not None and one.quick.hides > 0]
    if len(pairs) >= LEAST_PAIRS:
        gained = np.array([one.patient.hides / one.quick.hides for one in pairs if one.patient is not None])
        draws = max(1, DRAWS // len(laid))
        rows = [
            np.full(draws, one.patient.hides)
            if one.patient is not None
            else one.quick.hides * rng.choice(gained, draws)
            for one in laid
        ]
        own = np.concatenate(rows)
    if parts == 1:
        return own
    return np.asarray(rng.choice(own, (DRAWS, parts)).sum(axis=1))


def _next(hides: Floats, needed: NDArray[np.int64], buy: int, price: float) -> NextHide:
    more = buy + 1
    less_short = float((needed > buy).mean() - (needed > more).mean())
    # Of one hide more, all is left but what an order takes that the others did not bear.
    left = price * float((1.0 - np.clip(hides - buy, 0.0, 1.0)).mean())
    lost = price - left
    # Money that lies on the rack is not lost, but it is not in the till either: a tenth of it is its cost.
    cost = lost + LYING_COST * left
    return NextHide(price, left, less_short, cost / less_short if less_short > 1e-9 else math.inf)


LYING_COST: Final = 0.1
"""What leather that lies on the rack for later costs, as a share of its price: space, money, and what it
loses with age; a rule of thumb that the screen states.
"""


@dataclass(frozen=True)
class BreakEven:
    """The price of a m2 at which a source costs as much for an article as another, and its range."""

    price_per_m2: float
    low: float
    high: float


def break_even(
    clean: Answer, other: Answer, clean_hides: Floats, other_hides: Floats, seed: int = 1
) -> BreakEven:
    """Return at what price of a m2 the other leather costs as much as the clean one for the same order.

    ``..._hides``: hides used up in each delivery, ``(n,)``. Range by resampling both (bootstrap).
    """
    rng = np.random.default_rng(seed)
    a = clean_hides * clean.source.area_m2 * clean.source.price_per_m2
    b = other_hides * other.source.area_m2
    draws = np.array(
        [rng.choice(a, len(a)).mean() / max(1e-9, rng.choice(b, len(b)).mean()) for _ in range(400)]
    )
    low, high = (float(v) for v in np.percentile(draws, [2.5, 97.5]))
    return BreakEven(float(a.mean() / max(1e-9, b.mean())), low, high)


def hides_used(laid: Sequence[Laid], parts: int = 1, seed: int = 1) -> Floats:
    """Return the hides used up in each delivery, ``(n,)``, as ``answer`` counts them."""
    return _hides(laid, parts, seed)
