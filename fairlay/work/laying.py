"""Laying as a job: the engine run on a saved lay. What it finds is kept beside the lay as it is found, and
taken in when the search ends; helpers on other workers search from seeds of their own.
"""

from __future__ import annotations

import os
import time
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import asdict, replace
from pathlib import Path

from fairlay.core.engine import Progress, lay_job
from fairlay.core.engine.kept_ground import kept_grounds
from fairlay.core.lay import Better, Job, Lay
from fairlay.core.lay.again import job_again
from fairlay.store import candidates, helpers, jobs, lays
from fairlay.store.cut_state import cut_keys
from fairlay.store.insisted import insisted_keys
from fairlay.store.jobs import Lost
from fairlay.store.lays import SavedLay
from fairlay.store.work_asked import WorkJob
from fairlay.work.beating import BEAT_S, Beating, Pulse, carry_out, log, new_token, patiently
from fairlay.work.ground_files import GroundFiles, WrittenLater

MOST_HELPERS = 3
"""More searches of one lay than this mostly find what the others found."""
ASK_FOR_HELP_S = 1.5
LOOK_ELSEWHERE_S = 0.6
LEAST_SECONDS_FOR_HELP = 4.0
SEEDS_APART = 7919
"""Added to the job's seed for each helper."""

GROUNDS_VARIABLE = "FAIRLAY_GROUNDS"
"""The folder of compiled grounds, which all workers of a machine share; where it is not set, none are kept in
files.
"""

HandOutHelp = Callable[[int, int], None]


def lay_one(job_id: int, hand_out_help: HandOutHelp = lambda _job, _number: None) -> None:
    """Lay the lay of a job until its time is up or it is asked to stop; its best is kept whatever happens."""

    def work(job: WorkJob, beating: Beating) -> tuple[str, int | None]:
        with _grounds_in_files():
            return _Search(job, beating, hand_out_help).run()

    carry_out(job_id, work, "the engine broke; the best lay found before was kept")


def help_lay(job_id: int, number: int) -> None:
    """Help with a search until it ends, or a lay that nobody works at wants this worker."""
    token = new_token()
    job = patiently(lambda: helpers.take_help(job_id, number, token))
    if job is None:
        return
    log.info("job %d: helper %d begins", job_id, number)
    with _grounds_in_files():
        _Help(job, number, token).run()


@contextmanager
def _grounds_in_files() -> Iterator[None]:
    folder = os.environ.get(GROUNDS_VARIABLE)
    if not folder:
        yield
        return
    with WrittenLater(GroundFiles(Path(folder))) as files, kept_grounds.in_files(files):
        yield


class _Elsewhere:
    """What other searches of the same job found that is worth more than anything known here."""

    def __init__(self, job_id: int, own: int) -> None:
        self.job_id, self.own = job_id, own
        self.worth = -1.0
        self.last = time.monotonic()

    def __call__(self) -> Sequence[Lay]:
        at = time.monotonic()
        if at - self.last < LOOK_ELSEWHERE_S:
            return ()
        self.last = at
        found = patiently(lambda: candidates.best_of(self.job_id, but=self.own, over=self.worth))
        if found is None:
            return ()
        self.worth = found.worth
        return (found.lay,)


def _asked(job: WorkJob) -> tuple[SavedLay, Job]:
    """The lay as it was when the work was asked for, and what the engine is asked."""
    work = job.lay_work
    saved = patiently(lambda: lays.load(job.subject, work.base or None))
    pinned: tuple[tuple[str, int], ...] = (
        tuple((p.piece, p.copy) for p in saved.lay.placements) if work.keep_all else work.pinned
    )
    cut = patiently(lambda: cut_keys(job.subject))
    excused = patiently(lambda: insisted_keys(job.subject)) | cut
    there = {(p.piece, p.copy) for p in saved.lay.placements}
    pinned = tuple(dict.fromkeys((*pinned, *sorted(cut & there))))
    job_now = replace(saved.job, excused=excused)
    return saved, job_again(job_now, saved.lay, only=work.hides, pinned=pinned, pieces=work.pieces)


