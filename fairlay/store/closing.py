"""The end of a cut: a spoilt piece cut again, a hide closed, what is left on the rack."""

from __future__ import annotations

import datetime
import uuid
from collections.abc import Collection, Sequence
from dataclasses import asdict, dataclass, replace
from typing import Any, Final

import peewee

from fairlay.core.cutting.left_over import Account, LeftOver, account_of_cut, left_over
from fairlay.core.cutting.ticks import CUT, Tick, states_of
from fairlay.core.errors import Refused
from fairlay.core.hand.moves import best_angle
from fairlay.core.hand.open_ground import HandTable
from fairlay.core.lay.lay import Job, Lay, Placement
from fairlay.core.leather import Hide
from fairlay.core.leather.hide import Flaw
from fairlay.core.leather.reshaped import part_of
from fairlay.core.shapes.placing import place_points, place_region
from fairlay.store import book, lays
from fairlay.store.acting import who
from fairlay.store.clock import at_seconds, now
from fairlay.store.cut_rows import CutSheetRow, CutTickRow
from fairlay.store.cutting import Sheet, sheet, sheet_row, still_open, tick_of, ticks_of
from fairlay.store.database import connected
from fairlay.store.hides import note, numbers_given
from fairlay.store.lay_rows import Key, written
from fairlay.store.locks import HIDE_NUMBERS, hold_lay, lock_named
from fairlay.store.looking import looking_of, put_offcut
from fairlay.store.settings import currency_on
from fairlay.store.tables import HideRow

SPOILT_FLAW: Final = "spoilt piece"


@dataclass(frozen=True)
class Recut:
    """Where a spoilt piece is cut again: ``hide`` empty where it finds no place and waits in the tray."""

    head: int
    hide: str


@connected
def recut(sheet_id: int, key: Key) -> Recut:
    """Find the place where a spoilt piece is cut again, at once: the waste of its own hide, else another of
    the lay; else it waits in the tray. What it was spoilt on is no leather any more. A piece of a matched set
    stays on its hide.

    Raises Refused for a piece that is not spoilt, NotFound.
    """
    lay_row = hold_lay(sheet_row(sheet_id).lay_id)
    row = sheet_row(sheet_id)
    still_open(row)
    saved = lays.load(row.lay_id)
    state = states_of(tick_of(t) for t in ticks_of(row)).get(key)
    was = next((p for p in saved.lay.placements if (p.piece, p.copy) == key), None)
    if state is None or state.act != "spoilt" or was is None:
        raise Refused(
            f"{key[0]} {key[1] + 1} is not spoilt",
            value=list(key),
            expected="a piece that is ticked as spoilt",
        )
    job = _without_ground(saved.job, was)
    rest = tuple(p for p in saved.lay.placements if (p.piece, p.copy) != key)
    found = _another_place(job, was, rest)
    lay = Lay((*rest, found) if found is not None else rest, saved.lay.unplaced)
    head = lays.ask_anew(
        lay_row, job, lay, saved.leather, base=saved.head, changes=saved.changes, source="recut", freed={key}
    )
    _recut_from_now(row, was, state, head)
    return Recut(head, "" if found is None else found.hide)


def _recut_from_now(row: CutSheetRow, was: Placement, state: Tick, head: int) -> None:
    """Write down that a spoilt piece is to be cut once more, and where it lay when it was spoilt."""
    pressed = at_seconds(state.at_s) + datetime.timedelta(milliseconds=5)
    CutTickRow.create(
        sheet=row.id,
        tick=str(uuid.uuid4()),
        piece=was.piece,
        copy_number=was.copy,
        act="recut",
        reason=state.reason,
        revision=head,
        lies=written([was])[0],
        pressed_at=max(now(), pressed),
        came_at=now(),
        by=who(),
    )


def _without_ground(job: Job, was: Placement) -> Job:
    """A job whose leather has none any more where a piece was spoilt."""
    piece = job.pieces_by_id[was.piece]
    gone = Flaw(SPOILT_FLAW, 3, place_points(piece.outline, was.at))
    hides = tuple(replace(h, flaws=(*h.flaws, gone)) if h.id == was.hide else h for h in job.hides)
    return replace(job, hides=hides)


def _another_place(job: Job, was: Placement, rest: Sequence[Placement]) -> Placement | None:
    matched = job.pieces_by_id[was.piece].set_name in job.match_sets
    for hide in sorted(job.hides, key=lambda h: h.id != was.hide):
        if matched and hide.id != was.hide:
            continue
        found = best_angle(HandTable(job, hide), replace(was, hide=hide.id), list(rest))
        if found is not None:
            return found[0]
    return None


@connected
def left_of(sheet_id: int) -> list[LeftOver]:
    """Return what would be left of a hide if it were closed now. Raises NotFound."""
    own = sheet(sheet_id)
    return left_over(own.hide, _out_of_it(own), own.choices.keeps)


