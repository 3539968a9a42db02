"""What no lay of a job can exceed: how many of each piece have room, the fill, and the whole sets."""

from __future__ import annotations

from dataclasses import dataclass

from fairlay.core.lay.lay import Job
from fairlay.core.lay.room import room_for
from fairlay.core.pattern import Piece


@dataclass(frozen=True)
class Bound:
    """Copies of each piece that may have room, the most value-weighted fill, and the most whole sets by
    name.
    """

    copies: dict[str, int]
    fill: float
    sets: dict[str, int]


def bound(job: Job) -> Bound:
    """Return what no lay of a job exceeds.

    Areas are counted without any waste, so a lay that reaches it is the best there is.
    """
    copies = {piece.id: _copies(job, piece) for piece in job.pieces}
    usable = sum(hide.usable.area for hide in job.hides)
    left, value = usable, 0.0
    for piece in sorted(job.pieces, key=lambda p: -p.value):
        area = min(left, copies[piece.id] * piece.area_mm2)
        left, value = left - area, value + area * piece.value
    sets: dict[str, int] = {}
    for name in dict.fromkeys(p.set_name for p in job.pieces if p.set_name):
        members = [p for p in job.pieces if p.set_name == name]
        by_area = int(usable // sum(p.area_mm2 * p.per_set for p in members))
        sets[name] = min([by_area, *(copies[p.id] // p.per_set for p in members)])
    return Bound(copies, value / usable if usable else 0.0, sets)


def _copies(job: Job, piece: Piece) -> int:
    whole = _room(job, piece)
    in_parts = sum(min(_room(job, part) for part in split.parts) for split in piece.splits)
    fixed = sum(1 for p in job.fixed if p.piece == piece.id)
    return min(piece.quantity, max(whole + in_parts, fixed))


def _room(job: Job, piece: Piece) -> int:
    hands = (False, True) if piece.pair else (False,)
    each = piece.quantity // len(hands)
    return sum(
        min(each, sum(room_for(job, piece, hide, mirrored).most for hide in job.hides)) for mirrored in hands
    )
