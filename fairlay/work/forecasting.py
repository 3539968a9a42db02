"""Forecasts: made-up deliveries laid one by one, by every worker that is idle, until there are enough or
somebody stops it. What was laid stays; a lay that somebody waits for goes first, and a forecast that has no
rough answer yet.
"""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from functools import lru_cache

from fairlay.core.forecast.answer import Laid
from fairlay.core.forecast.worlds import PATIENT, QUICK, World, lay_world, parts_of_order
from fairlay.core.leather import Hide
from fairlay.core.pattern import Piece
from fairlay.core.rules import Policy
from fairlay.store import forecasts, helpers, hides, jobs
from fairlay.store.forecasts import PATIENT_EVERY, Part
from fairlay.store.jobs import Lost
from fairlay.store.work_asked import WorkJob
from fairlay.work.beating import BEAT_S, Beating, Pulse, carry_out, log, new_token, patiently

ASK_FOR_HELP_S = 0.3
LOOK_FOR_OTHERS_S = 0.4
WAIT_S = 0.3
MOST_HELPERS = 15

HandOutHelp = Callable[[int, int], None]


def forecast_one(job_id: int, hand_out_help: HandOutHelp, hand_out_again: Callable[[int], None]) -> None:
    """Lay the deliveries of a forecast; where others go first, it goes back in the queue with what it has."""

    def work(job: WorkJob, beating: Beating) -> tuple[str, int | None]:
        gives_way = threading.Event()

        parts = len(forecasts.parts_of(job.forecast_work))

        def look_for_others() -> None:
            if forecasts.should_give_way(job.id, parts):
                gives_way.set()

        def ask_for_help() -> None:
            share = min(helpers.fair_share() - 1, MOST_HELPERS)
            wanted = helpers.ask_for_help(job.id, job.owner, range(1, share + 1)) if share > 0 else []
            for number in wanted:
                hand_out_help(job.id, number)

        def stop() -> bool:
            return beating.should_stop() or gives_way.is_set()

        total = parts * job.forecast_work.worlds
        with Pulse(look_for_others, LOOK_FOR_OTHERS_S), Pulse(ask_for_help, ASK_FOR_HELP_S):
            while not stop():
                went_on = _lay_next(job, job.owner, stop)
                done = patiently(lambda: forecasts.count_worlds(job.id))
                if not stop():
                    beating.said = [f"{done} of {total} deliveries laid"]
                    patiently(lambda: jobs.say(job.id, job.owner, beating.said, min(1.0, done / total)))  # noqa: B023
                if not went_on:
                    if done >= total:
                        break
                    time.sleep(WAIT_S)  # until those that helpers are at come in, or are lost
        if beating.lost:
            beating.check()
        if gives_way.is_set() and not beating.should_stop():
            patiently(lambda: jobs.put_back(job.id, job.owner))
            hand_out_again(job.id)
            raise Lost(f"job {job.id} lets others go first", value=job.id)
        return "stopped" if beating.should_stop() else "done", None

    carry_out(job_id, work, "the forecast broke; what was laid before was kept")


def help_forecast(job_id: int, number: int) -> None:
    """Lay deliveries of a forecast until there are enough, or a lay waits for this worker."""
    token = new_token()
    job = patiently(lambda: helpers.take_help(job_id, number, token))
    if job is None:
        return
    log.info("job %d: helper %d begins", job_id, number)
    over = threading.Event()
    parts = len(forecasts.parts_of(job.forecast_work))

    def beat() -> None:
        if not helpers.beat_help(job_id, number, token) or forecasts.should_give_way(job_id, parts):
            over.set()

    try:
        with Pulse(beat, BEAT_S):
            while not over.is_set() and _lay_next(job, token, over.is_set):
                pass
    finally:
        patiently(lambda: helpers.leave_help(job_id, number, token))


def _lay_next(job: WorkJob, owner: str, stop: Callable[[], bool]) -> bool:
    """Take the next delivery and lay it; whether there was one."""
    work = job.forecast_work
    parts = {p.key: p for p in forecasts.parts_of(work)}
    taken = patiently(lambda: forecasts.take_world(job.id, list(parts), work.worlds, owner))
    if taken is None:
        return False
    key, number = taken
    laid = _laid(job.id, parts[key], number, stop)
    if laid is None:
        patiently(lambda: forecasts.leave_world(job.id, key, number, owner))
    else:
        patiently(lambda: forecasts.put_world(job.id, key, number, owner, laid))
    return True


def _laid(job_id: int, part: Part, number: int, stop: Callable[[], bool]) -> Laid | None:
    pieces, policy, rack = _asked(job_id, part.variant, part.size)

    def world(steps: int) -> World | None:
        # Deliveries of one number are the same hides, whatever is laid on them.
        return lay_world(
            parts_of_order(pieces, part.source.area_m2)[0],
            part.source,
            policy,
            time.monotonic,
            number,
            rack=rack,
            should_stop=stop,
            steps=steps,
        )

    quick = world(QUICK)
    if quick is None:
        return None
    # The first ones are laid at once alone: a rough answer is there within seconds.
    slow = number % PATIENT_EVERY == 0 and number >= PATIENT_EVERY
    return Laid(quick, world(PATIENT) if slow else None)


@lru_cache(maxsize=32)
def _asked(job_id: int, variant: str, size: int) -> tuple[tuple[Piece, ...], Policy, tuple[Hide, ...]]:
    """What a part of a forecast lays, and on which hides of the rack first: read once."""
    work = jobs.job_by_id(job_id).forecast_work
    rack = tuple(r.hide for r in hides.hides_by_id(work.rack))
    return forecasts.pieces_of(work, variant, size), forecasts.policy_of(work, variant), rack
