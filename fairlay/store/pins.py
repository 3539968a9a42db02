"""Pieces that are held where they lie."""

from __future__ import annotations

from collections.abc import Collection

from fairlay.core.errors import BadLay
from fairlay.store.database import connected
from fairlay.store.lay_rows import Key, state_at
from fairlay.store.locks import locked_lay
from fairlay.store.tables import LayPinRow


@connected
def pin(lay_id: int, *, add: Collection[Key] = (), drop: Collection[Key] = ()) -> tuple[Key, ...]:
    """Pin pieces where they lie, and take pins out; return all pins. Raises BadLay for a piece that does not
    lie; nothing is changed then.
    """
    row = locked_lay(lay_id)
    state = state_at(row.id, int(row.head))
    for key in sorted(add):
        if key not in state.lies:
            raise BadLay(
                f"{key[0]} number {key[1] + 1} cannot be pinned: it does not lie",
                value=key,
                expected="a piece that lies on a hide; nothing was pinned",
            )
    for piece, copy in drop:
        LayPinRow.delete().where(
            LayPinRow.lay == row.id, LayPinRow.piece == piece, LayPinRow.copy_number == copy
        ).execute()
    for piece, copy in add:
        LayPinRow.insert(lay=row.id, piece=piece, copy_number=copy).on_conflict_ignore().execute()
    return tuple(
        (p.piece, int(p.copy_number))
        for p in LayPinRow.select()
        .where(LayPinRow.lay == row.id)
        .order_by(LayPinRow.piece, LayPinRow.copy_number)
        if (p.piece, int(p.copy_number)) in state.lies
    )
