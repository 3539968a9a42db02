"""Long work in the store: what is queued, how far it is, and who is at it."""

from __future__ import annotations

import datetime
from dataclasses import asdict, dataclass
from typing import Any, Literal

from fairlay.core.errors import NotFound, Refused
from fairlay.store.clock import now
from fairlay.store.database import connected
from fairlay.store.tables import HideRow, JobRow

Kind = Literal["lay", "look"]
LIVE = ("queued", "running")
STALE_AFTER = datetime.timedelta(seconds=8)
"""A running job whose worker has not been heard of for so long was killed, and is taken up again."""
MOST_ATTEMPTS = 4


@dataclass(frozen=True)
class Asked:
    """What is laid again: these hides (none: all), around these pinned pieces (piece, copy).

    What is looked at: these files, and what the printed bar measures.
    """

    hides: tuple[str, ...] = ()
    pinned: tuple[tuple[str, int], ...] = ()
    files: tuple[int, ...] = ()
    bar_mm: float = 100.0


@dataclass(frozen=True)
class WorkJob:
    """One job of the queue, at a lay or at the pictures of a hide: ``subject`` is that one's id."""

    id: int
    kind: Kind
    subject: int
    state: str
    seconds: float
    seed: int
    stop_asked: bool
    version: int
    attempts: int
    revision: int | None
    spent_s: float
    history: list[dict[str, Any]]
    said: list[str]
    error: str
    asked: Asked


NOTHING = Asked()


def _asked(values: dict[str, Any]) -> Asked:
    return Asked(
        tuple(values.get("hides", ())),
        tuple((piece, copy) for piece, copy in values.get("pinned", ())),
        tuple(values.get("files", ())),
        float(values.get("bar_mm", 100.0)),
    )


def _from(row: JobRow) -> WorkJob:
    return WorkJob(
        row.id,
        "look" if row.kind == "look" else "lay",
        row.hide_id if row.kind == "look" else row.lay_id,
        row.state,
        row.seconds,
        row.seed,
        bool(row.stop_asked),
        row.version,
        row.attempts,
        row.revision,
        row.spent_s,
        row.history,
        row.said or [],
        row.error,
        _asked(row.asked),
    )


@connected
def add_job(lay_id: int, seconds: float, seed: int, asked: Asked = NOTHING) -> int:
    """Queue the laying of a lay; return the job's id. Raises Refused while it is being laid already."""
    if JobRow.select().where(JobRow.lay == lay_id, JobRow.state.in_(LIVE)).exists():
        raise Refused(
            f"lay {lay_id} is being laid already", value=lay_id, expected="to stop that first, or wait for it"
        )
    return int(
        JobRow.create(
            kind="lay",
            lay=lay_id,
            state="queued",
            seconds=seconds,
            seed=seed,
            asked=asdict(asked),
            created_at=now(),
        ).id
    )


@connected
def add_look(hide_id: int, files: tuple[int, ...], bar_mm: float) -> int:
    """Queue the reading of a hide's pictures; return the job's id.

    Raises NotFound, and Refused while others of it are being read.
    """
    row = HideRow.select(HideRow.number).where(HideRow.id == hide_id).for_update().get_or_none()
    if row is None:
        raise NotFound(f"there is no hide {hide_id} on the rack", value=hide_id)
    if JobRow.select().where(JobRow.hide == hide_id, JobRow.state.in_(LIVE)).exists():
        raise Refused(
            f"pictures of {row.number} are being read already",
            value=row.number,
            expected="to stop that first, or wait for it",
        )
    asked = asdict(Asked(files=files, bar_mm=bar_mm))
    return int(
        JobRow.create(
            kind="look", hide=hide_id, state="queued", seconds=0.0, asked=asked, created_at=now()
        ).id
    )


@connected
def job_by_id(job_id: int) -> WorkJob:
    """Return one job. Raises NotFound."""
    row = JobRow.get_or_none(JobRow.id == job_id)
    if row is None:
        raise NotFound(f"there is no job {job_id}", value=job_id)
    return _from(row)


