"""Loose lines joined into contours: ends within the joining distance are one point."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray

from fairlay.core.tolerances import JOIN_MM

Line: TypeAlias = NDArray[np.float64]
SQUARE_ENOUGH = 0.1
"""Lines that meet at less than about 6 degrees go on; where they would cross says nothing of their corner."""


def apart(a: Line, b: Line) -> float:
    return float(np.hypot(*(a - b)))


def joined(chain: Line, following: Line, near_mm: float) -> Line:
    """Two lines as one: ends that are within reach of each other are one point, where the lines meet."""
    met = meeting(chain, following, near_mm)
    return np.concatenate([chain[:-1], met[None], following[1:]])


def ring_of(chain: Line, near_mm: float) -> Line:
    """A line whose ends are within reach of each other as a ring, which does not repeat its first point."""
    if apart(chain[0], chain[-1]) == 0.0:
        return chain[:-1]
    return np.concatenate([meeting(chain, chain, near_mm)[None], chain[1:-1]])


def meeting(before: Line, after: Line, near_mm: float) -> Line:
    """Where a line that ends and one that begins meet: where they cross, gone on straight, if that is within
    reach of both ends; else half way between these.
    """
    a, b = before[-1], after[0]
    u, v = before[-1] - before[-2], after[1] - after[0]
    size = float(np.hypot(*u) * np.hypot(*v))
    turn = float(u[0] * v[1] - u[1] * v[0])
    if size > 0 and abs(turn) > SQUARE_ENOUGH * size:
        t = float((b[0] - a[0]) * v[1] - (b[1] - a[1]) * v[0]) / turn
        meet = a + t * u
        if apart(meet, a) <= near_mm and apart(meet, b) <= near_mm:
            return np.asarray(meet)
    return np.asarray((a + b) / 2)


class Ends:
    """The ends of lines that are not yet joined, in cells as wide as the farthest that ends are joined
    over.
    """

    def __init__(self, lines: Sequence[Line], near_mm: float) -> None:
        self.lines, self.cell = lines, max(near_mm, JOIN_MM)
        self.cells: dict[tuple[int, int], set[tuple[int, bool]]] = {}
        self.left = set(range(len(lines)))
        for k, line in enumerate(lines):
            for last in (False, True):
                self.cells.setdefault(self._at(line[-1 if last else 0]), set()).add((k, last))

    def _at(self, point: Line) -> tuple[int, int]:
        return int(point[0] // self.cell), int(point[1] // self.cell)

    def is_left(self, k: int) -> bool:
        """Whether a line is not yet joined."""
        return k in self.left

    def take(self, k: int) -> None:
        """Take a line out: it is joined."""
        self.left.discard(k)
        for last in (False, True):
            self.cells[self._at(self.lines[k][-1 if last else 0])].discard((k, last))

    def nearest(self, end: Line) -> tuple[float, bool, int]:
        """The nearest end of another line: how far, whether it is the line's last, and which; no farther than
        the cells about it reach.
        """
        best = (math.inf, False, -1)
        col, row = self._at(end)
        for c in (-1, 0, 1):
            for r in (-1, 0, 1):
                for k, last in self.cells.get((col + c, row + r), ()):
                    far = apart(self.lines[k][-1 if last else 0], end)
                    best = min(best, (far, last, k))
        return best
