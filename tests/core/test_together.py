"""Several processes at one job: what a helper finds is taken over, refereed, and no helper is left behind."""

from __future__ import annotations

import json
import time
from collections.abc import Callable
from multiprocessing import active_children
from typing import Any

import pytest

from fairlay.core.engine import Progress, lay_job
from fairlay.core.formats.exchange import read_job, write_lay
from fairlay.core.lay import Job, Lay, measure
from fairlay.core.lay.measures import worth
from fairlay.work import together
from tests import jobs, referee


def test_two_processes_lay_one_job() -> None:
    asked = jobs.everything(
        pieces=[*jobs.everything()["pieces"], jobs.piece("tab", jobs.rectangle(38, 14), 150)]
    )
    job = read_job(json.dumps(asked))
    heard: list[float] = []
    helpers: list[int] = []

    def hear(progress: Progress) -> None:
        heard.append(progress.worth)
        helpers.append(len(active_children()))

    lay = together.lay_together(job, 7.0, 2, hear)
    assert referee.broken(asked, write_lay(lay)) == []
    assert heard == sorted(heard) and worth(job, measure(job, lay)) == pytest.approx(heard[-1])
    assert all(u.reason for u in lay.unplaced)
    assert max(helpers) == 1 and not active_children()


def test_what_a_helper_finds_is_in_the_lay(monkeypatch: pytest.MonkeyPatch) -> None:
    """With our own search held to its first step, all that is better than it comes from the helper."""
    job = read_job(json.dumps(jobs.everything()))
    alone = lay_job(job, iter(range(10**9)).__next__, seconds=1e9, steps=1)

    def idle(job: Job, clock: Callable[[], float], **how: Any) -> Lay:
        stop, elsewhere = clock() + how["seconds"], how["elsewhere"]
        best = alone
        while clock() < stop and best is alone:
            for lay in elsewhere():
                best = max(best, lay, key=lambda one: worth(job, measure(job, one)))
            time.sleep(0.05)
        return best

    monkeypatch.setattr(together, "lay_job", idle)
    lay = together.lay_together(job, 120.0, 2)
    assert worth(job, measure(job, lay)) > worth(job, measure(job, alone))
    assert referee.broken(jobs.everything(), write_lay(lay)) == []


def test_a_lay_found_elsewhere_is_taken_over_only_where_it_is_fair_and_better() -> None:
    job = read_job(json.dumps(jobs.everything()))
    good = lay_job(job, iter(range(10**9)).__next__, seconds=1e9, steps=8)
    heaped = Lay(
        tuple(
            good.placements[0].__class__(p.piece, p.copy, p.hide, good.placements[0].at)
            for p in good.placements
        )
    )
    offered = [[heaped], [good]]
    lay = lay_job(
        job,
        iter(range(10**9)).__next__,
        seconds=1e9,
        steps=1,
        elsewhere=lambda: offered.pop(0) if offered else [],
    )
    assert worth(job, measure(job, lay)) >= worth(job, measure(job, good)) - 1e-9
    assert referee.broken(jobs.everything(), write_lay(lay)) == []


def test_a_helper_that_dies_stops_nothing() -> None:
    job = read_job(json.dumps(jobs.everything()))
    with together._Helper(job, 30.0, 1, None) as helper:
        helper.process.kill()
        helper.process.join()
        assert helper.take() == []
    began = time.monotonic()
    assert together.lay_together(job, 0.5, 4).placements
    assert time.monotonic() - began < 30


def test_a_helper_ends_when_its_caller_is_gone() -> None:
    job = read_job(json.dumps(jobs.everything(pieces=[jobs.piece("tab", jobs.rectangle(38, 14), 900)])))
    with together._Helper(job, 600.0, 1, None) as helper:
        end = time.monotonic() + 60
        while not helper.take():
            assert time.monotonic() < end and helper.process.is_alive()
            time.sleep(0.1)
        helper.ours.close()
        helper.process.join(20)
        assert helper.process.exitcode == 1
