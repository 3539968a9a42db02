"""Pictures of hides: markers, outline, chalk are found truly, and bad pictures are told what to change."""

from __future__ import annotations

from dataclasses import replace
from functools import cache

import cv2
import numpy as np
import pytest
from shapely.geometry import Polygon

from bench.hides import judge
from fairlay.core.capture.chalk import USUAL_CHALKS, Chalk
from fairlay.core.capture.height import lowered, lowered_face
from fairlay.core.capture.hide_picture import HideSeen, look_at_hide
from fairlay.core.capture.marker_sheet import FIELDS, MARKER_MM, fields
from fairlay.core.capture.markers import find_markers
from fairlay.core.capture.table import find_table
from fairlay.core.errors import BadPicture, NotFound, Unavailable
from fairlay.core.leather.made_up import grow
from fairlay.core.leather.usual_outline import SIDE
from fairlay.demo.hide_tables import (
    CHALK,
    TABLES,
    RingDrawn,
    arrow,
    chalk_ring,
    drawn_rings,
    placed,
    scene_of,
    tables,
)
from fairlay.devices.camera import Image
from fairlay.devices.hide_table import (
    Blot,
    ChalkStroke,
    HideScene,
    MarkerLaid,
    SimulatedHideCamera,
    render_hide,
)

SIZE = {"width_px": 2200, "height_px": 1540}
RNG = np.random.default_rng(5)
SHORT = placed(grow(SIDE, 1250, 620, np.random.default_rng(4), 0.6), 2.0)
MIDDLE = (SHORT.min(axis=0) + SHORT.max(axis=0)) / 2
SPOTS = [(-330, -90, 70), (-120, -150, 50), (160, -120, 90), (330, -40, 44), (-40, 60, 60), (-260, 90, 36)]
DRAWN = [
    RingDrawn(chalk_ring(MIDDLE[0] + x, MIDDLE[1] + y, a, 0.8 * a, RNG), 1 + i % 3)
    for i, (x, y, a) in enumerate(SPOTS)
]
ARROW = tuple(
    ChalkStroke(p, CHALK["yellow"], 0.85, 7.0)
    for p in arrow(float(MIDDLE[0] + 190), float(MIDDLE[1] + 60), 220.0, 12.0)
)
USUAL = scene_of(
    SHORT,
    "chestnut",
    "green mat",
    np.random.default_rng(6),
    DRAWN,
    ARROW,
    **SIZE,
    tilt_deg=(6.0, -5.0),
    roll_deg=2.0,
    lens=(-0.06, 0.01),
    shade=0.2,
)
CLEAN = replace(USUAL, chalk=())


@cache
def shot(clean: bool = False) -> Image:
    """The usual picture, or the same without chalk: rendered once."""
    return render_hide(CLEAN if clean else USUAL)


@cache
def usual() -> HideSeen:
    return look_at_hide([shot()])


def test_the_outline_is_true() -> None:
    row = judge("usual", SHORT, DRAWN, usual().outline, [(r.outline, r.severity) for r in usual().rings])
    assert row.rms < 1.2 and row.worst < 5 and abs(row.area) < 0.003, row
    assert usual().area_mm2 == pytest.approx(Polygon(usual().outline).area, rel=1e-3)
    assert len(usual().markers) == 8 and usual().rms_mm < 0.5 and usual().holes == ()


def test_every_ring_is_found_with_its_severity_and_none_besides() -> None:
    row = judge("usual", SHORT, DRAWN, usual().outline, [(r.outline, r.severity) for r in usual().rings])
    assert (row.found, row.false, row.right) == (6, 0, 6)
    assert {r.chalk for r in usual().rings} == {"white", "blue", "red"}
    assert all(r.sure > 0.15 for r in usual().rings)


def test_the_arrow_tells_its_way() -> None:
    assert [x.kind for x in usual().lines] == ["arrow"] and usual().lines[0].chalk == "yellow"
    (ax, ay), (bx, by) = usual().lines[0].ends
    way = np.degrees(np.arctan2(by - ay, bx - ax)) % 180
    # The table's own frame is turned as the camera was: by its roll.
    assert abs((way - 12.0 + 90) % 180 - 90) < 5
    assert np.hypot(bx - ax, by - ay) == pytest.approx(220, abs=25)


def test_a_clean_hide_has_no_rings() -> None:
    seen = look_at_hide([shot(clean=True)])
    assert seen.rings == () and seen.lines == ()


