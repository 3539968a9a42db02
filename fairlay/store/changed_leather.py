"""Lays on leather that changed since it was laid on: what of them is hit, and bringing them onto it."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace

from fairlay.core.lay.leather_now import OnLeatherNow, on_leather_now, without_hits
from fairlay.store import lays
from fairlay.store.cut_state import cut_keys
from fairlay.store.database import connected
from fairlay.store.hides import hides_by_id
from fairlay.store.lays import LaidOn, SavedLay
from fairlay.store.locks import hold_lay
from fairlay.store.memo import Memo
from fairlay.store.tables import HideRow, LayHideRow, LayJobRow, LayRevisionRow, LayRow


@dataclass(frozen=True)
class TakenUp:
    """How many pieces the change of its leather took up from a lay, and its newest revision."""

    head: int
    taken_up: int


@connected
def of_lay(saved: SavedLay) -> tuple[OnLeatherNow, ...]:
    """Return the hides of a lay that changed in what lies on them, each with what is hit."""
    return tuple(found for found in _now(saved) if found.hits or not found.known)


def _now(saved: SavedLay) -> list[OnLeatherNow]:
    """How a lay stands on each of its hides that is of another version now."""
    then = {on.hide_id: on.version for on in saved.leather}
    rows = HideRow.select(HideRow.id, HideRow.version).where(HideRow.id.in_(list(then) or [0]))
    other = [row.id for row in rows if row.version != then[row.id]]
    if not other:
        return []
    job = replace(saved.job, excused=cut_keys(saved.id))
    return [
        _known.get(
            (saved.id, saved.at, saved.job.name, h.id, h.version, job.excused),
            lambda h=h: on_leather_now(job, saved.lay, h.hide),  # type: ignore[misc]
        )
        for h in hides_by_id(other)
    ]


_known: Memo[OnLeatherNow] = Memo(64)


@connected
def bring(lay_id: int, *, base: int) -> TakenUp:
    """Bring a lay onto its hides as they are now: what is hit is taken up, the rest stays where it lies on
    the leather. Raises NotFound, and Stale where revision ``base`` is not the newest.
    """
    row = hold_lay(lay_id)
    saved = lays.load(lay_id)
    found = _now(saved)
    if not found:
        return TakenUp(saved.head, 0)
    job, lay = without_hits(saved.job, saved.lay, found)
    versions = lays.versions_of(on.hide_id for on in saved.leather)
    leather = [LaidOn(on.hide_id, versions[on.hide_id]) for on in saved.leather]
    head = lays.ask_anew(row, job, lay, leather, base=base, changes=saved.changes)
    return TakenUp(head, len(saved.lay.placements) - len(lay.placements))


@connected
def lays_on_other(batch_ids: Iterable[int]) -> dict[int, list[int]]:
    """Return, by batch, its lays on leather of which a version changed since: cheap, for lists; what is hit
    is told by the lay.
    """
    out: dict[int, list[int]] = {}
    rows = (
        LayRow.select(LayRow.id, LayRow.batch)
        .join(LayRevisionRow, on=((LayRevisionRow.lay == LayRow.id) & (LayRevisionRow.number == LayRow.head)))
        .join(
            LayJobRow,
            on=((LayJobRow.lay == LayRow.id) & (LayJobRow.number == LayRevisionRow.job_number)),
        )
        .join(LayHideRow, on=(LayHideRow.lay_job == LayJobRow.id))
        .join(HideRow, on=(HideRow.id == LayHideRow.hide))
        .where(
            LayRow.batch.in_(list(batch_ids) or [0]), ~LayRow.given_up, HideRow.version != LayHideRow.version
        )
        .distinct()
    )
    for row in rows:
        out.setdefault(row.batch_id, []).append(row.id)
    return out
