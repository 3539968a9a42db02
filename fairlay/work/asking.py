"""What if: a lay asked otherwise, question after question, each for the same seconds; a lay that somebody
waits for goes first.
"""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from dataclasses import replace
from typing import Any

from fairlay.core.engine import lay_job
from fairlay.core.errors import BadJob
from fairlay.core.lay import Job, Lay
from fairlay.core.lay.again import job_again
from fairlay.core.lay.what_if import Change, carried
from fairlay.store import jobs, lays, what_if
from fairlay.store.insisted import insisted_keys
from fairlay.store.jobs import Lost
from fairlay.store.lays import SavedLay
from fairlay.store.work_asked import WorkJob
from fairlay.work.beating import Beating, Pulse, carry_out, patiently

LOOK_FOR_LAYS_S = 0.4


def ask_one(job_id: int, hand_out_again: Callable[[int], None]) -> None:
    """Answer the questions of a job, as far as it gets; where a lay waits for a worker, it is put back in the
    queue with what it has.
    """

    def work(job: WorkJob, beating: Beating) -> tuple[str, int | None]:
        return _Asking(job, beating, hand_out_again).run()

    carry_out(job_id, work, "the engine broke; the answers found before were kept")


class _Asking:
    """One job's questions."""

    def __init__(self, job: WorkJob, beating: Beating, hand_out_again: Callable[[int], None]) -> None:
        self.job, self.beating, self.hand_out_again = job, beating, hand_out_again
        self.gives_way = threading.Event()

    def run(self) -> tuple[str, int | None]:
        job, work = self.job, self.job.what_if_work
        saved = patiently(lambda: lays.load(job.subject, work.base))
        excused = patiently(lambda: insisted_keys(job.subject))
        asked: list[tuple[Change, ...]] = [(), *work.asked]
        rows: list[Any] = patiently(lambda: jobs.kept_result(job.id)) or []
        with Pulse(self._look_for_lays, LOOK_FOR_LAYS_S):
            while len(rows) < len(asked):
                row = self._answer(saved, excused, asked[len(rows)])
                if self.beating.lost:
                    self.beating.check()
                if self.gives_way.is_set():
                    patiently(lambda: jobs.put_back(job.id, job.owner))
                    self.hand_out_again(job.id)
                    raise Lost(f"job {job.id} waits until a lay is laid", value=job.id)
                if self.beating.should_stop():
                    return "stopped", None
                rows.append(row)
                share = len(rows) / len(asked)
                patiently(lambda share=share: jobs.keep_result(job.id, job.owner, rows, share))  # type: ignore[misc]
        return "done", None

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
            should_stop=self._should_stop,
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

    def _should_stop(self) -> bool:
        return self.beating.should_stop() or self.gives_way.is_set()

    def _look_for_lays(self) -> None:
        if jobs.lay_waits():
            self.gives_way.set()
