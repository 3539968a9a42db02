"""A flaw may not be plainer on the show face than the piece bears; hidden areas take it."""

from __future__ import annotations

from collections.abc import Hashable

from fairlay.core.leather import Hide
from fairlay.core.leather.hide import SEVERITY_NAMES
from fairlay.core.pattern import Piece
from fairlay.core.rules.ground import Forbidden, Policy

NAME = "show face"
BEARS = {0: "no mark at all", 1: "surface marks only"}


def needs(piece: Piece, hide: Hide | None) -> Hashable:
    """The worst severity that the show face bears."""
    return piece.show_limit


def forbids(piece: Piece, hide: Hide, policy: Policy) -> tuple[Forbidden, ...]:
    """Each flaw of severity 1 or 2 above the piece's show limit."""
    return tuple(
        Forbidden(
            NAME,
            region,
            f"shows a {flaw.kind} of severity {flaw.severity} ({SEVERITY_NAMES[flaw.severity]}); its show "
            f"face bears {BEARS[piece.show_limit]}",
            show_only=True,
        )
        for flaw, region in hide.flaw_regions
        if piece.show_limit < flaw.severity < 3
    )
