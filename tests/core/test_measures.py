"""What a lay is measured by: areas, money, sets, remnants; and which of two lays counts as the better."""

from __future__ import annotations

import json
from dataclasses import replace
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely.geometry import Polygon, box

from fairlay.core.engine.cut import EVERYWHERE, Cut
from fairlay.core.errors import BadJob, BadPattern
from fairlay.core.formats.exchange import read_job
from fairlay.core.lay import Job, Lay, Placement, measure
from fairlay.core.lay.account import account
from fairlay.core.lay.again import job_again
from fairlay.core.lay.measures import worth
from fairlay.core.lay.rack import FOR_NOTHING
from fairlay.core.lay.sound import MOST_COPIES, check_job, roll_length_mm, size_question
from fairlay.core.leather import Hide
from fairlay.core.leather.hide import Flaw, Zone
from fairlay.core.pattern import Piece
from fairlay.core.shapes import Placing
from fairlay.core.tolerances import HUGE_PIECE_MM, REMNANT_MIN_M2
from tests import jobs
from tests.effort import tried


def ring(x0: float, y0: float, x1: float, y1: float) -> np.ndarray:
    return np.array([[x0, y0], [x1, y0], [x1, y1], [x0, y1]], float)


BOARD = Hide("H", "side", ring(0, 0, 1000, 500), cost_per_m2=80.0)
"""Half a square metre, so that areas can be told in the head."""


class _Sheet:
    """What ``Cut`` reads of a table."""

    def __init__(self, hide: Hide) -> None:
        self.hide = hide


def tile(name: str = "tile", length: float = 100.0, width: float = 100.0, **more: Any) -> Piece:
    return Piece(name, ring(0, 0, length, width), quantity=more.pop("quantity", 10), **more)


def job(*pieces: Piece, hides: tuple[Hide, ...] = (BOARD,), **more: Any) -> Job:
    return Job("a job", hides, pieces or (tile(),), **more)


def at(*spots: tuple[float, float], piece: str = "tile", hide: str = "H", first: int = 0) -> Lay:
    return Lay(tuple(Placement(piece, first + n, hide, Placing(x, y, 0.0)) for n, (x, y) in enumerate(spots)))


def test_a_lay_in_figures() -> None:
    found = measure(job(), at((0, 0), (100, 0), (300, 200)))
    (hide,) = found.per_hide
    assert (found.placed, found.wanted, found.hides_used, found.splits, found.fillers) == (3, 10, 1, 0, 0)
    assert (
        found.placed_m2 == pytest.approx(0.03)
        and found.usable_m2 == pytest.approx(0.5)
        and found.fill == pytest.approx(0.06)
    )
    # Pieces reach to 400 mm; the neck end from there on, 0.3 m2, goes back to the rack.
    assert (hide.remnant_end, hide.remnant_m2, hide.used_m2) == (
        "neck",
        pytest.approx(0.3),
        pytest.approx(0.2),
    )
    assert found.cost == pytest.approx(0.2 * 80) and found.yield_of_used == pytest.approx(0.15)


def test_the_larger_end_is_the_remnant_and_a_small_one_is_none() -> None:
    tail = measure(job(), at((700, 0), (850, 300))).per_hide[0]
    assert (tail.remnant_end, tail.remnant_m2) == ("tail", pytest.approx(0.35))
    most = 1000 - REMNANT_MIN_M2 * 1e6 / 500
    racked, scrap = (measure(job(), at((x - 100, 0))).per_hide[0] for x in (most, most + 5))
    assert racked.remnant_m2 >= REMNANT_MIN_M2 - 1e-9
    far = measure(job(), at((390, 0), (510, 0))).per_hide[0]
    assert far.remnant_m2 == 0.0 or far.remnant_m2 >= REMNANT_MIN_M2
    assert scrap.remnant_end in ("tail", "none")


def test_an_empty_hide_costs_nothing_and_divides_nothing_by_nothing() -> None:
    found = measure(job(), Lay(()))
    assert (found.cost, found.used_m2, found.yield_of_used, found.hides_used, found.placed) == (
        0.0,
        0.0,
        0.0,
        0,
        0,
    )
    assert worth(job(), found) == 0.0


