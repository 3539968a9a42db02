"""Chalk on leather seen from straight above: rings, arrows, lines and their colours, on leathers from black
to undyed.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from itertools import product

import cv2
import numpy as np
import pytest
from shapely.geometry import Polygon

from fairlay.core.capture.chalk import USUAL_CHALKS, Chalk, ChalkSeen, find_chalk
from fairlay.core.capture.hide_edge import HideFound, find_hide
from fairlay.core.capture.table import TableSeen, TableTop
from fairlay.core.errors import BadPicture
from fairlay.core.shapes.rings import Ring
from fairlay.demo.hide_tables import CHALK, LEATHERS, arrow, chalk_ring
from tests.effort import some

SIZE = (420, 700)
"""Height and width of the little table, in mm and px."""
HIDE = np.array([[60, 50], [640, 50], [640, 370], [60, 370]], float)
SEVERITY = {"white": 1, "blue": 2, "red": 3, "yellow": 0}


def leather(colour: str, rng: np.random.Generator) -> np.ndarray:
    """Leather all over the little table, uneven as leather is."""
    h, w = SIZE
    uneven = (
        1
        + 0.05
        * cv2.resize(rng.normal(0, 1, (5, 8)).astype(np.float32), (w, h), interpolation=cv2.INTER_CUBIC)
        + rng.normal(0, 0.03, (h, w)).astype(np.float32)
    )
    return np.clip(np.array(LEATHERS[colour], np.float32) * 255 * uneven[..., None], 0, 255)


def drawn(
    image: np.ndarray,
    points: Ring,
    chalk: str,
    rng: np.random.Generator,
    strength: float = 0.75,
    width: int = 7,
) -> None:
    """A line of chalk that catches on the grain."""
    line = np.zeros(image.shape[:2], np.float32)
    cv2.polylines(line, [np.round(points).astype(np.int32)], False, 1.0, width)
    cover = (
        cv2.GaussianBlur(line, (0, 0), 0.8) * strength * rng.uniform(0.6, 1.15, line.shape).astype(np.float32)
    ).clip(0, 0.97)[..., None]
    image[:] = image * (1 - cover) + np.array(CHALK[chalk], np.float32) * 255 * cover


def top(image: np.ndarray) -> TableTop:
    return TableTop(
        image.clip(0, 255).astype(np.uint8), np.ones(SIZE, bool), 1.0, 0.0, 0.0, np.zeros(SIZE, np.uint8)
    )


def hide() -> HideFound:
    mask = np.zeros(SIZE, np.uint8)
    cv2.fillPoly(mask, [HIDE.astype(np.int32)], 1)
    return HideFound(HIDE, (), mask, 30.0, (), 0.1)


def look(image: np.ndarray, chalks: Sequence[Chalk] = USUAL_CHALKS) -> ChalkSeen:
    return find_chalk(top(image), hide(), tuple(chalks))


def overlap(a: Ring, b: Ring) -> float:
    p, q = Polygon(a).buffer(0), Polygon(b).buffer(0)
    return float(p.intersection(q).area / max(p.area, q.area))


@pytest.mark.parametrize("colour", list(LEATHERS))
def test_every_chalk_is_told_on_every_leather(colour: str) -> None:
    rng = np.random.default_rng(len(colour) * 7)
    image = leather(colour, rng)
    rings = []
    for k, (chalk, strength) in enumerate(product(("white", "blue", "red"), (0.5, 0.9))):
        if (colour, chalk) != ("white", "white"):  # which nobody sees
            ring = chalk_ring(150 + 200 * (k // 2), 135 + 150 * (k % 2), 80, 64, rng)
            drawn(image, ring, chalk, rng, strength)
            rings.append((chalk, ring))
    found = look(image)
    assert len(found.rings) == len(rings)
    for chalk, ring in rings:
        one = max(found.rings, key=lambda r: overlap(r.outline, ring))
        assert overlap(one.outline, ring) > 0.85 and 0 <= one.sure <= 1
        assert one.chalk == chalk and one.severity == SEVERITY[chalk]


@pytest.mark.parametrize("colour", list(LEATHERS))
def test_bare_leather_has_no_chalk(colour: str) -> None:
    found = look(leather(colour, np.random.default_rng(3)))
    assert found.rings == () and found.lines == ()


@pytest.mark.parametrize(
    ("across", "gap"), [(26, 0.0), (34, 0.0), (60, 0.1), (90, 0.1), (120, 0.12), (200, 0.05)]
)
def test_rings_of_any_size_are_found_open_a_little_or_not(across: float, gap: float) -> None:
    rng = np.random.default_rng(int(across))
    image = leather("chestnut", rng)
    ring = chalk_ring(330, 210, across, 0.8 * across, rng, gap)
    drawn(image, ring, "white", rng)
    (one,) = look(image).rings
    assert overlap(one.outline, ring) > (0.6 if across < 30 else 0.75)


@pytest.mark.parametrize(
    ("across", "chalk"), some(product((9.0, 12.0, 15.0, 18.0), ("white", "blue", "red")), 2)
)
def test_a_ring_so_small_that_its_line_fills_it_is_shown_to_be_looked_at(across: float, chalk: str) -> None:
    rng = np.random.default_rng(round(across))
    image = leather("chestnut", rng)
    ring = chalk_ring(300, 200, across, across * 0.9, rng)
    drawn(image, ring, chalk, rng, 0.9)
    (one,) = look(image).rings
    assert one.chalk == chalk and one.severity == SEVERITY[chalk] and overlap(one.outline, ring) > 0.4
    assert one.sure == 0.0, "it may be a speck of something: never taken unless the cutter says so"
    bar = leather("chestnut", rng)
    drawn(bar, np.array([[300.0, 200], [322, 200]]), chalk, rng, 0.9)
    assert look(bar).rings == (), "a short stroke is no dot"


@pytest.mark.parametrize("gap", [0.45, 0.6])
def test_an_arc_is_no_ring(gap: float) -> None:
    rng = np.random.default_rng(1)
    image = leather("russet", rng)
    drawn(image, chalk_ring(330, 210, 120, 110, rng, gap), "white", rng)
    assert look(image).rings == ()


def test_rings_that_touch_are_two_and_a_stroke_through_one_leaves_it_one() -> None:
    rng = np.random.default_rng(5)
    image = leather("umber", rng)
    for x in (250, 326):
        drawn(image, chalk_ring(x, 200, 78, 74, np.random.default_rng(2)), "red", rng)
    assert len(look(image).rings) == 2
    image = leather("umber", rng)
    ring = chalk_ring(300, 200, 110, 100, np.random.default_rng(2))
    drawn(image, ring, "blue", rng)
    drawn(image, np.array([[250, 180], [352, 222]]), "blue", rng)
    (one,) = look(image).rings
    assert overlap(one.outline, ring) > 0.85


def test_a_ring_drawn_twice_round_is_one() -> None:
    rng = np.random.default_rng(8)
    image = leather("chestnut", rng)
    for across in (100, 74):
        drawn(image, chalk_ring(300, 200, across, across, np.random.default_rng(4)), "white", rng)
    assert len(look(image).rings) == 1


@pytest.mark.parametrize("deg", [0.0, 35.0, 90.0, 150.0])
@pytest.mark.parametrize("colour", ["black", "natural", "moss"])
def test_an_arrow_tells_its_way(colour: str, deg: float) -> None:
    rng = np.random.default_rng(6)
    image = leather(colour, rng)
    for stroke in arrow(340, 210, 180, deg):
        drawn(image, stroke, "yellow", rng, 0.85)
    found = look(image)
    (line,) = found.lines
    assert line.kind == "arrow" and found.rings == ()
    way = np.degrees(np.arctan2(*(line.ends[1] - line.ends[0])[::-1]))
    assert abs((way - deg + 90) % 180 - 90) < 4


@pytest.mark.parametrize(
    ("points", "kind"),
    [
        ([[100, 90], [600, 96]], "backbone"),
        ([[200, 150], [330, 190]], "line"),
        ([[200, 150], [220, 156]], None),
    ],
)
def test_a_long_line_is_the_backbone_and_a_short_one_is_asked_about(
    points: list[list[float]], kind: str | None
) -> None:
    rng = np.random.default_rng(9)
    image = leather("chestnut", rng)
    drawn(image, np.array(points), "yellow", rng, 0.9)
    assert [x.kind for x in look(image).lines] == ([kind] if kind else [])


def test_scars_stains_and_glare_are_no_chalk() -> None:
    rng = np.random.default_rng(11)
    image = leather("chestnut", rng)
    ys, xs = np.mgrid[0 : SIZE[0], 0 : SIZE[1]]
    image += (26 * np.exp(-((xs - 400) ** 2 + (ys - 200) ** 2) / (2 * 45**2)))[..., None]
    for x, y, by in [(150, 120, 0.6), (520, 300, 1.25), (250, 290, 0.7)]:
        blot = np.zeros(SIZE, np.float32)
        cv2.ellipse(blot, (x, y), (38, 4), float(x % 90), 0, 360, 1.0, -1)
        image *= (1 + (by - 1) * cv2.GaussianBlur(blot, (0, 0), 1.2))[..., None]
    found = look(image)
    assert found.rings == () and found.lines == ()


@pytest.mark.parametrize(
    ("colour", "chalk", "added"),
    some(product(("chestnut", "black", "oxblood"), ("white", "blue", "red"), (40, 75, 100)), 2),
)
def test_a_ring_in_a_lamps_shine_is_found_and_the_shine_told(colour: str, chalk: str, added: int) -> None:
    rng = np.random.default_rng(21)
    image = leather(colour, rng)
    ring = chalk_ring(300, 200, 90, 80, np.random.default_rng(2))
    drawn(image, ring, chalk, rng)
    ys, xs = np.mgrid[0 : SIZE[0], 0 : SIZE[1]]
    # Light is added to light: so much that this leather is shown that many levels brighter.
    mean = float(image.mean()) / 255
    shine = (mean + added / 255) ** 2.2 - mean**2.2
    shone = shine * np.exp(-((xs - 310) ** 2 + (ys - 210) ** 2) / (2 * 110**2))
    image[:] = (np.clip(image / 255, 0, 1) ** 2.2 + shone[..., None]) ** (1 / 2.2) * 255
    found = look(image)
    assert any("lamp" in words for words in found.advice) == (added == 100)
    # Where the shine is told a ring may be missed; none is told wrongly.
    assert len(found.rings) == 1 or added == 100
    assert all(r.chalk == chalk and overlap(r.outline, ring) > 0.8 for r in found.rings)


def test_a_ring_of_a_colour_for_lines_has_no_severity() -> None:
    rng = np.random.default_rng(12)
    image = leather("chestnut", rng)
    drawn(image, chalk_ring(300, 200, 80, 70, rng), "yellow", rng)
    (one,) = look(image).rings
    assert one.severity == 0 and one.chalk == "yellow"


def test_one_chalk_alone_is_enough() -> None:
    rng = np.random.default_rng(13)
    image = leather("black", rng)
    drawn(image, chalk_ring(300, 200, 80, 70, rng), "red", rng)
    (one,) = look(image, [Chalk("stick", (208, 52, 46), "blemish")]).rings
    assert one.chalk == "stick" and one.severity == 2


@pytest.mark.parametrize(
    ("colour", "chalk", "told"),
    [
        ((238, 237, 230), "white", True),
        ((62, 110, 196), "blue", True),
        ((107, 64, 38), "white", False),
        ((208, 52, 46), "red", True),
        ((30, 28, 26), "red", False),
    ],
)
def test_chalk_of_the_leathers_own_colour_is_told(
    colour: tuple[int, int, int], chalk: str, told: bool
) -> None:
    found = look(np.full((*SIZE, 3), colour, np.float32))
    assert (
        any(
            words.startswith(f"{chalk.capitalize()} chalk is the colour of this leather")
            for words in found.advice
        )
        is told
    )


def table(image: np.ndarray) -> tuple[TableTop, TableSeen]:
    """The little table with a marker's corners in each of its own corners."""
    square = np.array([[0, 0], [20, 0], [20, 20], [0, 20]], float)
    markers = {k: square + at for k, at in enumerate([[8, 8], [668, 8], [668, 388], [8, 388]])}
    return top(image), TableSeen((), markers, 0.1, ())


