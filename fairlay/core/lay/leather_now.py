"""A lay on leather that changed since: where its pieces lie on the hide as it is now, and what of them is
hit.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from fairlay.core.errors import BadHide
from fairlay.core.lay.check import broken_rules
from fairlay.core.lay.lay import Job, Lay, Placement
from fairlay.core.leather import Hide
from fairlay.core.leather.measured_again import Matrix, fit_again
from fairlay.core.shapes.placing import Placing

STAYED: Matrix = (1.0, 0.0, 0.0, 1.0, 0.0, 0.0)
SAME_MM = 0.05
HIT_WORDS = {
    "edge": "over the edge",
    "unsound flaw": "on unsound leather",
    "show face": "on a flaw that shows",
    "tightness": "on leather too loose",
    "thickness": "on leather too thin or too thick",
    "grain": "off the grain",
    "reserved": "on reserved leather",
    "gap": "too near another",
}


@dataclass(frozen=True)
class Hit:
    """A piece that the leather as it is now does not bear where it lies: the rule, and its sentence."""

    piece: str
    copy: int
    rule: str
    sentence: str


@dataclass(frozen=True)
class OnLeatherNow:
    """What lies on a hide, brought onto the hide as it is now. ``words`` say what changed for the lay;
    without ``known`` nobody can say where the old outline lies on the new one, and all that lay there is hit.
    """

    hide: Hide
    placements: tuple[Placement, ...]
    hits: tuple[Hit, ...]
    known: bool
    words: str


def on_leather_now(job: Job, lay: Lay, now: Hide) -> OnLeatherNow:
    """Return how a lay of a job stands on one of its hides as that is ``now``, under the same number.

    Raises BadHide where the job has no hide of that number.
    """
    then = job.hides_by_id.get(now.id)
    if then is None:
        raise BadHide(
            f"the lay has no hide {now.id}", value=now.id, expected="one of " + ", ".join(job.hides_by_id)
        )
    own = tuple(p for p in lay.placements if p.hide == now.id)
    now = replace(now, reserved=then.reserved, keep_end=then.keep_end)
    if then.is_roll:
        now = replace(now, outline=then.outline)
    way = _way(then, now)
    if way is None:
        hits = tuple(
            Hit(p.piece, p.copy, "outline", f"{now.id} has another outline now: nobody knows what it lies on")
            for p in own
        )
        return OnLeatherNow(
            now, own, hits, False, f"{now.id} has another outline now; {_many(len(own))} lay on it"
        )
    moved = own if way == STAYED else tuple(replace(p, at=_moved(p.at, way)) for p in own)
    # Whether the whole is all there is not asked here, only what lies on this hide.
    alone = replace(job, hides=(now,), fixed=(), match_sets=())
    by_piece: dict[tuple[str, int], Hit] = {}
    for b in broken_rules(alone, Lay(moved)):
        for k in b.placements:
            p = moved[k]
            if b.rule in HIT_WORDS:
                by_piece.setdefault((p.piece, p.copy), Hit(p.piece, p.copy, b.rule, b.sentence))
    hits = tuple(by_piece.values())
    return OnLeatherNow(now, moved, hits, True, f"{now.id} changed since it was laid on: {_words(hits)}")


def _words(hits: Sequence[Hit]) -> str:
    if not hits:
        return "all that lies on it lies fairly still"
    counts: dict[str, int] = {}
    for hit in hits:
        counts[hit.rule] = counts.get(hit.rule, 0) + 1
    said = [f"{_many(n)} now {'lies' if n == 1 else 'lie'} {HIT_WORDS[rule]}" for rule, n in counts.items()]
    return " and ".join(said)


def _many(count: int) -> str:
    return f"{count} {'piece' if count == 1 else 'pieces'}"


def _way(then: Hide, now: Hide) -> Matrix | None:
    """The turn and move that takes the hide as it was onto the hide as it is; None where nobody can say."""
    if then.outline.shape == now.outline.shape and np.abs(then.outline - now.outline).max() < SAME_MM:
        return STAYED
    try:
        return fit_again(then.outline, now.outline).matrix
    except BadHide:
        return None


def _moved(at: Placing, way: Matrix) -> Placing:
    a, b, c, d, e, f = way
    turn = math.degrees(math.atan2(b, a))
    return Placing(a * at.x + c * at.y + e, b * at.x + d * at.y + f, at.rotation_deg + turn, at.mirrored)


def without_hits(job: Job, lay: Lay, found: Sequence[OnLeatherNow]) -> tuple[Job, Lay]:
    """Return the job on its hides as they are now, and the lay with what is hit taken up."""
    hides: Mapping[str, Hide] = {f.hide.id: f.hide for f in found}
    hit = {(h.piece, h.copy) for f in found for h in f.hits}
    parts = {
        (job.pieces_by_id[piece].whole_id, copy) for piece, copy in hit if job.pieces_by_id[piece].parent
    }
    kept = [p for p in lay.placements if p.hide not in hides]
    kept += [p for f in found for p in f.placements]
    lies = tuple(
        p
        for p in kept
        if (p.piece, p.copy) not in hit and (job.pieces_by_id[p.piece].parent or "", p.copy) not in parts
    )
    fixed = tuple(p for p in job.fixed if p.hide not in hides)
    return replace(job, hides=tuple(hides.get(h.id, h) for h in job.hides), fixed=fixed), Lay(lies)
