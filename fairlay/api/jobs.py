"""Long work as the screen follows it: where it is, its stop button, and a stream of what changed."""

from __future__ import annotations

import asyncio
from collections.abc import AsyncIterator

from fastapi import APIRouter, Request
from sse_starlette import EventSourceResponse, ServerSentEvent
from starlette.concurrency import run_in_threadpool

from fairlay.api.models import JobOut
from fairlay.store import jobs
from fairlay.store.jobs import LIVE
from fairlay.store.work_asked import WorkJob

router = APIRouter(prefix="/api/jobs", tags=["jobs"])
LOOK_EVERY_S = 0.35


def job_out(job: WorkJob) -> JobOut:
    """Return a job as the screen sees it."""
    return JobOut(
        id=job.id,
        kind=job.kind,
        subject=job.subject,
        state=job.state,
        seconds=job.seconds,
        spent_s=job.spent_s,
        share=job.share,
        version=job.version,
        revision=job.revision,
        history=job.history,
        said=job.said,
        error=job.error,
    )


@router.get("/{job_id}")
def one_job(job_id: int) -> JobOut:
    """A job as it stands."""
    return job_out(jobs.job_by_id(job_id))


@router.post("/{job_id}/stop")
def stop(job_id: int) -> JobOut:
    """Stop a job and keep its best."""
    return job_out(jobs.ask_to_stop(job_id))


@router.get("/{job_id}/events")
async def events(job_id: int, request: Request) -> EventSourceResponse:
    """Server-sent events: the job each time it changed, until it ends."""
    await run_in_threadpool(jobs.job_by_id, job_id)

    async def changes() -> AsyncIterator[ServerSentEvent]:
        seen = -1
        while not await request.is_disconnected():
            job = await run_in_threadpool(jobs.job_by_id, job_id)
            if job.version != seen:
                seen = job.version
                yield ServerSentEvent(job_out(job).model_dump_json(), event="job", id=str(seen))
            if job.state not in LIVE:
                return
            await asyncio.sleep(LOOK_EVERY_S)

    return EventSourceResponse(changes(), ping=15)
