"""What must hold of every pattern, hide and account, whatever their measures."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely.affinity import scale
from shapely.geometry import LineString, Point, Polygon, box

from fairlay.core.errors import BadHide
from fairlay.core.lay.account import account
from fairlay.core.lay.lay import Job, Lay
from fairlay.core.leather import Flaw, Hide, Reading, Zone
from fairlay.core.leather.hide import check_hide
from fairlay.core.pattern.by_dimensions import draw
from fairlay.core.pattern.contour import contour_of, flatten, moved, scaled, turned
from fairlay.core.pattern.edges import XY
from fairlay.core.pattern.half import unfold
from fairlay.core.pattern.stitching import lay_out
from fairlay.core.shapes.rings import (
    as_points,
    clean_ring,
    common,
    pieces_of,
    region,
    rings_of,
    simple_ring,
    union,
)
from fairlay.core.tolerances import FLATTEN_MM
from tests.effort import tried

lengths = st.floats(40, 900)


def area(ring: np.ndarray) -> float:
    return float(Polygon(ring).area)


@given(lengths, lengths, st.floats(0, 0.49))
def test_a_rectangle_is_as_large_as_asked(length: float, width: float, share: float) -> None:
    radius = share * min(length, width)
    ring = flatten(draw("rectangle", {"length": length, "width": width, "radius": radius}).contour)
    assert np.ptp(ring, axis=0) == pytest.approx([length, width], abs=0.02)
    # Chords stand off their arcs by FLATTEN_MM at most, and nodes are written to a thousandth of a mm.
    assert area(ring) == pytest.approx(
        length * width - (4 - np.pi) * radius**2,
        abs=2 * np.pi * radius * FLATTEN_MM + 0.001 * (length + width),
    )


@given(st.floats(20, 800))
def test_a_disc_is_round(across: float) -> None:
    ring = flatten(draw("disc", {"across": across}).contour)
    off = np.hypot(*(ring - across / 2).T)
    assert np.ptp(off) < 0.06 and off.mean() == pytest.approx(across / 2, abs=0.05)


@given(st.floats(60, 600), st.floats(0.2, 0.8), st.floats(-400, 400), st.floats(-400, 400), st.floats(0, 360))
def test_moving_turning_and_mirroring_keep_an_area(
    length: float, share: float, dx: float, dy: float, turn: float
) -> None:
    contour = draw(
        "lens", {"length": length, "width": length * share * 0.8, "blunt": length * share * 0.1}
    ).contour
    own = area(flatten(contour))
    off = 2 * Polygon(flatten(contour)).length * FLATTEN_MM
    assert area(flatten(moved(contour, dx, dy))) == pytest.approx(own, rel=1e-4)
    assert area(flatten(turned(contour, turn))) == pytest.approx(own, abs=off)
    assert area(flatten(scaled(contour, 2.0))) == pytest.approx(4 * own, abs=4 * off)


@given(st.floats(60, 500), st.floats(60, 500), st.floats(-20, 40))
def test_a_half_unfolds_to_twice_itself(fold: float, width: float, lean: float) -> None:
    half = contour_of([(0, 0), (width, lean), (width, fold), (0, fold)])
    whole = unfold(half, XY(0, 0), XY(0, fold))
    ring = flatten(whole.contour)
    assert area(ring) == pytest.approx(2 * area(flatten(half)), rel=1e-3)
    shape = Polygon(ring)
    assert shape.symmetric_difference(scale(shape, -1, 1, origin=(0, 0))).area < 1e-3 * shape.area
    off = np.degrees(np.arctan2(lean, width))
    assert whole.bow_mm < 0.01 and abs(whole.off_square_deg[0]) == pytest.approx(abs(off), abs=0.06)
    assert bool(whole.says) is bool(abs(off) > 1.0)


@given(
    st.lists(st.tuples(st.floats(0, 600), st.floats(0, 600)), min_size=2, max_size=5, unique=True),
    st.floats(2, 8),
    st.sampled_from(["nearest", "ease", "pitch"]),
)
def test_stitch_holes_lie_on_their_line_from_end_to_end(
    points: list[tuple[float, float]], pitch: float, spacing: str
) -> None:
    line = np.array(points)
    if LineString(line).length < 3 * pitch or np.hypot(*np.diff(line, axis=0).T).min() < 20:
        return
    found = lay_out(line, False, pitch, spacing)  # type: ignore[arg-type]  # one of the three
    assert LineString(line).buffer(1e-6).covers(LineString(found.holes)) or len(points) > 2
    assert all(LineString(line).distance(Point(*h)) < 1e-6 for h in found.holes)
    assert np.hypot(*(found.holes[0] - line[0])) < 1e-6 and np.hypot(*(found.holes[-1] - line[-1])) < 1e-6
    assert found.stitches == len(found.holes) - 1 and found.run_mm == pytest.approx(
        LineString(line).length, abs=0.01
    )
    assert sum(leg.length_mm for leg in found.legs) == pytest.approx(found.run_mm, abs=0.1)
    assert pitch * 0.9 - 5e-4 <= found.nearest_pitch_mm <= pitch * 1.1 + 5e-4, "it is told to a thousandth"


SHEET = np.array([[0, 0], [1000, 0], [1000, 600], [0, 600.0]])
boxes = st.tuples(st.floats(0, 900), st.floats(0, 500), st.floats(20, 400), st.floats(20, 300))


def ring_of(x: float, y: float, w: float, h: float) -> np.ndarray:
    return np.array([[x, y], [x + w, y], [x + w, y + h], [x, y + h]])


@settings(max_examples=tried(24, 400))
@given(
    st.lists(st.tuples(boxes, st.integers(1, 4), st.floats(0, 180)), max_size=5),
    st.floats(0, 30),
    st.lists(st.tuples(boxes, st.integers(1, 3)), max_size=4),
)
def test_the_leather_is_accounted_for_whole(
    zones: list[tuple[tuple[float, float, float, float], int, float]],
    margin: float,
    flaws: list[tuple[tuple[float, float, float, float], int]],
) -> None:
    hide = Hide(
        "x",
        "side",
        SHEET,
        edge_margin_mm=margin,
        zones=tuple(Zone(ring_of(*b), t, s) for b, t, s in zones),
        flaws=tuple(Flaw("scar", s, ring_of(*b)) for b, s in flaws),
    )
    found = account(Job("", (hide,), ()), Lay(()), hide)
    assert found.whole_m2 == pytest.approx(0.6)
    assert found.edge_m2 + found.unsound_m2 + hide.usable.area / 1e6 == pytest.approx(0.6, abs=1e-9)
    assert sum(c.usable_m2 for c in found.classes) == pytest.approx(hide.usable.area / 1e6, abs=5e-4)
    assert all(c.placed_m2 == 0 for c in found.classes)
    assert sum(shown.area for _, shown in hide.zone_regions) == pytest.approx(
        union(Polygon(z.outline) for z in hide.zones).area
    )


@given(
    st.lists(st.tuples(boxes, st.integers(1, 4)), min_size=1, max_size=5),
    st.floats(5, 995),
    st.floats(5, 595),
)
def test_the_topmost_zone_tells_the_way(
    zones: list[tuple[tuple[float, float, float, float], int]], x: float, y: float
) -> None:
    made = tuple(Zone(ring_of(*b), t, 10.0 * k) for k, (b, t) in enumerate(zones))
    hide = Hide("x", "side", SHEET, backbone_deg=77.0, zones=made)
    point = Point(x, y)
    if any(Polygon(z.outline).exterior.distance(point) < 1e-6 for z in made):
        return
    top = next((z for z in reversed(made) if Polygon(z.outline).contains(point)), None)
    assert hide.least_stretch_deg(x, y) == (77.0 if top is None else top.stretch_deg + 90.0)
    for t in (1, 2, 3):
        assert hide.looser_than(t).contains(point) is (top is not None and top.tightness > t)


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"kind": "pelt"}, "kind 'pelt'"),
        ({"zones": (Zone(SHEET, 5),)}, "tightness 5"),
        ({"flaws": (Flaw("scar", 0, SHEET),)}, "severity 0"),
        ({"thickness": (Reading(0, 0, 22.0),)}, "22.0 mm"),
        ({"edge_margin_mm": -1.0}, "edge margin"),
    ],
)
def test_a_hide_that_makes_no_sense_is_refused(change: dict[str, object], words: str) -> None:
    with pytest.raises(BadHide, match=words):
        check_hide(Hide(**{"id": "x", "kind": "side", "outline": SHEET, **change}))  # type: ignore[arg-type]  # the hide's own fields


@given(st.floats(1, 999), st.floats(1, 999))
def test_the_end_kept_is_the_larger(lo: float, hi: float) -> None:
    lo, hi = min(lo, hi), max(lo, hi)
    kept, beyond = Hide("x", "side", SHEET).end_kept_mm2(lo, hi)
    assert kept == pytest.approx(600 * max(lo, 1000 - hi))
    assert beyond == (1000 - hi >= lo)


@given(st.lists(boxes, min_size=1, max_size=6))
def test_regions_come_apart_and_together(parts: list[tuple[float, float, float, float]]) -> None:
    whole = union(box(x, y, x + w, y + h) for x, y, w, h in parts)
    assert sum(p.area for p in pieces_of(whole)) == pytest.approx(whole.area)
    for p in pieces_of(whole):
        rings = rings_of(p)
        again = region(rings[0], rings[1:], "part")
        assert again.area == pytest.approx(p.area)
        assert as_points(rings[0], 3)[0] == pytest.approx(list(rings[0][0]), abs=5e-4)


@given(st.integers(0, 500))
def test_a_ring_made_simple_encloses_nearly_the_same(seed: int) -> None:
    rng = np.random.default_rng(seed)
    t = np.linspace(0, 2 * np.pi, 60, endpoint=False)
    ring = np.stack([np.cos(t), np.sin(t)], axis=1) * 100 + rng.normal(0, 1.2, (60, 2))
    clean = simple_ring(ring)
    assert Polygon(clean).is_valid and area(clean) == pytest.approx(np.pi * 1e4, rel=0.06)
    assert Polygon(clean_ring(as_points(clean), "the ring")).area == pytest.approx(area(clean), rel=1e-4)


def test_leather_that_only_touches_is_none_in_common() -> None:
    a, b = box(0, 0, 100, 100), box(100, 0, 200, 100)
    assert common(a, b).is_empty and common(a, b, a).area == 0
    corner = Polygon([(0, 0), (60, 0), (60, 40), (100, 40), (100, 100), (0, 100)])
    ell = Polygon([(60, 0), (120, 0), (120, 60), (80, 60), (80, 40), (60, 40)])
    found = common(corner, ell)
    assert found.area == pytest.approx(20 * 20) and found.geom_type == "Polygon"
    assert common(found, Polygon()).is_empty


def test_a_flaw_along_the_border_of_a_zone_is_accounted_for() -> None:
    hide = Hide(
        "x",
        "side",
        SHEET,
        zones=(Zone(ring_of(0, 0, 23, 34), 1),),
        flaws=(Flaw("hole", 3, ring_of(0, 0, 20, 34)),),
    )
    found = account(Job("", (hide,), ()), Lay(()), hide)
    assert next(c.usable_m2 for c in found.classes if c.tightness == 1) == pytest.approx(3 * 34 / 1e6)
