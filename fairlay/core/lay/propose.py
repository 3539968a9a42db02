"""Which hides to open for a batch at least cost, and what each would hold."""

from __future__ import annotations

from collections.abc import Collection, Hashable, Mapping, Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from scipy.optimize import Bounds, LinearConstraint, milp

from fairlay.core.pattern import Piece
from fairlay.core.rules import needs_of

USUAL_SHARE: Final = 0.62
"""So much of the ground that is fair to pieces is in them at the end, as lays go; records of a shop say
better.
"""
SECONDS: Final = 2.0


@dataclass(frozen=True)
class Offered:
    """A hide that may be opened: its price in money, and its ground in mm2 fair to each class of needs."""

    id: int
    price: float
    fair: Mapping[Hashable, float]


@dataclass(frozen=True)
class Proposal:
    """Hides to open, with the area in m2 of pieces each would hold; ``cost`` is the price of all of them. Not
    ``enough``: even all that may be opened is thought too little.
    """

    holds: dict[int, float]
    cost: float
    enough: bool


def propose(
    pieces: Sequence[Piece],
    offered: Sequence[Offered],
    *,
    fixed: Collection[int] = (),
    match_sets: Collection[str] = (),
    share: float = USUAL_SHARE,
) -> Proposal:
    """Return which hides to open at the least price so that all pieces are thought to fit: ``share`` of the
    ground that is fair to those that need a class of leather or tighter takes their area, and each piece's
    own ground takes its number; sets in ``match_sets`` lie whole on one hide. ``fixed`` are opened in any
    case.

    Solved as a mixed integer program (HiGHS, through scipy), within ``SECONDS``; where nothing is enough, all
    that bears anything is proposed.
    """
    wanted = [p for p in pieces if p.quantity and not p.filler]
    if not wanted or not offered:
        return Proposal({}, 0.0, not wanted)
    rows, least = [], []
    for tightness in (1, 2, 3, 4):
        own = [p for p in wanted if p.max_tightness <= tightness]
        if own:
            rows.append([share * max(h.fair[needs_of(p)] for p in own) for h in offered])
            least.append(sum(p.area_mm2 * p.quantity for p in own))
    for p in wanted:
        rows.append([share * h.fair[needs_of(p)] // p.area_mm2 for h in offered])
        least.append(p.quantity)
    for name in match_sets:
        own = [p for p in wanted if p.set_name == name]
        if own:
            rows.append([_sets_on(h, own, share) for h in offered])
            least.append(min(p.quantity // p.per_set for p in own))
    prices = np.array([h.price for h in offered])
    held = np.array([1.0 if h.id in set(fixed) else 0.0 for h in offered])
    # Of what costs alike (an offcut without a price, too) the fewest are opened.
    weights = prices + 1e-3 * max(1.0, float(prices.mean()))
    found = milp(
        weights,
        integrality=np.ones(len(offered)),
        bounds=Bounds(held, np.ones(len(offered))),
        constraints=LinearConstraint(np.array(rows), lb=np.array(least)),
        options={"time_limit": SECONDS},
    )
    enough = found.x is not None
    bears = np.array([max(h.fair[needs_of(p)] for p in wanted) for h in offered])
    opened = np.round(found.x) > 0 if enough else (bears > 0) | (held > 0)
    return Proposal(
        _holds(wanted, [h for h, o in zip(offered, opened, strict=True) if o], share),
        float(prices[opened].sum()),
        bool(enough),
    )


def _sets_on(hide: Offered, members: Sequence[Piece], share: float) -> int:
    """How many whole sets a hide is thought to give: those of its ground that bear a class or tighter take
    what needs that class.
    """
    sets = []
    for tightness in (1, 2, 3, 4):
        own = [p for p in members if p.max_tightness <= tightness]
        if own:
            area = sum(p.area_mm2 * p.per_set for p in own)
            sets.append(int(share * max(hide.fair[needs_of(p)] for p in own) // area))
    each = [int(share * hide.fair[needs_of(p)] // (p.area_mm2 * p.per_set)) for p in members]
    return min(*sets, *each)


def _holds(pieces: Sequence[Piece], hides: Sequence[Offered], share: float) -> dict[int, float]:
    """The area in m2 that each hide would hold: what needs the tightest first, into the cheapest that bears
    it.
    """
    room = {h.id: share * max(h.fair[needs_of(p)] for p in pieces) for h in hides}
    held = dict.fromkeys(room, 0.0)
    cheapest = sorted(hides, key=lambda h: h.price / max(room[h.id], 1.0))
    for p in sorted(pieces, key=lambda p: (p.max_tightness, -p.area_mm2)):
        left = p.area_mm2 * p.quantity
        for h in cheapest:
            put = min(left, room[h.id], h.fair[needs_of(p)])
            room[h.id] -= put
            held[h.id] += put / 1e6
            left -= put
    return held
