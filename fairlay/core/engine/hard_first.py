"""An order without what lies on almost any leather.

What asks for tight, clean leather decides how far hides are used; the rest mostly finds a place on what is
used anyway, the belly and the edges. So what is hard is shared out first, as if there were nothing else.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import replace
from itertools import pairwise

from fairlay.core.engine.bank import Bank
from fairlay.core.engine.construct import share_borne
from fairlay.core.engine.reasons import tables_of
from fairlay.core.engine.share import Share
from fairlay.core.engine.table import HideTable
from fairlay.core.engine.working import Searching, with_counts
from fairlay.core.lay.lay import Job, Lay, Placement

MORE_LEATHER = 1.25
"""What is easy lies on at least so many times as much leather as anything hard."""
LEAST_SHARE = 0.1
"""With less of the order's area than this to set aside there is nothing to gain."""
TRIES = 3
"""How often the rest is laid about what is hard, each time in another order."""


def hard_of(job: Job, bank: Bank, tables: Sequence[HideTable]) -> Job | None:
    """Return an order without its easy pieces; None where all lie on about as much leather, and where part of
    it lies already. A piece of a set that must come from one hide is never easy.
    """
    if job.objective != "order" or job.fixed or job.more_of or any(h.is_roll for h in job.hides):
        return None
    pieces = [p for p in job.pieces if not p.filler]
    borne = {p.id: max(share_borne(p, tables, bank), 1e-3) for p in pieces}
    gaps = [more for less, more in pairwise(sorted(borne.values())) if more > MORE_LEATHER * less]
    least = max(gaps, default=math.inf)
    hard = [p for p in pieces if borne[p.id] < least or p.set_name in job.match_sets]
    area, of_hard = (sum(p.area_mm2 * p.quantity for p in own) for own in (pieces, hard))
    return replace(job, pieces=tuple(hard)) if 0.0 < of_hard < (1.0 - LEAST_SHARE) * area else None


def with_the_rest(run: Searching, hard: Lay, stop: Callable[[], bool], tries: int = TRIES) -> Lay:
    """Return what is hard with all else of the order laid into the same leather, or more of it where that is
    cheapest: the cheapest of some ``tries``.
    """
    found: list[tuple[int, float, tuple[Placement, ...]]] = []
    for k in range(tries):
        tables = tables_of(run.job, run.bank, hard, run.tables(), spare=True)
        share = Share(run.job, run.bank, tables, run.rng, stop)
        share.pool.place_all(range(len(tables)), shuffle=0.15 * k, opening=True)
        share.pool.place_in_parts()
        found.append((share.missing(), share.cost(), share.placements()))
    return with_counts(run.job, Lay(min(found, key=lambda f: f[:2])[2]))
