"""Whether forecasts are honest: shops with few records order leather by forecast, and lay what truly comes.

For each made-up shop a true source is drawn, records of some hides of it, and an order. The forecast knows
the records alone. Then a delivery comes from the true source and is laid patiently: how often were the hides
that were advised not enough, beside what was promised?
"""

from __future__ import annotations

import time
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass

import numpy as np
from scipy import stats

from fairlay.core.engine.warm import warm_kernels
from fairlay.core.forecast.answer import Laid, answer
from fairlay.core.forecast.stock import Source, known_of, learned_source, made_up
from fairlay.core.forecast.worlds import PATIENT, lay_world
from fairlay.core.lay.order import Line, cutlist, pieces_of_batch
from fairlay.core.rules import Policy
from fairlay.demo.patterns import BODY, articles

WORLDS = 30
PAIRS = 4


@dataclass(frozen=True)
class Tried:
    """One shop: what was advised and promised, what was promised of one hide fewer, and what
    its order took.
    """

    records: int
    buy: int
    promised: float
    with_less: float
    took: float
    at_once_s: float


def one_shop(seed: int) -> Tried:
    """Return what became of one shop's order."""
    rng = np.random.default_rng([seed, 5])
    known = {a.slug: a for a in articles()}
    flaws = rng.uniform((1.5, 0.8, 0.3), (7.0, 6.0, 3.0))
    true = Source(
        "true",
        "side",
        BODY,
        "",
        "",
        100.0,
        float(rng.uniform(1.5, 2.3)),
        float(rng.uniform(0.08, 0.25)),
        (float(flaws[0]), float(flaws[1]), float(flaws[2])),
    )
    records = int(rng.choice([0, 4, 12, 40]))
    hides = [made_up(true, f"r{k}", np.random.default_rng([seed, 7, k])) for k in range(records)]
    source = learned_source(
        Source("learned", "side", BODY, price_per_m2=100.0), [known_of(h, True) for h in hides]
    )
    slugs = rng.choice(["tripod-stool", "log-sling", "stove-mitt", "hearth-bellows"], 2, replace=False)
    lines = [Line(cutlist(known[s]), int(rng.integers(1, 6))) for s in slugs]
    pieces, policy = pieces_of_batch(lines, BODY), Policy(float(rng.choice([0.0, 2.0])))
    began = time.monotonic()
    laid = []
    for k in range(WORLDS):
        quick = lay_world(pieces, source, policy, time.monotonic, seed * 1000 + k)
        slow = (
            lay_world(pieces, source, policy, time.monotonic, seed * 1000 + k, steps=PATIENT)
            if k < PAIRS
            else None
        )
        assert quick is not None
        laid.append(Laid(quick, slow))
    spent = time.monotonic() - began
    told = answer(source, laid, sum(line.quantity for line in lines))
    came = lay_world(pieces, true, policy, time.monotonic, seed + 10**7, sure=True, steps=PATIENT)
    assert told is not None and came is not None
    less = next((1 - c.enough for c in told.chances if c.hides == told.buy - 1), 1.0)
    return Tried(records, told.buy, told.short, less, came.hides, spent)


def print_forecast(shops: int, processes: int) -> None:
    """Print how often shops were short, beside what was promised."""
    warm_kernels()
    with ProcessPoolExecutor(processes) as pool:
        found = []
        for tried in pool.map(one_shop, range(1, shops + 1)):
            found.append(tried)
            if len(found) % 20 == 0 and len(found) < shops:
                _print(found[-20:], f"{len(found)} so far, the last")
    for n in sorted({t.records for t in found}):
        _print([t for t in found if t.records == n], f"{n} hides on record")
    _print(found, "all")


def _print(own: list[Tried], name: str) -> None:
    short = sum(t.took > t.buy + 1e-6 for t in own)
    less = sum(t.took > t.buy - 1 + 1e-6 for t in own)
    promised, of_less = (sum(v) for v in zip(*((t.promised, t.with_less) for t in own), strict=True))
    spare = float(np.mean([t.buy - np.ceil(t.took - 1e-6) for t in own]))
    print(
        f"{name:22} {len(own):4} orders: short {short} times, promised {_range(promised, len(own))}; with a "
        f"hide fewer {less} times, promised {_range(of_less, len(own))}; {spare:+.2f} hides more than were "
        f"needed; {np.median([t.at_once_s for t in own]):.0f} s each",
        flush=True,
    )


def _range(expected: float, n: int) -> str:
    low, high = stats.binom.interval(0.95, n, min(1.0, expected / n))
    return f"{expected:.1f} ({low:.0f} to {high:.0f} by chance)"
