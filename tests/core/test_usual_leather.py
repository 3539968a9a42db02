"""What leather usually is: outlines by kind and area, the map of tightness on them."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from shapely.affinity import scale
from shapely.geometry import LineString, Point, Polygon, box

from fairlay.core.errors import BadHide
from fairlay.core.leather.backbone import backbone_of
from fairlay.core.leather.by_rule import Station, outline_by_rule
from fairlay.core.leather.hide import Hide
from fairlay.core.leather.made_up import grow
from fairlay.core.leather.usual_map import usual_map
from fairlay.core.leather.usual_outline import SHAPES, SIDE, usual_outline
from fairlay.core.shapes.rings import Ring

KINDS = ["side", "whole", "bend", "shoulder", "belly", "offcut"]


@pytest.mark.parametrize("kind", KINDS)
@given(area=st.floats(0.05, 6.0))
def test_a_usual_outline_has_its_area_and_lies_at_the_corner(kind: str, area: float) -> None:
    ring = usual_outline(kind, area)
    shape = Polygon(ring)
    assert shape.is_valid
    # Written to a tenth of a mm, which a small offcut feels.
    assert shape.area / 1e6 == pytest.approx(area, rel=5e-3)
    assert ring.min(axis=0) == pytest.approx([0, 0], abs=0.06)


def test_a_whole_hide_is_two_sides_back_to_back() -> None:
    ring = usual_outline("whole", 4.4)
    (x0, y0), (x1, y1) = ring.min(axis=0), ring.max(axis=0)
    assert Polygon(ring).covers(LineString([(x0 + 20, (y0 + y1) / 2), (x1 - 20, (y0 + y1) / 2)])), (
        "they hang together along the whole backbone"
    )
    upper, lower = (
        Polygon(ring).intersection(box(x0, y, x1, y + (y1 - y0) / 2)).area for y in (y0, (y0 + y1) / 2)
    )
    assert upper == pytest.approx(lower, rel=1e-3)
    shape = Polygon(ring)
    middle = ring[:, 1].max() / 2
    turned = scale(shape, 1, -1, origin=(0, middle))
    assert shape.symmetric_difference(turned).area < 0.01 * shape.area
    assert shape.intersection(box(-1, -1, 9e3, middle)).area == pytest.approx(shape.area / 2, rel=0.01)


@pytest.mark.parametrize(
    ("kind", "area"), [("roll", 1.0), ("pelt", 1.0), ("side", 0.0), ("side", 31.0), ("side", float("nan"))]
)
def test_no_outline_is_made_up_for_what_has_none(kind: str, area: float) -> None:
    with pytest.raises(BadHide):
        usual_outline(kind, area)


def _class_at(kind: str, ring: Ring, x: float, y: float) -> int:
    hide = Hide("x", kind, ring, zones=usual_map(kind, ring))
    (x0, y0), (x1, y1) = ring.min(axis=0), ring.max(axis=0)
    point = Point(x0 + x * (x1 - x0), y0 + y * (y1 - y0))
    return next((zone.tightness for zone, shown in hide.zone_regions if shown.intersects(point)), 0)


@pytest.mark.parametrize(
    ("kind", "x", "y", "tightness"),
    [
        ("side", 0.3, 0.1, 1),
        ("side", 0.5, 0.4, 1),
        ("side", 0.72, 0.2, 2),
        ("side", 0.94, 0.3, 3),
        ("side", 0.45, 0.75, 3),
        ("side", 0.18, 0.8, 4),
        ("side", 0.72, 0.74, 4),
        ("whole", 0.3, 0.45, 1),
        ("whole", 0.3, 0.55, 1),
        ("whole", 0.72, 0.6, 2),
        ("whole", 0.72, 0.4, 2),
        ("whole", 0.45, 0.1, 3),
        ("whole", 0.45, 0.9, 3),
        ("bend", 0.5, 0.5, 1),
        ("belly", 0.5, 0.2, 3),
        ("belly", 0.5, 0.8, 4),
        ("shoulder", 0.5, 0.2, 2),
        ("shoulder", 0.3, 0.85, 3),
        ("offcut", 0.5, 0.4, 2),
    ],
)
def test_the_usual_map_knows_the_parts_of_a_hide(kind: str, x: float, y: float, tightness: int) -> None:
    assert _class_at(kind, usual_outline(kind, 2.0 if kind != "whole" else 4.2), x, y) == tightness


def test_a_roll_has_no_map() -> None:
    assert usual_map("roll", np.array([[0, 0], [100, 0], [100, 50], [0, 50.0]])) == ()


@pytest.mark.parametrize("seed", range(6))
def test_the_map_covers_every_side_whole(seed: int) -> None:
    rng = np.random.default_rng(seed)
    ring = grow(SIDE, float(rng.uniform(1700, 2500)), float(rng.uniform(850, 1200)), rng)
    hide = Hide("x", "side", ring, zones=usual_map("side", ring))
    shown = sum(part.intersection(hide.region).area for _, part in hide.zone_regions)
    assert shown == pytest.approx(hide.region.area, rel=1e-6)
    share = {
        t: sum(part.intersection(hide.region).area for z, part in hide.zone_regions if z.tightness == t)
        / hide.region.area
        for t in (1, 2, 3, 4)
    }
    assert share[1] > share[4] > 0.02 and share[2] > 0.1 and 0.25 < share[3] < 0.6


@pytest.mark.parametrize("seed", range(8))
@pytest.mark.parametrize("turn", [0.0, 4.0, -9.0, 178.0])
def test_the_backbone_is_the_long_straight_edge(seed: int, turn: float) -> None:
    ring = grow(SIDE, 2200, 1050, np.random.default_rng(seed))
    t = np.radians(turn)
    turned = ring @ np.array([[np.cos(t), np.sin(t)], [-np.sin(t), np.cos(t)]])
    tail, neck = backbone_of(turned)
    assert tail[0] <= neck[0]
    way = np.degrees(np.arctan2(neck[1] - tail[1], neck[0] - tail[0]))
    assert abs((way - turn + 90) % 180 - 90) < 4
    assert np.hypot(*(neck - tail)) > 1400
    # The rest of the leather lies to one side of it.
    off = (turned - tail) @ np.array([-(neck - tail)[1], (neck - tail)[0]]) / np.hypot(*(neck - tail))
    assert min(np.abs(off.max()), np.abs(off.min())) < 40


@pytest.mark.parametrize("turn", [0.0, 4.0, -37.0, 61.0, 88.0])
def test_a_whole_hide_folds_on_its_backbone(turn: float) -> None:
    rng = np.random.default_rng(8)
    whole = usual_outline("whole", 4.4)
    # No two sides of a beast are quite alike.
    uneven = whole + np.stack(
        [np.zeros(len(whole)), 25 * np.sin(np.linspace(0, 9, len(whole))) + rng.normal(0, 2, len(whole))],
        axis=1,
    )
    t = np.radians(turn)
    turned = uneven @ np.array([[np.cos(t), np.sin(t)], [-np.sin(t), np.cos(t)]])
    tail, neck = backbone_of(turned, "whole")
    way = np.degrees(np.arctan2(neck[1] - tail[1], neck[0] - tail[0]))
    assert tail[0] <= neck[0] and abs((way - turn + 90) % 180 - 90) < 3
    assert np.hypot(*(neck - tail)) == pytest.approx(np.ptp(whole[:, 0]), rel=0.03)
    side = np.array([-(neck - tail)[1], (neck - tail)[0]]) / np.hypot(*(neck - tail))
    off = (turned - tail) @ side
    assert abs(off.max() + off.min()) < 0.06 * np.ptp(off), "it runs down the middle"


def test_an_outline_by_rule_goes_through_its_stations() -> None:
    stations = [Station(x, 5 * (x > 400), 600 + 0.1 * x) for x in (0.0, 300.0, 600.0, 900.0, 1200.0)]
    ring = outline_by_rule(list(reversed(stations)))
    shape = Polygon(ring)
    assert shape.is_valid
    for s in stations:
        for y in (s.begins, s.ends):
            assert shape.exterior.distance(Point(s.along, y)) < 0.5
    assert shape.area / 1e6 == pytest.approx(0.79, rel=0.01)


@pytest.mark.parametrize(
    ("stations", "words"),
    [
        ([Station(0, 0, 5), Station(1, 0, 5)], "2 stations"),
        ([Station(0, 0, 500), Station(0.5, 0, 500), Station(400, 0, 500)], "two stations"),
        ([Station(0, 0, 500), Station(200, 600, 500), Station(400, 0, 500)], "before it begins"),
        ([Station(0, 0, 500), Station(200, 0, 9e9), Station(400, 0, 500)], "lengths up to"),
        ([Station(0, 0, float("nan")), Station(200, 0, 900), Station(400, 0, 500)], "lengths up to"),
        ([Station(0, 0, 0), Station(200, 0, 0), Station(400, 0, 0)], "enclose no leather"),
    ],
)
def test_stations_that_make_no_outline_are_named(stations: list[Station], words: str) -> None:
    with pytest.raises(BadHide, match=words):
        outline_by_rule(stations)


def test_every_shape_has_its_usual_proportion() -> None:
    for kind, (_, ratio) in SHAPES.items():
        long, deep = usual_outline(kind, 1.0).max(axis=0)
        assert long / deep == pytest.approx(ratio, rel=0.12), kind