def test_sets_count_whole_ones_only() -> None:
    top, leg = (
        tile("top", set_name="stool", quantity=4),
        tile("leg", 50, 20, set_name="stool", per_set=3, quantity=12),
    )
    asked = job(top, leg, objective="sets")
    two = Lay(
        at((0, 0), (100, 0), (200, 0), piece="top").placements
        + at(*[(x, 300.0) for x in range(0, 400, 50)], piece="leg").placements
    )
    assert measure(asked, two).sets == {"stool": 2}, "eight legs make two stools, whatever the tops"
    assert worth(asked, measure(asked, two)) == pytest.approx(2 + measure(asked, two).fill)
    lost = Lay(two.placements[:3])
    assert measure(asked, lost).sets == {"stool": 0}


def test_fillers_are_told_apart_from_what_was_ordered() -> None:
    asked = job(tile(), tile("washer", 20, 20, filler=True, quantity=50))
    found = measure(asked, Lay(at((0, 0)).placements + at((200, 0), (240, 0), piece="washer").placements))
    assert (found.placed, found.wanted, found.fillers) == (1, 10, 2)
    assert found.placed_m2 == pytest.approx(0.0108)


def test_a_worthier_piece_fills_more() -> None:
    plain, dear = job(tile()), job(tile(value=2.0))
    assert measure(dear, at((0, 0))).fill == pytest.approx(2 * measure(plain, at((0, 0))).fill)


def test_a_roll_is_paid_for_as_far_as_it_is_used() -> None:
    roll = Hide("R", "roll", ring(0, 0, 5000, 900), edge_margin_mm=10.0, cost_per_m2=12.0, width_mm=900.0)
    asked = job(hides=(roll,), objective="order")
    found = measure(asked, at((0, 20), (600, 20), hide="R"))
    (hide,) = found.per_hide
    assert (hide.length_mm, hide.used_m2, hide.cost, hide.remnant_end) == (
        pytest.approx(700),
        pytest.approx(0.63),
        pytest.approx(0.63 * 12),
        "none",
    )
    assert hide.usable_m2 == pytest.approx(0.701 * 0.88, rel=1e-3)
    shorter = measure(asked, at((0, 20), (100, 20), hide="R"))
    assert worth(asked, shorter) > worth(asked, found)


def test_an_order_is_better_with_more_pieces_first_then_for_less_money() -> None:
    asked = job(objective="order")
    few, many, spread = (
        worth(asked, measure(asked, lay)) for lay in (at((0, 0)), at((0, 0), (100, 0)), at((0, 0), (800, 0)))
    )
    assert many > spread > few
    dearer = job(hides=(BOARD, replace(BOARD, id="H2", cost_per_m2=200.0)), objective="order")
    cheap, dear = (worth(dearer, measure(dearer, at((0, 0), hide=h))) for h in ("H", "H2"))
    assert cheap > dear


def test_leather_without_a_price_counts_by_its_area() -> None:
    asked = job(hides=(replace(BOARD, cost_per_m2=0.0),), objective="order")
    assert worth(asked, measure(asked, at((0, 0)))) == pytest.approx(1.9)
    free = job(hides=(replace(BOARD, cost_per_m2=0.0), replace(BOARD, id="H2")), objective="order")
    assert worth(free, measure(free, at((0, 0), (800, 0)))) == pytest.approx(3.0, abs=1e-5)


@pytest.mark.parametrize("objective", ["fill", "sets"])
def test_of_lays_that_hold_all_the_one_on_less_leather_is_better(objective: str) -> None:
    asked = job(objective=objective)
    two = replace(asked, pieces=tuple(replace(p, quantity=2) for p in asked.pieces))
    close, wide = (worth(two, measure(two, lay)) for lay in (at((0, 0), (100, 0)), at((0, 0), (800, 0))))
    assert wide < close < wide + 1e-3
    # While anything is left out, a filler too, only what lies counts.
    more = replace(two, pieces=(*two.pieces, replace(tile(), id="patch", quantity=1, filler=True)))
    close, wide = (worth(more, measure(more, lay)) for lay in (at((0, 0), (100, 0)), at((0, 0), (800, 0))))
    assert close == wide
    close, wide = (worth(asked, measure(asked, lay)) for lay in (at((0, 0), (100, 0)), at((0, 0), (800, 0))))
    assert close == wide


