"""What the Leather room asks and is told.

Lengths in mm, areas in m2 (an invoice's in its own unit), angles in degrees, money in the shop's currency.
"""

from __future__ import annotations

import datetime
from typing import Annotated, Literal

from pydantic import BaseModel, Field, FiniteFloat

from fairlay.api.models import HideShape, JobOut, Matrix, RackHideOut
from fairlay.core.capture.check_page import CHECK_MM
from fairlay.core.formats.read_out import Bounds, Points
from fairlay.core.formats.seen_json import PressRecord, SeenRecord

StepName = Literal["backbone", "surface", "feel", "flesh", "flex", "pull", "thickness", "colour"]
StateName = Literal["received", "looked over", "kept", "laid", "part used", "used up"]
Short = Annotated[str, Field(max_length=64)]
Brief = Annotated[str, Field(max_length=32)]
Named = Annotated[str, Field(min_length=1, max_length=64)]
Ident = Annotated[str, Field(min_length=1, max_length=40, pattern=r"^[\w-]+$")]
Outline = Annotated[
    list[Annotated[list[FiniteFloat], Field(min_length=2, max_length=2)]],
    Field(min_length=3, max_length=20_000),
]
Line = Annotated[
    list[Annotated[list[FiniteFloat], Field(min_length=2, max_length=2)]],
    Field(min_length=1, max_length=20_000),
]


class ChalkIn(BaseModel):
    name: Named
    red: Annotated[int, Field(ge=0, le=255)]
    green: Annotated[int, Field(ge=0, le=255)]
    blue: Annotated[int, Field(ge=0, le=255)]
    means: Literal["surface", "blemish", "unsound", "line"]


class LeatherSettingsIO(BaseModel):
    """``limits``: give in mm per 100 mm up to which leather is tight, firm, loose; ``tolerance``: how short a
    lot may be, as a share; ``address``: what the codes on tags open, empty for the address they are printed
    from.
    """

    chalks: Annotated[list[ChalkIn], Field(min_length=1, max_length=12)]
    limits: Annotated[list[FiniteFloat], Field(min_length=3, max_length=3)]
    tolerance: FiniteFloat
    strap_mm: FiniteFloat
    edge_margin_mm: FiniteFloat
    currency: Annotated[str, Field(max_length=8)]
    shop: Annotated[str, Field(max_length=80)]
    address: Annotated[str, Field(max_length=120)] = ""


class FlawIO(BaseModel):
    """A flaw; ``severity`` 0 asks for the one its kind and size suggest."""

    id: Ident
    kind: str
    severity: Annotated[int, Field(ge=0, le=3)]
    outline: Outline
    note: Annotated[str, Field(max_length=1000)] = ""
    photo: int | None = None
    step: StepName = "surface"
    chalk: Annotated[str, Field(max_length=64)] = ""


class PullIO(BaseModel):
    id: Ident
    x: FiniteFloat
    y: FiniteFloat
    along_mm: FiniteFloat
    across_mm: FiniteFloat
    deg: FiniteFloat = 0.0
    between_mm: FiniteFloat | None = None
    sure: bool = False


class ReadingIO(BaseModel):
    id: Ident
    x: FiniteFloat
    y: FiniteFloat
    mm: FiniteFloat
    sure: bool = False


class Removed(BaseModel):
    what: Literal["flaw", "pull", "reading"]
    id: Ident


class StepIn(BaseModel):
    step: StepName
    done: bool
    note: Annotated[str, Field(max_length=2000)] | None = None


class Ends(BaseModel):
    """Two places on the backbone as the hide lies now: at the tail and at the neck."""

    tail_x: FiniteFloat
    tail_y: FiniteFloat
    neck_x: FiniteFloat
    neck_y: FiniteFloat


class ZoneIn(BaseModel):
    outline: Outline
    tightness: Annotated[int, Field(ge=1, le=4)]
    stretch_deg: FiniteFloat = 90.0


class Brush(BaseModel):
    stroke: Line
    width_mm: FiniteFloat
    add: bool


