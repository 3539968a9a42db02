"""The exchange format: a job in, a lay out, both JSON (docs/exchange-format.md).

Lengths in mm, angles in degrees counter-clockwise, x from tail to neck, y from backbone
to belly. Reading checks everything; a job or lay that is read can be worked with.
"""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import asdict
from typing import Annotated, Any, Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, FiniteFloat, ValidationError
from shapely.geometry import Polygon

from fairlay.core.errors import BadJob, BadLay, BadPattern, BadShape
from fairlay.core.lay.lay import Better, Job, Lay, Placement, Unplaced
from fairlay.core.lay.rack import RackWorth
from fairlay.core.lay.sound import MOST_COPIES, check_job, roll_length_mm, size_question
from fairlay.core.leather.hide import Flaw, Hide, Reading, Reserved, Zone, check_hide
from fairlay.core.pattern.drawn import mark_from, mark_values
from fairlay.core.pattern.piece import MOST_GAP_MM, Grain, Piece, Split, check_piece, part_id
from fairlay.core.rules.ground import Policy
from fairlay.core.shapes.placing import Placing
from fairlay.core.shapes.rings import Ring, as_points, clean_ring
from fairlay.core.tolerances import COORDINATE_DECIMALS, MIN_GROUND_MM2

JOB_FORMAT = "fairlay.job/1"
LAY_FORMAT = "fairlay.lay/1"

Points = list[tuple[float, float]]


class _Record(BaseModel):
    model_config = ConfigDict(extra="ignore", strict=False)


class ZoneRecord(_Record):
    outline: Points
    tightness: int = Field(ge=1, le=4)
    stretch_deg: FiniteFloat = 90.0


class FlawRecord(_Record):
    kind: str
    severity: int = Field(ge=1, le=3)
    outline: Points


class ReadingRecord(_Record):
    x: FiniteFloat
    y: FiniteFloat
    mm: FiniteFloat


class ReservedRecord(_Record):
    outline: Points
    pieces: list[str] = Field(default=[], alias="for")
    lane: bool = False


class HideRecord(_Record):
    id: str = Field(min_length=1)
    kind: Literal["side", "whole", "bend", "shoulder", "belly", "offcut", "roll"]
    outline: Points = []
    holes: list[Points] = []
    width: FiniteFloat | None = Field(default=None, gt=0)
    backbone_deg: FiniteFloat = 0.0
    edge_margin: FiniteFloat = Field(default=0.0, ge=0)
    cost_per_m2: FiniteFloat = Field(default=0.0, ge=0)
    zones: list[ZoneRecord] = []
    flaws: list[FlawRecord] = []
    thickness: list[ReadingRecord] = []
    reserved: list[ReservedRecord] = []
    neck_left: bool = False
    keep_end: Literal["tail", "neck"] | None = None


class GrainRecord(_Record):
    axis_deg: FiniteFloat = 0.0
    tolerance_deg: FiniteFloat = Field(default=180.0, ge=0)
    reversible: bool = True


class PieceRecord(_Record):
    id: str = Field(min_length=1)
    outline: Points
    holes: list[Points] = []
    quantity: int = Field(ge=0, le=MOST_COPIES)
    pair: bool = False
    show_limit: int = Field(default=2, ge=0, le=2)
    hidden: list[Points] = []
    max_tightness: int = Field(default=4, ge=1, le=4)
    grain: GrainRecord = GrainRecord()
    value: FiniteFloat = Field(default=1.0, ge=0)
    set: str | None = None
    per_set: int = Field(default=1, ge=1)
    thickness_mm: tuple[FiniteFloat, FiniteFloat] | None = None
    filler: bool = False
    splits: list[SplitRecord] = []
    marks: list[MarkRecord] = []
    gap: FiniteFloat | None = Field(default=None, ge=0, le=MOST_GAP_MM)


class MarkRecord(_Record):
    kind: str = Field(min_length=1)
    draws: Literal["line", "area", "pricks"] = "line"
    points: Points
    side: Literal["grain", "flesh"] = "grain"
    words: str = ""
    id: str = ""


class SplitRecord(_Record):
    id: str = Field(min_length=1)
    penalty_m2: FiniteFloat = Field(default=0.0, ge=0)
    parts: list[dict[str, Any]] = Field(min_length=1)


class PlacementRecord(_Record):
    piece: str
    copy_number: int = Field(alias="copy", ge=0)
    hide: str
    x: FiniteFloat
    y: FiniteFloat
    rotation_deg: FiniteFloat = 0.0
    mirrored: bool = False


