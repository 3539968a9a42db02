"""Photographs on squared paper: parts are traced truly, and bad pictures are told what to do better."""

from __future__ import annotations

from dataclasses import replace

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.ndimage import gaussian_filter1d
from shapely.geometry import Polygon

from bench.capture import compare
from fairlay.core.capture.curves import cleaned, straight_runs, traced_corners
from fairlay.core.capture.grid_page import grid_page
from fairlay.core.capture.squared_paper import Said, at_square_mm, decode, look, trace
from fairlay.core.errors import BadPattern, BadPicture, NotFound, Unavailable
from fairlay.core.pattern.by_dimensions import draw
from fairlay.core.pattern.contour import Contour, flatten
from fairlay.core.shapes.rings import Ring
from fairlay.demo.pictures import CARD, CHESTNUT, INK, on_page
from fairlay.devices.camera import Camera, PartOnPage, Scene, SimulatedCamera, Stain, encoded, render
from fairlay.devices.photograph import Develops
from tests.effort import tried

PAGE = grid_page("A4", True)
MIDDLE = (PAGE.x0 + PAGE.across * 5, PAGE.y0 + PAGE.down * 5)
PLAIN = Scene(page=PAGE, width_px=1400, height_px=1030, fill=0.85, thickness_mm=0.0, shadow=0.0, shade=0.15)
WORN = replace(
    PLAIN,
    tilt_deg=(8.0, -7.0),
    roll_deg=4.0,
    lens=(-0.1, 0.02),
    shade=0.4,
    cast=0.4,
    stains=(Stain(40, 60, (20, 12)), Stain(150, 230, (12, 9))),
    shadow=0.4,
    thickness_mm=2.0,
    camera=Develops(noise=0.015, tone="film", sharpen=0.4),
    seed=5,
)
TAB = draw("trapezoid", {"length": 150, "one_end": 100, "other_end": 60}).contour


def scene(
    base: Scene,
    *parts: tuple[Contour, float, float, float],
    colour: tuple[float, float, float] = CHESTNUT,
    line_mm: float | None = None,
) -> Scene:
    return replace(
        base,
        parts=tuple(
            PartOnPage((on_page(c, MIDDLE[0] + x, MIDDLE[1] + y, turn),), colour, line_mm)
            for c, x, y, turn in parts
        ),
    )


def truth(of: Scene) -> Ring:
    return of.parts[0].rings[0]


@pytest.mark.parametrize(
    ("base", "shape", "colour"),
    [
        (PLAIN, TAB, CHESTNUT),
        (WORN, TAB, CHESTNUT),
        (WORN, draw("disc", {"across": 110}).contour, CARD),
        (WORN, draw("rectangle", {"length": 140, "width": 80, "radius": 15}).contour, (0.14, 0.13, 0.12)),
    ],
    ids=["square to it", "tilted, curved, shadowed, stained", "card", "black"],
)
def test_a_part_is_traced_at_its_size(
    base: Scene, shape: Contour, colour: tuple[float, float, float]
) -> None:
    made = scene(base, (shape, 3.0, -2.0, 11.0), colour=colour)
    found = trace(decode(encoded(render(made)).body), Said(thickness_mm=base.thickness_mm))
    assert len(found.parts) == 1 and found.squares > 100 and found.rms_mm < 0.1
    rms, worst, area = compare(truth(made), flatten(found.parts[0].contour))
    assert rms < 0.4 and worst < 1.5 and abs(area) < 0.008, (rms, worst, area)
    assert len(found.parts[0].contour) < 40


def test_thickness_and_the_printed_bar_are_reckoned_with() -> None:
    made = scene(replace(PLAIN, thickness_mm=4.0), (TAB, 0, 0, 0))
    picture = render(made)
    flat, lowered = (trace(picture, Said(thickness_mm=t)).parts[0].area_mm2 for t in (0.0, 4.0))
    true = Polygon(truth(made)).area
    assert flat / true - 1 > 0.012 and abs(lowered / true - 1) < 0.006
    small = trace(picture, at_square_mm(Said(thickness_mm=4.0), 98.0)).parts[0].area_mm2
    assert small / lowered == pytest.approx(0.98**2, rel=0.01)
    assert at_square_mm(Said(), None) == Said()


