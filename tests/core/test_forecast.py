"""Forecasts: made-up hides are as their source says, an order is laid on as many as it takes, advice keeps
what it promises.
"""

from __future__ import annotations

import itertools
import math
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely.geometry import Polygon

from fairlay.core.errors import BadHide
from fairlay.core.forecast.answer import Laid, answer, break_even, hides_used
from fairlay.core.forecast.stock import (
    FLAWS_OF_GRADE,
    Known,
    Source,
    check_source,
    flaw_counts,
    known_of,
    learned_source,
    made_up,
    one_that_may_be,
)
from fairlay.core.forecast.worlds import NEVER, World, lay_world, parts_of_order
from fairlay.core.pattern import Piece
from fairlay.core.rules import Policy
from tests import jobs
from tests.effort import tried

SOURCE = Source("some", "side", "body", price_per_m2=100.0, area_m2=1.2, spread_m2=0.1)


def _piece(name: str, w: float, h: float, quantity: int, **more: object) -> Piece:
    return Piece(name, np.array(jobs.rectangle(w, h)), quantity, **more)  # type: ignore[arg-type]


def _world(pieces: list[Piece], seed: int, source: Source = SOURCE) -> World:
    clock = itertools.count()
    found = lay_world(pieces, source, Policy(1.0), lambda: float(next(clock)), seed)
    assert found is not None
    return found


@settings(deadline=None, max_examples=tried(12, 100))
@given(st.integers(0, 10**6), st.sampled_from(["side", "shoulder", "bend", "belly"]), st.floats(0.3, 2.4))
def test_made_up_hides_are_hides(seed: int, kind: str, area: float) -> None:
    source = replace(SOURCE, kind=kind, area_m2=area, spread_m2=0.08 * area, thickness_mm=2.4)
    hide = made_up(source, "m", np.random.default_rng(seed))
    again = made_up(source, "m", np.random.default_rng(seed))
    assert np.array_equal(hide.outline, again.outline) and len(hide.flaws) == len(again.flaws)
    shape = Polygon(hide.outline)
    assert shape.is_valid and 0.4 * area - 0.01 <= shape.area / 1e6 <= 2 * area + 0.01
    assert all(shape.buffer(1).covers(Polygon(f.outline)) for f in hide.flaws)
    assert all(1.0 < r.mm < 4.0 for r in hide.thickness)


def test_made_up_hides_are_flawed_as_their_source() -> None:
    source = replace(SOURCE, flaws_per_m2=(3.0, 2.0, 1.0))
    many = [made_up(source, "m", np.random.default_rng(k)) for k in range(60)]
    area = sum(h.region.area for h in many) / 1e6
    per_m2 = np.array([flaw_counts(h) for h in many]).sum(axis=0) / area
    assert per_m2 == pytest.approx([3.0, 2.0, 1.0], rel=0.25) and area / 60 == pytest.approx(1.2, rel=0.05)
    learned = learned_source(replace(source, flaws_per_m2=(9.0, 9.0, 9.0)), [known_of(h, True) for h in many])
    assert learned.flaws_per_m2 == pytest.approx(per_m2, rel=0.1) and learned.n == 60


def test_few_hides_change_little_of_what_is_usual() -> None:
    usual = replace(SOURCE, flaws_per_m2=(4.0, 3.0, 1.0))
    one = learned_source(SOURCE, [Known(2.4, (30, 0, 0))], usual)
    assert 4.0 < one.flaws_per_m2[0] < 10.0 and 1.2 < one.area_m2 < 1.8
    none = learned_source(SOURCE, [], usual)
    assert none.flaws_per_m2 == usual.flaws_per_m2 and none.n == 0
    drawn = [
        one_that_may_be(replace(usual, n=n), np.random.default_rng(k)) for n in (0, 200) for k in range(80)
    ]
    spread = [np.std([s.flaws_per_m2[1] for s in drawn[i : i + 80]]) for i in (0, 80)]
    assert spread[0] > 2 * spread[1]
    assert np.mean([s.flaws_per_m2[1] for s in drawn]) == pytest.approx(3.0, rel=0.15)


@pytest.mark.parametrize(
    "bad", [{"kind": "roll"}, {"area_m2": 0.0}, {"price_per_m2": -1.0}, {"flaws_per_m2": (0.0, 99.0, 0.0)}]
)
def test_leather_that_nobody_sells_is_refused(bad: dict[str, object]) -> None:
    with pytest.raises(BadHide):
        check_source(replace(SOURCE, **bad))  # type: ignore[arg-type]


