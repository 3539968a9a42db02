"""A piece uses no leather looser than it bears."""

from __future__ import annotations

from collections.abc import Hashable

from fairlay.core.leather import Hide
from fairlay.core.leather.hide import TIGHTNESS_NAMES
from fairlay.core.pattern import Piece
from fairlay.core.rules.ground import Forbidden, Policy

NAME = "tightness"


def needs(piece: Piece, hide: Hide | None) -> Hashable:
    """The loosest class the piece bears."""
    return piece.max_tightness


def forbids(piece: Piece, hide: Hide, policy: Policy) -> tuple[Forbidden, ...]:
    """Each zone looser than the piece bears, as far as no later zone covers it."""
    return tuple(
        Forbidden(
            NAME,
            shown,
            f"on {TIGHTNESS_NAMES[zone.tightness]} leather (class {zone.tightness}); it needs "
            f"{TIGHTNESS_NAMES[piece.max_tightness]}" + ("" if piece.max_tightness == 1 else " or tighter"),
        )
        for zone, shown in hide.zone_regions
        if zone.tightness > piece.max_tightness and not shown.is_empty
    )
