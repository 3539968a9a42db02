"""What if: a lay asked otherwise, the answers side by side, and taking one."""

from __future__ import annotations

from fastapi import APIRouter

from fairlay.api.jobs import job_out
from fairlay.api.laid import lay_out, names_of, words_for
from fairlay.api.models import (
    AnswerOut,
    AskedIn,
    AskedOut,
    AskNow,
    AskWhatIf,
    FromRevision,
    JobOut,
    LayOut,
    Questions,
    Revised,
    Taken,
    WhatIfOut,
)
from fairlay.core.errors import Refused
from fairlay.core.lay.lane import straps_in
from fairlay.core.lay.what_if import Change, eased, in_words
from fairlay.store import jobs, lays, what_if
from fairlay.store.lays import SavedLay
from fairlay.store.work_asked import WhatIfWork
from fairlay.work.queue import hand_out

router = APIRouter(prefix="/api/lays/{lay_id}", tags=["what if"])


@router.get("/questions")
def questions(lay_id: int) -> Questions:
    """What may be asked of a lay otherwise."""
    saved = lays.load(lay_id)
    rules, other = what_if.questions(lay_id)
    names = _names(saved)
    return Questions(
        eased=[_change(c, names) for c in rules],
        other=[_change(c, names) for c in other],
        straps=bool(straps_in(saved.job.pieces)),
    )


@router.post("/what-ifs", status_code=202)
def ask_what_if(lay_id: int, asked: AskWhatIf) -> JobOut:
    """Try questions with a lay as it stands, in the background: the lay itself stays as it is."""
    saved = lays.load(lay_id)
    if asked.every_rule:
        tried: list[tuple[Change, ...]] = [(c,) for c in eased(saved.job)[: what_if.MOST_ASKED]]
    else:
        tried = [tuple(map(change_of, own)) for own in asked.asked]
    if not tried:
        raise Refused("nothing is asked otherwise", value=0, expected="a question, or a rule to be eased")
    for own in tried:
        what_if.job_asked(saved, own)
    job_id = jobs.add_what_if(lay_id, asked.seconds, WhatIfWork(tuple(tried), saved.head))
    hand_out(job_id, "what if")
    return job_out(jobs.job_by_id(job_id))


@router.get("/what-ifs")
def what_ifs(lay_id: int) -> list[WhatIfOut]:
    """What was tried with a lay, the newest first, with the answers so far."""
    names = _names(lays.load(lay_id))
    return [
        WhatIfOut(
            job=job_out(job),
            base=job.what_if_work.base,
            asked=len(job.what_if_work.asked),
            answers=[
                AnswerOut(
                    changes=[_change(c, names) for c in a.changes],
                    placed=a.placed,
                    wanted=a.wanted,
                    used_m2=a.used_m2,
                    cost=a.cost,
                    yield_of_used=a.yield_of_used,
                    reckoned=a.reckoned,
                    refused=a.refused,
                )
                for a in what_if.answers(job.id)
            ],
        )
        for job in jobs.what_ifs_of_lay(lay_id)
    ]


@router.get("/what-ifs/{job_id}/{number}")
def one_answer(lay_id: int, job_id: int, number: int) -> LayOut:
    """A lay as an answer has it."""
    return lay_out(what_if.answered(lay_id, job_id, number)[0])


@router.post("/what-ifs/{job_id}/{number}", status_code=201)
def take_answer(lay_id: int, job_id: int, number: int, asked: FromRevision) -> Revised:
    """Have the lay be what an answer has, and be asked as it was from now on."""
    return Revised(head=what_if.take(lay_id, job_id, number, base=asked.base))


@router.post("/asked", status_code=201)
def ask_now(lay_id: int, asked: AskNow) -> Taken:
    """Ask a lay otherwise from now on; what cannot lie so is taken up."""
    head, taken_up = what_if.ask_now(lay_id, [change_of(c) for c in asked.changes], base=asked.base)
    return Taken(head=head, taken_up=taken_up)


def change_of(asked: AskedIn) -> Change:
    """Return a change as it was sent."""
    return Change(asked.kind, asked.of, asked.to, asked.way)


def _names(saved: SavedLay) -> dict[str, str]:
    lines = what_if.batch_asked(saved).lines
    return words_for(names_of(saved.job, lines), lines)


def _change(change: Change, names: dict[str, str]) -> AskedOut:
    return AskedOut(
        kind=change.kind, of=change.of, to=change.to, way=change.way, words=in_words(change, names)
    )
