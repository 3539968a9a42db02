"""Jobs grown at random, with every kind of hide, flaw, need and objective: every lay of every one is
refereed.
"""

from __future__ import annotations

import itertools
import json
import math
from typing import Any

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from fairlay.core.engine import lay_job
from fairlay.core.engine.bank import build_bank
from fairlay.core.engine.layer import Lying
from fairlay.core.engine.table import HideTable, Wish
from fairlay.core.formats.exchange import read_job, write_lay
from fairlay.core.lay import Lay, measure
from fairlay.core.lay.measures import worth
from tests import jobs, referee
from tests.effort import tried

SLOW = [HealthCheck.too_slow, HealthCheck.data_too_large]


def blob(rng: np.random.Generator, x: float, y: float, reach: float, points: int) -> list[list[float]]:
    """A wandering outline about a point."""
    turns = np.linspace(0, 2 * math.pi, points, endpoint=False) + rng.uniform(
        0, 0.6 * math.pi / points, points
    )
    radii = reach * rng.uniform(0.6, 1.0, points)
    return [
        [round(x + r * math.cos(t), 2), round(y + r * math.sin(t), 2)]
        for r, t in zip(radii, turns, strict=True)
    ]


def hide(rng: np.random.Generator, number: int) -> dict[str, Any]:
    """A hide about 900 by 420 mm, with zones over each other, flaws over the edge and over each other, and
    thickness.
    """
    turns = np.linspace(0, 2 * math.pi, 16, endpoint=False)
    outline = [
        [
            round(450 + 450 * math.cos(t) * rng.uniform(0.85, 1.0), 2),
            round(210 + 210 * math.sin(t) * rng.uniform(0.85, 1.0), 2),
        ]
        for t in turns
    ]
    return {
        "id": f"Q-{number}",
        "kind": str(rng.choice(["side", "shoulder", "offcut"])),
        "outline": outline,
        "backbone_deg": float(rng.choice([0.0, 12.0])),
        "edge_margin": float(rng.choice([0.0, 4.0])),
        "cost_per_m2": float(rng.uniform(60, 120)),
        "holes": [blob(rng, 700, 200, 18, 7)] if rng.random() < 0.4 else [],
        "zones": [
            {
                "outline": blob(rng, rng.uniform(100, 800), rng.uniform(50, 380), rng.uniform(100, 350), 9),
                "tightness": int(rng.integers(1, 5)),
                "stretch_deg": float(rng.choice([90.0, 70.0, 120.0])),
            }
            for _ in range(int(rng.integers(0, 4)))
        ],
        "flaws": [
            {
                "kind": "scar",
                "severity": int(rng.integers(1, 4)),
                "outline": blob(rng, rng.uniform(0, 900), rng.uniform(0, 420), rng.uniform(4, 30), 6),
            }
            for _ in range(int(rng.integers(0, 9)))
        ],
        "thickness": [
            {
                "x": float(rng.uniform(0, 900)),
                "y": float(rng.uniform(0, 420)),
                "mm": round(float(rng.uniform(1.6, 3.0)), 2),
            }
            for _ in range(int(rng.integers(0, 5)))
        ],
    }


def piece(rng: np.random.Generator, number: int) -> dict[str, Any]:
    """A piece of one of several shapes, with needs at random."""
    long, wide = float(rng.uniform(25, 240)), float(rng.uniform(15, 120))
    outline = [
        jobs.rectangle(long, wide),
        [[0, 0], [long, 0], [long, wide], [0.6 * long, wide], [0.5 * long, 0.5 * wide], [0, wide]],
        blob(rng, 0, 0, min(long, 70.0), 11),
        [[0, 0], [long, 0.3 * wide], [0.2 * long, wide]],
    ][int(rng.integers(4))]
    made = jobs.piece(
        f"p{number}",
        outline,
        2 * int(rng.integers(1, 5)),
        pair=bool(rng.random() < 0.3),
        show_limit=int(rng.integers(0, 3)),
        max_tightness=int(rng.integers(1, 5)),
        grain={
            "axis_deg": float(rng.choice([0, 30, 90])),
            "tolerance_deg": float(rng.choice([0, 4, 15, 90, 180])),
            "reversible": bool(rng.random() < 0.7),
        },
        value=float(rng.choice([1.0, 0.5, 2.0])),
    )
    if rng.random() < 0.3:
        made["thickness_mm"] = [1.8, 2.8]
    if rng.random() < 0.4:
        made["gap"] = float(rng.choice([0.0, 2.0, 6.0]))
    if len(outline) == 4 and outline[1][1] == 0 and rng.random() < 0.6:
        third = long / 3
        if rng.random() < 0.5:
            made["hidden"] = [[[0, 0], [third, 0], [third, wide], [0, wide]]]
        elif not made["pair"]:
            made["splits"] = [
                {
                    "id": "seam",
                    "penalty_m2": 0.001,
                    "parts": [{"id": k, "outline": jobs.rectangle(long / 2 + 5, wide)} for k in "ab"],
                }
            ]
    return made