def on_table(
    colour: Sequence[float], ring: Ring, under: Sequence[float] = (150, 140, 120), hole: Ring | None = None
) -> np.ndarray:
    rng = np.random.default_rng(2)
    image = np.clip(np.array(under, np.float32) * (1 + rng.normal(0, 0.02, (*SIZE, 1))), 0, 255).astype(
        np.float32
    )
    mask = np.zeros(SIZE, np.uint8)
    cv2.fillPoly(mask, [np.round(ring).astype(np.int32)], 1)
    if hole is not None:
        cv2.fillPoly(mask, [np.round(hole).astype(np.int32)], 0)
    image[mask > 0] = np.array(colour) * (1 + rng.normal(0, 0.03, (int(mask.sum()), 1)))
    return image


@pytest.mark.parametrize("colour", [(60, 40, 25), (20, 20, 20), (210, 180, 140), (80, 25, 25), (60, 80, 40)])
def test_a_hide_of_any_colour_is_told_from_its_table(colour: tuple[int, int, int]) -> None:
    ring = np.array([[90, 80], [600, 70], [620, 330], [350, 360], [110, 320]], float)
    found = find_hide(*table(on_table(colour, ring)))
    assert Polygon(found.outline).symmetric_difference(Polygon(ring)).area < 0.012 * Polygon(ring).area
    assert found.holes == () and found.apart > 2.5 and found.doubts == ()


