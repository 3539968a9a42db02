"""What buying and costing tell and are asked. Areas in m2, money in the shop's currency, chances as shares;
null where a figure cannot be known.
"""

from __future__ import annotations

import datetime
from typing import Annotated, Literal

from pydantic import BaseModel, Field

from fairlay.api.models import JobOut


class SourceOut(BaseModel):
    """Leather that could be bought: from how many of the shop's hides it is known (0: as stated)."""

    name: str
    kind: str
    material: str
    mill: str
    grade: str
    price_per_m2: float
    area_m2: float
    spread_m2: float
    flaws_per_m2: list[float]
    n: int


class StatedIn(BaseModel):
    """Leather that somebody states."""

    kind: Literal["side", "shoulder", "bend", "belly", "offcut"] = "side"
    area_m2: Annotated[float, Field(gt=0, le=8)] = 2.05
    price_per_m2: Annotated[float, Field(ge=0, le=100000)] = 0.0
    quality: Literal["clean", "middling", "seconds"] = "middling"


class SourceIn(BaseModel):
    """Leather to be tried: one of the shop's by name, at its price or another; or as it is stated."""

    name: Annotated[str, Field(max_length=160)] = ""
    price_per_m2: Annotated[float | None, Field(ge=0, le=100000)] = None
    stated: StatedIn | None = None


class OrderLine(BaseModel):
    """How many of an article."""

    article_id: int
    quantity: Annotated[int, Field(ge=1, le=100000)]


class BuyIn(BaseModel):
    """What is to be bought for: a batch, or so many of some articles; of one material."""

    batch_id: int | None = None
    lines: Annotated[list[OrderLine], Field(max_length=40)] = []
    material: Annotated[str, Field(max_length=64)]
    sources: Annotated[list[SourceIn], Field(max_length=6)]
    margin: Annotated[float, Field(gt=0, lt=0.5)] = 0.05
    use_rack: bool = False
    gap_mm: Annotated[float, Field(ge=0, le=100)] = 0.0


class ChanceOut(BaseModel):
    """So many hides are enough with this chance."""

    hides: int
    enough: float
    low: float
    high: float


class MoneyOut(BaseModel):
    """Money for an article: mean, how surely it is known, between what eight of ten orders lie."""

    mean: float
    low: float | None
    high: float | None
    least: float
    most: float


class NextHideOut(BaseModel):
    """One hide more: its cost, what of it is left on average, by how much it lowers the chance of being
    short, and where being short must cost more than this for it to be worth its money (null: never).
    """

    cost: float
    left: float
    less_short: float
    worth_if: float | None


class BreakEvenOut(BaseModel):
    """The price of a m2 at which it costs as much for an article as the first kind of leather."""

    price_per_m2: float
    low: float
    high: float


class PartAnswer(BaseModel):
    """What one kind of leather, size of order or changed rule comes to."""

    name: str
    source: SourceOut
    variant: str
    size: int
    worlds: int
    patient: int
    buy: int
    short: float
    short_low: float
    short_high: float
    chances: list[ChanceOut]
    hides: float
    cost: float
    each: MoneyOut
    next_hide: NextHideOut
    break_even: BreakEvenOut | None
    never: int


class ForecastOut(BaseModel):
    """A forecast as far as it is; ``rests`` says on what, ``old`` what of that changed since."""

    job: JobOut
    title: str
    material: str
    margin: float
    articles: int
    worlds: int
    of: int
    parts: list[PartAnswer]
    rests: list[str]
    old: list[str]
    asked_at: datetime.datetime


class ForecastRow(BaseModel):
    """A forecast in the list."""

    job_id: int
    title: str
    state: str
    asked_at: datetime.datetime


class Prices(BaseModel):
    """What else than leather costs."""

    minute: Annotated[float, Field(ge=0, le=1000000)] = 0.0
    thread_m: Annotated[float, Field(ge=0, le=1000000)] = 0.0
    hardware: dict[Annotated[str, Field(max_length=64)], Annotated[float, Field(ge=0, le=1000000)]] = {}
    strip_m: Annotated[float, Field(ge=0, le=1000000)] = 0.0


class CostIn(BaseModel):
    """What an article is costed in: leather of each of its materials."""

    source: SourceIn
    material: Annotated[str, Field(max_length=64)]


class PieceCostOut(BaseModel):
    """What an article pays for one of its pieces."""

    piece: str
    name: str
    each: int
    m2: float
    tightness: int
    money: float | None
    minutes: float | None


class HardwareCost(BaseModel):
    """Hardware of an article."""

    name: str
    each: int
    money: float


class VariantOut(BaseModel):
    """What a changed rule saves on one article: its range too (negative: it costs more)."""

    words: str
    saves: float
    low: float
    high: float
    firm: bool


class CostingOut(BaseModel):
    """What one article costs, at the middle size where several were tried."""

    article_id: int
    name: str
    material: str
    job_id: int | None
    pieces: list[PieceCostOut]
    leather: float | None
    thread_m: float
    thread_money: float
    hardware: list[HardwareCost]
    minutes: float | None
    minutes_money: float | None
    total: float
    unpriced: list[str]
    variants: list[VariantOut]
    materials: list[str]