def test_the_width_of_a_drawn_line_is_taken_off_on_the_side_chosen() -> None:
    made = scene(PLAIN, (TAB, 0, 0, 0), colour=INK, line_mm=3.0)
    picture = render(made)
    true = Polygon(truth(made))
    for follow, by in (("inside", -1.5), ("outside", 1.5)):
        part = trace(picture, Said(shows="drawn line", line_mm=3.0, follow=follow)).parts[0]  # type: ignore[arg-type]
        assert (
            part.area_mm2 == pytest.approx(true.buffer(by, join_style="mitre").area, rel=0.01)
            and part.windows == ()
        )
    grown = trace(picture, Said(shows="drawn line", line_mm=3.0, follow="middle", grow_mm=4.0)).parts[0]
    assert grown.area_mm2 == pytest.approx(true.buffer(4).area, rel=0.01)


def test_windows_are_found() -> None:
    made = replace(
        PLAIN,
        parts=(
            PartOnPage(
                (
                    on_page(draw("rectangle", {"length": 150, "width": 90, "radius": 8}).contour, *MIDDLE),
                    on_page(draw("disc", {"across": 30}).contour, MIDDLE[0] + 20, MIDDLE[1]),
                ),
                CARD,
            ),
        ),
    )
    (part,) = trace(render(made)).parts
    assert len(part.windows) == 1 and Polygon(flatten(part.windows[0])).area == pytest.approx(
        np.pi * 225, rel=0.04
    )


BAD = [
    ("no squared paper was found", replace(scene(PLAIN, (TAB, 0, 0, 0)), squares=False)),
    ("reaches over the border", scene(PLAIN, (TAB, 85, 0, 0))),
    ("nothing but paper", PLAIN),
    ("too dark", replace(scene(PLAIN, (TAB, 0, 0, 0)), shade=0.0, cast=0.0, seed=-1)),
    ("out of focus", replace(scene(PLAIN, (TAB, 0, 0, 0)), camera=Develops(blur_px=14.0))),
]


@pytest.mark.parametrize(("words", "made"), BAD, ids=[w for w, _ in BAD])
def test_a_bad_picture_is_told_what_to_do_better(words: str, made: Scene) -> None:
    image = render(replace(made, seed=abs(made.seed)))
    if made.seed < 0:
        image = (image * 0.03).astype(np.uint8)
    with pytest.raises(BadPicture, match=words):
        trace(image)


def test_parts_that_touch_are_doubted_and_two_are_both_given() -> None:
    disc = draw("disc", {"across": 70}).contour
    touching = trace(render(scene(PLAIN, (disc, -34, 0, 0), (disc, 34, 0, 0))))
    assert len(touching.parts) == 1 and any("two parts that touch" in words for words in touching.advice)
    apart = trace(
        render(
            scene(PLAIN, (disc, -50, 0, 0), (draw("triangle", {"base": 80, "height": 70}).contour, 50, 0, 0))
        )
    )
    assert len(apart.parts) == 2 and any("2 parts lie on the page" in words for words in apart.advice)
    assert [p.area_mm2 for p in apart.parts] == sorted((p.area_mm2 for p in apart.parts), reverse=True)


@pytest.mark.parametrize(
    ("body", "words"),
    [
        (b"", "no picture that can be read"),
        (b"GIF89a", "no picture that can be read"),
        (cv2.imencode(".png", np.zeros((40, 40, 3), np.uint8))[1].tobytes(), "40 x 40 pixels"),
    ],
)
def test_what_is_no_picture_is_refused(body: bytes, words: str) -> None:
    with pytest.raises(BadPicture, match=words):
        trace(decode(body))


def test_what_is_said_of_a_picture_must_make_sense() -> None:
    image = render(scene(PLAIN, (TAB, 0, 0, 0)))
    paper, _ = look(image)
    x, y, height = paper.eye_mm()
    assert (x, y) == pytest.approx(
        (paper.bounds_mm[2] / 2, paper.bounds_mm[3] / 2), abs=25
    ) and 250 < height < 450
    for asked, words in (
        (Said(square_mm=1), "squares of 1 mm"),
        (Said(line_mm=30), "a line of 30 mm"),
        (Said(grow_mm=-60), "-60 mm added"),
    ):
        with pytest.raises(BadPicture, match=words):
            trace(image, asked)
    for bad in ("foolscap", ""):
        with pytest.raises(BadPattern, match="no paper called"):
            grid_page(bad)
    with pytest.raises(BadPattern, match="squares of 50 mm"):
        grid_page("A4", square_mm=50)