def test_a_hole_is_found_and_a_pale_spot_is_none() -> None:
    ring, hole = (
        np.array([[90, 80], [600, 70], [620, 330], [110, 320]], float),
        chalk_ring(300, 200, 50, 44, np.random.default_rng(1)),
    )
    image = on_table((60, 40, 25), ring, hole=hole)
    cv2.circle(image, (480, 180), 20, (90, 60, 38), -1)
    found = find_hide(*table(image))
    (one,) = found.holes
    assert overlap(one, hole) > 0.9
    assert found.mask[200, 300] == 0 and found.mask[180, 480] == 1


def test_shadow_beside_a_hide_is_not_leather() -> None:
    ring = np.array([[90, 80], [600, 70], [600, 330], [110, 320]], float)
    image = on_table((120, 60, 30), ring)
    shade = np.ones(SIZE, np.float32)
    shade[300:345, 130:620] = 0.62
    lit = image.copy()
    lit *= cv2.GaussianBlur(shade, (0, 0), 3)[..., None]
    mask = np.zeros(SIZE, np.uint8)
    cv2.fillPoly(mask, [np.round(ring).astype(np.int32)], 1)
    lit[mask > 0] = image[mask > 0]
    found = find_hide(*table(lit))
    assert Polygon(found.outline).area == pytest.approx(Polygon(ring).area, rel=0.015)


@pytest.mark.parametrize(
    ("ring", "side"),
    [
        ([[-5, 80], [500, 70], [520, 330], [-5, 320]], "left"),
        ([[200, 80], [720, 70], [720, 330], [210, 320]], "right"),
        ([[200, -9], [500, -9], [520, 330], [210, 320]], "top"),
    ],
)
def test_a_hide_that_goes_on_beyond_is_told_where(ring: list[list[float]], side: str) -> None:
    with pytest.raises(BadPicture, match=f"at the {side}"):
        find_hide(*table(on_table((60, 40, 25), np.array(ring, float))))


def test_an_empty_table_has_no_hide() -> None:
    with pytest.raises(BadPicture, match="no hide is seen"):
        find_hide(*table(on_table((60, 40, 25), np.array([[300, 200], [330, 200], [330, 230]], float))))


def test_the_chalk_table_has_meanings_of_its_own() -> None:
    assert [c.means for c in USUAL_CHALKS] == ["surface", "blemish", "unsound", "line"]
    assert replace(USUAL_CHALKS[0], means="unsound").rgb == USUAL_CHALKS[0].rgb
