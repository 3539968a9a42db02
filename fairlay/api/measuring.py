"""A hide's outline from pictures, from a digitising table's drawing, or by rule: found, laid over the
picture, accepted by the cutter.
"""

from __future__ import annotations

import numpy as np
from fastapi import APIRouter, Request
from shapely.geometry import Polygon

from fairlay.api.jobs import job_out
from fairlay.api.leather_models import (
    Accept,
    ByRule,
    CameraCheckOut,
    CameraCheckTold,
    Changed,
    CheckCameraWith,
    FromDrawing,
    KnownAgain,
    KnownRing,
    LookAtPictures,
    MeasuredAgain,
    Mend,
    Mended,
    PartOff,
    TablesOut,
    TakeHide,
)
from fairlay.api.models import JobOut
from fairlay.api.pattern_models import FileOut
from fairlay.api.reading import read_file
from fairlay.core.errors import BadHide, Refused
from fairlay.core.formats.seen_json import SeenRecord, seen_plain, shown
from fairlay.core.leather import looking_over
from fairlay.core.leather.acceptance import LineTaken, RingTaken, Taken, taken
from fairlay.core.leather.by_rule import Station, outline_by_rule
from fairlay.core.leather.looking_over import Backdrop
from fairlay.core.leather.measured_again import carried, fit_again, was_cut
from fairlay.core.leather.mend import painted, parted
from fairlay.core.shapes.rings import clean_ring
from fairlay.devices.hide_table import SimulatedHideCamera
from fairlay.store import camera_checks, jobs, looking, uploads
from fairlay.store.work_asked import ReadWork
from fairlay.work.queue import hand_out

router = APIRouter(prefix="/api/leather", tags=["leather"])


@router.get("/camera")
def table_camera(request: Request) -> TablesOut:
    """The camera over the cutting table, and what can lie under it."""
    at_hand: SimulatedHideCamera = request.app.state.hide_camera
    return TablesOut(camera="simulated", tables={name: len(shots) for name, shots in at_hand.tables.items()})


@router.post("/camera", status_code=201)
def photograph(asked: TakeHide, request: Request) -> FileOut:
    """Take a picture of the table and keep it."""
    at_hand: SimulatedHideCamera = request.app.state.hide_camera
    picture = at_hand.pointed_at(asked.table, asked.shot).take()
    return FileOut(
        id=uploads.keep(f"{asked.table} {asked.shot + 1}.jpg", picture.media_type, picture.body),
        name=asked.table,
        kind="picture",
    )


@router.post("/hides/{hide_id}/pictures", status_code=202)
def look_at_pictures(hide_id: int, asked: LookAtPictures) -> JobOut:
    """Have a hide found in its pictures; follow the job.

    What it finds is kept beside the hide until it is accepted or left.
    """
    for file in asked.files:
        uploads.upload(file)
    presses = tuple(p.model_dump(mode="json") for p in asked.presses)
    job_id = jobs.add_look(hide_id, tuple(asked.files), asked.bar_mm, presses)
    hand_out(job_id, "look")
    return job_out(jobs.job_by_id(job_id))


@router.get("/camera-checks")
def camera_checked() -> list[CameraCheckOut]:
    """What earlier pictures of the check page told of the camera, newest first."""
    return [CameraCheckOut.model_validate(c, from_attributes=True) for c in camera_checks.checks()]


@router.post("/camera-checks", status_code=202)
def check_camera(asked: CheckCameraWith) -> JobOut:
    """Have the check page measured in a picture of the table; follow the job. What it tells is kept."""
    uploads.upload(asked.file)
    return read_file(asked.file, ReadWork("check", asked.model_dump(mode="json", exclude={"file"})))


@router.get("/camera-checks/{job_id}")
def camera_check(job_id: int) -> CameraCheckTold:
    """What a picture of the check page told, once it is read."""
    return CameraCheckTold.model_validate(jobs.result_of(job_id))


@router.post("/hides/{hide_id}/drawing", status_code=202)
def look_at_drawing(hide_id: int, asked: FromDrawing) -> JobOut:
    """Have a hide read from a drawing, of a digitising table or any program (SVG or DXF): outline, holes,
    flaws and backbone; ``unit_mm`` where it is not as the file says. Follow the job; what it finds is kept
    beside the hide until it is accepted or left.
    """
    looking.known(hide_id)
    return read_file(asked.file, ReadWork("hide", {"hide_id": hide_id, "unit_mm": asked.unit_mm}))


