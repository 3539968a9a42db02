"""Sets that come from one hide each: how many of them every hide makes is the cheapest choice there is, and
columns put back what they were found as.
"""

from __future__ import annotations

import itertools
import json
from dataclasses import dataclass, replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from fairlay.core.engine.bank import build_bank
from fairlay.core.engine.columns import USED_SHARE, Column, Columns
from fairlay.core.engine.run import Run
from fairlay.core.engine.table import HideTable
from fairlay.core.formats.exchange import read_job
from fairlay.core.lay import Job, Lay
from tests import jobs
from tests.effort import tried


@dataclass(frozen=True)
class Paid:
    """What choosing reads of a cut."""

    price: float
    whole: float


class Steady:
    """Randomness that shakes nothing: every draw is its middle."""

    def normal(self, middle: float = 0.0, _spread: float = 1.0) -> float:
        return middle

    def random(self) -> float:
        return 0.0

    def integers(self, _n: int) -> int:
        return 0


CLEAN = 1
"""The hide of the two that has no flaws, and room for two stools."""


def sought(own: Columns, hide: int, sets: int) -> None:
    for _ in range(200):
        if own.most(hide) >= sets:
            return
        own.seek(hide)
    pytest.fail(f"{sets} sets were not found on hide {hide}")


def job(count: int = 3) -> Job:
    return read_job(json.dumps(jobs.sets(count)))


def columns(asked: Job, rng: object | None = None) -> Columns:
    bank = build_bank(asked)
    tables = [HideTable(asked, hide, bank, 60) for hide in asked.hides]
    return Columns("stool", asked.pieces, bank, tables, rng or np.random.default_rng(4), lambda: False)  # type: ignore[arg-type]


@settings(max_examples=tried(20, 600), deadline=None)
@given(st.lists(st.tuples(st.integers(0, 4), st.floats(20, 200)), min_size=2, max_size=2), st.integers(1, 7))
def test_the_cheapest_hides_make_all_the_sets_that_can_be_made(
    hides: list[tuple[int, float]], wanted: int
) -> None:
    own = columns(job(), Steady())
    own.sets = wanted
    own.known = [{k: [Column(k, ())] for k in range(1, most + 1)} for most, _ in hides]
    cuts = [Paid(price, 2.0) for _, price in hides]
    chosen = own.choose(cuts)  # type: ignore[arg-type]
    ways = list(itertools.product(*(range(most + 1) for most, _ in hides)))
    all_made = max(min(sum(way), wanted) for way in ways)

    def cost(way: tuple[int, ...]) -> float:
        return sum(c.price * c.whole * USED_SHARE for c, k in zip(cuts, way, strict=True) if k)

    assert sum(chosen) == all_made and all(k <= most for k, (most, _) in zip(chosen, hides, strict=True))
    assert cost(tuple(chosen)) == pytest.approx(min(cost(way) for way in ways if sum(way) == all_made))


def test_a_column_found_is_fair_and_its_hide_left_as_it_was() -> None:
    own = columns(job())
    for _ in range(12):
        own.seek(0)
    assert 1 <= own.most(0) <= own.sets and own.most(1) == 0
    assert not own.tables[0].lying, "what was tried is taken up again"
    for sets, found in own.known[0].items():
        for column in found:
            assert column.sets == sets and len(column.lying) == sets * own.per_set
            copies = sorted((li.variant.piece.id, li.copy) for li in column.lying)
            assert copies == sorted([("top", n) for n in range(sets)] + [("cap", n) for n in range(3 * sets)])


def test_sets_are_put_under_the_numbers_asked_for() -> None:
    own = columns(job())
    sought(own, CLEAN, 2)
    assert own.put(CLEAN, [2, 0])
    there = sorted((li.variant.piece.id, li.copy) for li in own.tables[CLEAN].lying.values())
    assert there == sorted([("top", 0), ("top", 2), *(("cap", n) for n in (0, 1, 2, 6, 7, 8))])
    assert not own.put(1 - CLEAN, [1]), "no column is known there"
    assert not own.put(CLEAN, []), "nothing asked for is nothing put"


