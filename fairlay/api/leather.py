"""The Leather room: the rack, each hide looked over step by step, what it is worth."""

from __future__ import annotations

import json
import math
from collections.abc import Callable
from typing import Literal

import numpy as np
from fastapi import APIRouter, Response
from pydantic import TypeAdapter

from fairlay.api.files import as_file
from fairlay.api.jobs import job_out
from fairlay.api.leather_models import (
    ArticleWorth,
    BackdropOut,
    BatchFit,
    BlockOut,
    BulkAct,
    Change,
    Changed,
    ContourOut,
    EventOut,
    FlawKnown,
    GaugeAt,
    GaugeRead,
    HideRoomOut,
    PicturesOut,
    PullKnown,
    ReadingKnown,
    StepOut,
    StrapOut,
    WorthOut,
)
from fairlay.api.models import ClassArea, Matrix, RackHideOut
from fairlay.api.settings import chalk_out
from fairlay.api.shapes import drawn_shape, hide_shape
from fairlay.core.errors import Refused
from fairlay.core.formats.dxf import hide_dxf
from fairlay.core.formats.exchange import hide_values
from fairlay.core.formats.read_out import Bounds
from fairlay.core.formats.seen_json import PressRecord, SeenRecord
from fairlay.core.formats.svg import hide_svg
from fairlay.core.lay.card import ROLL_SHOWN_MM
from fairlay.core.lay.hide_worth import accepted_by, clean_block, strap_run, suits_batch
from fairlay.core.lay.order import cutlist, piece_id, pieces_of_batch
from fairlay.core.leather import looking_over, reshaped
from fairlay.core.leather.gauge import GaugeReading, doubted_readings, thickness_contours
from fairlay.core.leather.hide import SEVERITY_NAMES, TIGHTNESS_NAMES
from fairlay.core.leather.looking_over import (
    QUICK,
    STEP_NAMES,
    STEPS,
    LookingOver,
    RingedFlaw,
    StepDone,
    ZoneDrawn,
)
from fairlay.core.leather.pull import PullTest, class_of, doubted_pulls
from fairlay.core.leather.severity import suggested_severity
from fairlay.core.rules import Policy
from fairlay.core.shapes.rings import as_points
from fairlay.devices.gauge import SimulatedGauge
from fairlay.store import articles, batches, hides, jobs, looking, spoken_for
from fairlay.store.hides import OnRack
from fairlay.store.settings import leather_settings

router = APIRouter(prefix="/api/leather", tags=["leather"])
_RACK = TypeAdapter(list[RackHideOut])


@router.get("", response_model=list[RackHideOut])
def rack() -> Response:
    """Every hide on the rack and those used up last, drawn, with area, tightness, flaws and worth."""
    found = hides.listed()
    kept = looking.batches_of([h.id for h in found])
    # Written as JSON in one go: a full rack is millions of figures.
    return Response(
        _RACK.dump_json([rack_out(h, kept.get(h.id, [])) for h in found]), media_type="application/json"
    )


@router.post("/acts", status_code=204)
def act_on_many(asked: BulkAct) -> None:
    """Give several hides a state, or keep them for a batch. All of them or none."""
    hides.hides_by_id(asked.ids)
    if (asked.state is None) == (asked.batch_id is None):
        raise Refused(
            "an act needs a state or a batch", value=None, expected="just one of them; nothing was changed"
        )
    if asked.state is not None:
        spoken_for.set_state(asked.ids, asked.state)
    elif asked.batch_id is not None:
        batches.choose_leather(asked.batch_id, add=asked.ids, shared=asked.shared)


@router.get("/hides/{hide_id}")
def one_hide(hide_id: int) -> HideRoomOut:
    """A hide with all that is known of it: its outline, flaws, tests, readings, how far it was looked
    over.
    """
    return _room(looking.known(hide_id))


@router.post("/hides/{hide_id}/changes")
def change_hide(hide_id: int, asked: Change) -> Changed:
    """Change one thing that is known of a hide, on what stands newest: two people at one hide lose
    nothing.
    """
    act, words, kind = _act(asked)
    if asked.cut and asked.cut.rack_off:
        version, made = looking.cut_off(hide_id, asked.cut.line, words, asked.cut.scrap)
        return Changed(version=version, made=list(made))
    return Changed(version=looking.change(hide_id, act, words, kind))


