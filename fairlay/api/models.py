"""What the rooms ask and are told.

Lengths in mm, areas in m2, angles in degrees, money in the shop's currency.
"""

from __future__ import annotations

import datetime
from typing import Annotated, Literal

from pydantic import BaseModel, Field, FiniteFloat

from fairlay.core.formats.exchange import PlacementRecord

Points = list[list[float]]
GrainSchoolName = Literal["backbone", "local", "free"]


class Problem(BaseModel):
    """What was wrong, in words; ``newer`` is the revision that stands instead, where one does."""

    problem: str
    newer: int | None = None


class Bounds(BaseModel):
    x0: float
    y0: float
    x1: float
    y1: float


class Matrix(BaseModel):
    """x' = a x + c y + e, y' = b x + d y + f, as SVG writes a transform."""

    a: float
    b: float
    c: float
    d: float
    e: float
    f: float


class ZoneOut(BaseModel):
    tightness: int
    name: str
    stretch_deg: float
    rings: list[Points]


class FlawOut(BaseModel):
    kind: str
    severity: int
    severity_name: str
    outline: Points


class HideShape(BaseModel):
    """A hide drawn: its rings, zones as far as they show, flaws, and bounds."""

    number: str
    kind: str
    rings: list[Points]
    zones: list[ZoneOut]
    flaws: list[FlawOut]
    bounds: Bounds


class ClassArea(BaseModel):
    tightness: int
    name: str
    usable_m2: float
    placed_m2: float


class RackHideOut(BaseModel):
    id: int
    number: str
    kind: str
    material: str
    mill: str
    colour: str
    tannage: str
    temper: str
    thickness_mm: float
    grade: str
    state: str
    cost_per_m2: float
    area_m2: float
    usable_m2: float
    worth: float
    received_on: datetime.date
    flaws_by_severity: list[int]
    classes: list[ClassArea]
    shape: HideShape
    finish: str
    delivery_id: int | None
    looked: str
    looked_enough: bool
    measured: bool
    kept_for: list[str]


class PieceOut(BaseModel):
    id: str
    name: str
    material: str
    each: int
    pair: bool
    area_m2: float
    needs: list[str]
    rings: list[Points]
    grain_deg: float | None
    revision: str


class ArticleOut(BaseModel):
    id: int
    slug: str
    name: str
    revision: str
    parts: dict[str, list[str]]
    pieces: list[PieceOut]
    area_m2: float


class LineOut(BaseModel):
    article: str
    name: str
    quantity: int
    revision: str


class PieceNeed(BaseModel):
    """One piece of a batch: how many, and its share of the leather."""

    id: str
    name: str
    article: str
    quantity: int
    area_m2: float
    needs: list[str]
    rings: list[Points]
    grain_deg: float | None


class LeatherOffer(BaseModel):
    """A hide that could serve: ``never`` names pieces it can never bear, in words."""

    hide_id: int
    number: str
    chosen: bool
    usable_m2: float
    fair_m2: float
    never: list[str]


class MaterialNeed(BaseModel):
    material: str
    pieces: int
    area_m2: float
    chosen_m2: float
    items: list[PieceNeed]
    offers: list[LeatherOffer]
    lays: list[LaySummaryOut]


class BatchSummary(BaseModel):
    id: int
    number: str
    name: str
    state: str
    due_on: datetime.date | None
    lines: list[LineOut]
    pieces: int
    area_m2: float
    chosen: int


class BatchOut(BatchSummary):
    gap_mm: float
    grain_school: GrainSchoolName
    match_sets: list[str]
    materials: list[MaterialNeed]


class NewLine(BaseModel):
    """``ways`` are the ways chosen to make the article's parts, by part; the usual one where none is named."""

    article_id: int
    quantity: Annotated[int, Field(ge=1, le=10_000)]
    ways: dict[str, str] = {}


class NewBatch(BaseModel):
    number: Annotated[str, Field(min_length=1, max_length=32)]
    name: Annotated[str, Field(min_length=1, max_length=128)]
    due_on: datetime.date | None = None
    gap_mm: Annotated[FiniteFloat, Field(ge=0, le=100)] = 0.0
    grain_school: GrainSchoolName = "backbone"
    match_sets: list[str] = []
    lines: Annotated[list[NewLine], Field(min_length=1, max_length=200)]


