"""The rules of the job: what turns a piece and a hide into forbidden ground, and why.

A rule about place is one module here with the same shape: a ``NAME``, ``needs(piece, hide)``
(what the rule reads of the piece there, hashable: pieces with equal needs share their
ground; no hide: one with nothing reserved) and ``forbids(piece, hide, policy)`` (the ground
and the sentence for it).
Grain is the one rule about angle; the gap is the one between pieces; counts, sets and
fixed pieces are about the lay as a whole. The engine, the lay bench, "why not here?"
and the yield account all ask these modules and never repeat them.
"""

from __future__ import annotations

from collections.abc import Hashable, Iterable

from shapely.geometry import Polygon
from shapely.geometry.base import BaseGeometry

from fairlay.core.leather import Hide
from fairlay.core.pattern import Piece
from fairlay.core.rules import edge, reserved, show_face, thickness, tightness, unsound
from fairlay.core.rules.ground import Forbidden, GrainSchool, Policy
from fairlay.core.shapes.rings import union

PLACE_RULES = (edge, unsound, show_face, tightness, thickness, reserved)

__all__ = [
    "PLACE_RULES",
    "Forbidden",
    "GrainSchool",
    "Policy",
    "bears",
    "fair_areas",
    "fair_ground",
    "forbidden_ground",
    "needs_of",
]


def forbidden_ground(piece: Piece, hide: Hide, policy: Policy) -> tuple[Forbidden, ...]:
    """Return every region of the hide that the piece, or its show face, may not touch, each with its
    reason.
    """
    return tuple(found for rule in PLACE_RULES for found in rule.forbids(piece, hide, policy))


def fair_ground(piece: Piece, hide: Hide, policy: Policy) -> tuple[BaseGeometry, BaseGeometry]:
    """Return where the whole piece may lie, and what its show face must keep off besides.

    The second is empty for a piece without hidden areas: everything is then in the first.
    """
    found = forbidden_ground(piece, hide, policy)
    off_show = union(f.region for f in found if f.show_only)
    barred = union(f.region for f in found if not f.show_only)
    if not piece.hidden:
        barred, off_show = union((barred, off_show)), Polygon()
    return hide.region.difference(barred), off_show


def fair_areas(pieces: Iterable[Piece], hide: Hide, policy: Policy) -> dict[Hashable, float]:
    """Return the area in mm2 of a hide that is fair to each of some pieces, by what the rules read of it
    (``needs_of``): pieces that agree are reckoned once.
    """
    out: dict[Hashable, float] = {}
    for piece in pieces:
        if needs_of(piece, hide) not in out:
            out[needs_of(piece, hide)] = fair_ground(piece, hide, policy)[0].area
    return out


def needs_of(piece: Piece, hide: Hide | None = None) -> Hashable:
    """Return what the place rules read of a piece on a hide: pieces that agree in it share their fair ground
    there. No hide: one that nothing is reserved on, as every hide on the rack is.
    """
    return (bool(piece.hidden), *(rule.needs(piece, hide) for rule in PLACE_RULES))


def bears(fair_mm2: float, piece: Piece) -> bool:
    """Return whether so much fair ground can hold a piece at all: the least that must be so, whatever its
    shape.
    """
    return fair_mm2 >= piece.area_mm2
