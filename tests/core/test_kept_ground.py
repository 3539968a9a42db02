"""Compiled ground is kept for the hide and the needs it was made for, and for no others."""

from __future__ import annotations

import functools
import json
import os
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from shapely.geometry import Polygon

from fairlay.core.engine.ground import HideGround, hide_ground
from fairlay.core.engine.kept_ground import KeptGrounds
from fairlay.core.formats.exchange import read_job
from fairlay.core.leather import Flaw, Hide
from fairlay.core.pattern import Piece
from fairlay.core.rules import needs_of
from fairlay.work import ground_files
from fairlay.work.ground_files import GroundFiles, WrittenLater
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
    assert one.nbytes == pytest.approx(size, rel=0.1)
    size = one.nbytes
    kept = KeptGrounds(3 * size)
    for needs in range(5):
        kept.get(hide, needs, lambda: one)
    assert len(kept) == 3 and kept.bytes == 3 * size
    called: list[int] = []
    kept.get(hide, 2, lambda: called.append(2) or one)  # type: ignore[func-returns-value]
    kept.get(hide, 0, lambda: called.append(0) or one)  # type: ignore[func-returns-value]
    assert called == [0] and len(kept) == 3


def test_another_process_finds_in_files_what_was_made_and_nothing_that_was_made_otherwise(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    job = read_job(json.dumps(jobs.everything()))
    files, made = GroundFiles(tmp_path / "grounds"), []

    def making(piece: Piece, hide: Hide) -> Callable[[], HideGround]:
        def make() -> HideGround:
            made.append(piece.id)
            return hide_ground(piece, hide, job.policy)

        return make

    def asked() -> list[HideGround]:
        kept, out = KeptGrounds(), []
        with kept.in_files(files):
            for hide in job.hides:
                out += [kept.get(hide, needs_of(p, hide), making(p, hide)) for p in job.pieces]
            return [ground for ground in out if ground.compiled.fair]

    first = asked()
    count = len(made)
    for one, again in zip(first, asked(), strict=True):
        assert again is not one and again.region.equals_exact(one.region, 0.0)
        assert again.area_mm2 == one.area_mm2 and (again.off_show is None) == (one.off_show is None)
        pairs = [(one.pool, again.pool), *zip(one.fair, again.fair, strict=True)]
        if one.off_show is not None and again.off_show is not None:
            pairs += zip(one.off_show, again.off_show, strict=True)
        for a, b in pairs:
            # The kernels are compiled for arrays of one kind and order.
            assert np.array_equal(a, b) and a.dtype == b.dtype
            assert a.flags.c_contiguous == b.flags.c_contiguous and b.flags.writeable
    assert len(made) == count > 0
    kept = KeptGrounds()
    assert kept.get(job.hides[0], "made up", making(job.pieces[0], job.hides[0])).compiled.fair
    assert len(made) == count + 1 and len(list(files.folder.iterdir())) == count, "kept in files unasked"
    monkeypatch.setattr(ground_files, "_how_made", lambda: b"other rules")
    asked()
    assert len(made) == 2 * count + 1


def test_a_ground_is_written_when_it_is_compiled_and_by_whom_it_is(tmp_path: Path) -> None:
    job = read_job(json.dumps(jobs.everything()))
    hide, kept, files = job.hides[0], KeptGrounds(), GroundFiles(tmp_path)
    pieces = {needs_of(p, hide): p for p in job.pieces}
    makers = [(key, functools.partial(hide_ground, p, hide, job.policy)) for key, p in pieces.items()][:3]
    with WrittenLater(files) as later, kept.in_files(later):
        at_once, another_time, never_asked = (kept.get(hide, key, make) for key, make in makers)
        assert at_once.compiled.fair and never_asked.area_mm2 > 0.0
    assert len(list(tmp_path.iterdir())) == 1
    # The first job's files are closed: a second, with its own, compiles what the first left.
    with WrittenLater(files) as later, kept.in_files(later):
        assert another_time.compiled.fair
    assert len(list(tmp_path.iterdir())) == 2
    assert never_asked.compiled.fair and len(list(tmp_path.iterdir())) == 2


def test_files_that_cannot_be_read_are_made_anew_and_those_longest_unused_go(tmp_path: Path) -> None:
    job = read_job(json.dumps(jobs.everything()))
    one = hide_ground(job.pieces[0], job.hides[0], job.policy)
    files = GroundFiles(tmp_path)
    for half in (False, True):
        files.put(b"key", one)
        (path,) = tmp_path.iterdir()
        path.write_bytes(path.read_bytes()[:2000] if half else b"no ground")
        assert files.get(b"key") is None and not path.exists()
    (tmp_path / "taken").write_bytes(b"")
    GroundFiles(tmp_path / "taken").put(b"key", one)
    assert GroundFiles(tmp_path / "taken").get(b"key") is None
    (tmp_path / "taken").unlink()
    files.put(b"old", one)
    (path,) = tmp_path.iterdir()
    os.utime(path, (1.0, 1.0))
    size = path.stat().st_size
    few = GroundFiles(tmp_path, most_bytes=2 * size)
    few.put(b"newer", one)
    assert few.get(b"old") is not None, "there is room for two"
    os.utime(path, (1.0, 1.0))
    GroundFiles(tmp_path, most_bytes=2 * size).put(b"newest", one)
    assert few.get(b"old") is None and few.get(b"newest") is not None
