"""Long work in the store: what is queued, how far it is, and who is at it.

A job belongs to the worker that took it up, by a token: one that comes back late finds that it is
another's, and writes nothing. Whether a worker is still there is judged by the database's clock alone.
"""

from __future__ import annotations

import json
import os
import zlib
from collections.abc import Callable, Sequence
from dataclasses import asdict, dataclass
from typing import Any, Final, TypeVar, cast

import peewee

from fairlay.core.errors import FairLayError, NotFound, Refused
from fairlay.store.clock import now
from fairlay.store.database import connected
from fairlay.store.locks import locked_hide, locked_job, locked_lay
from fairlay.store.tables import HelpRow, JobRow, UploadRow
from fairlay.store.work_asked import (
    FORECAST,
    ForecastWork,
    Kind,
    LayWork,
    LookWork,
    ProveWork,
    ReadWork,
    WhatIfWork,
    WorkJob,
    work_of,
)

T = TypeVar("T")

LIVE: Final = ("queued", "running")
STALE_AFTER_S = float(os.environ.get("FAIRLAY_SILENT_S", "8"))
"""A running job whose worker has not been heard of for so long was killed, and is taken up again."""
HAND_OUT_AFTER_S = 3.0
"""A job that was stored but not handed out within this was lost on the way, and is handed out."""
HAND_OUT_AGAIN_S = 60.0
"""A job that was handed out and nobody took: where a queue lost it, it is handed out once more."""
MOST_ATTEMPTS = 4


class Lost(FairLayError, RuntimeError):
    """The job is another worker's now, or nobody's: whoever learns this writes nothing more."""


@dataclass(frozen=True)
class Beat:
    """What a worker hears when it says that it is there."""

    stop: bool


def db_now() -> Any:
    """The database's own clock, in UTC, as an expression."""
    return peewee.fn.UTC_TIMESTAMP(3)


def db_ago(seconds: float) -> Any:
    """So long ago by the database's clock, as an expression."""
    return peewee.fn.TIMESTAMPADD(peewee.SQL("MICROSECOND"), -int(seconds * 1e6), db_now())


def _from(row: JobRow) -> WorkJob:
    kind = cast(Kind, row.kind)
    subject = {"look": row.hide_id, "read": row.upload_id or 0, "forecast": 0}.get(kind, row.lay_id)
    return WorkJob(
        row.id,
        kind,
        subject,
        row.state,
        row.owner,
        row.seconds,
        row.seed,
        bool(row.stop_asked),
        row.version,
        row.attempts,
        row.revision,
        row.spent_s,
        row.share,
        row.history,
        row.said or [],
        row.error,
        work_of(kind, row.asked),
        row.by_id,
    )


SHOWN = [f for f in JobRow._meta.sorted_fields if f.name != "result"]


def _jobs() -> Any:
    return JobRow.select(*SHOWN)


@connected
def add_job(lay_id: int, seconds: float, seed: int, work: LayWork) -> int:
    """Queue the laying of a lay; return the job's id. Raises NotFound, and Refused while it is being laid."""
    locked_lay(lay_id)
    _one_at_a_time(lay_id, "lay", f"lay {lay_id} is being laid already")
    return _queued("lay", lay_id, seconds, seed, asdict(work))


@connected
def add_what_if(lay_id: int, seconds: float, work: WhatIfWork) -> int:
    """Queue the asking of a lay otherwise, ``seconds`` for each question; return the job's id. Raises
    NotFound, and Refused while another is tried.
    """
    locked_lay(lay_id)
    _one_at_a_time(lay_id, "what if", "something else is tried with this lay already")
    return _queued("what if", lay_id, seconds, 1, asdict(work))


@connected
def add_proof(lay_id: int, work: ProveWork) -> int:
    """Queue the proving of how much of what a lay leaves out has room; return the job's id. Raises NotFound,
    and Refused while that is being proved.
    """
    locked_lay(lay_id)
    _one_at_a_time(lay_id, "prove", "that is being proved already")
    return _queued("prove", lay_id, 0.0, 1, asdict(work))


def _one_at_a_time(lay_id: int, kind: Kind, words: str) -> None:
    if JobRow.select().where(JobRow.lay == lay_id, JobRow.kind == kind, JobRow.state.in_(LIVE)).exists():
        raise Refused(words, value=lay_id, expected="to stop that first, or wait for it")


def _queued(kind: Kind, lay_id: int, seconds: float, seed: int, asked: dict[str, Any]) -> int:
    made = JobRow.create(
        kind=kind, lay=lay_id, state="queued", seconds=seconds, seed=seed, asked=asked, created_at=now()
    )
    return int(made.id)


@connected
def add_forecast(work: ForecastWork, seconds: float) -> int:
    """Queue a forecast; return the job's id."""
    made = JobRow.create(
        kind="forecast",
        state="queued",
        seconds=seconds,
        seed=1,
        asked=FORECAST.dump_python(work, mode="json"),
        created_at=now(),
    )
    return int(made.id)


