"""Where two pieces overlap, and how badly, told once for every way one can lie to the other.

Where pieces may only lie at a few turns, all that matters of two of them is how far apart their centroids
are. Those differences at which they overlap are the Minkowski sum of one and the other turned through its
origin (Lozano-Perez 1983). Each such sum is kept with a grid over it: whether a cell lies inside, outside or
on its border, the sides of the border in it, and the pain at its corners. Whether two pieces overlap is then
exact and a matter of a side or two, whatever their outlines are.
"""

from __future__ import annotations

import math
from itertools import pairwise
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray
from shapely.geometry import Polygon

from fairlay.core.engine import sums_kernels as kernels
from fairlay.core.engine.bank import BODIES, GROUND, NEAR, Bank, Bodies
from fairlay.core.shapes.minkowski import Parts, body_parts, sum_of, turned
from fairlay.core.shapes.rings import flat, pieces_of, rings_of

LEAST_STEP_MM = 3.0
MOST_CELLS = 100
"""Cells along the longer side of a grid."""
MOST_TABLES = 700
"""More sums than this take longer to make than they save,"""
MOST_PAIRS = 100_000
"""and so do sums of outlines with many inner corners: of so many convex parts, each with each."""
SHIFT = 0.37123
"""A grid begins this share of a cell before its sum, so that its nodes lie on no corner drawn to a tenth."""

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]


class Sums(NamedTuple):
    """Sums of all pairs of *states* (a variant at a turn): states of variant v are ``state_at[v]`` on.

    ``turns[s]`` is (cos, sin), ``boxes[s]`` and ``ground_boxes[s]`` the bounds of the body kept off pieces
    and of that kept on ground. Pair (a, b) has sum ``of[a, b]``, in coordinates of a turned back, from a to
    b; ``swapped``: of b, from b to a. Sum t has nodes ``origin[t] + step[t] * (col, row)``, ``shape[t]``
    (rows, cols) of them, their pain from ``node_at[t]`` on in ``pain``; its cells, one fewer each way, from
    ``cell_at[t]`` on in ``kind`` (OUTSIDE, INSIDE, or BORDER with the node first in it outside, or inside)
    and in ``side_at``, the sides in each (ax, ay, bx, by) being ``sides[side_at[c]:side_at[c + 1]]``. Empty
    where sums are not kept: ``on[0]`` is 0.
    """

    on: Ints
    state_at: Ints
    turns: Floats
    boxes: Floats
    ground_boxes: Floats
    of: Ints
    swapped: NDArray[np.bool_]
    origin: Floats
    step: Floats
    shape: Ints
    node_at: Ints
    pain: NDArray[np.float32]
    cell_at: Ints
    kind: NDArray[np.int8]
    side_at: Ints
    sides: Floats


def no_sums() -> Sums:
    """Return none: pieces are weighed by their outlines."""
    one = np.zeros(1, np.int64)
    return Sums(
        one,
        one,
        np.zeros((1, 2)),
        np.zeros((1, 4)),
        np.zeros((1, 4)),
        np.zeros((1, 1), np.int64),
        np.zeros((1, 1), np.bool_),
        np.zeros((1, 2)),
        np.ones(1),
        np.zeros((1, 2), np.int64),
        one,
        np.zeros(1, np.float32),
        one,
        np.zeros(1, np.int8),
        one,
        np.zeros((1, 4)),
    )


