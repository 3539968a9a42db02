"""A hide's outline from pictures, from a digitising table's drawing, or by rule: found, laid over the picture, accepted by the cutter."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from fastapi import APIRouter, Request
from shapely.geometry import Polygon

from fairlay.api.jobs import job_out
from fairlay.api.leather_models import Accept, ByRule, Changed, FromDrawing, LookAtPictures, Mend, Mended, TablesOut, TakeHide
from fairlay.api.models import JobOut
from fairlay.api.pattern_models import FileOut
from fairlay.core.errors import BadHide, Refused
from fairlay.core.formats.dxf_in import read_dxf
from fairlay.core.formats.seen_json import SeenRecord, seen_plain, shown
from fairlay.core.formats.sort_out import sort_out
from fairlay.core.formats.svg_in import read_svg
from fairlay.core.leather import looking_over
from fairlay.core.leather.backbone import backbone_of
from fairlay.core.leather.by_rule import Station, outline_by_rule
from fairlay.core.leather.looking_over import Backdrop, LookingOver, RingedFlaw
from fairlay.core.leather.mend import painted, parted
from fairlay.core.leather.pull import PullTest
from fairlay.core.leather.severity import suggested_severity
from fairlay.core.pattern.contour import flatten
from fairlay.core.shapes.rings import Ring, clean_ring
from fairlay.devices.hide_table import SimulatedHideCamera
from fairlay.store import jobs, looking, uploads
from fairlay.work.queue import hand_out

router = APIRouter(prefix="/api/leather", tags=["leather"])
ARROW_REACH_MM = 200.0


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
    return FileOut(id=uploads.keep(f"{asked.table} {asked.shot + 1}.jpg", picture.media_type, picture.body), name=asked.table, kind="picture")


@router.post("/hides/{hide_id}/pictures", status_code=202)
def look_at_pictures(hide_id: int, asked: LookAtPictures) -> JobOut:
    """Have a hide found in its pictures; follow the job. What it finds is kept beside the hide until it is accepted or left."""
    for file in asked.files:
        uploads.upload(file)
    job_id = jobs.add_look(hide_id, tuple(asked.files), asked.bar_mm)
    hand_out(job_id, "look")
    return job_out(jobs.job_by_id(job_id))


@router.post("/hides/{hide_id}/drawing")
def look_at_drawing(hide_id: int, asked: FromDrawing) -> SeenRecord:
    """Take a hide from a digitising table's drawing (SVG or DXF): the largest outline is the hide, what lies in it are holes."""
    kept = uploads.upload(asked.file)
    drawing = read_svg(kept.body) if kept.name.lower().endswith(".svg") or b"<svg" in kept.body[:2000] else read_dxf(kept.body)
    found = sort_out(drawing, {}, asked.unit_mm or drawing.unit_mm or 1.0)
    if not found.pieces:
        raise BadHide(f"{kept.name} has no closed outline", value=0, expected="the hide's outline as one closed line")
    hide = max(found.pieces, key=lambda p: Polygon(flatten(p.contour)).area)
    return _keep(hide_id, seen_plain("drawing", flatten(hide.contour), [flatten(w) for w in hide.windows], list(found.notes)))


@router.post("/hides/{hide_id}/by-rule")
def measure_by_rule(hide_id: int, asked: ByRule) -> SeenRecord:
    """Take a hide from where its edge begins and ends below a rule laid along the backbone, station by station."""
    ring = outline_by_rule([Station(*map(float, s)) for s in asked.stations])
    return _keep(hide_id, seen_plain("rule", ring, [], [f"Measured at {len(asked.stations)} stations: between them the edge is taken to run smoothly."]))


