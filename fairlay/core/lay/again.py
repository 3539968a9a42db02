"""Laying again what a lay has: around pieces that are pinned, or one hide while the others are left."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import replace

from fairlay.core.errors import BadJob
from fairlay.core.lay.lay import Job, Lay


def job_again(
    job: Job,
    lay: Lay,
    *,
    only: Collection[str] = (),
    pinned: Collection[tuple[str, int]] = (),
    pieces: Collection[str] = (),
) -> Job:
    """Return the job of laying a lay again: on the hides ``only`` names (all of them by default), around
    ``pinned`` pieces (piece, copy), and more of these ``pieces`` alone (of all of them by default).

    What is pinned, and all that lies on hides left as they are, is fixed. Raises BadJob for hides
    or pieces the job does not have and for a pinned piece that does not lie.
    """
    unknown = sorted(set(only) - set(job.hides_by_id))
    if unknown:
        raise BadJob(
            f"the lay has no hide {unknown[0]}",
            value=unknown[0],
            expected="one of " + ", ".join(job.hides_by_id),
        )
    strange = sorted(set(pieces) - {p.id for p in job.pieces})
    if strange:
        raise BadJob(
            f"the lay has no piece {strange[0]}",
            value=strange[0],
            expected="one of " + ", ".join(p.id for p in job.pieces),
        )
    lying = {(p.piece, p.copy) for p in lay.placements}
    lost = sorted(set(pinned) - lying)
    if lost:
        raise BadJob(
            f"{lost[0][0]} number {lost[0][1] + 1} is pinned but does not lie",
            value=lost[0],
            expected="a piece that lies on a hide",
        )
    leave = frozenset(job.hides_by_id) - frozenset(only) if only else frozenset()
    stay = tuple(p for p in lay.placements if p.hide in leave or (p.piece, p.copy) in set(pinned))
    known = {(p.piece, p.copy) for p in stay}
    fixed = stay + tuple(p for p in job.fixed if (p.piece, p.copy) not in known)
    return replace(job, fixed=fixed, leave=leave, more_of=frozenset(pieces))
