"""Shapes that claim the same ground."""

from __future__ import annotations

from itertools import combinations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from shapely.geometry import Polygon, box

from fairlay.core.capture import claims
from fairlay.core.capture.claims import meeting, worth_most

SHARE = 0.1


@st.composite
def claimed(draw: st.DrawFn) -> tuple[list[Polygon], np.ndarray]:
    n = draw(st.integers(1, 9))
    side, size = st.integers(0, 60), st.integers(12, 40)
    shapes = [
        box(x, y, x + w, y + h)
        for x, y, w, h in (tuple(draw(s) for s in (side, side, size, size)) for _ in range(n))
    ]
    return shapes, np.array([float(draw(st.integers(-3, 20))) for _ in range(n)])


def apart(shapes: list[Polygon], chosen: tuple[int, ...]) -> bool:
    return all(
        shapes[i].intersection(shapes[j]).area <= SHARE * min(shapes[i].area, shapes[j].area)
        for i, j in combinations(chosen, 2)
    )


@given(claimed())
def test_those_that_stand_are_worth_most_of_all_that_may(made: tuple[list[Polygon], np.ndarray]) -> None:
    shapes, worth = made
    stand = worth_most(worth, shapes, meeting(shapes, SHARE))
    assert apart(shapes, tuple(stand))
    most = max(
        float(worth[list(chosen)].sum())
        for n in range(len(shapes) + 1)
        for chosen in combinations(range(len(shapes)), n)
        if apart(shapes, chosen)
    )
    assert worth[stand].sum() == pytest.approx(most)


def test_where_no_program_ends_in_time_the_best_stands_first(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(claims, "MOST_S", 0.0)
    row = [box(10 * k, 0, 10 * k + 15, 10) for k in range(40)]
    worth = np.array([5.0 + k % 3 for k in range(40)])
    stand = worth_most(worth, row, meeting(row, SHARE))
    assert stand and apart(row, tuple(stand))
