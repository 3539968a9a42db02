"""Simulated devices say what a true one would: cameras by the optics of a lens, the gauge within what leather
is, the table as it was laid.
"""

from __future__ import annotations

from dataclasses import replace
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from shapely.geometry import Polygon, box

from fairlay.core.capture.markers import find_markers
from fairlay.core.errors import NotFound, Unavailable
from fairlay.demo.hide_tables import LEATHERS, TABLES, drawn_rings, placed, tables
from fairlay.devices import hide_table, surfaces
from fairlay.devices.gauge import SimulatedGauge
from fairlay.devices.hide_table import HideScene, MarkerLaid, SimulatedHideCamera, render_hide
from fairlay.devices.optics import between, every, leaning, rays
from fairlay.devices.photograph import TONES, Develops, Tone, displayed, light_of, photograph

OBLONG = np.array([[500, 400], [1400, 400], [1400, 900], [500, 900]], float)
MARKERS = tuple(
    MarkerLaid(n, x, y) for n, (x, y) in enumerate([(200, 200), (1700, 200), (200, 1100), (1700, 1100)])
)
SCENE = HideScene(
    (OBLONG,),
    (0.42, 0.25, 0.15),
    table=(1900.0, 1300.0),
    markers=MARKERS,
    width_px=950,
    height_px=650,
    eye=(950.0, 650.0),
    span_mm=1900.0,
    shade=0.0,
    shadow=0.0,
    camera=Develops(blur_px=0.0, noise=0.0, vignette=0.0),
)


@given(st.tuples(st.floats(-40, 40), st.floats(-40, 40)), st.floats(-180, 180))
def test_a_camera_leans_without_bending(tilt: tuple[float, float], roll: float) -> None:
    axes = leaning(tilt, roll)
    assert axes @ axes.T == pytest.approx(np.eye(3), abs=1e-12) and np.linalg.det(axes) == pytest.approx(1.0)
    assert leaning((0.0, 0.0), 0.0) == pytest.approx(np.eye(3))


@given(st.floats(-0.2, 0.1), st.floats(0, 0.04))
def test_a_lens_bends_a_ray_as_its_figures_say(k1: float, k2: float) -> None:
    at = np.arange(60.0), np.arange(40.0), (60, 40), 50.0
    bent, straight = rays(*at, (k1, k2)), rays(*at, (0.0, 0.0))
    r2 = (bent[..., :2] ** 2).sum(axis=-1)
    back = bent[..., :2] * (1 + k1 * r2 + k2 * r2**2)[..., None]
    assert np.abs(back - straight[..., :2]).max() < 2e-3
    assert np.all(bent[..., 2] == 1)


@given(st.integers(0, 30), st.integers(1, 70), st.floats(-0.1, 0.1), st.floats(-0.04, 0.04))
def test_what_changes_evenly_is_filled_in_between(first: int, high: int, k1: float, k2: float) -> None:
    wide, focal = 90, 2000.0
    lines, columns = np.arange(first, first + high, dtype=float), np.arange(wide, dtype=float)
    all_of_them = rays(columns, lines, (wide, 120), focal, (k1, k2))
    few = rays(every(0, wide), every(first, first + high), (wide, 120), focal, (k1, k2))
    for d in (0, 1):
        filled_in = between(few[..., d], high, wide)
        assert filled_in.shape == (high, wide)
        assert np.abs(filled_in - all_of_them[..., d]).max() * focal < 0.005


@pytest.mark.parametrize("eye", [(950.0, 650.0), (600.0, 800.0), (1300.0, 600.0)])
def test_a_face_is_seen_whole_wherever_the_camera_stands(eye: tuple[float, float]) -> None:
    scene = replace(SCENE, markers=(), eye=eye, thickness_mm=40.0, tilt_deg=(6.0, -4.0))
    colour = np.array([0.42, 0.25, 0.15]) * 255
    seen = (np.abs(render_hide(scene) - colour).max(axis=2) < 45).sum()
    corners = in_picture(scene, np.column_stack([OBLONG, np.full(4, 40.0)]))
    within = Polygon(corners).intersection(box(0, 0, scene.width_px, scene.height_px))
    assert seen == pytest.approx(within.area, rel=0.01)


def in_picture(scene: HideScene, points: np.ndarray) -> np.ndarray:
    """Where a camera sees points (x, y, up) mm of its table, in px."""
    turn = leaning(scene.tilt_deg, scene.roll_deg)
    focal = 0.85 * scene.width_px
    eye = np.array([*scene.eye, 0.0]) - turn[2] * (focal * scene.span_mm / scene.width_px)
    seen = (points * [1, 1, -1] - eye) @ turn.T
    u = seen[:, :2] / seen[:, 2:]
    r2 = (u * u).sum(axis=1, keepdims=True)
    bent = u * (1 + scene.lens[0] * r2 + scene.lens[1] * r2**2)
    return bent * focal + np.array([scene.width_px, scene.height_px]) / 2


