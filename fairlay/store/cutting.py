"""Hides that are cut: begun from a fair lay, ticked piece by piece by whichever tablet, recut where one is
spoilt, and closed with what is left on the rack.

What is cut stays where it was: no change of the lay moves it. What a tick says is a fact; the state of a
piece follows from all that is known of it, in whatever order it came.
"""

from __future__ import annotations

import datetime
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any, Final, cast

from pydantic import TypeAdapter

from fairlay.core.cutting.left_over import Account, SizeRule, left_over
from fairlay.core.cutting.pace import Pace, pace_of
from fairlay.core.cutting.plan import Bench, CutPlan, cut_plan
from fairlay.core.cutting.tape import Row, placing_table
from fairlay.core.cutting.ticks import ACTS, STATE_OF, Act, State, Tick, states_of
from fairlay.core.errors import NotFound, Refused
from fairlay.core.formats.stored import Document
from fairlay.core.lay.lay import Job, Placement
from fairlay.core.leather import Hide
from fairlay.core.pattern.pattern import Tool
from fairlay.core.shapes.placing import place_points, place_region
from fairlay.core.shapes.rings import Ring
from fairlay.store import lays
from fairlay.store.acting import who
from fairlay.store.batches import articles_of_lay
from fairlay.store.clock import at_seconds, now, seconds_at
from fairlay.store.cut_rows import CutSheetRow, CutTickRow
from fairlay.store.database import connected
from fairlay.store.hides import note
from fairlay.store.insisted import unfair_in
from fairlay.store.lay_rows import Key, read_written, written
from fairlay.store.lays import SavedLay
from fairlay.store.locks import hold_lay, locked_lay
from fairlay.store.memo import JobMemo
from fairlay.store.setting import setting_of
from fairlay.store.tables import PRACTICE, BatchRow, HideRow, LayBatchRow, LayRow

MOST_AHEAD_S: Final = 120.0
"""A tablet whose clock is so far ahead is taken to have pressed now."""
A_TICK: Final = datetime.timedelta(milliseconds=1)
"""The least that two times in the store differ by."""
CLOSED_SHOWN: Final = 24
PACE_FROM: Final = 5_000
"""The shop's pace is that of so many pieces, the newest."""


@dataclass(frozen=True)
class CutChoices:
    """How the shop cuts, and what of a hide it keeps."""

    bench: Bench = field(default_factory=Bench)
    keeps: SizeRule = field(default_factory=SizeRule)


CHOICES: Final = Document("shop's bench", 1, TypeAdapter(CutChoices), Refused)
HOW_THE_SHOP_CUTS: Final = setting_of("bench", CHOICES, CutChoices)


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


def choices() -> CutChoices:
    """Return how the shop cuts; what was never chosen has its default."""
    return HOW_THE_SHOP_CUTS.get()


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
    HOW_THE_SHOP_CUTS.put(chosen)


@connected
def begin(lay_id: int, number: str) -> int:
    """Begin to cut a hide of a lay; return the sheet's id, the one there is where it was begun.

    Raises NotFound, and Refused for a lay that is given up or not fair, a hide with nothing on it, or leather
    that changed since it was laid on.
    """
    hold_lay(lay_id)
    saved = lays.load(lay_id)
    index = next((i for i, h in enumerate(saved.job.hides) if h.id == number), None)
    if index is None:
        raise NotFound(f"this lay has no hide {number}", value=number)
    on = saved.leather[index]
    row = HideRow.get_by_id(on.hide_id)
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
        facts={"planned": _planned(saved, number)},
        begun_at=now(),
        by=who(),
    )
    others = LayBatchRow.select(LayBatchRow.batch).where(LayBatchRow.lay == lay_id)
    BatchRow.update(state="cut").where(
        (BatchRow.id == saved.batch_id) | BatchRow.id.in_([r.batch_id for r in others] or [0])
    ).execute()
    note(on.hide_id, "cutting", f"cutting began, from {saved.job.name}")
    return int(made.id)


def _planned(saved: SavedLay, number: str) -> dict[str, Any]:
    """What a lay promises of a hide as its cutting begins: pieces, and what of it would be used once what is
    left is racked by the shop's size rule, as it will be counted when the hide is closed.
    """
    job, hide = saved.job, saved.job.hides_by_id[number]
    here = [p for p in saved.lay.placements if p.hide == number]
    shapes = [place_region(job.pieces_by_id[p.piece].region, p.at) for p in here]
    kept = sum(part.ground.area for part in left_over(hide, shapes, choices().keeps) if part.keep)
    return {
        "pieces": len(here),
        "pieces_m2": sum(s.area for s in shapes) / 1e6,
        "used_m2": (hide.region.area - kept) / 1e6,
    }


