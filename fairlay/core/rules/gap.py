"""Between pieces: apart by the gap, or sharing a cut where the gap is 0."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from shapely import STRtree
from shapely.geometry.base import BaseGeometry

from fairlay.core.rules.ground import Policy
from fairlay.core.tolerances import OVERLAP_MM

NAME = "gap"


def too_near(slim: Sequence[BaseGeometry], policy: Policy) -> Iterator[tuple[int, int, str]]:
    """Yield (i, j, sentence) for each two placed pieces, given slim, that overlap or are nearer than the gap."""
    tree = STRtree(slim)
    for i, shape in enumerate(slim):
        for j in sorted(
            int(k) for k in tree.query(shape, predicate="dwithin", distance=policy.gap_mm + OVERLAP_MM)
        ):
            if j <= i:
                continue
            if shape.intersects(slim[j]):
                yield i, j, f"overlap by {shape.intersection(slim[j]).area:.2f} mm2"
            elif policy.gap_mm and shape.distance(slim[j]) < policy.gap_mm - OVERLAP_MM:
                yield i, j, f"are {shape.distance(slim[j]):.2f} mm apart, {policy.gap_mm:g} wanted"