@pytest.mark.parametrize(
    ("field", "value"),
    [("tilt_deg", (0.0, 0.0)), ("tilt_deg", (7.0, -5.0)), ("roll_deg", 12.0), ("lens", (-0.06, 0.01))],
)
def test_markers_are_seen_where_the_optics_put_them(field: str, value: object) -> None:
    scene = replace(SCENE, width_px=1900, height_px=1300, span_mm=2300.0, **{field: value})  # type: ignore[arg-type]
    seen = {m.number: m.corners.mean(axis=0) for m in find_markers(render_hide(scene))}
    assert sorted(seen) == [0, 1, 2, 3]
    expected = in_picture(scene, np.array([[m.x, m.y, 0.0] for m in MARKERS]))
    for m, at in zip(MARKERS, expected, strict=True):
        # A square's corners do not lie evenly about its middle where the camera leans.
        assert np.hypot(*(seen[m.number] - at)) < 2.5, (m.number, seen[m.number], at)


def test_leather_covers_its_outline_and_no_more() -> None:
    picture = render_hide(SCENE).astype(int)
    ppm = SCENE.width_px / SCENE.span_mm
    leather = np.abs(picture - np.array([0.42, 0.25, 0.15]) * 255).max(axis=2) < 45
    rows, columns = np.nonzero(leather[int(350 * ppm) : int(950 * ppm), int(450 * ppm) : int(1450 * ppm)])
    covered = len(rows) / ppm**2
    assert covered == pytest.approx(900 * 500, rel=0.01)
    assert columns.min() / ppm + 450 == pytest.approx(500, abs=4) and rows.max() / ppm + 350 == pytest.approx(
        900, abs=4
    )


@pytest.mark.parametrize("off", [0.0, 3.0, 6.0, 9.0, 12.0])
def test_what_is_narrower_than_the_way_between_rays_is_seen(off: float) -> None:
    strip = np.array([[500, 600], [1400, 600], [1400, 606], [500, 606]], float)
    strip[:, 1] += off
    bare = replace(SCENE, markers=(), seed=3)
    shown, empty = (render_hide(replace(bare, rings=(r,))).astype(int) for r in (strip, strip - 5000))
    # 450 px long and 3 wide: whatever part of a line it fills at either side, two lines are its own.
    assert (np.abs(shown - empty).max(axis=2) > 30).sum() > 2 * 440


def shot(**camera: object) -> np.ndarray:
    """The scene as another camera develops it."""
    return render_hide(replace(SCENE, camera=replace(SCENE.camera, **camera))).astype(float)  # type: ignore[arg-type]


def test_light_shade_warmth_and_blur_do_what_they_say() -> None:
    plain = render_hide(SCENE).astype(float)
    assert light_of(shot(exposure=0.5) / 255).mean() == pytest.approx(
        light_of(plain / 255).mean() / 2, rel=0.03
    )
    warm = render_hide(replace(SCENE, tint=(1.3, 0.7))).astype(float)
    assert warm[..., 0].mean() / warm[..., 2].mean() > 1.2 * plain[..., 0].mean() / plain[..., 2].mean()
    blurred = shot(blur_px=4.0)
    assert np.abs(np.diff(blurred, axis=1)).mean() < 0.7 * np.abs(np.diff(plain, axis=1)).mean()
    shaded = render_hide(replace(SCENE, shade=0.5)).astype(float).mean(axis=2)
    corners = [
        shaded[:40, :40].mean(),
        shaded[:40, -40:].mean(),
        shaded[-40:, :40].mean(),
        shaded[-40:, -40:].mean(),
    ]
    assert max(corners) > 1.15 * min(corners)
    assert np.abs(shot(noise=0.03) - plain).mean() > 2
    assert shot(vignette=0.5)[:40, :40].mean() < 0.9 * plain[:40, :40].mean()


