"""Pieces of a lay moved by hand, each move a revision; and the lay as hands need it: light to read."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass, replace

from fairlay.core.errors import BadLay, NotFound, Refused
from fairlay.core.hand.open_ground import HandTable
from fairlay.core.lay.check import broken_rules
from fairlay.core.lay.lay import Job, Lay, Placement
from fairlay.core.lay.unplaced import still_unplaced
from fairlay.store.cut_state import is_being_cut
from fairlay.store.database import connected
from fairlay.store.insisted import INSISTABLE, insist, keys_in
from fairlay.store.lay_rows import Key, Lies, job_of, key_of, lies_of, rounded, state_at
from fairlay.store.lays import add_revision, newest_for
from fairlay.store.locks import hold_lay
from fairlay.store.memo import JobMemo
from fairlay.store.tables import LayRow


@dataclass(frozen=True)
class InHand:
    """A lay as hands need it: what it was asked, what lies, its newest revision."""

    id: int
    job: Job
    lies: Lies
    head: int


@connected
def in_hand(lay_id: int) -> InHand:
    """Return a lay at its newest revision, without its history. Raises NotFound."""
    row = LayRow.select(LayRow.id, LayRow.head).where(LayRow.id == lay_id).get_or_none()
    if row is None:
        raise NotFound(f"there is no lay {lay_id}", value=lay_id)
    state = state_at(row.id, int(row.head))
    return InHand(row.id, job_of(row.id, state.job_number), state.lies, int(row.head))


@connected
def act(
    lay_id: int,
    *,
    base: int,
    put: Sequence[Placement] = (),
    take: Collection[Key] = (),
    mark: str = "",
    insisting: bool = False,
) -> int:
    """Move pieces by hand: ``put`` some down, ``take`` others up; return the number of the new revision.

    It is made on what stands newest, and what is moved is looked at alone: the rest was fair before. Raises
    Stale where somebody moved one of these pieces since revision ``base``, or the lay was brought onto other
    leather; BadLay where what would lie breaks a rule, with the rule, unless a cutter is ``insisting`` and it
    is one of place, angle or distance: the piece is marked then. Nothing is changed where it raises.
    """
    row = hold_lay(lay_id)
    moved = {key_of(p) for p in put}
    state = newest_for(row, base, moved | set(take))
    lies = {key: p for key, p in state.lies.items() if key not in set(take)}
    lies.update(lies_of(rounded(put)))
    job = job_of(row.id, state.job_number)
    lay = Lay(tuple(lies.values()))
    broken = broken_rules(job, lay, moved)
    if broken and not (insisting and all(b.rule in INSISTABLE for b in broken)):
        raise BadLay(
            "; ".join(b.sentence for b in broken[:3]),
            value=len(broken),
            expected="a lay that keeps every rule; the one saved before was kept",
        )
    if broken and is_being_cut(row.id, {p.hide for p in put}):
        raise Refused(
            "this hide is being cut: nothing is put down against a rule there any more",
            value=sorted(p.hide for p in put),
            expected="a place that keeps every rule; nothing was changed",
        )
    insist(row.id, {key for b in broken for key in keys_in(lay, b)} & moved)
    lay = replace(lay, unplaced=still_unplaced(job, lay, state.unplaced))
    return add_revision(row, state, lay, "hand", mark=mark)


def table_for(job: Job, hide: str) -> HandTable:
    """Return a hide of a job ready for the hand; made once, while it is in use. Raises BadLay."""
    if hide not in job.hides_by_id:
        raise BadLay(
            f"this lay has no hide {hide}", value=hide, expected="one of " + ", ".join(job.hides_by_id)
        )
    return _tables.get(job, hide, lambda: HandTable(job, job.hides_by_id[hide]))


TABLES_KEPT = 8
_tables: JobMemo[HandTable] = JobMemo(TABLES_KEPT)
