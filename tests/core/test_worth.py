"""What a hide is worth: blocks and straps lie on clean leather and none larger does; what articles accept;
which batch it suits.
"""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely.affinity import rotate
from shapely.geometry import box

from fairlay.core.lay.hide_worth import (
    CELL_MM,
    accepted_by,
    clean_block,
    clean_ground,
    strap_run,
    suits_batch,
)
from fairlay.core.lay.order import cutlist
from fairlay.core.leather import Flaw, Hide, Zone
from fairlay.core.pattern import Piece
from fairlay.core.rules import Policy
from fairlay.demo import sides
from fairlay.demo.patterns import BODY, articles
from tests.effort import tried
from tests.jobs import rectangle

SHEET = np.array([[0, 0], [2000, 0], [2000, 1000], [0, 1000.0]])


def sheet(
    *flaws: tuple[float, float, float, float, int], zones: tuple[Zone, ...] = (), margin: float = 0.0
) -> Hide:
    rings = [
        Flaw("scar", s, np.array([[x, y], [x + w, y], [x + w, y + h], [x, y + h]], float))
        for x, y, w, h, s in flaws
    ]
    return Hide("x", "side", SHEET, cost_per_m2=100.0, flaws=tuple(rings), zones=zones, edge_margin_mm=margin)


def piece(name: str, w: float, h: float, quantity: int = 4, **needs: object) -> Piece:
    return Piece(name, np.array(rectangle(w, h), float), quantity=quantity, **needs)  # type: ignore[arg-type]  # the piece's own fields


def test_a_plain_sheet_is_one_block() -> None:
    block = clean_block(sheet())
    assert block is not None and block.area_m2 == pytest.approx(2.0, rel=0.03) and block.length_mm <= 2000
    strap = strap_run(sheet())
    assert strap is not None and strap.length_mm == pytest.approx(2000, abs=25) and strap.deg == 0


@pytest.mark.parametrize(("severity", "free"), [(1, True), (2, False), (3, False)])
def test_marks_of_the_surface_do_not_count_against_a_block(severity: int, free: bool) -> None:
    block = clean_block(sheet((990, 0, 20, 1000, severity)))
    assert block is not None and (block.length_mm > 1900) is free


def test_loose_leather_is_no_block() -> None:
    loose = Zone(np.array([[0, 500], [2000, 500], [2000, 1000], [0, 1000.0]]), 3)
    block = clean_block(sheet(zones=(loose,)))
    assert block is not None and block.depth_mm <= 500 and block.length_mm > 1950
    assert (
        clean_block(sheet(zones=(Zone(SHEET, 4),))) is None
        and strap_run(sheet(zones=(Zone(SHEET, 3),))) is None
    )


@settings(max_examples=tried(25, 250))
@given(
    st.lists(
        st.tuples(
            st.floats(0, 1900), st.floats(0, 900), st.floats(10, 300), st.floats(10, 300), st.integers(2, 3)
        ),
        max_size=6,
    )
)
def test_blocks_and_straps_lie_on_clean_leather(flaws: list[tuple[float, float, float, float, int]]) -> None:
    hide = sheet(*flaws, margin=5.0)
    ground = clean_ground(hide)
    block, strap = clean_block(hide), strap_run(hide, 60.0)
    if block is not None:
        assert ground.buffer(0.01).covers(
            box(block.x, block.y, block.x + block.length_mm, block.y + block.depth_mm)
        )
    if strap is not None:
        lane = rotate(
            box(strap.x, strap.y, strap.x + strap.length_mm, strap.y + strap.width_mm),
            strap.deg,
            origin=(strap.x, strap.y),
        )
        assert ground.buffer(0.6).covers(lane) and strap.width_mm >= 60


