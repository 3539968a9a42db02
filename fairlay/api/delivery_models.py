"""What the routes of deliveries take and give."""

from __future__ import annotations

import datetime
from typing import Annotated, Literal

from pydantic import BaseModel, Field, FiniteFloat

from fairlay.api.leather_models import Brief, Named, Short
from fairlay.core.formats.read_out import Points


class InvoiceIO(BaseModel):
    """What a lot was bought as; ``price`` is for one ``unit``; ``area`` in it and ``hides`` are the invoice's
    own totals, 0 where it states none.
    """

    mill: Named
    lot: Named
    price: FiniteFloat
    unit: Literal["m2", "ft2"]
    material: Named
    tannage: Brief
    finish: Short
    colour: Brief
    temper: Annotated[str, Field(max_length=16)]
    thickness_mm: FiniteFloat
    grade: Annotated[str, Field(max_length=16)]
    area: FiniteFloat = 0.0
    hides: Annotated[int, Field(ge=0, le=10_000)] = 0


class NewDelivery(BaseModel):
    invoice: InvoiceIO
    received_on: datetime.date | None = None
    note: Annotated[str, Field(max_length=2000)] = ""


class ChangedDelivery(BaseModel):
    """What the invoice says of hides still to come; ``correct``: it was typed wrong, and those received get
    its price and words too.
    """

    correct: bool = False
    invoice: InvoiceIO
    note: Annotated[str, Field(max_length=2000)]
    closed: bool


class HidesOff(BaseModel):
    """Hides as they come off the lorry: their areas by the invoice, in its unit, one a hide; rolls with their
    width.
    """

    kind: Literal["side", "whole", "bend", "shoulder", "belly", "offcut", "roll"]
    width_mm: FiniteFloat | None = None
    areas: Annotated[list[FiniteFloat], Field(min_length=1, max_length=200)]
    prefix: Annotated[str, Field(min_length=1, max_length=16)]


class ReceivedHide(BaseModel):
    """A hide measured against its invoice; ``off`` figures are 0 until it is measured."""

    id: int
    number: str
    kind: str
    state: str
    measured: bool
    looked: str
    invoice_m2: float
    measured_m2: float | None
    off_m2: float
    off_share: float
    off_money: float
    doubt_money: float
    outline: Points


class DeliveryOut(BaseModel):
    """A delivery; ``out_hides`` and ``out_m2`` are what its invoice states beyond the hides received, less
    than 0 where the hides are more.
    """

    id: int
    invoice: InvoiceIO
    note: str
    received_on: datetime.date
    closed: bool
    count: int
    hides: list[ReceivedHide]
    measured: int
    invoice_m2: float
    measured_m2: float
    off_m2: float
    off_share: float
    off_money: float
    doubt_m2: float
    doubt_money: float
    out_hides: int
    out_m2: float
    claim: bool
    claim_money: float
    words: str
