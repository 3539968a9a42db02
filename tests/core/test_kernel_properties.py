"""More compiled kernels held to plain references: keeping to a ground, buckets of edges, heaps, fields read
between cells, randomness, sliding.
"""

from __future__ import annotations

import heapq
import json
import math
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely.affinity import rotate, translate
from shapely.geometry import Point, Polygon, box

from fairlay.core.bounds.room_kernels import depth, read
from fairlay.core.engine import kernels, off_ground_kernels, scan_kernels, separate_kernels
from fairlay.core.engine.bank import BODIES, NEAR, build_bank, sides_of
from fairlay.core.engine.butt_kernels import placed_sides
from fairlay.core.engine.ground import ground_of
from fairlay.core.engine.layer import Lying, Spot
from fairlay.core.engine.pain_kernels import depth_pain
from fairlay.core.engine.table import HideTable, Wish
from fairlay.core.formats.exchange import read_job
from fairlay.core.leather import Hide
from fairlay.core.shapes import kernels as shapes
from fairlay.core.shapes.placing import place_region
from fairlay.core.shapes.rings import flat, rings_of
from tests import jobs
from tests.effort import tried

GROUND = Polygon(
    [(0, 0), (500, 0), (520, 300), (300, 380), (240, 260), (150, 390), (10, 330)],
    [[(200, 90), (260, 90), (260, 150), (200, 150)]],
)
HIDE = Hide(
    "H",
    "side",
    np.asarray(GROUND.exterior.coords)[:-1],
    tuple(np.asarray(r.coords)[:-1] for r in GROUND.interiors),
)
ANGLES = st.floats(0, 360)


def star(radii: list[float]) -> Polygon:
    return Polygon(
        [
            (r * math.cos(2 * math.pi * k / len(radii)), r * math.sin(2 * math.pi * k / len(radii)))
            for k, r in enumerate(radii)
        ]
    )


def arrays(shape: Polygon) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    pts, starts = flat(rings_of(shape))
    return pts, starts, np.array(shape.bounds)


@settings(max_examples=tried(50, 1500))
@given(st.lists(st.floats(8, 60), min_size=3, max_size=9), st.floats(-40, 560), st.floats(-40, 430), ANGLES)
def test_a_piece_keeps_to_its_ground_just_where_it_lies_in_it(
    radii: list[float], x: float, y: float, turn: float
) -> None:
    body = translate(rotate(star(radii), turn, origin=(0, 0)), x, y)
    ground = ground_of(GROUND, Polygon(), HIDE).fair
    away = GROUND.boundary.distance(body.boundary)
    if away < 0.01 and not body.crosses(GROUND.boundary):
        return  # Touching may be told either way.
    pts, starts, bounds = arrays(body)
    assert bool(kernels.keeps_to(pts, starts, bounds, ground, True)) == GROUND.contains(body)
    if away > 0.01 or body.crosses(GROUND.boundary):
        assert bool(kernels.keeps_to(pts, starts, bounds, ground, False)) == body.disjoint(GROUND)


def test_there_is_no_room_on_no_ground_and_nothing_to_keep_off() -> None:
    none = ground_of(Polygon(), Polygon(), HIDE).fair
    pts, starts, bounds = arrays(box(10, 10, 30, 30))
    assert not kernels.keeps_to(pts, starts, bounds, none, True) and kernels.keeps_to(
        pts, starts, bounds, none, False
    )