def test_an_order_takes_as_many_hides_as_it_needs() -> None:
    pieces = [
        _piece("big", 320, 260, 14),
        _piece("small", 60, 60, 30),
        _piece("filler", 90, 90, 50, filler=True),
    ]
    worlds = [_world(pieces, seed) for seed in range(4)]
    wanted = sum(p.area_mm2 * p.quantity for p in pieces[:2]) / 1e6
    for w in worlds:
        assert (
            w.never == 0 and wanted < w.used_m2 <= sum(w.areas) and len(w.areas) - 1 < w.hides <= len(w.areas)
        )
    assert _world(pieces, 2) == worlds[2]
    fewer = _world([replace(pieces[0], quantity=4), pieces[1]], 2)
    assert fewer.hides < worlds[2].hides and fewer.areas[0] == worlds[2].areas[0]


def test_what_no_hide_bears_is_told_and_not_bought_for() -> None:
    long = _piece("long", 4000, 200, 2)
    found = _world([long, _piece("small", 60, 60, 10)], 3)
    assert found.never == 2 and len(found.areas) < NEVER
    clock = itertools.count()
    stopped = lay_world([long], SOURCE, Policy(), lambda: float(next(clock)), 1, should_stop=lambda: True)
    assert stopped is None


def test_the_rack_is_laid_on_first() -> None:
    rack = [made_up(SOURCE, f"r{k}", np.random.default_rng(k)) for k in range(2)]
    clock = itertools.count()
    found = lay_world(
        [_piece("card", 200, 150, 8)], SOURCE, Policy(), lambda: float(next(clock)), 1, rack=rack
    )
    assert found is not None and found.areas == () and found.from_rack >= 1 and found.hides == 0


def test_a_large_order_is_laid_in_parts() -> None:
    pieces = [_piece("pair", 300, 300, 2001, pair=False), replace(_piece("p", 300, 300, 500), pair=True)]
    parts, n = parts_of_order(pieces, 1.2)
    assert n >= 10 and all(p.quantity * n >= w.quantity for p, w in zip(parts, pieces, strict=True))
    assert parts[1].quantity % 2 == 0 and parts_of_order(parts, 1.2)[1] <= 2


def _laid(hides: list[float]) -> list[Laid]:
    return [Laid(World((1.0,) * math.ceil(h), h - math.ceil(h) + 1.0, 0)) for h in hides]


@given(st.lists(st.floats(0.2, 9.0), min_size=1, max_size=60), st.floats(0.02, 0.3))
def test_advice_is_the_fewest_hides_that_keep_the_promise(hides: list[float], margin: float) -> None:
    told = answer(SOURCE, _laid(hides), 10, margin)
    assert told is not None and told.short_low <= told.short <= told.short_high
    enough = [c.enough for c in told.chances]
    assert enough == sorted(enough) and all(c.low <= c.enough <= c.high for c in told.chances)
    own = [c for c in told.chances if c.hides < told.buy]
    assert all(1 - c.enough > margin for c in own)
    if told.short > margin:  # too few deliveries to promise it: one more than any took
        assert told.buy > max(math.ceil(h - 1e-6) for h in hides)
    assert told.each.least <= told.each.mean * 1.0001 or len(hides) == 1


def test_a_promise_of_being_short_is_kept() -> None:
    rng = np.random.default_rng(4)
    short = promised = 0.0
    for k in range(400):
        mean = rng.uniform(2, 6)
        told = answer(SOURCE, _laid(list(rng.normal(mean, 0.5, 40).clip(0.3))), 1, 0.08, seed=k)
        assert told is not None
        short += rng.normal(mean, 0.5) > told.buy
        promised += told.short
    assert promised * 0.4 < short < promised * 1.8 + 3


def test_patient_laying_of_some_counts_for_all() -> None:
    quick = _laid([4.0] * 12)
    both = [Laid(q.quick, World((1.0, 1.0, 1.0), 0.6, 0)) if k < 6 else q for k, q in enumerate(quick)]
    assert hides_used(both).mean() == pytest.approx(2.6, rel=0.01) and hides_used(quick).mean() == 4.0
    summed = answer(SOURCE, quick, 1, parts=3)
    assert summed is not None and summed.hides == pytest.approx(12.0)
    assert answer(SOURCE, [], 1) is None


def test_the_price_at_which_two_leathers_are_even() -> None:
    clean, seconds = _laid([3.0, 3.2, 2.8] * 6), _laid([4.1, 3.9, 4.0] * 6)
    a = answer(SOURCE, clean, 10)
    b = answer(replace(SOURCE, price_per_m2=60.0), seconds, 10)
    assert a is not None and b is not None
    even = break_even(a, b, hides_used(clean), hides_used(seconds))
    assert even.price_per_m2 == pytest.approx(75.0, rel=0.01) and even.low < 75.0 < even.high
    assert a.next_hide.cost == pytest.approx(120.0) and 0 <= a.next_hide.left <= 120.0
    assert set(FLAWS_OF_GRADE) == {"clean", "middling", "seconds"}
