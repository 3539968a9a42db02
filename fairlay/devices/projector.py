"""A projector over the table: what a real one does with a screen's pixels, and a simulated one."""

from __future__ import annotations

from typing import Protocol

import numpy as np
from numpy.typing import NDArray

Points = NDArray[np.float64]


class Projector(Protocol):
    """A machine that throws a screen onto the table."""

    def throw(self, screen: Points) -> Points:
        """Return where pixels ``(n, 2)`` of the screen fall on the table, in mm."""


class SimulatedProjector:
    """Hangs askew over the table: turned, tilted both ways, as a real one does; ``width`` and ``height`` in
    pixels, the picture about ``reach_mm`` wide on the table.
    """

    def __init__(
        self,
        seed: int,
        width: int = 1920,
        height: int = 1080,
        reach_mm: float = 2600.0,
    ) -> None:
        rng = np.random.default_rng(seed)
        scale = reach_mm / width
        turn = np.radians(rng.uniform(-4, 4))
        tilt = rng.uniform(-0.12, 0.12, 2)
        turned = np.array([[np.cos(turn), -np.sin(turn), 0], [np.sin(turn), np.cos(turn), 0], [0, 0, 1]])
        centre = np.array([[1, 0, -width / 2], [0, 1, -height / 2], [0, 0, 1]])
        keystone = np.array([[1, 0, 0], [0, 1, 0], [tilt[0] / width, tilt[1] / height, 1]])
        back = np.array([[scale, 0, reach_mm / 2], [0, scale, reach_mm * height / width / 2], [0, 0, 1]])
        self.matrix = back @ turned @ keystone @ centre

    def throw(self, screen: Points) -> Points:
        at = np.column_stack([screen, np.ones(len(screen))]) @ self.matrix.T
        out: Points = at[:, :2] / at[:, 2:]
        return out

    def drag_to(self, table: Points) -> Points:
        """Return the pixels that a hand drags marks to so that they fall on places of the table, in mm."""
        at = np.column_stack([table, np.ones(len(table))]) @ np.linalg.inv(self.matrix).T
        out: Points = at[:, :2] / at[:, 2:]
        return out
