"""What closed hides teach: the account adds up to the cent, ranges hold what they say, noise is no news."""

from __future__ import annotations

import math
import random
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from fairlay.core.book.costing import Prices, costing
from fairlay.core.book.facts import LABELS, PARTS, Facts, facts_of, in_cents
from fairlay.core.book.figures import figures_of, grouped, ratio
from fairlay.core.book.learned import shrunk, spares_for, spoil_rates
from fairlay.core.book.news import groups_that_stand_out, hides_that_stand_out, trend
from fairlay.core.book.sheet import Press, article_of, doubt_of, money_of, told_by, waste_by_part
from fairlay.core.cutting.left_over import Account
from fairlay.core.formats.book_pdf import MonthPage, month_pdf
from fairlay.core.pattern import Piece
from tests import jobs
from tests.effort import tried


def year(seed: int, n: int, mill: Any = None, slope: float = 0.0, spread: float = 0.05) -> Facts:
    """Hides of made-up months: their parts at random, but of all that was bought."""
    rng = np.random.default_rng(seed)
    rows = []
    for k in range(n):
        bought = rng.uniform(0.4, 2.4)
        good = 0.6 + rng.normal(0, spread) + slope * k / n + (mill(k) if mill else 0.0)
        rest = rng.dirichlet(np.ones(len(PARTS) - 2)) * (1 - good)
        shares = np.array([good, rest[0], 0.0, *rest[1:]])
        labels = (f"H-{k}", "side", "body", "AB"[k % 2], f"L{k % 7}", "12"[k % 3 == 0], "2026-01", "")
        minutes = (10.0, float(rng.uniform(5, 20)))
        rows.append(
            (
                k + 1,
                k // 4,
                *labels,
                *(shares * bought),
                int(rng.integers(0, 40_000)),
                736_000 + k,
                *minutes,
                0.6,
            )
        )
    return facts_of(rows)


@given(
    st.integers(0, 10**6),
    st.integers(0, 200),
    st.lists(st.floats(0, 3, allow_nan=False), min_size=2, max_size=10),
)
def test_money_follows_area_and_adds_up_to_the_cent(seed: int, cost: int, areas: list[float]) -> None:
    rng = np.random.default_rng(seed)
    m2 = np.array([areas, rng.uniform(0, 1, len(areas))])
    costs = np.array([cost, seed], np.int64)
    cents = in_cents(costs, m2)
    assert (cents.sum(axis=1) == costs).all() and (cents >= 0).all()
    for row, c, own in zip(cents, costs, m2, strict=True):
        if own.sum() > 1e-12:
            assert np.abs(row - c * own / own.sum()).max() < 1.0


@settings(deadline=None)
@given(st.integers(0, 10**6), st.integers(0, 120), st.integers(0, 2**31))
def test_any_set_of_closed_hides_adds_up(seed: int, n: int, chosen: int) -> None:
    facts = year(seed, n)
    own = facts.of(np.random.default_rng(chosen).random(n) < 0.6)
    figures = figures_of(own)
    assert figures.bought_m2 == pytest.approx(float(own.bought.sum()), abs=1e-4)
    assert sum(figures.cents.values()) == int(own.cost.sum())
    parts = grouped(own, own.label["mill"])
    for name in PARTS:
        assert sum(f.m2[name] for f in parts.values()) == pytest.approx(figures.m2[name], abs=1e-9)
        assert sum(f.cents[name] for f in parts.values()) == figures.cents[name]
    if len(own) == 0:
        assert math.isnan(figures.yields.value) and math.isnan(figures.cost_per_good_m2)


def test_one_hide_tells_no_range_and_none_nothing() -> None:
    assert ratio(np.array([]), np.array([])).n == 0
    one = ratio(np.array([0.6]), np.array([1.0]))
    assert one.value == 0.6 and math.isnan(one.low) and math.isnan(one.high)
    assert math.isnan(ratio(np.array([0.0]), np.array([0.0])).value)


def test_a_range_holds_the_true_yield_as_often_as_it_says() -> None:
    rng = np.random.default_rng(5)
    held = 0
    for _ in range(400):
        used = rng.uniform(0.8, 2.2, 15)
        found = ratio(used * rng.normal(0.62, 0.06, 15), used)
        held += found.low <= 0.62 <= found.high
    assert 360 <= held <= 395  # 380 of 400 are promised


