"""A hide measured once more: its new outline found on the old one, turned or cut, and what was known carried
over; another hide is not taken for it.
"""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely.geometry import Point, Polygon, box

from fairlay.core.errors import BadHide
from fairlay.core.leather import looking_over, reshaped
from fairlay.core.leather.acceptance import LineTaken, RingTaken, Taken, taken
from fairlay.core.leather.gauge import GaugeReading
from fairlay.core.leather.looking_over import LookingOver, RingedFlaw
from fairlay.core.leather.measured_again import Fit, carried, ends_before, fit_again, was_cut
from fairlay.core.leather.mend import parted
from fairlay.core.leather.pull import PullTest
from fairlay.core.shapes.rings import Ring
from fairlay.demo.sides import side
from tests.effort import tried

REACHES = 8.0
"""Leather lies some mm otherwise on another day: so far from where it truly lies may a place be put."""


def known_side(seed: int = 100, long: float = 2100.0) -> LookingOver:
    made = looking_over.begun("side", side("S", seed, long, 950, 100, (1, 1, 1)).outline)
    made = looking_over.with_flaw(
        made, RingedFlaw("c1", "scar", 2, spot(600, 300, 40), "healed, runs deep", 17)
    )
    made = looking_over.with_flaw(made, RingedFlaw("c2", "tick bite", 1, spot(1500, 350, 15)))
    made = looking_over.with_pull(made, PullTest("p1", 1400, 500, 3.0, 5.0, 20.0))
    return looking_over.with_reading(
        looking_over.with_step(made, "surface", True), GaugeReading("r1", 1450, 200, 2.1)
    )


def spot(x: float, y: float, across: float) -> list[list[float]]:
    return [
        [round(x + across * math.cos(t), 1), round(y + across * math.sin(t), 1)]
        for t in np.linspace(0, 2 * math.pi, 12, endpoint=False)
    ]


def lying(ring: Ring, deg: float, x: float, y: float, mirrored: bool = False) -> Ring:
    """A ring as it lies on another day: turned, moved, seen from the flesh side."""
    c, s = math.cos(math.radians(deg)), math.sin(math.radians(deg))
    out: Ring = ring @ np.array([[c, s], [-s, c]]) + np.array([x, y])
    return out * [-1.0, 1.0] if mirrored else out


def worn(ring: Ring, phase: float, share: float = 1.002) -> Ring:
    """A ring measured anew: 1.5 mm off here and there, and dried a little."""
    x, y = ring.T
    return np.column_stack(
        [x * share + 1.5 * np.sin(y / 150 + phase), y * share + 1.5 * np.sin(x / 200 + phase)]
    )


def through(points: Ring, fit: Fit) -> Ring:
    a, b, c, d, e, f = fit.matrix
    out: Ring = points @ np.array([[a, b], [c, d]]) + np.array([e, f])
    return out


@settings(max_examples=tried(8, 120))
@given(
    seed=st.integers(0, 400),
    deg=st.floats(0, 360),
    x=st.floats(-900, 900),
    y=st.floats(-900, 900),
    phase=st.floats(0, 6),
    mirrored=st.booleans(),
)
def test_the_same_hide_is_found_however_it_lies(
    seed: int, deg: float, x: float, y: float, phase: float, mirrored: bool
) -> None:
    before = side("S", seed, 2100, 950, 100, (0, 0, 0)).outline
    now = lying(worn(before, phase), deg, x, y, mirrored)
    fit = fit_again(before, now, mirrored)
    assert fit.share > 0.95 and fit.rms_mm < 3
    assert np.hypot(*(through(before, fit) - now).T).max() < REACHES
    a, b, c, d, _, _ = fit.matrix
    assert a * d - b * c == pytest.approx(-1 if mirrored else 1), (
        "turned and moved; mirrored only where it was seen from the flesh side"
    )


CUTS = {
    "the tail cut off": [[700, -50], [730, 1400]],
    "the neck cut off": [[1300, -50], [1280, 1400]],
    "the belly cut off": [[-50, 430], [2500, 445]],
    "halved": [[1040, -50], [1070, 1400]],
}


@pytest.mark.parametrize("cut", CUTS, ids=str)
@pytest.mark.parametrize("deg", [3.0, 171.0, 268.0])
def test_what_a_cut_left_is_found_on_what_was(cut: str, deg: float) -> None:
    before = side("S", 105, 2180, 980, 100, (0, 0, 0)).outline
    left = np.asarray(parted(Polygon(before), CUTS[cut])[0].exterior.coords)[:-1]
    now = lying(worn(left, 2.0), deg, 300, -200)
    fit = fit_again(before, now)
    assert fit.share < 0.95
    assert np.hypot(*(through(left, fit) - now).T).max() < REACHES
    assert was_cut(before, now) and not was_cut(before, lying(worn(before, 1.0, 0.995), deg, 0, 0))


