"""No piece uses unsound leather: thin, weak, open or missing."""

from __future__ import annotations

from collections.abc import Hashable

from shapely.geometry import Polygon

from fairlay.core.leather import Hide
from fairlay.core.pattern import Piece
from fairlay.core.rules.ground import Forbidden, Policy

NAME = "unsound flaw"


def needs(piece: Piece) -> Hashable:
    """Every piece is held to it alike, hidden areas too."""
    return None


def forbids(piece: Piece, hide: Hide, policy: Policy) -> tuple[Forbidden, ...]:
    """Each flaw of severity 3."""
    return tuple(Forbidden(NAME, Polygon(flaw.outline).buffer(0), f"on an unsound {flaw.kind}, which no piece may use") for flaw in hide.flaws if flaw.severity == 3)
