"""Jobs made from the bench's own seeds and the demo's shapes."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np

from fairlay.core.lay.lay import Job, Objective
from fairlay.core.lay.order import Line, cutlist, pieces_of_batch
from fairlay.core.leather import Hide
from fairlay.core.rules import GrainSchool, Policy
from fairlay.demo import sides
from fairlay.demo.patterns import BODY, articles


def job_of(
    seed: int,
    hides: int,
    objective: Objective,
    *,
    school: GrainSchool = "backbone",
    gap: float = 1.0,
    full: float = 1.4,
) -> Job:
    """Return a job of all five articles on sides grown from a seed; ``full`` is area wanted over usable area,
    at least.
    """
    rng = np.random.default_rng(seed)
    leather = tuple(side_grown(f"S{i + 1:02}", seed * 100 + i, rng) for i in range(hides))
    one_of_each = sum(
        p.area_mm2 * p.quantity
        for p in pieces_of_batch([Line(cutlist(article), 1) for article in articles()], BODY)
    )
    each = max(1, math.ceil(full * sum(h.usable.area for h in leather) / one_of_each))
    pieces = pieces_of_batch([Line(cutlist(article), each) for article in articles()], BODY)
    pieces = tuple(replace(p, thickness_mm=None) for p in pieces)
    return Job(
        f"{objective}-{school}-{seed}", leather, pieces, Policy(gap, school), objective, (), (), 60.0, 1
    )


def side_grown(number: str, seed: int, rng: np.random.Generator) -> Hide:
    grade = int(rng.integers(0, 3))
    flaws = [(6, 4, 2), (10, 8, 4), (15, 15, 7)][grade]
    return sides.side(
        number,
        seed,
        float(rng.uniform(2100, 2400)),
        float(rng.uniform(960, 1120)),
        float((104, 92, 80)[grade]),
        flaws,
    )


def own_cases() -> list[Job]:
    """Return the bench's ten jobs: one side filled in each school, gaps, sets, and orders on several
    sides.
    """
    return [
        job_of(1, 1, "fill", gap=0.0),
        job_of(2, 1, "fill"),
        job_of(3, 1, "fill", school="local"),
        job_of(4, 1, "fill", school="free", gap=0.0),
        job_of(5, 1, "fill", gap=3.0),
        job_of(6, 1, "sets"),
        job_of(7, 2, "sets", gap=0.0),
        job_of(8, 3, "order", full=0.45),
        job_of(9, 4, "order", full=0.5, school="local"),
        job_of(10, 6, "order", full=0.4, gap=0.0),
    ]
