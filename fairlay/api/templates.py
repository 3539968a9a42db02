"""Card templates photographed on a hide, read back against a lay: before the first cut, or to take a lay
that was laid by hand.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping
from typing import Annotated

import numpy as np
from fastapi import APIRouter, Request
from pydantic import BaseModel, Field, FiniteFloat

from fairlay.api.hand import names_in
from fairlay.api.laid import by_name, placement_out
from fairlay.api.models import JobOut, LayPlacement, Matrix
from fairlay.api.pattern_models import FileOut
from fairlay.api.reading import read_file
from fairlay.core.errors import NotFound
from fairlay.core.formats.read_out import Points
from fairlay.core.hand.as_laid import AsLaid, TemplateFound, as_laid
from fairlay.core.lay import Placement
from fairlay.core.leather.hide import Hide
from fairlay.core.shapes.placing import Placing, place_points
from fairlay.core.shapes.rings import as_points
from fairlay.demo.laid_cards import cards_on_hide
from fairlay.devices.hide_table import SimulatedHideCamera
from fairlay.store import by_hand, jobs, uploads
from fairlay.store.work_asked import ReadWork

router = APIRouter(prefix="/api/lays/{lay_id}/templates", tags=["templates"])


class TemplatesOn(BaseModel):
    """A picture of the templates on a hide of the lay; ``bar_mm`` is what the printed 100 mm bar measures."""

    file: int
    hide: Annotated[str, Field(max_length=64)]
    bar_mm: FiniteFloat = 100.0


class HideOfLay(BaseModel):
    hide: Annotated[str, Field(max_length=64)]


class TemplateOut(BaseModel):
    """A template found: where it lies, how far its outline is from the planned one at most (none: not
    planned there), the rules it breaks there, which other pieces it may be, and how much of its outline the
    picture shows (0 to 1).
    """

    placement: LayPlacement
    name: str
    outline: Points
    off_mm: float | None
    breaks: list[str]
    may_be: list[str]
    support: float


class PlannedOut(BaseModel):
    """A piece that is planned on the hide: its outline there, and whether its template was found."""

    piece: str
    copy_number: int
    name: str
    outline: Points
    found: bool


class AsLaidOut(BaseModel):
    """Templates found on a hide against what is planned there; ``picture`` is the table from above,
    ``matrix`` takes the hide's mm onto it, ``bounds`` are its x0, y0, x1, y1.
    """

    head: int
    hide: str
    picture: str
    matrix: Matrix
    bounds: Annotated[list[float], Field(min_length=4, max_length=4)]
    outline: Points
    templates: list[TemplateOut]
    planned: list[PlannedOut]
    advice: list[str]


@router.post("/camera", status_code=201)
def photograph_templates(lay_id: int, asked: HideOfLay, request: Request) -> FileOut:
    """Take a picture of the templates as somebody laid them on a hide by this lay, and keep it."""
    lay = by_hand.in_hand(lay_id)
    hide = _hide(lay, asked.hide)
    outlines = {p.id: p.outline for p in lay.job.pieces}
    on = [(outlines[p.piece], p.at) for p in lay.lies.values() if p.hide == hide.id]
    at_hand: SimulatedHideCamera = request.app.state.hide_camera
    picture = at_hand.over(cards_on_hide(hide.outline, on)).take()
    name = f"templates on {hide.id}"
    return FileOut(
        id=uploads.keep(f"{name}.jpg", picture.media_type, picture.body), name=name, kind="picture"
    )


@router.post("", status_code=202)
def read_templates(lay_id: int, asked: TemplatesOn) -> JobOut:
    """Have the templates found that lie on a hide in a picture; follow the job."""
    lay = by_hand.in_hand(lay_id)
    _hide(lay, asked.hide)
    uploads.upload(asked.file)
    said = {"lay_id": lay_id, "hide": asked.hide, "bar_mm": asked.bar_mm}
    return read_file(asked.file, ReadWork("templates", said))


@router.get("/{job_id}")
def templates_found(lay_id: int, job_id: int) -> AsLaidOut:
    """Templates found in a picture, once it is read, against the lay as it stands now."""
    work = jobs.job_by_id(job_id).work
    if not isinstance(work, ReadWork) or work.what != "templates" or work.said.get("lay_id") != lay_id:
        raise NotFound(
            f"job {job_id} read no templates against this lay", value=job_id, expected="a job that did"
        )
    said = work.said
    lay = by_hand.in_hand(lay_id)
    hide = _hide(lay, str(said.get("hide", "")))
    told = jobs.result_of(job_id)
    names, pieces = names_in(lay), lay.job.pieces_by_id
    found = [
        TemplateFound(
            t["piece"],
            Placing(t["x"], t["y"], t["rotation_deg"], t["mirrored"]),
            t["support"],
            tuple(t["may_be"]),
        )
        for t in told["found"]
        if t["piece"] in pieces
    ]
    seen = as_laid(lay.job, list(lay.lies.values()), hide.id, found)
    missing = set(seen.missing)

    def drawn(piece: str, at: Placing) -> Points:
        return as_points(np.asarray(place_points(pieces[piece].outline, at)), 1)

    a, b, c, d, e, f = told["matrix"]
    return AsLaidOut(
        head=lay.head,
        hide=hide.id,
        picture=told["picture"],
        matrix=Matrix(a=a, b=b, c=c, d=d, e=e, f=f),
        bounds=told["bounds"],
        outline=as_points(hide.outline, 1),
        templates=[
            TemplateOut(
                placement=placement_out(Placement(p.piece, p.copy, hide.id, p.at)),
                name=names[p.piece],
                outline=drawn(p.found.piece, p.found.at),
                off_mm=p.off_mm,
                breaks=[by_name(b, names) for b in p.breaks],
                may_be=[names.get(m, m) for m in p.found.may_be] if p.off_mm is None else [],
                support=p.found.support,
            )
            for p in seen.pieces
        ],
        planned=[
            PlannedOut(
                piece=p.piece,
                copy_number=p.copy,
                name=names[p.piece],
                outline=drawn(p.piece, p.at),
                found=(p.piece, p.copy) not in missing,
            )
            for p in lay.lies.values()
            if p.hide == hide.id
        ],
        advice=[*told["advice"], *_side_by_side(seen, names)],
    )


def _side_by_side(seen: AsLaid, names: Mapping[str, str]) -> list[str]:
    """What is said of planned templates that were not found beside others of their kind."""
    return [
        f"{names[piece]}: {count} planned beside its like {'was' if count == 1 else 'were'} not found. "
        "Where cards of one colour touch, no edge shows between them: count these by eye."
        for piece, count in Counter(piece for piece, _ in seen.side_by_side).items()
    ]


def _hide(lay: by_hand.InHand, hide: str) -> Hide:
    if hide not in lay.job.hides_by_id:
        raise NotFound(
            f"{hide!r} is no hide of this lay", value=hide, expected=", ".join(lay.job.hides_by_id)
        )
    return lay.job.hides_by_id[hide]
