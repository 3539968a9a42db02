"""The Lay room: a lay on its hides, laid by the engine or by hand, saved, undone, exported, watched."""

from __future__ import annotations

import asyncio
import json
from collections.abc import AsyncIterator
from typing import Literal

from fastapi import APIRouter, Request, Response
from shapely.geometry import box
from sse_starlette import EventSourceResponse, ServerSentEvent
from starlette.concurrency import run_in_threadpool

from fairlay.api.batch_models import LaySummaryOut
from fairlay.api.files import as_file
from fairlay.api.jobs import job_out
from fairlay.api.laid import delta, keys_of, lay_out, revision_out, shown_of, state_of
from fairlay.api.models import (
    FromRevision,
    GoTo,
    HandMove,
    JobOut,
    LaidDelta,
    LaidState,
    LayOut,
    Named,
    PinChange,
    PinnedPiece,
    Revised,
    RevisionOut,
    RunLay,
    Taken,
)
from fairlay.api.shapes import lay_summaries
from fairlay.core.errors import BadLay, Refused
from fairlay.core.formats.dxf import lay_dxf
from fairlay.core.formats.exchange import read_placement, write_job, write_lay
from fairlay.core.formats.svg import lay_svg
from fairlay.core.lay.again import job_again
from fairlay.core.shapes.placing import place_region
from fairlay.store import by_hand, candidates, changed_leather, jobs, lay_back, lays, ordering, pins, what_if
from fairlay.store.jobs import LIVE
from fairlay.store.lay_history import history
from fairlay.store.lays import SavedLay
from fairlay.store.work_asked import LayWork
from fairlay.work.queue import hand_out

router = APIRouter(prefix="/api/lays", tags=["lays"])
LOOK_OFTEN_S, LOOK_EVERY_S, LOOK_SELDOM_S = 0.1, 0.35, 1.2
"""How often a lay is looked at while it is laid and nothing was found yet, while it is laid, and while it is
not.
"""


@router.get("")
def all_lays() -> list[LaySummaryOut]:
    """Every lay, newest first."""
    return lay_summaries(lays.summaries())


@router.get("/{lay_id}")
def one_lay(lay_id: int, at: int | None = None) -> LayOut:
    """A lay at a revision, the newest by default, with its figures and what could not be placed."""
    return lay_out(lays.load(lay_id, at))


@router.post("/{lay_id}/run", status_code=202)
def run(lay_id: int, asked: RunLay) -> JobOut:
    """Have the engine lay it, or some of its hides again, around what is pinned or around all that lies;
    follow the job to see it improve.
    """
    saved = lays.load(lay_id)
    if saved.given_up:
        raise Refused("this lay was given up", value=lay_id, expected="to take it up again first")
    pins = _pinned(saved, asked)
    pinned = [(p.piece, p.copy) for p in saved.lay.placements] if asked.keep_all else pins
    job_again(saved.job, saved.lay, only=asked.hides, pinned=pinned, pieces=asked.pieces)
    work = LayWork(
        tuple(asked.hides),
        () if asked.keep_all else pins,
        asked.keep_all,
        saved.head,
        tuple(asked.pieces),
    )
    job_id = jobs.add_job(lay_id, asked.seconds, asked.seed, work)
    hand_out(job_id, "lay")
    return job_out(jobs.job_by_id(job_id))


def _pinned(saved: SavedLay, asked: RunLay) -> tuple[tuple[str, int], ...]:
    """What stays where it lies: what is pinned, and what is not wholly within the window that is bettered."""
    if asked.window is None:
        return saved.pins
    if len(asked.hides) != 1:
        raise Refused(
            f"a corner of {len(asked.hides)} hides", value=asked.hides, expected="the one hide it is of"
        )
    window = box(*asked.window)
    here = [p for p in saved.lay.placements if p.hide == asked.hides[0]]
    out = [
        (p.piece, p.copy)
        for p in here
        if not window.covers(place_region(saved.job.pieces_by_id[p.piece].region, p.at))
    ]
    return tuple(dict.fromkeys((*saved.pins, *out)))


@router.post("/{lay_id}/moves", status_code=201)
def move_by_hand(lay_id: int, asked: HandMove) -> Revised:
    """Move pieces by hand, on what stands newest. What breaks a rule is refused, with the rule, unless the
    cutter insists.
    """
    put = [read_placement(p) for p in asked.put]
    head = by_hand.act(
        lay_id,
        base=asked.base,
        put=put,
        take=keys_of(asked.take),
        mark=asked.mark.strip(),
        insisting=asked.insisting,
    )
    return Revised(head=head)


@router.post("/{lay_id}/undo")
def undo(lay_id: int, asked: FromRevision) -> Revised:
    """Go back one revision. Nothing is lost: going back is a revision too."""
    return Revised(head=lay_back.undo(lay_id, base=asked.base))


@router.post("/{lay_id}/go-to")
def go_to(lay_id: int, asked: GoTo) -> Revised:
    """Show an earlier revision again, as the newest."""
    return Revised(head=lay_back.go_to(lay_id, asked.number, base=asked.base))


@router.put("/{lay_id}/revisions/{number}/mark", status_code=204)
def name_revision(lay_id: int, number: int, asked: Named) -> None:
    """Give a revision a name to find it by."""
    lays.name_revision(lay_id, number, asked.mark.strip())


