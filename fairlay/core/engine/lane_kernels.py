"""Compiled parts of ``lanes``: which lanes a place is best cut into, and what lies in each."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from fairlay.core.shapes.compiled import compiled

STEP_MM = 2.0
"""How finely places along lanes are told."""
ACROSS_MM = 1.0
"""How finely lanes are told across."""
THIN = 0.85
"""What is at least so wide as a lane may lie in it."""
EVEN = 1e-6


class LaneGround(NamedTuple):
    """Ground in cells of ``cell`` mm, the first at (0, 0). ``before`` (g, rows + 1, cols): how many cells
    down to each row bear no strip of ground g. Of a row that a lane covers in part, a share of ``edge`` is
    passed over.
    """

    before: NDArray[np.int32]
    cell: float
    edge: float


class Kinds(NamedTuple):
    """Strips (k,): their ground, how long and broad they are in mm, what they are worth, and whether any is
    left; ``gap`` between any two.
    """

    ground: NDArray[np.int64]
    long: NDArray[np.float64]
    broad: NDArray[np.float64]
    worth: NDArray[np.float64]
    held: NDArray[np.bool_]
    gap: float


class Place(NamedTuple):
    """Where lanes may lie, in mm: along from ``low`` to ``high``, across from ``first`` to ``last``."""

    low: float
    high: float
    first: float
    last: float


@compiled
def _steps(mm, step, grace):
    return int(np.ceil(mm / step - grace))


@compiled
def _fill_lane(on, kinds, y, wide, low, high, best, pick):
    """Fill a lane that lies ``y`` mm across and is ``wide`` with strips worth most; return their worth.

    ``best`` and ``pick`` take, for each step along, what the rest is worth, and the kind that begins there,
    -1 for none.
    """
    many, rows, cols = len(kinds.long), on.before.shape[1] - 1, on.before.shape[2]
    n = len(best) - 1
    best[:] = 0.0
    pick[:] = -1
    free, at = np.zeros(many), np.full(many, cols)
    for i in range(n - 1, -1, -1):
        p = low + i * STEP_MM
        best[i] = best[i + 1]
        c = int(p / on.cell)
        for k in range(many):
            broad = kinds.broad[k]
            if not kinds.held[k] or broad > wide + EVEN or broad < THIN * wide or c >= cols:
                continue
            while at[k] > c:
                # How far it is free from this column on, told once for each.
                at[k] -= 1
                r0 = max(0, int(np.ceil(y / on.cell - 1.0 + on.edge)))
                r1 = min(rows, int(np.floor((y + broad) / on.cell - on.edge)) + 1)
                column = on.before[kinds.ground[k], :, at[k]]
                clear = r1 > r0 and column[r1] == column[r0]
                free[k] = free[k] + on.cell if clear else 0.0
            if min(free[k] - (p - c * on.cell), high - p) < kinds.long[k]:
                continue
            j = min(n, i + _steps(kinds.long[k] + kinds.gap, STEP_MM, 0.25))
            total = kinds.worth[k] + best[j]
            # As early as may be, so that what does not go there can go a little later.
            if total > best[i + 1] - EVEN and (pick[i] < 0 or total > best[i]):
                best[i] = max(total, best[i])
                pick[i] = k
    return best[0]


@compiled
def lanes_across(on, kinds, widths, place, total, width):
    """Choose lanes across a place so that what lies in all of them is worth most; counts are not looked at.

    ``total`` and ``width`` take, for each step across, what the rest is worth, and the width of the lane
    that begins there, 0 for none.
    """
    n = len(total) - 1
    along = int((place.high - place.low) / STEP_MM) + 2
    best, pick = np.zeros(along), np.empty(along, np.int64)
    total[:] = 0.0
    width[:] = 0.0
    for i in range(n - 1, -1, -1):
        y = place.first + i * ACROSS_MM
        total[i] = total[i + 1]
        for w in widths:
            if y + w > place.last + EVEN:
                continue
            here = _fill_lane(on, kinds, y, w, place.low, place.high, best, pick)
            j = min(n, i + _steps(w + kinds.gap, ACROSS_MM, EVEN))
            if here > 0.0 and here + total[j] > total[i]:
                total[i] = here + total[j]
                width[i] = w


@compiled
def strips_of_lane(on, kinds, place, y, wide, out):
    """Fill ``out`` (m, 3) with what lies in one lane: from how far along in mm, up to how far as well, and
    which kind; return how many.
    """
    along = int((place.high - place.low) / STEP_MM) + 2
    best, pick = np.zeros(along), np.empty(along, np.int64)
    _fill_lane(on, kinds, y, wide, place.low, place.high, best, pick)
    i, m = 0, 0
    while i < along and m < len(out):
        k = pick[i]
        if k < 0:
            i += 1
            continue
        late = i
        while late + 1 < along and best[late + 1] > best[i] - EVEN:
            late += 1
        out[m, 0] = place.low + i * STEP_MM
        out[m, 1] = place.low + late * STEP_MM
        out[m, 2] = k
        m += 1
        i = min(along, i + _steps(kinds.long[k] + kinds.gap, STEP_MM, 0.25))
    return m
