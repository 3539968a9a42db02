"""Pieces: their outline, what they need of the leather, and the articles they make."""

from fairlay.core.pattern.piece import Grain, Piece, Split, part_id

__all__ = ["Grain", "Piece", "Split", "part_id"]
