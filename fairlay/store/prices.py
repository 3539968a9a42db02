"""What else than leather costs, as the shop states it."""

from __future__ import annotations

from typing import Final

from pydantic import TypeAdapter

from fairlay.core.book.costing import Prices
from fairlay.core.errors import Refused
from fairlay.core.formats.stored import Document
from fairlay.core.lay.rack import RackWorth
from fairlay.store.book import class_worth
from fairlay.store.database import connected
from fairlay.store.setting import setting_of

PRICES: Final = Document("shop's prices", 1, TypeAdapter(Prices), Refused)
CHOICES: Final = setting_of("prices", PRICES, Prices)


@connected
def prices() -> Prices:
    """Return the shop's prices; what was never stated is 0."""
    return CHOICES.get()


@connected
def rack_worth() -> RackWorth:
    """Return what leather on the rack is worth to the shop, by its own prices."""
    worth = class_worth()
    return RackWorth(prices().strip_m, (worth[1], worth[2], worth[3], worth[4]))


@connected
def set_prices(chosen: Prices) -> None:
    """Keep the shop's prices. Raises Refused for a price under 0; those before are kept then."""
    each = [chosen.minute, chosen.thread_m, chosen.strip_m, *chosen.hardware.values()]
    if min(each) < 0 or max(each) > 1e6:
        raise Refused(
            "a price that makes no sense", value=min(each), expected="0 or more; those before were kept"
        )
    CHOICES.put(chosen)
