"""An outline taken apart as a knife takes it: straight sides, and the curves between them."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray
from shapely.geometry import LineString

from fairlay.core.shapes.rings import Ring

STRAIGHT_MM: Final = 0.15
"""A side that wanders by less is cut along a rule."""
SHORT_MM: Final = 12.0
"""A shorter chord is cut freehand with what is beside it."""
BEND_DEG: Final = 30.0
"""Chords of a curve turn by less from one to the next."""
ALIKE: Final = 2.6
"""Chords of a curve are about as long as their neighbours: within this factor."""

Points = NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class Side:
    """A part of an outline, ``(n, 2)`` mm from end to end: straight, or a curve; ``closed``: all round."""

    line: Points
    straight: bool
    closed: bool = False

    @property
    def length_mm(self) -> float:
        return float(np.hypot(*np.diff(self.line, axis=0).T).sum())


def sides_of(ring: Ring) -> list[Side]:
    """Return the sides of a ring ``(n, 2)`` in its own order, each ending where the next begins. A ring
    without a straight side is one curve all round.
    """
    closed = LineString(np.concatenate([ring, ring[:1]])).simplify(STRAIGHT_MM)
    at = np.asarray(closed.coords)[:-1]
    n = len(at)
    steps = np.roll(at, -1, axis=0) - at
    lengths = np.hypot(*steps.T)
    turns = np.abs(_turns(steps))
    straight = [_is_straight(k, lengths, turns) for k in range(n)]
    if not any(straight):
        return [Side(np.concatenate([ring, ring[:1]]), False, True)]
    first = straight.index(True)
    out: list[Side] = []
    curve: list[int] = []
    for k in [*range(first, n), *range(first)]:
        if straight[k]:
            if curve:
                out.append(_curve(ring, at, curve))
                curve = []
            out.append(Side(np.stack([at[k], at[(k + 1) % n]]), True))
        else:
            curve.append(k)
    if curve:
        out.append(_curve(ring, at, curve))
    return out


def _turns(steps: Points) -> Points:
    """Degrees by which the way turns at the end of each step."""
    heading = np.arctan2(steps[:, 1], steps[:, 0])
    turn = np.roll(heading, -1) - heading
    return np.degrees((turn + math.pi) % (2 * math.pi) - math.pi)


def _is_straight(k: int, lengths: Points, turns: Points) -> bool:
    if lengths[k] < SHORT_MM:
        return False
    n = len(lengths)
    for other, turn in ((k - 1, turns[k - 1]), ((k + 1) % n, turns[k])):
        if turn < BEND_DEG and 1 / ALIKE < lengths[other] / lengths[k] < ALIKE:
            return False
    return True


def _curve(ring: Ring, at: Points, chords: list[int]) -> Side:
    """The curve over some chords, along the ring's own points."""
    start, end = at[chords[0]], at[(chords[-1] + 1) % len(at)]
    i = int(np.hypot(*(ring - start).T).argmin())
    j = int(np.hypot(*(ring - end).T).argmin())
    along = [*range(i, len(ring)), *range(j + 1)] if j < i else list(range(i, j + 1))
    return Side(ring[along], False)


def radius_mm(line: Points) -> float:
    """Return the radius of the circle through a line's ends and its middle, in mm; infinite for a straight
    one.
    """
    a, b, c = line[0], line[len(line) // 2], line[-1]
    twice = abs((b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0]))
    if twice < 1e-9:
        return math.inf
    return float(math.dist(a, b) * math.dist(b, c) * math.dist(a, c) / (2 * twice))