@router.post("/hides/{hide_id}/by-rule")
def measure_by_rule(hide_id: int, asked: ByRule) -> SeenRecord:
    """Take a hide from where its edge begins and ends below a rule laid along the backbone, station by
    station.
    """
    ring = outline_by_rule([Station(*map(float, s)) for s in asked.stations])
    return _keep(
        hide_id,
        seen_plain(
            "rule",
            ring,
            [],
            [f"Measured at {len(asked.stations)} stations: between them the edge is taken to run smoothly."],
        ),
    )


@router.post("/mend")
def mend(asked: Mend) -> Mended:
    """Mend an outline by a stroke: painted on, painted off, or cut along."""
    region = Polygon(
        clean_ring(asked.outline, "the outline"),
        [clean_ring(h, f"hole {i + 1}") for i, h in enumerate(asked.holes)],
    ).buffer(0)
    if asked.how == "cut":
        kept, off = parted(region, asked.stroke)
        if not off:
            raise Refused(
                "the line does not part the hide",
                value=len(asked.stroke),
                expected="a line from edge to edge; nothing was cut",
            )
    else:
        kept = painted(region, asked.stroke, asked.width_mm, asked.how == "add")
    return Mended(
        came_off=[
            PartOff(outline=shown(np.asarray(p.exterior.coords)[:-1]), area_m2=p.area / 1e6)
            for p in (off if asked.how == "cut" else ())
        ],
        outline=shown(np.asarray(kept.exterior.coords)[:-1]),
        holes=[shown(np.asarray(r.coords)[:-1]) for r in kept.interiors],
        area_m2=kept.area / 1e6,
    )


@router.delete("/hides/{hide_id}/seen", status_code=204)
def leave_seen(hide_id: int) -> None:
    """Leave what was found: nothing of it is taken."""
    looking.put_seen(hide_id, None)


@router.post("/hides/{hide_id}/accept")
def accept(hide_id: int, asked: Accept) -> Changed:
    """Take what was found, as the cutter left it: outline, holes, rings with their severity, lines.

    One change, which can be undone.
    """
    known = looking.known(hide_id)
    if not known.seen:
        raise Refused(
            "nothing was found that could be taken",
            value=hide_id,
            expected="a picture, a drawing or stations first",
        )
    seen = SeenRecord.model_validate(known.seen)
    words = f"measured from {'pictures' if seen.source == 'picture' else 'a ' + seen.source}"
    cut = asked.keep_known and was_cut(known.looking.ring, clean_ring(asked.outline, "the outline"))
    return Changed(
        version=looking.change(
            hide_id,
            lambda before: taken(before, _taken(asked, seen)),
            words + ", after a cut" * cut,
            "cut" if cut else "outline",
            takes_seen=True,
        )
    )


@router.post("/hides/{hide_id}/known-again")
def known_again(hide_id: int, asked: MeasuredAgain) -> KnownAgain:
    """Where what was known of a hide lies on its new outline."""
    before = looking.known(hide_id).looking
    outline = clean_ring(asked.outline, "the outline")
    try:
        fit = fit_again(before.ring, outline, asked.flesh_up)
    except BadHide as error:
        return KnownAgain(fits=False, words=str(error), flaws=[], pulls=0, readings=0)
    onto = carried(before, looking_over.begun(before.kind, outline), fit)
    words = f"{100 * fit.share:.0f} % of its edge lies along the old one, within {fit.rms_mm:.1f} mm"
    flaws = [KnownRing(outline=f.outline, kind=f.kind, severity=f.severity) for f in onto.flaws]
    return KnownAgain(fits=True, words=words, flaws=flaws, pulls=len(onto.pulls), readings=len(onto.readings))


def _taken(asked: Accept, seen: SeenRecord) -> Taken:
    drop = None
    if seen.picture is not None:
        w, h = seen.bounds.x1 - seen.bounds.x0, seen.bounds.y1 - seen.bounds.y0
        drop = Backdrop(
            int(seen.picture.rsplit("/", 2)[-2]), w, h, (1.0, 0.0, 0.0, 1.0, seen.bounds.x0, seen.bounds.y0)
        )
    return Taken(
        asked.outline,
        asked.holes,
        [RingTaken(r.outline, r.kind, r.severity, r.chalk) for r in asked.rings],
        [LineTaken(x.means, x.points) for x in asked.lines],
        None
        if asked.ends is None
        else ((asked.ends.tail_x, asked.ends.tail_y), (asked.ends.neck_x, asked.ends.neck_y)),
        asked.flesh_up,
        asked.keep_known,
        drop,
        seen.off_m2,
    )


def _keep(hide_id: int, seen: SeenRecord) -> SeenRecord:
    looking.put_seen(hide_id, seen.model_dump(mode="json"))
    return seen