def test_the_same_scene_gives_the_same_picture_and_another_seed_another(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    monkeypatch.setattr(hide_table, "table_top", surfaces.table_top)  # each table anew
    assert np.array_equal(render_hide(SCENE), render_hide(SCENE))
    assert not np.array_equal(render_hide(SCENE), render_hide(replace(SCENE, seed=2)))


def test_boards_run_along_the_table_with_joints_between() -> None:
    speck = OBLONG[:1] + np.array([[0, 0], [1, 0], [0, 1]])
    bare = replace(SCENE, rings=(speck,), markers=(), surface="boards", wide_mm=200.0, uneven=0.2)
    lines = render_hide(bare).astype(float).mean(axis=(1, 2))
    ppm = SCENE.width_px / SCENE.span_mm
    dark = np.flatnonzero(lines < 0.6 * np.median(lines)) / ppm
    joints = [group.mean() for group in np.split(dark, np.flatnonzero(np.diff(dark) > 20) + 1)]
    assert len(joints) in (6, 7) and all(b - a == pytest.approx(200, abs=4) for a, b in pairwise(joints))
    assert np.std([np.median(lines[int((a + 10) * ppm) : int((a + 180) * ppm)]) for a in joints[:-1]]) > 3, (
        "each board has its own tone"
    )
    even = render_hide(replace(bare, surface="even")).astype(float).mean(axis=(1, 2))
    assert even.min() > 0.9 * np.median(even)


def test_a_curled_edge_stands_nearer_the_camera_and_looks_larger() -> None:
    ring = np.array([[300, 300], [1600, 300], [1600, 1000], [300, 1000]], float)
    flat = replace(SCENE, rings=(ring,), markers=())
    curled = replace(flat, curls=((1600.0, 650.0, 60.0, 150.0),))
    ppm = SCENE.width_px / SCENE.span_mm

    def reaches(scene: HideScene) -> float:
        row = render_hide(scene)[int(650 * ppm)].astype(int)
        return float(
            np.flatnonzero(np.abs(row - np.array([0.42, 0.25, 0.15]) * 255).max(axis=1) < 45).max() / ppm
        )

    # 60 mm up, 650 mm off the middle, under a camera 1615 mm high: 60 / (1615 - 60) of 650 farther out.
    assert reaches(curled) - reaches(flat) == pytest.approx(25, abs=6)


def test_the_camera_is_pointed_at_what_there_is() -> None:
    camera = SimulatedHideCamera({"one": (SCENE,), "two": (SCENE, replace(SCENE, seed=2))})
    assert camera.pointed_at("two", 1).take().body != camera.pointed_at("two").take().body
    with pytest.raises(NotFound, match="one, two"):
        camera.pointed_at("three")
    with pytest.raises(NotFound, match="1 to 2"):
        camera.pointed_at("two", 2)


def test_the_demos_tables_are_laid_as_they_should_be() -> None:
    found = tables()
    assert len(found["a long russet side, in two pictures"]) == 2
    assert len(drawn_rings(found["a chestnut side, chalked"][0])) == 6 and not drawn_rings(
        found["a chestnut side, not chalked"][0]
    )
    for name, shots in found.items():
        for scene in shots:
            assert len({m.number for m in scene.markers}) == len(scene.markers), name
            assert all(0 <= c <= 1 for c in (*scene.colour, *scene.table_colour))
    whole, left = (
        found[n][0].rings[0] for n in ("a chestnut side, not chalked", "what a cut left of the chestnut side")
    )
    assert 0.5 < np.ptp(left[:, 0]) / np.ptp(whole[:, 0]) < 0.8
    assert all(len(rgb) == 3 for rgb in (*LEATHERS.values(), *TABLES.values()))


@given(st.floats(-180, 180))
def test_a_hide_is_put_on_its_table_without_being_changed(deg: float) -> None:
    out = placed(OBLONG, deg, (300.0, 200.0))
    assert out.min(axis=0) == pytest.approx([300, 200])
    assert np.hypot(*(out - np.roll(out, 1, axis=0)).T) == pytest.approx(
        np.hypot(*(OBLONG - np.roll(OBLONG, 1, axis=0)).T)
    )


@given(st.floats(0, 2200), st.floats(0, 1000), st.floats(0.8, 5.0), st.text(min_size=1, max_size=8))
def test_the_gauge_reads_what_leather_is(x: float, y: float, nominal: float, number: str) -> None:
    gauge = SimulatedGauge(number, nominal, 2200.0, 1000.0)
    mm = gauge.read(x, y)
    assert mm == gauge.read(x, y), "the same place reads the same"
    assert nominal * 0.80 - 0.15 <= mm <= nominal * 1.10 + 0.15
    assert mm / 0.05 == pytest.approx(round(mm / 0.05)), "to its own 0.05 mm"


def test_the_gauge_is_thicker_toward_the_backbone_and_closes_on_nothing_off_the_hide() -> None:
    gauge = SimulatedGauge("O-044", 2.4, 2200.0, 1000.0)
    back, belly = (np.mean([gauge.read(x, y) for x in range(0, 2201, 100)]) for y in (50, 950))
    assert back > belly + 0.2
    for x, y in [(-200, 500), (2400, 500), (1000, -100), (1000, 1100)]:
        with pytest.raises(Unavailable, match="closes on nothing"):
            gauge.read(x, y)


@pytest.mark.parametrize("tone", TONES)
def test_every_tone_curve_rises_from_black_to_white(tone: Tone) -> None:
    shown = displayed(np.linspace(0, 1, 200), tone)
    assert (np.diff(shown) > 0).all() and 0 <= shown[0] < 0.06 and 0.95 < shown[-1] <= 1.0


def test_blur_comes_before_the_tone_curve() -> None:
    def light(top: int, low: int) -> np.ndarray:
        out = np.zeros((low - top, 80, 3), np.float32)
        out[:, 40:] = 1.0
        return out

    line = photograph(light, 60, 80, Develops(blur_px=3.0, noise=0.0, vignette=0.0), 1)[30, :, 1] / 255
    # Half the light stands at the edge; it is shown at 0.735, and half of what is shown lies inside the
    # black.
    assert np.interp(0.5, light_of(line), np.arange(80)) == pytest.approx(39.5, abs=0.1)
    assert np.interp(0.5, line, np.arange(80)) < 38.0


def test_a_moving_hand_smears_one_way() -> None:
    across, down = shot(motion_px=(9.0, 0.0)), shot(motion_px=(0.0, 9.0))
    assert np.abs(np.diff(across, axis=1)).mean() < 0.8 * np.abs(np.diff(down, axis=1)).mean()
