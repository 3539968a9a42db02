"""Compiled kernels held to slow plain references: fields, scans, what lies under a piece, and a table that
comes back.
"""

from __future__ import annotations

import json
import math
import re
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely.geometry import Point, Polygon

import fairlay
from fairlay.core.engine import scan_kernels
from fairlay.core.engine.bank import build_bank
from fairlay.core.engine.ground import CELL_MM, pooled
from fairlay.core.engine.layer import Lying, Spot
from fairlay.core.engine.table import SLACK_MM, HideTable, Wish
from fairlay.core.formats.exchange import read_job
from fairlay.core.shapes.placing import place_region
from tests import jobs
from tests.effort import tried

STILL = np.empty((0, 2))


def star(data: st.DataObject) -> np.ndarray:
    radii = data.draw(st.lists(st.floats(15, 90), min_size=3, max_size=9))
    return np.array(
        [
            [
                150 + r * math.cos(2 * math.pi * k / len(radii)),
                140 + r * math.sin(2 * math.pi * k / len(radii)),
            ]
            for k, r in enumerate(radii)
        ]
    )


@settings(max_examples=tried(24, 400))
@given(st.data())
def test_a_body_pressed_into_a_field_leaves_its_distance(data: st.DataObject) -> None:
    pts = star(data)
    body = Polygon(pts)
    field = np.full((75, 80), 1e6, np.float32)
    scan_kernels.press_into(
        field, np.zeros(2), CELL_MM, pts, np.array([0, len(pts)]), np.array(body.bounds), 38.0
    )
    for r, c in zip(*(np.random.default_rng(1).integers(0, n, 60) for n in field.shape), strict=True):
        at = Point(c * CELL_MM, r * CELL_MM)
        away = body.boundary.distance(at)
        if body.contains(at):
            assert field[r, c] == pytest.approx(-min(away, 38.0), abs=1e-3)
        elif away < 37.9:
            assert field[r, c] == pytest.approx(away, abs=1e-3)
        else:
            assert field[r, c] > 37.8
    pool = pooled(field)
    assert pool.shape == (10, 10)
    assert all(
        pool[i, j] == field[8 * i : 8 * i + 8, 8 * j : 8 * j + 8].max() for i in range(10) for j in range(10)
    )


def _slow_scan(
    fair: np.ndarray, taken: np.ndarray, circles: np.ndarray, most: int
) -> list[tuple[float, int]]:
    """Every cell no circle is surely too large for, by mean room left: the plain way."""
    rows, cols = fair.shape
    offs = [(round(y / CELL_MM), round(x / CELL_MM)) for x, y, _ in circles]
    out = []
    for r in range(max(-o[0] for o in offs), rows - max(0, *(o[0] for o in offs))):
        for c in range(max(-o[1] for o in offs), cols - max(0, *(o[1] for o in offs))):
            if r < 0 or c < 0:
                continue
            room = [
                min(fair[r + dr, c + dc], taken[r + dr, c + dc]) - rad
                for (dr, dc), (_, _, rad) in zip(offs, circles, strict=True)
            ]
            if min(room) >= -SLACK_MM and not (room[0] > scan_kernels.ROOMY_MM and (r | c) & 1):
                out.append(
                    (
                        sum((min(d, scan_kernels.NEAR_MM) if d > 0 else -2 * d) for d in room) / len(room),
                        r * cols + c,
                    )
                )
    return sorted(out)[:most]


