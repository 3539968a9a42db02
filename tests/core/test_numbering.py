"""Numbers stand in the order that people count in."""

from __future__ import annotations

from itertools import pairwise

import pytest
from hypothesis import given
from hypothesis import strategies as st

from fairlay.core.numbering import as_counted


@pytest.mark.parametrize(
    "in_order",
    [
        ["O-07", "O-7", "O-99", "O-999", "O-1000"],
        ["", "7", "10", "A", "a", "lot 7", "lot 7 b", "lot 10"],
        ["F-2.9", "F-2.10", "F-10", "f-11", "O-1"],
        ["24 stools", "100 chairs", "Order 3"],
    ],
)
def test_in_order(in_order: list[str]) -> None:
    shuffled = in_order[::-1]
    shuffled.sort(key=as_counted)
    assert shuffled == in_order


@given(st.lists(st.text(max_size=12), max_size=12))
def test_any_words_have_an_order(words: list[str]) -> None:
    found = sorted(words, key=as_counted)
    again = words[::-1]
    again.sort(key=as_counted)
    assert again == found and sorted(found) == sorted(words)


@given(st.text(alphabet="AB- ", max_size=4), st.integers(0, 10**9), st.integers(0, 10**9))
def test_whole_numbers_count(before: str, a: int, b: int) -> None:
    found = sorted([f"{before}{n}" for n in (a, b)], key=as_counted)
    assert all(int(x.removeprefix(before)) <= int(y.removeprefix(before)) for x, y in pairwise(found))