class NewOutline(BaseModel):
    outline: Outline
    holes: Annotated[list[Outline], Field(max_length=200)] = []


class CutOff(BaseModel):
    """A cut across the hide; ``words`` say what for, as "cut for B-29": the hide is part used then. Without
    words its outline is mended. ``rack_off`` puts what comes off on the rack, as offcuts, but the parts in
    ``scrap`` (0 the largest that comes off), which are thrown away.
    """

    line: Line
    words: Annotated[str, Field(max_length=120)] = ""
    rack_off: bool = False
    scrap: Annotated[list[int], Field(max_length=50)] = []


class Change(BaseModel):
    """One change of what is known of a hide: just one of these."""

    flaw: FlawIO | None = None
    pull: PullIO | None = None
    reading: ReadingIO | None = None
    remove: Removed | None = None
    step: StepIn | None = None
    ends: Ends | None = None
    zone: ZoneIn | None = None
    brush: Brush | None = None
    outline: NewOutline | None = None
    cut: CutOff | None = None


class Changed(BaseModel):
    """A hide's new version; ``made`` are the offcuts that a cut put on the rack."""

    version: int
    made: list[int] = []


class FlawKnown(FlawIO):
    severity_name: str
    suggested: int
    why: str


class PullKnown(PullIO):
    """``way_deg`` is the line of least stretch that it tells; ``doubt`` a question where the tests round it
    contradict it.
    """

    tightness: int
    tightness_name: str
    give_mm: float
    way_deg: float | None
    doubt: str


class ReadingKnown(ReadingIO):
    doubt: str


class StepOut(BaseModel):
    step: StepName
    name: str
    what: str
    quick: bool
    done: bool
    note: str


class ContourOut(BaseModel):
    mm: float
    points: Points


class BackdropOut(BaseModel):
    """A picture of the hide: ``matrix`` takes its own mm onto the hide."""

    picture: str
    width_mm: float
    height_mm: float
    matrix: Matrix


class PicturesOut(BaseModel):
    """The newest pictures of a hide, while they are read or where nothing sure was found in them: the job,
    the pictures, what the printed bar measured.
    """

    job: JobOut
    files: list[int]
    bar_mm: float
    presses: list[PressRecord]


class HideRoomOut(BaseModel):
    """A hide with all that is known of it."""

    rack: RackHideOut
    version: int
    bounds: Bounds
    outline: Points
    holes: list[Points]
    shape: HideShape
    flaws: list[FlawKnown]
    pulls: list[PullKnown]
    readings: list[ReadingKnown]
    contours: list[ContourOut]
    steps: list[StepOut]
    looked: str
    enough: bool
    neck_left: bool
    backdrop: BackdropOut | None
    seen: SeenRecord | None
    pictures: PicturesOut | None
    can_undo: bool
    chalks: list[ChalkIn]
    limits: list[float]


class LookAtPictures(BaseModel):
    """Pictures of one hide, in any order; ``bar_mm`` is what the printed 100 mm bar measures; ``presses``:
    what somebody said lies at places of them.
    """

    files: Annotated[list[int], Field(min_length=1, max_length=6)]
    bar_mm: FiniteFloat = 100.0
    presses: Annotated[list[PressRecord], Field(max_length=60)] = []


class CheckCameraWith(BaseModel):
    """A picture of the check page on the table; ``wide_mm`` and ``high_mm`` are its block's sides by a steel
    rule.
    """

    file: int
    bar_mm: FiniteFloat = 100.0
    wide_mm: Annotated[float, Field(ge=100, le=300)] = CHECK_MM[0]
    high_mm: Annotated[float, Field(ge=100, le=400)] = CHECK_MM[1]
    camera: Annotated[str, Field(max_length=60)] = ""


class CameraCheckTold(BaseModel):
    """What a picture of the check page told: lengths were off by ``off_share`` (more than 0: too large)."""

    camera: str
    wide_mm: float
    high_mm: float
    off_share: float
    off_mm: float
    words: str


class CameraCheckOut(BaseModel):
    """A check that was made."""

    camera: str
    checked_at: datetime.datetime
    off_share: float
    off_mm: float


