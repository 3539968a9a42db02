"""Several processes at one job: what a helper finds is taken over, refereed, and no helper is left behind."""

from __future__ import annotations

import json
import os
import subprocess
import time

import pytest

from fairlay.core.engine import Progress, lay_job
from fairlay.core.formats.exchange import read_job, write_lay
from fairlay.core.lay import Lay, measure
from fairlay.core.lay.measures import worth
from fairlay.work import together
from tests import jobs, referee


def _helpers() -> list[str]:
    """Return the helpers this process has called: tests beside it, in processes of their own, call theirs."""
    listed = subprocess.run(
        ["ps", "--ppid", str(os.getpid()), "-o", "args"], capture_output=True, text=True, check=True
    )
    return [line for line in listed.stdout.splitlines() if "fairlay.work.together" in line]


def test_two_processes_lay_one_job() -> None:
    asked = jobs.everything(
        pieces=[*jobs.everything()["pieces"], jobs.piece("tab", jobs.rectangle(38, 14), 150)]
    )
    job = read_job(json.dumps(asked))
    heard: list[float] = []
    helpers: list[int] = []

    def hear(progress: Progress) -> None:
        heard.append(progress.worth)
        helpers.append(len(_helpers()))

    lay = together.lay_together(job, 7.0, 2, hear)
    assert referee.broken(asked, write_lay(lay)) == []
    assert heard == sorted(heard) and worth(job, measure(job, lay)) == pytest.approx(heard[-1])
    assert all(u.reason for u in lay.unplaced)
    assert max(helpers) == 1 and not _helpers()


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
        helper.process.wait()
        assert helper.take() == []
    began = time.monotonic()
    assert together.lay_together(job, 0.5, 4).placements
    assert time.monotonic() - began < 30


def test_a_helper_ends_when_its_caller_is_gone() -> None:
    job = read_job(json.dumps(jobs.everything(pieces=[jobs.piece("tab", jobs.rectangle(38, 14), 900)])))
    helper = together._Helper(job, 600.0, 1, None)
    end = time.monotonic() + 60
    while not helper.take():
        assert time.monotonic() < end and helper.process.poll() is None
        time.sleep(0.1)
    assert helper.process.stdin is not None
    helper.process.stdin.close()
    assert helper.process.wait(20) == 1
    helper.__exit__()
