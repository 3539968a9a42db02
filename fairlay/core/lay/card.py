"""What the rack shows of a hide, reckoned once for each state of it, so that a full rack is read and not
reckoned.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

from fairlay.core.lay.account import account_of
from fairlay.core.leather import Hide
from fairlay.core.leather.drawn import HideDrawn, drawn

ROLL_SHOWN_MM: Final = 2400.0
"""So much of a roll is drawn."""
COARSE_MM: Final = 1.0
"""How far a line on the rack may be from where it runs: a tenth of a pixel there, half of one where hides are
compared.
"""


@dataclass(frozen=True)
class ClassShown:
    """Usable leather of one tightness class in m2; class 0 is leather in no zone."""

    tightness: int
    name: str
    usable_m2: float


@dataclass(frozen=True)
class RackCard:
    """A hide on the rack: what of it is usable, in all and by tightness; how many flaws of severity 1, 2 and
    3; how it is drawn.
    """

    usable_m2: float
    classes: list[ClassShown]
    flaws_by_severity: list[int]
    drawn: HideDrawn


def card_of(hide: Hide) -> RackCard:
    """Return what the rack shows of a hide."""
    where = account_of(hide)
    return RackCard(
        hide.usable.area / 1e6,
        [ClassShown(c.tightness, c.name, c.usable_m2) for c in where.classes],
        [sum(1 for f in hide.flaws if f.severity == s) for s in (1, 2, 3)],
        drawn(hide, length_mm=ROLL_SHOWN_MM, coarse_mm=COARSE_MM),
    )
