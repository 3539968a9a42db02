"""Cameras and markers fitted together from what is seen of the markers' corners alone."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from fairlay.core.capture.markers import MarkerSeen
from fairlay.core.capture.table import SQUARE, TableSeen, View, fit_table
from fairlay.core.errors import BadPicture
from tests.effort import tried

SIZE = (4000, 6000)
SIDE = 150.0
FOCAL = 0.85 * SIZE[1]
Floats = np.ndarray


def laid(seed: int, count: int = 10) -> dict[int, Floats]:
    """Markers round a hide of 2.2 by 1.0 m, none quite straight: their corners in mm."""
    rng = np.random.default_rng(seed)
    places = [(x, y) for y in (-650, 650) for x in (-1250, -420, 420, 1250)] + [(-1300, 0), (1300, 0)]
    out = {}
    for n, (x, y) in enumerate(places[:count]):
        t = rng.normal(0, 0.1)
        turn = np.array([[np.cos(t), -np.sin(t)], [np.sin(t), np.cos(t)]])
        out[n] = SQUARE * SIDE @ turn.T + [x + rng.normal(0, 10), y + rng.normal(0, 10)]
    return out


def view(
    tilt_x: float = 0.0,
    tilt_y: float = 0.0,
    roll: float = 0.0,
    lens: tuple[float, float] = (0.0, 0.0),
    shift: float = 0.0,
    height: float = 2700.0,
) -> View:
    """A camera over (shift, 0), looking down but for its tilt, angles in degrees."""
    turn = (
        cv2.Rodrigues(np.radians([tilt_x, 0.0, 0.0]))[0]
        @ cv2.Rodrigues(np.radians([0.0, tilt_y, 0.0]))[0]
        @ cv2.Rodrigues(np.radians([0.0, 0.0, roll]))[0]
    )
    eye = np.array([shift, 0.0, -height]) - turn.T @ np.array([0.0, 0.0, 0.0])
    # The camera leans about the place it looks at, so that the table stays in the picture.
    move = -turn @ np.array([shift, 0.0, 0.0]) + np.array([0.0, 0.0, height])
    del eye
    return View(cv2.Rodrigues(turn)[0].ravel(), move, FOCAL, lens, SIZE)


def seen(markers: dict[int, Floats], by: View, noise: float = 0.0, seed: int = 0) -> tuple[MarkerSeen, ...]:
    rng = np.random.default_rng(seed)
    out = []
    for n, corners in markers.items():
        at = by.to_picture(corners) + rng.normal(0, noise, (4, 2))
        if (at > 0).all() and (at < [SIZE[1], SIZE[0]]).all():
            out.append(MarkerSeen(n, at, np.full(3, 230.0), 1.0))
    return tuple(out)


def off(table: TableSeen, markers: dict[int, Floats]) -> float:
    """The worst corner in mm, after the table is moved and turned to fit best."""
    found = np.concatenate([table.markers[n] for n in table.markers])
    truth = np.concatenate([markers[n] for n in table.markers])
    a, b = found - found.mean(axis=0), truth - truth.mean(axis=0)
    u, _, v = np.linalg.svd(a.T @ b)
    return float(np.hypot(*(a @ u @ v - b).T).max())


@pytest.mark.parametrize("lens", [(0.0, 0.0), (-0.1, 0.02), (0.05, 0.0)])
@pytest.mark.parametrize(
    ("tilt_x", "tilt_y", "roll"), [(0, 0, 0), (10, 0, 0), (0, -12, 3), (9, 9, -5), (15, -8, 90), (6, 4, 180)]
)
def test_a_table_is_found_from_any_view(
    tilt_x: float, tilt_y: float, roll: float, lens: tuple[float, float]
) -> None:
    markers, by = laid(1), view(tilt_x, tilt_y, roll, lens, height=3900.0 if roll == 90 else 3000.0)
    own = seen(markers, by)
    assert len(own) >= 6
    table = fit_table((own,), [SIZE], SIDE)
    assert off(table, markers) < 0.6 and table.rms_mm < 0.1


@settings(max_examples=tried(8, 80))
@given(st.integers(0, 1000), st.floats(-10, 10), st.floats(-10, 10))
def test_trembling_corners_cost_little(seed: int, tilt_x: float, tilt_y: float) -> None:
    markers = laid(seed)
    table = fit_table((seen(markers, view(tilt_x, tilt_y, 1.0, (-0.05, 0.01)), 0.15, seed),), [SIZE], SIDE)
    assert off(table, markers) < 2.0


def test_a_corner_under_a_mug_is_left_out() -> None:
    markers = laid(2)
    own = list(seen(markers, view(6, -5, 2)))
    own[3] = MarkerSeen(
        own[3].number, own[3].corners + np.array([[0, 0], [14.0, 9.0], [0, 0], [0, 0]]), own[3].white, 1.0
    )
    table = fit_table((tuple(own),), [SIZE], SIDE)
    assert off(table, markers) < 0.6


def test_the_eye_is_where_it_was() -> None:
    by = view(10, -8, 0, height=2600.0)
    table = fit_table((seen(laid(3), by),), [SIZE], SIDE)
    assert table.views[0].eye[2] == pytest.approx(by.eye[2], rel=0.03)
    assert table.views[0].focal == pytest.approx(FOCAL, rel=0.03)


def test_the_tables_lines_run_as_the_pictures_do() -> None:
    by = view(5, 4, 27.0)
    table = fit_table((seen(laid(4), by),), [SIZE], SIDE)
    own = table.views[0]
    middle = np.array(own.to_picture(np.array([[0.0, 0.0], [100.0, 0.0]])))
    way = np.degrees(np.arctan2(*(middle[1] - middle[0])[::-1]))
    assert abs(way) < 3


@pytest.mark.parametrize("shift", [500.0, 700.0])
def test_two_pictures_share_one_table(shift: float) -> None:
    markers = laid(5)
    left, right = (
        seen(markers, view(3, 2, 1, shift=-shift, height=2200.0), 0.1, 1),
        seen(markers, view(-2, -3, -1, shift=shift, height=2200.0), 0.1, 2),
    )
    both = {m.number for m in left} & {m.number for m in right}
    assert 2 <= len(both) < 10 and len({m.number for m in left} | {m.number for m in right}) == 10
    table = fit_table((left, right), [SIZE, SIZE], SIDE)
    assert set(table.markers) == set(markers) and off(table, markers) < 1.5


@pytest.mark.parametrize("shared", [0, 1])
def test_pictures_that_share_too_little_are_told(shared: int) -> None:
    markers = laid(6)
    whole = seen(markers, view(3, 2))
    left, right = whole[: 5 + shared], whole[5:]
    with pytest.raises(BadPicture, match=f"shares {shared} marker"):
        fit_table((left, right), [SIZE, SIZE], SIDE)


def test_scale_comes_from_the_printed_size() -> None:
    markers = laid(7)
    own = seen(markers, view(5, 5))
    small, large = fit_table((own,), [SIZE], 147.0), fit_table((own,), [SIZE], 150.0)
    spread = [np.ptp(np.concatenate(list(t.markers.values())), axis=0)[0] for t in (small, large)]
    assert spread[1] / spread[0] == pytest.approx(150 / 147, rel=1e-4)


def test_bounds_hold_every_marker() -> None:
    table = fit_table((seen(laid(8), view(2, 2)),), [SIZE], SIDE)
    x0, y0, x1, y1 = table.bounds
    corners = np.concatenate(list(table.markers.values()))
    assert (corners > [x0, y0]).all() and (corners < [x1, y1]).all()
    assert table.views[0].px_per_mm(np.zeros((1, 2))) == pytest.approx(FOCAL / 2700, rel=0.03)
