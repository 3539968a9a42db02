"""Rings are cleaned or refused; kernels agree with a slow plain reference on shapely."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st
from shapely.affinity import affine_transform
from shapely.geometry import Point, Polygon, box

from fairlay.core.engine.kernels import inscribed_circles
from fairlay.core.errors import BadShape
from fairlay.core.shapes import Placing, clean_ring, kernels, place_points, place_region, region, rings_of
from fairlay.core.shapes.field import distance_field
from tests.effort import tried

coordinate = st.floats(-200, 200, allow_nan=False).map(lambda v: round(v, 2))


@st.composite
def star(draw: st.DrawFn, most: int = 14) -> Polygon:
    """A simple polygon: points at rising angles about a middle."""
    n = draw(st.integers(3, most))
    radii = draw(st.lists(st.floats(5, 120), min_size=n, max_size=n))
    turn, x, y = draw(st.floats(0, 6)), draw(coordinate), draw(coordinate)
    points = [
        (x + r * math.cos(turn + 2 * math.pi * i / n), y + r * math.sin(turn + 2 * math.pi * i / n))
        for i, r in enumerate(radii)
    ]
    found = Polygon(points)
    assume(found.is_valid and found.area > 20)
    return found


def body(polygon: Polygon) -> tuple[np.ndarray, np.ndarray, tuple[float, ...]]:
    rings = rings_of(polygon)
    pts = np.concatenate(rings)
    return pts, np.cumsum([0, *map(len, rings)]).astype(np.int64), (*pts.min(axis=0), *pts.max(axis=0))


@pytest.mark.parametrize(
    ("points", "words"),
    [
        ([[0, 0], [10, 10], [10, 0], [0, 10]], "crosses or touches itself"),
        ([[0, 0], [10, 0], [20, 0]], "crosses or touches itself|encloses"),
        ([[0, 0], [0, 0], [5, 5], [5, 5]], "2 distinct points"),
        ([[0, 0], [1, math.nan], [1, 1]], "point 2 .* nan"),
        ([[0, 0], [1, math.inf], [1, 1]], "point 2 .* inf"),
        ([[0, 0, 1], [1, 0, 1], [1, 1, 1]], "shape"),
        ([["a", 0], [1, 0], [1, 1]], "not a pair of numbers"),
        ([], "shape|0 distinct"),
        ([[0, 0], [0.5, 0], [0.5, 0.5]], "encloses 0.125 mm2"),
    ],
)
def test_a_bad_outline_is_refused_by_name(points: list, words: str) -> None:
    with pytest.raises(BadShape, match=words) as raised:
        clean_ring(points, "piece flap")
    assert "piece flap" in str(raised.value)


def test_repeated_and_closing_points_are_dropped() -> None:
    assert len(clean_ring([[0, 0], [10, 0], [10, 0], [10, 10], [0, 10], [0, 0]], "flap")) == 4


def test_a_hole_outside_is_refused() -> None:
    with pytest.raises(BadShape, match="hole lies outside"):
        region(
            np.array(box(0, 0, 10, 10).exterior.coords)[:-1],
            [np.array(box(20, 20, 25, 25).exterior.coords)[:-1]],
        )


@given(star(), st.floats(-360, 360), coordinate, coordinate, st.booleans())
def test_placing_mirrors_then_turns_then_moves(
    polygon: Polygon, turn: float, x: float, y: float, mirrored: bool
) -> None:
    at = Placing(x, y, turn, mirrored)
    hand, t = (-1 if mirrored else 1), math.radians(turn)
    plain = [
        (math.cos(t) * hand * px - math.sin(t) * py + x, math.sin(t) * hand * px + math.cos(t) * py + y)
        for px, py in polygon.exterior.coords
    ]
    assert np.allclose(place_points(np.array(polygon.exterior.coords), at), plain, atol=1e-9)
    assert place_region(polygon, at).symmetric_difference(Polygon(plain)).area < 1e-6


@given(star(), coordinate, coordinate)
def test_inside_and_distance_agree_with_the_plain_reference(polygon: Polygon, x: float, y: float) -> None:
    pts, starts, _ = body(polygon)
    away = polygon.exterior.distance(Point(x, y))
    assert kernels.distance_to_body(x, y, pts, starts) == pytest.approx(away, abs=1e-6)
    if away > 1e-6:
        assert kernels.inside(x, y, pts, starts) == polygon.contains(Point(x, y))


@settings(max_examples=tried(50, 1500))
@given(star(), star(), st.booleans())
def test_overlap_agrees_with_the_plain_reference(a: Polygon, b: Polygon, windowed: bool) -> None:
    if windowed:
        hole = affine_transform(a, [0.5, 0, 0, 0.5, a.centroid.x / 2, a.centroid.y / 2])
        assume(a.buffer(-1).contains(hole))
        a = Polygon(a.exterior, [hole.exterior])
        b = affine_transform(
            b, [0.2, 0, 0, 0.2, a.centroid.x - 0.2 * b.centroid.x, a.centroid.y - 0.2 * b.centroid.y]
        )
    shared, apart = a.intersection(b).area, a.distance(b)
    assume(shared > 1e-3 or apart > 1e-3)
    assert overlap(a, b) == (shared > 1e-3)


def overlap(a: Polygon, b: Polygon) -> bool:
    pa, sa, ba = body(a)
    pb, sb, bb = body(b)
    return bool(kernels.bodies_overlap(pa, sa, ba, pb, sb, bb, np.empty((len(pb), 4))))


@pytest.mark.parametrize(
    ("other", "wanted"),
    [
        (box(0, 0, 30, 20), True),  # the very same
        (box(10, 0, 40, 20), True),  # moved along its own sides, so that no edges properly cross
        (box(10, 5, 20, 15), True),  # wholly inside
        (box(-5, -5, 50, 50), True),  # wholly around
        (
            box(30, 0, 60, 20),
            True,
        ),  # butted exactly: touching counts, and the shrink keeps butted pieces apart
        (box(30.01, 0, 60, 20), False),
        (box(0, 20.01, 30, 30), False),
    ],
)
def test_overlap_where_sides_lie_on_one_line(other: Polygon, wanted: bool) -> None:
    assert overlap(box(0, 0, 30, 20), other) == wanted


@settings(max_examples=tried(24, 400))
@given(star())
def test_circles_lie_inside_and_the_first_is_nearly_the_largest(polygon: Polygon) -> None:
    pts, starts, _ = body(polygon)
    circles = inscribed_circles(pts, starts, 10, 10)
    assert len(circles)
    for x, y, r in circles:
        assert polygon.buffer(0.05).contains(Point(x, y).buffer(r * 0.999))
    assert polygon.buffer(-circles[0, 2] * 1.25 - 1.5).is_empty


@settings(max_examples=tried(24, 400))
@given(st.floats(15, 60), st.floats(4, 38), st.booleans(), st.floats(0, 0.4))
def test_no_end_of_a_long_body_is_without_circles(
    wide: float, times: float, upright: bool, tapered: float
) -> None:
    long = wide * times
    strap = Polygon([(0, 0), (long, tapered * wide / 2), (long, wide * (1 - tapered / 2)), (0, wide)])
    if upright:
        strap = affine_transform(strap, [0, -1, 1, 0, 0, 0])
    pts, starts, _ = body(strap)
    circles = inscribed_circles(pts, starts, 14, 24)
    along = circles[:, 1 if upright else 0]
    assert len(circles) <= 24
    assert all(np.abs(along - x).min() < 1.6 * wide for x in np.linspace(wide / 2, long - wide / 2, 99))


def test_the_tail_of_a_wide_head_has_circles_too() -> None:
    shape = Point(0, 0).buffer(80).union(box(0, -15, 700, 15))
    pts, starts, _ = body(shape)
    circles = inscribed_circles(pts, starts, 14, 24)
    assert all(np.abs(circles[:, 0] - x).min() < 45 for x in np.linspace(100, 690, 60))


def test_the_distance_field_is_the_distance() -> None:
    mask = np.zeros((60, 90), np.bool_)
    ground = Polygon([(20, 30), (300, 20), (330, 210), (60, 190)], [box(150, 80, 190, 120).exterior.coords])
    pts, starts, _ = body(ground)
    kernels.paint_body(mask, pts, starts, 0.0, 0.0, 4.0, True)
    field = distance_field(mask, 4.0)
    for row, col in np.random.default_rng(3).integers((0, 0), mask.shape, (300, 2)):
        point = Point(col * 4.0, row * 4.0)
        true = ground.boundary.distance(point) * (1 if ground.contains(point) else -1)
        assert field[row, col] == pytest.approx(true, abs=4.0)


def test_a_field_without_ground_is_everywhere_outside() -> None:
    assert (distance_field(np.zeros((5, 7), np.bool_), 4.0) < 0).all()
    assert (distance_field(np.ones((5, 7), np.bool_), 4.0) > 0).all()
