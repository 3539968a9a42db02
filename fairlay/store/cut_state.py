"""Which pieces of a lay are out of the leather: no change of the lay moves them."""

from __future__ import annotations

from typing import cast

from fairlay.core.cutting.ticks import CUT, STATE_OF, Act, Tick, states_of
from fairlay.store.clock import seconds_at
from fairlay.store.cut_rows import CutSheetRow, CutTickRow
from fairlay.store.database import connected
from fairlay.store.lay_rows import Key
from fairlay.store.tables import LayRow


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
