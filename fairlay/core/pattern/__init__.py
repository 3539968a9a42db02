"""Pieces: their outline and what they need of the leather."""

from fairlay.core.pattern.piece import Grain, Piece, Split, part_id

__all__ = ["Grain", "Piece", "Split", "part_id"]