@settings(max_examples=tried(15, 150))
@given(st.integers(0, 10_000))
def test_a_scan_finds_what_the_plain_way_finds(seed: int) -> None:
    rng = np.random.default_rng(seed)
    fair = np.fromfunction(
        lambda r, c: np.minimum(np.minimum(r, 49 - r), np.minimum(c, 59 - c)) * CELL_MM, (50, 60)
    ).astype(np.float32)
    taken = np.full((50, 60), 1e6, np.float32)
    for _ in range(4):
        x, y = rng.uniform(20, 220), rng.uniform(20, 180)
        pts = np.array([[x, y], [x + 40, y + 5], [x + 30, y + 40]])
        scan_kernels.press_into(
            taken, np.zeros(2), CELL_MM, pts, np.array([0, 3]), np.array([x, y, x + 40, y + 40]), 38.0
        )
    around = np.column_stack([rng.uniform(-40, 40, (3, 2)), rng.uniform(3, 13, 3)])
    circles = np.array([[0.0, 0.0, 14.0], *around])
    most = int(rng.choice([25, 2000]))
    cost, cell = np.empty(most), np.empty(most, np.int64)
    kept = scan_kernels.scan(
        fair,
        taken,
        fair,
        False,
        pooled(fair),
        pooled(taken),
        CELL_MM,
        circles,
        np.empty((0, 3)),
        SLACK_MM,
        np.zeros((50, 60), np.int16),
        -1,
        np.array([0, 0, 50, 60]),
        0.0,
        0.0,
        taken,
        4.0,
        0.0,
        1,
        cost,
        cell,
    )
    plain = _slow_scan(fair, taken, circles, most)
    assert kept == len(plain)
    assert sorted(cost[:kept]) == pytest.approx([c for c, _ in plain], abs=1e-4)


@settings(max_examples=tried(25, 250))
@given(st.integers(0, 10_000))
def test_what_lies_under_a_piece_and_a_table_that_comes_back(seed: int) -> None:
    job = read_job(json.dumps(jobs.everything(gap=0.0)))
    bank = build_bank(job)
    rng = np.random.default_rng(seed)
    table = HideTable(job, job.hides[0], bank, 40)
    for n in range(12):
        variant = bank.variants[int(rng.integers(len(bank.variants)))]
        spot = table.find(variant, 0, Wish(noise=20.0), rng).take(STILL)
        if spot is not None:
            table.put(Lying(variant, n, spot))
    over = bank.variants[0]
    there = Spot(
        0, float(rng.uniform(100, 600)), float(rng.uniform(60, 300)), float(rng.uniform(0, 360)), 0.0
    )
    shape = place_region(over.piece.region, over.placing(there.x, there.y, there.turn_deg))
    shapes = {
        s: place_region(li.variant.piece.region, li.variant.placing(li.spot.x, li.spot.y, li.spot.turn_deg))
        for s, li in table.lying.items()
    }
    found = set(table.under(over, there))
    assert {s for s, g in shapes.items() if g.intersection(shape).area > 1.0} <= found
    assert all(shapes[s].distance(shape) < 1e-6 for s in found)

    mark, lying, taken = table.mark(), dict(table.lying), table.layers[0].taken.copy()
    up = [s for s in table.lying if rng.random() < 0.5]
    if up:
        table.take_up(up)
        fresh = HideTable(job, job.hides[0], bank, 40)
        for item in table.lying.values():
            fresh.put(item)
        near = np.minimum(table.layers[0].taken, 38.0)
        assert np.allclose(near, np.minimum(fresh.layers[0].taken, 38.0), atol=1e-3)
        assert np.array_equal(table.layers[0].taken_pool, pooled(table.layers[0].taken))
    spot = table.find(bank.variants[-1], 0, Wish(), rng).take(STILL)
    if spot is not None:
        table.put(Lying(bank.variants[-1], 0, spot))
    table.back_to(mark)
    assert table.lying == lying and np.array_equal(table.layers[0].taken, taken)
    assert sorted(np.flatnonzero(table.layers[0].floor.live)) == sorted(lying)
    assert all(table.under(li.variant, li.spot) == [s] for s, li in lying.items())


def test_kernels_use_each_other_alone() -> None:
    """What is compiled is made anew when one of these files changes, and for nothing else."""
    root = Path(fairlay.__file__).parent / "core"
    files = [*root.rglob("*kernels.py")]
    own = {"fairlay." + str(f.relative_to(root.parent))[:-3].replace("/", ".") for f in files}
    for file in files:
        asked = re.findall(r"^(?:from|import) (fairlay\S+)", file.read_text(), re.MULTILINE)
        assert {*asked} <= own | {"fairlay.core.shapes.compiled"}, file
    held = [
        f for f in root.rglob("*.py") if re.search(r"^@(njit|compiled|lean)", f.read_text(), re.MULTILINE)
    ]
    assert files and {*held} <= {*files}
