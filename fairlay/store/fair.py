"""How much of each hide is fair to what pieces need: reckoned once for each state of a hide, and remembered
while the process runs.
"""

from __future__ import annotations

from collections.abc import Hashable, Sequence
from dataclasses import dataclass, replace
from threading import Lock

from cachetools import LRUCache

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