Worth = Annotated[FiniteFloat, Field(ge=0.05, le=1)]


class RackRecord(_Record):
    strip_per_m: FiniteFloat = Field(default=0.0, ge=0, le=1e6)
    classes: tuple[Worth, Worth, Worth, Worth] = (1.0, 1.0, 1.0, 1.0)


class JobRecord(_Record):
    format: Literal["fairlay.job/1"]
    name: str = "job"
    hides: Annotated[list[HideRecord], Field(min_length=1)]
    pieces: Annotated[list[PieceRecord], Field(min_length=1)]
    gap: FiniteFloat = Field(default=0.0, ge=0, le=MOST_GAP_MM)
    grain_school: Literal["backbone", "local", "free"] = "backbone"
    match_sets: list[str] = []
    objective: Literal["fill", "sets", "order"] = "fill"
    fixed: list[PlacementRecord] = []
    seconds: FiniteFloat = Field(default=60.0, gt=0)
    seed: int = 1
    rack: RackRecord = RackRecord()


class UnplacedRecord(_Record):
    piece: str
    count: int
    reason: str = ""


class BetterRecord(_Record):
    second: FiniteFloat
    measure: FiniteFloat


class LayRecord(_Record):
    format: Literal["fairlay.lay/1"]
    placements: list[PlacementRecord]
    unplaced: list[UnplacedRecord] = []
    history: list[BetterRecord] = []


def explain(error: ValidationError, whole: str) -> str:
    """Return the first few mistakes of a validation as one line: where, what it is, what was expected."""
    said = []
    for e in error.errors()[:3]:
        where = "".join(f"[{part}]" if isinstance(part, int) else f".{part}" for part in e["loc"]).lstrip(".")
        given = "" if e["type"] == "missing" else f", not {_short(e['input'])}"
        said.append(f"{where or whole}: {e['msg'][0].lower()}{e['msg'][1:]}{given}")
    more = error.error_count() - len(said)
    return "; ".join(said) + (f"; and {more} more" if more > 0 else "")


def _short(value: Any) -> str:
    text = repr(value)
    return text if len(text) <= 60 else text[:57] + "..."


def _load(text: str | bytes, kind: str, error: type[BadJob] | type[BadLay]) -> Any:
    try:
        return json.loads(text)
    except UnicodeDecodeError as cause:
        raise error(f"the {kind} is not text in UTF-8", expected="JSON") from cause
    except json.JSONDecodeError as cause:
        raise error(
            f"the {kind} is not whole JSON: {cause.msg} at line {cause.lineno}, column {cause.colno}",
            value=cause.pos,
            expected="JSON",
        ) from cause


def read_job(text: str | bytes, *, sizes_are_right: bool = False) -> Job:
    """Return the job of a JSON text. Raises BadJob, BadHide, BadPattern or BadShape naming what is wrong.

    ``sizes_are_right`` accepts pieces so large that inches read as mm are suspected.
    """
    try:
        record = JobRecord.model_validate(_load(text, "job", BadJob))
    except ValidationError as cause:
        raise BadJob(
            f"the job cannot be read: {explain(cause, 'job')}", value=cause.error_count(), expected=JOB_FORMAT
        ) from cause
    hides_first = [h for h in record.hides if h.kind != "roll"]
    pieces = tuple(read_piece(p) for p in record.pieces)
    whole = {
        h.id: read_hide(h, pieces) for h in [*hides_first, *(h for h in record.hides if h.kind == "roll")]
    }
    if len(whole) < len(record.hides):
        raise BadJob(
            "two hides have the same id",
            value=[h.id for h in record.hides],
            expected="an id of its own for each hide",
        )
    job = Job(
        name=record.name,
        hides=tuple(whole[h.id] for h in record.hides),
        pieces=pieces,
        policy=Policy(record.gap, record.grain_school),
        objective=record.objective,
        match_sets=tuple(record.match_sets),
        fixed=tuple(read_placement(f) for f in record.fixed),
        seconds=record.seconds,
        seed=record.seed,
        rack=RackWorth(record.rack.strip_per_m, record.rack.classes),
    )
    check_job(job)
    question = size_question(job.pieces)
    if question and not sizes_are_right:
        raise BadPattern(question, expected="sizes in mm, or word that the sizes are right")
    return job


def _ground(points: Sequence[Sequence[float]], name: str) -> Ring:
    """Return a ring on a hide, which may be as small as a prick."""
    return clean_ring(points, name, MIN_GROUND_MM2)


