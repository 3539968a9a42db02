"""The shop's own choices: chalk colours, limits of the pull test, tolerance of a lot, currency."""

from __future__ import annotations

import datetime
from dataclasses import dataclass
from typing import Final
from urllib.parse import urlsplit

from pydantic import TypeAdapter

from fairlay.core.capture.chalk import MEANINGS, USUAL_CHALKS, Chalk
from fairlay.core.errors import Refused
from fairlay.core.formats.stored import Document
from fairlay.core.leather.pull import USUAL_LIMITS, check_limits
from fairlay.core.leather.receiving import USUAL_TOLERANCE
from fairlay.store.clock import now
from fairlay.store.database import connected
from fairlay.store.setting import Setting, setting_of


@dataclass(frozen=True)
class LeatherSettings:
    """``limits``: give in mm per 100 mm up to which leather is tight, firm, loose; ``tolerance``: how short a
    lot may be, as a share; ``strap_mm``: how wide a strap is looked for; ``shop``: the name a claim is signed
    with; ``address``: where others in the shop open this application, for the codes on tags ("": as whoever
    prints them does).
    """

    chalks: tuple[Chalk, ...] = USUAL_CHALKS
    limits: tuple[float, float, float] = USUAL_LIMITS
    tolerance: float = USUAL_TOLERANCE
    strap_mm: float = 40.0
    edge_margin_mm: float = 4.0
    currency: str = ""
    shop: str = ""
    address: str = ""


SETTINGS = Document("shop's choices", 1, TypeAdapter(LeatherSettings), Refused)
CHOICES: Final = setting_of("leather", SETTINGS, LeatherSettings)
CURRENCIES: Final = Setting[list[tuple[str, str]]](
    "currencies before", list, lambda kept: sorted((until, name) for until, name in kept), list
)


@connected
def currency_on(day: datetime.date) -> str:
    """Return the currency that the shop's prices were in on a day, as far as it was written down."""
    for until, name in _currencies_before():
        if day.isoformat() < until:
            return name
    return leather_settings().currency


@connected
def first_currency() -> str:
    """Return the currency that the shop named first: what was bought before that is in it too."""
    before = _currencies_before()
    return before[0][1] if before else leather_settings().currency


def _currencies_before() -> list[tuple[str, str]]:
    """Currencies that were changed for another: until which day each was in force."""
    return CURRENCIES.get()


def _keep_currency(before: str, chosen: str) -> None:
    """Write down which currency prices were in until today, where another is chosen. The first one chosen
    names what there is.
    """
    if before and before != chosen:
        known = [*_currencies_before(), (now().date().isoformat(), before)]
        CURRENCIES.put(known)


@connected
def leather_settings() -> LeatherSettings:
    """Return the shop's choices; what was never chosen has its default."""
    return CHOICES.get()


@connected
def set_leather_settings(chosen: LeatherSettings) -> None:
    """Keep the shop's choices.

    Raises Refused or BadHide for choices that make no sense; the ones before are kept then.
    """
    check_limits(chosen.limits)
    if (
        not 0 <= chosen.tolerance < 0.5
        or not 5 <= chosen.strap_mm <= 500
        or not 0 <= chosen.edge_margin_mm <= 100
    ):
        raise Refused(
            "a tolerance, strap width or edge margin that makes no sense",
            value=chosen.tolerance,
            expected="a tolerance under 0.5, straps of 5 to 500 mm, a margin of 0 to 100 mm; the choices "
            "before were kept",
        )
    try:
        parts = urlsplit(chosen.address)
        opens = not chosen.address or (parts.scheme in ("http", "https") and bool(parts.hostname))
    except ValueError:
        opens = False
    if not opens:
        raise Refused(
            f"an address {chosen.address!r}",
            value=chosen.address,
            expected="one that begins with http://, as http://bench.local:8000, or none; the choices before "
            "were kept",
        )
    names = [c.name for c in chosen.chalks]
    if (
        not names
        or len(set(names)) < len(names)
        or any(
            c.means not in MEANINGS or not c.name.strip() or not all(0 <= v <= 255 for v in c.rgb)
            for c in chosen.chalks
        )
    ):
        raise Refused(
            "a table of chalk that makes no sense",
            value=names,
            expected="colours with names of their own, each meaning surface, blemish, unsound or line; the "
            "table before was kept",
        )
    _keep_currency(leather_settings().currency, chosen.currency)
    CHOICES.put(chosen)