@pytest.mark.parametrize("seed", [1, 2, 3])
def test_no_larger_block_is_found_by_trying(seed: int) -> None:
    rng = np.random.default_rng(seed)
    hide = sheet(
        *[(float(rng.uniform(0, 1900)), float(rng.uniform(0, 900)), 80.0, 60.0, 3) for _ in range(5)]
    )
    block = clean_block(hide)
    assert block is not None
    ground = clean_ground(hide)
    best = 0.0
    for _ in range(4000):
        x0, x1 = np.sort(rng.uniform(0, 2000, 2))
        y0, y1 = np.sort(rng.uniform(0, 1000, 2))
        if (x1 - x0) * (y1 - y0) > best and ground.covers(box(x0, y0, x1, y1)):
            best = (x1 - x0) * (y1 - y0)
    # Cells cost at most two of themselves along each side.
    assert (block.length_mm + 2 * CELL_MM) * (block.depth_mm + 2 * CELL_MM) >= best


def test_a_slanting_strap_is_found() -> None:
    # Two notches leave a straight way only a few degrees off the backbone.
    hide = sheet(
        (0, 0, 2000, 200, 3), (0, 760, 2000, 240, 3), (600, 460, 100, 300, 3), (1300, 200, 100, 235, 3)
    )
    strap = strap_run(hide, 60.0)
    assert strap is not None and strap.length_mm > 1500 and strap.deg != 0


def test_what_rules_accept_is_told_for_some_and_for_every_piece() -> None:
    hide = sheet((0, 0, 1000, 1000, 2))
    plain, show = piece("plain", 100, 100), piece("show", 100, 100, show_limit=1)
    found = accepted_by(hide, [plain, show])
    assert found.any_m2 == pytest.approx(2.0) and found.all_m2 == pytest.approx(1.0) and found.never == ()
    assert found.cost_per_usable_m2 == pytest.approx(100.0)
    only = accepted_by(hide, [show])
    assert only.any_m2 == pytest.approx(1.0) and only.cost_per_usable_m2 == pytest.approx(200.0)
    none = accepted_by(sheet((0, 0, 2000, 1000, 3)), [plain])
    assert none.any_m2 == 0 and math.isinf(none.cost_per_usable_m2) and none.never == ("plain",)
    assert accepted_by(hide, []).any_m2 == 0


def test_a_batch_is_suited_by_what_it_needs() -> None:
    hide = sheet((0, 0, 1400, 1000, 2))
    easy, hard = [piece("tab", 80, 80, 20)], [piece("panel", 500, 400, 4, show_limit=1)]
    names = {"tab": "Tab", "panel": "Panel"}
    a, b = suits_batch(hide, easy, names), suits_batch(hide, hard, names)
    assert a.score > b.score and a.share == b.share == 1.0
    assert "bears every piece" in a.reason
    spoilt = suits_batch(sheet((0, 0, 2000, 950, 3)), [*easy, *hard], names)
    assert spoilt.share < 1 and "Panel" in spoilt.reason
    nothing = suits_batch(sheet((0, 0, 1990, 1000, 3)), hard, names)
    assert nothing.score == 0 and "none of the pieces: Panel" in nothing.reason
    assert suits_batch(hide, [], names).score == 0


def test_leather_too_good_for_a_batch_says_so() -> None:
    fine = sheet(zones=(Zone(SHEET, 1),))
    rough = suits_batch(fine, [piece("washer", 40, 40, 50, max_tightness=4)], {})
    needs = suits_batch(fine, [piece("strap", 40, 40, 50, max_tightness=1)], {})
    assert "tighter than anything here needs" in rough.reason and rough.score < needs.score


@pytest.mark.parametrize("article", [a.slug for a in articles() if any(p.material == BODY for p in a.pieces)])
def test_the_demo_sides_bear_the_demo_articles(article: str) -> None:
    hide = sides.side("F-101", 11, 2280, 1060, 104.0, (7, 5, 3), 2.35)
    cut = cutlist(next(a for a in articles() if a.slug == article), (), "A")
    pieces = [p.pattern for p in cut.pieces if p.material == BODY]
    found = accepted_by(hide, pieces, Policy())
    assert 0 < found.all_m2 <= found.any_m2 <= hide.usable.area / 1e6 + 1e-9
