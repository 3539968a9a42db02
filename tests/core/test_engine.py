"""Every lay the engine gives is refereed: on a job with every need, on random ones, toward each objective."""

from __future__ import annotations

import itertools
import json
import time
from math import cos, pi, sin
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from fairlay.core.engine import Progress, lay_job
from fairlay.core.engine.one_more import OneMore
from fairlay.core.engine.run import NOT_TRIED, Run
from fairlay.core.engine.sets_by_hide import SetsByHide
from fairlay.core.engine.working import with_counts
from fairlay.core.formats.exchange import read_job, write_lay
from fairlay.core.lay import Lay, Placement, measure
from fairlay.core.lay.account import account
from fairlay.core.lay.measures import worth
from fairlay.core.shapes.placing import Placing
from tests import jobs, referee
from tests.effort import tried


def lay_of(job: dict[str, Any], steps: int = 1, **more: Any) -> tuple[Any, Lay]:
    ticks = itertools.count()
    read = read_job(json.dumps(job))
    lay = lay_job(read, lambda: float(next(ticks)), seconds=1e9, steps=steps, **more)
    assert referee.broken(job, write_lay(lay)) == []
    return read, lay


@pytest.mark.parametrize("school", ["backbone", "local", "free"])
@pytest.mark.parametrize("gap", [0.0, 3.0])
def test_every_need_in_every_school(school: str, gap: float) -> None:
    job, lay = lay_of(jobs.everything(grain_school=school, gap=gap))
    counts = lay.counts(job)
    assert counts["seat"] >= 1 and counts["washer"] == 20 and sum(counts.values()) >= 26


@settings(max_examples=tried(25, 250), suppress_health_check=[HealthCheck.too_slow])
@given(st.data())
def test_random_pieces_on_random_hides(data: st.DataObject) -> None:
    number = st.floats(12, 160).map(lambda v: round(v, 1))
    pieces = []
    for i in range(data.draw(st.integers(1, 4))):
        long, wide, cut = data.draw(number), data.draw(number), data.draw(st.floats(0.1, 0.9))
        outline = [
            [0, 0],
            [long, 0],
            [long, wide],
            [long * cut, wide],
            [long * cut * 0.6, wide * 0.5],
            [0, wide],
        ]
        pair = data.draw(st.booleans())
        pieces.append(
            jobs.piece(
                f"p{i}",
                outline,
                2 * data.draw(st.integers(1, 3)),
                pair=pair,
                show_limit=data.draw(st.integers(0, 2)),
                max_tightness=data.draw(st.integers(1, 4)),
                grain={
                    "axis_deg": data.draw(st.sampled_from([0, 37, 90])),
                    "tolerance_deg": data.draw(st.sampled_from([0, 8, 90, 180])),
                    "reversible": data.draw(st.booleans()),
                },
            )
        )
    job = jobs.everything(
        pieces=pieces,
        grain_school=data.draw(st.sampled_from(["backbone", "local", "free"])),
        gap=data.draw(st.sampled_from([0.0, 2.0])),
    )
    job["hides"][0]["backbone_deg"] = data.draw(st.sampled_from([0.0, 15.0]))
    lay_of(job)


def test_sets_are_laid_whole_and_each_on_one_hide() -> None:
    job, lay = lay_of(jobs.sets(2))
    assert measure(job, lay).sets == {"stool": 2} and not lay.unplaced


def test_one_set_more_comes_from_one_hide_where_sets_must() -> None:
    tried = sorted(_sets_of_one_more(seed) for seed in (1, 2, 3))
    made, first = tried[1]
    assert made >= min(first, 3) > 1


def _sets_of_one_more(seed: int) -> tuple[int, int]:
    """How many sets come, one more at a time, in 60 tries at most, and how many a first lay has."""
    asked = jobs.sets(9, seed=seed)
    job = read_job(json.dumps(asked))
    run = Run(job, time.monotonic, 1e9, None, lambda _: None, lambda: False, None)
    run.lay_afresh()
    first = measure(job, run.best).sets["stool"]
    kept = tuple(p for p in run.best.placements if p.copy < job.pieces_by_id[p.piece].per_set)
    run.best, run.best_worth = with_counts(job, Lay(kept)), 1.0
    sets = OneMore(run)
    made = 1
    for _ in range(60):
        if made >= min(first, 3) > 1:
            break
        sets.work()
        assert referee.broken(asked, write_lay(run.best)) == []
        made = measure(job, run.best).sets["stool"]
    return made, first


def benches_and_stools() -> dict[str, Any]:
    """A square of leather that two benches cover, or four stools."""
    held = {"grain": {"axis_deg": 0.0, "tolerance_deg": 0.0, "reversible": True}}
    hide = {"id": "Q", "kind": "offcut", "outline": jobs.square(0, 0, 400), "edge_margin": 0.0}
    pieces = [
        jobs.piece("seat", jobs.rectangle(390, 190), 2, set="bench", per_set=1, **held),
        jobs.piece("top", jobs.rectangle(190, 190), 4, set="stool", per_set=1, **held),
    ]
    return jobs.sets(hides=[hide], pieces=pieces, match_sets=[])