def test_panels_cut_out_of_an_edge_leave_the_rest_where_it_was() -> None:
    before = side("S", 111, 2180, 980, 100, (0, 0, 0)).outline
    left = Polygon(before).difference(box(400, -100, 1200, 380))
    ring = np.asarray(max(getattr(left, "geoms", [left]), key=lambda p: p.area).exterior.coords)[:-1]
    fit = fit_again(before, lying(ring, 90.0, 0, 0))
    assert np.hypot(*(through(ring, fit) - lying(ring, 90.0, 0, 0)).T).max() < 2


@pytest.mark.parametrize("seed", range(300, 308))
@pytest.mark.parametrize("flesh_up", [False, True])
def test_another_hide_of_much_the_same_shape_is_not_taken_for_it(seed: int, flesh_up: bool) -> None:
    before, other = (side("S", k, 2100, 950, 100, (0, 0, 0)).outline for k in (seed - 200, seed))
    with pytest.raises(BadHide, match="not the one that was known"):
        fit_again(before, lying(other, 40.0, 0, 0), flesh_up)


def test_the_flesh_side_not_told_is_asked_for() -> None:
    before = side("S", 104, 2100, 950, 100, (0, 0, 0)).outline
    with pytest.raises(BadHide, match="flesh side is told"):
        fit_again(before, lying(before, 10.0, 0, 0, mirrored=True))


@pytest.mark.parametrize(
    "ring",
    [
        [[0, 0], [900, 0], [900, 400], [0, 400]],
        [[300 * math.cos(t), 300 * math.sin(t)] for t in np.linspace(0, 6.2, 60)],
    ],
    ids=["oblong", "round"],
)
def test_an_outline_that_fits_in_many_ways_tells_nothing(ring: list[list[float]]) -> None:
    shape = np.asarray(ring, float)
    with pytest.raises(BadHide, match="more than one way"):
        fit_again(shape, lying(shape, 33.0, 50, 50))


def test_a_scrap_too_small_to_tell_is_refused() -> None:
    before = side("S", 104, 2100, 950, 100, (0, 0, 0)).outline
    with pytest.raises(BadHide):
        fit_again(before, np.array([[0.0, 0], [30, 0], [30, 20], [0, 20]]))


def test_what_was_known_lies_where_it_lay() -> None:
    before = known_side()
    now = lying(worn(before.ring, 1.0), 120.0, 400, -300)
    after = taken(before, Taken(now.tolist(), keep_known=True))
    assert not after.neck_left and min(p[0] for p in after.outline) == pytest.approx(0, abs=0.01)
    for old, new in zip(before.flaws, after.flaws, strict=True):
        assert replace(old, outline=[]) == replace(new, outline=[])
        assert Polygon(old.outline).centroid.distance(Polygon(new.outline).centroid) < REACHES
    (pull,), (reading,) = after.pulls, after.readings
    assert (
        math.hypot(pull.x - 1400, pull.y - 500) < REACHES
        and pull.deg == pytest.approx(20, abs=0.5)
        and (pull.along_mm, pull.across_mm) == (3.0, 5.0)
    )
    assert math.hypot(reading.x - 1450, reading.y - 200) < REACHES and reading.mm == 2.1
    assert after.steps == before.steps and len(after.guess) == len(before.guess)
    assert looking_over.as_hide(after, "S").region.area == pytest.approx(Polygon(now).area, rel=1e-3)


def test_without_asking_for_it_nothing_is_carried_over() -> None:
    before = known_side()
    after = taken(before, Taken(lying(before.ring, 5.0, 0, 0).tolist()))
    assert (after.flaws, after.pulls, after.readings) == ([], [], []) and after.steps == before.steps


def test_what_lay_on_leather_that_is_gone_is_gone() -> None:
    before = known_side()
    left = np.asarray(parted(Polygon(before.ring), [[1000, -50], [1000, 1400]])[0].exterior.coords)[:-1]
    tail_left = left[:, 0].min() < 500
    after = taken(before, Taken(lying(left, -30.0, 0, 0).tolist(), keep_known=True))
    assert [f.id for f in after.flaws] == (["c1"] if tail_left else ["c2"])
    assert (len(after.pulls), len(after.readings)) == ((0, 0) if tail_left else (1, 1))
    # The map is the one known before: the usual one, laid on half a side, would put a neck into the bend.
    hide = looking_over.as_hide(after, "S")
    assert {z.tightness for z in hide.zones} <= {z.tightness for z in before.guess}


