"""Between pieces: apart by the gap their tools need, or sharing a cut where that is 0.

A knife needs none, a die its own; between two pieces the larger of both holds.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from shapely import STRtree
from shapely.geometry.base import BaseGeometry

from fairlay.core.pattern import Piece
from fairlay.core.rules.ground import Policy
from fairlay.core.tolerances import OVERLAP_MM

NAME = "gap"


def gap_of(piece: Piece, policy: Policy) -> float:
    """Return the least distance in mm that a piece keeps from others: its own, or else the job's."""
    return policy.gap_mm if piece.gap_mm is None else piece.gap_mm


def between(first: Piece, second: Piece, policy: Policy) -> float:
    """Return the least distance in mm between two pieces: the larger of both gaps."""
    return max(gap_of(first, policy), gap_of(second, policy))


def too_near(
    slim: Sequence[BaseGeometry], gaps: Sequence[float], among: Sequence[int] | None = None
) -> Iterator[tuple[int, int, str]]:
    """Yield (i, j, sentence) for each two placed pieces, given slim and with the gap of each, that overlap or
    are nearer than the larger of their gaps; of those in ``among`` alone, with whatever they are too near.
    """
    tree = STRtree(slim)
    most = max(gaps, default=0.0) + OVERLAP_MM
    own = range(len(slim)) if among is None else among
    seen = set(own)
    for i in own:
        shape = slim[i]
        for j in sorted(int(k) for k in tree.query(shape, predicate="dwithin", distance=most)):
            if j == i or (j < i and j in seen):
                continue
            gap, first, second = max(gaps[i], gaps[j]), min(i, j), max(i, j)
            if shape.intersects(slim[j]):
                yield first, second, f"overlap by {shape.intersection(slim[j]).area:.2f} mm2"
            elif gap and (apart := shape.distance(slim[j])) < gap - OVERLAP_MM:
                yield first, second, f"are {apart:.2f} mm apart, {gap:g} wanted"