def test_what_lies_already_is_learnt_as_it_lies() -> None:
    own = columns(job())
    sought(own, 0, 1)
    assert own.put(0, [1])
    lying = list(own.tables[0].lying.values())
    own.known[0].clear()
    own.learn(0, lying)
    ((sets, (column,)),) = own.known[0].items()
    assert sets == 1 and {(li.spot.x, li.spot.y) for li in column.lying} == {
        (li.spot.x, li.spot.y) for li in lying
    }
    assert {li.copy for li in column.lying if li.variant.piece.id == "cap"} == {0, 1, 2}
    own.learn(0, [])
    assert list(own.known[0]) == [1]


def test_no_more_sets_are_sought_than_are_wanted() -> None:
    own = columns(job(1))
    for _ in range(8):
        own.seek(0)
    assert own.most(0) == 1 and own.sets == 1


def test_a_search_that_is_stopped_leaves_the_hide_as_it_was() -> None:
    own = columns(job())
    own.stop = lambda: True
    assert not own.seek(0) and own.most(0) == 0 and not own.tables[0].lying


def mitts(quantity: int = 6) -> Job:
    """Mitts, each a set of one back: left ones by even numbers, right ones by odd; each from one hide."""
    asked = jobs.sets(3)
    backs = [[0, 0], [160, 0], [160, 90], [60, 110], [0, 60]]
    asked["pieces"] = [jobs.piece("mitt-back", backs, quantity, pair=True, set="mitt", per_set=1)]
    return read_job(json.dumps({**asked, "objective": "order", "match_sets": ["mitt"]}))


def mitt_columns() -> Columns:
    asked = mitts()
    bank = build_bank(asked)
    tables = [HideTable(asked, hide, bank, 60) for hide in asked.hides]
    return Columns("mitt", asked.pieces, bank, tables, np.random.default_rng(4), lambda: False)


def hands_there(own: Columns, hide: int) -> list[tuple[int, bool]]:
    return sorted((li.copy, li.variant.mirrored) for li in own.tables[hide].lying.values())


def test_a_set_keeps_its_hand_where_that_goes_by_its_number() -> None:
    own = mitt_columns()
    sought(own, CLEAN, 2)
    free = [1, 3, 4]
    assert own.put_some(CLEAN, 2, free) == 2
    assert hands_there(own, CLEAN) == [(1, True), (4, False)] and free == [3]


def test_sets_of_one_hand_do_not_stand_for_those_of_the_other() -> None:
    own = mitt_columns()
    sought(own, CLEAN, 3)
    own.known[CLEAN] = {3: own.known[CLEAN][3]}
    assert not own.put(CLEAN, [1, 3]), "two right ones, where a left, a right and a left lie"
    assert hands_there(own, CLEAN) == []
    assert own.put(CLEAN, [4, 2, 5])
    lying = list(own.tables[CLEAN].lying.values())
    own.known[CLEAN].clear()
    own.learn(CLEAN, lying)
    for li in lying:
        own.tables[CLEAN].take_up([next(s for s, x in own.tables[CLEAN].lying.items() if x is li)])
    assert own.put(CLEAN, [1, 0, 2])
    assert hands_there(own, CLEAN) == [(0, False), (1, True), (2, False)]


def test_a_lay_with_too_many_of_one_hand_is_never_taken_for_better() -> None:
    own = mitt_columns()
    sought(own, CLEAN, 3)
    assert own.put(CLEAN, [0, 1, 2])
    left, right, other_left = own.tables[CLEAN].placements()
    search = Run(mitts(2), lambda: 0.0, 1.0, 1, lambda _: None, lambda: False, None)
    search.consider(Lay((left, replace(other_left, copy=1))))
    assert search.best.placements == ()
    search.consider(Lay((left, right)))
    assert search.best.placements == (left, right)
