"""Lays that single hides had, put together anew: the cheapest choice, every copy once, all rules kept."""

from __future__ import annotations

import itertools
import json

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from fairlay.core.engine.bank import build_bank
from fairlay.core.engine.reasons import tables_of
from fairlay.core.engine.recombine import MOST_OF_A_HIDE, Seen
from fairlay.core.engine.share import Share
from fairlay.core.formats.exchange import read_job, write_lay
from fairlay.core.lay import Lay
from tests import referee
from tests.core.test_share import laid, order
from tests.effort import tried

lays_of_a_hide = st.lists(
    st.tuples(st.lists(st.integers(0, 3), min_size=3, max_size=3), st.integers(1, 40)), max_size=4
)


@settings(max_examples=tried(20, 600))
@given(
    st.lists(lays_of_a_hide, min_size=1, max_size=3),
    st.lists(st.integers(0, 4), min_size=3, max_size=3),
    st.lists(st.integers(1, 30), min_size=3, max_size=3),
    st.integers(0, 120),
)
def test_the_cheapest_choice_is_found(
    hides: list[list[tuple[list[int], int]]], wanted: list[int], dear: list[int], least: int
) -> None:
    seen = Seen(len(hides))
    for h, own in enumerate(hides):
        for makes, cost in own:
            seen.note(h, np.array(makes), float(cost), ())
    cheapest = min(
        sum(cost for _, cost in chosen)
        + sum(
            d * max(0, w - sum(m[k] for m, _ in chosen))
            for k, (w, d) in enumerate(zip(wanted, dear, strict=True))
        )
        for chosen in itertools.product(*([([0, 0, 0], 0), *own] for own in hides))
    )
    found = seen.choose(np.array(wanted), np.array(dear, float), float(least))
    if found is None:
        assert cheapest >= least - 1e-3 * least or not any(any(m) for own in hides for m, _ in own)
        return
    made = sum((kept.makes for kept in found if kept is not None), np.zeros(3, int))
    cost = sum(kept.cost for kept in found if kept is not None)
    cost += float(np.array(dear) @ np.maximum(0, np.array(wanted) - made))
    assert cost == pytest.approx(cheapest, rel=1e-3) and cost < least


@settings(max_examples=tried(20, 400))
@given(lays_of_a_hide)
def test_a_lay_that_another_does_better_is_forgotten(own: list[tuple[list[int], int]]) -> None:
    seen = Seen(1)
    for makes, cost in own:
        seen.note(0, np.array(makes), float(cost), ())
    some = [(m, c) for m, c in own if any(m)]
    front = {
        (tuple(m), c)
        for m, c in some
        if not any(n <= c and all(np.array(o) >= m) and (n, tuple(o)) != (c, tuple(m)) for o, n in some)
    }
    assert {(tuple(kept.makes.tolist()), kept.cost) for kept in seen.of[0]} == front


def test_no_more_is_kept_of_a_hide_than_can_be_chosen_from() -> None:
    seen = Seen(1)
    for k in range(MOST_OF_A_HIDE + 50):
        seen.note(0, np.array([k + 1]), float(k), ())
    assert len(seen.of[0]) == MOST_OF_A_HIDE and seen.of[0][-1].cost == MOST_OF_A_HIDE + 49


def test_hides_laid_as_they_once_lay_keep_the_rules_and_every_copy() -> None:
    asked = order(6, match_sets=["stool"])
    job = read_job(json.dumps(asked))
    _, first = laid(asked, 1)
    bank = build_bank(job)
    share = Share(
        job, bank, tables_of(job, bank, first, None, spare=True), np.random.default_rng(3), lambda: False
    )
    every = sorted((p.piece, p.copy) for p in first.placements)
    for _ in range(25):
        share.improve(1.0)
    least = (share.missing(), round(share.cost(), 3))
    for _ in range(4):
        share.lay_out()
        for _ in range(5):
            share.improve(1.0)
        assert not share.recombine(least) or (share.missing(), share.cost()) < least
        least = min(least, (share.missing(), round(share.cost(), 3)))
        assert share.recombine(least, anyway=True)
        assert sorted((p.piece, p.copy) for p in share.placements()) == every and share.missing() == 0
        assert referee.broken(asked, write_lay(Lay(share.placements()))) == []


def test_what_was_better_before_is_come_back_to() -> None:
    asked = order(6, match_sets=["stool"])
    job, lay = laid(asked, 12)
    bank = build_bank(job)
    share = Share(
        job, bank, tables_of(job, bank, lay, None, spare=True), np.random.default_rng(3), lambda: False
    )
    share.load(lay.placements)
    best = share.cost()
    share.lay_out()
    assert share.cost() > best, "or the order is too easy to tell"
    assert share.recombine((0, round(best, 3) + 0.01)) and share.cost() == pytest.approx(best, abs=0.01)
    assert not share.recombine((0, round(best, 3)))
