"""Templates as they were found lying on a hide, against the lay that was planned: piece by piece, in mm."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
import shapely
from scipy.optimize import linear_sum_assignment
from shapely.geometry import Polygon

from fairlay.core.lay.check import OF_PLACE, broken_rules
from fairlay.core.lay.lay import Job, Lay, Placement
from fairlay.core.shapes.placing import Placing, place_points
from fairlay.core.shapes.rings import Ring

HAND_MM: Final = 3.0
"""A hand lays a card off its place by no more than this: it lies where it was planned."""
FAR_MM: Final = 60.0
"""A template is taken for a planned copy of its piece that lies no farther off."""
SIDE_BY_SIDE_MM: Final = 4.0
"""Between two cards of one colour that lie nearer than this a picture may show no edge."""


@dataclass(frozen=True)
class TemplateFound:
    """A template found on a hide: its piece, where it lies in the hide's own mm, how much of its outline the
    picture shows (0 to 1), and which other pieces it may be.
    """

    piece: str
    at: Placing
    support: float
    may_be: tuple[str, ...] = ()


@dataclass(frozen=True)
class PieceAsLaid:
    """A template found, against the plan: the piece and copy it stands for and the place that it stands for
    (the planned one, where it lies there but for what a hand is off); how far its outline is from that
    copy's planned outline at most (None: none is planned near), and the rules it breaks there, in words.
    """

    found: TemplateFound
    piece: str
    copy: int
    at: Placing
    off_mm: float | None
    breaks: tuple[str, ...]


@dataclass(frozen=True)
class AsLaid:
    """All templates found on a hide, and the planned copies (piece, copy) of which none was found;
    ``side_by_side`` are those of them that are planned beside another copy of their piece.
    """

    pieces: tuple[PieceAsLaid, ...]
    missing: tuple[tuple[str, int], ...]
    side_by_side: tuple[tuple[str, int], ...] = ()


def as_laid(job: Job, lies: Sequence[Placement], hide: str, found: Sequence[TemplateFound]) -> AsLaid:
    """Return templates found on a hide of a job against what is planned there and elsewhere.

    A template nearest to a planned copy of a piece that it is, or may be, stands for it; the others stand
    for copies that nothing is planned for yet, or that lie elsewhere.
    """
    outlines = {p.id: p.outline for p in job.pieces}
    here = [p for p in lies if p.hide == hide]
    off = np.full((len(found), len(here)), 10 * FAR_MM)
    for i, f in enumerate(found):
        for k, p in enumerate(here):
            if p.piece == f.piece or p.piece in f.may_be:
                off[i, k] = _off(outlines[f.piece], f.at, outlines[p.piece], p.at)
    stands: dict[int, tuple[Placement, float | None]] = {}
    taken: set[tuple[str, int]] = set()
    for i, k in zip(*linear_sum_assignment(off), strict=True):
        if off[i, k] <= FAR_MM:
            planned = here[k]
            at = planned.at if off[i, k] <= HAND_MM else found[i].at
            stands[int(i)] = (Placement(planned.piece, planned.copy, hide, at), float(off[i, k]))
            taken.add((planned.piece, planned.copy))
    for i, f in enumerate(found):
        if i in stands:
            continue
        # Copies that lie nowhere first, then those planned elsewhere.
        elsewhere = {p.copy for p in lies if p.piece == f.piece}
        most = max(job.pieces_by_id[f.piece].quantity, len(elsewhere), 1)
        free = sorted(
            (c for c in range(most) if (f.piece, c) not in taken), key=lambda c: (c in elsewhere, c)
        )
        copy = free[0] if free else most
        stands[i] = (Placement(f.piece, copy, hide, f.at), None)
        taken.add((f.piece, copy))
    put = [stands[i][0] for i in range(len(found))]
    broken = broken_rules(job, Lay(tuple(put)), {(p.piece, p.copy) for p in put})
    pieces = tuple(
        PieceAsLaid(
            f,
            put[i].piece,
            put[i].copy,
            put[i].at,
            stands[i][1],
            tuple(b.sentence for b in broken if i in b.placements and b.rule in OF_PLACE),
        )
        for i, f in enumerate(found)
    )
    missing = [p for p in here if (p.piece, p.copy) not in taken]
    beside = [p for p in missing if _beside_its_like(p, here, outlines[p.piece])]
    return AsLaid(pieces, *(tuple((p.piece, p.copy) for p in own) for own in (missing, beside)))


def _beside_its_like(one: Placement, here: Sequence[Placement], outline: Ring) -> bool:
    own = Polygon(place_points(outline, one.at))
    return any(
        own.distance(Polygon(place_points(outline, p.at))) < SIDE_BY_SIDE_MM
        for p in here
        if p.piece == one.piece and p.copy != one.copy
    )


def _off(outline: Ring, at: Placing, planned: Ring, there: Placing) -> float:
    """How far an outline where it lies is from a planned one at most, in mm, however it repeats itself."""
    one, other = Polygon(place_points(outline, at)), Polygon(place_points(planned, there))
    if one.centroid.distance(other.centroid) > FAR_MM:
        return 10 * FAR_MM
    return float(shapely.hausdorff_distance(one.exterior, other.exterior))
