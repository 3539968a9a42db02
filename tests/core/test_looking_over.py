"""What is known of a hide: put in, changed, turned, mended, and how far it was looked over."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from shapely import union_all
from shapely.affinity import rotate
from shapely.geometry import LineString, Point, Polygon, box

from fairlay.core.errors import BadHide, BadShape
from fairlay.core.formats.stored import LOOKING
from fairlay.core.leather.gauge import GaugeReading
from fairlay.core.leather.looking_over import (
    MOST_FLAWS,
    QUICK,
    STEPS,
    Backdrop,
    LookingOver,
    RingedFlaw,
    ZoneDrawn,
    as_hide,
    begun,
    from_hide,
    how_far,
    with_flaw,
    with_pull,
    with_reading,
    with_step,
    with_tightness,
    with_way,
    without,
)
from fairlay.core.leather.mend import largest, painted, parted
from fairlay.core.leather.pull import PullTest
from fairlay.core.leather.reshaped import brushed, cut_along, part_of, placed, turned, with_outline
from fairlay.core.leather.usual_outline import usual_outline
from fairlay.core.shapes.rings import pieces_of
from fairlay.demo import sides

SIDE = begun("side", usual_outline("side", 2.1))
X1, Y1 = SIDE.ring.max(axis=0)


def ring(x: float, y: float, across: float = 40.0) -> list[list[float]]:
    t = np.linspace(0, 2 * np.pi, 13)[:-1]
    return [[x + across / 2 * float(np.cos(v)), y + across / 2 * float(np.sin(v))] for v in t]


def flaw(name: str = "a", x: float = 600, y: float = 300, **more: object) -> RingedFlaw:
    return replace(RingedFlaw(name, "scratch", 2, ring(x, y)), **more)  # type: ignore[arg-type]  # the flaw's own fields


def full() -> LookingOver:
    """A side with one of everything."""
    known = with_flaw(with_flaw(SIDE, flaw()), flaw("b", 1200, 500, kind="scar", severity=3))
    known = with_reading(
        with_pull(known, PullTest("p", 1400, 300, 2, 5, 0, 3.0)), GaugeReading("r", 500, 500, 2.2)
    )
    return replace(
        with_step(known, "surface", True, "clean but for two"),
        backdrop=Backdrop(7, 2600, 1500, (1, 0, 0, 1, -200, -180)),
    )


def test_a_hide_begins_with_the_usual_map_and_nothing_looked_at() -> None:
    assert how_far(SIDE).words == "not looked over" and not how_far(SIDE).enough
    assert len(SIDE.guess) == 5 and not SIDE.flaws and SIDE.measured


@pytest.mark.parametrize(
    ("steps", "enough", "words"),
    [
        ([], False, "not looked over"),
        (["surface"], False, "backbone and ends and feel and pinch not done"),
        (["backbone", "surface", "feel"], True, "quickly, 3 of 8"),
        (["pull", "thickness", "flex"], False, "surface marks"),
        ([s for s, _, _ in STEPS], True, "every step"),
    ],
)
def test_how_far_it_was_looked_over_is_told(steps: list[str], enough: bool, words: str) -> None:
    known = SIDE
    for s in steps:
        known = with_step(known, s, True)  # type: ignore[arg-type]  # a step's name
    assert how_far(known).enough is enough and words in how_far(known).words


def test_a_step_can_be_undone_and_keeps_its_note() -> None:
    known = with_step(with_step(SIDE, "flex", True, "sound"), "flex", False)
    assert known.steps["flex"].note == "sound" and not known.steps["flex"].done
    with pytest.raises(BadHide, match="a step 'smell'"):
        with_step(SIDE, "smell", True)  # type: ignore[arg-type]  # what is tested
    assert {s for s, _, _ in STEPS} > QUICK


def test_a_roll_needs_no_looking_over() -> None:
    assert how_far(LookingOver("roll", [[0, 0], [900, 0], [900, 140], [0, 140]])).enough


def test_everything_known_is_written_and_read_back_whole() -> None:
    known = full()
    assert LOOKING.read(LOOKING.write(known)) == known
    with pytest.raises(BadHide, match="cannot be read"):
        LOOKING.read({"kind": "side"})


def test_what_is_put_twice_is_changed() -> None:
    known = with_flaw(full(), flaw(severity=1, note="only a mark"))
    assert [f.id for f in known.flaws] == ["b", "a"] and known.flaws[-1].note == "only a mark"
    known = with_pull(known, PullTest("p", 1400, 300, 1, 1))
    assert len(known.pulls) == 1 and known.pulls[0].along_mm == 1
    known = with_reading(known, GaugeReading("r", 500, 500, 2.4))
    assert [r.mm for r in known.readings] == [2.4]


def test_what_is_taken_out_is_gone_and_twice_is_no_error() -> None:
    known = without(without(without(without(full(), "flaw", "a"), "flaw", "a"), "pull", "p"), "reading", "r")
    assert [f.id for f in known.flaws] == ["b"] and not known.pulls and not known.readings


@pytest.mark.parametrize(
    ("bad", "words"),
    [
        (flaw(kind="blot"), "of kind 'blot'"),
        (flaw(severity=4), "severity of 4"),
        (flaw(severity=0), "severity of 0"),
        (flaw(outline=ring(9000, 9000)), "off the hide"),
    ],
)
def test_a_flaw_that_makes_no_sense_is_refused(bad: RingedFlaw, words: str) -> None:
    with pytest.raises(BadHide, match=words):
        with_flaw(SIDE, bad)


def test_a_ring_that_encloses_nothing_is_refused() -> None:
    with pytest.raises(BadShape):
        with_flaw(SIDE, flaw(outline=[[0, 0], [10, 0], [20, 0]]))


def test_there_is_an_end_to_flaws() -> None:
    known = replace(SIDE, flaws=[flaw(f"f{i}") for i in range(MOST_FLAWS)])
    with pytest.raises(BadHide, match="400 at most"):
        with_flaw(known, flaw("one-more"))
    assert len(with_flaw(known, flaw("f3", note="changed")).flaws) == MOST_FLAWS


def test_tests_and_readings_lie_on_the_hide() -> None:
    with pytest.raises(BadHide, match="a pull test at -50, 300 mm lies off the hide"):
        with_pull(SIDE, PullTest("p", -50, 300, 1, 1))
    with pytest.raises(BadHide, match="a reading at"):
        with_reading(SIDE, GaugeReading("r", X1 + 80, 300, 2.0))
    with pytest.raises(BadHide, match="tightness of 5"):
        with_tightness(SIDE, ZoneDrawn(ring(600, 300), 5))


def test_a_zone_drawn_lies_over_the_guess() -> None:
    hide = as_hide(with_tightness(SIDE, ZoneDrawn(ring(600, 200, 200), 4, 45)), "x")
    assert next(z for z, shown in hide.zone_regions if shown.contains(Point(600, 200))).tightness == 4


def test_an_arrow_turns_the_way_and_keeps_the_tightness() -> None:
    before = as_hide(SIDE, "x")
    after = as_hide(with_way(SIDE, 1000, 450, 30.0, 200.0), "x")
    for x, y in [(1000, 450), (900, 400), (1100, 540), (1000, 580)]:
        assert after.least_stretch_deg(x, y) % 180 == pytest.approx(30.0)
        here = [
            next(z.tightness for z, shown in h.zone_regions if shown.buffer(0.2).contains(Point(x, y)))
            for h in (before, after)
        ]
        assert here[0] == here[1]
    assert after.least_stretch_deg(300, 200) == before.least_stretch_deg(300, 200)


@given(st.floats(0, 360), st.floats(-500, 500), st.floats(-500, 500))
def test_turning_to_the_backbone_undoes_how_it_lay(turn: float, dx: float, dy: float) -> None:
    known = full()
    t = np.radians(turn)
    c, s = float(np.cos(t)), float(np.sin(t))

    def lay(x: float, y: float) -> tuple[float, float]:
        return c * x - s * y + dx, s * x + c * y + dy

    lain = replace(
        known,
        outline=[list(lay(x, y)) for x, y in known.outline],
        flaws=[replace(f, outline=[list(lay(x, y)) for x, y in f.outline]) for f in known.flaws],
        pulls=[
            replace(p, x=lay(p.x, p.y)[0], y=lay(p.x, p.y)[1], deg=(p.deg + turn) % 180) for p in known.pulls
        ],
        readings=[replace(r, x=lay(r.x, r.y)[0], y=lay(r.x, r.y)[1]) for r in known.readings],
    )
    back = turned(lain, lay(0, 0), lay(float(X1), 0))
    assert np.abs(back.ring - known.ring).max() < 0.02 and not back.neck_left
    assert back.steps["backbone"].done
    for f, g in zip(back.flaws, known.flaws, strict=True):
        assert np.abs(np.asarray(f.outline) - np.asarray(g.outline)).max() < 0.02
    assert back.pulls[0].least_stretch_deg == pytest.approx(known.pulls[0].least_stretch_deg, abs=0.01)
    assert (back.readings[0].x, back.readings[0].y) == pytest.approx((500, 500), abs=0.02)


def test_a_side_of_the_other_hand_is_never_mirrored() -> None:
    known = turned(full(), (float(X1), 0.0), (0.0, 0.0))
    assert known.neck_left
    assert np.abs(known.ring - SIDE.ring).max() < 0.02, "screen and table agree: the leather lies as it lay"
    hide = as_hide(replace(known, pulls=[]), "x")
    tight = next(z for z, shown in hide.zone_regions if shown.contains(Point(float(X1) * 0.7, 200)))
    assert tight.tightness == 1, "the bend is at the tail, now the right"


def test_flesh_side_up_is_turned_over() -> None:
    flesh = replace(
        full(),
        outline=[[-x, y] for x, y in SIDE.outline],
        flaws=[],
        pulls=[PullTest("p", -1400, 300, 2, 5, 0, 3.0)],
        readings=[],
        backdrop=None,
    )
    grain = placed(flesh, (0.0, 0.0), (-float(X1), 0.0), turn_over=True)
    assert np.abs(grain.ring - SIDE.ring).max() < 0.02
    was, now = full().pulls[0].least_stretch_deg, grain.pulls[0].least_stretch_deg
    assert was is not None and now is not None and (was + now) % 180 == pytest.approx(0, abs=0.01), (
        "mirrored, a way leans to the other side"
    )
    assert grain.pulls[0].give_mm == pytest.approx(full().pulls[0].give_mm)


def test_tail_and_neck_are_two_places() -> None:
    with pytest.raises(BadHide, match="mm apart"):
        turned(SIDE, (10, 10), (20, 10))


def test_the_picture_moves_with_the_hide() -> None:
    known = full()
    assert known.backdrop is not None
    moved = turned(known, (0.0, 100.0), (float(X1), 0.0))
    assert moved.backdrop is not None
    a, b, c, d, e, f = moved.backdrop.matrix
    a0, b0, c0, d0, e0, f0 = known.backdrop.matrix
    # The picture's place of the first flaw is still that flaw's place.
    x, y = np.asarray(known.flaws[0].outline[0]) - [e0, f0]
    assert (a0, b0, c0, d0) == (1, 0, 0, 1)
    assert (a * x + c * y + e, b * x + d * y + f) == pytest.approx(tuple(moved.flaws[0].outline[0]), abs=0.01)


def test_an_outline_drawn_anew_takes_the_map_with_it() -> None:
    known = with_outline(full(), [[100, 50], [1500, 50], [1500, 850], [100, 850]], [ring(700, 400)])
    assert np.asarray(known.outline).min(axis=0) == pytest.approx([0, 0]) and len(known.holes) == 1
    assert as_hide(known, "x").region.area == pytest.approx(1400 * 800 - Polygon(ring(0, 0)).area, rel=1e-4)
    with pytest.raises(BadHide, match="hole 1 is not inside"):
        with_outline(SIDE, [[0, 0], [900, 0], [900, 700], [0, 700]], [ring(2000, 400)])


def test_leather_is_painted_on_and_off() -> None:
    area = Polygon(SIDE.ring).area
    on = brushed(SIDE, [[600, -20], [900, -20]], 100, True)
    assert Polygon(on.ring).area > area + 300 * 20
    off = brushed(on, [[600, 10], [900, 10]], 80, False)
    assert Polygon(off.ring).area < Polygon(on.ring).area - 300 * 20
    assert np.asarray(on.outline).min(axis=0) == pytest.approx([0, 0], abs=0.02)
    hole = brushed(SIDE, [[600, 300]], 60, False)
    assert len(hole.holes) == 1 and Polygon(hole.holes[0]).area == pytest.approx(np.pi * 900, rel=0.02)


@pytest.mark.parametrize(
    ("stroke", "width", "words"),
    [([[0, 0]], 0, "a brush 0 mm"), ([], 40, "without a place"), ([[-900, 500], [9000, 500]], 400, None)],
)
def test_a_brush_has_a_width_and_a_place(stroke: list[list[float]], width: float, words: str | None) -> None:
    if words is None:
        assert Polygon(brushed(SIDE, stroke, width, False).ring).area > 0
        return
    with pytest.raises(BadHide, match=words):
        brushed(SIDE, stroke, width, True)


def test_painting_all_of_it_off_is_refused() -> None:
    with pytest.raises(BadHide, match="no leather would be left"):
        painted(Polygon([(0, 0), (50, 0), (50, 50), (0, 50)]), [[0, 25], [50, 25]], 200, False)
    with pytest.raises(BadHide, match="no leather"):
        largest(Polygon())


def test_a_cut_keeps_the_larger_part_and_what_lies_on_it() -> None:
    known, (off,) = cut_along(full(), [[1800, -5], [1800, Y1 + 5]])
    assert Polygon(known.ring).area + Polygon(off.ring).area == pytest.approx(
        Polygon(SIDE.ring).area, rel=1e-3
    )
    assert {f.id for f in known.flaws} == {"a", "b"} and len(known.pulls) == 1
    assert (
        off.kind == "offcut"
        and off.steps == known.steps
        and {f.id for f in full().flaws} - {f.id for f in off.flaws} >= {"a", "b"}
    )
    less, _ = cut_along(known, [[1100, -5], [1100, Y1 + 5]])
    assert {f.id for f in less.flaws} == {"a"} and not less.pulls, "what lay on the part cut off went with it"


def test_a_cut_drawn_a_little_short_still_parts() -> None:
    across = Polygon(SIDE.ring).intersection(LineString([(1000, -9), (1000, 2000)])).bounds
    known, (off,) = cut_along(SIDE, [[1000, across[1] + 30], [1000, 500], [1000, across[3] - 30]])
    assert Polygon(known.ring).area + Polygon(off.ring).area == pytest.approx(
        Polygon(SIDE.ring).area, rel=1e-3
    )


@given(
    st.floats(0.001, 0.03),
    st.floats(0, 359),
    st.lists(st.tuples(st.floats(200, 800), st.floats(150, 500)), max_size=5),
)
def test_a_part_with_a_slit_finer_than_what_is_written_can_be_racked(
    wide: float, turn: float, cuts: list[tuple[float, float]]
) -> None:
    slit = rotate(box(500 - wide / 2, -900, 500 + wide / 2, 300), turn, origin=(500, 300))
    gone = union_all([slit, *(Point(x, y).buffer(60.0 + wide) for x, y in cuts)])
    left = box(0, 0, 1000, 600).difference(gone)
    ground = max(pieces_of(left.buffer(-15.0).buffer(15.0).intersection(left)), key=lambda p: p.area)
    part = part_of(SIDE, ground)
    hide = as_hide(part, "O-1", edge_margin_mm=4.0, cost_per_m2=104.0)
    assert hide.region.area == pytest.approx(ground.area, rel=1e-3)
    assert all(round(100 * v) == pytest.approx(100 * v, abs=1e-6) for xy in part.outline for v in xy)


def test_a_line_beside_the_hide_parts_nothing() -> None:
    with pytest.raises(BadHide, match="does not part the hide"):
        cut_along(SIDE, [[5000, 0], [5000, 900]])
    with pytest.raises(BadHide, match="cut without a way"):
        parted(Polygon(SIDE.ring), [[100, 100]])


def test_a_hide_from_elsewhere_keeps_its_zones() -> None:
    hide = sides.side("F-101", 11, 2280, 1060, 104.0, (7, 5, 3), 2.35)
    known = from_hide(hide)
    again = as_hide(known, "F-101", edge_margin_mm=4.0, cost_per_m2=104.0)
    assert len(again.flaws) == 15 and len(again.thickness) == len(hide.thickness)
    for (a, shown_a), (b, shown_b) in zip(hide.zone_regions, again.zone_regions, strict=True):
        assert a.tightness == b.tightness and shown_a.symmetric_difference(shown_b).area < 200


def test_a_ring_that_is_cut_through_stays_as_far_as_there_is_leather() -> None:
    known, _ = cut_along(with_flaw(SIDE, flaw("edge", 1800, 300)), [[1805, -5], [1805, Y1 + 5]])
    (left,) = known.flaws
    assert Polygon(left.outline).area == pytest.approx(Polygon(ring(0, 0)).area * 0.655, rel=0.03)
    assert Polygon(known.ring).buffer(0.05).covers(Polygon(left.outline))


@given(st.floats(0.0, 0.5))
def test_a_cut_that_leaves_a_sliver_of_a_ring_leaves_none_of_it(over: float) -> None:
    square = flaw(outline=[[700, 300], [704, 300], [704, 304], [700, 304]])
    known, (off,) = cut_along(with_flaw(SIDE, square), [[700 + over, -5], [700 + over, Y1 + 5]])
    for part in (known, off):
        assert as_hide(part, "S").region.is_valid, "what is kept can be laid on"
    assert len(known.flaws) + len(off.flaws) == 1