def test_a_flaw_ringed_anew_is_still_that_flaw() -> None:
    before = known_side()
    rings = [
        RingTaken(spot(610, 305, 45), "not named", 3, "red"),
        RingTaken(spot(900, 500, 20), "scratch", 0, "white"),
    ]
    after = taken(before, Taken(before.outline, rings=rings, keep_known=True))
    scar, bite, scratch = after.flaws
    assert (scar.id, scar.kind, scar.severity, scar.note, scar.photo, scar.chalk) == (
        "c1",
        "scar",
        3,
        "healed, runs deep",
        17,
        "red",
    )
    assert Polygon(scar.outline).area == pytest.approx(Polygon(spot(610, 305, 45)).area, rel=0.02)
    assert (bite.id, bite.severity) == ("c2", 1)
    assert scratch.kind == "scratch" and scratch.severity > 0 and scratch.id not in ("c1", "c2")
    assert len({f.id for f in after.flaws}) == 3


def test_the_ends_of_a_side_of_the_other_hand_are_kept() -> None:
    made = looking_over.begun("side", side("S", 100, 2100, 950, 100, (0, 0, 0)).outline)
    before = reshaped.turned(made, (2100.0, 0.0), (0.0, 0.0))
    assert before.neck_left
    fit = fit_again(before.ring, lying(before.ring, 200.0, 10, 10))
    tail, neck = ends_before(before, fit)
    assert math.dist(tail, lying(np.array([[before.ring[:, 0].max(), 0.0]]), 200.0, 10, 10)[0]) < REACHES
    after = taken(before, Taken(lying(before.ring, 200.0, 10, 10).tolist(), keep_known=True))
    assert after.neck_left and math.dist(tail, neck) == pytest.approx(
        float(np.ptp(before.ring[:, 0])), abs=REACHES
    )


def test_ends_that_are_pressed_outweigh_chalk_and_what_was_known() -> None:
    before = known_side()
    right, left = (float(before.ring[:, 0].max()), 5.0), (0.0, 5.0)
    chalk = LineTaken("backbone", [[0.0, 2.0], [2000.0, 2.0]])
    after = taken(before, Taken(before.outline, lines=[chalk], ends=(right, left), keep_known=True))
    assert after.neck_left and after.steps["backbone"].done
    chalked = taken(before, Taken(before.outline, lines=[chalk]))
    assert not chalked.neck_left and chalked.steps["backbone"].done
    assert (
        "backbone"
        not in taken(before, Taken(before.outline, lines=[LineTaken("backbone", [[5.0, 5.0]])])).steps
    ), "a dot is no line"


@pytest.mark.parametrize(("flesh_up", "way"), [(False, 30.0), (True, 150.0)])
def test_a_chalked_arrow_tells_the_line_of_least_stretch_round_it(flesh_up: bool, way: float) -> None:
    ring = side("S", 100, 2100, 950, 100, (0, 0, 0)).outline
    arrow = LineTaken("least stretch", [[1000.0, 400.0], [1000 + 200 * math.cos(math.pi / 6), 400 + 100.0]])
    after = taken(
        looking_over.begun("side", ring, measured=False),
        Taken(ring.tolist(), lines=[arrow], ends=((0.0, 0.0), (2100.0, 0.0)), flesh_up=flesh_up),
    )
    middle = Point(np.ptp(ring[:, 0]) - 1087 if flesh_up else 1087, 450)
    over = [z for z in after.guess if Polygon(z.outline).buffer(0).contains(middle)][-1]
    assert (over.stretch_deg + 90) % 180 == pytest.approx(way, abs=0.1) and after.pulls == []


def test_carried_flaws_that_the_edge_runs_through_end_there() -> None:
    before = known_side()
    onto = looking_over.begun("side", np.asarray(box(0, 0, 600, 900).exterior.coords)[:-1])
    after = carried(before, onto, Fit((1.0, 0.0, 0.0, 1.0, 0.0, 0.0), 1.0, 0.0))
    assert [f.id for f in after.flaws] == ["c1"] and max(
        p[0] for p in after.flaws[0].outline
    ) == pytest.approx(600)
    assert after.pulls == [] and after.readings == []
