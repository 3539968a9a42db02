"""What is news and what is noise: mills, lots and hides that stand out, and whether a figure goes up or down.

Hides are compared with their own kind: the same material, kind of hide and (but where grades are compared)
grade. What is told was held against how often chance alone would show as much.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray
from scipy import special

from fairlay.core.book.facts import PART_WORDS, PARTS, Facts, Floats

FEWEST: Final = 5
"""Of fewer hides nothing is said."""
CHANCE: Final = 0.05
"""What chance shows more often than this, over all that was compared, is no news."""
FAR: Final = 3.5
"""A hide whose robust z-score is beyond this stands out (Iglewicz and Hoaglin, How to Detect and Handle
Outliers, 1993)."""
FEWEST_ABOUT: Final = 12
LEAST_DAYS: Final = 56.0
DAYS_IN_MONTH: Final = 30.44


@dataclass(frozen=True)
class StandOut:
    """A group of hides, or one hide, whose yield is unlike that of its kind: by how much (as a share), and
    once in how many times chance alone would do it (inf: practically never).
    """

    what: str
    key: str
    hides: int
    value: float
    usual: float
    by: float
    once_in: float
    words: str


@dataclass(frozen=True)
class Trend:
    """How yields went, a month: ``slope`` with its range (nan: too little to say); ``news``:
    beyond chance.
    """

    slope: float
    low: float
    high: float
    once_in: float
    news: bool
    words: str


def strata(facts: Facts, with_grade: bool = True) -> NDArray[np.str_]:
    """Return each hide's own kind in words, ``(n,)``."""
    labels = ("material", "kind", "grade") if with_grade else ("material", "kind")
    out = facts.label[labels[0]]
    for label in labels[1:]:
        out = np.char.add(np.char.add(out, " "), facts.label[label])
    return np.asarray(out, np.str_)


def beside_kind(facts: Facts, with_grade: bool = True) -> tuple[Floats, Floats]:
    """Return each hide's yield less that of its own kind, and that, ``(n,)`` each; nan where
    none is known.
    """
    yields = facts.yields
    names, which = np.unique(strata(facts, with_grade), return_inverse=True)
    sound = ~np.isnan(yields)
    total = np.bincount(which[sound], yields[sound], len(names))
    count = np.bincount(which[sound], minlength=len(names))
    usual = np.divide(total, count, out=np.full(len(names), np.nan), where=count > 0)[which]
    return yields - usual, usual


def groups_that_stand_out(facts: Facts, what: str) -> list[StandOut]:
    """Return the groups of a label (mill, lot, grade, month...) whose hides yield otherwise than the rest of
    their kind, the surest first.

    Welch's t-test of each against all others, held to ``CHANCE`` over all groups together by Holm's method.
    """
    from scipy import stats  # noqa: PLC0415  # half a second for every program, and few ask this

    off, _ = beside_kind(facts, with_grade=what != "grade")
    sound = ~np.isnan(off)
    keys = facts.label[what]
    found: list[tuple[float, str, NDArray[np.bool_]]] = []
    for name in np.unique(keys[sound]):
        own = sound & (keys == name)
        rest = sound & (keys != name)
        if own.sum() >= FEWEST and rest.sum() >= FEWEST and (off[own].std() > 0 or off[rest].std() > 0):
            p = float(stats.ttest_ind(off[own], off[rest], equal_var=False).pvalue)
            found.append((1.0 if math.isnan(p) else p, str(name), own))
    found.sort(key=lambda f: f[0])
    out = []
    for k, (p, name, own) in enumerate(found):
        held = min(1.0, p * (len(found) - k))
        if held >= CHANCE:
            break
        out.append(_group(facts, what, name, own, off, held))
    # Of two, each is the other's opposite: the one that yields less says it all.
    return [s for s in out if s.by < 0] if len(found) == 2 else out


def _group(
    facts: Facts, what: str, name: str, own: NDArray[np.bool_], off: Floats, chance: float
) -> StandOut:
    value = float(np.nanmean(facts.yields[own]))
    by = float(off[own].mean() - off[~own & ~np.isnan(off)].mean())
    n = int(own.sum())
    words = (
        f"{_named(what, name)}: yield {value:.2f} of {n} hides, {_points(by)} "
        f"{'under' if by < 0 else 'over'} others of their kind; {_chance(chance)}{_where(facts, own, by)}"
    )
    return StandOut(what, name, n, value, value - by, by, _once(chance), words)