@router.get("/{lay_id}/revisions")
def earlier_revisions(lay_id: int, before: int) -> list[RevisionOut]:
    """Revisions before one, the oldest first."""
    return [revision_out(r) for r in history(lay_id, before)]


@router.post("/{lay_id}/pins")
def pin(lay_id: int, asked: PinChange) -> list[PinnedPiece]:
    """Pin pieces where they lie, and take pins out."""
    held = pins.pin(lay_id, add=keys_of(asked.add), drop=keys_of(asked.drop))
    return [PinnedPiece(piece=piece, copy_number=copy) for piece, copy in held]


@router.post("/{lay_id}/leather")
def onto_leather_now(lay_id: int, asked: FromRevision) -> Taken:
    """Bring a lay onto its hides as they are now: what is hit by the change is taken up, the rest stays."""
    return Taken.model_validate(changed_leather.bring(lay_id, base=asked.base), from_attributes=True)


@router.post("/{lay_id}/batch")
def onto_batch_now(lay_id: int, asked: FromRevision) -> Taken:
    """Bring a lay onto what its batch orders now: what is wanted still stays, the rest is taken up."""
    head, taken_up = ordering.bring(lay_id, base=asked.base)
    return Taken(head=head, taken_up=taken_up)


@router.post("/{lay_id}/waiting")
def take_waiting(lay_id: int, asked: FromRevision) -> Revised:
    """Take in what a search found and could not put beside hand moves; these can be gone back to."""
    found = candidates.of_lay(lay_id)
    if found is None:
        raise Refused("nothing waits beside this lay", value=lay_id, expected="a search that found something")
    taken = candidates.take_in(lay_id, found.job_id, over_hand=True, base=asked.base)
    return Revised(head=taken.number or asked.base)


@router.delete("/{lay_id}/waiting", status_code=204)
def leave_waiting(lay_id: int) -> None:
    """Leave what a search found: the lay stays as it is."""
    candidates.leave(lay_id)


@router.post("/{lay_id}/given-up", status_code=204)
def give_up(lay_id: int) -> None:
    """Give a lay up: its hides are free to be let go by the batch."""
    lays.give_up(lay_id)


@router.delete("/{lay_id}/given-up", status_code=204)
def take_up_again(lay_id: int) -> None:
    """Take a lay up again that was given up."""
    lays.give_up(lay_id, False)


@router.get("/{lay_id}/events", responses={200: {"model": LaidDelta}})
async def lay_events(lay_id: int, request: Request, seen: str = "") -> EventSourceResponse:
    """Server-sent events: what changed of how the lay stands (a ``LaidDelta``), by whomever, and its job each
    time that changed. ``seen`` is the state that is known already.
    """
    await run_in_threadpool(lays.load, lay_id)

    async def changes() -> AsyncIterator[ServerSentEvent]:
        known, before, told = seen, None, (-1, -1)
        while not await request.is_disconnected():
            state, job = await run_in_threadpool(_newer, lay_id, known)
            if state is not None:
                same = before is not None and before.seen == known
                yield ServerSentEvent(
                    delta(before if same else None, state).model_dump_json(), event="lay", id=state.seen
                )
                known, before = state.seen, state
            if job is not None and (job.id, job.version) != told:
                told = (job.id, job.version)
                yield ServerSentEvent(job.model_dump_json(), event="job")
            await asyncio.sleep(_look_in_s(job))

    return EventSourceResponse(changes(), ping=15)


def _look_in_s(job: JobOut | None) -> float:
    if job is None or job.state not in LIVE:
        return LOOK_SELDOM_S
    return LOOK_OFTEN_S if job.state == "running" and not job.history else LOOK_EVERY_S


def _newer(lay_id: int, known: str) -> tuple[LaidState | None, JobOut | None]:
    """How a lay stands now, where that is not known already, and its newest job."""
    newest = jobs.newest_of_lay(lay_id)
    out = None if newest is None else job_out(newest)
    if lays.seen_now(lay_id, newest) == known:
        return None, out
    saved = lays.load(lay_id)
    shown = shown_of(saved, newest, candidates.of_lay(lay_id))
    if shown.seen == known:
        return None, out
    return state_of(lay_id, saved.job, shown, what_if.batch_asked(saved)), out


@router.get("/{lay_id}/export/{kind}")
def export(
    lay_id: int, kind: Literal["svg", "dxf", "lay.json", "job.json"], hide: str | None = None
) -> Response:
    """A lay as a file at true size: SVG and DXF in mm, or the exchange JSON."""
    saved = lays.load(lay_id)
    if hide is not None and hide not in saved.job.hides_by_id:
        raise BadLay(
            f"lay {lay_id} has no hide {hide}",
            value=hide,
            expected="one of " + ", ".join(saved.job.hides_by_id),
        )
    name = f"{saved.job.name.replace(' ', '-')}-r{saved.at}"
    if kind == "svg":
        return as_file(lay_svg(saved.job, saved.lay, hide), "image/svg+xml", f"{name}.svg")
    if kind == "dxf":
        return as_file(lay_dxf(saved.job, saved.lay, hide), "image/vnd.dxf", f"{name}.dxf")
    values = write_lay(saved.lay) if kind == "lay.json" else write_job(saved.job)
    return as_file(json.dumps(values, indent=1), "application/json", f"{name}.{kind}")
