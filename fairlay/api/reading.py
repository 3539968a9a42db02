"""Files read as jobs: asked for, followed, and what they told fetched once it is there."""

from __future__ import annotations

from fairlay.api.jobs import job_out
from fairlay.api.models import JobOut
from fairlay.store import jobs
from fairlay.store.work_asked import ReadWork
from fairlay.work.queue import hand_out


def read_file(file_id: int, work: ReadWork) -> JobOut:
    """Have a file read for what is asked of it; follow the job."""
    job_id, fresh = jobs.add_read(file_id, work)
    if fresh:
        hand_out(job_id, "read")
    return job_out(jobs.job_by_id(job_id))
