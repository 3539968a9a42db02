"""One job laid and measured, in a process of its own so that its memory is its own."""

from __future__ import annotations

import multiprocessing
import resource
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from typing import Any

from fairlay.core.lay import Job, Measures, broken_rules, measure
from fairlay.core.lay.measures import worth
from fairlay.work.together import lay_together


@dataclass(frozen=True)
class Row:
    """One case laid: worth of the first and of the best lay; seconds to the first, and to half of what was
    gained after it; memory.
    """

    name: str
    pieces: int
    hides: int
    first: float
    first_s: float
    half_s: float
    best: float
    measure: str
    peak_mb: float


def lay_and_measure(job: Job, seconds: float, processes: int) -> Row:
    """Lay one job and measure it; the lay is checked against the rules."""
    lay = lay_together(job, seconds, processes)
    if broken := broken_rules(job, lay):
        raise SystemExit(f"{job.name}: {broken[0].sentence}")
    m = measure(job, lay)
    first, best = lay.history[0], worth(job, m)
    half = next(b.second for b in lay.history if b.measure >= (first.measure + best) / 2 - 1e-9)
    return Row(
        job.name,
        sum(p.quantity for p in job.pieces),
        len(job.hides),
        first.measure,
        first.second,
        half,
        best,
        told(job, m),
        peak_mb(),
    )


def told(job: Job, m: Measures) -> str:
    """What a lay of a job comes to, in words."""
    if job.objective == "fill":
        return f"fill {m.fill:.4f}"
    if job.objective == "sets":
        return f"sets {sum(m.sets.values())}, fill {m.fill:.4f}"
    length = m.per_hide[0].length_mm
    on_roll = f", {length:.0f} mm, density {m.yield_of_used:.4f}" if length else ""
    return f"{m.placed} of {m.wanted}, cost {m.cost:.2f}{on_roll}"


def peak_mb() -> float:
    """The most memory this process, or a helper of it, has held."""
    return (
        max(resource.getrusage(who).ru_maxrss for who in (resource.RUSAGE_SELF, resource.RUSAGE_CHILDREN))
        / 1024
    )


def apart(call: Callable[..., Any], *args: object) -> Any:
    """Return ``call(*args)`` from a fresh process."""
    with ProcessPoolExecutor(1, mp_context=multiprocessing.get_context("spawn")) as pool:
        return pool.submit(call, *args).result()
