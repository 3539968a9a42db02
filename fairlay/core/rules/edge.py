"""A piece lies on leather, inside the edge margin."""

from __future__ import annotations

from collections.abc import Hashable

from fairlay.core.leather import Hide
from fairlay.core.pattern import Piece
from fairlay.core.rules.ground import Forbidden, Policy

NAME = "edge"


def needs(piece: Piece, hide: Hide | None) -> Hashable:
    """Every piece is held to the edge alike."""
    return None


def forbids(piece: Piece, hide: Hide, policy: Policy) -> tuple[Forbidden, ...]:
    """Everything that is not leather inside the edge margin; past the end of a roll too."""
    margin = f", or within {hide.edge_margin_mm:g} mm of it" if hide.edge_margin_mm else ""
    return (Forbidden(NAME, hide.off_the_leather, f"over the edge of {hide.id}{margin}"),)
