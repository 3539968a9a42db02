"""A piece's needs as the cutter says them."""

from __future__ import annotations

from fairlay.core.leather.hide import TIGHTNESS_NAMES
from fairlay.core.pattern.piece import Piece

SHOW = {0: "clean show face", 1: "show face bears surface marks", 2: "bears any sound mark"}


def needs_in_words(piece: Piece) -> tuple[str, ...]:
    """Return the needs of a piece as short phrases: leather, marks, grain, thickness, hand."""
    tight = TIGHTNESS_NAMES[piece.max_tightness]
    out = [
        "any leather"
        if piece.max_tightness == 4
        else f"{tight} leather" + (" only" if piece.max_tightness == 1 else " or tighter")
    ]
    out.append(
        SHOW[piece.show_limit]
        + (", marks allowed in its hidden areas" if piece.hidden and piece.show_limit < 2 else "")
    )
    if piece.grain.any_way:
        out.append("any way round")
    else:
        out.append(
            f"grain within {piece.grain.tolerance_deg:g} degrees"
            + ("" if piece.grain.reversible else ", one way only")
        )
    if piece.thickness_mm:
        out.append(f"{piece.thickness_mm[0]:g} to {piece.thickness_mm[1]:g} mm thick")
    if piece.pair:
        out.append("a pair: half of them mirrored")
    if piece.splits:
        out.append(f"may be made in parts ({', '.join(s.id for s in piece.splits)})")
    return tuple(out)
