"""A lay asked otherwise, what no lay passes, which hides to open, and what a place on a hide is."""

from __future__ import annotations

import itertools
import json
from dataclasses import replace
from functools import cache
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely.geometry import Point, Polygon

from fairlay.core.bounds.most import most
from fairlay.core.bounds.runs import most_by_runs
from fairlay.core.engine import lay_job
from fairlay.core.errors import BadJob
from fairlay.core.formats.exchange import read_job, write_job, write_lay
from fairlay.core.hand.open_ground import HandTable
from fairlay.core.hand.spot import spot
from fairlay.core.lay import Job, Lay, broken_rules, measure
from fairlay.core.lay.again import job_again
from fairlay.core.lay.lane import lane_of, straps_in
from fairlay.core.lay.propose import Offered, propose
from fairlay.core.lay.what_if import (
    KINDS,
    Change,
    asked_often,
    carried,
    changed,
    eased,
    in_words,
    reckoned,
)
from fairlay.core.rules import Policy, fair_areas
from fairlay.core.shapes.placing import place_region
from tests import jobs, referee
from tests.effort import tried


def _job(values: dict[str, Any]) -> Job:
    return read_job(json.dumps(values), sizes_are_right=True)


def _laid(job: Job, steps: int = 2, start: Lay | None = None) -> Lay:
    clock = itertools.count()
    return lay_job(job, lambda: float(next(clock)), seconds=1e9, steps=steps, start=start)


@cache
def _small() -> tuple[Job, Lay]:
    """Two sides, everything in it, laid."""
    values = jobs.everything(gap=2.0, objective="order")
    values["hides"] = [*values["hides"], jobs.side("Q-2", cost_per_m2=60.0, flaws=[])]
    values["pieces"] = [
        *values["pieces"],
        jobs.piece("leg", jobs.rectangle(120, 40), 3, set="stool", per_set=1, max_tightness=3),
    ]
    values["pieces"][1]["splits"] = [
        {
            "id": "two",
            "penalty_m2": 0.01,
            "parts": [
                {"id": "a", "outline": jobs.rectangle(75, 90)},
                {"id": "b", "outline": jobs.rectangle(75, 90)},
            ],
        }
    ]
    job = _job(values)
    return job, _laid(job)


def _all_changes(job: Job) -> list[Change]:
    return [
        *eased(job),
        *asked_often(job),
        Change("gap", to=6.0),
        Change("grain", "local"),
        Change("marks", "back", 0),
        Change("looser", "vent", 1),
        Change("start", "either"),
        Change("lane", "Q-2", 0.0),
    ]


def test_every_rule_that_may_be_eased_is_offered_once_and_said_in_words() -> None:
    job, _ = _small()
    offered = [*eased(job), *asked_often(job)]
    assert len(set(offered)) == len(offered)
    assert {c.kind for c in offered} == set(KINDS) - {"way", "with"}
    words = [in_words(c, {"seat": "the seat", "stool": "Stool"}) for c in offered]
    assert len(set(words)) == len(words)
    assert "the seat bears surface marks" in words and "1 Stool fewer" in words
    assert "a knife, and cuts shared" in words and "laid from the tail" in words


@given(st.lists(st.integers(0, 60), min_size=1, max_size=4))
def test_what_of_a_lay_stands_under_another_job_is_fair_there(picks: list[int]) -> None:
    job, lay = _small()
    changes = _all_changes(job)
    chosen = list({c.kind + c.of: c for c in (changes[k % len(changes)] for k in picks)}.values())
    if sum(c.kind == "without" for c in chosen) > 1:
        return
    other = changed(job, chosen)
    kept = carried(other, lay)
    assert broken_rules(other, kept) == ()
    assert referee.broken(write_job(other), write_lay(kept)) == []
    assert {(p.piece, p.copy) for p in kept.placements} <= {(p.piece, p.copy) for p in lay.placements}
    assert _job(write_job(other)).hides[0].keep_end == other.hides[0].keep_end, "it is read back as it was"


@pytest.mark.parametrize(
    "change", [c for c in _all_changes(_small()[0]) if c.kind not in ("fewer", "gap")][:9]
)
def test_easing_a_rule_takes_nothing_up_and_never_costs(change: Change) -> None:
    job, lay = _small()
    other = changed(job, [change])
    kept = carried(other, lay)
    assert len(kept.placements) == len(lay.placements)
    assert reckoned(measure(other, kept), other, kept) == pytest.approx(reckoned(measure(job, lay), job, lay))


