"""What the Batches room sends and is told."""

from __future__ import annotations

import datetime
from typing import Annotated, Literal

from pydantic import BaseModel, Field, FiniteFloat

from fairlay.api.models import GrainSchoolName
from fairlay.core.formats.read_out import Points


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
    """A line of a batch, as it was asked for."""

    article_id: int
    article: str
    name: str
    quantity: int
    revision: str
    ways: dict[str, str]
    colour: str
    due_on: datetime.date | None
    priority: int
    filler: bool


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
    """A hide that could serve: ``never`` names pieces it can never bear, in words; ``kept_for`` other batches
    that keep it.
    """

    hide_id: int
    number: str
    chosen: bool
    usable_m2: float
    fair_m2: float
    never: list[str]
    kept_for: list[str]
    laid: bool


class SharesWith(BaseModel):
    """Another open batch that is cut from the same material, and may be laid together with this one."""

    batch_id: int
    number: str
    name: str


class MaterialNeed(BaseModel):
    """What a batch cuts from one material; ``ordered_m2`` of ``area_m2`` must lie, the rest fills gaps."""

    material: str
    pieces: int
    area_m2: float
    ordered_m2: float
    chosen_m2: float
    likely_m2: float | None = None
    items: list[PieceNeed]
    offers: list[LeatherOffer]
    lays: list[LaySummaryOut]
    short: list[str]
    short_on_rack: list[str]
    shares_with: list[SharesWith]


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
    leather_changed: bool
    standing: str
    version: int


class BatchOut(BatchSummary):
    gap_mm: float
    grain_school: GrainSchoolName
    match_sets: list[str]
    materials: list[MaterialNeed]


class NewLine(BaseModel):
    """``ways`` are the ways chosen to make the article's parts, by part; the usual one where none is
    named.
    """

    article_id: int
    quantity: Annotated[int, Field(ge=1, le=10_000)]
    ways: dict[str, str] = {}
    colour: Annotated[str, Field(max_length=32)] = ""
    due_on: datetime.date | None = None
    priority: Annotated[int, Field(ge=0, le=3)] = 0
    filler: bool = False


class ChangedBatch(BaseModel):
    """What a batch orders from now on; ``version`` is the one that was changed."""

    version: int
    name: Annotated[str, Field(min_length=1, max_length=128)]
    due_on: datetime.date | None = None
    match_sets: list[str] = []
    lines: Annotated[list[NewLine], Field(min_length=1, max_length=200)]


class BatchVersion(BaseModel):
    """The version that a change made."""

    version: int


class OrderTable(BaseModel):
    """A table of what is ordered, as CSV."""

    text: Annotated[str, Field(max_length=400_000)]


class StandingIn(BaseModel):
    """Whether a batch is worked at."""

    standing: Literal["open", "held", "given up"]


class CopiedBatch(BaseModel):
    """The number of a batch that orders the same once more."""

    number: Annotated[str, Field(min_length=1, max_length=32)]


class NewBatch(BaseModel):
    number: Annotated[str, Field(min_length=1, max_length=32)]
    name: Annotated[str, Field(min_length=1, max_length=128)]
    due_on: datetime.date | None = None
    gap_mm: Annotated[FiniteFloat, Field(ge=0, le=100)] = 0.0
    grain_school: GrainSchoolName = "backbone"
    match_sets: list[str] = []
    lines: Annotated[list[NewLine], Field(min_length=1, max_length=200)]


class LeatherChange(BaseModel):
    """Leather that a batch keeps from now on, and leather it lets go; what is not named stays as it is.
    ``shared``: leather that another batch keeps is kept by both, knowingly.
    """

    add: Annotated[list[int], Field(max_length=500)] = []
    drop: Annotated[list[int], Field(max_length=500)] = []
    shared: bool = False


class NewLay(BaseModel):
    material: str
    hide_ids: Annotated[list[int], Field(min_length=1, max_length=60)]
    objective: Literal["fill", "sets", "order"] = "order"
    shared: bool = False
    with_batches: Annotated[list[int], Field(max_length=12)] = []


class ProposedHide(BaseModel):
    """A hide to open, and the area of pieces it would hold."""

    hide_id: int
    number: str
    price: float
    holds_m2: float


class ProposalOut(BaseModel):
    """Hides to open at least cost; not ``enough``: even all that is free is thought too little."""

    hides: list[ProposedHide]
    cost: float
    enough: bool
    share: float


class LaySummaryOut(BaseModel):
    id: int
    batch_id: int
    material: str
    objective: str
    given_up: bool
    head: int
    created_at: datetime.datetime
    placed: int
    wanted: int
    hides: list[str]
