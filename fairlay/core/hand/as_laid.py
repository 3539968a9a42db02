"""Templates as they were found lying on a hide, against the lay that was planned: piece by piece, in mm."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
import shapely
from scipy.optimize import linear_sum_assignment
from shapely.geometry import Polygon

from fairlay.core.lay.check import broken_rules
from fairlay.core.lay.lay import Job, Lay, Placement
from fairlay.core.shapes.placing import Placing, place_points
from fairlay.core.shapes.rings import Ring

OF_PLACE: Final = frozenset(
    {"edge", "unsound flaw", "show face", "tightness", "thickness", "reserved", "grain", "gap", "leather"}
)
"""Rules that a template can break where it lies."""
FAR_MM: Final = 60.0
"""A template is taken for a planned copy of its piece that lies no farther off."""


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
    """A template found, against the plan: the copy of its piece it stands for, how far its outline is from
    that copy's planned outline at most (None: none is planned near), and the rules it breaks there, in
    words.
    """

    found: TemplateFound
    copy: int
    off_mm: float | None
    breaks: tuple[str, ...]


@dataclass(frozen=True)
class AsLaid:
    """All templates found on a hide, and the planned copies (piece, copy) of which none was found."""

    pieces: tuple[PieceAsLaid, ...]
    missing: tuple[tuple[str, int], ...]

    @property
    def placements(self) -> tuple[tuple[str, int, Placing], ...]:
        """Piece, copy and place of everything found."""
        return tuple((p.found.piece, p.copy, p.found.at) for p in self.pieces)


def as_laid(job: Job, lies: Sequence[Placement], hide: str, found: Sequence[TemplateFound]) -> AsLaid:
    """Return templates found on a hide of a job against what is planned there and elsewhere.

    A template nearest to a planned copy of its piece stands for it; the others stand for copies that nothing
    is planned for yet, or that lie elsewhere.
    """
    outlines = {p.id: p.outline for p in job.pieces}
    here = [p for p in lies if p.hide == hide]
    copy_of: dict[int, tuple[int, float | None]] = {}
    taken: set[tuple[str, int]] = set()
    for piece in dict.fromkeys(f.piece for f in found):
        own = [i for i, f in enumerate(found) if f.piece == piece]
        planned = [p for p in here if p.piece == piece]
        off = np.array([[_off(outlines[piece], found[i].at, p.at) for p in planned] for i in own]).reshape(
            len(own), len(planned)
        )
        for a, b in zip(*linear_sum_assignment(off), strict=True):
            if off[a, b] <= FAR_MM:
                copy_of[own[a]] = (planned[b].copy, float(off[a, b]))
                taken.add((piece, planned[b].copy))
        # Copies that lie nowhere first, then those planned elsewhere.
        elsewhere = {p.copy for p in lies if p.piece == piece}
        most = max(job.pieces_by_id[piece].quantity, len(elsewhere)) or len(own)
        free = sorted((c for c in range(most) if (piece, c) not in taken), key=lambda c: (c in elsewhere, c))
        for i in own:
            if i not in copy_of and free:
                copy_of[i] = (free.pop(0), None)
                taken.add((piece, copy_of[i][0]))
    put = {i: Placement(found[i].piece, copy, hide, found[i].at) for i, (copy, _) in copy_of.items()}
    broken = broken_rules(job, Lay(tuple(put.values())), {(p.piece, p.copy) for p in put.values()})
    pieces = []
    for i, p in put.items():
        own_index = list(put).index(i)
        words = tuple(b.sentence for b in broken if own_index in b.placements and b.rule in OF_PLACE)
        pieces.append(PieceAsLaid(found[i], p.copy, copy_of[i][1], words))
    missing = tuple((p.piece, p.copy) for p in here if (p.piece, p.copy) not in taken)
    return AsLaid(tuple(pieces), missing)


def _off(outline: Ring, a: Placing, b: Placing) -> float:
    """How far two placings of an outline are apart at most, in mm, however the outline repeats itself."""
    one, other = (Polygon(place_points(outline, at)) for at in (a, b))
    if one.centroid.distance(other.centroid) > FAR_MM:
        return 10 * FAR_MM
    return float(shapely.hausdorff_distance(one.exterior, other.exterior))
