"""A piece lies on leather, inside the edge margin."""

from __future__ import annotations

from collections.abc import Hashable

from shapely.geometry import box

from fairlay.core.leather import Hide
from fairlay.core.pattern import Piece
from fairlay.core.rules.ground import Forbidden, Policy

NAME = "edge"
BEYOND_MM = 10_000.0
"""How far past the hide the forbidden ground is drawn: farther than any piece is long."""


def needs(piece: Piece) -> Hashable:
    """Every piece is held to the edge alike."""
    return None


def forbids(piece: Piece, hide: Hide, policy: Policy) -> tuple[Forbidden, ...]:
    """Everything that is not leather inside the edge margin; past the end of a roll too."""
    x0, y0, x1, y1 = hide.region.bounds
    frame = box(x0 - BEYOND_MM, y0 - BEYOND_MM, x1 + BEYOND_MM, y1 + BEYOND_MM)
    margin = f", or within {hide.edge_margin_mm:g} mm of it" if hide.edge_margin_mm else ""
    return (Forbidden(NAME, frame.difference(hide.within_margin), f"over the edge of {hide.id}{margin}"),)
