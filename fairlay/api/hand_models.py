"""What the lay bench sends and is told while a piece is in the hand."""

from __future__ import annotations

from typing import Annotated

from pydantic import BaseModel, Field, FiniteFloat

from fairlay.api.models import ClassArea, FromRevision, LayPlacement, PinnedPiece

Name = Annotated[str, Field(max_length=255)]
Mm = Annotated[FiniteFloat, Field(ge=-1e6, le=1e6)]
Rings = list[list[list[float]]]


class HeldWith(BaseModel):
    """Another piece held along with the first: its origin (dx, dy) mm from the first's."""

    piece: Name
    turn_deg: Annotated[FiniteFloat, Field(ge=-1e5, le=1e5)]
    mirrored: bool = False
    dx: Mm
    dy: Mm


class HeldAt(BaseModel):
    """A piece as it is held over a hide, and others ``along`` with it; ``lifted`` are the pieces that were
    taken up with it, or for it.
    """

    piece: Name
    hide: Name
    turn_deg: Annotated[FiniteFloat, Field(ge=-1e5, le=1e5)]
    mirrored: bool = False
    along: Annotated[list[HeldWith], Field(max_length=60)] = []
    lifted: Annotated[list[PinnedPiece], Field(max_length=20_000)] = []


class HeldOver(HeldAt):
    """A piece held with its origin at a place, in mm on the hide."""

    x: Mm
    y: Mm


class GroundOut(BaseModel):
    """Where the origin of a held piece can go: each part's outline and holes, in mm on the hide; ``sentence``
    says why where its angle alone leaves nothing.
    """

    head: int
    parts: list[Rings]
    sentence: str


class BecauseOut(BaseModel):
    """A rule that forbids a place, and the ground it speaks of."""

    rule: str
    sentence: str
    rings: Rings


class WhyOut(BaseModel):
    """Why a piece may not lie where it is held, and where it would."""

    because: list[BecauseOut]
    nearest: list[float] | None
    help: str


class AngleOut(BaseModel):
    """The best angle for a piece where it is held: its origin there, and how far off that is, in mm."""

    x: float
    y: float
    turn_deg: float
    off_mm: float


class Push(FromRevision):
    """Pieces pushed together along a way."""

    pieces: Annotated[list[PinnedPiece], Field(min_length=1, max_length=60)]
    dx: Mm
    dy: Mm


class Swap(FromRevision):
    """Two pieces that change places."""

    first: PinnedPiece
    second: PinnedPiece


class TurnOver(FromRevision):
    """A piece of a pair to be turned over where it lies."""

    piece: PinnedPiece


class CopyTo(FromRevision):
    """An arrangement to be laid once more, on a hide, moved by (dx, dy) in mm."""

    pieces: Annotated[list[PinnedPiece], Field(min_length=1, max_length=60)]
    hide: Name
    dx: Mm
    dy: Mm


class Copied(BaseModel):
    """How many pieces of an arrangement found a place, of how many; the lay's newest revision."""

    head: int
    placed: int
    asked: int


class Signing(BaseModel):
    """A piece that lies against a rule, and whether somebody answers for it."""

    piece: PinnedPiece
    signed: bool = True


class WentStep(BaseModel):
    """A part of a hide by what became of it: its share of the whole, what it cost, and its ground."""

    kind: str
    words: str
    m2: float
    share: float
    money: float
    rings: Rings


class WentOut(BaseModel):
    """Where the leather of a hide went: steps that add up to the whole."""

    whole_m2: float
    classes: list[ClassArea]
    steps: list[WentStep]


class SpotAsked(BaseModel):
    """A place on a hide, in mm."""

    hide: str
    x: FiniteFloat
    y: FiniteFloat


class SpotFit(BaseModel):
    """Whether a piece of the tray fits a gap: where it would lie, else the sentence why not."""

    piece: str
    at: LayPlacement | None
    sentence: str


class SpotOut(BaseModel):
    """What a place is, in sentences; where it is bare, the gap about it (``rings``, in mm) and what fits."""

    sentences: list[str]
    rings: Rings
    gap_m2: float
    widest_mm: float
    fits: list[SpotFit]


class MostOut(BaseModel):
    """What no lay passes: the yield of the leather it uses; the least leather and money for all that is
    wanted; ``short_m2`` of which there is no ground for.
    """

    yield_of_used: float
    least_used_m2: float
    least_cost: float
    short_m2: float
