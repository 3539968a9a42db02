"""What lies, as the store keeps it: changes, each with what lay there before, and snapshots between them."""

from __future__ import annotations

import json
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import asdict, dataclass
from typing import Any

from fairlay.core.formats.exchange import PlacementRecord, read_job, read_placement
from fairlay.core.lay.lay import Job, Lay, Placement, Unplaced
from fairlay.core.lay.measures import measure, worth
from fairlay.core.shapes.placing import Placing
from fairlay.core.tolerances import COORDINATE_DECIMALS
from fairlay.store.clock import now
from fairlay.store.database import database
from fairlay.store.memo import Memo
from fairlay.store.tables import LayJobRow, LayRevisionRow, LayRow, LaySnapshotRow

Key = tuple[str, int]
Lies = dict[Key, Placement]
SNAPSHOT_EVERY = 32
"""So many changes are played at most to know what lies."""
JOBS_KEPT = 48


@dataclass(frozen=True)
class State:
    """What lies after a revision: under which of the lay's jobs, and what is left out."""

    number: int
    job_number: int
    lies: Lies
    unplaced: tuple[Unplaced, ...]

    @property
    def lay(self) -> Lay:
        return Lay(tuple(self.lies.values()), self.unplaced)


@dataclass(frozen=True)
class Difference:
    """What makes one state of a lay another: put ``down`` (new or moved), taken ``up``."""

    down: tuple[Placement, ...]
    up: tuple[Key, ...]

    @property
    def keys(self) -> set[Key]:
        """Every piece it touches."""
        return {(p.piece, p.copy) for p in self.down} | set(self.up)


def key_of(p: Placement) -> Key:
    """The piece and copy that a placement is of."""
    return p.piece, p.copy


def lies_of(placements: Iterable[Placement]) -> Lies:
    """Return placements by piece and copy."""
    return {key_of(p): p for p in placements}


def difference(before: Mapping[Key, Placement], after: Mapping[Key, Placement]) -> Difference:
    """Return what makes ``after`` of ``before``."""
    down = tuple(p for key, p in after.items() if before.get(key) != p)
    return Difference(down, tuple(key for key in before if key not in after))


def with_difference(lies: Mapping[Key, Placement], change: Difference) -> Lies:
    """Return what lies once a difference is made."""
    out = {key: p for key, p in lies.items() if key not in set(change.up)}
    out.update(lies_of(change.down))
    return out


def written(placements: Iterable[Placement]) -> list[list[Any]]:
    """Return placements as rows of JSON: piece, copy, hide, x, y, degrees, mirrored."""
    d = COORDINATE_DECIMALS
    return [
        [
            p.piece,
            p.copy,
            p.hide,
            round(p.at.x, d),
            round(p.at.y, d),
            round(p.at.rotation_deg, d),
            int(p.at.mirrored),
        ]
        for p in placements
    ]


def rounded(placements: Iterable[Placement]) -> tuple[Placement, ...]:
    """Return placements with their numbers as they are kept."""
    return tuple(read_written(row) for row in written(placements))


def read_written(row: Any) -> Placement:
    """Return the placement of a row; of an object too, as older changes have them."""
    if isinstance(row, dict):
        return read_placement(PlacementRecord.model_validate(row))
    piece, copy, hide, x, y, turn, mirrored = row
    return Placement(piece, int(copy), hide, Placing(float(x), float(y), float(turn), bool(mirrored)))


def job_of(lay_id: int, number: int) -> Job:
    """Return what a lay was asked. It never changes, so it is read once and remembered for a while."""
    row = LayJobRow.select(LayJobRow.id, LayJobRow.created_at).where(
        LayJobRow.lay == lay_id, LayJobRow.number == number
    )
    found = row.get()
    return _job((_which_store(), int(found.id), found.created_at), int(found.id))


def _which_store() -> tuple[Any, ...]:
    own = database.obj
    return own.database, own.connect_params.get("host"), own.connect_params.get("port")


