"""What leather can be shared out to: no more than bears a piece, for no less than it costs."""

from __future__ import annotations

import itertools
import json
from typing import Any

import pytest

from fairlay.core.bounds.bound import bound
from fairlay.core.engine import lay_job
from fairlay.core.formats.exchange import read_job
from fairlay.core.lay import Job, measure
from tests import jobs

HALVES = {
    "id": "H",
    "kind": "side",
    "outline": jobs.square(0, 0, 1000),
    "edge_margin": 0.0,
    "cost_per_m2": 50.0,
    "zones": [
        {"outline": jobs.square(0, 0, 1000), "tightness": 4, "stretch_deg": 90.0},
        {"outline": jobs.rectangle(500, 1000), "tightness": 1, "stretch_deg": 90.0},
    ],
}


def job_of(pieces: list[dict[str, Any]], **changed: Any) -> Job:
    asked = {"gap": 0.0, "hides": [HALVES], "pieces": pieces, **changed}
    return read_job(json.dumps(jobs.everything(**asked)), sizes_are_right=True)


def tight(quantity: int, **more: Any) -> dict[str, Any]:
    return jobs.piece("tight", jobs.square(0, 0, 100), quantity, max_tightness=1, **more)


def loose(quantity: int, **more: Any) -> dict[str, Any]:
    return jobs.piece("loose", jobs.square(0, 0, 100), quantity, **more)


@pytest.mark.parametrize(
    ("pieces", "fill"),
    [
        ([tight(90)], 0.5),
        ([tight(30)], 0.3),
        ([tight(90), loose(90)], 1.0),
        ([tight(90), loose(20)], 0.7),
        ([tight(90, value=2.0), loose(90)], 1.5),
    ],
)
def test_tight_pieces_share_tight_leather(pieces: list[dict[str, Any]], fill: float) -> None:
    most = bound(job_of(pieces), by_room=False)
    assert most.fill == pytest.approx(fill, abs=0.002)


def test_sets_are_as_many_as_their_scarcest_leather_makes() -> None:
    chair = {"set": "chair", "per_set": 10}
    alone = job_of([tight(200, **chair), loose(200, set="chair", per_set=1)], objective="sets")
    assert bound(alone, by_room=False).sets == {"chair": 5}
    stool = loose(200, set="stool", per_set=10)
    mixed = bound(job_of([tight(200, **chair), stool], objective="sets"), by_room=False)
    assert mixed.sets == {"chair": 5, "stool": 10} and mixed.all_sets == 10


def test_an_order_costs_no_less_than_it_is_said_to() -> None:
    dear = {**HALVES, "id": "D", "cost_per_m2": 200.0}
    job = job_of([tight(12), loose(30)], hides=[dear, HALVES], objective="order")
    ticks = itertools.count()
    lay = lay_job(job, lambda: float(next(ticks)), seconds=1e9, steps=3)
    least, found = bound(job, by_room=False).cost, measure(job, lay).cost
    assert least is not None and not lay.unplaced
    assert 0.42 * 50.0 - 1e-6 <= least <= found
    assert bound(job_of([tight(120)], hides=[dear, HALVES], objective="order"), by_room=False).cost is None


def test_a_straight_cut_takes_the_loose_leather_with_the_tight() -> None:
    across = {
        **HALVES,
        "zones": [
            {"outline": jobs.square(0, 0, 1000), "tightness": 4, "stretch_deg": 90.0},
            {"outline": jobs.rectangle(1000, 500), "tightness": 1, "stretch_deg": 90.0},
        ],
    }
    along = bound(job_of([tight(30)], objective="order"), by_room=False).cost
    beside = bound(job_of([tight(30)], hides=[across], objective="order"), by_room=False).cost
    assert along is not None and beside is not None
    assert beside == pytest.approx(2 * along, rel=0.15)
