"""What the Patterns room asks and is told. The patterns themselves are the core's own records."""

from __future__ import annotations

import datetime
from typing import Annotated, Literal

from pydantic import BaseModel, Field, FiniteFloat

from fairlay.api.models import Circle
from fairlay.core.formats.drawing import Use
from fairlay.core.formats.read_out import Bounds, MarkLine, OutlineOut, Points, SaidOfContour
from fairlay.core.pattern.article import Article
from fairlay.core.pattern.edges import XY, Run


class FindingOut(BaseModel):
    level: Literal["wrong", "look"]
    piece: str
    says: str
    do: str


class CardPiece(BaseModel):
    """A piece as its card template hangs in the drawer; ``name`` with how many go into an article."""

    slug: str
    name: str
    each: int
    pair: bool
    rings: list[Points]
    grain_deg: float | None


class ArticleCard(BaseModel):
    id: int
    slug: str
    name: str
    letter: str
    batches: list[str]
    pieces: list[CardPiece]
    wrong: int
    look: int
    leather_m2: dict[str, float]


class EdgeOut(BaseModel):
    """An edge of the finished outline from corner to corner: its run, length and points to draw."""

    run: Run
    length_mm: float
    points: Points


class StitchOut(BaseModel):
    """How a stitch line falls out: in words, and the pitch that would come nearest to dividing it."""

    mark: str
    says: str
    stitches: int
    run_mm: float
    divides: bool
    nearest_pitch_mm: float


class DrawnPiece(BaseModel):
    """A pattern drawn: what is cut, the finished outline, edges, marks, and its measures in mm and m2."""

    slug: str
    letter: str
    cut: list[Points]
    finished: Points
    edges: list[EdgeOut]
    marks: list[MarkLine]
    hidden: list[Points]
    stitches: list[StitchOut]
    needs: list[str]
    grain_deg: float | None
    length_mm: float
    width_mm: float
    area_m2: float
    quantity_words: str
    bounds: Bounds
    name_at: Circle


class SeamOut(BaseModel):
    name: str
    run_mm: float
    stitches: list[int]
    thread_mm: float
    stack_mm: float | None
    layers: int


class FiguresOut(BaseModel):
    leather_m2: dict[str, float]
    thread_mm: float
    stitches: int
    seams: list[SeamOut]
    hardware: dict[str, int]
    pieces: int


class ArticleView(BaseModel):
    """An article at one revision: the document itself, drawn, reckoned and looked over."""

    id: int
    number: int
    letter: str
    version: int
    newest: bool
    reason: str
    created_at: datetime.datetime
    batches: list[str]
    article: Article
    drawn: list[DrawnPiece]
    figures: FiguresOut
    findings: list[FindingOut]


class NewArticle(BaseModel):
    name: Annotated[str, Field(min_length=1, max_length=128)]
    note: Annotated[str, Field(max_length=2000)] = ""


class SaveArticle(BaseModel):
    """An article changed: ``base`` is the version it was changed from."""

    base: int
    article: Article


class NewRevision(BaseModel):
    reason: Annotated[str, Field(max_length=2000)]


class RevisionCard(BaseModel):
    number: int
    letter: str
    reason: str
    created_at: datetime.datetime
    batches: list[str]
    pieces: int


class DifferenceOut(BaseModel):
    what: str
    before: str
    after: str


class ChangeOut(BaseModel):
    """How a piece changed; the outlines before and after lie over each other as they are drawn."""

    slug: str
    name: str
    kind: str
    before: list[Points]
    after: list[Points]
    moved_mm: float
    differs: list[DifferenceOut]


class StartOut(BaseModel):
    name: str
    says: str


class MeasureOut(BaseModel):
    name: str
    says: str
    usual: float
    least: float
    most: float
    choices: list[str]
    whole: bool


class ShapeOut(BaseModel):
    kind: str
    says: str
    measures: list[MeasureOut]


class Measures(BaseModel):
    measures: dict[str, FiniteFloat]


class HalfPattern(BaseModel):
    contour: Points
    start: XY
    end: XY


class WholeOut(BaseModel):
    outline: OutlineOut
    bow_mm: float
    off_square_deg: list[float]
    says: list[str]


class ScaleOut(BaseModel):
    scale: float
    right: bool
    set_percent: float
    factor: float
    says: str


class FileOut(BaseModel):
    """A file that was brought in, and what can be made of it."""

    id: int
    name: str
    kind: Literal["drawing", "picture", "article"]


class SortDrawing(BaseModel):
    unit_mm: Annotated[FiniteFloat, Field(gt=0, le=1000)]
    uses: dict[str, Use] = {}
    all_windows: bool = False
    """All that is closed inside an outline is a window: none of it is sewn or punched, and nothing is a
    frame.
    """
    contours: Annotated[list[SaidOfContour], Field(max_length=2000)] = []
    """What single contours are, whatever they would be taken for."""


class TableOut(BaseModel):
    """What can be photographed with the camera at hand."""

    camera: str
    tables: list[str]


class TakePicture(BaseModel):
    table: str


class TracePicture(BaseModel):
    """What the cutter says of a picture; ``bar_mm`` is what the 100 mm bar on the printed page measures."""

    square_mm: Annotated[FiniteFloat, Field(ge=3, le=50)] = 10.0
    bar_mm: FiniteFloat | None = None
    shows: Literal["part", "drawn line"] = "part"
    line_mm: Annotated[FiniteFloat, Field(ge=0, le=12)] = 0.0
    follow: Literal["outside", "middle", "inside"] = "inside"
    thickness_mm: Annotated[FiniteFloat, Field(ge=0, le=40)] = 1.5
    grow_mm: Annotated[FiniteFloat, Field(ge=-30, le=30)] = 0.0