_jobs: Memo[Job] = Memo(JOBS_KEPT)


def _job(key: tuple[Any, ...], row_id: int) -> Job:
    return _jobs.get(
        key, lambda: read_job(json.dumps(LayJobRow.get_by_id(row_id).document), sizes_are_right=True)
    )


def state_at(lay_id: int, number: int) -> State:
    """Return what lies after a revision that is there: the snapshot before it, and the changes since."""
    snapshot = (
        LaySnapshotRow.select()
        .where(LaySnapshotRow.lay == lay_id, LaySnapshotRow.number <= number)
        .order_by(LaySnapshotRow.number.desc())
        .first()
    )
    begun = 0 if snapshot is None else int(snapshot.number)
    lies: Lies = {} if snapshot is None else lies_of(map(read_written, snapshot.lies))
    rows = list(
        LayRevisionRow.select(LayRevisionRow.number, LayRevisionRow.changes)
        .where(LayRevisionRow.lay == lay_id, LayRevisionRow.number.between(begun + 1, number))
        .order_by(LayRevisionRow.number)
    )
    for row in rows:
        play(lies, row.changes)
    shown = (
        LayRevisionRow.select(LayRevisionRow.job_number, LayRevisionRow.unplaced)
        .where(LayRevisionRow.lay == lay_id, LayRevisionRow.number == number)
        .get()
    )
    return State(number, int(shown.job_number), lies, tuple(Unplaced(**u) for u in shown.unplaced))


def play(lies: Lies, changes: Mapping[str, Any]) -> None:
    """Make a stored change on what lies."""
    for piece, copy in changes["up"]:
        lies.pop((piece, int(copy)), None)
    for row in changes["down"]:
        p = read_written(row)
        lies[key_of(p)] = p


def append(
    row: LayRow,
    before: State,
    lay: Lay,
    source: str,
    *,
    job_number: int | None = None,
    stands_for: int | None = None,
    undoes: int | None = None,
) -> State:
    """Add a revision to a lay whose row is held, from the state at its head; return the state after it."""
    job_number = before.job_number if job_number is None else job_number
    job = job_of(row.id, job_number)
    kept = Lay(rounded(lay.placements), lay.unplaced)
    after = lies_of(kept.placements)
    change = difference(before.lies, after)
    was = [before.lies[key] for key in before.lies if key in change.keys]
    measures = measure(job, kept)
    number = int(row.head) + 1
    LayRevisionRow.create(
        lay=row.id,
        number=number,
        source=source,
        stands_for=stands_for,
        job_number=job_number,
        changes={
            "v": 1,
            "down": written(change.down),
            "up": [list(key) for key in change.up],
            "was": written(was),
            **({} if undoes is None else {"undoes": undoes}),
        },
        unplaced=[asdict(u) for u in kept.unplaced],
        measures=asdict(measures),
        placed=measures.placed,
        yield_of_used=measures.yield_of_used,
        worth=worth(job, measures),
        created_at=now(),
    )
    if number % SNAPSHOT_EVERY == 0 or len(change.keys) > SNAPSHOT_EVERY:
        LaySnapshotRow.create(lay=row.id, number=number, lies=written(after.values()))
    LayRow.update(head=number).where(LayRow.id == row.id).execute()
    row.head = number
    return State(number, job_number, after, kept.unplaced)


def touched_since(lay_id: int, base: int) -> set[Key]:
    """Return every piece that revisions after ``base`` put down, moved or took up."""
    out: set[Key] = set()
    rows = LayRevisionRow.select(LayRevisionRow.changes).where(
        LayRevisionRow.lay == lay_id, LayRevisionRow.number > base
    )
    for row in rows:
        out |= {key_of(read_written(values)) for values in row.changes["down"]}
        out |= {(piece, int(copy)) for piece, copy in row.changes["up"]}
    return out


def hides_under(lies: Iterable[Placement]) -> Sequence[str]:
    """Return the numbers of the hides that something lies on."""
    return sorted({p.hide for p in lies})
