"""Copies that do not lie yet, and which hand of a pair a piece may be."""

from __future__ import annotations

import math
from collections.abc import Sequence

from fairlay.core.lay.lay import Job, Lay, Placement


def free_copies(job: Job, lay: Lay) -> list[tuple[str, int]]:
    """Return each copy (piece, copy) that does not lie, whole or in parts, by piece and number."""
    lying = {(job.pieces_by_id[p.piece].whole_id, p.copy) for p in lay.placements}
    return [
        (piece.id, copy)
        for piece in job.pieces
        for copy in range(piece.quantity)
        if (piece.id, copy) not in lying
    ]


def other_hand(job: Job, lies: Sequence[Placement], p: Placement) -> list[Placement]:
    """Return what has to be turned over along with a piece of a pair so that no hand is too many: the nearest
    of the other hand on the same hide, else on any; nothing where the pair has room for it.
    """
    piece = job.pieces_by_id[p.piece]
    if not piece.pair:
        return []
    own = [q for q in lies if q.piece == p.piece]
    so_many = sum(q.at.mirrored != p.at.mirrored for q in own)
    if so_many + 1 <= piece.quantity // 2:
        return []
    others = [q for q in own if q.at.mirrored != p.at.mirrored]
    return sorted(others, key=lambda q: (q.hide != p.hide, math.hypot(q.at.x - p.at.x, q.at.y - p.at.y)))[:1]
