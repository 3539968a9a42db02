"""Who helps: helpers of a search, and the workers that are there."""

from __future__ import annotations

from collections.abc import Sequence

from fairlay.store.database import connected
from fairlay.store.jobs import (
    HAND_OUT_AGAIN_S,
    LIVE,
    STALE_AFTER_S,
    Lost,
    check_owner,
    db_ago,
    db_now,
    read_running,
)
from fairlay.store.tables import HelpRow, JobRow, WorkerRow
from fairlay.store.work_asked import Kind, WorkJob


@connected
def check_owner_of_help(job_id: int, number: int, owner: str) -> None:
    """Hold a helper's row until the transaction ends. Raises Lost where it is not this worker's."""
    own = HelpRow.select().where(HelpRow.job == job_id, HelpRow.number == number, HelpRow.owner == owner)
    if own.for_update().get_or_none() is None:
        raise Lost(f"helper {number} of job {job_id} is not wanted any more", value=number)


@connected
def ask_for_help(job_id: int, owner: str, numbers: Sequence[int]) -> list[int]:
    """Ask for helpers of a search that are not asked for yet, or were lost; return the numbers to be handed
    out. Raises Lost.
    """
    check_owner(job_id, owner)
    known = {row.number: row for row in HelpRow.select().where(HelpRow.job == job_id)}
    stale = {
        row.number
        for row in HelpRow.select(HelpRow.number).where(
            HelpRow.job == job_id,
            ((HelpRow.owner != "") & (HelpRow.beat_at < db_ago(STALE_AFTER_S)))
            | ((HelpRow.owner == "") & (HelpRow.asked_at < db_ago(HAND_OUT_AGAIN_S))),
        )
    }
    wanted = [n for n in numbers if n not in known or n in stale]
    for number in wanted:
        HelpRow.delete().where(HelpRow.job == job_id, HelpRow.number == number).execute()
        HelpRow.create(job=job_id, number=number, owner="", asked_at=db_now())
    return wanted


@connected
def take_help(job_id: int, number: int, owner: str) -> WorkJob | None:
    """Become a helper of a search; None if it has ended or another helps already."""
    job = read_running(job_id)
    taken = (
        HelpRow.update(owner=owner, beat_at=db_now())
        .where(HelpRow.job == job_id, HelpRow.number == number, HelpRow.owner == "")
        .execute()
    )
    return job if taken else None


@connected
def beat_help(job_id: int, number: int, owner: str) -> bool:
    """Say that a helper is there; return whether the search still wants it."""
    own = (HelpRow.job == job_id) & (HelpRow.number == number) & (HelpRow.owner == owner)
    if not HelpRow.update(beat_at=db_now()).where(own).execute():
        return False
    row = JobRow.select(JobRow.state, JobRow.stop_asked).where(JobRow.id == job_id).get_or_none()
    return row is not None and row.state == "running" and not row.stop_asked


@connected
def leave_help(job_id: int, number: int, owner: str) -> None:
    """Stop helping: whoever is idle may take it up."""
    HelpRow.delete().where(HelpRow.job == job_id, HelpRow.number == number, HelpRow.owner == owner).execute()


@connected
def worker_is_there(token: str, kind: Kind, place: str) -> None:
    """Note that a worker's process is there; those not heard of for a minute are forgotten."""
    WorkerRow.insert(token=token, kind=kind, place=place[:128], beat_at=db_now()).on_conflict(
        update={WorkerRow.beat_at: db_now()}
    ).execute()
    WorkerRow.delete().where(WorkerRow.beat_at < db_ago(60.0)).execute()


@connected
def fair_share() -> int:
    """Return how many workers each lay or forecast that is wanted may have: those there, over those queued
    or running.
    """
    there = WorkerRow.select().where(WorkerRow.kind == "lay", WorkerRow.beat_at > db_ago(STALE_AFTER_S))
    wanted = JobRow.select().where(JobRow.kind.in_(("lay", "forecast")), JobRow.state.in_(LIVE))
    return max(1, int(there.count()) // max(1, int(wanted.count())))