def read_hide(record: HideRecord, pieces: Sequence[Piece] = ()) -> Hide:
    """Return the hide of a record. A roll gets an outline long enough for all ``pieces``."""
    name = f"hide {record.id}"
    if record.kind == "roll":
        if record.width is None:
            raise BadJob(f"{name} is a roll without a width", value=None, expected="width in mm")
        length = (
            roll_length_mm(pieces, record.width - 2 * record.edge_margin)
            if not record.outline
            else max(x for x, _ in record.outline)
        )
        outline = np.array([[0.0, 0.0], [length, 0.0], [length, record.width], [0.0, record.width]])
    else:
        outline = clean_ring(record.outline, name)
    hide = Hide(
        id=record.id,
        kind=record.kind,
        outline=outline,
        holes=tuple(_ground(h, f"{name}, hole {i + 1}") for i, h in enumerate(record.holes)),
        backbone_deg=record.backbone_deg,
        edge_margin_mm=record.edge_margin,
        cost_per_m2=record.cost_per_m2,
        zones=tuple(
            Zone(_ground(z.outline, f"{name}, zone {i + 1}"), z.tightness, z.stretch_deg)
            for i, z in enumerate(record.zones)
        ),
        flaws=tuple(
            Flaw(f.kind, f.severity, _ground(f.outline, f"{name}, flaw {i + 1} ({f.kind})"))
            for i, f in enumerate(record.flaws)
        ),
        thickness=tuple(Reading(r.x, r.y, r.mm) for r in record.thickness),
        width_mm=record.width if record.kind == "roll" else None,
        reserved=tuple(
            Reserved(_ground(r.outline, f"{name}, reserved leather {i + 1}"), frozenset(r.pieces), r.lane)
            for i, r in enumerate(record.reserved)
        ),
        neck_left=record.neck_left,
        keep_end=record.keep_end,
    )
    check_hide(hide)
    _ = hide.region
    return hide


def read_piece(record: PieceRecord) -> Piece:
    """Return the piece of a record, its splits' parts named ``parent~split.part``."""
    name = f"piece {record.id}"
    splits = []
    for split in record.splits:
        parts = []
        for part in split.parts:
            merged = {**record.model_dump(), "holes": [], "hidden": [], "splits": [], "marks": [], **part}
            try:
                own = PieceRecord.model_validate(merged)
            except ValidationError as cause:
                raise BadJob(
                    f"{name}, split {split.id}: {explain(cause, 'part')}",
                    expected="a part with id and outline",
                ) from cause
            parts.append(_piece(own, part_id(record.id, split.id, own.id), record.id, split.id))
        splits.append(Split(split.id, split.penalty_m2, tuple(parts)))
    piece = _piece(record, record.id, None, None, tuple(splits))
    check_piece(piece)
    for ring in piece.hidden:
        if not piece.region.buffer(0.5).covers(Polygon(ring)):
            raise BadShape(
                f"{name}: a hidden area reaches outside the piece",
                value=piece.id,
                expected="hidden areas inside the piece",
            )
    return piece


def _piece(
    record: PieceRecord, name: str, parent: str | None, split: str | None, splits: tuple[Split, ...] = ()
) -> Piece:
    what = f"piece {name}"
    piece = Piece(
        id=name,
        outline=clean_ring(record.outline, what),
        quantity=record.quantity,
        holes=tuple(clean_ring(h, f"{what}, window {i + 1}") for i, h in enumerate(record.holes)),
        pair=record.pair,
        show_limit=record.show_limit,
        hidden=tuple(clean_ring(h, f"{what}, hidden area {i + 1}") for i, h in enumerate(record.hidden)),
        max_tightness=record.max_tightness,
        grain=Grain(record.grain.axis_deg, record.grain.tolerance_deg, record.grain.reversible),
        value=record.value,
        set_name=record.set,
        per_set=record.per_set,
        thickness_mm=record.thickness_mm,
        filler=record.filler,
        splits=splits,
        parent=parent,
        split=split,
        marks=tuple(mark_from(m.model_dump()) for m in record.marks),
        gap_mm=record.gap,
    )
    _ = piece.region
    return piece


def read_placement(record: PlacementRecord) -> Placement:
    """Return the placement of a record."""
    return Placement(
        record.piece,
        record.copy_number,
        record.hide,
        Placing(record.x, record.y, record.rotation_deg, record.mirrored),
    )


def read_lay(text: str | bytes) -> Lay:
    """Return the lay of a JSON text. Raises BadLay naming what is wrong."""
    try:
        record = LayRecord.model_validate(_load(text, "lay", BadLay))
    except ValidationError as cause:
        raise BadLay(
            f"the lay cannot be read: {explain(cause, 'lay')}", value=cause.error_count(), expected=LAY_FORMAT
        ) from cause
    return Lay(
        tuple(read_placement(p) for p in record.placements),
        tuple(Unplaced(u.piece, u.count, u.reason) for u in record.unplaced),
        tuple(Better(b.second, b.measure) for b in record.history),
    )


