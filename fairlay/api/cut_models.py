"""What the Cut room sends and is told."""

from __future__ import annotations

import datetime
from typing import Annotated, Literal

from pydantic import BaseModel, Field, FiniteFloat

from fairlay.api.models import Circle, LaidHide, LayPlacement
from fairlay.core.formats.read_out import Points

Ring = list[list[float]]


class CutPiece(BaseModel):
    """A piece as it is drawn and named."""

    id: str
    name: str
    article: str
    rings: list[Points]
    name_at: Circle


class StrokeOut(BaseModel):
    """One go of the knife; ``short``: at which end it stops short."""

    line: Ring
    straight: bool
    tool: str
    short: list[bool]
    waste: str


class CutStep(BaseModel):
    """A step of the plan; ``seconds`` as it is planned; ``frees`` are pieces that come free with it."""

    number: int
    piece: str
    copy_number: int
    tools: list[str]
    punches: list[str]
    passes: int
    cautions: list[str]
    seconds: float
    strokes: list[StrokeOut]
    frees: list[str]


class PieceState(BaseModel):
    piece: str
    copy_number: int
    state: Literal["to cut", "done", "spoilt", "skipped"]
    reason: str


class CutBundle(BaseModel):
    """A set of an article: how many of its pieces are cut, and which are missing, in words."""

    article: str
    number: int
    pieces: int
    missing: list[str]


class SheetOut(BaseModel):
    """The cutting of a hide."""

    id: int
    lay_id: int
    batch: str
    hide_id: int
    hide: LaidHide
    state: str
    head: int
    pieces: list[CutPiece]
    placements: list[LayPlacement]
    steps: list[CutStep]
    states: list[PieceState]
    bundles: list[CutBundle]
    blocks: list[list[Points]]
    cut_mm: float
    saved_mm: float
    minutes: float
    begun_at: datetime.datetime
    changed: list[str]
    spoilt: list[Ring]
    account: AccountOut | None


class AccountOut(BaseModel):
    """Where a hide went, in m2."""

    whole_m2: float
    good_m2: float
    spoilt_m2: float
    kept_m2: float
    scrap_m2: float


class RefusedTick(BaseModel):
    """A press that was not written down, and why."""

    id: str
    why: str


class StatesOut(BaseModel):
    """How the pieces of a hide stand; ``head`` is the lay's newest revision, ``at_s`` the server's clock. Of
    presses just sent: ``refused`` were not written down, ``late`` came after the hide was closed, by id: they
    are written down and count for nothing.
    """

    states: list[PieceState]
    head: int
    state: str
    at_s: float
    refused: list[RefusedTick] = []
    late: list[str] = []


class TickIn(BaseModel):
    """One press at the bench; ``at_s`` by the server's clock as the tablet knows it."""

    id: Annotated[str, Field(min_length=8, max_length=36)]
    piece: Annotated[str, Field(max_length=255)]
    copy_number: Annotated[int, Field(ge=0, le=20_000)]
    act: Literal["done", "spoilt", "skip", "back"]
    at_s: Annotated[FiniteFloat, Field(ge=0, le=1e11)]
    tablet: Annotated[str, Field(max_length=36)] = ""
    number: Annotated[int, Field(ge=0)] = 0
    reason: Annotated[str, Field(max_length=128)] = ""


class TicksIn(BaseModel):
    ticks: Annotated[list[TickIn], Field(max_length=2000)]


class PieceIn(BaseModel):
    piece: Annotated[str, Field(max_length=255)]
    copy_number: Annotated[int, Field(ge=0)]


class RecutOut(BaseModel):
    """Where a spoilt piece is cut again; ``hide`` is empty where it waits in the tray."""

    head: int
    hide: str


class PlaceOut(BaseModel):
    """How a piece is put down, in words; ``fine``: a tape alone is too coarse."""

    piece: str
    copy_number: int
    words: str
    fine: bool


class PartLeft(BaseModel):
    """A part of a hide that is left."""

    rings: list[Points]
    area_m2: float
    keep: bool
    why: str


class CloseIn(BaseModel):
    """Which parts are kept; by the shop's size rule where nobody says."""

    keep: list[int] | None = None


class ClosedOut(BaseModel):
    account: AccountOut
    offcuts: list[str]
    back_in_tray: int


class BeginIn(BaseModel):
    hide: Annotated[str, Field(max_length=64)]


class ToCut(BaseModel):
    """A hide to be cut, being cut or cut: ``sheet`` where it was begun."""

    sheet: int | None
    lay_id: int
    batch: str
    material: str
    hide: str
    state: str
    pieces: int
    done: int


class CutChoicesIO(BaseModel):
    """How the shop cuts: sizes in mm, ``pace`` against the plan's own speeds; what of a hide is kept."""

    punches_mm: Annotated[list[FiniteFloat], Field(max_length=40)]
    round_mm: Annotated[list[FiniteFloat], Field(max_length=40)]
    school: Literal["straps first", "straps last"]
    mat_mm: tuple[FiniteFloat, FiniteFloat]
    pace: FiniteFloat
    keep_m2: FiniteFloat
    keep_width_mm: FiniteFloat


class MarksIn(BaseModel):
    """Marks as they were dragged: pixels of the screen, and where each lies on the table in mm; the last
    ``checks`` of them only say how good it is.
    """

    screen: Annotated[list[tuple[FiniteFloat, FiniteFloat]], Field(max_length=40)]
    table: Annotated[list[tuple[FiniteFloat, FiniteFloat]], Field(max_length=40)]
    checks: Annotated[int, Field(ge=0, le=36)] = 0


class CalibrationOut(BaseModel):
    """A 3 x 3 matrix from mm on the table to pixels; ``worst_mm``: how far the check marks are off."""

    matrix: list[list[float]]
    worst_mm: float


class PaceOut(BaseModel):
    """By how much the shop is slower than the plan's own speeds, from how many pieces; ``low`` to ``high`` is
    the middle half of them.
    """

    pace: float
    pieces: int
    planned_min: float
    true_min: float
    low: float
    high: float