@router.post("/mend")
def mend(asked: Mend) -> Mended:
    """Mend an outline by a stroke: painted on, painted off, or cut along."""
    region = Polygon(clean_ring(asked.outline, "the outline"), [clean_ring(h, f"hole {i + 1}") for i, h in enumerate(asked.holes)]).buffer(0)
    if asked.how == "cut":
        kept, off = parted(region, asked.stroke)
        if off is None:
            raise Refused("the line does not part the hide", value=len(asked.stroke), expected="a line from edge to edge; nothing was cut")
    else:
        kept = painted(region, asked.stroke, asked.width_mm, asked.how == "add")
    return Mended(outline=shown(np.asarray(kept.exterior.coords)[:-1]), holes=[shown(np.asarray(r.coords)[:-1]) for r in kept.interiors], area_m2=kept.area / 1e6)


@router.delete("/hides/{hide_id}/seen", status_code=204)
def leave_seen(hide_id: int) -> None:
    """Leave what was found: nothing of it is taken."""
    looking.put_seen(hide_id, None)


@router.post("/hides/{hide_id}/accept")
def accept(hide_id: int, asked: Accept) -> Changed:
    """Take what was found, as the cutter left it: outline, holes, rings with their severity, lines. One change, which can be undone."""
    known = looking.known(hide_id)
    if not known.seen:
        raise Refused("nothing was found that could be taken", value=hide_id, expected="a picture, a drawing or stations first")
    seen = SeenRecord.model_validate(known.seen)
    version = looking.change(hide_id, lambda before: _accepted(before, asked, seen), f"measured from {'pictures' if seen.source == 'picture' else 'a ' + seen.source}", "outline")
    looking.put_seen(hide_id, None)
    return Changed(version=version + 1)


def _accepted(before: LookingOver, asked: Accept, seen: SeenRecord) -> LookingOver:
    outline, holes = clean_ring(asked.outline, "the outline"), [clean_ring(h, f"hole {i + 1}") for i, h in enumerate(asked.holes)]
    made = looking_over.begun(before.kind, outline, holes)
    made = replace(made, steps=before.steps, readings=[], pulls=[])
    if seen.picture is not None:
        w, h = seen.bounds.x1 - seen.bounds.x0, seen.bounds.y1 - seen.bounds.y0
        number = int(seen.picture.rsplit("/", 2)[-2])
        made = replace(made, backdrop=Backdrop(number, w, h, (1.0, 0.0, 0.0, 1.0, seen.bounds.x0, seen.bounds.y0)))
    for i, ring in enumerate(asked.rings):
        severity = ring.severity or suggested_severity(ring.kind, np.asarray(ring.outline))[0]
        made = looking_over.with_flaw(made, RingedFlaw(f"c{i + 1}", ring.kind, severity, ring.outline, "", None, "surface", ring.chalk))
    lines = [(x.means, np.asarray(x.points, float)) for x in asked.lines]
    arrows = [points for means, points in lines if means == "least stretch"]
    chalked = next((points for means, points in lines if means == "backbone"), None)
    tail, neck = backbone_of(outline) if chalked is None or len(chalked) < 2 else (chalked[0], chalked[-1])
    if asked.ends is not None:
        tail, neck = np.array([asked.ends.tail_x, asked.ends.tail_y]), np.array([asked.ends.neck_x, asked.ends.neck_y])
    # An arrow comes with the hide into its own place as a pull test does: by its middle and its way.
    marks = replace(made, pulls=[PullTest(f"a{i}", float(p[:, 0].mean()), float(p[:, 1].mean()), 0.0, 1.0, _way(p)) for i, p in enumerate(arrows)])
    laid = looking_over.relaid(looking_over.placed(marks, (float(tail[0]), float(tail[1])), (float(neck[0]), float(neck[1])), turn_over=asked.flesh_up))
    ways, laid = laid.pulls, replace(laid, pulls=[])
    for arrow in ways:
        laid = looking_over.with_way(laid, arrow.x, arrow.y, arrow.deg, ARROW_REACH_MM)
    return laid if asked.ends is None and chalked is None else looking_over.with_step(laid, "backbone", True)


def _way(points: Ring) -> float:
    way = points[-1] - points[0]
    return float(np.degrees(np.arctan2(way[1], way[0]))) % 180.0


def _keep(hide_id: int, seen: SeenRecord) -> SeenRecord:
    looking.put_seen(hide_id, seen.model_dump(mode="json"))
    return seen