def _dense(ring: Ring, rng: np.random.Generator) -> Ring:
    closed = np.concatenate([ring, ring[:1]])
    along = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(closed, axis=0).T))])
    at = np.linspace(0, along[-1], int(along[-1] / 0.5), endpoint=False)
    even = np.stack([np.interp(at, along, closed[:, d]) for d in (0, 1)], axis=1)
    return even + gaussian_filter1d(rng.normal(0, 0.12, even.shape), 1.5, axis=0, mode="wrap")


@settings(max_examples=tried(20, 200))
@given(
    st.sampled_from(["strap", "rectangle", "disc", "lens", "triangle", "trapezoid", "notched panel"]),
    st.floats(0, 360),
    st.integers(0, 9),
)
def test_cleaning_keeps_the_outline_with_few_nodes(kind: str, turn: float, seed: int) -> None:
    true = on_page(draw(kind, {}).contour, 0, 0, turn)
    nodes = cleaned(_dense(true, np.random.default_rng(seed)))
    rms, worst, area = compare(true, flatten(nodes))
    assert len(nodes) <= 26 and rms < 0.25 and worst < 1.3 and abs(area) < 0.015


def test_straights_and_corners_of_a_trace() -> None:
    ring = _dense(on_page(TAB, 0, 0, 20), np.random.default_rng(1))
    assert len(straight_runs(ring)) == 4 and len(traced_corners(ring)) == 4
    round_one = _dense(on_page(draw("disc", {"across": 90}).contour, 0, 0), np.random.default_rng(2))
    assert straight_runs(round_one) == [] and traced_corners(round_one) == [] and len(cleaned(round_one)) <= 8


def test_the_simulated_camera_is_a_camera() -> None:
    camera = SimulatedCamera({"a tab": scene(PLAIN, (TAB, 0, 0, 0))})
    ready: Camera = camera.pointed_at("a tab")
    picture = ready.take()
    assert picture.media_type == "image/jpeg" and decode(picture.body).shape == (1030, 1400, 3)
    with pytest.raises(Unavailable, match="one of a tab"):
        camera.take()
    with pytest.raises(NotFound, match="no table 'a hat'"):
        camera.pointed_at("a hat")


def ruled(every: dict[int, float], cells: int, px: int) -> np.ndarray:
    """A picture of paper with ``cells`` squares each way, ``px`` wide, and a dark tab on it; of so many lines
    one is so dark (0 to 1) and, the darker, the wider.
    """
    image = np.full((cells * px + 160, cells * px + 160), 235.0)
    for k in range(cells + 1):
        dark = max(d for n, d in every.items() if k % n == 0)
        at, wide = 80 + k * px, 1 if dark < 0.4 else 2
        image[80 : 80 + cells * px + wide, at : at + wide] *= 1 - dark
        image[at : at + wide, 80 : 80 + cells * px + wide] *= 1 - dark
    mid, half = image.shape[0] // 2, 6 * px
    image[mid - half : mid + half, mid - 2 * half : mid + 2 * half] = 60.0
    soft = cv2.GaussianBlur(image + np.random.default_rng(1).normal(0, 2, image.shape), (0, 0), 0.7)
    return np.repeat(np.clip(soft, 0, 255).astype(np.uint8)[..., None], 3, axis=2)


@pytest.mark.parametrize(
    ("every", "said", "square"),
    [
        ({1: 0.3, 2: 0.6}, 10.0, 5.0),
        ({1: 0.3, 2: 0.6}, 5.0, 5.0),
        ({1: 0.3, 2: 0.6}, 20.0, 10.0),
        ({1: 0.3, 5: 0.6}, 10.0, 10.0),
        ({1: 0.3, 5: 0.6}, 40.0, 8.0),
        ({1: 0.4}, 10.0, 10.0),
    ],
)
def test_squares_between_heavy_lines_are_meant(every: dict[int, float], said: float, square: float) -> None:
    cells, px = 30, 20
    found = trace(ruled(every, cells, px), Said(square_mm=said))
    (part,) = found.parts
    assert part.area_mm2 == pytest.approx(12 * 24 * square**2, rel=0.02)
    assert any("heavier" in words for words in found.advice) == (square < said)


def test_squares_too_fine_to_measure_by_are_told() -> None:
    with pytest.raises(BadPicture, match=r"are 1 mm, between heavier lines .*farther away"):
        trace(ruled({1: 0.3, 5: 0.45, 10: 0.75}, 40, 24), Said())
