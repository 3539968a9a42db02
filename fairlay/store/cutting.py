"""Hides that are cut: begun from a fair lay, ticked piece by piece by whichever tablet, recut where one is
spoilt, and closed with what is left on the rack.

What is cut stays where it was: no change of the lay moves it. What a tick says is a fact; the state of a
piece follows from all that is known of it, in whatever order it came.
"""

from __future__ import annotations

import datetime
import uuid
from collections.abc import Collection, Mapping, Sequence
from dataclasses import asdict, dataclass, field, replace
from itertools import count
from threading import Lock
from typing import Any, Final, cast

from cachetools import LRUCache
from pydantic import TypeAdapter

from fairlay.core.cutting.left_over import Account, LeftOver, SizeRule, account_of_cut, left_over
from fairlay.core.cutting.pace import Pace, pace_of
from fairlay.core.cutting.plan import Bench, CutPlan, cut_plan
from fairlay.core.cutting.tape import Row, placing_table
from fairlay.core.cutting.ticks import ACTS, CUT, STATE_OF, Act, State, Tick, states_of
from fairlay.core.errors import NotFound, Refused
from fairlay.core.formats.stored import Document
from fairlay.core.hand.moves import best_angle
from fairlay.core.hand.open_ground import HandTable
from fairlay.core.lay.lay import Job, Lay, Placement
from fairlay.core.leather import Hide
from fairlay.core.leather.hide import Flaw
from fairlay.core.leather.looking_over import as_hide, how_far
from fairlay.core.leather.reshaped import part_of
from fairlay.core.pattern.pattern import Tool
from fairlay.core.shapes.placing import place_points, place_region
from fairlay.core.shapes.rings import Ring
from fairlay.store import lays
from fairlay.store.acting import who
from fairlay.store.batches import articles_of_lay
from fairlay.store.clock import at_seconds, now, seconds_at
from fairlay.store.database import connected
from fairlay.store.hides import About, add_hide, note, numbers_given, rack_hide
from fairlay.store.insisted import unfair_in
from fairlay.store.lay_rows import Key, read_written, written
from fairlay.store.lays import SavedLay
from fairlay.store.locks import locked_batch, locked_hide, locked_lay
from fairlay.store.looking import looking_of
from fairlay.store.settings import leather_settings
from fairlay.store.tables import BatchRow, CutSheetRow, CutTickRow, HideRow, LayBatchRow, LayRow, SettingRow

MOST_AHEAD_S: Final = 120.0
"""A tablet whose clock is so far ahead is taken to have pressed now."""
SPOILT_FLAW: Final = "spoilt piece"


@dataclass(frozen=True)
class CutChoices:
    """How the shop cuts, and what of a hide it keeps."""

    bench: Bench = field(default_factory=Bench)
    keeps: SizeRule = field(default_factory=SizeRule)


CHOICES: Final = Document("shop's bench", 1, TypeAdapter(CutChoices), Refused)


@dataclass(frozen=True)
class Sheet:
    """The cutting of one hide: its lay as it stands, its plan, and what is known of each of its pieces."""

    id: int
    saved: SavedLay
    hide: Hide
    hide_id: int
    state: str
    choices: CutChoices
    plan: CutPlan
    ticks: Mapping[Key, Tick]
    begun_at: datetime.datetime
    closed_at: datetime.datetime | None
    account: Account | None
    spoils: tuple[tuple[Placement, str], ...]

    def state_of(self, key: Key) -> State:
        tick = self.ticks.get(key)
        return "to cut" if tick is None else STATE_OF[tick.act]


@connected
def choices() -> CutChoices:
    """Return how the shop cuts; what was never chosen has its default."""
    row = SettingRow.get_or_none(SettingRow.name == "bench")
    return CHOICES.read(row.value) if row else CutChoices()


@connected
def choose(chosen: CutChoices) -> None:
    """Keep how the shop cuts, for hides begun from now on. Raises Refused for what makes no sense."""
    b, k = chosen.bench, chosen.keeps
    sizes = (*b.punches_mm, *b.round_mm, *b.mat_mm)
    if not sizes or min(sizes) <= 0 or max(sizes) > 5000 or not 0.1 <= b.pace <= 10 or k.area_m2 < 0:
        raise Refused(
            "a bench that makes no sense",
            value=b.pace,
            expected="sizes over 0 mm, a pace of 0.1 to 10, an area of 0 or more; those before were kept",
        )
    SettingRow.insert(name="bench", value=CHOICES.write(chosen)).on_conflict(
        preserve=[SettingRow.value]
    ).execute()