@given(
    st.lists(st.tuples(st.integers(0, 8), st.integers(0, 3)), unique=True, min_size=1, max_size=12),
    st.floats(0, 40),
)
def test_where_the_leather_went_adds_up_on_any_lay(cells: list[tuple[int, int]], margin: float) -> None:
    hide = replace(
        BOARD,
        edge_margin_mm=margin,
        zones=(Zone(ring(0, 0, 1000, 300), 1, 90.0), Zone(ring(200, 100, 600, 480), 3, 45.0)),
        flaws=(Flaw("hole", 3, ring(420, 220, 470, 260)),),
    )
    lay = at(*[(50 + 100.0 * i, 40 + 100.0 * j) for i, j in cells])
    found = account(job(hides=(hide,)), lay, hide)
    assert found.whole_m2 == pytest.approx(0.5)
    assert found.edge_m2 + found.unsound_m2 + sum(c.usable_m2 for c in found.classes) == pytest.approx(
        found.whole_m2, abs=2e-4
    )
    assert all(0 <= c.placed_m2 <= c.usable_m2 + 1e-9 for c in found.classes)
    usable = hide.usable
    under = (
        sum(
            Polygon(ring(50 + 100 * i, 40 + 100 * j, 150 + 100 * i, 140 + 100 * j)).intersection(usable).area
            for i, j in cells
        )
        / 1e6
    )
    assert sum(c.placed_m2 for c in found.classes) == pytest.approx(under, abs=2e-4)


@settings(max_examples=tried(24, 600))
@given(
    st.lists(st.tuples(st.floats(0, 1000), st.floats(0, 500)), min_size=3, max_size=9),
    st.floats(0, 1000),
    st.floats(0, 1000),
)
def test_what_a_hide_costs_by_how_far_pieces_reach_is_what_is_measured(
    points: list[tuple[float, float]], a: float, b: float
) -> None:
    hull = Polygon(points).convex_hull
    if hull.geom_type != "Polygon" or hull.area < 5_000:
        return
    outline = np.asarray(hull.exterior.coords)[:-1]
    cut = Cut(_Sheet(replace(BOARD, outline=outline)))  # type: ignore[arg-type]
    assert cut.whole == pytest.approx(hull.area / 1e6, rel=1e-6)
    lo, hi = min(a, b), max(a, b)
    tail, neck = cut.kept_m2(lo, hi)
    x0, y0, x1, y1 = hull.bounds
    # Read off a grid of 4 mm: no further off than a strip half as wide.
    off = 0.002 * (y1 - y0) / 1000 + 1e-6
    assert tail == pytest.approx(hull.intersection(box(x0 - 1, y0, max(lo, x0 - 1), y1)).area / 1e6, abs=off)
    assert neck == pytest.approx(hull.intersection(box(min(hi, x1 + 1), y0, x1 + 1, y1)).area / 1e6, abs=off)


def test_where_more_pieces_cost_nothing() -> None:
    cut = Cut(_Sheet(BOARD))  # type: ignore[arg-type]
    assert cut.cost(None) == 0.0 and cut.free_span(None) is None
    assert cut.cost((0, 400)) == pytest.approx(80 * 0.2) and cut.free_span((0, 400)) == (EVERYWHERE[0], 400)
    assert cut.cost((600, 1000)) == pytest.approx(80 * 0.2) and cut.free_span((600, 1000)) == (
        600,
        EVERYWHERE[1],
    )
    # Neither end is worth racking: 0.175 m2 and half of as much count a little.
    assert cut.cost((350, 650)) == pytest.approx(80 * (0.5 - FOR_NOTHING * 1.5 * 0.175))
    assert cut.free_span((350, 650)) == EVERYWHERE
    tail, neck = cut.racked_at()
    assert (tail, neck) == (pytest.approx(400), pytest.approx(600))


