"""An order laid on a delivery that nobody made yet: hide after hide, until all of it lies."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Final

import numpy as np

from fairlay.core.engine import lay_job
from fairlay.core.forecast.stock import Source, made_up, one_that_may_be
from fairlay.core.lay.lay import Job
from fairlay.core.lay.measures import measure
from fairlay.core.leather import Hide
from fairlay.core.pattern import Piece
from fairlay.core.rules import Policy

MOST_HIDES: Final = 14
"""An order that takes more is laid in parts of its own kind."""
USUAL_YIELD: Final = 0.5
QUICK, PATIENT = 1, 6
"""Steps of the engine a hide: at once, and about as well as a shop lays that gives it a minute."""
NEVER: Final = 3
"""After so many hides in a row that bear nothing of what is left, no hide of the kind does."""


@dataclass(frozen=True)
class World:
    """One delivery laid: area of each hide in m2, what was used of the last one, and pieces that none bears
    (0: all lie). ``parts`` such orders make the whole.
    """

    areas: tuple[float, ...]
    last_used_m2: float
    never: int
    from_rack: int = 0

    @property
    def hides(self) -> float:
        """Hides that are used up, the last one by its share."""
        if not self.areas:
            return 0.0
        return len(self.areas) - 1 + min(1.0, self.last_used_m2 / self.areas[-1])

    @property
    def used_m2(self) -> float:
        """Leather that is used: all of every hide but the last, and what the last one gave."""
        return sum(self.areas[:-1]) + self.last_used_m2 if self.areas else 0.0


def parts_of_order(pieces: Sequence[Piece], area_m2: float) -> tuple[tuple[Piece, ...], int]:
    """Return an order that fits ``MOST_HIDES`` hides or so, and how many such make the one asked for."""
    total = sum(p.area_mm2 * p.quantity for p in pieces) / 1e6
    parts = max(1, math.ceil(total / (USUAL_YIELD * area_m2 * MOST_HIDES)))
    if parts == 1:
        return tuple(pieces), 1
    return tuple(replace(p, quantity=_even(math.ceil(p.quantity / parts), p.pair)) for p in pieces), parts


def _even(n: int, pair: bool) -> int:
    return n + n % 2 if pair else n


def lay_world(
    pieces: Sequence[Piece],
    source: Source,
    policy: Policy,
    clock: Callable[[], float],
    seed: int,
    *,
    rack: Sequence[Hide] = (),
    should_stop: Callable[[], bool] = lambda: False,
    sure: bool = False,
    steps: int = QUICK,
) -> World | None:
    """Lay an order on hides of a rack, in their order, and then on made-up ones of a source; None where it
    was stopped. The same seed makes the same hides whatever is laid on them. ``sure``: the source is taken as
    it is, and not as it may be. ``steps``: how long each hide is laid.
    """
    rng = np.random.default_rng([seed, 17])
    true = source if sure else one_that_may_be(source, rng)
    left = {p.id: p.quantity for p in pieces if p.quantity and not p.filler}
    by_id = {p.id: p for p in pieces}
    from_rack = 0
    for hide in rack:
        placed, _ = _lay_one(by_id, left, hide, policy, clock, seed, steps, should_stop)
        if placed is None:
            return None
        from_rack += 1 if placed else 0
        if not left:
            return World((), 0.0, 0, from_rack)
    areas: list[float] = []
    used, idle = 0.0, 0
    while left and idle < NEVER:
        hide = made_up(true, f"made up {len(areas) + 1}", np.random.default_rng([seed, 29, len(areas)]))
        placed, own = _lay_one(by_id, left, hide, policy, clock, seed + len(areas), steps, should_stop)
        if placed is None:
            return None
        areas.append(hide.region.area / 1e6)
        used = own
        idle = 0 if placed else idle + 1
    if idle:  # what no hide of the kind bears is told, and not bought for
        areas = areas[:-idle] or areas[:1]
    return World(tuple(areas), used or (areas[-1] if areas else 0.0), sum(left.values()), from_rack)


def _lay_one(
    by_id: Mapping[str, Piece],
    left: dict[str, int],
    hide: Hide,
    policy: Policy,
    clock: Callable[[], float],
    seed: int,
    steps: int,
    should_stop: Callable[[], bool],
) -> tuple[int | None, float]:
    """Lay what is left on one hide and take it off ``left``: how many pieces (None: stopped), m2 used."""
    if should_stop():
        return None, 0.0
    wanted = tuple(replace(by_id[i], quantity=n) for i, n in left.items())
    job = Job("forecast", (hide,), wanted, policy, "fill", seed=seed)
    lay = lay_job(
        job, clock, seconds=600.0, steps=steps, should_stop=should_stop, reasons=False, spares=False
    )
    if should_stop():
        return None, 0.0
    counts = lay.counts(job)
    for piece, n in counts.items():
        left[piece] -= n
        if left[piece] <= 0:
            del left[piece]
    return sum(counts.values()), measure(job, lay).used_m2