@router.post("/hides/{hide_id}/undo")
def undo_change(hide_id: int) -> Changed:
    """Take back the newest change of a hide."""
    return Changed(version=looking.undo(hide_id))


@router.post("/hides/{hide_id}/gauge")
def read_gauge(hide_id: int, asked: GaugeAt) -> GaugeRead:
    """Read the thickness gauge at a place of a hide: the simulated one."""
    known = looking.known(hide_id)
    x1, y1 = known.looking.ring.max(axis=0)
    return GaugeRead(
        mm=round(
            SimulatedGauge(known.rack.number, known.rack.thickness_mm, float(x1), float(y1)).read(
                asked.x, asked.y
            ),
            2,
        )
    )


@router.get("/hides/{hide_id}/history")
def hide_history(hide_id: int) -> list[EventOut]:
    """What was done with a hide, newest first."""
    return [
        EventOut(
            kind=e.kind, words=e.words, created_at=e.created_at, outline=e.outline, made=list(e.made), by=e.by
        )
        for e in looking.history(hide_id)
    ]


@router.get("/hides/{hide_id}/hide.{kind}")
def take_out(hide_id: int, kind: Literal["svg", "dxf", "json"]) -> Response:
    """A hide to take elsewhere: SVG or DXF at true size, its flaws on layers by severity, or as the exchange
    format has it.
    """
    hide = hides.hides_by_id([hide_id])[0].hide
    if kind == "svg":
        return as_file(hide_svg(hide), "image/svg+xml", f"{hide.id}.svg")
    if kind == "dxf":
        return as_file(hide_dxf(hide), "image/vnd.dxf", f"{hide.id}.dxf")
    return as_file(json.dumps(hide_values(hide), indent=1), "application/json", f"{hide.id}.json")


@router.get("/hides/{hide_id}/worth")
def worth_of(hide_id: int) -> WorthOut:
    """What a hide is worth: what each article's rules accept of it, its best block, its longest strap, the
    open batches it suits.
    """
    known = looking.known(hide_id)
    hide, material = known.rack.hide, known.rack.material
    usable = hide.usable.area / 1e6
    # Woven stuff has no best block and no lane: it is alike all over.
    block, strap = (
        (None, None) if hide.is_roll else (clean_block(hide), strap_run(hide, leather_settings().strap_mm))
    )
    out = []
    for kept in articles.all_articles():
        cut = cutlist(kept.article, (), kept.letter)
        own = [p for p in cut.pieces if p.material == material]
        if own:
            found = accepted_by(hide, [p.pattern for p in own])
            names = {p.pattern.id: p.name for p in own}
            out.append(
                ArticleWorth(
                    article=kept.article.slug,
                    name=kept.article.name,
                    any_m2=found.any_m2,
                    all_m2=found.all_m2,
                    cost=found.cost_per_usable_m2 if math.isfinite(found.cost_per_usable_m2) else None,
                    never=[names[n] for n in found.never],
                )
            )
    fits = []
    for batch in batches.all_batches():
        pieces = pieces_of_batch(batch.lines, material)
        if not pieces or batch.state == "cut":
            continue
        names = {piece_id(line.article, p): p.name for line in batch.lines for p in line.article.pieces}
        fit = suits_batch(hide, pieces, names, Policy(batch.gap_mm, batch.grain_school))
        fits.append(
            BatchFit(
                batch_id=batch.id,
                batch=batch.number,
                name=batch.name,
                material=material,
                score=fit.score,
                share=fit.share,
                reason=fit.reason,
                chosen=hide_id in batch.hide_ids,
            )
        )
    return WorthOut(
        usable_m2=usable,
        cost_per_usable_m2=known.rack.area_m2 * known.rack.cost_per_m2 / usable if usable > 1e-6 else None,
        block=BlockOut(
            x=block.x, y=block.y, length_mm=block.length_mm, depth_mm=block.depth_mm, area_m2=block.area_m2
        )
        if block
        else None,
        strap=StrapOut(
            x=strap.x, y=strap.y, length_mm=strap.length_mm, deg=strap.deg, width_mm=strap.width_mm
        )
        if strap
        else None,
        articles=sorted(out, key=lambda a: -a.any_m2),
        batches=sorted(fits, key=lambda f: -f.score),
    )


