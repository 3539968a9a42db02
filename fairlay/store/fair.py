"""How much of each hide is fair to what pieces need: reckoned once for each state of a hide, and remembered while the process runs."""

from __future__ import annotations

from collections.abc import Hashable, Sequence
from threading import Lock

from fairlay.core.pattern import Piece
from fairlay.core.rules import Policy, fair_areas, needs_of
from fairlay.store.hides import OnRack, hides_by_id

MOST_KEPT = 20_000
Key = tuple[int, str, int, Policy]

_known: dict[Key, dict[Hashable, float]] = {}
_lock = Lock()


def fair_of(found: Sequence[OnRack], pieces: Sequence[Piece], policy: Policy) -> dict[int, dict[Hashable, float]]:
    """Return by hide the area in mm2 that is fair to some pieces, by what the rules read of them (``needs_of``).

    Only hides that changed since, or were never asked for such needs, are read and reckoned. Raises NotFound for one that went meanwhile.
    """
    keys = {h.id: (h.id, h.number, h.version, policy) for h in found}
    lacking = {h.id: [p for p in pieces if needs_of(p) not in _known.get(keys[h.id], ())] for h in found}
    for h in hides_by_id([i for i, own in lacking.items() if own]):
        reckoned = fair_areas(lacking[h.id], h.hide, policy)
        with _lock:
            if len(_known) >= MOST_KEPT:
                _known.clear()
            _known.setdefault(keys[h.id], {}).update(reckoned)
    return {h.id: _known.get(keys[h.id], {}) for h in found}
