"""Orders over several hides: what a hide costs, sets chosen together, fillers that cost nothing, hides left
alone, pieces pinned.
"""

from __future__ import annotations

import itertools
import json
from dataclasses import replace
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely.geometry import box

from fairlay.core.engine import lay_job
from fairlay.core.engine.bank import build_bank
from fairlay.core.engine.columns import Column, Columns
from fairlay.core.engine.cut import EVERYWHERE, Cut
from fairlay.core.engine.reasons import tables_of
from fairlay.core.engine.share import Share
from fairlay.core.engine.table import HideTable
from fairlay.core.errors import BadJob
from fairlay.core.formats.exchange import read_job, write_job, write_lay
from fairlay.core.lay import Job, Lay, Placement, measure
from fairlay.core.lay.again import job_again
from fairlay.core.lay.measures import worth
from fairlay.core.lay.rack import FOR_NOTHING, End, Ends, RackWorth
from fairlay.core.shapes.placing import Placing
from fairlay.core.shapes.rings import common
from fairlay.core.tolerances import REMNANT_MIN_M2
from tests import jobs, referee
from tests.effort import tried

LONG = jobs.rectangle(1500, 420)


def order(count: int = 4, **changed: Any) -> dict[str, Any]:
    """Stools and tabs on three offcuts of different price, long enough for an end to be worth racking."""
    hides = [
        {"id": f"Q-{k}", "kind": "offcut", "outline": LONG, "edge_margin": 3.0, "cost_per_m2": price}
        for k, price in enumerate((100.0, 80.0, 90.0))
    ]
    pieces = [
        *jobs.sets(count)["pieces"],
        jobs.piece("tab", jobs.rectangle(80, 45), 40, grain={"axis_deg": 0, "tolerance_deg": 90}),
    ]
    return jobs.sets(count, objective="order", hides=hides, pieces=pieces, **changed)


def laid(asked: dict[str, Any], steps: int, **more: Any) -> tuple[Job, Lay]:
    ticks = itertools.count()
    job = read_job(json.dumps(asked))
    lay = lay_job(job, lambda: float(next(ticks)), seconds=1e9, steps=steps, **more)
    assert referee.broken(asked, write_lay(lay)) == []
    return job, lay


@pytest.fixture(scope="module")
def tables() -> tuple[Job, list[HideTable]]:
    job = read_job(json.dumps(order()))
    bank = build_bank(job)
    return job, [HideTable(job, hide, bank, 60) for hide in job.hides]


@settings(max_examples=tried(16, 600))
@given(st.floats(0, 1500), st.floats(0, 1500))
def test_what_a_hide_costs_is_what_the_measure_says(
    tables: tuple[Job, list[HideTable]], a: float, b: float
) -> None:
    job, own = tables
    cut, hide, (lo, hi) = Cut(own[0]), job.hides[0], sorted((a, b))
    kept, beyond = hide.end_kept_mm2(lo, hi)
    assert max(cut.kept_m2(lo, hi)) == pytest.approx(kept / 1e6, abs=1e-5)
    racked = kept / 1e6 if kept / 1e6 >= 0.2 else 0.0
    if abs(kept / 1e6 - 0.2) > 1e-4:
        nearly = FOR_NOTHING * cut.ends.larger(lo, hi).uncounted_m2
        assert cut.cost((lo, hi)) == pytest.approx(100.0 * (0.63 - racked - nearly), abs=1.1e-3)
        free = cut.free_span((lo, hi))
        assert free == (EVERYWHERE if not racked else (EVERYWHERE[0], hi) if beyond else (lo, EVERYWHERE[1]))
    assert cut.cost(None) == 0.0 and cut.free_span(None) is None


@settings(max_examples=tried(10, 400))
@given(st.lists(st.integers(0, 3), min_size=3, max_size=3), st.integers(1, 7))
def test_columns_are_chosen_on_the_least_leather(
    tables: tuple[Job, list[HideTable]], most: list[int], wanted: int
) -> None:
    job, own = tables
    columns = Columns(
        "stool",
        [p for p in job.pieces if p.set_name],
        build_bank(job),
        own,
        np.random.default_rng(1),
        lambda: False,
    )
    columns.sets = wanted
    columns.known = [{k: [Column(k, ())] for k in range(1, n + 1)} for n in most]
    chosen = columns.choose([Cut(t) for t in own])
    assert sum(chosen) == min(wanted, sum(most)) and all(c <= n for c, n in zip(chosen, most, strict=True))
    fewest = min(
        (
            len(s)
            for r in range(4)
            for s in itertools.combinations(range(3), r)
            if sum(most[h] for h in s) >= sum(chosen)
        ),
        default=0,
    )
    assert sum(1 for c in chosen if c) == fewest