def grown(seed: int, hides: int, objective: str) -> dict[str, Any]:
    rng = np.random.default_rng(seed)
    pieces = [piece(rng, k) for k in range(int(rng.integers(2, 6)))]
    pieces += (
        [
            jobs.piece(
                "tag", jobs.rectangle(24, 15), 6, filler=True, grain={"axis_deg": 0, "tolerance_deg": 180}
            )
        ]
        if rng.random() < 0.5
        else []
    )
    matched = []
    if objective != "fill":
        names, per_set = ["kit"] if rng.random() < 0.7 else ["kit", "stand"], int(rng.integers(1, 3))
        for p in pieces:
            if not p.get("splits") and not p.get("filler"):
                p.update(set=str(rng.choice(names)), per_set=per_set)
        made = sorted({p["set"] for p in pieces if p.get("set")})
        matched = made[:1] if rng.random() < 0.6 else []
    leather = [hide(rng, k) for k in range(hides)]
    for own in leather:
        own["reserved"] = [
            {
                "outline": blob(rng, rng.uniform(100, 800), rng.uniform(50, 380), rng.uniform(40, 200), 7),
                "for": [p["id"] for p in pieces if rng.random() < 0.5],
            }
            for _ in range(int(rng.integers(0, 3)))
        ]
    return {
        "format": "fairlay.job/1",
        "name": f"grown-{seed}",
        "gap": float(rng.choice([0.0, 1.0, 3.0])),
        "grain_school": str(rng.choice(["backbone", "local", "free"])),
        "objective": objective,
        "seconds": 1.0,
        "seed": seed,
        "match_sets": matched,
        "hides": leather,
        "pieces": pieces,
    }


@settings(max_examples=tried(10, 500), suppress_health_check=SLOW)
@given(
    st.integers(0, 10**6),
    st.integers(1, 3),
    st.sampled_from(["fill", "sets", "order"]),
    st.sampled_from([1, 6]),
)
def test_every_lay_of_a_job_grown_at_random_is_fair(
    seed: int, hides: int, objective: str, steps: int
) -> None:
    asked = grown(seed, hides, objective)
    job = read_job(json.dumps(asked))
    ticks = itertools.count()
    lay = lay_job(job, lambda: float(next(ticks)), seconds=1e9, steps=steps)
    assert referee.broken(asked, write_lay(lay)) == []
    counts = lay.counts(job)
    left = {u.piece: u.count for u in lay.unplaced}
    assert all(counts[p.id] + left.get(p.id, 0) == p.quantity for p in job.pieces if not p.filler)
    assert all(u.reason for u in lay.unplaced)


@settings(max_examples=tried(4, 120), suppress_health_check=SLOW)
@given(st.integers(0, 10**6), st.sampled_from(["fill", "sets", "order"]))
def test_a_search_from_a_lay_never_ends_worse(seed: int, objective: str) -> None:
    asked = grown(seed, 2, objective)
    job = read_job(json.dumps(asked))
    ticks = itertools.count()
    start = lay_job(job, lambda: float(next(ticks)), seconds=1e9, steps=2)
    again = lay_job(job, lambda: float(next(ticks)), seconds=1e9, steps=4, start=start)
    assert worth(job, measure(job, again)) >= worth(job, measure(job, start)) - 1e-9
    stopped = lay_job(job, lambda: float(next(ticks)), seconds=1e9, start=start, should_stop=lambda: True)
    assert worth(job, measure(job, stopped)) >= worth(job, measure(job, start)) - 1e-9
    assert referee.broken(asked, write_lay(again)) == []