def test_of_several_names_the_most_sets_are_laid() -> None:
    job, lay = lay_of(benches_and_stools())
    assert measure(job, lay).sets == {"bench": 0, "stool": 4}


def test_hides_tried_by_themselves_make_the_most_sets_together() -> None:
    asked = benches_and_stools()
    asked["hides"] = [{**asked["hides"][0], "id": name} for name in ("Q", "R")]
    job = read_job(json.dumps(asked))
    run = Run(job, time.monotonic, 1e9, None, lambda _: None, lambda: False, None)
    run.lay_afresh()
    run.best, run.best_worth = Lay(()), 0.0
    by_hide = SetsByHide(run)
    for _ in range(20):
        by_hide.work()
    assert measure(job, run.best).sets == {"bench": 2, "stool": 4}
    assert referee.broken(asked, write_lay(run.best)) == []


@pytest.mark.parametrize("match", [[], ["bench", "stool"]])
def test_a_set_is_given_for_two_of_another_name(match: list[str]) -> None:
    asked = {**benches_and_stools(), "match_sets": match}
    job = read_job(json.dumps(asked))
    benches = tuple(
        Placement("seat", n, "Q", Placing(5.0, y, 0.0, False)) for n, y in enumerate((5.0, 205.0))
    )
    run = Run(job, time.monotonic, 1e9, None, lambda _: None, lambda: False, Lay(benches))
    run.lay_afresh()
    run.best, run.best_worth = with_counts(job, Lay(benches)), 2.0
    sets = OneMore(run)
    for _ in range(40):
        sets.work()
    assert measure(job, run.best).sets["stool"] >= 2 and run.best_worth > 3.0
    assert referee.broken(asked, write_lay(run.best)) == []


def test_an_order_uses_the_cheaper_leather_and_keeps_a_remnant() -> None:
    job, lay = lay_of(jobs.sets(1, objective="order", match_sets=[]))
    found = measure(job, lay)
    assert not lay.unplaced
    assert {p.hide for p in lay.placements} == {"Q-2"}
    assert found.cost == pytest.approx(found.used_m2 * 80.0)


def test_a_roll_is_used_from_its_end() -> None:
    roll = {"id": "L-1", "kind": "roll", "width": 500.0, "edge_margin": 5.0, "cost_per_m2": 10.0}
    job, lay = lay_of(
        jobs.everything(
            hides=[roll], objective="order", pieces=[jobs.piece("panel", jobs.rectangle(200, 150), 9)]
        )
    )
    length = measure(job, lay).per_hide[0].length_mm
    assert not lay.unplaced and length is not None and length <= 3 * 200 + 20


def test_a_small_piece_lies_in_a_window() -> None:
    frame = jobs.piece("frame", jobs.rectangle(390, 300), 1, holes=[jobs.square(40, 40, 200)])
    hide = {"id": "Q", "kind": "offcut", "outline": jobs.rectangle(400, 310), "edge_margin": 0.0}
    _, lay = lay_of(
        jobs.everything(hides=[hide], pieces=[frame, jobs.piece("tab", jobs.rectangle(150, 150), 1)])
    )
    assert not lay.unplaced


def test_fixed_pieces_stay_and_are_not_laid_twice() -> None:
    fixed = [
        {
            "piece": "seat",
            "copy": 1,
            "hide": "Q-1",
            "x": 60.0,
            "y": 40.0,
            "rotation_deg": 0.0,
            "mirrored": False,
        }
    ]
    _, lay = lay_of(jobs.everything(fixed=fixed))
    assert [(p.at.x, p.at.y) for p in lay.placements if (p.piece, p.copy) == ("seat", 1)] == [(60.0, 40.0)]


def test_the_same_job_seed_and_steps_give_the_same_lay() -> None:
    first, second = lay_of(jobs.everything(), steps=3)[1], lay_of(jobs.everything(), steps=3)[1]
    assert write_lay(first)["placements"] == write_lay(second)["placements"]


def test_stopping_keeps_the_best_and_a_search_never_ends_worse_than_it_began() -> None:
    job, good = lay_of(jobs.everything(), steps=2)
    heard: list[float] = []
    stopped = lay_job(
        job,
        iter(range(10**9)).__next__,
        seconds=1e9,
        on_better=lambda p: heard.append(p.worth),
        should_stop=lambda: len(heard) >= 1,
    )
    assert heard == sorted(heard) and stopped.placements
    kept = lay_job(job, iter(range(10**9)).__next__, seconds=1e9, should_stop=lambda: True, start=good)
    assert worth(job, measure(job, kept)) >= worth(job, measure(job, good))
    _, seeded = lay_of(jobs.everything(), steps=1, start=good)
    assert worth(job, measure(job, seeded)) >= worth(job, measure(job, good))