@connected
def newest_of_lay(lay_id: int) -> WorkJob | None:
    """Return the newest job of a lay; None if it was never laid."""
    row = JobRow.select().where(JobRow.lay == lay_id).order_by(JobRow.id.desc()).first()
    return _from(row) if row else None


@connected
def newest_of_hide(hide_id: int) -> WorkJob | None:
    """Return the newest job at a hide's pictures; None if none was ever read."""
    row = JobRow.select().where(JobRow.hide == hide_id).order_by(JobRow.id.desc()).first()
    return _from(row) if row else None


@connected
def take_up(job_id: int) -> WorkJob | None:
    """Claim a queued job for this worker; None if another has it or it has ended."""
    claimed = (
        JobRow.update(
            state="running",
            beat_at=now(),
            attempts=JobRow.attempts + 1,
            said=None,
            version=JobRow.version + 1,
        )
        .where(JobRow.id == job_id, JobRow.state == "queued")
        .execute()
    )
    return job_by_id(job_id) if claimed else None


@connected
def beat(job_id: int, spent_s: float) -> bool:
    """Say that the worker is alive; return whether it was asked to stop."""
    JobRow.update(beat_at=now(), spent_s=spent_s, version=JobRow.version + 1).where(
        JobRow.id == job_id
    ).execute()
    row = JobRow.get_or_none(JobRow.id == job_id)
    return row is None or bool(row.stop_asked) or row.state != "running"


@connected
def say(job_id: int, words: list[str]) -> None:
    """Note what a job found so far, in words."""
    JobRow.update(said=words, version=JobRow.version + 1).where(JobRow.id == job_id).execute()


@connected
def found_better(job_id: int, revision: int, spent_s: float, history: list[dict[str, Any]]) -> None:
    """Note that a better lay was saved."""
    JobRow.update(
        revision=revision, spent_s=spent_s, history=history, beat_at=now(), version=JobRow.version + 1
    ).where(JobRow.id == job_id).execute()


@connected
def end(job_id: int, state: str, spent_s: float, error: str = "") -> None:
    """Close a job as done, stopped or failed."""
    JobRow.update(
        state=state, spent_s=spent_s, error=error, ended_at=now(), version=JobRow.version + 1
    ).where(JobRow.id == job_id).execute()


@connected
def ask_to_stop(job_id: int) -> WorkJob:
    """Ask a job to stop and keep its best; one still queued ends at once."""
    JobRow.update(state="stopped", ended_at=now(), version=JobRow.version + 1).where(
        JobRow.id == job_id, JobRow.state == "queued"
    ).execute()
    JobRow.update(stop_asked=True, version=JobRow.version + 1).where(
        JobRow.id == job_id, JobRow.state == "running"
    ).execute()
    return job_by_id(job_id)


@connected
def orphans() -> list[int]:
    """Put back in the queue every running job whose worker is gone; return their ids.

    One tried too often is failed.
    """
    gone = (JobRow.state == "running") & (JobRow.beat_at < now() - STALE_AFTER)
    JobRow.update(
        state="failed",
        error="its worker was lost again and again",
        ended_at=now(),
        version=JobRow.version + 1,
    ).where(gone, JobRow.attempts >= MOST_ATTEMPTS).execute()
    ids = [row.id for row in JobRow.select(JobRow.id).where(gone)]
    if ids:
        JobRow.update(state="queued", version=JobRow.version + 1).where(
            JobRow.id.in_(ids), JobRow.state == "running"
        ).execute()
    return ids


@connected
def running() -> int:
    """Return how many lays are being laid."""
    return int(JobRow.select().where(JobRow.state == "running", JobRow.kind == "lay").count())


@connected
def waiting() -> list[int]:
    """Return the ids of queued jobs, oldest first."""
    return [row.id for row in JobRow.select(JobRow.id).where(JobRow.state == "queued").order_by(JobRow.id)]