def rack_out(found: OnRack, kept_for: list[str]) -> RackHideOut:
    """Return a hide as the rack shows it."""
    card = found.card
    return RackHideOut(
        id=found.id,
        number=found.number,
        kind=found.kind,
        material=found.material,
        mill=found.mill,
        colour=found.colour,
        tannage=found.tannage,
        temper=found.temper,
        thickness_mm=found.thickness_mm,
        grade=found.grade,
        state=found.state,
        cost_per_m2=found.cost_per_m2,
        area_m2=found.area_m2,
        usable_m2=card.usable_m2,
        worth=found.area_m2 * found.cost_per_m2,
        received_on=found.received_on,
        flaws_by_severity=card.flaws_by_severity,
        classes=[
            ClassArea(tightness=c.tightness, name=c.name, usable_m2=c.usable_m2, placed_m2=0.0)
            for c in card.classes
        ],
        shape=drawn_shape(found.number, found.kind, card.drawn),
        finish=found.finish,
        delivery_id=found.delivery_id,
        looked=found.looked,
        looked_enough=found.looked_enough,
        measured=found.measured,
        kept_for=kept_for,
    )


def _room(known: looking.Known) -> HideRoomOut:
    own, hide = known.looking, known.rack.hide
    chosen = leather_settings()
    pulls, readings = doubted_pulls(own.pulls), doubted_readings(own.readings, known.rack.thickness_mm)
    far = looking_over.how_far(own)
    x1, y1 = np.asarray(own.outline).max(axis=0)
    drop, shape = own.backdrop, hide_shape(hide, ROLL_SHOWN_MM)
    return HideRoomOut(
        rack=rack_out(known.rack, looking.batches_of([known.rack.id]).get(known.rack.id, [])),
        version=known.rack.version,
        bounds=shape.bounds if hide.is_roll else Bounds(x0=0, y0=0, x1=x1, y1=y1),
        outline=own.outline,
        holes=own.holes,
        shape=shape,
        flaws=[_flaw(f) for f in own.flaws],
        pulls=[
            PullKnown(
                id=p.id,
                x=p.x,
                y=p.y,
                along_mm=p.along_mm,
                across_mm=p.across_mm,
                deg=p.deg,
                between_mm=p.between_mm,
                sure=p.sure,
                give_mm=p.give_mm,
                tightness=class_of(p.give_mm, chosen.limits),
                tightness_name=TIGHTNESS_NAMES[class_of(p.give_mm, chosen.limits)],
                way_deg=p.least_stretch_deg,
                doubt=pulls.get(p.id, ""),
            )
            for p in own.pulls
        ],
        readings=[
            ReadingKnown(id=r.id, x=r.x, y=r.y, mm=r.mm, sure=r.sure, doubt=readings.get(r.id, ""))
            for r in own.readings
        ],
        contours=[ContourOut(mm=c.mm, points=as_points(c.points, 1)) for c in thickness_contours(hide)],
        steps=[_step(slug, what, own.steps.get(slug, StepDone())) for slug, _, what in STEPS],
        looked=far.words,
        enough=far.enough,
        neck_left=own.neck_left,
        backdrop=None
        if drop is None
        else BackdropOut(
            picture=f"/api/ways-in/files/{drop.picture}/picture",
            width_mm=drop.width_mm,
            height_mm=drop.height_mm,
            matrix=Matrix(
                a=drop.matrix[0],
                b=drop.matrix[1],
                c=drop.matrix[2],
                d=drop.matrix[3],
                e=drop.matrix[4],
                f=drop.matrix[5],
            ),
        ),
        seen=SeenRecord.model_validate(known.seen) if known.seen else None,
        pictures=_pictures(known.rack.id),
        can_undo=known.can_undo,
        chalks=chalk_out(chosen),
        limits=list(chosen.limits),
    )


