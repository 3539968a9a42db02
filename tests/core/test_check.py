"""Lays broken on purpose, one rule at a time: the product and the referee must both see it, and call it by
the same name.
"""

from __future__ import annotations

import copy
import itertools
import json
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from fairlay.core.engine import lay_job
from fairlay.core.formats.exchange import read_job, read_lay, write_lay
from fairlay.core.lay import broken_rules
from tests import jobs, referee
from tests.effort import tried


@pytest.fixture(scope="module")
def fair() -> tuple[dict[str, Any], dict[str, Any]]:
    return _laid(jobs.everything())


def _laid(job: dict[str, Any]) -> tuple[dict[str, Any], dict[str, Any]]:
    ticks = itertools.count()
    lay = write_lay(lay_job(read_job(json.dumps(job)), lambda: float(next(ticks)), seconds=1e9, steps=1))
    assert referee.broken(job, lay) == []
    return job, lay


def _seen(job: dict[str, Any], lay: dict[str, Any]) -> tuple[set[str], set[str]]:
    own = {b.rule for b in broken_rules(read_job(json.dumps(job)), read_lay(json.dumps(lay)))}
    return own, {rule for rule, _ in referee.broken(job, lay)}


@pytest.mark.parametrize(
    ("rule", "name", "to"),
    [
        ("edge", "washer", {"x": -6.0, "y": 100.0, "rotation_deg": 0.0}),
        ("unsound flaw", "washer", {"x": 335.0, "y": 175.0, "rotation_deg": 0.0}),
        ("show face", "seat", {"x": 230.0, "y": 40.0, "rotation_deg": 0.0}),
        ("show face", "back", {"x": 115.0, "y": 80.0, "rotation_deg": 0.0}),
        ("tightness", "seat", {"x": 400.0, "y": 40.0, "rotation_deg": 0.0}),
        ("thickness", "seat", {"x": 330.0, "y": 290.0, "rotation_deg": 0.0}),
        ("grain", "back", {"x": 60.0, "y": 30.0, "rotation_deg": 14.0}),
        ("reserved", "back", {"x": 590.0, "y": 60.0, "rotation_deg": 0.0}),
        ("reserved", "washer", {"x": 700.0, "y": 130.0, "rotation_deg": 0.0}),
    ],
)
def test_each_rule_of_place_is_seen(fair: tuple, rule: str, name: str, to: dict[str, Any]) -> None:
    job, lay = fair
    if rule == "reserved":
        job = copy.deepcopy(job)
        job["hides"][0]["reserved"] = [
            {"outline": jobs.square(700, 60, 40), "for": ["seat"]},
            {"outline": jobs.square(700, 120, 40), "for": []},
        ]
        job["hides"][0]["zones"] = []
    bad = copy.deepcopy(lay)
    target = next(p for p in bad["placements"] if p["piece"] == name)
    target.update(to, mirrored=False)
    bad["placements"] = [target]
    own, theirs = _seen(job, bad)
    assert rule in own and rule in theirs
    assert own == theirs


def test_pieces_too_near_are_seen(fair: tuple) -> None:
    job, _ = fair
    for apart, wrong in ((1.0, False), (0.9, False), (0.7, True), (-0.5, True)):
        two = [
            {
                "piece": "washer",
                "copy": k,
                "hide": "Q-1",
                "x": 300.0 + k * (16.0 + apart),
                "y": 100.0,
                "rotation_deg": 0.0,
                "mirrored": False,
            }
            for k in range(2)
        ]
        own, theirs = _seen(job, {"format": "fairlay.lay/1", "placements": two})
        assert own == theirs == ({"gap"} if wrong else set()), apart