@settings(max_examples=tried(24, 400))
@given(st.lists(st.tuples(st.floats(-50, 550), st.floats(-50, 450)), min_size=3, max_size=20))
def test_every_edge_is_in_the_buckets_that_its_bounds_touch(points: list[tuple[float, float]]) -> None:
    pts = np.array(points)
    before = np.roll(np.arange(len(pts)), 1)
    origin, shape, size = np.array([0.0, 0.0]), np.array([8, 10]), 50.0
    at, edges = kernels.bucket_edges(pts, before, origin, shape, size)
    for i in range(len(pts)):
        own = {(b // 10, b % 10) for b in range(80) if i in edges[at[b] : at[b + 1]]}
        (ax, ay), (bx, by) = pts[before[i]], pts[i]
        c0, c1 = (int(np.clip(int(v / size), 0, 9)) for v in (min(ax, bx), max(ax, bx)))
        r0, r1 = (int(np.clip(int(v / size), 0, 7)) for v in (min(ay, by), max(ay, by)))
        assert own == {(r, c) for r in range(r0, r1 + 1) for c in range(c0, c1 + 1)}
    assert at[-1] == len(edges)


@given(st.lists(st.floats(-1e6, 1e6), min_size=1, max_size=40), st.integers(1, 12))
def test_a_heap_keeps_the_best_with_the_worst_of_them_on_top(values: list[float], most: int) -> None:
    cost, cell = np.full(most, np.inf), np.full(most, -1, np.int64)
    kept = 0
    for i, value in enumerate(values):
        if kept < most:
            cost[kept], cell[kept] = value, i
            scan_kernels.rise(cost, cell, kept)
            kept += 1
        elif value < cost[0]:
            cost[0], cell[0] = value, i
            scan_kernels.sink(cost, cell, kept)
        assert cost[0] == cost[:kept].max()
    assert sorted(cost[:kept]) == heapq.nsmallest(most, values)
    assert all(values[cell[k]] == cost[k] for k in range(kept))


@given(st.integers(0, 1000), st.floats(-60, 260), st.floats(-60, 200))
def test_a_field_is_read_between_its_cells_and_falls_off_beyond_it(seed: int, x: float, y: float) -> None:
    # A slope is told exactly between cells; beyond the field it goes down by as far as one is outside.
    a, b = np.random.default_rng(seed).uniform(-1, 1, 2)
    field = np.fromfunction(lambda r, c: a * c * 4 + b * r * 4, (40, 50)).astype(np.float32)
    inside_x, inside_y = min(max(x, 0.0), 4 * 48.999), min(max(y, 0.0), 4 * 38.999)
    away = abs(x - inside_x) + abs(y - inside_y)
    assert off_ground_kernels.room_at(field, np.zeros(2), 4.0, x, y) == pytest.approx(
        a * inside_x + b * inside_y - away, abs=0.02
    )
    told = read(field, np.zeros(2), 4.0, x, y)
    off = math.hypot(max(0.0, -x, x - 4 * 49), max(0.0, -y, y - 4 * 39))
    if off > 0:
        assert told == pytest.approx(-off)
    else:
        assert told == field[round(y / 4), round(x / 4)]


@given(st.floats(-200, 50), st.floats(0.1, 60), st.floats(0.5, 20))
def test_pain_is_never_nothing_grows_with_depth_and_has_no_step(
    deep: float, radius: float, soft: float
) -> None:
    pain = depth_pain
    assert 0 < pain(deep, radius, soft) < pain(deep + 0.5, radius, soft)
    edge = pain(soft - 1e-6, radius, soft), pain(soft, radius, soft), pain(soft + 1e-6, radius, soft)
    assert edge[0] == pytest.approx(edge[1], rel=1e-4) == pytest.approx(edge[2], rel=1e-4)
    if deep >= soft:
        assert pain(deep, radius, soft) == pytest.approx(deep * radius)


@pytest.mark.parametrize("seed", [1, 2, 2**40 + 7, 2**64 - 1])
def test_draws_are_even_and_follow_from_their_seed(seed: int) -> None:
    def drawn(count: int) -> np.ndarray:
        state = np.array([seed], np.uint64)
        return np.array([separate_kernels.draw(state) for _ in range(count)])

    own = drawn(20_000)[64:]
    assert (own >= 0).all() and (own < 1).all() and np.array_equal(drawn(50), drawn(50))
    counts, _ = np.histogram(own, 20, (0, 1))
    assert counts.min() > 0.85 * len(own) / 20 and counts.max() < 1.15 * len(own) / 20
    assert abs(np.corrcoef(own[:-1], own[1:])[0, 1]) < 0.03


@given(st.lists(st.floats(8, 60), min_size=3, max_size=9), st.floats(-80, 80), st.floats(-80, 80))
def test_depth_is_the_distance_to_the_edge_signed(radii: list[float], x: float, y: float) -> None:
    body = star(radii)
    pts, starts, _ = arrays(body)
    away = body.boundary.distance(Point(x, y))
    found = depth(x, y, pts, starts)
    assert abs(found) == pytest.approx(away, abs=1e-6)
    if away > 1e-6:
        assert (found > 0) == body.contains(Point(x, y))
    assert depth(x, y, np.empty((0, 2)), np.zeros(1, np.int64)) < -1e8


@given(st.lists(st.floats(8, 60), min_size=3, max_size=9), ANGLES, st.floats(-300, 300), st.floats(-300, 300))
def test_sides_are_turned_and_moved_with_their_bounds(
    radii: list[float], turn: float, x: float, y: float
) -> None:
    body = star(radii)
    sides = sides_of(body)
    out = np.empty_like(sides)
    bounds = placed_sides(sides, x, y, math.cos(math.radians(turn)), math.sin(math.radians(turn)), out)
    moved = translate(rotate(body, turn, origin=(0, 0)), x, y)
    # Sides straight within two hundredths of a mm are one.
    assert bounds == tuple(pytest.approx(v, abs=0.03) for v in moved.bounds)
    assert np.hypot(*(out[:, 2:] - out[:, :2]).T) == pytest.approx(np.hypot(*(sides[:, 2:] - sides[:, :2]).T))


def laid(seed: int, count: int) -> HideTable:
    job = read_job(json.dumps(jobs.everything(gap=0.0)))
    table = HideTable(job, job.hides[0], build_bank(job), 40)
    rng = np.random.default_rng(seed)
    for n in range(count):
        variant = table.bank.variants[int(rng.integers(len(table.bank.variants)))]
        spot = table.find(variant, 0, Wish(noise=20.0), rng).take(np.empty((0, 2)))
        if spot is not None:
            table.put(Lying(variant, n, spot))
    return table


def lies(table: HideTable, item: Lying, at: Spot | None = None) -> Any:
    spot = at or item.spot
    return place_region(item.variant.piece.region, item.variant.placing(spot.x, spot.y, spot.turn_deg))


@settings(max_examples=tried(15, 150))
@given(st.integers(0, 10_000))
def test_a_place_that_is_found_is_fair_and_one_slid_to_is_fair_and_farther(seed: int) -> None:
    table = laid(seed, 8)
    rng = np.random.default_rng(seed)
    variant = table.bank.variants[int(rng.integers(len(table.bank.variants)))]
    up = np.array([[0.0, -1.0], [-1.0, 0.0]])
    still, slid = (
        table.find(variant, 0, Wish(), np.random.default_rng(seed)).take(ways)
        for ways in (np.empty((0, 2)), up)
    )
    if still is None or slid is None:
        assert still is None and slid is None
        return
    others = [lies(table, item) for item in table.lying.values()]
    for spot in (still, slid):
        shape = lies(table, Lying(variant, 0, spot))
        assert table.hide.usable.buffer(0.05).contains(shape)
        assert all(shape.intersection(o).area < 0.1 * shape.length for o in others)
    assert slid.y <= still.y + 0.5 or slid.x <= still.x + 0.5


@settings(max_examples=tried(15, 150))
@given(st.integers(0, 10_000))
def test_the_floor_says_of_each_piece_what_its_outline_says(seed: int) -> None:
    table = laid(seed, 10)
    bodies, floor = table.layers[0].bodies, table.layers[0].floor
    for slot, item in table.lying.items():
        n = int(
            bodies.pt_at[item.variant.index * BODIES + NEAR + 1]
            - bodies.pt_at[item.variant.index * BODIES + NEAR]
        )
        shape = lies(table, item)
        assert tuple(floor.box[slot]) == tuple(pytest.approx(v, abs=0.1) for v in shape.bounds)
        assert all(shape.buffer(0.1).contains(Point(p)) for p in floor.pts[slot, :n])
        assert floor.live[slot] and floor.variant[slot] == item.variant.index


@given(st.lists(st.floats(8, 60), min_size=3, max_size=9), ANGLES, st.floats(-300, 300), st.floats(-300, 300))
def test_bounds_are_those_of_the_points_placed(radii: list[float], turn: float, x: float, y: float) -> None:
    pts, _, _ = arrays(star(radii))
    out = np.empty((len(pts) + 5, 2))
    n = shapes.place_into(
        out, pts, 0, len(pts), x, y, math.cos(math.radians(turn)), math.sin(math.radians(turn))
    )
    moved = translate(rotate(star(radii), turn, origin=(0, 0)), x, y)
    assert n == len(pts) and tuple(shapes.bounds_of(out, n)) == tuple(
        pytest.approx(v, abs=1e-6) for v in moved.bounds
    )
