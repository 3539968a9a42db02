"""Proofs that a piece has no place: never where one was found, and where there plainly is none."""

from __future__ import annotations

import itertools
import json
from typing import Any

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from fairlay.core.bounds.bound import bound
from fairlay.core.bounds.room import room_for
from fairlay.core.engine import lay_job
from fairlay.core.engine.bank import build_bank
from fairlay.core.engine.layer import Lying
from fairlay.core.engine.table import HideTable, Wish
from fairlay.core.formats.exchange import read_job
from fairlay.core.lay import measure
from tests import jobs
from tests.effort import tried


def alone(outline: list[list[float]], hide: dict[str, Any] | None = None, **needs: Any) -> Any:
    piece = jobs.piece("panel", outline, 40, **needs)
    return read_job(
        json.dumps(jobs.everything(gap=0.0, hides=[hide or jobs.side()], pieces=[piece])),
        sizes_are_right=True,
    )


@pytest.mark.parametrize(
    ("long", "wide", "tolerance", "most"),
    [
        (102.5, 60, 0, 0),
        (99.9, 60, 0, 1),
        (103, 60, 8, 0),
        (104, 10, 12, 0),
        (102, 10, 20, 1),
        (70, 60, 5, 1),
        (45, 60, 5, 2),
    ],
)
def test_a_rectangle_in_a_rectangle(long: float, wide: float, tolerance: float, most: int) -> None:
    hide = {"id": "Q", "kind": "offcut", "outline": jobs.rectangle(100, 80), "edge_margin": 0.0}
    job = alone(jobs.rectangle(long, wide), hide, grain={"axis_deg": 0, "tolerance_deg": tolerance})
    room = room_for(job, job.pieces[0], job.hides[0])
    assert (room.most == 0) == (most == 0) and room.most >= most


def test_flaws_inside_leave_no_place() -> None:
    hole = {"kind": "hole", "severity": 3, "outline": jobs.square(45, 35, 10)}
    hide = {
        "id": "Q",
        "kind": "offcut",
        "outline": jobs.rectangle(100, 80),
        "edge_margin": 0.0,
        "flaws": [hole],
    }
    job = alone(jobs.rectangle(60, 50), hide, grain={"axis_deg": 0, "tolerance_deg": 10})
    assert room_for(job, job.pieces[0], job.hides[0]).most == 0
    ring = alone(
        jobs.rectangle(90, 70),
        hide,
        holes=[jobs.square(30, 20, 30)],
        grain={"axis_deg": 0, "tolerance_deg": 10},
    )
    assert room_for(ring, ring.pieces[0], ring.hides[0]).most >= 1


@settings(max_examples=tried(2, 60), suppress_health_check=[HealthCheck.too_slow])
@given(st.data())
def test_no_place_that_the_engine_finds_is_denied(data: st.DataObject) -> None:
    long, wide = data.draw(st.floats(60, 420)), data.draw(st.floats(30, 260))
    outline = [[0, 0], [long, 0], [long, wide], [long * 0.6, wide], [long * 0.5, wide * 0.6], [0, wide]]
    needs = {
        "max_tightness": data.draw(st.integers(1, 4)),
        "show_limit": data.draw(st.integers(0, 2)),
        "grain": {"axis_deg": 0, "tolerance_deg": data.draw(st.sampled_from([0, 6, 25]))},
    }
    if data.draw(st.booleans()):
        needs["hidden"] = [[[2, 2], [long * 0.4, 2], [long * 0.4, wide * 0.5], [2, wide * 0.5]]]
    job = alone(outline, **needs)
    bank = build_bank(job)
    table = HideTable(job, job.hides[0], bank, 40)
    rng = np.random.default_rng(0)
    while (
        len(table.lying) < 40
        and (spot := table.find(bank.variants[0], 0, Wish(), rng, tries=4000).take(np.empty((0, 2))))
        is not None
    ):
        table.put(Lying(bank.variants[0], len(table.lying), spot))
    assert room_for(job, job.pieces[0], job.hides[0]).most >= len(table.lying)


@pytest.mark.parametrize("asked", [jobs.everything(grain_school="local"), jobs.sets(4, match_sets=[])])
def test_no_lay_exceeds_its_bound(asked: dict[str, Any]) -> None:
    job = read_job(json.dumps(asked))
    ticks = itertools.count()
    lay = lay_job(job, lambda: float(next(ticks)), seconds=1e9, steps=3)
    most, found, counts = bound(job), measure(job, lay), lay.counts(job)
    assert all(counts[piece] <= most.copies[piece] for piece in most.copies)
    assert found.fill <= most.fill + 1e-9 <= 1.5 + 1e-9
    assert all(found.sets[name] <= most.sets[name] for name in found.sets)


def test_a_bound_of_nothing() -> None:
    job = alone(jobs.rectangle(700, 300), max_tightness=1)
    assert bound(job).copies == {"panel": 0} and bound(job).fill == 0.0
