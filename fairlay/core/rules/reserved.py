"""Leather kept for other pieces, or for the rack: a strap lane, a block for the next job."""

from __future__ import annotations

from collections.abc import Hashable

from shapely.geometry import Polygon

from fairlay.core.leather import Hide
from fairlay.core.pattern import Piece
from fairlay.core.rules.ground import Forbidden, Policy

NAME = "reserved"


def needs(piece: Piece, hide: Hide | None) -> Hashable:
    """What is reserved on the hide that the piece may not use, by its place in ``hide.reserved``."""
    return () if hide is None else tuple(i for i, r in enumerate(hide.reserved) if not r.lets(piece.whole_id))


def forbids(piece: Piece, hide: Hide, policy: Policy) -> tuple[Forbidden, ...]:
    """Each reserved area that does not name the piece; a part may lie where its whole piece may."""
    return tuple(
        Forbidden(NAME, Polygon(r.outline).buffer(0), f"on leather reserved for {r.words}")
        for r in hide.reserved
        if not r.lets(piece.whole_id)
    )
