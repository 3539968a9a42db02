"""What the Book tells and is asked. Areas in m2, money in the shop's currency (cents where it says so),
yields as shares; null where a figure cannot be known.
"""

from __future__ import annotations

import datetime
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field


class Told(BaseModel):
    """What the Book holds."""

    model_config = ConfigDict(from_attributes=True)
    hides: int
    left_out: int
    doubted: int
    first: datetime.date | None
    last: datetime.date | None
    currencies: dict[str, int]
    currency: str
    mills: list[str]
    materials: list[str]


class SpreadOut(BaseModel):
    """A figure of some hides, between what it likely lies, and between what eight of ten hides lie."""

    value: float | None
    low: float | None
    high: float | None
    least: float | None
    most: float | None
    n: int


class PartOut(BaseModel):
    """A part of the leather: what became of it."""

    part: str
    words: str
    m2: float
    cents: int


class BookFigures(BaseModel):
    """Some closed hides together."""

    hides: int
    bought_m2: float
    cents: int
    parts: list[PartOut]
    yields: SpreadOut
    planned_yield: float | None
    cost_per_good_m2: float | None
    planned_minutes: float
    true_minutes: float
    timed: int


class MonthOut(BookFigures):
    """A month: no hide in it, no figures."""

    month: str


class StandOutOut(BaseModel):
    """A mill, lot, grade or hide that is unlike its kind."""

    what: str
    key: str
    hides: int
    value: float
    usual: float
    by: float
    words: str


class TrendOut(BaseModel):
    """Whether yields go up or down, a month."""

    slope: float | None
    low: float | None
    high: float | None
    news: bool
    words: str


class ReasonOut(BaseModel):
    """Why pieces were spoilt."""

    reason: str
    pieces: int


class WhereOut(BaseModel):
    """Where leather went: all of it, month by month, what stands out, why pieces were spoilt."""

    told: Told
    figures: BookFigures
    months: list[MonthOut]
    trend: TrendOut
    stand_out: list[StandOutOut]
    reasons: list[ReasonOut]


class GroupOut(BookFigures):
    """Hides of one mill, lot, grade, month or batch, or one hide."""

    key: str
    name: str


class PieceGroupOut(BaseModel):
    """Pieces of one article, name or cutter."""

    key: str
    name: str
    done: int
    spoilt: int
    spoil_rate: SpreadOut
    m2: float
    cents: int
    minutes_each: float | None
    pace: float | None
    timed: int


class GroupsOut(BaseModel):
    """The Book by one thing: hides or pieces, in groups."""

    told: Told
    groups: list[GroupOut]
    pieces: list[PieceGroupOut]
    stand_out: list[StandOutOut]


class DecidedOut(BaseModel):
    """Who said last whether a hide counts, why, and when."""

    by: str
    words: str
    at: datetime.datetime


class ClosedHide(BaseModel):
    """A closed hide."""

    sheet: int
    hide_id: int
    number: str
    material: str
    mill: str
    lot: str
    grade: str
    batch: str
    batch_id: int
    closed_on: datetime.date
    parts: list[PartOut]
    bought_m2: float
    cents: int
    currency: str
    done: int
    spoilt: int
    planned_pieces: int | None
    yield_of_used: float | None
    planned_yield: float | None
    planned_minutes: float
    true_minutes: float
    doubt: str
    counts: bool
    decided: DecidedOut | None


class DecideIn(BaseModel):
    """Whether a hide counts in the figures, and why."""

    counts: bool
    words: Annotated[str, Field(max_length=255)]


class ArticleCut(BaseModel):
    """An article of a batch as it was cut: ordered, whole ones that came of it, pieces spoilt, money."""

    article: str
    name: str
    ordered: int
    whole: int
    done: int
    wanted: int
    spoilt: int
    cents: int
    cents_each: int | None


class BookBatch(BaseModel):
    """A batch in the Book: planned beside true."""

    id: int
    number: str
    name: str
    figures: BookFigures
    hides: list[ClosedHide]
    articles: list[ArticleCut]
    planned_pieces: int | None
    warnings: list[str]
    reasons: list[ReasonOut]


class LearnedOut(BaseModel):
    """A figure that records teach, and what is planned with now."""

    kind: Literal["spares", "pace", "yield"]
    of: str
    name: str
    value: float
    low: float | None
    high: float | None
    bare: float | None
    n: int
    planned: float | None
    proposed: float
    taken_by: str
    taken_at: datetime.datetime | None


class TakenOut(BaseModel):
    """A figure that somebody took."""

    model_config = ConfigDict(from_attributes=True)
    kind: str
    of: str
    was: float | None
    value: float
    low: float | None
    high: float | None
    n: int
    by: str
    at: datetime.datetime


class LearnedPage(BaseModel):
    """What estimates learn, and what was taken."""

    told: Told
    figures: list[LearnedOut]
    history: list[TakenOut]
    class_worth: dict[int, float]


class TakeIn(BaseModel):
    """A learned figure to be planned with."""

    kind: Literal["spares", "pace", "yield"]
    of: Annotated[str, Field(max_length=255)]


class ClassWorthIO(BaseModel):
    """What leather of each class is worth beside tight leather."""

    worth: dict[int, float]


class NoteOut(BaseModel):
    """A note of the shop."""

    model_config = ConfigDict(from_attributes=True)
    id: int
    subject: str
    of: int
    name: str
    piece: str
    words: str
    by: str
    made_at: datetime.datetime
    done_at: datetime.datetime | None
    revision: str


class NoteIn(BaseModel):
    """A note to be kept."""

    subject: Literal["article", "hide", "batch"]
    of: int
    piece: Annotated[str, Field(max_length=64)] = ""
    words: Annotated[str, Field(max_length=2000)]


class NoteBecame(BaseModel):
    """The revision that a note became."""

    article_id: int
    letter: str
