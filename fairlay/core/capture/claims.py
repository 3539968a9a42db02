"""Shapes that claim the same ground: which of them stand."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, Final

import numpy as np
import shapely
from numpy.typing import NDArray
from scipy.optimize import Bounds, LinearConstraint, milp
from scipy.sparse import coo_array
from shapely.geometry import Polygon

WORN_MM: Final = 2.0
"""A place is held by what it lies so far within."""
HELD_EVERY_MM: Final = 9.0
MOST_S: Final = 3.0
"""What was found until then stands."""


def meeting(shapes: Sequence[Polygon], share: float) -> set[tuple[int, int]]:
    """Return the pairs of shapes (the first comes first) that lie on each other by more than ``share`` of the
    smaller.
    """
    pairs = shapely.STRtree(shapes).query(shapes, predicate="intersects")
    first, second = pairs[:, pairs[0] < pairs[1]]
    each, area = np.array(shapes), shapely.area(shapes)
    both = shapely.area(shapely.intersection(each[first], each[second]))
    too_much = both > share * np.minimum(area[first], area[second])
    return set(zip(first[too_much].tolist(), second[too_much].tolist(), strict=True))


def worth_most(
    worth: NDArray[np.float64], shapes: Sequence[Polygon], against: set[tuple[int, int]]
) -> list[int]:
    """Return those shapes, in mm, that are worth most together; of each pair ``against`` each other, one at
    most. What is worth nothing is none of them.

    A set packing program (HiGHS, through scipy), in which all that lie on one place, each against each, hold
    it by turns: that bounds far better than pairs do.
    """
    own = np.flatnonzero(worth > 0).tolist()
    at = {i: k for k, i in enumerate(own)}
    held = {(at[i], at[j]) for i, j in against if i in at and j in at}
    if not held:
        return own
    rows = [sorted(row) for row in _of_one_place([shapes[i] for i in own], held) | held]
    where = (np.repeat(np.arange(len(rows)), [len(row) for row in rows]), np.concatenate(rows))
    found = milp(
        -worth[own] / worth.max(),
        integrality=np.ones(len(own)),
        bounds=Bounds(0, 1),
        constraints=LinearConstraint(
            coo_array((np.ones(len(where[0])), where), (len(rows), len(own))).tocsr(), -np.inf, 1
        ),
        options={"time_limit": MOST_S},
    )
    if found.x is None:
        return _one_by_one(worth[own], held, own)
    return [i for i, x in zip(own, found.x, strict=True) if x > 0.5]


def _of_one_place(shapes: Sequence[Polygon], held: set[tuple[int, int]]) -> set[tuple[int, ...]]:
    """Groups of three shapes and more that lie on one place, each against each."""
    worn = [s.buffer(-WORN_MM) for s in shapes]
    bounds = shapely.total_bounds(worn)
    if np.isnan(bounds).any():
        return set()
    x, y = (np.arange(bounds[d], bounds[d + 2], HELD_EVERY_MM) for d in (0, 1))
    places: Any = shapely.points(*(a.ravel() for a in np.meshgrid(x, y)))
    place, who = shapely.STRtree(worn).query(places, predicate="intersects")
    order = np.lexsort((who, place))
    out: set[tuple[int, ...]] = set()
    for there in np.split(who[order], np.flatnonzero(np.diff(place[order])) + 1):
        group: list[int] = []
        for k in there.tolist():
            if all((o, k) in held for o in group):
                group.append(k)
        if len(group) > 2:
            out.add(tuple(group))
    return out


def _one_by_one(worth: NDArray[np.float64], held: set[tuple[int, int]], names: Sequence[int]) -> list[int]:
    """The best, the best that is not against it, and so on."""
    stand: list[int] = []
    for k in np.argsort(-worth).tolist():
        if not any((k, o) in held or (o, k) in held for o in stand):
            stand.append(k)
    return [names[k] for k in stand]
