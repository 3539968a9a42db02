"""Compiled ground is kept for the hide and the needs it was made for, and for no others."""

from __future__ import annotations

import json
from dataclasses import replace

import numpy as np
from shapely.geometry import Polygon

from fairlay.core.engine.ground import HideGround, hide_ground
from fairlay.core.engine.kept_ground import KeptGrounds
from fairlay.core.formats.exchange import read_job
from fairlay.core.leather import Flaw, Hide
from fairlay.core.rules import needs_of
from tests import jobs


def test_ground_is_made_once_for_a_hide_and_needs() -> None:
    job = read_job(json.dumps(jobs.everything()))
    hide, piece = job.hides[0], job.pieces[0]
    made: list[Hide] = []

    def ground_on(of: Hide, kept: KeptGrounds) -> HideGround:
        def make() -> HideGround:
            made.append(of)
            return hide_ground(piece, of, job.policy)

        return kept.get(of, needs_of(piece, of), make)

    kept = KeptGrounds()
    first = ground_on(hide, kept)
    again = read_job(json.dumps(jobs.everything())).hides[0]
    assert again is not hide and ground_on(again, kept) is first and len(made) == 1
    ring = np.array([[100.0, 60.0], [120.0, 60.0], [110.0, 80.0]])
    scarred = replace(hide, flaws=(*hide.flaws, Flaw("hole", 3, ring)))
    moved = replace(hide, outline=hide.outline + 0.1)
    margin = replace(hide, edge_margin_mm=hide.edge_margin_mm + 1.0)
    for other in (scarred, moved, margin):
        assert ground_on(other, kept) is not first
    assert len(made) == 4 and not ground_on(scarred, kept).region.intersects(Polygon(ring).centroid)
    assert kept.get(hide, "other needs", lambda: ground_on(moved, kept)) is not first


def test_no_more_is_kept_than_there_is_room_for() -> None:
    job = read_job(json.dumps(jobs.everything()))
    hide, piece = job.hides[0], job.pieces[0]
    one = hide_ground(piece, hide, job.policy)
    size = int(sum(a.nbytes for a in one.fair) + one.pool.nbytes)
    size += int(sum(a.nbytes for a in one.off_show)) if one.off_show else 0
    kept = KeptGrounds(3 * size)
    for needs in range(5):
        kept.get(hide, needs, lambda: one)
    assert len(kept) == 3 and kept.bytes == 3 * size
    called: list[int] = []
    kept.get(hide, 2, lambda: called.append(2) or one)  # type: ignore[func-returns-value]
    kept.get(hide, 0, lambda: called.append(0) or one)  # type: ignore[func-returns-value]
    assert called == [0] and len(kept) == 3
