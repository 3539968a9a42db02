"""A projector over the table, calibrated by marks that are dragged, seen by a camera of its own."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from fairlay.core.cutting.projector import calibrated
from fairlay.core.errors import Refused
from fairlay.devices.projector import SimulatedProjector

CORNERS = np.array([[200.0, 150.0], [2200.0, 150.0], [2200.0, 1150.0], [200.0, 1150.0]])
MIDDLE = np.array([[1200.0, 650.0]])


@given(st.integers(0, 10_000))
def test_what_is_thrown_lies_where_it_should_all_over_the_table(seed: int) -> None:
    projector = SimulatedProjector(seed)
    rng = np.random.default_rng(seed)
    marks = np.concatenate([CORNERS, MIDDLE])
    dragged = projector.drag_to(marks) + rng.uniform(-0.25, 0.25, (5, 2))  # half a pixel, by hand
    found = calibrated(dragged.tolist(), marks.tolist(), checks=1)
    grid = np.stack(np.meshgrid(np.linspace(200, 2200, 9), np.linspace(150, 1150, 6)), axis=-1).reshape(-1, 2)
    seen = projector.throw(found.on_screen(grid))
    assert np.hypot(*(seen - grid).T).max() < 1.0 and found.worst_mm < 1.0
    assert np.abs(found.on_table(found.on_screen(grid)) - grid).max() < 1e-6


def test_a_camera_over_the_table_sees_what_was_meant() -> None:
    projector, camera = SimulatedProjector(3), SimulatedProjector(11)  # a camera is a projector the other way
    found = calibrated(projector.drag_to(CORNERS).tolist(), CORNERS.tolist())
    looking = calibrated(camera.drag_to(CORNERS).tolist(), CORNERS.tolist())
    grid = np.random.default_rng(1).uniform((200, 150), (2200, 1150), (60, 2))
    in_picture = camera.drag_to(projector.throw(found.on_screen(grid)))
    assert np.hypot(*(looking.on_table(in_picture) - grid).T).max() < 1.0


def test_a_check_mark_tells_that_a_mark_was_dragged_wrong() -> None:
    projector = SimulatedProjector(5)
    dragged = projector.drag_to(np.concatenate([CORNERS, MIDDLE]))
    dragged[1] += (14, 0)
    assert calibrated(dragged.tolist(), np.concatenate([CORNERS, MIDDLE]).tolist(), checks=1).worst_mm > 3


@pytest.mark.parametrize(
    ("screen", "table", "words"),
    [
        ([[0, 0], [1, 0], [1, 1]], [[0, 0], [1, 0], [1, 1]], "3 marks"),
        ([[0, 0], [1, 0], [2, 0], [3, 0]], CORNERS.tolist(), "one line"),
        ([[0, 0], [9, 0], [9, 9], [0, 9]], [[0, 0], [1, 1], [2, 2], [3, 3]], "one line"),
    ],
)
def test_marks_that_tell_nothing_are_refused(
    screen: list[list[float]], table: list[list[float]], words: str
) -> None:
    with pytest.raises(Refused, match=words):
        calibrated(screen, table)