def write_lay(lay: Lay) -> dict[str, Any]:
    """Return a lay as JSON-ready values."""
    return {
        "format": LAY_FORMAT,
        "placements": [placement_values(p) for p in lay.placements],
        "unplaced": [{"piece": u.piece, "count": u.count, "reason": u.reason} for u in lay.unplaced],
        "history": [{"second": round(b.second, 3), "measure": round(b.measure, 5)} for b in lay.history],
    }


def placement_values(p: Placement) -> dict[str, Any]:
    """Return one placement as JSON-ready values."""
    d = COORDINATE_DECIMALS
    return {
        "piece": p.piece,
        "copy": p.copy,
        "hide": p.hide,
        "x": round(p.at.x, d),
        "y": round(p.at.y, d),
        "rotation_deg": round(p.at.rotation_deg, d),
        "mirrored": p.at.mirrored,
    }


def write_job(job: Job) -> dict[str, Any]:
    """Return a job as JSON-ready values: read back, it is the same job."""
    return {
        "format": JOB_FORMAT,
        "name": job.name,
        "units": "mm",
        "gap": job.policy.gap_mm,
        "grain_school": job.policy.grain_school,
        "objective": job.objective,
        "match_sets": list(job.match_sets),
        "seconds": job.seconds,
        "seed": job.seed,
        "hides": [hide_values(h) for h in job.hides],
        "pieces": [piece_values(p) for p in job.pieces],
        "fixed": [placement_values(f) for f in job.fixed],
        **({} if job.rack == RackWorth() else {"rack": asdict(job.rack)}),
    }


def hide_values(hide: Hide) -> dict[str, Any]:
    """Return a hide as JSON-ready values."""
    shape: dict[str, Any] = {"width": hide.width_mm} if hide.is_roll else {}
    if hide.neck_left:
        shape["neck_left"] = True
    if hide.reserved:
        shape["reserved"] = [
            {"outline": as_points(r.outline), "for": sorted(r.pieces), **({"lane": True} if r.lane else {})}
            for r in hide.reserved
        ]
    if hide.keep_end is not None:
        shape["keep_end"] = hide.keep_end
    return {
        "id": hide.id,
        "kind": hide.kind,
        **shape,
        "outline": as_points(hide.outline),
        "holes": [as_points(h) for h in hide.holes],
        "backbone_deg": hide.backbone_deg,
        "edge_margin": hide.edge_margin_mm,
        "cost_per_m2": hide.cost_per_m2,
        "zones": [
            {"outline": as_points(z.outline), "tightness": z.tightness, "stretch_deg": z.stretch_deg}
            for z in hide.zones
        ],
        "flaws": [
            {"kind": f.kind, "severity": f.severity, "outline": as_points(f.outline)} for f in hide.flaws
        ],
        "thickness": [{"x": r.x, "y": r.y, "mm": r.mm} for r in hide.thickness],
    }


def piece_values(piece: Piece) -> dict[str, Any]:
    """Return a piece as JSON-ready values."""
    out: dict[str, Any] = {
        "id": piece.id,
        "outline": as_points(piece.outline),
        "holes": [as_points(h) for h in piece.holes],
        "quantity": piece.quantity,
        "pair": piece.pair,
        "show_limit": piece.show_limit,
        "hidden": [as_points(h) for h in piece.hidden],
        "max_tightness": piece.max_tightness,
        "grain": {
            "axis_deg": piece.grain.axis_deg,
            "tolerance_deg": piece.grain.tolerance_deg,
            "reversible": piece.grain.reversible,
        },
        "value": piece.value,
        "filler": piece.filler,
    }
    if piece.set_name:
        out |= {"set": piece.set_name, "per_set": piece.per_set}
    if piece.thickness_mm:
        out["thickness_mm"] = list(piece.thickness_mm)
    if piece.gap_mm is not None:
        out["gap"] = piece.gap_mm
    if piece.marks:
        out["marks"] = [mark_values(m) for m in piece.marks]
    if piece.splits:
        out["splits"] = [
            {
                "id": s.id,
                "penalty_m2": s.penalty_m2,
                "parts": [piece_values(p) | {"id": p.id.rsplit(".", 1)[1]} for p in s.parts],
            }
            for s in piece.splits
        ]
    return out
