"""What if: a lay asked otherwise, question after question, each for the same seconds; a lay that somebody
waits for goes first.
"""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import replace
from typing import Any

from fairlay.core.engine import lay_job
from fairlay.core.errors import BadJob
from fairlay.core.lay import Job, Lay
from fairlay.core.lay.again import job_again
from fairlay.core.lay.what_if import Change, carried
from fairlay.store import lays, what_if
from fairlay.store.insisted import insisted_keys
from fairlay.store.lays import SavedLay
from fairlay.store.work_asked import WorkJob
from fairlay.work.beating import Beating, carry_out, patiently
from fairlay.work.in_turn import InTurn


def ask_one(job_id: int, hand_out_again: Callable[[int], None]) -> None:
    """Answer the questions of a job, as far as it gets; where a lay waits for a worker, it is put back in the
    queue with what it has.
    """

    def work(job: WorkJob, beating: Beating) -> tuple[str, int | None]:
        return _Asking(InTurn(job, beating, hand_out_again)).run()

    carry_out(job_id, work, "the engine broke; the answers found before were kept")


class _Asking:
    """One job's questions."""

    def __init__(self, turns: InTurn) -> None:
        self.turns, self.job = turns, turns.job

    def run(self) -> tuple[str, int | None]:
        job, work = self.job, self.job.what_if_work
        saved = patiently(lambda: lays.load(job.subject, work.base))
        excused = patiently(lambda: insisted_keys(job.subject))
        asked: list[tuple[Change, ...]] = [(), *work.asked]
        return self.turns.run(len(asked), lambda n: self._answer(saved, excused, asked[n]))

    def _answer(
        self, saved: SavedLay, excused: frozenset[tuple[str, int]], changes: tuple[Change, ...]
    ) -> Any:
        try:
            job, start = self._asked(saved, excused, changes)
        except BadJob as error:
            return what_if.answer(changes, saved.job, Lay((), ())) | {"refused": str(error)}
        best = lay_job(
            job,
            time.monotonic,
            seconds=self.job.seconds,
            should_stop=self.turns.should_stop,
            start=start if start.placements else None,
            reasons=False,
        )
        return what_if.answer(changes, job, best)

    def _asked(
        self, saved: SavedLay, excused: frozenset[tuple[str, int]], changes: tuple[Change, ...]
    ) -> tuple[Job, Lay]:
        """The job as it is asked, around what is pinned, and what lies of the lay under it."""
        job = replace(patiently(lambda: what_if.job_asked(saved, changes))[0], excused=excused)
        start = carried(job, saved.lay)
        there = {(p.piece, p.copy) for p in start.placements}
        return job_again(job, start, pinned=[key for key in saved.pins if key in there]), start
