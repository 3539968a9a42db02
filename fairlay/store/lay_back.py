"""Going back in a lay's history, and forward again: undo, redo, an earlier lay shown once more. Each is a new
revision; nothing that was laid is rewritten.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from fairlay.core.errors import NotFound, Refused
from fairlay.core.lay.check import broken_rules
from fairlay.core.lay.lay import Lay
from fairlay.core.lay.unplaced import still_unplaced
from fairlay.store.acting import mine, who
from fairlay.store.cut_state import not_before_a_cut
from fairlay.store.database import connected
from fairlay.store.insisted import insisted_keys
from fairlay.store.lay_history import LISTED
from fairlay.store.lay_rows import State, job_of, lies_of, read_written, state_at
from fairlay.store.lays import add_revision, state_of_base
from fairlay.store.locks import hold_lay
from fairlay.store.tables import LayRevisionRow, LayRow


@connected
def undo(lay_id: int, *, base: int) -> int:
    """Take one's own newest change back, as a new revision; return its number. Undoing twice goes back two.

    Where that is the newest of all, the lay is shown as it was before; where a colleague's came after, theirs
    stays. Raises Refused when there is nothing to take back, or theirs builds upon it; Stale like ``save``.
    """
    row = hold_lay(lay_id)
    state = state_of_base(row, base)
    head = (
        LayRevisionRow.select(LayRevisionRow.number, LayRevisionRow.stands_for)
        .where(LayRevisionRow.lay == lay_id, LayRevisionRow.number == row.head)
        .get()
    )
    shown = int(head.stands_for or head.number)
    last = LayRevisionRow.get(LayRevisionRow.lay == lay_id, LayRevisionRow.number == shown)
    if not mine(last.by_id) or "undoes" in last.changes:
        return _take_back(row, state, shown)
    target = shown - 1
    if target < 1:
        raise Refused(
            "there is nothing before this to go back to",
            value=base,
            expected="a lay with an earlier revision",
        )
    return _show_again(row, state, target)


def _take_back(row: LayRow, state: State, newest: int) -> int:
    """Take back the newest change of one's own, up to a revision; what colleagues did since stays."""
    last = _own_newest(row, newest)
    not_before_a_cut(row, int(last.number) - 1, int(last.number))
    down = lies_of(map(read_written, last.changes["down"]))
    keys = {*down, *((piece, int(copy)) for piece, copy in last.changes["up"])}
    moved = sorted(key for key in keys if state.lies.get(key) != down.get(key))
    lies = {key: p for key, p in state.lies.items() if key not in keys}
    lies.update(lies_of(map(read_written, last.changes["was"])))
    job = job_of(row.id, state.job_number)
    lay = Lay(tuple(lies.values()))
    excused = replace(job, excused=insisted_keys(row.id))
    if moved or last.job_number != state.job_number or broken_rules(excused, lay, keys):
        what = ", ".join(f"{piece} {copy + 1}" for piece, copy in moved[:3])
        raise Refused(
            f"your newest change (revision {last.number}) was built upon since{what and f': {what}'}",
            value=last.number,
            expected="to go back to an earlier lay for that; nothing was changed",
        )
    lay = replace(lay, unplaced=still_unplaced(job, lay, state.unplaced))
    return add_revision(row, state, lay, "undo", undoes=last.number)


def _own_newest(row: LayRow, newest: int) -> LayRevisionRow:
    """The newest change up to a revision that is one's own and is not taken back."""
    back: set[int] = set()
    shown = newest
    own = LayRevisionRow.select().where(
        LayRevisionRow.lay == row.id, LayRevisionRow.by == who(), LayRevisionRow.number <= newest
    )
    for revision in own.order_by(LayRevisionRow.number.desc()).limit(LISTED):
        if "undoes" in revision.changes:
            back.add(int(revision.changes["undoes"]))
        elif revision.source == "undo":
            shown = min(shown, int(revision.stands_for or shown))
        elif revision.number not in back and revision.number <= shown and revision.number > 1:
            return revision
    raise Refused(
        "the newest changes are other people's; there is nothing of yours to take back",
        value=newest,
        expected="a change of your own, or to go back to an earlier lay",
    )


@connected
def redo(lay_id: int, *, base: int) -> int:
    """Take the newest undo back, as a new revision; return its number. Redoing twice goes forward two.

    Raises Refused where nothing was undone since the newest change, or a colleague undid it; Stale like
    ``save``.
    """
    row = hold_lay(lay_id)
    state = state_of_base(row, base)
    told = (LayRevisionRow.number, LayRevisionRow.source, LayRevisionRow.stands_for, LayRevisionRow.by)
    rows = {int(r.number): r for r in LayRevisionRow.select(*told).where(LayRevisionRow.lay == lay_id)}
    top = int(row.head)
    while top > 1 and rows[top].source in ("undo", "redo") and rows[top].stands_for is not None:
        top -= 1
    if top == row.head:
        raise Refused(
            "nothing was undone since the newest change", value=base, expected="an undo to take back"
        )
    if not mine(rows[row.head].by_id):
        raise Refused(
            "the newest undo is a colleague's", value=base, expected="an undo of your own to take back"
        )
    shown = int(rows[row.head].stands_for or 0)
    forward = top
    while forward > 1 and _before(rows, forward) > shown:
        forward = _before(rows, forward)
    if forward == shown or _before(rows, forward) != shown:
        raise Refused("all that was undone is there again", value=base, expected="an undo to take back")
    return _show_again(row, state, forward, "redo")


def _before(rows: Mapping[int, LayRevisionRow], number: int) -> int:
    """The revision that undoing one shows again."""
    before = rows[number - 1]
    return int(before.stands_for or before.number)


@connected
def go_to(lay_id: int, number: int, *, base: int) -> int:
    """Show the lay of an earlier revision again, as a new revision; return its number."""
    row = hold_lay(lay_id)
    state = state_of_base(row, base)
    if not 1 <= number <= row.head:
        raise NotFound(f"lay {lay_id} has no revision {number}", value=number, expected=f"1 to {row.head}")
    return _show_again(row, state, number)


def _show_again(row: LayRow, state: State, target: int, source: str = "undo") -> int:
    not_before_a_cut(row, target)
    then = state_at(row.id, target)
    shown = (
        LayRevisionRow.select(LayRevisionRow.stands_for)
        .where(LayRevisionRow.lay == row.id, LayRevisionRow.number == target)
        .get()
    )
    stands_for = shown.stands_for or target
    return add_revision(row, state, then.lay, source, job_number=then.job_number, stands_for=stands_for)
