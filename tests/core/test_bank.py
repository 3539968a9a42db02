"""Pieces as the engine handles them: bodies, circles and placings say the same of a piece as its outline
does.
"""

from __future__ import annotations

import math
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st
from shapely.affinity import rotate, scale, translate
from shapely.geometry import Point, Polygon

from fairlay.core.engine.bank import (
    BODIES,
    COVER_MM,
    GROUND,
    MANY_POINTS,
    NEAR,
    SHOW,
    Bank,
    Variant,
    build_bank,
    sides_of,
)
from fairlay.core.lay import Job
from fairlay.core.leather import Hide
from fairlay.core.pattern import Piece
from fairlay.core.rules import Policy
from fairlay.core.shapes import Placing
from fairlay.core.shapes.placing import place_region
from fairlay.core.tolerances import SHRINK_MM
from tests.effort import tried

HIDE = Hide("H", "side", np.array([[0, 0], [1000, 0], [1000, 600], [0, 600]], float))
HOOK = np.array([[0, 0], [90, 0], [90, 25], [30, 25], [30, 80], [0, 80]], float)


@st.composite
def outlines(draw: st.DrawFn) -> np.ndarray:
    """A star about the origin: 5 to 14 corners, 15 to 90 mm out, anywhere on the page."""
    n = draw(st.integers(5, 14))
    out = np.array([draw(st.floats(15, 90)) for _ in range(n)])
    turn = np.linspace(0, 2 * math.pi, n, endpoint=False)
    ring = np.column_stack([out * np.cos(turn), out * np.sin(turn)])
    assume(Polygon(ring).is_valid)
    return ring + np.array([draw(st.floats(-300, 300)), draw(st.floats(-300, 300))])


def bank_of(*pieces: Piece, gap: float = 0.0) -> Bank:
    return build_bank(Job("", (HIDE,), pieces, Policy(gap)))


def body(bank: Bank, variant: Variant, which: int) -> Polygon:
    """A body as it lies about its centroid."""
    k = variant.index * BODIES + which
    points = bank.classes[0].bodies.pts[bank.classes[0].bodies.pt_at[k] : bank.classes[0].bodies.pt_at[k + 1]]
    starts = bank.classes[0].bodies.starts[
        bank.classes[0].bodies.ring_at[k] : bank.classes[0].bodies.ring_at[k + 1]
    ]
    rings = [points[a:b] for a, b in pairwise(starts)]
    return Polygon(rings[0], rings[1:]) if rings else Polygon()


def circles(bank: Bank, variant: Variant, which: int) -> np.ndarray:
    k = variant.index * BODIES + which
    return bank.classes[0].bodies.circles[
        bank.classes[0].bodies.circle_at[k] : bank.classes[0].bodies.circle_at[k + 1]
    ]


@settings(max_examples=tried(24, 400))
@given(outlines(), st.floats(0, 360), st.floats(-500, 500), st.floats(-500, 500), st.booleans())
def test_a_placing_puts_the_centroid_where_it_was_asked_to(
    ring: np.ndarray, turn: float, x: float, y: float, second: bool
) -> None:
    piece = Piece("p", ring, 2, pair=True)
    variant = bank_of(piece).of_piece["p"][int(second)]
    at = variant.placing(x, y, turn)
    assert at.mirrored == second == variant.mirrored
    placed = place_region(piece.region, at)
    assert (placed.centroid.x, placed.centroid.y) == (pytest.approx(x, abs=1e-6), pytest.approx(y, abs=1e-6))
    assert variant.centre_of(at) == (pytest.approx(x, abs=1e-6), pytest.approx(y, abs=1e-6))


@settings(max_examples=tried(24, 400))
@given(outlines(), st.sampled_from([0.0, 1.0, 3.0]), st.booleans())
def test_bodies_are_the_outline_a_hair_smaller_and_grown_by_half_the_gap(
    ring: np.ndarray, gap: float, second: bool
) -> None:
    piece = Piece("p", ring, 2, pair=True)
    bank = bank_of(piece, gap=gap)
    variant = bank.of_piece["p"][int(second)]
    whole = scale(piece.region, -1.0, 1.0, origin=(0, 0)) if second else piece.region
    whole = translate(whole, -whole.centroid.x, -whole.centroid.y)
    ground, near = body(bank, variant, GROUND), body(bank, variant, NEAR)
    assert whole.contains(ground) and whole.buffer(-2 * SHRINK_MM).within(ground.buffer(1e-6))
    assert whole.buffer(gap / 2 - 2 * SHRINK_MM).within(near.buffer(1e-3))
    # Mitred, and cut off at twice the reach: the cut's own corners lie no farther off than the root of five
    # times it.
    assert near.within(whole.buffer(math.sqrt(5) * gap / 2 + 1e-6, quad_segs=64).buffer(1e-3))
    assert body(bank, variant, SHOW).is_empty