class FromDrawing(BaseModel):
    file: int
    unit_mm: FiniteFloat | None = None


class ByRule(BaseModel):
    """Stations along the backbone, from the tail: how far below the rule the edge begins and ends there."""

    stations: Annotated[
        list[Annotated[list[FiniteFloat], Field(min_length=3, max_length=3)]],
        Field(min_length=3, max_length=200),
    ]


class Mend(BaseModel):
    """An outline to be mended by a stroke: painted on, painted off, or cut along."""

    outline: Outline
    holes: Annotated[list[Outline], Field(max_length=200)] = []
    stroke: Line
    width_mm: FiniteFloat = 30.0
    how: Literal["add", "take off", "cut"]


class PartOff(BaseModel):
    """A part that a cut takes off."""

    outline: Points
    area_m2: float


class Mended(BaseModel):
    outline: Points
    holes: list[Points]
    area_m2: float
    came_off: list[PartOff]


class AcceptedRing(BaseModel):
    outline: Outline
    kind: str = "not named"
    severity: Annotated[int, Field(ge=0, le=3)]
    chalk: Annotated[str, Field(max_length=64)] = ""


class AcceptedLine(BaseModel):
    means: Literal["backbone", "least stretch"]
    points: Line


class Accept(BaseModel):
    """What of the seen is taken: the outline as it was left, its holes, the rings and lines that stand.

    ``flesh_up``: it was photographed flesh side up; ``keep_known``: what was known before is put on it.
    """

    outline: Outline
    holes: Annotated[list[Outline], Field(max_length=200)] = []
    rings: Annotated[list[AcceptedRing], Field(max_length=400)] = []
    lines: Annotated[list[AcceptedLine], Field(max_length=50)] = []
    ends: Ends | None = None
    flesh_up: bool = False
    keep_known: bool = False


class MeasuredAgain(BaseModel):
    """A new outline of a hide that was measured before, as it was seen."""

    outline: Outline
    flesh_up: bool = False


class KnownRing(BaseModel):
    outline: Points
    kind: str
    severity: int


class KnownAgain(BaseModel):
    """What was known of a hide, put on its new outline: flaws where they lie now, and how many pull tests and
    readings; ``fits`` and ``words`` say whether it can be.
    """

    fits: bool
    words: str
    flaws: list[KnownRing]
    pulls: int
    readings: int


class TablesOut(BaseModel):
    """The camera over the cutting table, and what can lie under it: how many pictures it takes of each."""

    camera: str
    tables: dict[str, int]


class TakeHide(BaseModel):
    table: str
    shot: Annotated[int, Field(ge=0, le=20)] = 0


class GaugeAt(BaseModel):
    x: FiniteFloat
    y: FiniteFloat


class GaugeRead(BaseModel):
    mm: float


class ArticleWorth(BaseModel):
    """What an article's rules accept of a hide: leather that one of its pieces may use at least, or every
    one; ``cost`` per m2 of the first.
    """

    article: str
    name: str
    any_m2: float
    all_m2: float
    cost: float | None
    never: list[str]


class BatchFit(BaseModel):
    batch_id: int
    batch: str
    name: str
    material: str
    score: float
    share: float
    reason: str
    chosen: bool


class BlockOut(BaseModel):
    x: float
    y: float
    length_mm: float
    depth_mm: float
    area_m2: float


class StrapOut(BaseModel):
    x: float
    y: float
    length_mm: float
    deg: float
    width_mm: float


class WorthOut(BaseModel):
    usable_m2: float
    cost_per_usable_m2: float | None
    block: BlockOut | None
    strap: StrapOut | None
    articles: list[ArticleWorth]
    batches: list[BatchFit]


class EventOut(BaseModel):
    kind: str
    words: str
    created_at: datetime.datetime
    outline: Points | None
    made: list[int]
    by: str


class BulkAct(BaseModel):
    """An act on several hides at once: give them a state, or keep them for a batch besides what it has."""

    ids: Annotated[list[int], Field(min_length=1, max_length=500)]
    state: StateName | None = None
    batch_id: int | None = None
    shared: bool = False
