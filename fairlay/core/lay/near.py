"""Copies of a lay numbered so that the pieces of one set lie near each other: cut soon after one another, and
alike in colour and hand.

Copies of a piece are the same piece: which of them belongs to which set is free, so this costs no leather.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import replace
from typing import Final

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import linear_sum_assignment

from fairlay.core.lay.lay import Job, Lay, Placement
from fairlay.core.shapes.placing import place_points

Floats = NDArray[np.float64]

ROUNDS: Final = 6
OTHER_HIDE_MM: Final = 20_000.0
"""Another hide is as far as this."""
KEPT_MM: Final = 60.0
"""A number stays with its piece unless another lies nearer by more."""


def sets_near(job: Job, lay: Lay, before: Sequence[Placement] = ()) -> Lay:
    """Return a lay with the same pieces at the same places, their copies numbered so that sets lie together.

    What is fixed, excused or made in parts keeps its number, so does what lies on hides that are left as they
    are, and what lies where it lay ``before``: whoever moves another piece meanwhile is not in its way. A
    piece in one hand keeps to the numbers of that hand, and of a set that must come from one hide all do.
    """
    stay = set(before)
    fixed = {(p.piece, p.copy) for p in job.fixed} | job.excused
    fixed |= {(p.piece, p.copy) for p in lay.placements if p in stay}
    at = [*lay.placements]
    middle = {k: _middle(job, p) for k, p in enumerate(at)}
    members: dict[str, list[int]] = defaultdict(list)
    for k, p in enumerate(at):
        piece = job.pieces_by_id[p.piece]
        if piece.set_name and piece.parent is None:
            members[piece.set_name].append(k)
    for own in members.values():
        groups = _interchangeable(job, at, own, fixed)
        for _ in range(ROUNDS):
            before = list(at)
            for group in groups:
                _number(job, at, group, own, middle)
            if at == before:
                break
    return replace(lay, placements=tuple(at))


def _middle(job: Job, p: Placement) -> Floats:
    """Where a piece lies on its hide, in mm."""
    outline = place_points(job.pieces_by_id[p.piece].outline, p.at)
    return np.asarray((outline.min(axis=0) + outline.max(axis=0)) / 2)


def _interchangeable(
    job: Job, at: list[Placement], own: Iterable[int], fixed: Iterable[tuple[str, int]]
) -> list[list[int]]:
    """Placements of a set's pieces that may change numbers with each other, the smallest pieces last."""
    kept = set(fixed)
    groups: dict[tuple[str, bool, str], list[int]] = defaultdict(list)
    for k in own:
        p = at[k]
        if (p.piece, p.copy) not in kept and p.hide not in job.leave:
            one_hide = p.hide if job.pieces_by_id[p.piece].set_name in job.match_sets else ""
            groups[p.piece, p.at.mirrored, one_hide].append(k)
    several = [key for key, group in groups.items() if len(group) > 1]
    return [groups[key] for key in sorted(several, key=lambda key: -job.pieces_by_id[key[0]].area_mm2)]


def _number(
    job: Job, at: list[Placement], group: list[int], own: Iterable[int], middle: dict[int, Floats]
) -> None:
    """Give the copies of a group the numbers that bring them nearest to the rest of their sets, in place."""
    among = set(group)
    rest: dict[int, list[int]] = defaultdict(list)
    for k in own:
        if k not in among:
            rest[_set_of(job, at[k])].append(k)
    numbers = [at[k].copy for k in group]
    far = np.zeros((len(group), len(group)))
    for i, k in enumerate(group):
        for j, number in enumerate(numbers):
            others = rest.get(_set_of(job, replace(at[k], copy=number)), ())
            away = [
                float(np.hypot(*(middle[k] - middle[o]))) if at[o].hide == at[k].hide else OTHER_HIDE_MM
                for o in others
            ]
            far[i, j] = sum(away) / max(1, len(away)) + (KEPT_MM if i != j else 0.0)
    rows, columns = linear_sum_assignment(far)
    for i, j in zip(rows, columns, strict=True):
        at[group[i]] = replace(at[group[i]], copy=numbers[j])


def _set_of(job: Job, p: Placement) -> int:
    return p.copy // job.pieces_by_id[p.piece].per_set