def test_thickness_and_a_bar_that_is_off_are_reckoned_with() -> None:
    image = render_hide(replace(CLEAN, thickness_mm=4.0))
    thin, thick, larger = (
        look_at_hide([image], thickness_mm=0.0),
        look_at_hide([image], thickness_mm=4.0),
        look_at_hide([image], thickness_mm=4.0, bar_mm=102.0),
    )
    truth = Polygon(SHORT).area
    assert abs(thick.area_mm2 / truth - 1) < abs(thin.area_mm2 / truth - 1)
    assert larger.area_mm2 / thick.area_mm2 == pytest.approx(1.02**2, rel=2e-3)


def test_holes_are_found_and_chalk_of_the_tables_colour_is_none() -> None:
    hole = chalk_ring(float(MIDDLE[0] + 60), float(MIDDLE[1] - 60), 46, 40, RNG)
    ring = chalk_ring(float(MIDDLE[0] - 200), float(MIDDLE[1] - 40), 90, 80, RNG)
    made = replace(
        CLEAN,
        rings=(SHORT, hole),
        table_colour=TABLES["pale board"],
        chalk=(ChalkStroke(ring, CHALK["white"], 0.9, 7.5),),
    )
    seen = look_at_hide([render_hide(made)])
    assert len(seen.holes) == 1 and Polygon(seen.holes[0]).area == pytest.approx(Polygon(hole).area, rel=0.12)
    assert len(seen.rings) == 1 and seen.rings[0].chalk == "white"


def test_a_rule_against_the_edge_is_not_leather() -> None:
    x, y = float(MIDDLE[0]), float(SHORT[:, 1].min())
    rule = Blot(
        np.array([[x - 15, y - 190], [x + 15, y - 190], [x + 15, y + 4], [x - 15, y + 4]]), (0.72, 0.58, 0.25)
    )
    seen = look_at_hide([render_hide(replace(CLEAN, clutter=(rule,)))])
    assert seen.area_mm2 / Polygon(SHORT).area == pytest.approx(1.0, abs=0.004)


def test_a_long_hide_comes_in_two_pictures() -> None:
    shots = [
        replace(s, width_px=1500, height_px=1000) for s in tables()["a long russet side, in two pictures"]
    ]
    seen = look_at_hide([render_hide(s) for s in shots])
    row = judge(
        "long",
        shots[0].rings[0],
        [RingDrawn(r, 1) for r in drawn_rings(shots[0])],
        seen.outline,
        [(r.outline, r.severity) for r in seen.rings],
    )
    assert row.rms < 1.6 and abs(row.area) < 0.003 and row.found == row.drawn == 5 and row.false == 0, row


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"markers": USUAL.markers[:2]}, r"shows 2 markers \(0, 1\); markers 2, 3, 4, 5, 6, 7 are not seen"),
        ({"markers": ()}, r"shows 0 markers \(none\)"),
        ({"camera": replace(USUAL.camera, exposure=0.02)}, "too dark: white paper comes out at"),
        ({"camera": replace(USUAL.camera, blur_px=5.0)}, "out of focus or shaken"),
        (
            {"eye": (USUAL.eye[0] + 560, USUAL.eye[1])},
            "goes beyond the picture, or beyond the markers, at the left",
        ),
        ({"colour": USUAL.table_colour, "blemishes": (), "shadow": 0.0}, "no hide is seen on the table"),
    ],
    ids=["covered", "none", "dark", "blurred", "beyond", "table's colour"],
)
def test_a_bad_picture_is_told_what_to_change(change: dict[str, object], words: str) -> None:
    scene = replace(USUAL, clutter=(), **change)  # type: ignore[arg-type]  # the scene's own fields
    with pytest.raises(BadPicture, match=words) as told:
        look_at_hide([render_hide(scene)], expected=range(8))
    assert told.value.expected


def test_chalk_of_the_leathers_colour_is_told() -> None:
    pale = replace(CLEAN, colour=(0.9, 0.89, 0.85), table_colour=TABLES["blue sheet"], blemishes=())
    seen = look_at_hide([render_hide(pale)])
    assert any(
        "White chalk is the colour of this leather" in words and "blue or red" in words
        for words in seen.advice
    )


def test_two_chalks_that_look_alike_are_told() -> None:
    chalks = (*USUAL_CHALKS, Chalk("pink", (214, 60, 58), "surface"))
    seen = look_at_hide([shot(clean=True)], chalks=chalks)
    assert any("Red and pink chalk look alike" in words for words in seen.advice)


def test_a_shop_has_its_own_chalk_table() -> None:
    swapped = tuple(
        replace(c, means={"white": "unsound", "red": "surface"}.get(c.name, c.means)) for c in USUAL_CHALKS
    )  # type: ignore[arg-type]  # meanings
    seen = look_at_hide([shot()], chalks=swapped)
    assert {(r.chalk, r.severity) for r in seen.rings} == {("white", 3), ("blue", 2), ("red", 1)}