class ChosenLeather(BaseModel):
    hide_ids: Annotated[list[int], Field(max_length=500)]


class Created(BaseModel):
    id: int


class NewLay(BaseModel):
    material: str
    hide_ids: Annotated[list[int], Field(min_length=1, max_length=60)]
    objective: Literal["fill", "sets", "order"] = "order"


class LaySummaryOut(BaseModel):
    id: int
    batch_id: int
    material: str
    objective: str
    head: int
    created_at: datetime.datetime
    placed: int
    wanted: int
    hides: list[str]


class Circle(BaseModel):
    x: float
    y: float
    r: float


class MarkLine(BaseModel):
    """A mark as it is drawn: a line, a closed area or single pricks, in the piece's own mm."""

    kind: str
    draws: Literal["line", "area", "pricks"]
    points: Points
    side: Literal["grain", "flesh"]
    words: str
    id: str


class LayPiece(BaseModel):
    """A piece of a lay; ``name_at`` is a circle inside it with room for its name."""

    id: str
    name: str
    article: str
    quantity: int
    placed: int
    filler: bool
    area_m2: float
    needs: list[str]
    rings: list[Points]
    hidden: list[Points]
    marks: list[MarkLine]
    grain_deg: float | None
    name_at: Circle


class LayPlacement(BaseModel):
    """A piece where it lies: ``matrix`` takes its rings onto the hide."""

    piece: str
    copy_number: int
    hide: str
    matrix: Matrix
    mirrored: bool
    rotation_deg: float


class UnplacedOut(BaseModel):
    piece: str
    name: str
    count: int
    reason: str


class HideFigures(BaseModel):
    hide: str
    pieces: int
    placed_m2: float
    usable_m2: float
    used_m2: float
    cost: float
    remnant_m2: float
    remnant_end: str
    neck_left: bool
    length_mm: float | None
    whole_m2: float
    edge_m2: float
    unsound_m2: float
    classes: list[ClassArea]


class Figures(BaseModel):
    placed: int
    wanted: int
    placed_m2: float
    usable_m2: float
    used_m2: float
    cost: float
    fill: float
    yield_of_used: float
    hides_used: int
    sets: dict[str, int]
    sets_wanted: dict[str, int]


class RevisionOut(BaseModel):
    number: int
    source: str
    mark: str
    stands_for: int | None
    created_at: datetime.datetime
    placed: int
    yield_of_used: float


class JobOut(BaseModel):
    """Long work: ``subject`` is the lay that is laid, or the hide that is looked at; ``said`` what was found
    so far.
    """

    id: int
    kind: Literal["lay", "look"]
    subject: int
    state: str
    seconds: float
    spent_s: float
    version: int
    revision: int | None
    history: list[dict[str, float]]
    said: list[str]
    error: str


class LayOut(BaseModel):
    id: int
    batch_id: int
    batch: str
    material: str
    objective: str
    gap_mm: float
    grain_school: GrainSchoolName
    head: int
    at: int
    hides: list[HideShape]
    pieces: list[LayPiece]
    placements: list[LayPlacement]
    unplaced: list[UnplacedOut]
    doubts: list[str]
    figures: Figures
    per_hide: list[HideFigures]
    revisions: list[RevisionOut]
    job: JobOut | None


class PinnedPiece(BaseModel):
    piece: str
    copy_number: int


class RunLay(BaseModel):
    """How long to lay, and what: ``hides`` to lay again (none: all of them), around pieces that are
    ``pinned``.
    """

    seconds: Annotated[FiniteFloat, Field(ge=1, le=3600)] = 30.0
    seed: int = 1
    hides: list[str] = []
    pinned: list[PinnedPiece] = []


class FromRevision(BaseModel):
    base: int


class GoTo(FromRevision):
    number: int


class NewRevision(FromRevision):
    placements: Annotated[list[PlacementRecord], Field(max_length=20_000)]
    mark: Annotated[str, Field(max_length=128)] = ""


class Named(BaseModel):
    mark: Annotated[str, Field(max_length=128)]


class Revised(BaseModel):
    head: int
