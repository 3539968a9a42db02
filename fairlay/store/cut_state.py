"""Which pieces of a lay are out of the leather: no change of the lay moves them."""

from __future__ import annotations

from collections.abc import Collection
from typing import cast

from fairlay.core.cutting.ticks import CUT, STATE_OF, Act, Tick, states_of
from fairlay.core.errors import Refused
from fairlay.store.clock import seconds_at
from fairlay.store.cut_rows import CutSheetRow, CutTickRow
from fairlay.store.database import connected
from fairlay.store.lay_rows import Key
from fairlay.store.tables import HideRow, LayRevisionRow, LayRow


@connected
def cut_keys(lay_id: int) -> frozenset[Key]:
    """Return every piece of a lay that is cut, well or not."""
    rows = (
        CutTickRow.select(
            CutTickRow.tick,
            CutTickRow.piece,
            CutTickRow.copy_number,
            CutTickRow.act,
            CutTickRow.pressed_at,
            CutTickRow.tablet,
            CutTickRow.number,
        )
        .join(CutSheetRow)
        .where(
            CutSheetRow.lay == lay_id,
            CutSheetRow.closed_at.is_null() | (CutTickRow.came_at <= CutSheetRow.closed_at),
        )
    )
    found = states_of(_light(row) for row in rows)
    return frozenset(key for key, tick in found.items() if STATE_OF[tick.act] in CUT)


def _light(row: CutTickRow) -> Tick:
    act = cast(Act, row.act)
    return Tick(
        row.tick, row.piece, int(row.copy_number), act, seconds_at(row.pressed_at), row.tablet, row.number
    )


def is_cut(row: LayRow) -> bool:
    """Whether any hide of a lay is cut or was."""
    return bool(CutSheetRow.select().where(CutSheetRow.lay == row.id).exists())


def is_being_cut(lay_id: int, numbers: Collection[str]) -> bool:
    """Whether any of a lay's hides, by number, is being cut now."""
    open_now = (
        CutSheetRow.select()
        .join(HideRow)
        .where(CutSheetRow.lay == lay_id, CutSheetRow.state == "open", HideRow.number.in_(list(numbers)))
    )
    return bool(numbers) and bool(open_now.exists())


def not_before_a_cut(row: LayRow, number: int, last: int | None = None) -> None:
    """Raise Refused where a lay would be as it was at a revision (but for those after ``last``), and since
    then a spoilt piece was cut again or a hide closed: leather that is cut is never whole again.
    """
    since = LayRevisionRow.select(LayRevisionRow.number).where(
        LayRevisionRow.lay == row.id,
        LayRevisionRow.number > number,
        LayRevisionRow.number <= (row.head if last is None else last),
        LayRevisionRow.source.in_(("recut", "closed")),
    )
    found = since.first()
    if found is not None:
        raise Refused(
            f"a piece was cut again, or a hide closed, at revision {found.number}",
            value=int(found.number),
            expected="to go back no farther than that: what is cut stays cut; nothing was changed",
        )
