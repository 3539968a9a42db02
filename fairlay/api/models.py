"""What the rooms ask and are told.

Lengths in mm, areas in m2, angles in degrees, money in the shop's currency.
"""

from __future__ import annotations

import datetime
from typing import Annotated, Literal

from pydantic import BaseModel, Field, FiniteFloat

from fairlay.core.formats.exchange import PlacementRecord
from fairlay.core.formats.read_out import Bounds, MarkLine, Points

GrainSchoolName = Literal["backbone", "local", "free"]


class Problem(BaseModel):
    """What was wrong, in words; ``newer`` is the revision that stands instead, where one does."""

    problem: str
    newer: int | None = None


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


class Created(BaseModel):
    id: int


class Circle(BaseModel):
    x: float
    y: float
    r: float


class LayPiece(BaseModel):
    """A piece of a lay; ``name_at`` is a circle inside it with room for its name. ``turn_deg`` and
    ``turn_over_deg`` are how it lies with its grain, as it is and mirrored; ``tolerance_deg`` how far off.
    """

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
    pair: bool
    part_of: str | None
    turn_deg: float
    turn_over_deg: float
    tolerance_deg: float
    reversible: bool
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
    strip_mm: float
    tight_m2: float
    rack_worth: float
    length_mm: float | None


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
    by: str


class JobOut(BaseModel):
    """Long work: ``subject`` is the lay that is laid, the hide that is looked at or the file that is read;
    ``said`` what was found so far, ``share`` how much of it is done where that is known.
    """

    id: int
    kind: Literal["lay", "look", "read", "what if", "prove", "forecast"]
    subject: int
    state: str
    seconds: float
    spent_s: float
    share: float
    version: int
    revision: int | None
    history: list[dict[str, float]]
    said: list[str]
    error: str


class KeptOut(BaseModel):
    """Leather of a hide that is kept: for whom, in words."""

    outline: Points
    words: str


class LaidHide(HideShape):
    """A hide of a lay, as it was laid on; ``colour`` names its leather, ``ends`` say what its left and right
    end are.
    """

    colour: str
    left_end: str
    right_end: str
    kept: list[KeptOut]


class ChangedLeather(BaseModel):
    """A hide that changed since it was laid on: what of the lay is hit by it, in words, and how many
    pieces.
    """

    hide: str
    words: str
    hit: int
    sentences: list[str]


class WaitingLay(BaseModel):
    """What a search found and is not in the lay yet: while it goes on, or because pieces were moved by hand
    meanwhile.
    """

    job: int
    version: int
    placed: int
    yield_of_used: float


class UnfairOut(BaseModel):
    """A piece that lies against a rule because somebody insists: why it should not, and who signed for it
    ("": nobody, and the lay is not fair).
    """

    piece: str
    copy_number: int
    name: str
    sentences: list[str]
    by: str
    signed_by: str


class LaidState(BaseModel):
    """What of a lay changes as it is laid: where its pieces lie, what it leaves out, its figures. ``seen``
    names this state.
    """

    seen: str
    placements: list[LayPlacement]
    unplaced: list[UnplacedOut]
    figures: Figures
    per_hide: list[HideFigures]
    unfair: list[UnfairOut]


class LayOut(BaseModel):
    """A lay: what it is asked, and how it stands."""

    id: int
    batch_id: int
    batch: str
    material: str
    objective: str
    given_up: bool
    gap_mm: float
    grain_school: GrainSchoolName
    head: int
    at: int
    hides: list[LaidHide]
    pieces: list[LayPiece]
    state: LaidState
    pins: list[PinnedPiece]
    doubts: list[str]
    changed: list[ChangedLeather]
    asked_otherwise: bool
    changes: list[str]
    with_batches: list[str]
    waiting: WaitingLay | None
    revisions: list[RevisionOut]
    job: JobOut | None


class LaidDelta(BaseModel):
    """What makes one state of a lay another: pieces put down or moved, pieces taken up, the rest as it is
    now.
    """

    was: str
    seen: str
    down: list[LayPlacement]
    up: list[PinnedPiece]
    unplaced: list[UnplacedOut]
    figures: Figures
    per_hide: list[HideFigures]
    unfair: list[UnfairOut]


class PinnedPiece(BaseModel):
    piece: str
    copy_number: int