def _out_of_it(own: Sheet) -> list[Any]:
    job = own.saved.job
    cut = [
        place_region(job.pieces_by_id[p.piece].region, p.at)
        for p in own.saved.lay.placements
        if p.hide == own.hide.id and own.state_of((p.piece, p.copy)) in CUT
    ]
    return [*cut, *(place_region(job.pieces_by_id[p.piece].region, p.at) for p, _ in own.spoils)]


@dataclass(frozen=True)
class Closed:
    """A hide that was closed: where it went, and the offcuts that are on the rack now."""

    account: Account
    offcuts: tuple[str, ...]
    back_in_tray: int


@connected
def close(sheet_id: int, keep: Collection[int] | None = None) -> Closed:
    """Close a hide: what is left is on the rack or scrap (``keep``: which parts stay, by ``left_of``; by the
    shop's size rule where nobody says), what was not cut goes back in the tray, and the hide is used up.

    Raises Refused where it is closed already, nothing was cut, or a part is named that there is not.
    """
    lock_named(HIDE_NUMBERS)
    lay_row = hold_lay(sheet_row(sheet_id).lay_id)
    row = sheet_row(sheet_id)
    still_open(row)
    hide_row = HideRow.get_by_id(row.hide_id)
    own = sheet(sheet_id)
    job, saved = own.saved.job, own.saved
    here = [p for p in saved.lay.placements if p.hide == own.hide.id]
    good = [p for p in here if own.state_of((p.piece, p.copy)) == "done"]
    spoilt = [p for p in here if own.state_of((p.piece, p.copy)) == "spoilt"]
    if not good and not spoilt and not own.spoils:
        raise Refused(
            f"nothing of {own.hide.id} is cut",
            value=own.hide.id,
            expected="to tick what was cut, or to let it go",
        )
    parts = left_over(own.hide, _out_of_it(own), own.choices.keeps)
    wanted = {k for k, p in enumerate(parts) if p.keep} if keep is None else set(keep)
    if not wanted <= set(range(len(parts))):
        raise Refused(
            f"part {max(wanted) + 1} is to be kept", value=sorted(wanted), expected=f"parts 1 to {len(parts)}"
        )
    regions = {(p.piece, p.copy): place_region(job.pieces_by_id[p.piece].region, p.at) for p in here}
    gone = [regions[p.piece, p.copy] for p in spoilt]
    gone += [place_region(job.pieces_by_id[p.piece].region, p.at) for p, _ in own.spoils]
    kept = [parts[k].ground for k in sorted(wanted)]
    told = account_of_cut(job, own.hide, [regions[p.piece, p.copy] for p in good], gone, kept)
    cost = _cost_of(hide_row, own.hide)
    offcuts, kept_cost = _on_the_rack(hide_row, own.hide, kept)
    frozen = {
        **(row.facts or {}),
        "cost": round(cost, 2),
        "kept_cost": round(kept_cost, 2),
        "currency": currency_on(hide_row.received_on),
        "worth": {str(k): v for k, v in book.class_worth().items()},
    }
    uncut = {(p.piece, p.copy) for p in here} - {(p.piece, p.copy) for p in (*good, *spoilt)}
    back = uncut | {(p.piece, p.copy) for p in spoilt}
    for p in spoilt:
        _recut_from_now(row, p, own.ticks[p.piece, p.copy], saved.head)
    if back:
        rest = tuple(p for p in saved.lay.placements if (p.piece, p.copy) not in back)
        lay = replace(saved.lay, placements=rest)
        lays.add_revision(lay_row, lays.state_of_base(lay_row, saved.head), lay, "closed", freed=back)
    HideRow.update(state="used up", version=HideRow.version + 1).where(HideRow.id == hide_row.id).execute()
    # Ticks count that came until then: where the clock was set back, those that came by the later time too.
    newest = CutTickRow.select(peewee.fn.MAX(CutTickRow.came_at)).where(CutTickRow.sheet == row.id).scalar()
    CutSheetRow.update(
        state="closed", closed_at=max(now(), newest), account=asdict(told), facts=frozen
    ).where(CutSheetRow.id == row.id).execute()
    book.write_down([row.id])
    note(
        hide_row.id,
        "cutting",
        f"cut: {len(good)} pieces, {len(gone)} spoilt, {', '.join(offcuts) or 'nothing'} left",
    )
    return Closed(told, tuple(offcuts), len(back))


def _cost_of(row: HideRow, hide: Hide) -> float:
    """What a hide's leather stands for: as it was bought, else by its price."""
    if row.cost is not None:
        return float(row.cost)
    return float(hide.region.area / 1e6 * row.cost_per_m2)


def _on_the_rack(row: HideRow, hide: Hide, grounds: Sequence[Any]) -> tuple[list[str], float]:
    """Put what is left on the rack, each with what lies on it and its share of what the leather cost; return
    the numbers, and those shares together.
    """
    looked, held = looking_of(row), set(numbers_given())
    out: list[str] = []
    shares = 0.0
    for ground in grounds:
        part = part_of(looked, ground)
        before = set(held)
        words = f"left of {row.number} once it was cut"
        _, share = put_offcut(row, part, hide.region.area, _cost_of(row, hide), held, words)
        out += held - before
        shares += share
    return out, shares
