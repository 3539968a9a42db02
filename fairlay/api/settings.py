"""The shop's own choices about leather."""

from __future__ import annotations

from typing import cast

from fastapi import APIRouter

from fairlay.api.leather_models import ChalkIn, LeatherSettingsIO
from fairlay.core.capture.chalk import Chalk
from fairlay.store.settings import LeatherSettings, leather_settings, set_leather_settings

router = APIRouter(prefix="/api/leather/settings", tags=["leather"])


@router.get("")
def get_settings() -> LeatherSettingsIO:
    """The shop's chalk colours, limits of the pull test, tolerance of a lot."""
    s = leather_settings()
    return LeatherSettingsIO(
        chalks=chalk_out(s),
        limits=list(s.limits),
        tolerance=s.tolerance,
        strap_mm=s.strap_mm,
        edge_margin_mm=s.edge_margin_mm,
        currency=s.currency,
        shop=s.shop,
        address=s.address,
    )


@router.put("", status_code=204)
def put_settings(asked: LeatherSettingsIO) -> None:
    """Keep the shop's choices."""
    limits = cast(tuple[float, float, float], tuple(asked.limits))
    chalks = tuple(Chalk(c.name.strip(), (c.red, c.green, c.blue), c.means) for c in asked.chalks)
    set_leather_settings(
        LeatherSettings(
            chalks,
            limits,
            asked.tolerance,
            asked.strap_mm,
            asked.edge_margin_mm,
            asked.currency.strip(),
            asked.shop.strip(),
            asked.address.strip(),
        )
    )


def chalk_out(s: LeatherSettings) -> list[ChalkIn]:
    """Return the shop's chalks as they are told."""
    return [
        ChalkIn(name=c.name, red=c.rgb[0], green=c.rgb[1], blue=c.rgb[2], means=c.means) for c in s.chalks
    ]