def sums_of(bank: Bank, turns: Floats, turn_at: Ints) -> Sums:
    """Return the sums of every pair of a bank's variants at the turns they may have (radians, middle and half
    width; of variant v on line l, ``turn_at[v, l]`` to ``turn_at[v, l + 1]``); none where turns are free,
    grain lines are many, or there are too many pairs.
    """
    bodies = bank.apart
    one_line = turn_at.shape[1] == 2
    if not one_line or np.any(turns[:, 1] > 0.0):
        return no_sums()
    states = [(v.index, float(turns[k, 0])) for v in bank.variants for k in range(*turn_at[v.index])]
    keys: dict[tuple[int, int, int], int] = {}
    of = np.zeros((len(states), len(states)), np.int64)
    swapped = np.zeros((len(states), len(states)), np.bool_)
    for a, (v, turn) in enumerate(states):
        for b, (w, other) in enumerate(states):
            swap = v > w
            key = (w, v, _rounded(turn - other)) if swap else (v, w, _rounded(other - turn))
            swapped[a, b] = swap
            of[a, b] = keys.setdefault(key, len(keys))
    if len(keys) > MOST_TABLES:
        return no_sums()
    parts = [_parts(bodies, v.index * BODIES + NEAR) for v in bank.variants]
    count = [len(starts) - 1 for _, starts in parts]
    if sum(count[v] * count[w] for v, w, _ in keys) > MOST_PAIRS:
        return no_sums()
    made = [_Table(bodies, v, w, math.radians(rel / 1e6), parts) for v, w, rel in keys]
    at = np.searchsorted([v for v, _ in states], np.arange(len(bank.variants) + 1))
    sides_before = np.cumsum([0, *(len(t.sides) for t in made)])
    return Sums(
        np.ones(1, np.int64),
        at.astype(np.int64),
        np.array([(math.cos(t), math.sin(t)) for _, t in states]),
        np.array([_box(bodies, v * BODIES + NEAR, t) for v, t in states]),
        np.array([_box(bodies, v * BODIES + GROUND, t) for v, t in states]),
        of,
        swapped,
        np.array([t.origin for t in made]),
        np.array([t.step for t in made]),
        np.array([t.shape for t in made], np.int64),
        np.cumsum([0, *(t.pain.size for t in made)]).astype(np.int64),
        np.concatenate([t.pain.ravel() for t in made]),
        np.cumsum([0, *(t.kind.size for t in made)]).astype(np.int64),
        np.concatenate([t.kind.ravel() for t in made]),
        np.concatenate(
            [
                *(t.side_at[:-1] + n for t, n in zip(made, sides_before[:-1], strict=True)),
                sides_before[-1:],
            ]
        ).astype(np.int64),
        np.concatenate([t.sides for t in made]),
    )


def _rounded(turn: float) -> int:
    """A turn in millionths of a degree, less than a whole turn."""
    return round(math.degrees(turn) * 1e6) % 360_000_000


def _parts(bodies: Bodies, k: int) -> Parts:
    pts = bodies.pts[bodies.pt_at[k] : bodies.pt_at[k + 1]]
    starts = bodies.starts[bodies.ring_at[k] : bodies.ring_at[k + 1]]
    body = Polygon()
    for a, b in pairwise(starts):
        body = body.symmetric_difference(Polygon(pts[a:b]).buffer(0))
    return body_parts(body)


def _box(bodies: Bodies, k: int, turn: float) -> tuple[float, float, float, float]:
    cos, sin = math.cos(turn), math.sin(turn)
    pts = bodies.pts[bodies.pt_at[k] : bodies.pt_at[k + 1]] @ np.array([[cos, sin], [-sin, cos]])
    (x0, y0), (x1, y1) = pts.min(axis=0), pts.max(axis=0)
    return float(x0), float(y0), float(x1), float(y1)


class _Table:
    """The sum of two variants, the second turned by ``rel`` radians more than the first."""

    def __init__(self, bodies: Bodies, v: int, w: int, rel: float, parts: list[Parts]) -> None:
        # The second's centroid lies in first + (-second) where the two overlap.
        region = sum_of(parts[v], turned(parts[w], math.cos(rel), math.sin(rel), through=True))
        pts, ring_at = flat([ring for piece in pieces_of(region, 0.0) for ring in rings_of(piece)])
        low, high = pts.min(axis=0), pts.max(axis=0)
        self.step = max(LEAST_STEP_MM, float((high - low).max()) / MOST_CELLS)
        self.origin = low - (1.0 + SHIFT) * self.step
        cols, rows = (int(n) for n in np.ceil((high - self.origin) / self.step) + 2)
        self.shape = (rows, cols)
        self.kind, self.side_at, self.sides = kernels.grid_of(
            pts, ring_at, self.origin, self.step, rows, cols
        )
        self.pain = kernels.pains(
            bodies, v, w, math.cos(rel), math.sin(rel), self.origin, self.step, self.kind
        )
