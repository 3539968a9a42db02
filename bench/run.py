"""One job laid and measured, in a process of its own so that its memory is its own."""

from __future__ import annotations

import math
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
    reached: float
    first_reached: float
    usable_m2: float


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
        counted(job, best),
        counted(job, first.measure),
        m.usable_m2,
    )


def counted(job: Job, value: float) -> float:
    """Return what a lay's worth says in the terms of its kind: the fill, the whole sets, or the money's worth
    of leather (the length of a roll, in mm) where all lies; all of it and more where not.
    """
    if job.objective == "fill":
        return value
    if job.objective == "sets":
        return float(int(value))
    wanted = sum(p.quantity for p in job.pieces if not p.filler)
    missing = wanted - int(value + 1e-9)
    if job.hides[0].is_roll:
        used_m2 = 1.0 / max(1e-9, value - int(value + 1e-9)) - 1.0
        return used_m2 * 1e6 / (job.hides[0].width_mm or 1.0) if not missing else math.inf
    whole = sum(h.region.area * h.cost_per_m2 for h in job.hides) / 1e6
    if value >= wanted + 1.0 - 1e-9:
        return 0.0
    return whole * (1.0 - (value - int(value + 1e-9))) + missing * whole / max(1, wanted)


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
