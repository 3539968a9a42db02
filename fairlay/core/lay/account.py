"""Where the leather of a hide went: by tightness, how much lies under pieces and how much is left."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from shapely.geometry import Polygon, box
from shapely.geometry.base import BaseGeometry

from fairlay.core.lay.check import hide_shapes
from fairlay.core.lay.lay import Job, Lay
from fairlay.core.leather import Hide
from fairlay.core.leather.hide import TIGHTNESS_NAMES
from fairlay.core.shapes.rings import common, union


@dataclass(frozen=True)
class ClassAccount:
    """One tightness class of a hide: its usable leather and what of it lies under pieces, in m2.

    Class 0 is leather in no zone.
    """

    tightness: int
    name: str
    usable_m2: float
    placed_m2: float


@dataclass(frozen=True)
class HideAccount:
    """A hide's leather in m2: each class, and what the edge margin and unsound flaws take before any
    piece.
    """

    hide: str
    whole_m2: float
    edge_m2: float
    unsound_m2: float
    classes: tuple[ClassAccount, ...]


def account(job: Job, lay: Lay, hide: Hide) -> HideAccount:
    """Return where the leather of one hide of a lay went. A roll is counted as far as it is used."""
    return account_of(hide, [shape for _, shape in hide_shapes(job, lay, hide)])


def account_of(hide: Hide, shapes: Sequence[BaseGeometry] = ()) -> HideAccount:
    """Return where the leather of a hide goes with shapes lying on it, or with none."""
    whole: BaseGeometry = hide.region
    if hide.is_roll:
        x0, y0, _, y1 = whole.bounds
        whole = common(whole, box(x0, y0, max((s.bounds[2] for s in shapes), default=x0), y1))
    within, usable = common(whole, hide.within_margin), common(whole, hide.usable)
    placed = union(shapes)
    classes, zoned = [], [Polygon()]
    for tightness, name in TIGHTNESS_NAMES.items():
        ground = union(shown for zone, shown in hide.zone_regions if zone.tightness == tightness)
        zoned.append(ground)
        ground = common(usable, ground)
        if ground.area > 100:
            classes.append(
                ClassAccount(tightness, name, ground.area / 1e6, placed.intersection(ground).area / 1e6)
            )
    rest = usable.difference(union(zoned))
    if rest.area > 100:
        classes.insert(0, ClassAccount(0, "not zoned", rest.area / 1e6, placed.intersection(rest).area / 1e6))
    return HideAccount(
        hide.id,
        whole.area / 1e6,
        (whole.area - within.area) / 1e6,
        (within.area - usable.area) / 1e6,
        tuple(classes),
    )
