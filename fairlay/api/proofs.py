"""How many of what a lay leaves out have room on its hides at all."""

from __future__ import annotations

from fastapi import APIRouter

from fairlay.api.jobs import job_out
from fairlay.api.laid import names_of, words_for
from fairlay.api.models import JobOut, ProofsOut, ProvedOut
from fairlay.core.bounds.at_most import in_words
from fairlay.store import jobs, lays, proofs, what_if
from fairlay.work.queue import hand_out

router = APIRouter(prefix="/api/lays/{lay_id}/proofs", tags=["lays"])


@router.post("", status_code=202)
def prove(lay_id: int) -> JobOut:
    """Prove in the background how many of what a lay leaves out have room on its hides, whatever else lies
    there.
    """
    job_id = proofs.prove(lay_id)
    hand_out(job_id, "prove")
    return job_out(jobs.job_by_id(job_id))


@router.get("")
def proofs_of_lay(lay_id: int) -> ProofsOut:
    """What is proved so far of a lay as it stands."""
    saved = lays.load(lay_id)
    now = proofs.proofs_of(saved)
    lines = what_if.batch_asked(saved).lines
    names = words_for(names_of(saved.job, lines), lines)
    return ProofsOut(
        ask=now.asked,
        job=None if now.job is None else job_out(now.job),
        proofs=0 if now.job is None else len(now.job.prove_work.steps),
        proved=now.proved,
        found=[
            ProvedOut(
                of=f.of,
                name=names.get(f.name, f.name),
                wanted=f.wanted,
                laid=f.laid,
                most=f.most,
                words=in_words(f, names.get(f.name, f.name)),
            )
            for f in now.found
        ],
        old=now.old,
    )
