"""Thickness: readings are questioned where they are wild, and never stretched beyond what was read; severity
by kind and size.
"""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from shapely.geometry import LineString, Polygon

from fairlay.core.errors import BadHide, Unavailable
from fairlay.core.leather import FLAW_KINDS, Hide, Reading
from fairlay.core.leather.gauge import (
    MOST_LEVELS,
    GaugeReading,
    check_reading,
    doubted_readings,
    thickness_contours,
)
from fairlay.core.leather.severity import longest_mm, suggested_severity
from fairlay.core.leather.usual_outline import usual_outline
from fairlay.demo import sides
from fairlay.devices.gauge import Gauge, SimulatedGauge

RING = usual_outline("side", 2.1)


def readings(*mm: float) -> list[GaugeReading]:
    places = [
        (200, 150),
        (700, 150),
        (1200, 150),
        (1700, 200),
        (500, 600),
        (1000, 650),
        (1500, 600),
        (300, 400),
    ]
    return [GaugeReading(f"r{i}", x, y, v) for i, ((x, y), v) in enumerate(zip(places, mm, strict=False))]


def hide(own: list[GaugeReading]) -> Hide:
    return Hide("x", "side", RING, thickness=tuple(Reading(r.x, r.y, r.mm) for r in own))


@given(st.lists(st.floats(0.5, 5), min_size=1, max_size=8))
def test_thickness_never_leaves_what_was_read(mm: list[float]) -> None:
    points = np.random.default_rng(0).uniform(RING.min(axis=0), RING.max(axis=0), (300, 2))
    found = hide(readings(*mm)).thickness_mm(points)
    assert found.min() >= min(mm) - 1e-9 and found.max() <= max(mm) + 1e-9


@given(st.lists(st.floats(0.5, 5), min_size=2, max_size=8))
def test_contours_lie_on_the_hide_between_what_was_read(mm: list[float]) -> None:
    own = hide(readings(*mm))
    found = thickness_contours(own)
    assert len({c.mm for c in found}) <= MOST_LEVELS + 1
    for c in found:
        assert min(mm) <= c.mm <= max(mm)
        assert LineString(c.points).within(own.region.buffer(1.0))
        # Half a cell of the grid it was drawn on.
        assert np.abs(own.thickness_mm(c.points) - c.mm).max() < 0.25 * (max(mm) - min(mm)) + 0.02


def test_the_map_is_what_the_readings_make_it_everywhere() -> None:
    hide = sides.side("F-101", 11, 2280, 1060, 104.0, (0, 0, 0), 2.35)
    xs, ys, mm = hide.thickness_map
    assert mm.shape == (len(ys), len(xs)) and xs[0] < 0 and xs[-1] > 2200
    for j, i in ((0, 0), (40, 90), (len(ys) - 1, len(xs) - 1)):
        weight = [1 / ((xs[i] - r.x) ** 2 + (ys[j] - r.y) ** 2) for r in hide.thickness]
        assert mm[j, i] == pytest.approx(
            sum(w * r.mm for w, r in zip(weight, hide.thickness, strict=True)) / sum(weight)
        )
    at = np.array([(r.x, r.y) for r in hide.thickness])
    assert np.array_equal(hide.thickness_mm(at), [r.mm for r in hide.thickness]), (
        "where it was read it is what was read"
    )


def test_alike_readings_have_no_contours() -> None:
    assert thickness_contours(hide(readings(2.0))) == () and thickness_contours(hide([])) == ()
    assert thickness_contours(hide(readings(2.0, 2.0, 2.0))) == ()


def test_the_wild_reading_is_questioned_and_not_those_round_it() -> None:
    own = readings(2.3, 2.35, 2.3, 2.2, 2.1, 9.9, 2.0)
    found = doubted_readings(own)
    assert list(found) == ["r5"] and "9.9 mm here" in found["r5"]
    sure = [GaugeReading(r.id, r.x, r.y, r.mm, True) if r.id == "r5" else r for r in own]
    assert "r5" not in doubted_readings(sure)