@pytest.mark.parametrize(
    ("gaps", "wanted"),
    [
        ((None, None), 1.0),
        ((3.0, None), 3.0),
        ((None, 3.0), 3.0),
        ((0.0, None), 1.0),
        ((0.0, 0.0), 0.0),
        ((2.0, 5.0), 5.0),
    ],
)
def test_between_two_pieces_the_larger_of_their_gaps_holds(
    fair: tuple, gaps: tuple[float | None, float | None], wanted: float
) -> None:
    job = copy.deepcopy(fair[0])
    job["pieces"] = [
        jobs.piece(name, jobs.rectangle(40, 30), 1, **({} if gap is None else {"gap": gap}))
        for name, gap in zip(("tab", "flap"), gaps, strict=True)
    ]
    for apart, wrong in ((wanted, False), (wanted - 0.3, True)):
        two = [
            {"piece": name, "copy": 0, "hide": "Q-1", "x": x, "y": 60.0, "rotation_deg": 0.0}
            for name, x in (("tab", 420.0), ("flap", 460.0 + apart))
        ]
        own, theirs = _seen(job, {"format": "fairlay.lay/1", "placements": two})
        assert own == theirs == ({"gap"} if wrong else set()), apart


@pytest.mark.parametrize("what", ["twice", "too many", "mirrored", "hands", "unknown piece", "unknown hide"])
def test_wrong_counts_are_seen(fair: tuple, what: str) -> None:
    job, lay = copy.deepcopy(fair)
    washers = [p for p in lay["placements"] if p["piece"] == "washer"]
    if what == "twice":
        washers[1]["copy"] = washers[0]["copy"]
    elif what == "too many":
        job["pieces"][-1]["quantity"] = 1
    elif what == "mirrored":
        washers[0]["mirrored"] = True
    elif what == "hands":
        palm = next(p for p in job["pieces"] if p["id"] == "palm")
        palm["quantity"] = 2
        for p in lay["placements"]:
            if p["piece"] == "palm":
                p["mirrored"] = False
    elif what == "unknown piece":
        washers[0]["piece"] = "saddle"
    else:
        washers[0]["hide"] = "Q-9"
    own, theirs = _seen(job, lay)
    assert own and theirs and own & theirs


def test_a_moved_fixed_piece_and_a_spread_set_are_seen(fair: tuple) -> None:
    job, lay = copy.deepcopy(fair)
    job["fixed"] = [copy.deepcopy(lay["placements"][0])]
    assert _seen(job, lay) == (set(), set())
    lay["placements"][0]["x"] += 0.02
    assert all("fixed" in found for found in _seen(job, lay))
    job, lay = _laid(jobs.sets(1))
    next(p for p in lay["placements"] if p["piece"] == "cap").update(
        hide="Q-1" if lay["placements"][0]["hide"] == "Q-2" else "Q-2"
    )
    assert all("match sets" in found for found in _seen(job, lay))


def test_half_a_split_is_seen() -> None:
    job = jobs.everything(
        pieces=[
            jobs.piece(
                "long",
                jobs.rectangle(700, 300),
                1,
                splits=[
                    {
                        "id": "two",
                        "penalty_m2": 0.01,
                        "parts": [{"id": k, "outline": jobs.rectangle(200, 120)} for k in "ab"],
                    }
                ],
            )
        ]
    )
    job, lay = _laid(job)
    assert {p["piece"] for p in lay["placements"]} == {"long~two.a", "long~two.b"}
    lay["placements"].pop()
    assert all("split" in found for found in _seen(job, lay))


@settings(max_examples=tried(24, 600), suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.data())
def test_product_and_referee_agree_on_any_disturbance(fair: tuple, data: st.DataObject) -> None:
    job, lay = copy.deepcopy(fair)
    target = data.draw(st.sampled_from(lay["placements"]))
    target["x"] = round(target["x"] + data.draw(st.floats(-40, 40)), 3)
    target["y"] = round(target["y"] + data.draw(st.floats(-40, 40)), 3)
    target["rotation_deg"] = round(target["rotation_deg"] + data.draw(st.sampled_from([0, 0, 4, 11, 90])), 3)
    own, theirs = _seen(job, lay)
    assert own == theirs