def hides_that_stand_out(facts: Facts, most: int = 8) -> list[StandOut]:
    """Return hides whose yield is far from that of their kind, the farthest first, each with where its
    leather went instead.
    """
    off, usual = beside_kind(facts)
    kinds = strata(facts)
    z = np.zeros(len(facts))
    for kind in np.unique(kinds):
        own = (kinds == kind) & ~np.isnan(off)
        if own.sum() < FEWEST_ABOUT:
            continue
        middle = float(np.median(off[own]))
        mad = float(np.median(np.abs(off[own] - middle)))
        if mad > 1e-6:
            z[own] = 0.6745 * (off[own] - middle) / mad
    far = np.flatnonzero(np.abs(z) > FAR)
    out = []
    for i in far[np.argsort(-np.abs(z[far]))][:most]:
        chance = min(1.0, 2 * float(special.ndtr(-abs(z[i]))) * len(facts))
        one = np.zeros(len(facts), bool)
        one[i] = True
        value, by = float(facts.yields[i]), float(off[i])
        words = (
            f"{facts.label['number'][i]}: yield {value:.2f} where {usual[i]:.2f} is usual of "
            f"{kinds[i]}{_where(facts, one, by)}"
        )
        number = str(facts.label["number"][i])
        out.append(StandOut("number", number, 1, value, float(usual[i]), by, _once(chance), words))
    return out


def _where(facts: Facts, own: NDArray[np.bool_], by: float) -> str:
    """Where leather went that is usually in good pieces: the part that differs most."""
    kinds = set(strata(facts)[own])
    rest = ~own & np.isin(strata(facts), list(kinds))
    if not rest.any() or facts.used[own].sum() <= 0 or facts.used[rest].sum() <= 0:
        return ""
    here = facts.m2[own].sum(axis=0) / facts.used[own].sum()
    there = facts.m2[rest].sum(axis=0) / facts.used[rest].sum()
    more = (here - there) * (-1 if by > 0 else 1)
    for k in (0, PARTS.index("kept")):
        more[k] = -1.0
    k = int(np.argmax(more))
    if more[k] < 0.01:
        return ""
    return (
        f". {'More' if by < 0 else 'Less'} of it {'went' if by < 0 else 'goes'} to "
        f"{PART_WORDS[PARTS[k]]}: {here[k]:.0%}, {there[k]:.0%} elsewhere"
    )


def _points(by: float) -> str:
    off = abs(by) * 100
    return f"{off:.1f} points" if off < 2 else f"{off:.0f} points"


def _once(chance: float) -> float:
    return 1.0 / chance if chance > 1e-12 else math.inf


def _chance(chance: float) -> str:
    if chance < 1e-6:
        return "chance practically never does that"
    if chance < 0.001:
        return f"chance does that less than once in {10 ** math.floor(-math.log10(chance)):,} times"
    return f"chance does that once in {1 / chance:,.0f} times"


def _named(what: str, name: str) -> str:
    words = name or "not named"
    return f"{what} {words}" if what in ("lot", "grade", "month") else words


def trend(facts: Facts) -> Trend:
    """Return whether yields go up or down: least squares over the days the hides were closed on, of what
    each differs from its kind.
    """
    off, _ = beside_kind(facts)
    sound = ~np.isnan(off)
    days = facts.day[sound]
    nothing = Trend(math.nan, math.nan, math.nan, 1.0, False, "")
    if sound.sum() < 2 * FEWEST or days.max() - days.min() < LEAST_DAYS:
        return Trend(
            **{
                **vars(nothing),
                "words": "too few hides, or too short a time, to say whether yields go up or down",
            }
        )
    if off[sound].std() < 1e-9:
        return Trend(0.0, 0.0, 0.0, 1.0, False, "yields stay as they are")
    from scipy import stats  # noqa: PLC0415  # as above

    line = stats.linregress(days, off[sound])
    slope = float(line.slope) * DAYS_IN_MONTH
    reach = float(special.stdtrit(int(sound.sum()) - 2, 0.975)) * float(line.stderr) * DAYS_IN_MONTH
    news = float(line.pvalue) < CHANCE
    if not news:
        words = (
            f"no change that is more than chance: between {slope - reach:+.1%} and {slope + reach:+.1%} "
            "a month"
        )
    else:
        words = (
            f"yields go {'up' if slope > 0 else 'down'} by {abs(slope) * 100:.1f} points a month (between "
            f"{(slope - reach) * 100:+.1f} and {(slope + reach) * 100:+.1f}); {_chance(float(line.pvalue))}"
        )
    return Trend(slope, slope - reach, slope + reach, _once(float(line.pvalue)), news, words)
