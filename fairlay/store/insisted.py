"""Pieces that lie where a rule forbids it because a cutter insists: marked, with the reason, until they are
moved or somebody signs for them.
"""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass

from fairlay.core.errors import Refused
from fairlay.core.lay.check import OF_PLACE, Broken, broken_rules
from fairlay.core.lay.lay import Job, Lay
from fairlay.store.acting import who
from fairlay.store.clock import now
from fairlay.store.database import connected
from fairlay.store.lay_rows import Key, job_of, state_at
from fairlay.store.locks import locked_lay
from fairlay.store.people import names_of_people
from fairlay.store.tables import LayInsistedRow

INSISTABLE = OF_PLACE
"""Rules that a cutter may insist against; nobody can lay more than is ordered, or half a split."""


@dataclass(frozen=True)
class Insisted:
    """A piece that lies against a rule: why it should not, who put it there, and who signed for it (""
    where nobody has).
    """

    piece: str
    copy: int
    sentences: tuple[str, ...]
    by: str
    signed_by: str


@connected
def insisted_keys(lay_id: int) -> frozenset[Key]:
    """Return every piece of a lay that was ever put down against a rule: it may lie fairly now."""
    rows = LayInsistedRow.select(LayInsistedRow.piece, LayInsistedRow.copy_number)
    return frozenset((r.piece, int(r.copy_number)) for r in rows.where(LayInsistedRow.lay == lay_id))


@connected
def unfair_in(lay_id: int, job: Job, lay: Lay) -> tuple[Insisted, ...]:
    """Return what of a lay lies against a rule."""
    rows = {
        (r.piece, int(r.copy_number)): r for r in LayInsistedRow.select().where(LayInsistedRow.lay == lay_id)
    }
    if not rows:
        return ()
    why: dict[Key, list[str]] = {}
    for broken in broken_rules(job, lay, set(rows)):
        for key in keys_in(lay, broken):
            if key in rows:
                why.setdefault(key, []).append(broken.sentence)
    names = names_of_people() if why else {}
    return tuple(
        Insisted(
            key[0],
            key[1],
            tuple(sentences),
            names.get(rows[key].by_id, ""),
            names.get(rows[key].signed_by_id, "") if rows[key].signed_at else "",
        )
        for key, sentences in sorted(why.items())
    )


def keys_in(lay: Lay, broken: Broken) -> list[Key]:
    """Return the pieces that a rule is broken by."""
    return [(lay.placements[i].piece, lay.placements[i].copy) for i in broken.placements]


def insist(lay_id: int, keys: Collection[Key]) -> None:
    """Mark pieces of a lay that is held as put down against a rule."""
    for piece, copy in keys:
        LayInsistedRow.insert(lay=lay_id, piece=piece, copy_number=copy, by=who()).on_conflict(
            update={LayInsistedRow.by: who()}
        ).execute()


def unsign(lay_id: int, keys: Collection[Key]) -> None:
    """Take signatures back from pieces that were moved."""
    signed = LayInsistedRow.select(LayInsistedRow.id, LayInsistedRow.piece, LayInsistedRow.copy_number).where(
        LayInsistedRow.lay == lay_id, LayInsistedRow.signed_at.is_null(False)
    )
    gone = [r.id for r in signed if (r.piece, int(r.copy_number)) in keys]
    if gone:
        LayInsistedRow.update(signed_by=None, signed_at=None).where(LayInsistedRow.id.in_(gone)).execute()


@connected
def sign(lay_id: int, key: Key, signed: bool = True) -> None:
    """Sign for a piece that lies against a rule, or take that back. Raises Refused for one that
    lies fairly, or that nobody put there on purpose.
    """
    row = locked_lay(lay_id)
    state = state_at(row.id, int(row.head))
    broken = broken_rules(job_of(row.id, state.job_number), state.lay, {key})
    own = (LayInsistedRow.lay == lay_id) & (LayInsistedRow.piece == key[0])
    own &= LayInsistedRow.copy_number == key[1]
    if not broken or not LayInsistedRow.select().where(own).exists():
        raise Refused(
            f"{key[0]} {key[1] + 1} lies against no rule",
            value=list(key),
            expected="a piece that was put down against one; nothing was signed",
        )
    at = now() if signed else None
    LayInsistedRow.update(signed_by=who() if signed else None, signed_at=at).where(own).execute()