@pytest.mark.parametrize("objective", ["fill", "sets", "order"])
def test_a_first_lay_is_seen_while_it_grows_and_is_the_same(objective: str) -> None:
    asked = jobs.sets(4, objective=objective)
    heard: list[Progress] = []
    _, at_once = lay_of(asked)
    _, grown = lay_of(asked, growing=True, on_better=heard.append)
    lying = [len(p.lay.placements) for p in heard]
    assert len(lying) > 1 and lying == sorted(lying) and lying[0] < lying[-1]
    assert all(referee.broken(asked, write_lay(p.lay)) == [] for p in heard)
    assert grown.placements == at_once.placements
    # Whoever stops at the first pieces seen gets all of a first lay that is soon done, and else what lies.
    for every, all_of_it in ((1e-4, True), (1.0, False)):
        heard.clear()
        ticks = itertools.count()
        stopped = lay_job(
            read_job(json.dumps(asked)),
            lambda ticks=ticks, every=every: every * next(ticks),
            seconds=1e9,
            on_better=heard.append,
            should_stop=lambda: len(heard) > 0,
            growing=True,
        )
        assert (stopped.placements == at_once.placements) == all_of_it and stopped.placements
        # What was never tried is not said to have no room.
        assert [u.reason == NOT_TRIED for u in stopped.unplaced] == [not all_of_it] * len(stopped.unplaced)
        assert stopped.unplaced or all_of_it
        assert referee.broken(asked, write_lay(stopped)) == []
    # Whoever has a lay already does not wait for another.
    asks, ticks = itertools.count(), itertools.count()
    lay_job(
        read_job(json.dumps(asked)),
        lambda: 1e-4 * next(ticks),
        seconds=1e9,
        should_stop=lambda: next(asks) > 2,
        start=grown,
        growing=True,
    )
    assert next(ticks) < 10
    heard.clear()
    # What stands already is not shown with less than it has.
    heard.clear()
    lay_of(asked, growing=True, on_better=heard.append, start=grown)
    assert heard == []


@pytest.mark.parametrize("objective", ["fill", "sets"])
def test_where_all_lies_less_leather_is_looked_for(objective: str) -> None:
    few = [
        jobs.piece("board", jobs.rectangle(210, 140), 4, set="stool", per_set=2),
        jobs.piece("strap", jobs.rectangle(400, 30), 6, set="stool", per_set=3),
    ]
    sheet = jobs.side(outline=jobs.rectangle(1500, 700), zones=[], flaws=[], cost_per_m2=0.0)
    asked = jobs.sets(objective=objective, pieces=few, hides=[sheet])
    job, wide = lay_of(asked, steps=25, spares=False)
    _, close = lay_of(asked, steps=25)
    used = [measure(job, lay).used_m2 for lay in (wide, close)]
    assert sum(close.counts(job).values()) == 10 and used[1] < 0.75 * used[0] and used[1] < 0.35
    # It goes on from a lay that does not say what it leaves out.
    _, again = lay_of(asked, steps=8, start=Lay(wide.placements[:-2]))
    assert sum(again.counts(job).values()) == 10


@pytest.mark.parametrize(
    ("changed", "words"),
    [
        ({"outline": jobs.rectangle(900, 500)}, "too big for any hide here"),
        (
            {"outline": jobs.rectangle(320, 220), "max_tightness": 2},
            "no leather tight enough is big enough; it would go in on loose leather",
        ),
        (
            {"outline": jobs.rectangle(250, 110), "show_limit": 0, "max_tightness": 1},
            "it would go in if its show face bore surface marks",
        ),
        ({"outline": jobs.rectangle(100, 100), "thickness_mm": [4.0, 5.0]}, "no leather of its thickness"),
        ({"outline": jobs.rectangle(150, 100), "quantity": 60}, "no room left"),
    ],
)
def test_what_finds_no_place_has_its_true_reason(changed: dict[str, Any], words: str) -> None:
    job = jobs.everything()
    job["pieces"] = [{**jobs.piece("panel", [], 1), **changed}]
    _, lay = lay_of(job)
    assert words in lay.unplaced[0].reason


def test_ten_thousand_washers_and_a_two_thousand_point_outline() -> None:
    rough = [
        [round(8 + (7.0 + 0.01 * (i % 2)) * turn(i / 1000 * pi), 4) for turn in (cos, sin)]
        for i in range(2000)
    ]
    hide = {"id": "Q", "kind": "offcut", "outline": jobs.rectangle(200, 150), "edge_margin": 0.0}
    _, lay = lay_of(jobs.everything(gap=0.0, hides=[hide], pieces=[jobs.piece("washer", rough, 10_000)]))
    assert len(lay.placements) > 60 and lay.unplaced[0].count == 10_000 - len(lay.placements)


def test_where_the_leather_went_adds_up() -> None:
    job, lay = lay_of(jobs.everything())
    hide, figures = job.hides[0], measure(job, lay)
    where = account(job, lay, hide)
    assert where.whole_m2 == pytest.approx(
        where.edge_m2 + where.unsound_m2 + sum(c.usable_m2 for c in where.classes), abs=2e-4
    )
    assert sum(c.placed_m2 for c in where.classes) == pytest.approx(figures.placed_m2, abs=2e-4)