def _start(job: WorkJob, saved: SavedLay) -> Lay | None:
    """The best known: what a worker before this one found, or what lies."""
    found = patiently(lambda: candidates.best_of(job.id))
    if found is not None:
        return found.lay
    return saved.lay if saved.lay.placements else None


class _Search:
    """One run of the engine at one job."""

    def __init__(self, job: WorkJob, beating: Beating, hand_out_help: HandOutHelp) -> None:
        self.job, self.beating, self.hand_out_help = job, beating, hand_out_help
        self.elsewhere = _Elsewhere(job.id, 0)
        self.saved, self.asked = _asked(job)

    def run(self) -> tuple[str, int | None]:
        job = self.job
        seconds = max(0.5, job.seconds - job.spent_s)
        with Pulse(self._ask_for_help if seconds >= LEAST_SECONDS_FOR_HELP else lambda: None, ASK_FOR_HELP_S):
            best = lay_job(
                replace(self.asked, seed=job.seed + job.attempts - 1),
                time.monotonic,
                seconds=seconds,
                on_better=self._better,
                should_stop=self.beating.should_stop,
                start=_start(job, self.saved),
                elsewhere=self.elsewhere,
                growing=True,
            )
        if self.beating.lost:
            self.beating.check()
        self._put(best)
        taken = patiently(lambda: candidates.take_in(job.subject, job.id))
        if taken.number is None:
            log.info("job %d: what was found waits: %s", job.id, taken.waits)
        return "stopped" if self.beating.should_stop() else "done", taken.number

    def _better(self, progress: Progress) -> None:
        self.elsewhere.worth = max(self.elsewhere.worth, progress.worth)
        self._put(progress.lay)
        history = self._history(progress.lay.history)
        patiently(lambda: jobs.found_better(self.job.id, self.job.owner, self.beating.spent(), history))

    def _put(self, lay: Lay) -> None:
        saved, job = self.saved, self.job
        patiently(
            lambda: candidates.put(
                saved.id, job.id, job.owner, lay, job_number=saved.job_number, base=saved.at
            )
        )

    def _ask_for_help(self) -> None:
        share = min(helpers.fair_share() - 1, MOST_HELPERS)
        for number in (
            helpers.ask_for_help(self.job.id, self.job.owner, range(1, share + 1)) if share > 0 else []
        ):
            self.hand_out_help(self.job.id, number)

    def _history(self, found: Sequence[Better]) -> list[dict[str, float]]:
        return [*self.job.history, *(asdict(b) for b in found)]


class _Help:
    """One helper of a search."""

    def __init__(self, job: WorkJob, number: int, token: str) -> None:
        self.job, self.number, self.token = job, number, token
        self.elsewhere = _Elsewhere(job.id, number)
        self.over = False

    def run(self) -> None:
        job = self.job
        try:
            with Pulse(self._beat, BEAT_S):
                self.saved, asked = _asked(job)
                lay_job(
                    replace(asked, seed=job.seed + SEEDS_APART * self.number),
                    time.monotonic,
                    seconds=max(0.5, job.seconds - job.spent_s),
                    on_better=self._better,
                    should_stop=lambda: self.over,
                    start=_start(job, self.saved),
                    elsewhere=self.elsewhere,
                    reasons=False,
                )
        except Lost:
            return
        finally:
            patiently(lambda: helpers.leave_help(job.id, self.number, self.token))
            log.info("job %d: helper %d ends", job.id, self.number)

    def _beat(self) -> None:
        wanted = helpers.beat_help(self.job.id, self.number, self.token)
        self.over = self.over or not wanted or helpers.fair_share() <= self.number

    def _better(self, progress: Progress) -> None:
        self.elsewhere.worth = max(self.elsewhere.worth, progress.worth)
        if self.over:
            return
        saved = self.saved
        candidates.put(
            saved.id,
            self.job.id,
            self.token,
            progress.lay,
            job_number=saved.job_number,
            base=saved.at,
            helper=self.number,
        )
