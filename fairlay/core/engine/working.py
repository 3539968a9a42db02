"""What whoever works at a search needs of the run it works for."""

from __future__ import annotations

from dataclasses import replace
from typing import Protocol

import numpy as np

from fairlay.core.engine.bank import Bank
from fairlay.core.engine.table import HideTable
from fairlay.core.lay.lay import Job, Lay, Unplaced


class Searching(Protocol):
    """What a worker needs of the run it works for."""

    job: Job
    bank: Bank
    best: Lay
    best_worth: float
    rng: np.random.Generator

    def stop(self) -> bool: ...
    def warmth(self) -> float: ...
    def used(self) -> float: ...
    def consider(self, lay: Lay) -> None: ...
    def filled(self, lay: Lay) -> Lay: ...
    def tables(self) -> list[HideTable] | None: ...


def with_counts(job: Job, lay: Lay) -> Lay:
    """Return a lay that says how many of each piece it leaves out."""
    counts = lay.counts(job)
    return replace(
        lay,
        unplaced=tuple(
            Unplaced(p.id, p.quantity - counts[p.id], "") for p in job.pieces if counts[p.id] < p.quantity
        ),
    )
