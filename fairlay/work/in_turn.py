"""Long work of several answers, each kept as it comes; a lay that somebody waits for goes first."""

from __future__ import annotations

import threading
from collections.abc import Callable
from typing import Any

from fairlay.store import jobs
from fairlay.store.jobs import Lost
from fairlay.store.work_asked import WorkJob
from fairlay.work.beating import Beating, Pulse, patiently

LOOK_FOR_LAYS_S = 0.4


class InTurn:
    """The answers of one job; ``rows`` are those it has, of a worker before this one too."""

    def __init__(self, job: WorkJob, beating: Beating, hand_out_again: Callable[[int], None]) -> None:
        self.job, self.beating, self.hand_out_again = job, beating, hand_out_again
        self.gives_way = threading.Event()
        self.rows: list[Any] = patiently(lambda: jobs.kept_result(job.id)) or []

    def run(self, asked: int, answer: Callable[[int], Any]) -> tuple[str, int | None]:
        """Find the answers that are wanting, ``answer(number)`` each, until it is to stop; return the state
        that the job ends in. Raises Lost where it is put back in the queue.
        """
        job = self.job
        with Pulse(self._look_for_lays, LOOK_FOR_LAYS_S):
            while len(self.rows) < asked:
                row = answer(len(self.rows))
                if self.beating.lost:
                    self.beating.check()
                if self.gives_way.is_set():
                    patiently(lambda: jobs.put_back(job.id, job.owner))
                    self.hand_out_again(job.id)
                    raise Lost(f"job {job.id} waits until a lay is laid", value=job.id)
                if self.beating.should_stop():
                    return "stopped", None
                self.rows.append(row)
                share = len(self.rows) / asked
                patiently(lambda share=share: jobs.keep_result(job.id, job.owner, self.rows, share))  # type: ignore[misc]
        return "done", None

    def should_stop(self) -> bool:
        """Whether the answer at hand is to be left: nobody waits for it, or a lay is waited for."""
        return self.beating.should_stop() or self.gives_way.is_set()

    def _look_for_lays(self) -> None:
        if jobs.lay_waits():
            self.gives_way.set()
