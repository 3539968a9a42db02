"""No piece uses unsound leather: thin, weak, open or missing."""

from __future__ import annotations

from collections.abc import Hashable

from fairlay.core.leather import Hide
from fairlay.core.pattern import Piece
from fairlay.core.rules.ground import Forbidden, Policy

NAME = "unsound flaw"


def needs(piece: Piece, hide: Hide | None) -> Hashable:
    """Every piece is held to it alike, hidden areas too."""
    return None


def forbids(piece: Piece, hide: Hide, policy: Policy) -> tuple[Forbidden, ...]:
    """Each flaw of severity 3."""
    return tuple(
        Forbidden(NAME, region, f"on an unsound {flaw.kind}, which no piece may use")
        for flaw, region in hide.flaw_regions
        if flaw.severity == 3
    )
