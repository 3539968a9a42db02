"""The rack: hides in the store."""

from __future__ import annotations

import datetime
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from fairlay.core.errors import NotFound
from fairlay.core.formats.exchange import HideRecord, hide_values, read_hide
from fairlay.core.leather import Hide
from fairlay.store.database import connected
from fairlay.store.tables import HideRow

STATES = ("received", "looked over", "kept", "laid", "part used", "used up")


@dataclass(frozen=True)
class RackHide:
    """A hide with what the rack knows of it besides its shape."""

    id: int
    number: str
    material: str
    mill: str
    colour: str
    tannage: str
    temper: str
    thickness_mm: float
    grade: str
    state: str
    cost_per_m2: float
    area_m2: float
    received_on: datetime.date
    hide: Hide


def _from(row: HideRow) -> RackHide:
    shape = read_hide(HideRecord.model_validate({**row.shape, "id": row.number, "kind": row.kind, "cost_per_m2": row.cost_per_m2}))
    return RackHide(
        row.id, row.number, row.material, row.mill, row.colour, row.tannage, row.temper, row.thickness_mm, row.grade,
        row.state, row.cost_per_m2, row.area_m2, row.received_on, shape,
    )  # fmt: skip


@connected
def all_hides() -> list[RackHide]:
    """Return every hide on the rack, by number."""
    return [_from(row) for row in HideRow.select().order_by(HideRow.number)]


@connected
def hides_by_id(ids: Iterable[int]) -> list[RackHide]:
    """Return hides in the order asked. Raises NotFound naming the first that is missing."""
    wanted = list(ids)
    found = {row.id: _from(row) for row in HideRow.select().where(HideRow.id.in_(wanted))} if wanted else {}
    for hide_id in wanted:
        if hide_id not in found:
            raise NotFound(f"there is no hide {hide_id} on the rack", value=hide_id)
    return [found[hide_id] for hide_id in wanted]


@connected
def add_hide(hide: Hide, *, material: str, mill: str, colour: str, tannage: str, temper: str, thickness_mm: float, grade: str, state: str, received_on: datetime.date) -> int:
    """Put a hide on the rack under its id as number; return the row's id."""
    values = hide_values(hide)
    shape = {key: values[key] for key in values if key not in ("id", "kind", "cost_per_m2")}
    row = HideRow.create(
        number=hide.id, kind=hide.kind, material=material, mill=mill, colour=colour, tannage=tannage, temper=temper, thickness_mm=thickness_mm,
        grade=grade, state=state, cost_per_m2=hide.cost_per_m2, area_m2=hide.region.area / 1e6, shape=shape, received_on=received_on,
    )  # fmt: skip
    return int(row.id)


@connected
def set_state(ids: Sequence[int], state: str) -> None:
    """Mark hides as received, looked over, kept, laid, part used or used up."""
    HideRow.update(state=state).where(HideRow.id.in_(list(ids))).execute()


@connected
def count_hides() -> int:
    """Return how many hides the rack holds."""
    return int(HideRow.select().count())
