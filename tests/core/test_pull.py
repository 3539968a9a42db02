"""Pull tests: give to class and line of least stretch, and the map they correct."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely.geometry import Point, Polygon

from fairlay.core.errors import BadHide
from fairlay.core.formats.exchange import HideRecord, hide_values, read_hide
from fairlay.core.leather import Hide, Zone
from fairlay.core.leather.pull import (
    REACH_MM,
    USUAL_LIMITS,
    PullTest,
    check_limits,
    check_pull,
    class_of,
    corrected_map,
    correction,
    doubted_pulls,
    grade_of,
)
from fairlay.core.leather.usual_map import usual_map
from fairlay.core.leather.usual_outline import usual_outline
from tests.effort import tried

RING = usual_outline("side", 2.1)
GUESS = usual_map("side", RING)
SQUARE = np.array([[0, 0], [2000, 0], [2000, 1000], [0, 1000.0]])
gives = st.floats(0, 15)


def at(x: float, y: float, along: float, across: float, name: str = "p", **more: object) -> PullTest:
    return PullTest(name, x, y, along, across, **more)  # type: ignore[arg-type]  # the test's own fields


def class_on(zones: tuple[Zone, ...], x: float, y: float, ring: np.ndarray = RING) -> int:
    hide = Hide("x", "side", ring, zones=zones)
    return next(z.tightness for z, shown in hide.zone_regions if shown.intersects(Point(x, y)))


@pytest.mark.parametrize(
    ("give", "tightness"), [(0, 1), (2.0, 1), (2.01, 2), (4.0, 2), (4.5, 3), (7.0, 3), (7.1, 4), (30, 4)]
)
def test_give_tells_the_class(give: float, tightness: int) -> None:
    assert class_of(give) == tightness
    assert math.ceil(float(grade_of(np.array([max(give, 0.01)]))[0]) - 1e-9) == tightness


def test_a_shop_may_set_its_own_limits() -> None:
    assert [class_of(g, (1.0, 2.0, 3.0)) for g in (0.5, 1.5, 2.5, 3.5)] == [1, 2, 3, 4]


@pytest.mark.parametrize("limits", [(2, 4), (4, 2, 7), (0, 2, 4), (2, 4, 99), (2, 2, 4)])
def test_limits_that_do_not_rise_are_refused(limits: tuple[float, ...]) -> None:
    with pytest.raises(BadHide, match="limits of"):
        check_limits(limits)


@pytest.mark.parametrize(
    ("along", "across", "between"), [(-1, 2, None), (2, 41, None), (2, 3, -0.1), (math.nan, 2, None)]
)
def test_give_that_no_leather_has_is_refused(along: float, across: float, between: float | None) -> None:
    with pytest.raises(BadHide, match="a give of"):
        check_pull(at(0, 0, along, across, between_mm=between))


@pytest.mark.parametrize(
    ("along", "across", "deg", "way"),
    [(1, 3, 0, 0), (3, 1, 0, 90), (1, 3, 30, 30), (3, 1, 120, 30), (2, 2.3, 0, None), (2, 2, 45, None)],
)
def test_the_way_that_gives_least_is_told(along: float, across: float, deg: float, way: float | None) -> None:
    found = at(0, 0, along, across, deg=deg).least_stretch_deg
    assert found == way if way is None else found == pytest.approx(way)


@given(
    middle=st.floats(2, 8),
    swing=st.floats(0.5, 2),
    most=st.floats(0, 180, exclude_max=True),
    deg=st.floats(0, 90),
)
def test_three_readings_tell_the_way_at_any_angle(
    middle: float, swing: float, most: float, deg: float
) -> None:
    def give(way: float) -> float:
        return middle + swing * math.cos(2 * math.radians(way - most))

    test = at(0, 0, give(deg), give(deg + 90), deg=deg, between_mm=give(deg + 45))
    assert test.give_mm == pytest.approx(middle + swing)
    found = test.least_stretch_deg
    assert found is not None and abs((found - most - 90 + 90) % 180 - 90) < 1e-6


def test_without_tests_the_guess_stands() -> None:
    assert corrected_map(RING, (), GUESS, []) == GUESS


def test_a_test_that_agrees_changes_nothing() -> None:
    x, y = 600.0, 200.0
    zones = corrected_map(RING, (), GUESS, [at(x, y, 0.5, 1.6)])
    for px, py in [(300, 100), (600, 200), (1000, 700), (1500, 250), (400, 780)]:
        assert class_on(zones, px, py) == class_on(GUESS, px, py)


@pytest.mark.parametrize(
    ("along", "across", "tightness"), [(1, 1.5, 1), (1, 3.5, 2), (5, 6.5, 3), (6, 12, 4)]
)
@pytest.mark.parametrize("place", [(600.0, 200.0), (1500.0, 200.0), (1000.0, 700.0)])
def test_leather_is_of_the_class_that_was_tested(
    along: float, across: float, tightness: int, place: tuple[float, float]
) -> None:
    zones = corrected_map(RING, (), GUESS, [at(*place, along, across)])
    assert class_on(zones, *place) == tightness


def test_a_test_says_little_of_leather_far_away() -> None:
    zones = corrected_map(RING, (), GUESS, [at(300, 200, 3, 12)])
    assert class_on(zones, 300, 200) == 4
    assert class_on(zones, 1750, 200) == class_on(GUESS, 1750, 200)


@given(st.lists(st.tuples(st.floats(0, 2000), st.floats(0, 1000), gives, gives), min_size=1, max_size=6))
def test_a_correction_never_leaves_what_was_read(tests: list[tuple[float, float, float, float]]) -> None:
    pulls = [at(x, y, a, b, f"p{i}") for i, (x, y, a, b) in enumerate(tests)]
    points = np.random.default_rng(1).uniform((0, 0), (2000, 1000), (200, 2))
    guess = (Zone(SQUARE, 2, 90.0),)
    by = correction(points, guess, pulls)
    said = [float(grade_of(np.array([p.give_mm]))[0]) - 1.5 for p in pulls]
    assert by.min() >= min(0.0, *said) - 1e-9 and by.max() <= max(0.0, *said) + 1e-9


@settings(max_examples=tried(12, 300))
@given(st.integers(0, 10_000))
def test_a_corrected_map_can_be_written_read_and_covers_the_hide(seed: int) -> None:
    rng = np.random.default_rng(seed)
    leather = Polygon(RING)
    spots = [
        p for p in rng.uniform(RING.min(axis=0), RING.max(axis=0), (7, 2)) if leather.contains(Point(*p))
    ]
    pulls = [
        at(
            float(x),
            float(y),
            float(rng.uniform(0, 10)),
            float(rng.uniform(0, 10)),
            f"p{i}",
            between_mm=float(rng.uniform(0, 10)) if i % 2 else None,
        )
        for i, (x, y) in enumerate(spots)
    ]
    hide = Hide("x", "side", RING, zones=corrected_map(RING, (), GUESS, pulls))
    read = read_hide(HideRecord.model_validate(hide_values(hide)))
    assert sum(shown.intersection(read.region).area for _, shown in read.zone_regions) == pytest.approx(
        read.region.area, rel=1e-6
    )
    for p in pulls:
        near = Point(p.x, p.y).buffer(4.0)
        assert any(
            z.tightness == class_of(p.give_mm) for z, shown in read.zone_regions if shown.intersects(near)
        ) or any(Point(o.x, o.y).distance(Point(p.x, p.y)) < 60 for o in pulls if o is not p)


def test_the_line_of_least_stretch_is_the_nearest_tests_own() -> None:
    pulls = [at(500, 200, 3.9, 2.0, "a"), at(1500, 200, 2.0, 3.9, "b")]
    hide = Hide("x", "side", RING, zones=corrected_map(RING, (), GUESS, pulls))
    assert hide.least_stretch_deg(500, 210) % 180 == pytest.approx(90)
    # What agrees with the guess takes the guess's own way, a few degrees off.
    assert abs((hide.least_stretch_deg(1500, 210) + 90) % 180 - 90) < 12
    assert abs((hide.least_stretch_deg(500 + 2 * REACH_MM, 500) + 90) % 180 - 90) < 40


def test_one_wild_test_is_questioned_and_may_be_kept() -> None:
    calm = [at(400 + 300 * i, 300, 1.5, 2.0 + 0.2 * i, f"c{i}") for i in range(4)]
    assert doubted_pulls(calm) == {}
    wild = at(800, 350, 9, 14, "w")
    assert list(doubted_pulls([*calm, wild])) == ["w"]
    assert "2." in doubted_pulls([*calm, wild])["w"] and "14.0" in doubted_pulls([*calm, wild])["w"]
    assert doubted_pulls([*calm, at(800, 350, 9, 14, "w", sure=True)]) == {}
    assert doubted_pulls([calm[0], wild]) == {}, "one other test is no crowd"


def test_two_tests_at_one_place_do_not_break_the_map() -> None:
    zones = corrected_map(RING, (), GUESS, [at(600, 200, 3, 6, "a"), at(600, 200, 6, 3, "b")])
    assert class_on(zones, 600, 200) == class_of(6, USUAL_LIMITS)