@connected
def add_look(
    hide_id: int, files: tuple[int, ...], bar_mm: float, presses: tuple[dict[str, Any], ...] = ()
) -> int:
    """Queue the reading of a hide's pictures; return the job's id.

    Raises NotFound, and Refused while others of it are being read.
    """
    row = locked_hide(hide_id)
    if JobRow.select().where(JobRow.hide == hide_id, JobRow.state.in_(LIVE)).exists():
        raise Refused(
            f"pictures of {row.number} are being read already",
            value=row.number,
            expected="to stop that first, or wait for it",
        )
    asked = asdict(LookWork(files, bar_mm, presses))
    made = JobRow.create(
        kind="look", hide=hide_id, state="queued", seconds=0.0, asked=asked, created_at=now()
    )
    return int(made.id)


@connected
def add_read(upload_id: int, work: ReadWork) -> tuple[int, bool]:
    """Queue the reading of a file; return the job's id, and whether it is to be handed out.

    A file is read once for what is asked of it: where that was read, or is being read, its job is returned.
    Raises NotFound.
    """
    if not UploadRow.select().where(UploadRow.id == upload_id).for_update().exists():
        raise NotFound(f"there is no file {upload_id}", value=upload_id)
    asked = {"what": work.what, "said": dict(work.said)}
    known = _jobs().where(JobRow.upload == upload_id, JobRow.state.in_((*LIVE, "done")))
    for row in known.order_by(JobRow.id.desc()):
        if row.asked == asked:
            return int(row.id), False
    made = JobRow.create(
        kind="read", upload=upload_id, state="queued", seconds=0.0, asked=asked, created_at=now()
    )
    return int(made.id), True


@connected
def job_by_id(job_id: int) -> WorkJob:
    """Return one job. Raises NotFound."""
    row = _jobs().where(JobRow.id == job_id).get_or_none()
    if row is None:
        raise NotFound(f"there is no job {job_id}", value=job_id)
    return _from(row)


@connected
def newest_of_lay(lay_id: int) -> WorkJob | None:
    """Return the newest job of a lay; None if it was never laid."""
    return _newest(lay_id, "lay")


@connected
def newest_proof(lay_id: int) -> WorkJob | None:
    """Return the newest job that proved something of a lay; None if none did."""
    return _newest(lay_id, "prove")


def _newest(lay_id: int, kind: Kind) -> WorkJob | None:
    row = _jobs().where(JobRow.lay == lay_id, JobRow.kind == kind).order_by(JobRow.id.desc()).first()
    return _from(row) if row else None


@connected
def what_ifs_of_lay(lay_id: int, most: int = 6) -> list[WorkJob]:
    """Return the newest jobs that asked a lay otherwise, the newest first."""
    rows = _jobs().where(JobRow.lay == lay_id, JobRow.kind == "what if").order_by(JobRow.id.desc())
    return [_from(row) for row in rows.limit(most)]


@connected
def newest_of_hide(hide_id: int) -> WorkJob | None:
    """Return the newest job at a hide's pictures; None if none was ever read."""
    row = _jobs().where(JobRow.hide == hide_id).order_by(JobRow.id.desc()).first()
    return _from(row) if row else None


@connected
def handed_out(job_id: int) -> None:
    """Note that a job was put before the workers."""
    JobRow.update(handed_at=db_now()).where(JobRow.id == job_id).execute()


@connected
def take_up(job_id: int, owner: str) -> WorkJob | None:
    """Claim a queued job for a worker; None if another has it or it has ended."""
    claimed = (
        JobRow.update(
            state="running",
            owner=owner,
            beat_at=db_now(),
            attempts=JobRow.attempts + 1,
            said=None,
            version=JobRow.version + 1,
        )
        .where(JobRow.id == job_id, JobRow.state == "queued")
        .execute()
    )
    return job_by_id(job_id) if claimed else None


def _update(job_id: int, owner: str, **values: Any) -> None:
    changed = (
        JobRow.update(version=JobRow.version + 1, **values)
        .where(JobRow.id == job_id, JobRow.owner == owner, JobRow.state == "running")
        .execute()
    )
    if not changed:
        raise Lost(f"job {job_id} is no longer this worker's", value=job_id)


@connected
def check_owner(job_id: int, owner: str) -> None:
    """Hold a job until the transaction ends. Raises Lost where it is not this worker's to write for."""
    row = locked_job(job_id)
    if row.owner != owner or row.state != "running":
        raise Lost(f"job {job_id} is no longer this worker's", value=job_id)


@connected
def as_owner(job_id: int, owner: str, act: Callable[[], T]) -> T:
    """Write what came of a job: all that ``act`` writes, in one transaction with the check that the job is
    still this worker's. Raises Lost where it is not; nothing is written then.
    """
    made = act()
    check_owner(job_id, owner)
    return made


@connected
def beat(job_id: int, owner: str, spent_s: float) -> Beat:
    """Say that the worker is there, and hear whether it was asked to stop. Raises Lost."""
    _update(job_id, owner, beat_at=db_now(), spent_s=spent_s)
    row = JobRow.select(JobRow.stop_asked).where(JobRow.id == job_id).get()
    return Beat(bool(row.stop_asked))


