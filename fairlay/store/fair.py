"""How much of each hide is fair to what pieces need: reckoned once for each state of a hide, and remembered
while the process runs.
"""

from __future__ import annotations

from collections.abc import Hashable, Sequence
from dataclasses import dataclass, replace
from threading import Lock

from cachetools import LRUCache

from fairlay.core.bounds.runs import most_by_runs
from fairlay.core.lay.lane import is_strap, sides_mm
from fairlay.core.pattern import Piece
from fairlay.core.rules import Policy, fair_areas, needs_of
from fairlay.store.hides import OnRack, hides_by_id

MOST_KEPT = 20_000
Key = tuple[int, str, int, Policy]

_known: LRUCache[Key, dict[Hashable, float]] = LRUCache(MOST_KEPT)
"""What was asked for longest ago is forgotten first."""
_lock = Lock()


@dataclass(frozen=True)
class FairQuestion:
    """Which hides are asked for ground that is fair to which pieces."""

    hides: Sequence[OnRack]
    pieces: Sequence[Piece]
    policy: Policy


_runs_known: LRUCache[tuple[Key, Hashable], int | None] = LRUCache(MOST_KEPT)


def runs_of(asked: FairQuestion) -> dict[int, dict[str, int]]:
    """Return by hide how many of each strap asked for its uninterrupted runs hold at most, by the piece's id.
    Raises NotFound for a hide that went meanwhile.
    """
    straps = [p for p in asked.pieces if is_strap(p)]
    keys: dict[int, Key] = {
        h.id: (h.id, h.number, h.version, replace(asked.policy, gap_mm=0.0)) for h in asked.hides
    }
    if not straps:
        return {i: {} for i in keys}
    with _lock:
        lacking = [i for i, key in keys.items() if any((key, _run_key(p)) not in _runs_known for p in straps)]
    for h in hides_by_id(lacking):
        reckoned = {_run_key(p): most_by_runs(p, h.hide, asked.policy) for p in straps}
        with _lock:
            _runs_known.update({(keys[h.id], one): n for one, n in reckoned.items()})
    with _lock:
        known = {i: {p.id: _runs_known.get((key, _run_key(p))) for p in straps} for i, key in keys.items()}
    return {i: {piece: n for piece, n in own.items() if n is not None} for i, own in known.items()}


def _run_key(piece: Piece) -> Hashable:
    """What of a strap its runs depend on."""
    return needs_of(piece), sides_mm(piece), piece.grain.tolerance_deg, piece.area_mm2


def fair_of(asked: Sequence[FairQuestion]) -> dict[int, dict[Hashable, float]]:
    """Return by hide the area in mm2 that is fair to the pieces it is asked for, by what the rules read of
    them (``needs_of``).

    Only hides that changed since, or were never asked for such needs, are read, all of them at once. Raises
    NotFound for one that went meanwhile.
    """
    keys: dict[int, Key] = {
        h.id: (h.id, h.number, h.version, replace(a.policy, gap_mm=0.0)) for a in asked for h in a.hides
    }
    with _lock:
        out = {i: dict(_known.get(key, {})) for i, key in keys.items()}
    lacking = {h.id: [p for p in a.pieces if needs_of(p) not in out[h.id]] for a in asked for h in a.hides}
    for h in hides_by_id([i for i, own in lacking.items() if own]):
        reckoned = fair_areas(lacking[h.id], h.hide, keys[h.id][3])
        out[h.id].update(reckoned)
        with _lock:
            _known[keys[h.id]] = {**_known.get(keys[h.id], {}), **reckoned}
    return out
