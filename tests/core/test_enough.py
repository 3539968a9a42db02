"""What leather cannot give, told before anything is laid: bounds that no lay passes."""

from __future__ import annotations

import itertools
import json
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from fairlay.core.bounds.enough import shortages
from fairlay.core.engine import lay_job
from fairlay.core.formats.exchange import read_job
from fairlay.core.rules import fair_areas
from tests import jobs
from tests.core.test_random_jobs import grown
from tests.effort import tried


def said(values: dict[str, Any]) -> tuple[str, ...]:
    job = read_job(json.dumps(values), sizes_are_right=True)
    fair = [fair_areas(job.pieces, hide, job.policy) for hide in job.hides]
    return shortages(job.pieces, {p.id: p.id.capitalize() for p in job.pieces}, fair)


STRAP = jobs.rectangle(300, 60)


@pytest.mark.parametrize(
    ("piece", "hides", "says"),
    [
        (jobs.piece("strap", STRAP, 2, max_tightness=1), 1, []),
        (
            jobs.piece("strap", STRAP, 16, max_tightness=1),
            1,
            ["5 Strap at most fit the tight leather here, 16 wanted"],
        ),
        (jobs.piece("strap", STRAP, 10, max_tightness=1), 2, []),
        (jobs.piece("strap", STRAP, 16, max_tightness=1, filler=True), 1, []),
        (
            jobs.piece("cap", jobs.square(0, 0, 40), 900, max_tightness=3),
            1,
            ["loose or tighter leather here, 900 wanted"],
        ),
        (
            jobs.piece("cap", jobs.square(0, 0, 40), 9, thickness_mm=[4.0, 5.0]),
            1,
            ["0 Cap at most fit the leather of 4 to 5 mm here, 9 wanted"],
        ),
        (jobs.piece("sheet", jobs.rectangle(790, 480), 1), 1, ["0 Sheet at most fit the leather here"]),
    ],
)
def test_a_piece_that_cannot_all_be_cut_is_named(piece: dict[str, Any], hides: int, says: list[str]) -> None:
    read = [{"x": 100, "y": 60, "mm": 2.4}]
    own = [jobs.side(f"Q-{n}", thickness=read) for n in range(hides)]
    told = said(jobs.everything(hides=own, pieces=[piece]))
    assert len(told) >= len(says) and all(any(s in t for t in told) for s in says)
    assert bool(told) == bool(says)


def test_pieces_that_together_want_more_tight_leather_than_there_is_are_told() -> None:
    straps = [jobs.piece(f"strap{n}", STRAP, 3, max_tightness=1) for n in range(4)]
    told = said(jobs.everything(pieces=straps))
    assert len(told) == 1 and "pieces that need tight leather take 0.22 m2" in told[0]


@settings(max_examples=tried(10, 150), deadline=None)
@given(st.integers(0, 10**6))
def test_what_was_laid_is_never_said_to_be_too_much(seed: int) -> None:
    """What lay is asked for again: nothing may be said to be short of it."""
    values = grown(seed, 2, "fill")
    for piece in values["pieces"]:
        piece.pop("splits", None)
    for hide in values["hides"]:
        hide["reserved"] = []  # as on every hide of the rack
    job = read_job(json.dumps(values), sizes_are_right=True)
    ticks = itertools.count()
    counts = lay_job(job, lambda: float(next(ticks)), seconds=1e9, steps=2).counts(job)
    laid = [{**p, "quantity": counts[p["id"]], "pair": False} for p in values["pieces"] if counts[p["id"]]]
    if laid:
        assert said({**values, "pieces": laid}) == ()
