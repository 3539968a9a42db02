"""Lay every case and print a table: what the first lay gave, what the time gave on top of it, and when.

Usage: .venv/bin/python -m bench [--seconds 60] [--processes 2] [--only NAME] [JOB.json ...]
Ratios are of the same run on the same machine: the first constructive lay is 1.
"""

from __future__ import annotations

import argparse
import resource
import time
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from pathlib import Path

from bench.cases import own_cases
from fairlay.core.engine import lay_job
from fairlay.core.engine.warm import warm_kernels
from fairlay.core.formats.exchange import read_job
from fairlay.core.lay import Job, broken_rules, measure
from fairlay.core.lay.measures import worth


@dataclass(frozen=True)
class Row:
    """One case laid: worth of the first and of the best lay, seconds to each, and memory."""

    name: str
    pieces: int
    hides: int
    first: float
    first_s: float
    best: float
    best_s: float
    measure: str
    peak_mb: float


def run(job: Job, seconds: float) -> Row:
    """Lay one job and measure it; every lay is checked against the rules."""
    lay = lay_job(job, time.monotonic, seconds=seconds)
    if broken := broken_rules(job, lay):
        raise SystemExit(f"{job.name}: {broken[0].sentence}")
    m = measure(job, lay)
    roll = m.per_hide[0].length_mm
    told = {"fill": f"fill {m.fill:.4f}", "sets": f"sets {sum(m.sets.values())}, fill {m.fill:.4f}", "order": f"{m.placed} of {m.wanted}, cost {m.cost:.2f}"}[job.objective]
    if roll:
        told += f", {roll:.0f} mm, density {m.yield_of_used:.4f}"
    first, last = lay.history[0], lay.history[-1]
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    return Row(job.name, sum(p.quantity for p in job.pieces), len(job.hides), first.measure, first.second, worth(job, m), last.second, told, peak)


def main() -> None:
    """Print the table."""
    asked = argparse.ArgumentParser(prog="python -m bench")
    asked.add_argument("jobs", nargs="*", type=Path, help="job files; the bench's own ten by default")
    asked.add_argument("--seconds", type=float, default=60.0)
    asked.add_argument("--processes", type=int, default=2)
    asked.add_argument("--only", default="", help="cases whose name holds this")
    args = asked.parse_args()
    warm_kernels()
    cases = [read_job(p.read_bytes()) for p in args.jobs] or own_cases()
    cases = [c for c in cases if args.only in c.name]
    print(f"{'case':24} {'pieces':>6} {'hides':>5} {'first s':>8} {'best s':>7} {'best/first':>10} {'MB':>6}  measure")
    with ProcessPoolExecutor(args.processes) as pool:
        for row in pool.map(run, cases, [args.seconds] * len(cases)):
            print(f"{row.name:24} {row.pieces:6} {row.hides:5} {row.first_s:8.2f} {row.best_s:7.1f} {row.best / row.first:10.4f} {row.peak_mb:6.0f}  {row.measure}", flush=True)


if __name__ == "__main__":
    main()