@connected
def begin(lay_id: int, number: str) -> int:
    """Begin to cut a hide of a lay; return the sheet's id, the one there is where it was begun.

    Raises NotFound, and Refused for a lay that is given up or not fair, a hide with nothing on it, or leather
    that changed since it was laid on.
    """
    saved = lays.load(lay_id)
    locked_batch(saved.batch_id)
    index = next((i for i, h in enumerate(saved.job.hides) if h.id == number), None)
    if index is None:
        raise NotFound(f"this lay has no hide {number}", value=number)
    on = saved.leather[index]
    row = locked_hide(on.hide_id)
    locked_lay(lay_id)
    there = CutSheetRow.get_or_none(CutSheetRow.lay == lay_id, CutSheetRow.hide == on.hide_id)
    if there is not None:
        return int(there.id)
    _may_begin(saved, number, on.version, row)
    chosen = choices()
    plan = _plan(saved, saved.job.hides[index], chosen.bench)
    made = CutSheetRow.create(
        lay=lay_id,
        hide=on.hide_id,
        bench=CHOICES.write(chosen),
        planned_minutes=plan.minutes,
        begun_at=now(),
        by=who(),
    )
    others = LayBatchRow.select(LayBatchRow.batch).where(LayBatchRow.lay == lay_id)
    BatchRow.update(state="cut").where(
        (BatchRow.id == saved.batch_id) | BatchRow.id.in_([r.batch_id for r in others] or [0])
    ).execute()
    note(on.hide_id, "cutting", f"cutting began, from {saved.job.name}")
    return int(made.id)


def _may_begin(saved: SavedLay, number: str, version: int, row: HideRow) -> None:
    if saved.given_up:
        raise Refused("this lay was given up", value=saved.id, expected="to take it up again first")
    if not any(p.hide == number for p in saved.lay.placements):
        raise Refused(f"nothing lies on {number}", value=number, expected="a hide with pieces laid on it")
    if row.version != version or row.state == "used up":
        raise Refused(
            f"{number} changed since it was laid on",
            value=number,
            expected="to bring the lay onto its leather first",
        )
    unsigned = [u for u in unfair_in(saved.id, saved.job, saved.lay) if not u.signed_by]
    if unsigned:
        raise Refused(
            f"{unsigned[0].piece} {unsigned[0].copy + 1} lies against a rule, and nobody signed for it",
            value=len(unsigned),
            expected="to mend it or sign for it first",
        )


@connected
def sheet(sheet_id: int) -> Sheet:
    """Return the cutting of a hide as it stands. Raises NotFound."""
    row = _row(sheet_id)
    saved = lays.load(row.lay_id)
    number = HideRow.select(HideRow.number).where(HideRow.id == row.hide_id).get().number
    hide = saved.job.hides_by_id[number]
    chosen = CHOICES.read(row.bench)
    ticks = [_tick(t) for t in _ticks(row.id)]
    return Sheet(
        row.id,
        saved,
        hide,
        row.hide_id,
        row.state,
        chosen,
        _plan(saved, hide, chosen.bench),
        states_of(ticks),
        row.begun_at,
        row.closed_at,
        None if row.account is None else Account(**row.account),
        _spoils(row.id),
    )


@connected
def states(sheet_id: int) -> dict[Key, Tick]:
    """Return, for each piece that was ticked, the tick that counts: light, for those who look often."""
    return states_of(_tick(t) for t in _ticks(_row(sheet_id).id))


@connected
def sheets(lay_id: int | None = None) -> list[tuple[int, int, str, str]]:
    """Return hides that are cut, of a lay or all: sheet, lay, hide's number, state; the newest first."""
    query = CutSheetRow.select(CutSheetRow, HideRow.number).join(HideRow).order_by(CutSheetRow.id.desc())
    rows = query if lay_id is None else query.where(CutSheetRow.lay == lay_id)
    return [(r.id, r.lay_id, r.hide.number, r.state) for r in rows]


