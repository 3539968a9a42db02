"""Butting: sides found along sides, and a hide that was sawn to pieces put together again."""

from __future__ import annotations

import itertools
import json
import math
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely.affinity import rotate, translate
from shapely.geometry import LineString, Polygon, box
from shapely.ops import split

from fairlay.core.engine import butt_kernels, lay_job
from fairlay.core.engine.bank import build_bank, sides_of
from fairlay.core.engine.butt import Butting, Taste
from fairlay.core.engine.refill import demand
from fairlay.core.engine.table import HideTable
from fairlay.core.formats.exchange import read_job, write_lay
from fairlay.core.lay import Lay, measure
from tests import jobs, referee
from tests.effort import tried


def sawn(seed: int, cuts: int, tolerance: float = 0.0) -> dict[str, Any]:
    """A side sawn by straight cuts; every piece is asked for once, half of them the other way round."""
    rng = np.random.default_rng(seed)
    parts = [Polygon(jobs.SIDE)]
    while len(parts) <= cuts:
        largest = parts.pop(int(np.argmax([p.area for p in parts])))
        at, turn = largest.representative_point(), rng.uniform(0, math.pi)
        far = 2000 * np.array([math.cos(turn), math.sin(turn)])
        parts += [
            g
            for g in split(
                largest, LineString([(at.x - far[0], at.y - far[1]), (at.x + far[0], at.y + far[1])])
            ).geoms
            if g.area > 1
        ]
    pieces = []
    for k, part in enumerate(parts):
        turned = rotate(part, 180.0 if rng.random() < 0.5 else 0.0)
        moved = translate(turned, -turned.bounds[0], -turned.bounds[1])
        pieces.append(
            jobs.piece(
                f"p{k:02}",
                [[round(x, 2), round(y, 2)] for x, y in moved.exterior.coords[:-1]],
                1,
                max_tightness=4,
                show_limit=2,
                grain={"axis_deg": 0, "tolerance_deg": tolerance},
            )
        )
    hide = {"id": "Q", "kind": "side", "outline": jobs.SIDE, "edge_margin": 0.0}
    return jobs.everything(gap=0.0, hides=[hide], pieces=pieces)


@pytest.mark.parametrize(
    ("seed", "cuts", "tolerance"), [(1, 8, 0.0), (2, 12, 0.0), (3, 16, 0.0), (4, 10, 15.0)]
)
def test_a_sawn_hide_is_put_together_again(seed: int, cuts: int, tolerance: float) -> None:
    asked = sawn(seed, cuts, tolerance)
    job = read_job(json.dumps(asked))
    ticks = itertools.count()
    lay = lay_job(job, lambda: float(next(ticks)), seconds=1e9, steps=14)
    assert referee.broken(asked, write_lay(lay)) == []
    assert measure(job, lay).fill > 0.9


def test_equal_tiles_butt_without_waste() -> None:
    hide = {"id": "Q", "kind": "offcut", "outline": jobs.rectangle(400.0, 301.0), "edge_margin": 0.0}
    asked = jobs.everything(
        gap=1.0,
        hides=[hide],
        pieces=[jobs.piece("tile", jobs.rectangle(99.25, 150), 8, grain={"axis_deg": 0, "tolerance_deg": 0})],
    )
    job = read_job(json.dumps(asked))
    bank = build_bank(job)
    table = HideTable(job, job.hides[0], bank, 10)
    pool = {0: list(range(8))}
    laid = Butting(
        table, pool, {v.index: demand(v) for v in bank.variants}, np.random.default_rng(1), lambda: False
    ).fill(None, Taste())
    assert laid == 8 and not pool[0]
    assert referee.broken(asked, write_lay(Lay(tuple(table.placements())))) == []


number = st.floats(-60, 60).map(round)


@settings(max_examples=tried(50, 1500))
@given(number, number, st.sampled_from([0.0, 90.0, 180.0, 30.0]))
def test_contact_is_the_length_of_outline_shared(dx: float, dy: float, turn: float) -> None:
    still, moving = box(0, 0, 50, 30), rotate(box(-20, -15, 20, 15), turn, origin=(0, 0))
    own = np.empty((4, 4))
    bounds = butt_kernels.placed_sides(
        sides_of(box(-20, -15, 20, 15)),
        dx,
        dy,
        math.cos(math.radians(turn)),
        math.sin(math.radians(turn)),
        own,
    )
    felt = butt_kernels.contact(own, bounds, sides_of(still))
    placed = translate(moving, dx, dy)
    if placed.intersection(still).area < 1e-6:  # apart or touching: the outline they share is a line
        assert felt == pytest.approx(
            placed.buffer(1e-6).boundary.intersection(still.boundary.buffer(1e-3)).length if felt else 0.0,
            abs=0.3,
        )
        shared = placed.boundary.intersection(still.boundary)
        assert felt == pytest.approx(shared.length, abs=0.2)


def test_sides_have_their_body_on_the_left() -> None:
    ring = Polygon(jobs.rectangle(40, 30), [jobs.square(10, 10, 8)])
    for ax, ay, bx, by in sides_of(ring):
        middle, way = np.array([(ax + bx) / 2, (ay + by) / 2]), np.array([-(by - ay), bx - ax])
        assert ring.buffer(1e-9).contains(LineString([middle, middle + 0.5 * way / np.hypot(*way)]))
