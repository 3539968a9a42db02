"""What no lay of a job can exceed: how many of each piece have room, the fill, the whole sets; and the least
that an order can cost.
"""

from __future__ import annotations

from dataclasses import dataclass

from fairlay.core.bounds.fits import Fits
from fairlay.core.bounds.room import room_for
from fairlay.core.bounds.shares import Shares
from fairlay.core.lay.lay import Job
from fairlay.core.pattern import Piece

ROUNDING = 1e-6


@dataclass(frozen=True)
class Bound:
    """Copies of each piece that may have room, the most value-weighted fill, the most whole sets by name
    and of all names together, and the least money an order's leather costs (None: not all of it has room, or
    it is laid on a roll).
    """

    copies: dict[str, int]
    fill: float
    sets: dict[str, int]
    all_sets: int
    cost: float | None


def bound(job: Job, *, by_room: bool = True) -> Bound:
    """Return what no lay of a job exceeds.

    Areas are counted without any waste, so a lay that reaches it is the best there is; leather that only
    some pieces may lie on is counted for those alone (``shares``). ``by_room`` proves first, piece by piece,
    what has room at all, and where whole sets are asked for how many of their large pieces lie beside each
    other (``fits``), which takes up to some minutes.
    """
    copies = {piece.id: _copies(job, piece) if by_room else piece.quantity for piece in job.pieces}
    names = tuple(dict.fromkeys(p.set_name for p in job.pieces if p.set_name))
    if any(hide.is_roll for hide in job.hides):
        return Bound(copies, 1.0, {n: _complete(job, copies, n) for n in names}, 0, None)
    usable = sum(hide.usable.area for hide in job.hides)
    shares = Shares(job, copies)
    sets = {name: _whole(shares.most_sets((name,))) for name in names}
    all_sets = _whole(shares.most_sets(names))
    if by_room and job.objective == "sets" and all_sets and not job.fixed:
        fits = Fits(shares)
        sets = {name: min(most, _sets_that_fit(fits, (name,), most)) for name, most in sets.items()}
        all_sets = (
            sum(sets.values()) if len(names) == 1 else min(all_sets, _sets_that_fit(fits, names, all_sets))
        )
    return Bound(
        copies,
        shares.most_value() / usable if usable else 0.0,
        sets,
        min(all_sets, sum(sets.values())),
        shares.least_cost() if job.objective == "order" else None,
    )


def _whole(most: float) -> int:
    return int(most + ROUNDING)


def _sets_that_fit(fits: Fits, names: tuple[str, ...], most: int) -> int:
    """Return how many sets of some names have room, looked into until no set less can come of it."""

    def enough(least: float, proved: float) -> bool:
        return _whole(min(proved, most)) <= _whole(least)

    return _whole(fits.most_sets(names, enough).most)


def _complete(job: Job, copies: dict[str, int], name: str) -> int:
    return min(copies[p.id] // p.per_set for p in job.pieces if p.set_name == name)


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
