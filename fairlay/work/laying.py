"""Laying as a job: the engine run on a saved lay, each better lay saved as it comes."""

from __future__ import annotations

import logging
import time
from collections.abc import Sequence
from dataclasses import asdict, replace

from fairlay.core.engine import Progress
from fairlay.core.errors import FairLayError
from fairlay.core.lay import Better
from fairlay.core.lay.again import job_again
from fairlay.store import batches, jobs, lays
from fairlay.store.jobs import WorkJob
from fairlay.work.together import lay_together, usual_processes

BEAT_S = 0.5
log = logging.getLogger("fairlay.work")


def lay_one(job_id: int) -> None:
    """Lay the lay of a job until its time is up or it is asked to stop; its best is kept whatever happens."""
    job = jobs.take_up(job_id)
    if job is None:
        return
    log.info(
        "job %d: laying lay %d for %.0f s%s",
        job.id,
        job.subject,
        job.seconds - job.spent_s,
        "" if job.attempts == 1 else f", taken up for the {job.attempts}. time",
    )
    search = _Search(job)
    try:
        state = search.run()
    except FairLayError as error:
        log.warning("job %d: %s", job.id, error)
        jobs.end(job.id, "failed", search.spent(), str(error))
    except Exception:
        log.exception("job %d broke", job.id)
        jobs.end(job.id, "failed", search.spent(), "the engine broke; the best lay found before was kept")
        raise
    else:
        jobs.end(job.id, state, search.spent())
        log.info("job %d: %s after %.1f s", job.id, state, search.spent())


class _Search:
    """One run of the engine at one job, minding the clock and the stop button."""

    def __init__(self, job: WorkJob) -> None:
        self.job = job
        self.began = time.monotonic()
        self.revision = job.revision
        self.stopped = False
        self.last_beat = 0.0
        self.saved = lays.load(job.subject)

    def spent(self) -> float:
        return self.job.spent_s + time.monotonic() - self.began

    def run(self) -> str:
        start = self.saved.lay if self.saved.lay.placements else None
        asked = self.job.asked
        job = job_again(self.saved.job, self.saved.lay, only=asked.hides, pinned=asked.pinned)
        best = lay_together(
            replace(job, seed=self.job.seed + self.job.attempts - 1),
            max(0.5, self.job.seconds - self.job.spent_s),
            max(1, usual_processes() + 1 - jobs.running()),
            on_better=self._better,
            should_stop=self._asked_to_stop,
            start=start,
        )
        if self.revision is not None:
            self.revision = lays.save_found(self.job.subject, best, self.revision)
            jobs.found_better(self.job.id, self.revision, self.spent(), self._history(best.history))
        if best.placements:
            batches.set_state(self.saved.batch_id, "laid")
        return "stopped" if self.stopped else "done"

    def _better(self, progress: Progress) -> None:
        self.revision = lays.save_found(self.job.subject, progress.lay, self.revision)
        jobs.found_better(self.job.id, self.revision, self.spent(), self._history(progress.lay.history))

    def _history(self, found: Sequence[Better]) -> list[dict[str, float]]:
        return [*self.job.history, *(asdict(b) for b in found)]

    def _asked_to_stop(self) -> bool:
        at = time.monotonic()
        if at - self.last_beat > BEAT_S:
            self.last_beat = at
            self.stopped = jobs.beat(self.job.id, self.spent())
        return self.stopped