def test_a_lay_again_keeps_what_is_pinned_and_what_lies_elsewhere() -> None:
    two = job(hides=(BOARD, replace(BOARD, id="H2")))
    lay = Lay(at((0, 0), (200, 0)).placements + at((0, 0), hide="H2", first=2).placements)
    again = job_again(two, lay, only=["H"], pinned=[("tile", 1)])
    assert {(p.copy, p.hide) for p in again.fixed} == {(1, "H"), (2, "H2")} and again.leave == {"H2"}
    everywhere = job_again(two, lay)
    assert everywhere.fixed == () and everywhere.leave == frozenset()
    held = job_again(replace(two, fixed=lay.placements[:1]), lay, pinned=[("tile", 0)])
    assert len(held.fixed) == 1, "what was fixed already is not fixed twice"
    with pytest.raises(BadJob, match="no hide H9"):
        job_again(two, lay, only=["H9"])
    with pytest.raises(BadJob, match="number 8 is pinned"):
        job_again(two, lay, pinned=[("tile", 7)])


@pytest.mark.parametrize(
    ("changed", "words"),
    [
        (
            {
                "pieces": [
                    jobs.piece("a", jobs.rectangle(20, 20), 1),
                    jobs.piece("a", jobs.rectangle(20, 20), 1),
                ]
            },
            "called a",
        ),
        ({"pieces": [jobs.piece("a", jobs.rectangle(20, 20), 0)]}, "every quantity"),
        (
            {"pieces": [jobs.piece(f"p{n}", jobs.rectangle(20, 20), MOST_COPIES // 2) for n in range(3)]},
            f"asks for {MOST_COPIES // 2 * 3} pieces",
        ),
        ({"match_sets": ["stool"]}, "no piece belongs to"),
        ({"hides": [jobs.side(edge_margin=900.0)]}, "no usable leather"),
        ({"hides": [jobs.side(), jobs.side()]}, "same id"),
    ],
)
def test_a_job_that_makes_no_sense_is_refused_before_it_is_laid(changed: dict[str, Any], words: str) -> None:
    with pytest.raises(BadJob, match=words):
        read_job(json.dumps(jobs.everything(**changed)))


def test_a_piece_longer_than_any_hide_is_asked_about_and_may_be_right() -> None:
    asked = json.dumps(jobs.everything(pieces=[jobs.piece("a", jobs.rectangle(HUGE_PIECE_MM + 500, 20), 1)]))
    with pytest.raises(BadPattern, match="inches"):
        read_job(asked)
    assert read_job(asked, sizes_are_right=True).pieces[0].quantity == 1


def test_fixed_pieces_must_be_of_the_job() -> None:
    for wrong in (Placement("tile", 0, "H9", Placing(0, 0, 0)), Placement("seat", 0, "H", Placing(0, 0, 0))):
        with pytest.raises(BadJob, match="does not have"):
            check_job(job(fixed=(wrong,)))
    check_job(job(fixed=(Placement("tile", 0, "H", Placing(0, 0, 0)),)))


def test_sizes_are_asked_about_once_they_are_beyond_any_hide() -> None:
    assert size_question([tile(length=HUGE_PIECE_MM)]) is None
    asked = size_question([tile(), tile("strap", HUGE_PIECE_MM + 600)])
    assert asked is not None and "strap" in asked and f"{(HUGE_PIECE_MM + 600) / 25.4:.0f} mm" in asked


@given(st.floats(20, 900), st.floats(20, 400), st.integers(1, 60), st.floats(450, 1600))
def test_a_roll_is_always_long_enough(length: float, width: float, quantity: int, roll: float) -> None:
    piece = tile(length=length, width=width, quantity=quantity)
    # In rows across the roll, each a piece deep: the plainest lay there is, and never longer than the length
    # given.
    across = max(1, int(roll // width))
    rows = -(-quantity // across)
    assert roll_length_mm([piece], roll) >= rows * length or width > roll / 2
    assert roll_length_mm([], roll) > 0