def _may_begin(saved: SavedLay, number: str, version: int, row: HideRow) -> None:
    if BatchRow.get_by_id(saved.batch_id).state == PRACTICE:
        raise Refused("this lay is only practised on", value=saved.id, expected="a lay of a batch")
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
    other = (
        CutSheetRow.select(CutSheetRow.lay)
        .where(CutSheetRow.hide == row.id, CutSheetRow.lay != saved.id, CutSheetRow.state == "open")
        .first()
    )
    if other is not None:
        raise Refused(
            f"{number} is being cut already, by lay {other.lay_id}",
            value=int(other.lay_id),
            expected="to close it there first, and to bring this lay onto what is left; nothing was begun",
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
    row = sheet_row(sheet_id)
    saved = lays.load(row.lay_id)
    number = HideRow.select(HideRow.number).where(HideRow.id == row.hide_id).get().number
    hide = saved.job.hides_by_id[number]
    chosen = CHOICES.read(row.bench)
    ticks = [tick_of(t) for t in ticks_of(row)]
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
    return states_of(tick_of(t) for t in ticks_of(sheet_row(sheet_id)))


@connected
def sheets(lay_id: int | None = None) -> list[tuple[int, int, str, str]]:
    """Return hides that are cut, of a lay or all: sheet, lay, hide's number, state; the newest first."""
    query = CutSheetRow.select(CutSheetRow, HideRow.number).join(HideRow).order_by(CutSheetRow.id.desc())
    rows = query if lay_id is None else query.where(CutSheetRow.lay == lay_id)
    return [(r.id, r.lay_id, r.hide.number, r.state) for r in rows]


@connected
def shown_sheets() -> dict[int, int]:
    """Return the sheets that are worked at, and those closed last, each with how many pieces of it are done:
    two queries.
    """
    s, t = CutSheetRow, CutTickRow
    at_work = [r.id for r in s.select(s.id).where(s.state == "open")]
    closed = s.select(s.id).where(s.state == "closed").order_by(s.closed_at.desc()).limit(CLOSED_SHOWN)
    ids = [*at_work, *(r.id for r in closed)]
    ticks: dict[int, list[Tick]] = {i: [] for i in ids}
    rows = (
        t.select().join(s).where(t.sheet.in_(ids or [0]), s.closed_at.is_null() | (t.came_at <= s.closed_at))
    )
    for row in rows:
        ticks[row.sheet_id].append(tick_of(row))
    return {
        i: sum(STATE_OF[one.act] == "done" for one in states_of(own).values()) for i, own in ticks.items()
    }


@dataclass(frozen=True)
class Ticked:
    """What became of ticks that were sent: the state of every piece that was ticked, by the tick that counts;
    which ticks were refused, by id, each with why; and which came after the hide was closed, by id: these are
    written down and change nothing.
    """

    states: dict[Key, Tick]
    refused: dict[str, str]
    late: tuple[str, ...]


@connected
def tick(sheet_id: int, ticks: Sequence[Tick]) -> Ticked:
    """Write down what was done at the bench, each tick once whatever is sent twice. A tick that is in the
    future is taken for now. One with an act that there is not, or of a piece that the lay never had, is
    refused; the others are written down all the same.

    Raises NotFound.
    """
    locked_lay(sheet_row(sheet_id).lay_id)
    row = sheet_row(sheet_id)
    saved = lays.load(row.lay_id)
    lies = {(p.piece, p.copy): p for p in saved.lay.placements}
    refused = {one.id: why for one in ticks if (why := _why_refused(one, saved.job))}
    number = HideRow.select(HideRow.number).where(HideRow.id == row.hide_id).get().number
    bench = replace(CHOICES.read(row.bench).bench, pace=1.0)
    planned = {s.piece: s.seconds for s in _plan(saved, saved.job.hides_by_id[number], bench).steps}
    # What comes after the hide was closed is later than that, whatever the clock says.
    at = now() if row.closed_at is None else max(now(), row.closed_at + A_TICK)
    latest = seconds_at(now()) + MOST_AHEAD_S
    for one in (one for one in ticks if one.id not in refused):
        p = lies.get(one.key)
        pressed = now() if one.at_s > latest else at_seconds(one.at_s)
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
    late = () if row.closed_at is None else tuple(one.id for one in ticks if one.id not in refused)
    known = CutTickRow.select(CutTickRow.tick).where(CutTickRow.tick.in_(late or [""]))
    came_late = {t.tick for t in known.where(CutTickRow.came_at > row.closed_at)} if late else set()
    return Ticked(states_of(tick_of(t) for t in ticks_of(row)), refused, tuple(sorted(came_late)))


def _why_refused(one: Tick, job: Job) -> str:
    """Why a tick is not written down; nothing where it is."""
    if one.act not in ACTS or one.act == "recut":
        return f"there is no act {one.act!r}: done, spoilt, skip or back"
    if one.piece not in job.pieces_by_id:
        return f"this lay has no piece {one.piece}"
    return ""


@connected
def pace() -> Pace:
    """Return the shop's own pace, by what was ticked at the bench last."""
    newest = CutTickRow.select(
        CutTickRow.sheet,
        CutTickRow.piece,
        CutTickRow.copy_number,
        CutTickRow.pressed_at,
        CutTickRow.planned_s,
    ).where(CutTickRow.act == "done", CutTickRow.planned_s > 0)
    rows = newest.order_by(CutTickRow.id.desc()).limit(PACE_FROM)
    by_sheet: dict[int, dict[Key, tuple[float, float]]] = {}
    for row in rows:
        at = (seconds_at(row.pressed_at), float(row.planned_s))
        by_sheet.setdefault(row.sheet_id, {})[row.piece, int(row.copy_number)] = at
    return pace_of([list(own.values()) for own in by_sheet.values()])


def placing(own: Sheet) -> list[Row]:
    """Return how the pieces of a hide are put down by tape; reckoned once for each state of its lay."""

    def reckon() -> list[Row]:
        lies = {(p.piece, p.copy): p for p in own.saved.lay.placements}
        order = [lies[s.piece] for s in own.plan.steps]
        return placing_table(own.saved.job, own.hide, order, own.plan.cuts)[0]

    return _placings.get(own.saved.job, (own.saved.id, own.saved.at, own.hide.id), reckon)


def outline_of(job: Job, p: Placement) -> Ring:
    """Return the outline of a piece where it lies, ``(n, 2)`` mm on the hide."""
    return place_points(job.pieces_by_id[p.piece].outline, p.at)


@connected
def head_of(sheet_id: int) -> tuple[int, str]:
    """Return the newest revision of a sheet's lay, and the sheet's state. Raises NotFound."""
    row = sheet_row(sheet_id)
    return int(LayRow.select(LayRow.head).where(LayRow.id == row.lay_id).get().head), row.state


@connected
def tools_of(lay_id: int) -> dict[str, Tool]:
    """Return with which tool each piece of a lay is cut, by its id."""
    return {
        f"{slug}/{p.slug}": p.tool for slug, article, _, _ in articles_of_lay(lay_id) for p in article.pieces
    }


def _plan(saved: SavedLay, hide: Hide, bench: Bench) -> CutPlan:
    """The plan of a hide; reckoned once for each state of its lay."""
    return _plans.get(
        saved.job,
        (saved.id, saved.at, hide.id, bench),
        lambda: cut_plan(saved.job, hide, saved.lay.placements, tools_of(saved.id), bench),
    )


_plans: JobMemo[CutPlan] = JobMemo(64)
_placings: JobMemo[list[Row]] = JobMemo(64)


def sheet_row(sheet_id: int) -> CutSheetRow:
    row = CutSheetRow.get_or_none(CutSheetRow.id == sheet_id)
    if row is None:
        raise NotFound(f"there is no cut sheet {sheet_id}", value=sheet_id)
    return row


def still_open(row: CutSheetRow) -> None:
    if row.state != "open":
        raise Refused("this hide is closed", value=row.state, expected="a hide that is being cut")


def ticks_of(row: CutSheetRow) -> list[CutTickRow]:
    """Return the ticks of a sheet that count: what came after the hide was closed changes nothing."""
    own = CutTickRow.sheet == row.id
    if row.closed_at is not None:
        own &= CutTickRow.came_at <= row.closed_at
    return list(CutTickRow.select().where(own))


def tick_of(row: CutTickRow) -> Tick:
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
