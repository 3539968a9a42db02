"""What estimates learn from records: each figure shrunk toward the shop's average where there is little, with
how sure it is. A figure changes a plan only when somebody takes it.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from scipy import special

from fairlay.core.book.facts import Floats
from fairlay.core.book.figures import SURE

LEAST_STRENGTH, MOST_STRENGTH = 20.0, 4000.0
"""The shop's average counts as much as so many pieces of one kind, at least and at most."""
STRENGTHS: Final = 24
STEP_OF_SPARES: Final = 0.005
"""Spares are planned in steps of half a percent."""


@dataclass(frozen=True)
class Learned:
    """A figure: what it is now believed to be, between what it likely lies, from how many records, and what
    the records alone say (nan: nothing).
    """

    value: float
    low: float
    high: float
    n: int
    bare: float


def spoil_rates(counts: Mapping[str, tuple[int, int]]) -> dict[str, Learned]:
    """Return the share of each piece that is spoilt, from (cut, of those spoilt) of each.

    Beta-binomial: the shop's average is the prior's mean. How much that counts beside a piece's own records
    is not known: every strength is weighed by how well it explains all the records together (a hierarchical
    model on a grid of strengths; Gelman et al., Bayesian Data Analysis, 5.3).
    """
    cut = sum(n for n, _ in counts.values())
    spoilt = sum(s for _, s in counts.values())
    mean = (spoilt + 0.5) / (cut + 25.0)
    # What the shop's average is worth as knowledge is no more than what it was made of.
    most = max(LEAST_STRENGTH, min(MOST_STRENGTH, float(cut)))
    strength = np.geomspace(LEAST_STRENGTH, most, STRENGTHS)
    n = np.array([c[0] for c in counts.values()], float)[:, None]
    s = np.array([c[1] for c in counts.values()], float)[:, None]
    a, b = s + mean * strength, n - s + (1 - mean) * strength
    fits = (special.betaln(a, b) - special.betaln(mean * strength, (1 - mean) * strength)).sum(axis=0)
    weight = np.exp(fits - fits.max())
    weight /= weight.sum()
    value = (weight * a / (a + b)).sum(axis=1)
    low, high = (_quantile((1 + sign * SURE) / 2, a, b, weight) for sign in (-1, 1))
    return {
        piece: Learned(
            float(value[k]), float(low[k]), float(high[k]), own[0], own[1] / own[0] if own[0] else math.nan
        )
        for k, (piece, own) in enumerate(counts.items())
    }


def _quantile(share: float, a: Floats, b: Floats, weight: Floats) -> Floats:
    """The quantile of each row's mixture of beta distributions, ``(n,)``, by halving."""
    lo, hi = np.zeros(len(a)), np.ones(len(a))
    for _ in range(40):
        middle = (lo + hi) / 2
        under = (weight * special.betainc(a, b, middle[:, None])).sum(axis=1) < share
        lo, hi = np.where(under, middle, lo), np.where(under, hi, middle)
    return np.asarray((lo + hi) / 2)


def spares_for(rate: float) -> float:
    """Return the spare rate to plan for a share that is spoilt: so many more that enough are good, up to the
    next half percent.
    """
    wanted = rate / (1.0 - rate)
    return min(1.0, math.ceil(wanted / STEP_OF_SPARES - 1e-6) * STEP_OF_SPARES)


def shrunk(groups: Mapping[str, Sequence[float]]) -> dict[str, Learned]:
    """Return the mean of each group of measurements, shrunk toward the mean of all groups.

    Normal model with random effects: the spread within from all groups together, that between by DerSimonian
    and Laird (1986). A group of one is shrunk by the common spread; no group, nothing.
    """
    own = {k: np.asarray(v, float) for k, v in groups.items() if len(v)}
    if not own:
        return {}
    every = np.concatenate(list(own.values()))
    free = len(every) - len(own)
    inside = sum(float(((v - v.mean()) ** 2).sum()) for v in own.values())
    within = inside / free if free > 0 else float(np.ptp(every) ** 2) / 4
    if within <= 0:
        return {
            k: Learned(float(v.mean()), math.nan, math.nan, len(v), float(v.mean())) for k, v in own.items()
        }
    means = {k: float(v.mean()) for k, v in own.items()}
    weights = {k: len(v) / within for k, v in own.items()}
    total = sum(weights.values())
    middle = sum(weights[k] * means[k] for k in own) / total
    q = sum(weights[k] * (means[k] - middle) ** 2 for k in own)
    spare = total - sum(w * w for w in weights.values()) / total
    between = max(0.0, (q - (len(own) - 1)) / spare) if spare > 1e-12 else 0.0
    if between > 0:
        pooled = {k: 1.0 / (within / len(own[k]) + between) for k in own}
        middle = sum(pooled[k] * means[k] for k in own) / sum(pooled.values())
    # How surely the middle itself is known goes with every figure.
    of_middle = 1.0 / sum(1.0 / (within / len(v) + between) for v in own.values())
    reach = float(special.ndtri((1 + SURE) / 2))
    out = {}
    for k, v in own.items():
        error = within / len(v)
        keep = between / (between + error)
        value = middle + keep * (means[k] - middle)
        sd = math.sqrt(keep * error + (1 - keep) ** 2 * of_middle)
        out[k] = Learned(value, value - reach * sd, value + reach * sd, len(v), means[k])
    return out