class RunLay(BaseModel):
    """How long to lay, and what: ``hides`` to lay again (none: all of them), around what is pinned, or around
    all that lies (``keep_all``); more of these ``pieces`` alone; ``window`` (x0, y0, x1, y1, in mm, on the
    one hide that is named): all stays that does not lie wholly within it.
    """

    seconds: Annotated[FiniteFloat, Field(ge=1, le=3600)] = 30.0
    seed: int = 1
    hides: Annotated[list[str], Field(max_length=60)] = []
    keep_all: bool = False
    pieces: Annotated[list[str], Field(max_length=500)] = []
    window: tuple[FiniteFloat, FiniteFloat, FiniteFloat, FiniteFloat] | None = None


class AskedIn(BaseModel):
    """One thing asked otherwise of a lay: see ``core/lay/what_if.py``."""

    kind: Literal[
        "marks",
        "looser",
        "degrees",
        "gap",
        "grain",
        "seam",
        "fewer",
        "way",
        "with",
        "without",
        "lane",
        "start",
    ]
    of: Annotated[str, Field(max_length=255)] = ""
    to: FiniteFloat = 0.0
    way: Annotated[str, Field(max_length=64)] = ""


class AskedOut(AskedIn):
    """A change, in words."""

    words: str


class Questions(BaseModel):
    """What may be asked of a lay otherwise: rules that could be eased, and the rest; ``lane`` is whether it
    has straps.
    """

    eased: list[AskedOut]
    other: list[AskedOut]
    straps: bool


class AskWhatIf(BaseModel):
    """Questions to be tried, ``seconds`` each: all that is in one of them together. ``every_rule``: each rule
    that could be eased, for itself.
    """

    asked: Annotated[
        list[Annotated[list[AskedIn], Field(min_length=1, max_length=12)]], Field(max_length=24)
    ] = []
    every_rule: bool = False
    seconds: Annotated[FiniteFloat, Field(ge=1, le=600)] = 8.0


class AnswerOut(BaseModel):
    """What came of a question, the first of nothing asked otherwise. ``reckoned`` is the cost of the leather
    with what pieces that lie nowhere would take more.
    """

    changes: list[AskedOut]
    placed: int
    wanted: int
    used_m2: float
    cost: float
    yield_of_used: float
    reckoned: float
    refused: str


class WhatIfOut(BaseModel):
    """Questions that were tried with a lay as it stood at revision ``base``, and the answers so far."""

    job: JobOut
    base: int
    asked: int
    answers: list[AnswerOut]


class ProvedOut(BaseModel):
    """Of a piece, or of whole sets of a name: so many have room at most (None: not known yet), in words."""

    of: Literal["piece", "set"]
    name: str
    wanted: int
    laid: int
    most: int | None
    words: str


class ProofsOut(BaseModel):
    """What is proved of what a lay leaves out: whether there is more to ``ask``, the job that proves it,
    how many of its proofs are made, and what they say; ``old`` where the lay is asked for otherwise since.
    """

    ask: bool
    job: JobOut | None
    proofs: int
    proved: int
    found: list[ProvedOut]
    old: bool


class AskNow(BaseModel):
    """What is asked of a lay otherwise from now on."""

    base: int
    changes: Annotated[list[AskedIn], Field(min_length=1, max_length=24)]


class PinChange(BaseModel):
    """Pieces to be pinned where they lie, and pins to be taken out."""

    add: Annotated[list[PinnedPiece], Field(max_length=20_000)] = []
    drop: Annotated[list[PinnedPiece], Field(max_length=20_000)] = []


class Taken(BaseModel):
    """What of the lay is hit was taken up: how many pieces; ``head`` is the newest revision."""

    head: int
    taken_up: int


class FromRevision(BaseModel):
    base: int


class GoTo(FromRevision):
    number: int


class HandMove(FromRevision):
    """Pieces moved by hand: ``put`` down where they are named, ``take`` up. Made on what stands newest;
    ``base`` is the revision they were seen in. ``insisting``: against a rule of place, angle or distance,
    which is marked then.
    """

    put: Annotated[list[PlacementRecord], Field(max_length=20_000)] = []
    take: Annotated[list[PinnedPiece], Field(max_length=20_000)] = []
    insisting: bool = False
    mark: Annotated[str, Field(max_length=128)] = ""


class Named(BaseModel):
    mark: Annotated[str, Field(max_length=128)]


class Revised(BaseModel):
    head: int
