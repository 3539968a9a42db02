"""Contours, edges, shapes by their measures, half patterns and the printed scale."""

from __future__ import annotations

import math

import numpy as np
import pytest
import shapely
from hypothesis import given
from hypothesis import strategies as st
from shapely.geometry import LineString, Polygon

from fairlay.core.errors import BadPattern, BadShape
from fairlay.core.pattern.by_dimensions import SHAPES, STRAP_ENDS, draw
from fairlay.core.pattern.contour import (
    arc,
    contour_of,
    curve_points,
    flatten,
    joined,
    moved,
    rounded_off,
    scaled,
    turned,
)
from fairlay.core.pattern.edges import XY, Run, edges_of, inset, length_mm, line_of
from fairlay.core.pattern.half import unfold
from fairlay.core.pattern.scale import scale_found
from fairlay.core.tolerances import FLATTEN_MM

SQUARE = contour_of([(0, 0), (80, 0), (80, 80), (0, 80)])


@given(st.lists(st.tuples(st.floats(-300, 300), st.floats(-300, 300)), min_size=4, max_size=4))
def test_chords_stay_within_the_tolerance_of_their_curve(points: list[tuple[float, float]]) -> None:
    p = [np.array(q) for q in points]
    chords = (
        LineString(curve_points(*p)) if not np.allclose(p[0], p[3]) or not np.allclose(p[1], p[2]) else None
    )
    if chords is None or chords.length < 1e-6:
        return
    t = np.linspace(0, 1, 400)[:, None]
    curve = (1 - t) ** 3 * p[0] + 3 * (1 - t) ** 2 * t * p[1] + 3 * (1 - t) * t**2 * p[2] + t**3 * p[3]
    assert shapely.distance(shapely.points(curve), chords).max() <= FLATTEN_MM * 1.001


@given(st.floats(8, 400), st.floats(-180, 180), st.floats(20, 340))
def test_an_arc_is_round(radius: float, start: float, turn: float) -> None:
    ring = flatten((*arc(7, -3, radius, start, start + turn), (7.0, -3.0)))
    far = np.hypot(ring[:-1, 0] - 7, ring[:-1, 1] + 3)
    assert np.abs(far - radius).max() < 1e-3 * radius + 1e-6


@given(st.floats(40, 300), st.floats(30, 200), st.floats(-10, 10), st.floats(0.5, 8), st.booleans())
def test_corners_are_rounded_as_far_as_a_disc_reaches_into_them(
    long: float, wide: float, lean: float, radius: float, other_way: bool
) -> None:
    corners = [(0.0, 0.0), (long, lean), (long + lean, wide), (lean, wide - lean)]
    nodes = rounded_off(corners[::-1] if other_way else corners, radius)
    reached = Polygon(corners).buffer(-radius).buffer(radius, quad_segs=64)
    off = Polygon(flatten(joined(nodes, 9))).symmetric_difference(reached).area
    assert off < FLATTEN_MM * 2.2 * math.pi * radius, "no farther off than chords are from their arcs"


def test_a_corner_that_goes_in_is_rounded_too_and_arcs_that_meet_are_refused() -> None:
    boot = [(0, 0), (60, 0), (60, 20), (20, 20), (20, 60), (0, 60)]
    area = Polygon(flatten(joined(rounded_off(boot, 8)))).area
    assert area == pytest.approx(2000 - (5 - 1) * (1 - math.pi / 4) * 64, rel=1e-3)
    with pytest.raises(BadShape, match=r"10\.5 mm radius meet"):
        rounded_off(boot, 10.5)


def test_a_disc_has_the_area_of_one_and_a_contour_keeps_it_however_it_is_moved() -> None:
    disc = draw("disc", {"across": 104}).contour
    area = math.pi * 52**2
    for same in (disc, moved(disc, 30, -8), turned(disc, 33)):
        assert Polygon(flatten(same)).area == pytest.approx(area, rel=2e-3)
    assert Polygon(flatten(scaled(disc, 2))).area == pytest.approx(4 * area, rel=2e-3)
    assert len(joined([(0, 0), (10, 0), (10, 0), (10, 10), (0, 0)])) == 3


@pytest.mark.parametrize("node", [(1.0,), (1.0, 2.0, 3.0), (math.nan, 0.0), ("a", 0)])
def test_a_node_that_is_none_is_refused(node: tuple[float, ...]) -> None:
    with pytest.raises(BadShape, match="node 2"):
        flatten(((0.0, 0.0), node, (5.0, 5.0)))


@pytest.mark.parametrize(
    ("kind", "measures", "edges"),
    [
        ("strap", {}, 5),
        ("strap", {"end": 0}, 4),
        ("rectangle", {"radius": 10}, 4),
        ("rectangle", {"radius": 0}, 4),
        ("disc", {}, 1),
        ("triangle", {}, 3),
        ("trapezoid", {}, 4),
        ("lens", {}, 4),
        ("lens", {"blunt": 0}, 2),
    ],
)
def test_edges_go_from_corner_to_corner(kind: str, measures: dict[str, float], edges: int) -> None:
    ring = flatten(draw(kind, measures).contour)
    runs = edges_of(ring)
    assert len(runs) == edges
    assert sum(length_mm(line_of(ring, r)) for r in runs) == pytest.approx(Polygon(ring).length)


