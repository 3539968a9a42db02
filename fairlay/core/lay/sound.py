"""Whether a job makes sense before anything is computed from it."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from fairlay.core.errors import BadJob
from fairlay.core.lay.lay import Job
from fairlay.core.pattern import Piece
from fairlay.core.tolerances import HUGE_PIECE_MM

MOST_COPIES = 20_000
"""More pieces than this on one job is a slip of the keyboard."""


def check_job(job: Job) -> None:
    """Raise BadJob where hides, pieces, sets and fixed placements of a job do not fit together."""
    names = [piece.id for piece in job.pieces]
    if len(set(names)) < len(names):
        twice = next(n for n in names if names.count(n) > 1)
        raise BadJob(
            f"two pieces are called {twice}", value=twice, expected="an id of its own for each piece"
        )
    if not any(piece.quantity for piece in job.pieces):
        raise BadJob("every quantity of the job is 0", value=0, expected="at least one piece to lay")
    if (copies := sum(piece.quantity for piece in job.pieces)) > MOST_COPIES:
        raise BadJob(f"the job asks for {copies} pieces", value=copies, expected=f"at most {MOST_COPIES}")
    sets = {piece.set_name for piece in job.pieces if piece.set_name}
    for name in job.match_sets:
        if name not in sets:
            raise BadJob(
                f"match_sets names the set {name!r}, which no piece belongs to",
                value=name,
                expected="one of " + (", ".join(sorted(sets)) or "no set at all"),
            )
    for hide in job.hides:
        if hide.usable.is_empty or hide.usable.area < 1.0:
            raise BadJob(
                f"hide {hide.id} has no usable leather: its edge margin of {hide.edge_margin_mm:g} mm and "
                "its unsound flaws leave nothing",
                value=hide.id,
                expected="some leather",
            )
    for hide in job.hides:
        for name in sorted({name for r in hide.reserved for name in r.pieces} - set(names)):
            raise BadJob(
                f"leather of {hide.id} is reserved for {name!r}, which is no piece of the job",
                value=name,
                expected="pieces of the job, or none: a block kept for the rack",
            )
    for fixed in job.fixed:
        if fixed.piece not in job.pieces_by_id or fixed.hide not in job.hides_by_id:
            raise BadJob(
                f"a fixed placement names {fixed.piece} on {fixed.hide}, which the job does not have",
                value=fixed.piece,
                expected="a piece and a hide of the job",
            )


def size_question(pieces: Sequence[Piece]) -> str | None:
    """Return a question where a piece is so large that its drawing was likely in inches or in another
    scale.
    """
    for piece in pieces:
        span = np.ptp(piece.outline, axis=0).max()
        if span > HUGE_PIECE_MM:
            return (
                f"piece {piece.id} is {span:.0f} mm long, longer than any hide: was it drawn in inches or at "
                f"another scale? A 25.4th of it would be {span / 25.4:.0f} mm"
            )
    return None


def roll_length_mm(pieces: Sequence[Piece], width_mm: float) -> float:
    """Return a length of roll that surely holds every piece: twice their area, and each piece's length
    once.
    """
    area = sum(p.area_mm2 * p.quantity for p in pieces)
    longest = max((float(np.hypot(*np.ptp(p.outline, axis=0))) for p in pieces), default=0.0)
    return 2.0 * area / max(width_mm, 1.0) + 2.0 * longest + 100.0
