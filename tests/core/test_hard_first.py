"""Orders searched without what lies on almost any leather, first."""

from __future__ import annotations

import itertools
import json
from typing import Any

import pytest

from fairlay.core.engine import lay_job
from fairlay.core.engine import run as engine_run
from fairlay.core.engine.bank import build_bank
from fairlay.core.engine.hard_first import hard_of
from fairlay.core.engine.run import Run
from fairlay.core.engine.table import HideTable
from fairlay.core.formats.exchange import read_job, write_lay
from fairlay.core.lay import Job, Lay, measure
from fairlay.core.lay.measures import worth
from tests import jobs, referee

PANEL = jobs.piece("panel", jobs.rectangle(150, 100), 5, max_tightness=1)
TAB = jobs.piece("tab", jobs.rectangle(60, 40), 24, max_tightness=3)


def order(*pieces: dict[str, Any], **changed: Any) -> dict[str, Any]:
    return jobs.everything(
        hides=[jobs.side(f"Q-{k}", cost_per_m2=price) for k, price in enumerate((100.0, 80.0))],
        pieces=list(pieces),
        **{"objective": "order", **changed},
    )


def hard_pieces(asked: dict[str, Any]) -> set[str] | None:
    job = read_job(json.dumps(asked))
    bank = build_bank(job)
    hard = hard_of(job, bank, [HideTable(job, hide, bank, 60) for hide in job.hides])
    return {p.id for p in hard.pieces} if hard else None


def laid(asked: dict[str, Any], steps: int) -> tuple[Job, Lay]:
    ticks = itertools.count()
    job = read_job(json.dumps(asked))
    lay = lay_job(job, lambda: float(next(ticks)), seconds=1e9, steps=steps)
    assert referee.broken(asked, write_lay(lay)) == []
    return job, lay


AT = {
    "piece": "tab",
    "copy": 0,
    "hide": "Q-0",
    "x": 300.0,
    "y": 300.0,
    "rotation_deg": 0.0,
    "mirrored": False,
}


@pytest.mark.parametrize(
    ("pieces", "changed", "hard"),
    [
        ((PANEL, TAB), {}, {"panel"}),
        ((PANEL, {**TAB, "filler": True}), {}, None),
        ((PANEL, {**TAB, "max_tightness": 1}), {}, None),
        (({**PANEL, "max_tightness": 3}, TAB), {}, None),
        ((PANEL, {**TAB, "quantity": 2}), {}, None),
        ((PANEL, TAB), {"objective": "fill"}, None),
        ((PANEL, TAB), {"fixed": [AT]}, None),
        (
            ({**PANEL, "set": "stool", "per_set": 1}, {**TAB, "quantity": 20, "set": "stool", "per_set": 4}),
            {"match_sets": ["stool"]},
            None,
        ),
    ],
)
def test_what_is_easy_lies_on_much_more_leather(
    pieces: tuple[dict[str, Any], ...], changed: dict[str, Any], hard: set[str] | None
) -> None:
    assert hard_pieces(order(*pieces, **changed)) == hard


def test_what_is_easy_is_laid_around_what_is_hard_and_costs_nothing_more() -> None:
    job, lay = laid(order(PANEL, TAB), 16)
    m = measure(job, lay)
    assert m.placed == m.wanted == 29
    alone, of_hard = laid(order(PANEL), 16)
    assert m.cost <= 1.02 * measure(alone, of_hard).cost


def test_what_is_hard_is_searched_alone_and_the_rest_around_it(monkeypatch: pytest.MonkeyPatch) -> None:
    parts: list[Run] = []
    real = Run._part

    def part(self: Run, *asked: Any) -> Run:
        parts.append(real(self, *asked))
        return parts[-1]

    monkeypatch.setattr(Run, "_part", part)
    job, ticks = read_job(json.dumps(order(PANEL, TAB))), itertools.count()
    run = Run(job, lambda: float(next(ticks)), 1e9, 16, lambda _: None, lambda: False, None)
    run.search(tuple)
    alone, around = parts
    assert {p.id for p in alone.job.pieces} == {"panel"} and not alone.best.unplaced
    assert around.job.fixed == alone.best.placements and not around.best.unplaced
    assert run.best_worth >= around.best_worth > 0 and run.step == 16
    parts.clear()
    Run(job, lambda: float(next(ticks)), 1e9, 10, lambda _: None, lambda: False, None).search(tuple)
    assert not parts  # its first lay took a tenth of what there is


def test_what_was_found_of_what_is_hard_is_kept_when_it_is_stopped(monkeypatch: pytest.MonkeyPatch) -> None:
    found: list[tuple[Lay, Lay]] = []
    stopped = False
    part, rest = Run._part, engine_run.with_the_rest

    def broken_off(self: Run, *asked: Any) -> Run:
        nonlocal stopped
        done = part(self, *asked)
        stopped = True
        return done

    def noted(run: Run, hard: Lay, stop: Any) -> Lay:
        found.append((hard, rest(run, hard, stop)))
        return found[-1][1]

    monkeypatch.setattr(Run, "_part", broken_off)
    monkeypatch.setattr(engine_run, "with_the_rest", noted)
    job, ticks = read_job(json.dumps(order(PANEL, TAB))), itertools.count()
    run = Run(job, lambda: float(next(ticks)), 1e9, 16, lambda _: None, lambda: stopped, None)
    run.search(tuple)
    hard, whole = found[-1]
    assert len(hard.placements) == 5 and set(hard.placements) <= set(whole.placements)
    assert not whole.unplaced and run.best_worth >= worth(job, measure(job, whole))