@pytest.mark.parametrize(
    ("change", "words"),
    [
        (Change("marks", "armrest", 2), "no piece armrest"),
        (Change("marks", "seat", 3), "0 to 2"),
        (Change("looser", "seat", 5), "1 to 4"),
        (Change("degrees", "seat", 400), "0 to 180"),
        (Change("gap", to=-1), "0 to"),
        (Change("grain", "sideways"), "backbone, local, free"),
        (Change("seam", "seat"), "no seam"),
        (Change("fewer", "stool", 9), "1 to 3"),
        (Change("fewer", "bench", 1), "stool"),
        (Change("without", "Q-9"), "no hide Q-9"),
        (Change("lane", "Q-9", 100), "no hide Q-9"),
        (Change("start", "belly"), "tail, neck or either"),
    ],
)
def test_what_cannot_be_asked_is_refused_with_what_can(change: Change, words: str) -> None:
    with pytest.raises(BadJob, match=words):
        changed(_small()[0], [change])


def test_without_its_only_hide_there_is_nothing_to_ask() -> None:
    with pytest.raises(BadJob, match="no leather"):
        changed(_job(jobs.everything()), [Change("without", "Q-1")])


def test_a_lane_is_for_straps_first_or_for_nobody_and_the_next_one_takes_its_place() -> None:
    job, _ = _small()
    assert straps_in(job.pieces) == ("strap",)
    first = changed(job, [Change("lane", to=90.0, way="first")])
    for hide in first.hides:
        lane = Polygon(hide.reserved[0].outline)
        assert hide.region.buffer(0.01).covers(lane)
        assert 70 < lane.bounds[3] - lane.bounds[1] < 90 + 90
    lay = _laid(first)
    lanes = {h.id: Polygon(h.reserved[0].outline).buffer(-0.2) for h in first.hides}
    for p in lay.placements:
        if p.piece != "strap":
            assert not place_region(job.pieces_by_id[p.piece].region, p.at).intersects(lanes[p.hide])
    last = changed(first, [Change("lane", to=120.0, way="last")])
    assert [len(h.reserved) for h in last.hides] == [1, 1] and not last.hides[0].reserved[0].pieces
    assert changed(last, [Change("lane", to=0.0)]).hides[0].reserved == ()
    assert lane_of(replace(job.hides[0], kind="whole"), 100.0)[0][:, 1].mean() > 100


def test_an_end_that_is_to_be_kept_is_kept() -> None:
    values = jobs.everything(objective="order")
    values["hides"] = [jobs.side(flaws=[], zones=[], outline=jobs.rectangle(1500, 600))]
    for end, other in (("tail", "neck"), ("neck", "tail")):
        job = changed(_job(values), [Change("start", end)])
        measured = measure(job, _laid(job, 4)).per_hide[0]
        assert measured.remnant_end == other and measured.remnant_m2 > 0.3


def test_more_of_some_pieces_alone_is_laid_around_what_lies() -> None:
    job, lay = _small()
    kept = tuple(p for p in lay.placements if p.piece not in ("washer", "palm"))
    start = Lay(kept)
    pins = [(p.piece, p.copy) for p in kept]
    more = _laid(job_again(job, start, pinned=pins, pieces=["washer"]), start=start)
    assert set(kept) <= set(more.placements)
    assert {p.piece for p in more.placements if p not in set(kept)} == {"washer"}
    with pytest.raises(BadJob, match="no piece rivet"):
        job_again(job, start, pieces=["rivet"])


@settings(max_examples=tried(20, 400))
@given(st.integers(0, 10_000))
def test_no_lay_passes_what_is_said_that_none_can(seed: int) -> None:
    rng = np.random.default_rng(seed)
    values = jobs.everything(objective="order" if seed % 2 else "fill", seed=seed)
    values["hides"] = [
        jobs.side(f"Q-{k}", cost_per_m2=float(rng.integers(20, 120))) for k in range(rng.integers(1, 4))
    ]
    if seed % 3 == 0:
        values["hides"][0]["outline"] = jobs.rectangle(float(rng.uniform(900, 2000)), 500.0)
    job = _job(values)
    lay, bound = _laid(job, 1), most(job)
    figures = measure(job, lay)
    if figures.placed == figures.wanted:
        assert figures.used_m2 >= bound.least_used_m2 - 1e-9
        assert figures.cost >= bound.least_cost - 1e-6 and bound.short_m2 == 0
        assert figures.yield_of_used <= bound.yield_of_used + 1e-9
    assert 0 < bound.yield_of_used <= 1


def test_leather_that_is_too_little_is_said_so_by_area() -> None:
    values = jobs.everything(objective="order")
    values["pieces"][0]["quantity"] = 40
    assert most(_job(values)).short_m2 > 0.3


