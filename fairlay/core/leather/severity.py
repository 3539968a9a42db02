"""What a flaw's kind and size suggest of its severity.

A suggestion: the cutter's hand and eye have the last word.
"""

from __future__ import annotations

from typing import Final

import numpy as np
from shapely.geometry import Polygon

from fairlay.core.errors import BadHide
from fairlay.core.leather.hide import FLAW_KINDS
from fairlay.core.shapes.rings import Ring

PLAIN_FROM_MM: Final[dict[str, float]] = {
    "scratch": 60.0,
    "scar": 25.0,
    "tick bite": 10.0,
    "fly bite": 10.0,
    "lice bite": 14.0,
    "vein": 120.0,
    "growth wrinkle": 90.0,
    "fat wrinkle": 120.0,
    "stretch mark": 90.0,
    "stain": 40.0,
    "dye patch": 40.0,
    "dirt": 80.0,
    "fold crease": 120.0,
    "not named": 0.0,
}
"""Length in mm from which a mark of a kind is plain to see; shorter, it is of the surface only."""
BLEMISH: Final = frozenset({"brand"})
UNSOUND_FROM_MM: Final[dict[str, float]] = {
    "warble hole": 0.0,
    "loose grain": 0.0,
    "pipey grain": 0.0,
    "flay cut": 0.0,
    "thin spot": 0.0,
    "hole": 0.0,
    "scar": 120.0,
    "brand": 160.0,
}
"""Length from which a kind is unsound: thin, weak, open or missing leather whatever its size, and large scars
and brands, whose leather is hard and tears.
"""


def suggested_severity(kind: str, outline: Ring) -> tuple[int, str]:
    """Return the severity (1 to 3) that a flaw's kind and size suggest, and why, in words.

    Raises BadHide for an unknown kind.
    """
    if kind not in FLAW_KINDS:
        raise BadHide(f"a flaw of kind {kind!r}", value=kind, expected="one of " + ", ".join(FLAW_KINDS))
    long = longest_mm(outline)
    if kind in UNSOUND_FROM_MM and long >= UNSOUND_FROM_MM[kind]:
        return 3, f"a {kind} is thin, weak or open leather" if UNSOUND_FROM_MM[
            kind
        ] == 0 else f"a {kind} {long:.0f} mm long is likely hard or weak"
    if kind in BLEMISH:
        return 2, f"a {kind} is plainly seen"
    plain = PLAIN_FROM_MM.get(kind, 0.0)
    if long >= plain:
        return 2, f"a {kind} {long:.0f} mm long is plainly seen" if plain else "what it is was not said"
    return 1, f"a {kind} of {long:.0f} mm is of the surface"


def longest_mm(outline: Ring) -> float:
    """Return how long a ring is, the longer side of the least rectangle round it, in mm."""
    box = Polygon(outline).minimum_rotated_rectangle
    corners = np.asarray(box.exterior.coords) if box.geom_type == "Polygon" else np.asarray(box.coords)
    return float(np.hypot(*np.diff(corners, axis=0).T).max())