def test_pictures_that_share_no_markers_are_told() -> None:
    left, right = shot(clean=True).copy(), shot(clean=True).copy()
    left[:, 950:], right[:, :1150] = 90, 90
    with pytest.raises(BadPicture, match=r"shares [01] markers? with the others|shows [0-3] markers"):
        find_table([left, right])
    with pytest.raises(BadPicture, match="no picture"):
        find_table([])
    with pytest.raises(BadPicture, match="a bar of 300 mm"):
        find_table([shot(clean=True)], 300.0)
    with pytest.raises(BadPicture, match="40 mm thick"):
        look_at_hide([], thickness_mm=40.0)


def test_markers_are_placed_to_a_mm() -> None:
    table = find_table([shot(clean=True)])
    laid = {m.number: m for m in CLEAN.markers}
    assert set(table.markers) == set(laid)
    found = np.array([table.markers[n].mean(axis=0) for n in laid])
    truth = np.array([[m.x, m.y] for m in laid.values()])
    a, b = found - found.mean(axis=0), truth - truth.mean(axis=0)
    u, _, v = np.linalg.svd(a.T @ b)
    assert np.hypot(*(a @ u @ v - b).T).max() < 1.0
    assert table.views[0].focal / CLEAN.width_px == pytest.approx(0.85, rel=0.08)
    assert table.views[0].lens[0] == pytest.approx(-0.06, abs=0.03)
    height = 0.85 * CLEAN.span_mm
    assert table.views[0].eye[2] == pytest.approx(height, rel=0.08)


def test_a_number_seen_twice_is_left_out() -> None:
    twice = (*CLEAN.markers[:-1], replace(CLEAN.markers[-1], number=0))
    assert sorted(m.number for m in find_markers(render_hide(replace(CLEAN, markers=twice)))) == [
        1,
        2,
        3,
        4,
        5,
        6,
    ]


@pytest.mark.parametrize("number", [0, 7, 49])
def test_a_markers_fields_are_black_all_round(number: int) -> None:
    own = fields(number)
    assert (
        own.shape == (FIELDS, FIELDS)
        and own[0].all()
        and own[-1].all()
        and own[:, 0].all()
        and own[:, -1].all()
        and not own.all()
    )
    big = cv2.resize((~own).astype(np.uint8) * 255, (300, 300), interpolation=cv2.INTER_NEAREST)
    page = cv2.cvtColor(
        cv2.copyMakeBorder(big, 60, 60, 60, 60, cv2.BORDER_CONSTANT, value=255), cv2.COLOR_GRAY2RGB
    )
    (found,) = find_markers(np.asarray(page, np.uint8))
    assert found.number == number and found.side_px == pytest.approx(300, abs=1.0)
    assert (
        np.abs(found.corners - np.array([[59.5, 59.5], [359.5, 59.5], [359.5, 359.5], [59.5, 359.5]])).max()
        < 0.3
    )


def test_lowering_shrinks_about_the_place_under_the_eye() -> None:
    t = np.linspace(0, 2 * np.pi, 400, endpoint=False)
    ring = np.stack([500 * np.cos(t), 500 * np.sin(t)], axis=1)
    down = lowered(ring, (0.0, 0.0, 2000.0), 10.0)
    assert np.hypot(*down.T) == pytest.approx(500 * 1990 / 2000, abs=0.2)
    assert lowered(ring, (0.0, 0.0, 2000.0), 0.0) is ring
    assert lowered_face(np.array([[100.0, 0.0]]), (300.0, 0.0, 1000.0), 5.0)[0] == pytest.approx([101.0, 0.0])


def test_the_simulated_camera_is_pointed() -> None:
    camera = SimulatedHideCamera(
        {"here": (HideScene((SHORT,), (0.4, 0.2, 0.1), table=(500.0, 400.0), width_px=240, height_px=160),)}
    )
    assert camera.pointed_at("here").take().body.startswith(b"\xff\xd8")
    with pytest.raises(NotFound, match="no table 'there'"):
        camera.pointed_at("there")
    with pytest.raises(NotFound, match="no place 2"):
        camera.pointed_at("here", 1)
    with pytest.raises(Unavailable, match="nothing lies under the camera"):
        camera.take()


def test_a_picture_is_the_same_for_the_same_seed() -> None:
    small = HideScene(
        (SHORT,),
        (0.4, 0.2, 0.1),
        table=(500.0, 400.0),
        markers=(MarkerLaid(1, 200, 200),),
        width_px=300,
        height_px=200,
    )
    assert np.array_equal(render_hide(small), render_hide(small))
    assert not np.array_equal(render_hide(small), render_hide(replace(small, seed=2)))
    assert MARKER_MM == 150.0
