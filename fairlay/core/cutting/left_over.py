"""What is left of a hide once it is cut: true outlines, kept or scrapped by the shop's size rule, and where
all of its area went.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Final

from shapely.geometry import Polygon
from shapely.geometry.base import BaseGeometry

from fairlay.core.lay.lay import Job
from fairlay.core.lay.went import waste_of
from fairlay.core.leather import Hide
from fairlay.core.shapes.rings import common, pieces_of, union

NARROW_MM: Final = 30.0
"""A strip narrower than this tears off with the scraps."""
KEEP_M2: Final = 0.03
KEEP_WIDTH_MM: Final = 90.0


@dataclass(frozen=True)
class SizeRule:
    """What of a hide is kept: at least ``area_m2``, and so wide somewhere."""

    area_m2: float = KEEP_M2
    width_mm: float = KEEP_WIDTH_MM


@dataclass(frozen=True)
class LeftOver:
    """A part of a hide that is left: ``keep`` by the size rule, ``why`` in words."""

    ground: Polygon
    keep: bool
    why: str


@dataclass(frozen=True)
class Account:
    """Where a hide went, in m2: bought as it was measured, in good pieces, spoilt, left for the rack, scrap.
    They add up. ``waste`` is the scrap by kind (empty: not told apart); ``pieces_m2`` the area of all that
    was cut, good or not, as its patterns have it: more than there is where something was ticked wrongly.
    """

    whole_m2: float
    good_m2: float
    spoilt_m2: float
    kept_m2: float
    scrap_m2: float
    waste: Mapping[str, float] = field(default_factory=dict)
    pieces_m2: float = 0.0


def left_over(hide: Hide, taken: Sequence[BaseGeometry], rule: SizeRule | None = None) -> list[LeftOver]:
    """Return what is left of a hide once some shapes are out of it, largest first: in parts that hang
    together wider than ``NARROW_MM``.
    """
    rule = rule or SizeRule()
    bare = hide.region.difference(union(taken).buffer(0.05))
    wide = common(bare.buffer(-NARROW_MM / 2).buffer(NARROW_MM / 2), bare)
    parts = sorted(pieces_of(wide, 100.0), key=lambda p: -p.area)
    out = []
    for part in parts:
        if part.area < rule.area_m2 * 1e6:
            out.append(LeftOver(part, False, f"under {rule.area_m2:g} m2"))
        elif part.buffer(-rule.width_mm / 2).is_empty:
            out.append(LeftOver(part, False, f"nowhere {rule.width_mm:g} mm wide"))
        else:
            out.append(LeftOver(part, True, "large enough for the rack"))
    return out


def account_of_cut(
    job: Job,
    hide: Hide,
    good: Sequence[BaseGeometry],
    spoilt: Sequence[BaseGeometry],
    kept: Sequence[BaseGeometry],
) -> Account:
    """Return where a hide went. What runs over its edge, or over another piece, is counted once."""
    in_good = common(hide.region, union(good))
    in_spoilt = common(hide.region, union(spoilt)).difference(in_good)
    in_kept = common(hide.region, union(kept)).difference(union((in_good, in_spoilt)))
    whole = hide.region.area / 1e6
    good_m2, spoilt_m2, kept_m2 = (float(g.area) / 1e6 for g in (in_good, in_spoilt, in_kept))
    scrap = whole - good_m2 - spoilt_m2 - kept_m2
    waste = waste_of(job, hide, in_good, union((in_spoilt, in_kept)))
    told = sum(waste.values())
    # What geometry lost in hundredths of a mm2 goes with the rest, so that kinds add up to the scrap.
    waste["between"] = max(0.0, waste.get("between", 0.0) + scrap - told)
    pieces = sum(float(g.area) for g in (*good, *spoilt)) / 1e6
    return Account(whole, good_m2, spoilt_m2, kept_m2, scrap, {str(k): v for k, v in waste.items()}, pieces)