def test_a_side_that_thins_to_the_belly_is_not_questioned() -> None:
    assert doubted_readings(readings(2.6, 2.55, 2.45, 2.4, 2.1, 2.0, 1.95, 2.35), 2.3) == {}


@pytest.mark.parametrize(
    ("mm", "nominal", "doubted"),
    [(2.4, 2.3, False), (4.8, 2.3, True), (1.0, 2.3, True), (3.4, 2.3, False), (9.0, None, False)],
)
def test_a_few_readings_are_held_against_what_was_bought(
    mm: float, nominal: float | None, doubted: bool
) -> None:
    assert bool(doubted_readings(readings(mm), nominal)) is doubted


@pytest.mark.parametrize("mm", [0.0, -1.0, 15.1, float("nan"), float("inf")])
def test_no_leather_is_so_thick(mm: float) -> None:
    with pytest.raises(BadHide, match="thickness reading"):
        check_reading(GaugeReading("r", 0, 0, mm))


def test_the_simulated_gauge_is_a_gauge() -> None:
    gauge: Gauge = SimulatedGauge("O-044", 2.3, 2100, 1000)
    found = [gauge.read(x, y) for x in (100, 900, 1900) for y in (50, 900)]
    assert all(1.6 < mm < 2.9 and round(mm / 0.05, 6) == round(mm / 0.05) for mm in found)
    assert gauge.read(500, 50) > gauge.read(500, 900), "a belly is thinner than a back"
    assert gauge.read(500, 50) == gauge.read(500, 50)
    with pytest.raises(Unavailable, match="closes on nothing"):
        gauge.read(9000, 0)


def ring(long: float, wide: float = 6.0) -> np.ndarray:
    return np.array([[0, 0], [long, 0], [long, wide], [0, wide]], float)


@pytest.mark.parametrize(
    ("kind", "long", "severity"),
    [
        ("scratch", 30, 1),
        ("scratch", 90, 2),
        ("scar", 10, 1),
        ("scar", 60, 2),
        ("scar", 150, 3),
        ("hole", 8, 3),
        ("flay cut", 20, 3),
        ("thin spot", 30, 3),
        ("pipey grain", 80, 3),
        ("loose grain", 80, 3),
        ("warble hole", 9, 3),
        ("tick bite", 8, 1),
        ("tick bite", 14, 2),
        ("vein", 100, 1),
        ("vein", 140, 2),
        ("brand", 70, 2),
        ("brand", 200, 3),
        ("stain", 20, 1),
        ("stain", 70, 2),
        ("fold crease", 90, 1),
        ("not named", 12, 2),
    ],
)
def test_severity_is_suggested_from_kind_and_size(kind: str, long: float, severity: int) -> None:
    found, why = suggested_severity(kind, ring(long))
    assert found == severity and why


@pytest.mark.parametrize("kind", FLAW_KINDS)
def test_every_kind_has_a_suggestion(kind: str) -> None:
    assert all(suggested_severity(kind, ring(long))[0] in (1, 2, 3) for long in (8, 60, 400))
    assert suggested_severity(kind, ring(400))[0] >= suggested_severity(kind, ring(8))[0], (
        "larger is never milder"
    )


def test_an_unknown_kind_lists_those_there_are() -> None:
    with pytest.raises(BadHide, match=r"flaw of kind 'blot'.*scratch"):
        suggested_severity("blot", ring(10))


@given(st.floats(10, 400), st.floats(5, 9), st.floats(0, 3.14))
def test_a_ring_is_as_long_however_it_lies(long: float, wide: float, turn: float) -> None:
    c, s = np.cos(turn), np.sin(turn)
    assert longest_mm(ring(long, wide) @ np.array([[c, s], [-s, c]])) == pytest.approx(
        max(long, wide), rel=1e-6
    )


def test_contours_of_a_slope_are_in_order() -> None:
    own = hide(readings(2.6, 2.4, 2.2, 2.0))
    levels = {c.mm: Polygon(RING).centroid.distance(LineString(c.points)) for c in thickness_contours(own)}
    assert {2.1, 2.2, 2.3, 2.4, 2.5} <= set(levels) | {2.6}