@settings(max_examples=tried(24, 400))
@given(outlines(), st.floats(0, 360))
def test_circles_lie_within_their_body_however_it_is_turned(ring: np.ndarray, turn: float) -> None:
    piece = Piece("p", ring, 1)
    bank = bank_of(piece)
    (variant,) = bank.variants
    own, shown, (x0, y0, x1, y1) = bank.turned(variant, turn)
    near = rotate(body(bank, variant, NEAR), turn, origin=(0, 0))
    assert len(own) and len(shown) == 0
    for x, y, r in own:
        assert near.buffer(0.05).contains(Point(x, y).buffer(r, quad_segs=4))
    assert own[0][2] == max(c[2] for c in own), "the largest is asked about first"
    assert (x0, y0, x1, y1) == tuple(pytest.approx(v, abs=1e-6) for v in near.bounds)
    assert bank.classes[0].bodies.reach[variant.index * BODIES + NEAR] == pytest.approx(
        max(math.hypot(*p) for p in near.exterior.coords), abs=1e-6
    )


def test_a_pair_is_two_variants_and_a_single_piece_one() -> None:
    bank = bank_of(Piece("palm", HOOK, 4, pair=True), Piece("tab", HOOK, 3))
    assert [(v.piece.id, v.mirrored, v.index) for v in bank.variants] == [
        ("palm", False, 0),
        ("palm", True, 1),
        ("tab", False, 2),
    ]
    left, right = (body(bank, v, GROUND) for v in bank.of_piece["palm"])
    assert left.symmetric_difference(scale(right, -1.0, 1.0, origin=(0, 0))).area < 1e-6 * left.area
    assert left.symmetric_difference(right).area > 0.1 * left.area


def test_the_show_face_is_what_hidden_areas_leave() -> None:
    piece = Piece(
        "back",
        np.array([[0, 0], [100, 0], [100, 60], [0, 60]], float),
        1,
        hidden=(np.array([[0, 0], [40, 0], [40, 60], [0, 60]], float),),
    )
    bank = bank_of(piece)
    show = body(bank, bank.variants[0], SHOW)
    assert show.area == pytest.approx(3600, rel=0.01) and show.bounds[0] == pytest.approx(-10, abs=0.1)
    assert len(circles(bank, bank.variants[0], SHOW))


def test_a_window_is_kept_in_the_body() -> None:
    window = np.array([[30, 25], [70, 25], [70, 65], [30, 65]], float)
    bank = bank_of(Piece("vent", np.array([[0, 0], [120, 0], [120, 90], [0, 90]], float), 1, holes=(window,)))
    own = body(bank, bank.variants[0], GROUND)
    assert len(own.interiors) == 1 and own.area == pytest.approx(120 * 90 - 1600, rel=0.01)
    middle = translate(Polygon(window), -bank.variants[0].centroid[0], -bank.variants[0].centroid[1]).buffer(
        -1
    )
    assert all(not Point(x, y).within(middle) for x, y, _ in circles(bank, bank.variants[0], NEAR))


def test_an_outline_of_many_points_is_covered_by_one_of_few() -> None:
    turn = np.linspace(0, 2 * math.pi, 1200, endpoint=False)
    ring = np.column_stack(
        [(80 + 2 * np.sin(9 * turn)) * np.cos(turn), (80 + 2 * np.sin(9 * turn)) * np.sin(turn)]
    )
    bank = bank_of(Piece("seat", ring, 1))
    near = body(bank, bank.variants[0], NEAR)
    whole = translate(Polygon(ring), -Polygon(ring).centroid.x, -Polygon(ring).centroid.y)
    assert len(near.exterior.coords) < 1200 / 2 and bank.max_points < 1200 / 2 and len(ring) > MANY_POINTS
    assert whole.buffer(-2 * SHRINK_MM).within(near) and near.within(whole.buffer(3 * COVER_MM))


def test_a_piece_thinner_than_the_grid_still_has_a_circle() -> None:
    bank = bank_of(Piece("lace", np.array([[0, 0], [400, 0], [400, 0.5], [0, 0.5]], float), 1))
    assert len(circles(bank, bank.variants[0], NEAR)) >= 1


@given(outlines())
def test_sides_run_round_with_the_body_on_their_left(ring: np.ndarray) -> None:
    sides = sides_of(Polygon(ring[::-1]))
    area = ((sides[:, 0] * sides[:, 3] - sides[:, 2] * sides[:, 1]) / 2).sum()
    assert area == pytest.approx(Polygon(ring).area, rel=1e-3), "counted with its sign: counterclockwise"
    assert np.allclose(np.sort(sides[:, :2], axis=0), np.sort(sides[:, 2:], axis=0)), (
        "each side begins where another ends"
    )


def test_placings_of_the_exchange_are_read_back_the_same() -> None:
    bank = bank_of(Piece("palm", HOOK, 2, pair=True))
    for variant in bank.variants:
        at = Placing(120.5, -33.25, 217.0, variant.mirrored)
        x, y = variant.centre_of(at)
        again = variant.placing(x, y, at.rotation_deg)
        assert (again.x, again.y, again.rotation_deg, again.mirrored) == (
            pytest.approx(at.x),
            pytest.approx(at.y),
            at.rotation_deg,
            at.mirrored,
        )