def test_noise_is_no_news_and_a_mill_that_is_worse_is() -> None:
    told = sum(
        bool(groups_that_stand_out(year(seed, 60), what)) for seed in range(40) for what in ("mill", "lot")
    )
    assert told <= 10  # 80 looks at 5 % each
    worse = year(3, 80, lambda k: -0.08 * (k % 2))
    (found, *_) = groups_that_stand_out(worse, "mill")
    assert found.key == "B" and found.by == pytest.approx(-0.08, abs=0.03) and "chance" in found.words
    assert groups_that_stand_out(year(3, 8), "mill") == []


def test_a_mill_is_not_blamed_for_the_grade_it_sells() -> None:
    facts = year(9, 120, spread=0.03)
    # Everything of mill B is of the second grade, which yields less; its own second grade is as A's.
    grade = np.where(facts.label["mill"] == "B", "2", np.where(np.arange(120) % 4 == 0, "2", "1"))
    off = np.where(grade == "2", -0.1, 0.0) * facts.bought
    m2 = facts.m2.copy()
    m2[:, 0] += off
    m2[:, 3] -= off
    lower = Facts(**{**vars(facts), "m2": m2, "label": {**facts.label, "grade": grade}})
    assert {s.key for s in groups_that_stand_out(lower, "grade")} == {"2"}
    assert not groups_that_stand_out(lower, "mill")


def test_a_hide_that_is_unlike_its_kind_is_named_with_where_it_went() -> None:
    facts = year(11, 60, spread=0.02)
    m2 = facts.m2.copy()
    k = 17
    m2[k] = 0.0
    m2[k, 0], m2[k, PARTS.index("flaw")] = 0.5, 1.0
    (found, *_) = hides_that_stand_out(Facts(**{**vars(facts), "m2": m2}))
    assert found.key == f"H-{k}" and "flaws" in found.words and found.by < -0.2


def test_a_trend_is_told_where_there_is_one() -> None:
    up = trend(year(2, 120, slope=0.12))
    assert up.news and up.low > 0 and "up" in up.words
    told = [trend(year(seed, 120)).news for seed in range(40)]
    assert sum(told) <= 6
    assert not trend(year(1, 6)).news and math.isnan(trend(year(1, 6)).slope)


def _press(piece: str, copy: int, act: Any, at: float, by: int = 1, reason: str = "") -> Press:
    return Press(piece, copy, act, at, 30.0, by, reason)


@given(st.randoms(use_true_random=False))
def test_ticks_tell_the_same_in_any_order(rng: random.Random) -> None:
    presses = [
        _press("a/x", 0, "done", 100),
        _press("a/x", 1, "spoilt", 140, 2, "knife slipped"),
        _press("a/x", 1, "recut", 141, 1),
        _press("a/x", 1, "done", 200),
        _press("a/y", 0, "done", 5000),
        _press("a/y", 1, "done", 5040),
        _press("a/y", 1, "back", 5050),
    ]
    rng.shuffle(presses)
    told = told_by(presses)
    assert (told.done, told.spoilt, told.reasons) == (3, 1, {"knife slipped": 1})
    assert told.pieces["a/x", 2].spoilt == 1 and told.pieces["a/x", 1].done == 2
    # 60 s from the spoilt one to the next; an hour and more is no cutting.
    assert told.pieces["a/x", 1].true_s == 60 and told.pieces["a/y", 1].timed == 1
    assert told_by([]).done == 0


@pytest.mark.parametrize(
    ("account", "words"),
    [
        (Account(2.0, 1.2, 0.1, 0.3, 0.4, {}, 1.3), ""),
        (Account(1.0, 0.99, 0.0, 0.0, 0.01, {}, 1.4), "more pieces than leather"),
        (Account(2.0, 1.0, 0.0, 0.5, 0.5, {}, 1.2), "over each other"),
        (Account(0.0, 0.0, 0.0, 0.0, 0.0, {}, 0.0), "no size"),
    ],
)
def test_an_account_that_nobody_should_trust_says_why(account: Account, words: str) -> None:
    assert words in doubt_of(account) if words else doubt_of(account) == ""


def test_waste_that_was_not_told_apart_stays_so() -> None:
    old = waste_by_part(Account(2.0, 1.2, 0.0, 0.3, 0.5))
    assert old["untold"] == pytest.approx(0.5) and sum(old.values()) == pytest.approx(0.5)
    new = waste_by_part(Account(2.0, 1.2, 0.0, 0.3, 0.5, {"edge": 0.1, "too loose": 0.2, "between": 0.2}))
    assert new["loose"] == 0.2 and new["untold"] == 0.0


