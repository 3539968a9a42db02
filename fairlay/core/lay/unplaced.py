"""What a lay leaves out, told truly after it was changed by hand."""

from __future__ import annotations

from collections.abc import Sequence

from fairlay.core.lay.lay import Job, Lay, Unplaced

NOT_LAID = "not laid yet"


def still_unplaced(job: Job, lay: Lay, before: Sequence[Unplaced]) -> tuple[Unplaced, ...]:
    """Return what a lay of a job leaves out, fillers aside.

    The reason that was known for a piece stays while as many of it are left out as ``before``; where that
    changed it is no longer sure, and says so.
    """
    known = {u.piece: u for u in before}
    counts = lay.counts(job)
    out = []
    for piece in job.pieces:
        missing = piece.quantity - counts[piece.id]
        if missing <= 0 or piece.filler:
            continue
        was = known.get(piece.id)
        same = was is not None and was.count == missing and was.reason
        out.append(Unplaced(piece.id, missing, was.reason if was is not None and same else NOT_LAID))
    return tuple(out)
