"""What one article costs: leather by piece at its true share, thread, hardware, minutes."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from fairlay.core.book.facts import CENTS
from fairlay.core.book.sheet import money_of
from fairlay.core.pattern import Piece


@dataclass(frozen=True)
class Prices:
    """What else than leather costs, as the shop states it: a minute of work, a metre of thread, a piece of
    each hardware by its name. What is not stated costs nothing, and is told. ``strip_m``: what a metre of
    strip that a remnant still gives is worth, beside its area.
    """

    minute: float = 0.0
    thread_m: float = 0.0
    hardware: Mapping[str, float] = field(default_factory=dict)
    strip_m: float = 0.0


@dataclass(frozen=True)
class PieceCost:
    """What one article pays for a piece: how many, their m2, money, and minutes of cutting (nan: unknown)."""

    piece: str
    each: int
    m2: float
    tightness: int
    money: float
    minutes: float


@dataclass(frozen=True)
class Costing:
    """What one article costs. ``unpriced`` names what has no price yet."""

    leather: tuple[PieceCost, ...]
    leather_money: float
    thread_m: float
    thread_money: float
    hardware: tuple[tuple[str, int, float], ...]
    minutes: float
    minutes_money: float
    unpriced: tuple[str, ...]

    @property
    def total(self) -> float:
        """All that is known together."""
        known = [self.leather_money, self.thread_money, self.minutes_money]
        return sum(v for v in known if not math.isnan(v)) + sum(m for _, _, m in self.hardware)


def costing(
    pieces: Sequence[Piece],
    leather_money: float,
    thread_mm: float,
    hardware: Mapping[str, int],
    minutes: Mapping[str, float],
    prices: Prices,
    worth: Mapping[int, float],
) -> Costing:
    """Return what one article costs.

    ``pieces``: of one article, its leather costing ``leather_money`` together (nan: not known), which each
    pays by area and by what leather of the class it needs is ``worth``. ``minutes`` of cutting one of each.
    """
    known = not math.isnan(leather_money)
    shares = (
        money_of(round(leather_money * CENTS), [(p, p.quantity) for p in pieces], worth)
        if known
        else [0] * len(pieces)
    )
    rows = tuple(
        PieceCost(
            p.id,
            p.quantity,
            p.area_mm2 * p.quantity / 1e6,
            p.max_tightness,
            cents / CENTS if known else math.nan,
            minutes[p.id] * p.quantity if p.id in minutes else math.nan,
        )
        for p, cents in zip(pieces, shares, strict=True)
    )
    told = [r.minutes for r in rows if not math.isnan(r.minutes)]
    work = sum(told) if told else math.nan
    parts = tuple((name, n, n * prices.hardware.get(name, 0.0)) for name, n in hardware.items())
    unpriced = [name for name in hardware if not prices.hardware.get(name)]
    unpriced += ["thread"] if thread_mm and not prices.thread_m else []
    unpriced += ["a minute of work"] if not prices.minute else []
    return Costing(
        rows,
        leather_money,
        thread_mm / 1000,
        thread_mm / 1000 * prices.thread_m,
        parts,
        work,
        work * prices.minute,
        tuple(unpriced),
    )