def test_ends_are_drawn_in_over_several_hides_with_sets_whole() -> None:
    asked = order(5)
    job, lay = laid(asked, 1)
    bank = build_bank(job)
    own = tables_of(job, bank, lay, spare=True)
    share = Share(job, bank, own, np.random.default_rng(2), lambda: False)
    before, placed = share.cost(), sorted((p.piece, p.copy) for p in lay.placements)
    for _ in range(90):
        cost = share.cost()
        share._draw_in([h for h, t in enumerate(own) if t.lying])
        assert share.cost() <= cost + 1e-9
        if share.cost() < before - 1e-9:
            break
    after = Lay(tuple(p for t in own for p in t.placements()))
    assert share.cost() < before
    assert sorted((p.piece, p.copy) for p in after.placements) == placed and share.missing() == 0
    assert referee.broken(asked, write_lay(after)) == []
    homes = {
        (lying.variant.piece.set_name, lying.copy // lying.variant.piece.per_set): h
        for h, table in enumerate(own)
        for lying in table.lying.values()
        if lying.variant.piece.set_name in job.match_sets
    }
    assert homes == share.home


def test_an_order_gets_cheaper_and_loses_nothing() -> None:
    asked = order()
    first, later = laid(asked, 1), laid(asked, 14)
    assert not later[1].unplaced
    assert measure(*later).cost <= measure(*first).cost
    assert measure(*later).hides_used <= 2


def test_every_step_of_sharing_keeps_the_rules_and_every_copy() -> None:
    asked = order(3)
    job, lay = laid(asked, 1)
    bank = build_bank(job)
    share = Share(
        job,
        bank,
        [HideTable(job, hide, bank, 200) for hide in job.hides],
        np.random.default_rng(5),
        lambda: False,
    )
    share.load(lay.placements)
    assert share.missing() == 0 and share.cost() == pytest.approx(measure(job, lay).cost, abs=0.01)
    total = sum(p.quantity for p in job.pieces)
    for k in range(25):
        before = share.cost()
        kept = share.improve(0.0)
        now = Lay(tuple(p for t in share.tables for p in t.placements()))
        assert referee.broken(asked, write_lay(now)) == []
        assert len(now.placements) + share.missing() == total and share.missing() == 0, k
        assert share.cost() <= before + 1e-6 or not kept


def test_a_piece_of_a_set_that_lies_far_out_is_drawn_back_on_its_own_hide() -> None:
    job, lay = laid(order(1), 1)
    bank = build_bank(job)
    own = [HideTable(job, hide, bank, 60) for hide in job.hides]
    share = Share(job, bank, own, np.random.default_rng(5), lambda: False)
    of_set = [p for p in lay.placements if job.pieces_by_id[p.piece].set_name]
    cap = next(p for p in of_set if p.piece == "cap")
    rest = [p for p in of_set if p is not cap]
    moved = [*rest, replace(cap, at=Placing(1400.0, 200.0, cap.at.rotation_deg))]
    share.load(moved)
    ((key, h),) = share.home.items()
    assert share._draw_back(h, None, everything=False) is None, "held by its set, as it was"
    span, staying = None, []
    while [li.copy for _, li in staying if li.variant.piece.id == "cap"] != [cap.copy] or len(staying) > 1:
        share.load(moved)
        staying.clear()
        span = share._draw_back(h, staying, everything=False)
    assert span is not None and span[1] < 1100 and share._stay(staying, {h: span})
    extent, tabs = own[h].extent(), share.pool.left()
    assert extent is not None and extent[1] <= span[1] + 0.1
    assert share.home == {key: h} and share.missing() == tabs
    now = Lay(tuple(p for t in own for p in t.placements()))
    assert sorted((p.piece, p.copy) for p in now.placements) == sorted((p.piece, p.copy) for p in of_set)
    assert referee.broken(order(1), write_lay(now)) == []
    assert not share._stay([(h, next(iter(own[h].lying.values())))], {h: (1e9, -1e9)})
    assert share.missing() > tabs, "a set that does not come from its hide is not made"


def test_fillers_never_cost_leather() -> None:
    asked = order(2)
    plain = measure(*laid(asked, 6))
    asked["pieces"].append(jobs.piece("washer", jobs.square(0, 0, 20), 30, filler=True))
    filled = measure(*laid(asked, 6))
    assert filled.fillers == 30 and filled.cost <= plain.cost * 1.02


def test_a_set_of_nothing_but_fillers_is_no_set_to_find_hides_for() -> None:
    washers = jobs.piece("washer", jobs.square(0, 0, 20), 12, filler=True, set="rivets", per_set=4)
    asked = order(2, match_sets=["stool", "rivets"])
    asked["pieces"].append(washers)
    filled = measure(*laid(asked, 6))
    assert filled.sets["stool"] == 2 and filled.fillers == 12


def test_one_hide_is_laid_again_and_the_others_are_left() -> None:
    job, lay = laid(order(), 2)
    used = sorted({p.hide for p in lay.placements})
    again = job_again(job, lay, only=[used[0]])
    ticks = itertools.count()
    better = lay_job(again, lambda: float(next(ticks)), seconds=1e9, steps=6, start=lay)
    assert {p for p in better.placements if p.hide != used[0]} == {
        p for p in lay.placements if p.hide != used[0]
    }
    assert worth(job, measure(job, better)) >= worth(job, measure(job, lay))
    assert referee.broken(order(), write_lay(better)) == []


def test_what_is_pinned_stays_and_the_rest_is_laid_around_it() -> None:
    job, lay = laid(order(), 1)
    pinned = [(p.piece, p.copy) for p in lay.placements if p.piece == "tab"][:3]
    ticks = itertools.count()
    better = lay_job(
        job_again(job, lay, pinned=pinned), lambda: float(next(ticks)), seconds=1e9, steps=6, start=lay
    )
    at = {(p.piece, p.copy): p for p in better.placements}
    assert all(at[key] == next(p for p in lay.placements if (p.piece, p.copy) == key) for key in pinned)
    with pytest.raises(BadJob, match="no hide Q-9"):
        job_again(job, lay, only=["Q-9"])
    with pytest.raises(BadJob, match="tab number 100 is pinned but does not lie"):
        job_again(job, lay, pinned=[("tab", 99)])


@settings(max_examples=tried(30, 600), deadline=None)
@given(
    ends=st.tuples(st.floats(0, 800), st.floats(0, 800)),
    run=st.floats(0, 40),
    classes=st.tuples(*[st.floats(0.05, 1)] * 4),
    keep=st.sampled_from([None, "tail", "neck"]),
)
def test_an_end_on_the_rack_is_worth_what_lies_in_it(
    ends: tuple[float, float], run: float, classes: Any, keep: Any
) -> None:
    hide = replace(read_job(json.dumps(jobs.everything())).hides[0], keep_end=keep)
    lo, hi = sorted(ends)
    whole = Ends(hide, RackWorth(run, classes))
    end = whole.larger(lo, hi)
    area, right = hide.end_kept_mm2(lo, hi)
    assert end.area_m2 == pytest.approx(area / 1e6, abs=1e-4)
    racked = end.area_m2 >= REMNANT_MIN_M2
    tail, neck = whole.areas(lo, hi)
    assert end.uncounted_m2 == pytest.approx(min(tail, neck) / 2 + (0 if racked else end.area_m2))
    if not racked:
        assert end == End(end.area_m2, uncounted_m2=end.uncounted_m2)
        return
    x0, y0, x1, y1 = hide.region.bounds
    part = hide.region.intersection(box(hi, y0, x1, y1) if right else box(x0, y0, lo, y1))
    loose = hide.looser_than(1)
    assert end.tight_m2 == pytest.approx(part.difference(loose).area / 1e6, abs=2e-3)

    def money(of: Any) -> float:
        each = [common(shown, of).area * classes[zone.tightness - 1] for zone, shown in hide.zone_regions]
        bare = of.area - sum(common(shown, of).area for _, shown in hide.zone_regions)
        return (sum(each) + bare * classes[0]) / 1e6

    price = hide.cost_per_m2 * hide.region.area / 1e6 / money(hide.region)
    told = price * money(part) + run * end.strip_mm / 1000
    assert end.beyond == pytest.approx(told - end.area_m2 * hide.cost_per_m2, abs=0.02)
    assert 0 <= end.strip_mm <= (x1 - hi if right else lo - x0) + 4


def test_an_order_leaves_the_better_block_where_that_is_worth_more() -> None:
    """A long board of which one end is tight: by area alone either end is as good."""
    board = {"id": "Q-1", "kind": "offcut", "outline": jobs.rectangle(2400, 400), "cost_per_m2": 100.0}
    zones = [{"outline": jobs.rectangle(1150, 400), "tightness": 1, "stretch_deg": 90.0}]
    board["zones"] = [{"outline": jobs.rectangle(2400, 400), "tightness": 3, "stretch_deg": 90.0}, *zones]
    free = {"axis_deg": 0, "tolerance_deg": 90}
    pieces = [jobs.piece("panel", jobs.rectangle(390, 390), 3, max_tightness=4, grain=free)]
    asked = jobs.sets(1, objective="order", hides=[board], pieces=pieces, match_sets=[])
    left = {}
    for name, classes in (("tight", [1, 0.8, 0.5, 0.3]), ("loose", [0.3, 0.5, 0.8, 1])):
        job, lay = laid(asked | {"rack": {"classes": classes}}, steps=60)
        left[name] = measure(job, lay).per_hide[0].tight_m2
    assert left["tight"] > 0.45 and left["loose"] < 0.1
    plain, best = (read_job(json.dumps(asked | {"rack": r})) for r in ({}, {"strip_per_m": 5.0}))
    assert read_job(json.dumps(write_job(best))).rack.strip_per_m == 5.0 and "rack" not in write_job(plain)


def test_of_two_lays_that_cost_the_same_the_larger_block_wins() -> None:
    asked = order(1, rack={})
    job = read_job(json.dumps(asked))
    wide = [("tab", k, 40.0 + 1390 * k, 60.0) for k in range(2)]
    near = [("tab", 0, 40.0, 60.0), ("tab", 1, 1050.0, 60.0)]
    worths = []
    for places in (wide, near):
        lay = Lay(tuple(Placement(p, c, "Q-1", Placing(x, y, 0.0)) for p, c, x, y in places))
        figures = measure(job, lay)
        assert figures.per_hide[1].remnant_m2 == 0.0
        worths.append((figures.cost, worth(job, figures)))
    assert worths[0][0] == worths[1][0] and worths[1][1] > worths[0][1]


@pytest.mark.parametrize("objective", ["fill", "order"])
def test_a_piece_in_parts_is_laid_whole_again_where_that_saves_its_seam(objective: str) -> None:
    boards = [
        {"id": f"Q-{k}", "kind": "offcut", "outline": jobs.rectangle(900, 420), "cost_per_m2": 100.0}
        for k in range(2)
    ]
    half = {"id": "a", "outline": jobs.rectangle(390, 200)}
    split = {"id": "middle", "penalty_m2": 0.03, "parts": [half, {**half, "id": "b"}]}
    panel = jobs.piece("panel", jobs.rectangle(390, 390), 2, splits=[split])
    tabs = jobs.piece("tab", jobs.rectangle(100, 60), 6 if objective == "order" else 40)
    hides = boards[:1] if objective == "fill" else boards
    asked = jobs.sets(1, objective=objective, hides=hides, pieces=[panel, tabs], match_sets=[])
    job = read_job(json.dumps(asked))
    at = [(part, copy, 5.0 + 420 * copy, y) for copy in range(2) for part, y in (("a", 5.0), ("b", 215.0))]
    start = Lay(tuple(Placement(f"panel~middle.{p}", c, "Q-0", Placing(x, y, 0.0)) for p, c, x, y in at))
    ticks = itertools.count()
    lay = lay_job(
        job, lambda: float(next(ticks)), seconds=1e9, steps=40 if objective == "fill" else 12, start=start
    )
    assert referee.broken(asked, write_lay(lay)) == []
    assert measure(job, start).splits == 2 and measure(job, lay).splits == 0
    assert {p.piece for p in lay.placements} == {"panel", "tab"}
    assert worth(job, measure(job, lay)) > worth(job, measure(job, start))


def test_what_goes_nowhere_whole_is_laid_in_parts_on_leather_not_yet_in_use() -> None:
    """Beyond the first panel a hole every 300 mm leaves room for halves alone."""
    holes = [
        {"kind": "hole", "severity": 3, "outline": jobs.square(x, 200, 14)} for x in range(640, 1500, 300)
    ]
    board = {"id": "Q-1", "kind": "offcut", "outline": LONG, "cost_per_m2": 100.0, "flaws": holes}
    half = {"id": "a", "outline": jobs.rectangle(390, 196)}
    split = {"id": "middle", "penalty_m2": 0.01, "parts": [half, {**half, "id": "b"}]}
    panel = jobs.piece("panel", jobs.rectangle(390, 385), 2, splits=[split])
    asked = jobs.sets(1, objective="order", hides=[board], pieces=[panel], match_sets=[])
    job, lay = laid(asked, steps=30)
    figures = measure(job, lay)
    assert figures.placed == 2 and figures.splits == 1


def test_where_the_racked_end_is_the_same_the_other_end_counts() -> None:
    """A board of 2,400 mm: a tab at 1,300 decides what is racked, another lies near it or far from it."""
    board = {"id": "Q-1", "kind": "offcut", "outline": jobs.rectangle(2400, 400), "cost_per_m2": 100.0}
    piece = jobs.piece("tab", jobs.rectangle(60, 60), 2, max_tightness=4)
    job = read_job(json.dumps(jobs.sets(1, objective="order", hides=[board], pieces=[piece], match_sets=[])))
    worths = []
    for other in (40.0, 500.0, 900.0):
        at = [Placement("tab", k, "Q-1", Placing(x, 60.0, 0.0)) for k, x in enumerate((1300.0, other))]
        figures = measure(job, Lay(tuple(at)))
        assert figures.cost == pytest.approx(136.0 * 0.4) and figures.per_hide[0].remnant_end == "neck"
        worths.append(worth(job, figures))
    assert worths[0] < worths[1] < worths[2]
