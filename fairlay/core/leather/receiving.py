"""A delivery: what the invoice says of its hides, what the shop measures, and the difference as money."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final, Literal

import numpy as np

from fairlay.core.errors import BadHide
from fairlay.core.leather.hide import Hide

Unit = Literal["m2", "ft2"]
M2_PER: Final[dict[Unit, float]] = {"m2": 1.0, "ft2": 0.09290304}
"""A square foot is 0.3048 m squared, exactly (international foot)."""
MOST_AREA: Final = 1_000_000.0
MOST_HIDES: Final = 10_000
USUAL_TOLERANCE: Final = 0.02
"""A lot that is short by more than this share of the invoice is claimed; pinwheel and laser differ by about
so much.
"""
ADDS_UP: Final = 0.002
"""Areas of the hides that come within this share of the invoice's own total are all of it: mills round each
to a quarter of a square foot.
"""


@dataclass(frozen=True)
class Invoice:
    """What a delivery was bought as: all hides of one lot. ``price`` is for one ``unit`` of area; ``area`` in
    that unit and ``hides`` are the totals the invoice states, 0 where it states none.
    """

    mill: str
    lot: str
    price: float
    unit: Unit
    material: str
    tannage: str
    finish: str
    colour: str
    temper: str
    thickness_mm: float
    grade: str
    area: float = 0.0
    hides: int = 0

    @property
    def price_per_m2(self) -> float:
        return self.price / M2_PER[self.unit]


@dataclass(frozen=True)
class HideReceived:
    """A hide of a delivery: its number, its area by the invoice in m2 and as the shop measured it (None: not
    yet), and how far off that may be.
    """

    number: str
    invoice_m2: float
    measured_m2: float | None = None
    doubt_m2: float = 0.0


@dataclass(frozen=True)
class HideCheck:
    """A hide measured against its invoice: the difference in m2 (less than 0: short), as a share and in
    money; and how far off the measure may be, in money.
    """

    number: str
    invoice_m2: float
    measured_m2: float | None
    off_m2: float
    off_share: float
    off_money: float
    doubt_money: float = 0.0


@dataclass(frozen=True)
class LotCheck:
    """A lot measured against its invoice; only hides that were measured count in ``invoice_m2`` to
    ``off_money``.

    ``out_hides`` and ``out_m2``: what the invoice states beyond the hides received (less than 0: the hides
    are more than it states); once the delivery is closed, ``never_m2`` of it never came. ``claim`` says that
    the lot is short beyond the tolerance and beyond what its measure may be off, by ``claim_money`` in all;
    ``doubt_m2`` and ``doubt_money`` say how far that is: one camera may measure all of a lot wrong the same
    way.
    """

    hides: tuple[HideCheck, ...]
    measured: int
    invoice_m2: float
    measured_m2: float
    off_m2: float
    off_share: float
    off_money: float
    out_hides: int
    out_m2: float
    never_m2: float
    claim: bool
    claim_money: float
    words: str
    doubt_m2: float = 0.0
    doubt_money: float = 0.0


def check_invoice(invoice: Invoice) -> None:
    """Raise BadHide for an invoice that makes no sense."""
    if not invoice.mill.strip() or not invoice.lot.strip():
        raise BadHide(
            "a delivery without a mill or a lot",
            value=(invoice.mill, invoice.lot),
            expected="who it came from, and the lot on the invoice",
        )
    if invoice.unit not in M2_PER:
        raise BadHide(f"areas in {invoice.unit!r}", value=invoice.unit, expected="m2 or ft2")
    if not (math.isfinite(invoice.price) and 0 <= invoice.price <= 100_000):
        raise BadHide(
            f"a price of {invoice.price} for one {invoice.unit}", value=invoice.price, expected="0 or more"
        )
    if not 0.1 <= invoice.thickness_mm <= 15:
        raise BadHide(
            f"a thickness of {invoice.thickness_mm:g} mm", value=invoice.thickness_mm, expected="0.1 to 15 mm"
        )
    if not (math.isfinite(invoice.area) and 0 <= invoice.area <= MOST_AREA):
        raise BadHide(
            f"a lot of {invoice.area} {invoice.unit}",
            value=invoice.area,
            expected=f"the invoice's total up to {MOST_AREA:g}, or 0 where it states none",
        )
    if not 0 <= invoice.hides <= MOST_HIDES:
        raise BadHide(
            f"a lot of {invoice.hides} hides",
            value=invoice.hides,
            expected=f"1 to {MOST_HIDES}, or 0 where the invoice states none",
        )


def in_m2(area: float, unit: Unit) -> float:
    """Return an area of the invoice in m2. Raises BadHide for one that no hide has."""
    m2 = area * M2_PER[unit]
    if not (math.isfinite(m2) and 0.001 <= m2 <= 1_000):
        raise BadHide(f"an area of {area:g} {unit}", value=area, expected="what the invoice says of one hide")
    return m2


def roll_bought(
    number: str,
    width_mm: float | None,
    area_m2: float,
    *,
    edge_margin_mm: float = 0.0,
    cost_per_m2: float = 0.0,
) -> Hide:
    """Return a roll as its invoice has it: as long as its area and width make it.

    Raises BadHide for no width, and for a width or a length that no roll has.
    """
    if width_mm is None:
        raise BadHide(
            f"roll {number} without its width", value=None, expected="how wide it is, 100 to 5000 mm"
        )
    if not (math.isfinite(width_mm) and 100 <= width_mm <= 5_000):
        raise BadHide(f"a roll {width_mm:g} mm wide", value=width_mm, expected="100 to 5000 mm")
    length = area_m2 * 1e6 / width_mm
    if not 100 <= length <= 500_000:
        raise BadHide(
            f"a roll {length / 1000:g} m long",
            value=length,
            expected="0.1 to 500 m: its area by the invoice, and its width",
        )
    ring = np.array([[0.0, 0.0], [length, 0.0], [length, width_mm], [0.0, width_mm]])
    return Hide(
        number, "roll", ring, edge_margin_mm=edge_margin_mm, cost_per_m2=cost_per_m2, width_mm=width_mm
    )


def check_lot(
    invoice: Invoice, hides: Sequence[HideReceived], tolerance: float = USUAL_TOLERANCE, closed: bool = False
) -> LotCheck:
    """Return a lot measured against its invoice; ``closed``: no more of it is coming, what is missing is
    short too. Raises BadHide for a tolerance that is no share.
    """
    if not 0 <= tolerance < 1:
        raise BadHide(
            f"a tolerance of {tolerance:g}", value=tolerance, expected="a share from 0 to 1, as 0.02"
        )
    per = invoice.price_per_m2
    rows = []
    for h in hides:
        off = 0.0 if h.measured_m2 is None else h.measured_m2 - h.invoice_m2
        rows.append(
            HideCheck(
                h.number,
                h.invoice_m2,
                h.measured_m2,
                off,
                off / h.invoice_m2 if h.invoice_m2 else 0.0,
                off * per,
                h.doubt_m2 * per,
            )
        )
    known = [r for r in rows if r.measured_m2 is not None]
    bought, got = sum(r.invoice_m2 for r in known), sum(r.measured_m2 or 0.0 for r in known)
    off = got - bought
    out_hides, out_m2 = _still_out(invoice, rows)
    never_m2 = max(0.0, out_m2) if closed else 0.0
    # What never came is short of the whole lot, what measured short of the hides that were measured.
    short_m2, of_m2 = (
        never_m2 - off,
        bought if known and not never_m2 else sum(r.invoice_m2 for r in rows) + never_m2,
    )
    share = short_m2 / of_m2 if of_m2 else 0.0
    doubt_m2 = sum(h.doubt_m2 for h in hides if h.measured_m2 is not None)
    beyond = max(share, -off / bought if bought else 0.0) > tolerance
    claim = beyond and max(short_m2, -off) > doubt_m2
    words = []
    if never_m2:
        part = never_m2 / (never_m2 + sum(r.invoice_m2 for r in rows))
        words.append(
            f"{f'{out_hides} of its hides' if out_hides > 0 else f'{part:.1%} of its area'} never came"
        )
    if claim:
        words.append(
            f"short by {max(share, -off / bought if bought else 0.0):.1%}, more than the {tolerance:.1%} "
            f"allowed: a claim of {short_m2 * per:.2f}"
        )
    elif beyond:
        words.append(
            f"short by {max(share, -off / bought if bought else 0.0):.1%}, no more than the measure "
            "itself may be "
            "off: no claim can rest on it"
        )
    elif known:
        words.append(
            f"{'over' if share <= 0 else 'short'} by {abs(share):.1%}, within the {tolerance:.1%} allowed"
        )
    if not known:
        words.append("no hide of this lot is measured yet")
    elif len(known) < len(rows):
        words[-1] += f" ({len(known)} of {len(rows)} hides measured)"
    return LotCheck(
        tuple(rows),
        len(known),
        bought,
        got,
        off,
        off / bought if bought else 0.0,
        off * per,
        out_hides,
        out_m2,
        never_m2,
        claim,
        short_m2 * per if claim else 0.0,
        "; ".join(words),
        doubt_m2,
        doubt_m2 * per,
    )


def _still_out(invoice: Invoice, rows: Sequence[HideCheck]) -> tuple[int, float]:
    """Hides and m2 that an invoice states beyond those received; 0 where it states none, or the areas add
    up.
    """
    total = invoice.area * M2_PER[invoice.unit]
    out = total - sum(r.invoice_m2 for r in rows) if total else 0.0
    return invoice.hides - len(rows) if invoice.hides else 0, 0.0 if abs(out) <= ADDS_UP * total else out


def next_numbers(prefix: str, taken: Sequence[str], count: int) -> list[str]:
    """Return numbers for hides: the prefix and three figures on from the highest that is taken.

    Raises BadHide for a count that makes no sense.
    """
    if not 1 <= count <= 200:
        raise BadHide(f"{count} hides", value=count, expected="1 to 200 hides in one go")
    own = [n[len(prefix) :] for n in taken if n.startswith(prefix)]
    last = max((int(n) for n in own if n.isdigit()), default=0)
    return [f"{prefix}{last + 1 + k:03d}" for k in range(count)]