@connected
def say(job_id: int, owner: str, words: Sequence[str], share: float = 0.0) -> None:
    """Note what a job found so far, in words, and how much of it is done. Raises Lost."""
    _update(job_id, owner, said=list(words), share=share)


@connected
def found_better(job_id: int, owner: str, spent_s: float, history: list[dict[str, Any]]) -> None:
    """Note that a better lay was found. Raises Lost."""
    _update(job_id, owner, spent_s=spent_s, history=history, beat_at=db_now())


@connected
def keep_result(job_id: int, owner: str, result: Any, share: float = 1.0) -> None:
    """Keep what came of a job so far, as JSON, and how much of it is done. Raises Lost."""
    packed = zlib.compress(json.dumps(result, separators=(",", ":"), allow_nan=False).encode())
    _update(job_id, owner, result=packed, share=share)


@connected
def kept_result(job_id: int) -> Any:
    """Return what came of a job so far; None where nothing did. Raises NotFound."""
    row = JobRow.select(JobRow.result).where(JobRow.id == job_id).get_or_none()
    if row is None:
        raise NotFound(f"there is no job {job_id}", value=job_id)
    return None if row.result is None else json.loads(zlib.decompress(bytes(row.result)))


@connected
def put_back(job_id: int, owner: str) -> None:
    """Put a job back in the queue, for others to go first: what came of it so far is kept. Raises Lost."""
    _update(job_id, owner, state="queued", handed_at=db_now(), attempts=JobRow.attempts - 1)
    JobRow.update(owner="").where(JobRow.id == job_id, JobRow.owner == owner).execute()


@connected
def lay_waits() -> bool:
    """Whether a lay is queued that nobody works at."""
    return bool(JobRow.select().where(JobRow.state == "queued", JobRow.kind == "lay").exists())


def read_running(job_id: int) -> WorkJob | None:
    """Return a job that is being worked at; None where it is not."""
    row = _jobs().where(JobRow.id == job_id, JobRow.state == "running").get_or_none()
    return None if row is None else _from(row)


@connected
def result_of(job_id: int) -> Any:
    """Return what a job at a file gave. Raises NotFound, and Refused where it is not done."""
    row = JobRow.get_or_none(JobRow.id == job_id, JobRow.kind == "read")
    if row is None:
        raise NotFound(f"there is no job {job_id} at a file", value=job_id)
    if row.state == "failed":
        raise Refused(row.error, value=job_id)
    if row.state != "done" or row.result is None:
        raise Refused("the file is not read yet", value=row.state, expected="to wait for its job")
    return json.loads(zlib.decompress(bytes(row.result)))


@connected
def end(
    job_id: int, owner: str, state: str, spent_s: float, error: str = "", revision: int | None = None
) -> None:
    """Close a job as done, stopped or failed; ``revision`` is what of it is in the lay. Raises Lost."""
    _update(job_id, owner, state=state, spent_s=spent_s, error=error, revision=revision, ended_at=db_now())
    HelpRow.delete().where(HelpRow.job == job_id).execute()


@connected
def ask_to_stop(job_id: int) -> WorkJob:
    """Ask a job to stop and keep its best; one still queued ends at once."""
    JobRow.update(state="stopped", ended_at=db_now(), version=JobRow.version + 1).where(
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
    gone = (JobRow.state == "running") & (JobRow.beat_at < db_ago(STALE_AFTER_S))
    back = []
    for row in list(JobRow.select(JobRow.id, JobRow.owner, JobRow.attempts).where(gone)):
        # Told by the owner it had: another may have found it lost, and a third have taken it up, meanwhile.
        own = gone & (JobRow.id == row.id) & (JobRow.owner == row.owner)
        if row.attempts >= MOST_ATTEMPTS:
            words = "its worker was lost again and again"
            JobRow.update(
                state="failed", owner="", error=words, ended_at=db_now(), version=JobRow.version + 1
            ).where(own).execute()
        elif (
            JobRow.update(state="queued", owner="", handed_at=db_now(), version=JobRow.version + 1)
            .where(own)
            .execute()
        ):
            back.append(int(row.id))
    return back


@connected
def never_handed_out() -> list[int]:
    """Return queued jobs that no worker was ever given, or that were lost after, to be handed out now."""
    lost = (JobRow.handed_at.is_null() & (JobRow.created_at < db_ago(HAND_OUT_AFTER_S))) | (
        JobRow.handed_at < db_ago(HAND_OUT_AGAIN_S)
    )
    queued = list(JobRow.select(JobRow.id).where(JobRow.state == "queued", lost).order_by(JobRow.id))
    return [
        int(row.id)
        for row in queued
        if JobRow.update(handed_at=db_now()).where(JobRow.id == row.id, lost).execute()
    ]


@connected
def running() -> int:
    """Return how many lays are being laid."""
    return int(JobRow.select().where(JobRow.state == "running", JobRow.kind == "lay").count())


@connected
def waiting() -> list[int]:
    """Return the ids of queued jobs, oldest first."""
    return [row.id for row in JobRow.select(JobRow.id).where(JobRow.state == "queued").order_by(JobRow.id)]
