"""How a lay grows with time, time and memory with pieces and hides, and where the time goes."""

from __future__ import annotations

import cProfile
import pstats
import time
from collections import Counter
from dataclasses import replace

from bench.cases import job_of
from bench.run import Row, apart, lay_and_measure, peak_mb
from fairlay.core.engine import lay_job
from fairlay.core.lay import Job

SECONDS = (5.0, 15.0, 60.0, 240.0)
PIECES = (50, 100, 200, 400, 800, 1600)
HIDES = (1, 2, 5, 10, 20, 40)
PROFILED_S = 25.0


def print_growth(processes: int) -> None:
    """Print four tables."""
    print(f"first lay by pieces, four sides, one process\n{'pieces':>8} {'first s':>8} {'MB':>6}")
    whole = job_of(1, 4, "fill", full=2.0)
    for count in PIECES:
        first_s, memory = apart(_first, _of_size(whole, count))
        print(f"{count:8} {first_s:8.2f} {memory:6.0f}", flush=True)
    print(
        f"\nfirst lay of an order by hides, one process\n{'hides':>8} {'pieces':>8} {'first s':>8} {'MB':>6}"
    )
    for count in HIDES:
        job = job_of(11, count, "order", full=0.4)
        first_s, memory = apart(_first, job)
        print(f"{count:8} {sum(p.quantity for p in job.pieces):8} {first_s:8.2f} {memory:6.0f}", flush=True)
    print("\nwhere the time goes, share of the search by what is called")
    for job in (job_of(1, 1, "fill", gap=0.0), job_of(8, 3, "order", full=0.45)):
        print(
            f"{job.name:24} "
            + ", ".join(f"{name} {100 * share:.0f} %" for name, share in apart(_where, job)),
            flush=True,
        )
    print(f"\nyield by time, {processes} processes\n{'case':24} " + " ".join(f"{s:>8.0f} s" for s in SECONDS))
    for job in (
        job_of(1, 1, "fill", gap=0.0),
        job_of(3, 1, "fill", school="local"),
        job_of(8, 3, "order", full=0.45),
    ):
        rows: list[Row] = [apart(lay_and_measure, job, seconds, processes) for seconds in SECONDS]
        print(f"{job.name:24} " + " ".join(f"{row.best:10.4f}" for row in rows), flush=True)


def _of_size(job: Job, count: int) -> Job:
    """Return a job with as many pieces as asked, in the same proportions as near as can be (pairs stay
    even).
    """
    have = sum(p.quantity for p in job.pieces)
    pieces = tuple(replace(p, quantity=max(2, 2 * round(p.quantity * count / have / 2))) for p in job.pieces)
    return replace(job, pieces=pieces)


def _first(job: Job) -> tuple[float, float]:
    lay = lay_job(job, time.monotonic, seconds=1e9, steps=1, reasons=False)
    return lay.history[0].second, peak_mb()


def _where(job: Job) -> list[tuple[str, float]]:
    """Return what took most of the time of a search, with its share."""
    lay_job(job, time.monotonic, seconds=5.0, reasons=False)
    profile = cProfile.Profile()
    profile.runcall(lay_job, job, time.monotonic, seconds=PROFILED_S, reasons=False)
    spent: Counter[str] = Counter()
    stats = pstats.Stats(profile).get_stats_profile()
    for name, one in stats.func_profiles.items():
        spent[name.split("(")[0]] += one.tottime
    return [(name, seconds / stats.total_tt) for name, seconds in spent.most_common(8)]
