"""A projector over the table: from marks that were dragged onto known places to a picture at true scale."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from fairlay.core.errors import Refused

Matrix3 = NDArray[np.float64]
LEAST_TURN = 1e-3
"""Marks nearer to one line than this share of their reach tell no perspective."""


@dataclass(frozen=True, eq=False)
class Calibration:
    """How the table is seen by a projector: ``matrix`` (3, 3) takes mm on the table to pixels of the screen.
    ``errors_mm`` is how far each check mark is from where it should be.
    """

    matrix: Matrix3
    errors_mm: tuple[float, ...]

    @property
    def worst_mm(self) -> float:
        return max(self.errors_mm, default=0.0)

    def on_screen(self, table: NDArray[np.float64]) -> NDArray[np.float64]:
        """Return points ``(n, 2)`` in mm on the table as pixels of the screen."""
        return _through(self.matrix, table)

    def on_table(self, screen: NDArray[np.float64]) -> NDArray[np.float64]:
        """Return pixels ``(n, 2)`` of the screen as points in mm on the table."""
        back = np.asarray(np.linalg.inv(self.matrix), np.float64)
        return _through(back, screen)


def calibrated(
    screen: Sequence[Sequence[float]], table: Sequence[Sequence[float]], checks: int = 0
) -> Calibration:
    """Return the calibration by four marks or more: ``screen`` their pixels, ``table`` where they lie in mm;
    the last ``checks`` of them only say how good it is.

    A plane seen by a plane is a homography (Hartley and Zisserman 2004, section 4): perspective and scale are
    solved together, by least squares where there are more than four. Raises Refused for fewer, or marks on
    one line.
    """
    seen, there = np.asarray(screen, float).reshape(-1, 2), np.asarray(table, float).reshape(-1, 2)
    fit = len(seen) - checks
    if fit < 4 or len(seen) != len(there):
        raise Refused(
            f"{fit} marks to fit", value=fit, expected="four marks, each with its place on the table"
        )
    for points in (seen[:fit], there[:fit]):
        spread = np.linalg.svd(points - points.mean(axis=0), compute_uv=False)
        if spread[1] < LEAST_TURN * max(spread[0], 1e-9):
            raise Refused("the marks lie on one line", value=fit, expected="four corners of a rectangle")
    found, _ = cv2.findHomography(there[:fit], seen[:fit])
    if found is None or abs(np.linalg.det(found)) < 1e-12:
        raise Refused("these marks fit no table", value=fit, expected="four corners, each on its own mark")
    matrix = np.asarray(found, float)
    inverse = np.asarray(np.linalg.inv(matrix), np.float64)
    back = _through(inverse, seen)
    errors = np.hypot(*(back - there).T)
    return Calibration(matrix, tuple(float(e) for e in errors[fit:] if checks))


def _through(matrix: Matrix3, points: NDArray[np.float64]) -> NDArray[np.float64]:
    at = np.column_stack([points, np.ones(len(points))]) @ matrix.T
    out: NDArray[np.float64] = at[:, :2] / at[:, 2:]
    return out