@connected
def tick(sheet_id: int, ticks: Sequence[Tick]) -> dict[Key, Tick]:
    """Write down what was done at the bench, each tick once whatever is sent twice, and return the state of
    every piece that was ticked. A tick that is in the future is taken for now.

    Raises NotFound, and Refused for an act that there is not, or a piece that the lay never had here; nothing
    of what was sent is written then. Once a hide is closed, what comes late is written down and changes
    nothing.
    """
    row = _row(sheet_id)
    locked_lay(row.lay_id)
    saved = lays.load(row.lay_id)
    lies = {(p.piece, p.copy): p for p in saved.lay.placements}
    for one in ticks:
        if one.act not in ACTS or one.act == "recut":
            raise Refused(f"an act {one.act!r}", value=one.act, expected="done, spoilt, skip or back")
        if one.piece not in saved.job.pieces_by_id:
            raise Refused(
                f"this lay has no piece {one.piece}",
                value=one.piece,
                expected="a piece of it; nothing was kept",
            )
    number = HideRow.select(HideRow.number).where(HideRow.id == row.hide_id).get().number
    bench = replace(CHOICES.read(row.bench).bench, pace=1.0)
    planned = {s.piece: s.seconds for s in _plan(saved, saved.job.hides_by_id[number], bench).steps}
    at = now()
    latest = seconds_at(at) + MOST_AHEAD_S
    for one in ticks:
        p = lies.get(one.key)
        pressed = at if one.at_s > latest else at_seconds(one.at_s)
        CutTickRow.insert(
            sheet=row.id,
            tick=one.id,
            piece=one.piece,
            copy_number=one.copy,
            act=one.act,
            reason=one.reason[:128],
            tablet=one.tablet[:36],
            number=one.number,
            revision=saved.head,
            lies=None if p is None else written([p])[0],
            planned_s=planned.get(one.key, 0.0),
            pressed_at=pressed,
            came_at=at,
            by=who(),
        ).on_conflict_ignore().execute()
    return states_of(_tick(t) for t in _ticks(row.id))


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
    row = _row(sheet_id)
    _open(row)
    locked_lay(row.lay_id)
    saved = lays.load(row.lay_id)
    state = states_of(_tick(t) for t in _ticks(row.id)).get(key)
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
        saved.id, job, lay, saved.leather, base=saved.head, changes=saved.changes, source="recut", freed={key}
    )
    CutTickRow.create(
        sheet=row.id,
        tick=str(uuid.uuid4()),
        piece=key[0],
        copy_number=key[1],
        act="recut",
        reason=state.reason,
        tablet="",
        number=0,
        revision=head,
        lies=written([was])[0],
        pressed_at=max(now(), at_seconds(state.at_s) + datetime.timedelta(milliseconds=5)),
        came_at=now(),
        by=who(),
    )
    return Recut(head, "" if found is None else found.hide)


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
    row = _row(sheet_id)
    _open(row)
    hide_row = locked_hide(row.hide_id)
    locked_lay(row.lay_id)
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
    told = account_of_cut(own.hide, [regions[p.piece, p.copy] for p in good], gone, kept)
    offcuts = _on_the_rack(hide_row, own.hide, kept)
    uncut = {(p.piece, p.copy) for p in here} - {(p.piece, p.copy) for p in (*good, *spoilt)}
    back = uncut | {(p.piece, p.copy) for p in spoilt}
    if back:
        rest = tuple(p for p in saved.lay.placements if (p.piece, p.copy) not in back)
        lay = replace(saved.lay, placements=rest)
        lays.add_revision(
            locked_lay(saved.id),
            lays.newest_for(locked_lay(saved.id), saved.head, set()),
            lay,
            "closed",
            freed=back,
        )
    HideRow.update(state="used up", version=HideRow.version + 1).where(HideRow.id == hide_row.id).execute()
    CutSheetRow.update(state="closed", closed_at=now(), account=asdict(told)).where(
        CutSheetRow.id == row.id
    ).execute()
    note(
        hide_row.id,
        "cutting",
        f"cut: {len(good)} pieces, {len(gone)} spoilt, {', '.join(offcuts) or 'nothing'} left",
    )
    return Closed(told, tuple(offcuts), len(back))


def _on_the_rack(row: HideRow, hide: Hide, grounds: Sequence[Any]) -> list[str]:
    """Put what is left on the rack, each with what lies on it and its share of what the leather cost."""
    looked = looking_of(row)
    held = set(numbers_given())
    limits = leather_settings().limits
    out = []
    for ground in grounds:
        part = part_of(looked, ground)
        number = next(n for n in (f"{row.number}-{k}" for k in count(1)) if n not in held)
        held.add(number)
        made = as_hide(
            part, number, edge_margin_mm=hide.edge_margin_mm, cost_per_m2=row.cost_per_m2, limits=limits
        )
        share = float(row.cost or 0.0) * made.region.area / hide.region.area
        kept = rack_hide(row)
        about = About(
            row.material,
            row.mill,
            row.colour,
            row.tannage,
            row.temper,
            row.thickness_mm,
            row.grade,
            "looked over" if how_far(part).enough else "received",
            row.received_on,
            kept.finish,
            parent_id=row.id,
            cost=share,
        )
        add_hide(made, about, part, f"left of {row.number} once it was cut")
        out.append(number)
    return out