@given(st.lists(st.tuples(st.integers(0, 400), st.integers(0, 400)), min_size=1, max_size=12))
def test_spoil_rates_lie_between_records_and_the_shop(counts: list[tuple[int, int]]) -> None:
    named = {str(k): (n + s, s) for k, (n, s) in enumerate(counts)}
    found = spoil_rates(named)
    mean = (sum(s for _, s in named.values()) + 0.5) / (sum(n for n, _ in named.values()) + 25)
    for key, (n, s) in named.items():
        one = found[key]
        bare = s / n if n else mean
        assert min(bare, mean) - 1e-9 <= one.value <= max(bare, mean) + 1e-9
        assert (
            one.low <= one.value + 1e-9
            and one.value <= one.high + 1e-9
            and spares_for(one.value) >= one.value - 1e-9
        )


def test_little_is_drawn_toward_the_shop_and_much_stands_for_itself() -> None:
    rng = np.random.default_rng(0)
    usual = {f"p{k}": (2000, int(rng.binomial(2000, 0.01))) for k in range(8)}
    found = spoil_rates({**usual, "few": (5, 2), "many": (5000, 300)})
    assert found["few"].value < 0.2 and found["few"].high - found["few"].low > 0.05
    assert found["many"].value == pytest.approx(0.06, abs=0.004)
    groups = {"a": rng.normal(0.6, 0.05, 200), "b": rng.normal(0.7, 0.05, 200), "c": [0.9]}
    shrunken = shrunk({k: list(v) for k, v in groups.items()})
    assert shrunken["a"].value == pytest.approx(0.6, abs=0.015) and shrunken["c"].value < 0.85
    assert shrunk({}) == {} and shrunk({"one": [0.5]})["one"].value == 0.5


def test_a_learned_range_holds_the_truth_as_often_as_it_says() -> None:
    rng = np.random.default_rng(8)
    held, looks = 0, tried(30, 400)
    for _ in range(looks):
        true = rng.beta(4, 196, 10)
        counts = {str(k): (60, int(rng.binomial(60, p))) for k, p in enumerate(true)}
        found = spoil_rates(counts)
        held += sum(found[str(k)].low <= p <= found[str(k)].high for k, p in enumerate(true))
    assert held / (10 * looks) > 0.88


def _piece(name: str, quantity: int, tightness: int) -> Piece:
    return Piece(name, np.array(jobs.rectangle(100, 100)), quantity, max_tightness=tightness)


def test_tight_leather_costs_more_than_belly() -> None:
    pieces = [_piece("seat", 1, 1), _piece("washer", 1, 4)]
    paid = money_of(1400, [(p, 1) for p in pieces])
    assert paid == [1000, 400] and money_of(
        1400, [(p, 1) for p in pieces], dict.fromkeys(range(1, 5), 1.0)
    ) == [700, 700]
    assert article_of("B-2:chair/seat~a.left") == ("B-2", "chair", "seat~a.left")
    told = costing(
        pieces,
        14.0,
        2500.0,
        {"rivet": 4},
        {"seat": 3.0},
        Prices(0.5, 0.2, {"rivet": 0.1}),
        {1: 1.0, 2: 0.85, 3: 0.6, 4: 0.4},
    )
    assert told.total == pytest.approx(14.0 + 0.5 + 0.4 + 1.5) and told.unpriced == ()
    bare = costing(pieces, math.nan, 0.0, {"rivet": 4}, {}, Prices(), {1: 1.0, 2: 1.0, 3: 1.0, 4: 1.0})
    assert bare.total == 0.0 and "rivet" in bare.unpriced and math.isnan(bare.leather[0].money)


def test_a_month_is_printed_and_one_without_work_says_so() -> None:
    facts = year(4, 9)
    page = MonthPage(
        "2026-01",
        "Quillback Yard",
        "",
        figures_of(facts),
        [("A", figures_of(facts))],
        [("Stool", 9, 1, 0.4, 1200)],
        [("knife slipped", 1)],
        ["H-3: yield 0.2 " * 12],
    )
    assert month_pdf(page).startswith(b"%PDF") and len(LABELS) == 8
    empty = MonthPage("2026-02", "", "", figures_of(year(4, 0)), [], [], [], [])
    assert month_pdf(empty).startswith(b"%PDF")
