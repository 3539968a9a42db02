"""The Leather room: the rack."""

from __future__ import annotations

from fastapi import APIRouter

from fairlay.api.models import ClassArea, RackHideOut
from fairlay.api.shapes import hide_shape
from fairlay.core.lay.account import account
from fairlay.core.lay.lay import Job, Lay
from fairlay.store import hides
from fairlay.store.hides import RackHide

router = APIRouter(prefix="/api/leather", tags=["leather"])
ROLL_SHOWN_MM = 2400.0


@router.get("")
def rack() -> list[RackHideOut]:
    """Every hide on the rack, drawn, with its area, tightness, flaws and worth."""
    return [_out(found) for found in hides.all_hides()]


def _out(found: RackHide) -> RackHideOut:
    hide = found.hide
    where = account(Job("", (hide,), ()), Lay(()), hide)
    return RackHideOut(
        id=found.id, number=found.number, kind=hide.kind, material=found.material, mill=found.mill, colour=found.colour, tannage=found.tannage,
        temper=found.temper, thickness_mm=found.thickness_mm, grade=found.grade, state=found.state, cost_per_m2=found.cost_per_m2, area_m2=found.area_m2,
        usable_m2=hide.usable.area / 1e6, worth=found.area_m2 * found.cost_per_m2, received_on=found.received_on,
        flaws_by_severity=[sum(1 for f in hide.flaws if f.severity == s) for s in (1, 2, 3)],
        classes=[ClassArea(tightness=c.tightness, name=c.name, usable_m2=c.usable_m2, placed_m2=0.0) for c in where.classes],
        shape=hide_shape(hide, ROLL_SHOWN_MM),
    )  # fmt: skip
