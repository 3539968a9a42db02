"""The single pieces of a hide of an order laid again, rows of one of them first."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from typing import Final

from fairlay.core.engine.cut import EVERYWHERE, Cut
from fairlay.core.engine.pool import Pool
from fairlay.core.engine.rows import Rows, how_often
from fairlay.core.engine.table import HideTable
from fairlay.core.lay.lay import Job

LEAST: Final = 0.06
"""Rows are laid where copies of one single piece come to so much of an order."""


class RowsAgain:
    """Laying rows on the hides of an order; ``often`` is how often that is worth trying. ``matched`` names
    the sets that come from one hide each, whose pieces are left alone.
    """

    def __init__(
        self,
        job: Job,
        tables: list[HideTable],
        cuts: list[Cut],
        pool: Pool,
        matched: Collection[str],
    ) -> None:
        self.tables, self.cuts, self.pool = tables, cuts, pool
        self.rows = [Rows(t, pool.rng, pool.stop, h) for h, t in enumerate(tables)]
        wanted = [p for p in job.pieces if not p.filler]
        single = (p.area_mm2 * p.quantity for p in wanted if p.set_name not in matched)
        most = max(single, default=0.0) / max(sum(p.area_mm2 * p.quantity for p in wanted), 1.0)
        self.often = how_often(most) if most >= LEAST else 0.0

    def lay(self, h: int, loose: Sequence[int], opened: Sequence[int]) -> None:
        """Take up these slots of a hide and lay rows of one piece of them, from the end that is not racked
        on; the rest there, on other hides in use (``opened``), or wherever it goes.
        """
        table, pool = self.tables[h], self.pool
        extent = table.extent()
        if extent is None or not loose:
            return
        span = pool.span(h) or EVERYWHERE
        tail, neck = self.cuts[h].kept_m2(*extent)
        # Drawn by area: of a piece's leather each mm2 draws it.
        variants = [table.lying[s].variant for s in loose]
        areas = [v.area_mm2 for v in variants]
        drawn = variants[int(pool.rng.choice(len(variants), p=[a / sum(areas) for a in areas]))]
        pool.take(h, list(loose))
        self.rows[h].fill(pool.copies, drawn, None, span, 1.0 if neck >= tail else -1.0)
        hosts = [g for g in opened if g != h]
        pool.rng.shuffle(hosts)
        shuffle = float(pool.rng.uniform(0.0, 0.5))
        if table.lying:
            hosts.append(h)
        pool.place_all(hosts, shuffle)
        if pool.left():
            pool.place_all(range(len(self.tables)), shuffle, opening=True)
            pool.place_in_parts()