def test_a_line_inside_an_edge_keeps_its_distance() -> None:
    ring = flatten(draw("rectangle", {"length": 200, "width": 100, "radius": 12}).contour)
    whole, closed = inset(ring, None, 5)
    assert closed and shapely.distance(shapely.points(whole), Polygon(ring).exterior) == pytest.approx(
        np.full(len(whole), 5.0), abs=0.02
    )
    for run in edges_of(ring):
        line, closed = inset(ring, run, 5)
        assert not closed and Polygon(ring).buffer(0.01).covers(LineString(line))
        assert np.hypot(*(line[0] - [run.start.x, run.start.y])) < 6
    with pytest.raises(BadPattern, match="no line can run 60 mm inside"):
        inset(ring, None, 60)
    around = line_of(ring, Run(XY(150, 0), XY(50, 0)))
    assert length_mm(around) == pytest.approx(Polygon(ring).length - 100, abs=0.1)


@pytest.mark.parametrize("kind", list(SHAPES))
def test_every_shape_keeps_its_measures(kind: str) -> None:
    shape = SHAPES[kind]
    drawn = draw(kind, {})
    ring = flatten(drawn.contour)
    x0, y0, x1, _ = Polygon(ring).bounds
    usual = {m.name: m.usual for m in shape.measures}
    long = usual.get("length", usual.get("across", usual.get("base")))
    assert x1 - x0 == pytest.approx(long, abs=0.06) and (x0, y0) == pytest.approx((0, 0), abs=0.06)
    for m in shape.measures:
        with pytest.raises(BadPattern, match=kind):
            draw(kind, {m.name: m.most + 1})
    with pytest.raises(BadPattern, match="no measure called 'girth'"):
        draw(kind, {"girth": 3})


@given(st.floats(80, 900), st.floats(8, 40), st.integers(0, 3), st.integers(0, 3))
def test_a_strap_is_as_long_and_wide_as_asked_whatever_its_ends(
    length: float, width: float, start: int, end: int
) -> None:
    if length < 3.5 * width:
        return
    outline = Polygon(
        flatten(draw("strap", {"length": length, "width": width, "start": start, "end": end}).contour)
    )
    x0, y0, x1, y1 = outline.bounds
    assert outline.is_valid and (x1 - x0, y1 - y0) == pytest.approx((length, width), abs=0.05)
    assert outline.area <= length * width + 0.5 and (outline.area > length * width - 0.5) == (
        STRAP_ENDS[start] == STRAP_ENDS[end] == "square"
    )


def test_shapes_that_cannot_be_are_refused() -> None:
    for kind, measures, words in (
        ("rectangle", {"length": 20, "width": 10, "radius": 8}, "corners of 8 mm"),
        ("ring", {"across": 20, "hole": 25}, "hole of 25 mm"),
        ("strap", {"length": 20, "width": 30, "end": 3}, "with ends of"),
        ("lens", {"length": 30, "width": 100}, "a lens of"),
        ("notched panel", {"notches": 30, "opening": 20}, "30 notches"),
        ("notched panel", {"notches": 2.5}, "a whole number"),
        ("hexagon", {}, "no shape called"),
    ):
        with pytest.raises(BadPattern, match=words):
            draw(kind, measures)


def test_a_square_half_makes_a_whole_twice_as_wide() -> None:
    whole = unfold(SQUARE, XY(0, 0), XY(0, 80))
    assert whole.says == () and Polygon(flatten(whole.contour)).area == pytest.approx(2 * 6400)
    assert Polygon(flatten(whole.contour)).bounds == pytest.approx((-80, 0, 80, 80))


def test_a_fold_edge_that_is_not_straight_or_square_is_told_by_how_much() -> None:
    bowed = contour_of([(0, 0), (100, 0), (100, 200), (0, 200), (-1.6, 100)])
    whole = unfold(bowed, XY(0, 0), XY(0, 200))
    assert (
        whole.bow_mm == pytest.approx(1.6, abs=0.1)
        and "wanders by 1.6 mm" in whole.says[0]
        and "3.2 mm" in whole.says[0]
    )
    leaning = contour_of([(0, 0), (100, -5), (100, 200), (0, 200)])
    whole = unfold(leaning, XY(0, 0), XY(0, 200))
    assert (
        whole.off_square_deg == pytest.approx((2.9, 0.0), abs=0.15)
        and "2.9 degrees off square" in whole.says[0]
        and "point of 5.7" in whole.says[0]
    )
    x0, _, x1, _ = Polygon(flatten(whole.contour)).bounds
    assert x0 == pytest.approx(-x1)


@pytest.mark.parametrize(
    ("a", "b", "words"),
    [
        ((40, 0), (40, 80), "over the centre line"),
        ((0, 0), (0, 1), "centre line of 1.0 mm"),
        ((-30, 0), (-30, 80), "does not lie along an edge"),
    ],
)
def test_a_centre_line_that_is_none_is_refused(
    a: tuple[float, float], b: tuple[float, float], words: str
) -> None:
    with pytest.raises(BadPattern, match=words):
        unfold(SQUARE, XY(*a), XY(*b))


@pytest.mark.parametrize(
    ("measured", "right", "percent", "words"),
    [
        (100.0, True, 100, "right"),
        (100.2, True, 100, "right"),
        (97.0, False, 103.09, "3.0 % too small.*300 mm comes out 9.0 mm short.*fit to page"),
        (104.2, False, 95.97, "4.2 % too large"),
        (75.0, False, 133.33, "72 points"),
    ],
)
def test_a_wrong_bar_is_told_in_percent(measured: float, right: bool, percent: float, words: str) -> None:
    found = scale_found(measured)
    assert found.right == right and found.set_percent == pytest.approx(percent, abs=0.01)
    assert measured * found.factor == pytest.approx(100)
    import re

    assert re.search(words, found.says)


@pytest.mark.parametrize("measured", [0.0, -5.0, 3.0, 900.0, math.nan])
def test_a_measure_that_no_bar_has_is_refused(measured: float) -> None:
    with pytest.raises(BadPattern, match="from outer line to outer line"):
        scale_found(measured)