@settings(max_examples=tried(5, 200), suppress_health_check=SLOW)
@given(st.integers(0, 10**6))
def test_a_table_only_offers_fair_places(seed: int) -> None:
    asked = grown(seed, 1, "fill")
    for p in asked["pieces"]:
        p.update(filler=False, splits=[])
    job = read_job(json.dumps(asked))
    bank = build_bank(job)
    table = HideTable(job, job.hides[0], bank, 80)
    rng = np.random.default_rng(seed)
    x0, y0, x1, y1 = job.hides[0].region.bounds
    counts = {v.index: v.piece.quantity // (2 if v.piece.pair else 1) for v in bank.variants}
    for _ in range(20):
        variant = bank.variants[int(rng.integers(len(bank.variants)))]
        if not counts[variant.index]:
            continue
        window = (x0 + 100.0, y0 + 50.0, x1 - 200.0, y1 - 50.0) if rng.random() < 0.4 else None
        within = (x0 + 150.0, x1 - 100.0) if rng.random() < 0.4 else None
        spot = table.find(
            variant, 0, Wish(noise=5.0), rng, 4, within, bool(rng.random() < 0.5), window=window
        ).take(np.empty((0, 2)))
        if spot is None:
            continue
        counts[variant.index] -= 1
        turn = bank.turned(variant, spot.turn_deg)[2]
        assert within is None or (
            spot.x + turn[0] >= within[0] - 12.0 and spot.x + turn[2] <= within[1] + 12.0
        )
        assert window is None or (
            window[0] - 8 <= spot.x <= window[2] + 8 and window[1] - 8 <= spot.y <= window[3] + 8
        )
        n = 2 * counts[variant.index] + int(variant.mirrored) if variant.piece.pair else counts[variant.index]
        table.put(Lying(variant, n, spot))
    assert referee.broken(asked, write_lay(Lay(tuple(table.placements())))) == []
    # How far along pieces lie is known, whatever is taken up and put back.
    there = table.mark()
    while table.lying:
        assert table.extent() == _reach(table)
        table.take_up([int(rng.choice(list(table.lying)))])
    assert table.extent() is None
    table.back_to(there)
    assert table.extent() == (_reach(table) if table.lying else None)


def _reach(table: HideTable) -> tuple[float, float]:
    boxes = [table.box(slot) for slot in table.lying]
    return float(min(b[0] for b in boxes)), float(max(b[2] for b in boxes))


@pytest.mark.parametrize(("seed", "margin"), [(3, 12.0), (4, 0.0), (5, 12.0)])
def test_rolls_grown_at_random(seed: int, margin: float) -> None:
    rng = np.random.default_rng(seed)
    pieces = [
        {
            **piece(rng, k),
            "show_limit": 2,
            "max_tightness": 4,
            "thickness_mm": None,
            "value": 1.0,
            "splits": [],
            "hidden": [],
        }
        for k in range(4)
    ]
    roll = {"id": "L-1", "kind": "roll", "width": 480.0, "edge_margin": margin, "cost_per_m2": 9.0}
    asked = jobs.everything(hides=[roll], pieces=pieces, objective="order", gap=float(rng.choice([0.0, 2.0])))
    job = read_job(json.dumps(asked))
    lengths = []
    for steps in (1, 8):
        ticks = itertools.count()
        lay = lay_job(job, lambda ticks=ticks: float(next(ticks)), seconds=1e9, steps=steps)
        assert referee.broken(asked, write_lay(lay)) == [] and not lay.unplaced
        lengths.append(measure(job, lay).per_hide[0].length_mm)
    assert lengths[1] is not None and lengths[0] is not None and lengths[1] <= lengths[0] + 1e-6