def _pictures(hide_id: int) -> PicturesOut | None:
    job = jobs.newest_of_hide(hide_id)
    return (
        None
        if job is None or job.state == "done"
        else PicturesOut(
            job=job_out(job),
            files=list(job.look_work.files),
            bar_mm=job.look_work.bar_mm,
            presses=[PressRecord.model_validate(p) for p in job.look_work.presses],
        )
    )


def _flaw(f: RingedFlaw) -> FlawKnown:
    suggested, why = suggested_severity(f.kind, np.asarray(f.outline))
    return FlawKnown(
        id=f.id,
        kind=f.kind,
        severity=f.severity,
        severity_name=SEVERITY_NAMES[f.severity],
        outline=f.outline,
        note=f.note,
        photo=f.photo,
        step=f.step,
        chalk=f.chalk,
        suggested=suggested,
        why=why,
    )


def _step(slug: looking_over.Step, what: str, done: StepDone) -> StepOut:
    return StepOut(
        step=slug, name=STEP_NAMES[slug], what=what, quick=slug in QUICK, done=done.done, note=done.note
    )


Act = Callable[[LookingOver], LookingOver]
EventKind = Literal["looked at", "outline", "cut"]


def _act(asked: Change) -> tuple[Act, str, EventKind]:
    """What a change asks for: how it is done, in words, and whether it changes the outline."""
    given = [name for name in Change.model_fields if getattr(asked, name) is not None]
    if len(given) != 1:
        raise Refused(
            f"a change of {', '.join(given) or 'nothing'}",
            value=given,
            expected="just one change at a time; nothing was changed",
        )
    if f := asked.flaw:
        severity = f.severity or suggested_severity(f.kind, np.asarray(f.outline))[0]
        flaw = RingedFlaw(f.id, f.kind, severity, f.outline, f.note, f.photo, f.step, f.chalk)
        return lambda k: looking_over.with_flaw(k, flaw), f"{f.kind}, {SEVERITY_NAMES[severity]}", "looked at"
    if p := asked.pull:
        pull = PullTest(p.id, p.x, p.y, p.along_mm, p.across_mm, p.deg, p.between_mm, p.sure)
        return (
            lambda k: looking_over.with_pull(k, pull),
            f"pull test, {p.along_mm:g} mm along and {p.across_mm:g} mm across",
            "looked at",
        )
    if r := asked.reading:
        reading = GaugeReading(r.id, r.x, r.y, r.mm, r.sure)
        return lambda k: looking_over.with_reading(k, reading), f"thickness reading, {r.mm:g} mm", "looked at"
    if gone := asked.remove:
        return lambda k: looking_over.without(k, gone.what, gone.id), f"{gone.what} taken out", "looked at"
    if step := asked.step:
        return (
            lambda k: looking_over.with_step(k, step.step, step.done, step.note),
            f"{STEP_NAMES[step.step].lower()} {'done' if step.done else 'not done'}",
            "looked at",
        )
    if ends := asked.ends:
        return (
            lambda k: reshaped.turned(k, (ends.tail_x, ends.tail_y), (ends.neck_x, ends.neck_y)),
            "backbone and ends set",
            "outline",
        )
    if zone := asked.zone:
        return (
            lambda k: looking_over.with_tightness(
                k, ZoneDrawn(zone.outline, zone.tightness, zone.stretch_deg)
            ),
            f"{TIGHTNESS_NAMES[zone.tightness]} leather drawn",
            "looked at",
        )
    if brush := asked.brush:
        return (
            lambda k: reshaped.brushed(k, brush.stroke, brush.width_mm, brush.add),
            f"outline painted {'on' if brush.add else 'off'}",
            "outline",
        )
    if drawn := asked.outline:
        return (
            lambda k: reshaped.with_outline(k, drawn.outline, drawn.holes),
            "outline drawn anew",
            "outline",
        )
    cut = asked.cut
    if cut is None:
        raise Refused("an empty change", value=None, expected="one change; nothing was changed")
    # A cut without a word is the outline mended; one that says what for has used leather.
    return (
        lambda k: reshaped.cut_along(k, cut.line)[0],
        cut.words or "outline cut along a line",
        "cut" if cut.words else "outline",
    )
