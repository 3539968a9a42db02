"""What practice asks and tells. Lengths in mm, money in the shop's currency, scores from 0 to 100."""

from __future__ import annotations

import datetime
from typing import Annotated, Literal

from pydantic import BaseModel, Field

from fairlay.api.models import LaidHide, LayPlacement

PracticeKind = Literal["look", "accept", "lay", "fault"]
Ring = list[list[float]]


class RoundRow(BaseModel):
    """A round that is over."""

    id: int
    kind: PracticeKind
    level: int
    score: float
    ended_at: datetime.datetime | None


class PracticeOut(BaseModel):
    """What may be practised: the level that is open of each kind, and one's own record."""

    levels: dict[str, int]
    most_level: int
    mastered: float
    record: list[RoundRow]


class BeginRound(BaseModel):
    """A round to be begun."""

    kind: PracticeKind
    level: Annotated[int, Field(ge=1, le=9)]


class PullSpot(BaseModel):
    """Where leather is to be pulled."""

    name: str
    x: float
    y: float


class MarkSeen(BaseModel):
    """A mark as an eye sees it: its ring, and how it looks."""

    ring: Ring
    looks: Literal["line", "patch", "spot"]


class QuestionOut(BaseModel):
    """A piece, its needs, and what its leather has."""

    piece: str
    needs: list[str]
    words: str
    hidden: bool


class PieceDrawn(BaseModel):
    """A piece of a lay as it is drawn."""

    name: str
    ring: Ring
    grain_deg: float | None
    mirrored: bool


class FaultName(BaseModel):
    """A fault that a lay may have."""

    fault: str
    words: str


class RoundOut(BaseModel):
    """A round as it is asked: what of it is not known beforehand is not in it."""

    id: int
    kind: PracticeKind
    level: int
    seconds: float
    outline: Ring = []
    hide: LaidHide | None = None
    marks: list[MarkSeen] = []
    pulls: list[PullSpot] = []
    questions: list[QuestionOut] = []
    pieces: list[PieceDrawn] = []
    faults: list[FaultName] = []
    lay_id: int | None = None
    over: bool = False


class TouchIn(BaseModel):
    """A tool put to a place."""

    tool: Literal["eye", "feel", "pinch", "pull"]
    x: float
    y: float


class Touched(BaseModel):
    """What a tool told."""

    words: str


class DrawnRing(BaseModel):
    """A ring as it was drawn."""

    x: float
    y: float
    r: Annotated[float, Field(gt=0, le=1000)]


class DoneIn(BaseModel):
    """What was done in a round: of looking over, rings and the class of each pull; answers (null: none
    given); or the pieces pressed, and the fault that was named.
    """

    rings: Annotated[list[DrawnRing], Field(max_length=200)] = []
    pulls: dict[str, Annotated[int, Field(ge=1, le=4)]] = {}
    answers: Annotated[list[bool | None], Field(max_length=60)] = []
    pressed: Annotated[list[int], Field(max_length=200)] = []
    named: Annotated[str, Field(max_length=32)] = ""
    spent_s: Annotated[float, Field(ge=0, le=86400)]


class FlawTold(BaseModel):
    """A flaw as it truly is: whether it was found, and what missing it would have cost."""

    ring: Ring
    kind: str
    severity: int
    found: bool
    money: float


class FalseRing(BaseModel):
    """A ring that rings nothing, and what it would keep from use."""

    ring: int
    money: float


class Answered(BaseModel):
    """A question with its right answer and the rule."""

    given: bool | None
    right: bool
    why: str


class GainOut(BaseModel):
    """A change that would have gained."""

    words: str
    m2: float
    lies: list[LayPlacement]
    changed: list[list[str | int]]


class LaidOut(BaseModel):
    """How a lay by hand came out."""

    hand_m2: float
    engine_m2: float
    most_m2: float
    placed: int
    engine_placed: int
    wanted: int
    lies: list[LayPlacement]
    hide: LaidHide
    rings: dict[str, list[Ring]]
    gains: list[GainOut]


class ResultOut(BaseModel):
    """What a round came to."""

    round: RoundRow
    money: float = 0.0
    late_s: float = 0.0
    flaws: list[FlawTold] = []
    false_rings: list[FalseRing] = []
    pulls: dict[str, int] = {}
    wrong_pulls: list[str] = []
    answers: list[Answered] = []
    guilty: int | None = None
    fault: str = ""
    laid: LaidOut | None = None


class WaitOut(BaseModel):
    """A lay is compared with the engine's: which job to wait for."""

    job_id: int