def test_the_hides_proposed_are_the_cheapest_that_are_thought_enough() -> None:
    job = _job(jobs.everything())
    fair = fair_areas(job.pieces, job.hides[0], Policy())
    half = {k: v / 2 for k, v in fair.items()}
    dear, cheap, scrap = Offered(1, 30.0, fair), Offered(2, 20.0, fair), Offered(3, 2.0, half)
    found = propose(job.pieces, [dear, cheap, scrap])
    assert found.enough and 1 not in found.holds
    wanted = sum(p.area_mm2 * p.quantity for p in job.pieces) / 1e6
    assert sum(found.holds.values()) == pytest.approx(wanted, rel=0.3)
    assert 1 in propose(job.pieces, [dear, cheap, scrap], fixed=[1]).holds
    many = [replace(p, quantity=60 * p.quantity) for p in job.pieces]
    short = propose(many, [dear, cheap, scrap])
    assert not short.enough and set(short.holds) == {1, 2, 3}
    chair = [replace(p, set_name="chair", per_set=p.quantity // 2) for p in job.pieces if p.quantity % 2 == 0]
    assert propose(chair, [cheap, dear], match_sets=["chair"]).enough
    sixth = {k: v / 6 for k, v in fair.items()}
    apart = propose(chair, [Offered(k, 3.0, sixth) for k in range(24)], match_sets=["chair"])
    assert not apart.enough, "much leather, and no whole set on any of it"
    assert propose([], [dear]).enough and not propose(job.pieces, []).enough


@settings(max_examples=tried(20, 400))
@given(st.integers(0, 10_000))
def test_no_hide_holds_more_straps_than_its_runs_allow(seed: int) -> None:
    rng = np.random.default_rng(seed)
    length, tolerance = float(rng.uniform(260, 620)), float(rng.uniform(0, 12))
    values = jobs.everything(objective="fill", gap=0.0)
    strap = jobs.piece("strap", jobs.rectangle(length, 30), 30, max_tightness=int(rng.integers(1, 4)))
    strap["grain"] = {"axis_deg": 0.0, "tolerance_deg": tolerance, "reversible": True}
    values["pieces"] = [strap]
    job = _job(values)
    at_most = most_by_runs(job.pieces[0], job.hides[0], job.policy)
    assert at_most is not None and len(_laid(job, 1).placements) <= at_most
    assert most_by_runs(job.pieces[0], job.hides[0], Policy(grain_school="free")) is None


def test_a_hide_without_a_run_long_enough_holds_no_strap_whatever_its_area() -> None:
    values = jobs.everything()
    level = {"axis_deg": 0.0, "tolerance_deg": 2.0, "reversible": True}
    values["pieces"] = [jobs.piece("sling", jobs.rectangle(500, 40), 3, grain=level)]
    torn = [[370, -5], [430, -5], [430, 500], [370, 500]]
    values["hides"] = [jobs.side(flaws=[{"kind": "flay cut", "severity": 3, "outline": torn}])]
    job = _job(values)
    assert most_by_runs(job.pieces[0], job.hides[0], job.policy) == 0


@pytest.mark.parametrize("seed", range(tried(3, 40)))
def test_a_bare_place_tells_its_gap_and_what_truly_fits(seed: int) -> None:
    job, lay = _small()
    rng = np.random.default_rng(seed)
    taken = lay.placements[int(rng.integers(len(lay.placements)))]
    lying = [p for p in lay.placements if p != taken]
    hide = job.hides_by_id[taken.hide]
    at = place_region(job.pieces_by_id[taken.piece].region, taken.at).representative_point()
    told = spot(HandTable(job, hide), (at.x, at.y), lying, [job.pieces_by_id[taken.piece]])
    assert told.ground.buffer(0.1).intersects(Point(at.x, at.y)) and told.widest_mm > 5
    for fit in told.fits:
        if fit.at is not None:
            assert broken_rules(job, Lay((*lying, replace(fit.at, copy=taken.copy)))) == ()
        else:
            assert fit.sentence


def test_a_place_off_the_leather_on_a_flaw_and_under_a_piece_says_so() -> None:
    job, lay = _small()
    table = HandTable(job, job.hides_by_id["Q-1"])
    assert spot(table, (-50, -50), [], []).sentences == ("this is not on the leather",)
    hole = spot(table, (340, 180), [], list(job.pieces))
    assert any("hole, unsound" in s for s in hole.sentences) and hole.ground.is_empty
    here = replace(lay.placements[0], hide="Q-1")
    at = place_region(job.pieces_by_id[here.piece].region, here.at).representative_point()
    assert f"{{{here.piece}}}" in spot(table, (at.x, at.y), [here], []).sentences[0]