@connected
def pace() -> Pace:
    """Return the shop's own pace, by all that was ticked at the bench so far."""
    rows = CutTickRow.select(
        CutTickRow.sheet,
        CutTickRow.piece,
        CutTickRow.copy_number,
        CutTickRow.pressed_at,
        CutTickRow.planned_s,
    ).where(CutTickRow.act == "done", CutTickRow.planned_s > 0)
    by_sheet: dict[int, dict[Key, tuple[float, float]]] = {}
    for row in rows:
        at = (seconds_at(row.pressed_at), float(row.planned_s))
        by_sheet.setdefault(row.sheet_id, {})[row.piece, int(row.copy_number)] = at
    return pace_of([list(own.values()) for own in by_sheet.values()])


def placing(own: Sheet) -> list[Row]:
    """Return how the pieces of a hide are put down by tape; reckoned once for each state of its lay."""
    key = (own.saved.id, own.saved.job_number, own.saved.at, own.hide.id)
    with _lock:
        found = _placings.get(key)
    if found is None or found[0] is not own.saved.job:
        lies = {(p.piece, p.copy): p for p in own.saved.lay.placements}
        order = [lies[s.piece] for s in own.plan.steps]
        found = (own.saved.job, placing_table(own.saved.job, own.hide, order, own.plan.cuts)[0])
        with _lock:
            _placings[key] = found
    return found[1]


def outline_of(job: Job, p: Placement) -> Ring:
    """Return the outline of a piece where it lies, ``(n, 2)`` mm on the hide."""
    return place_points(job.pieces_by_id[p.piece].outline, p.at)


@connected
def head_of(sheet_id: int) -> tuple[int, str]:
    """Return the newest revision of a sheet's lay, and the sheet's state. Raises NotFound."""
    row = _row(sheet_id)
    return int(LayRow.select(LayRow.head).where(LayRow.id == row.lay_id).get().head), row.state


@connected
def tools_of(lay_id: int) -> dict[str, Tool]:
    """Return with which tool each piece of a lay is cut, by its id."""
    return {
        f"{slug}/{p.slug}": p.tool for slug, article, _, _ in articles_of_lay(lay_id) for p in article.pieces
    }


def _plan(saved: SavedLay, hide: Hide, bench: Bench) -> CutPlan:
    """The plan of a hide; reckoned once for each state of its lay."""
    key = (saved.id, saved.job_number, saved.at, hide.id, bench)
    with _lock:
        found = _plans.get(key)
    if found is None or found[0] is not saved.job:
        found = (saved.job, cut_plan(saved.job, hide, saved.lay.placements, tools_of(saved.id), bench))
        with _lock:
            _plans[key] = found
    return found[1]


_plans: LRUCache[tuple[Any, ...], tuple[Job, CutPlan]] = LRUCache(64)
_placings: LRUCache[tuple[Any, ...], tuple[Job, list[Row]]] = LRUCache(64)
_lock = Lock()


def _row(sheet_id: int) -> CutSheetRow:
    row = CutSheetRow.get_or_none(CutSheetRow.id == sheet_id)
    if row is None:
        raise NotFound(f"there is no cut sheet {sheet_id}", value=sheet_id)
    return row


def _open(row: CutSheetRow) -> None:
    if row.state != "open":
        raise Refused("this hide is closed", value=row.state, expected="a hide that is being cut")


def _ticks(sheet_id: int) -> list[CutTickRow]:
    return list(CutTickRow.select().where(CutTickRow.sheet == sheet_id))


def _tick(row: CutTickRow) -> Tick:
    act = cast(Act, row.act)
    return Tick(
        row.tick,
        row.piece,
        int(row.copy_number),
        act,
        seconds_at(row.pressed_at),
        row.tablet,
        row.number,
        row.reason,
    )


def _spoils(sheet_id: int) -> tuple[tuple[Placement, str], ...]:
    """Pieces that were spoilt and cut again since: where they lay, and why."""
    rows = CutTickRow.select().where(CutTickRow.sheet == sheet_id, CutTickRow.act == "recut")
    return tuple((read_written(r.lies), r.reason) for r in rows)
