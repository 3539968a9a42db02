"""Lays and drawings that leave the program: true size, every piece once, nothing mirrored, odd names kept;
and drawings that come in, before anyone says what they are.
"""

from __future__ import annotations

import io
import xml.etree.ElementTree as ET
from dataclasses import replace
from typing import Any

import ezdxf
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from shapely.geometry import Point, Polygon

from fairlay.core.errors import BadPattern
from fairlay.core.formats.drawing import MOST_POINTS, USES, Label, Stroke, sound_drawing, suggested_use
from fairlay.core.formats.dxf import lay_dxf
from fairlay.core.formats.svg import ROOM_MM, lay_svg
from fairlay.core.lay import Job, Lay, Placement
from fairlay.core.leather import Hide
from fairlay.core.leather.hide import Flaw, Zone
from fairlay.core.pattern import Piece
from fairlay.core.pattern.drawn import DrawnMark
from fairlay.core.shapes import Placing
from fairlay.core.shapes.placing import place_region


def ring(x0: float, y0: float, x1: float, y1: float) -> np.ndarray:
    return np.array([[x0, y0], [x1, y0], [x1, y1], [x0, y1]], float)


SIDE = Hide(
    "O-7",
    "side",
    np.array([[0, 0], [1200, 0], [1250, 500], [900, 620], [60, 560]], float),
    (ring(300, 200, 340, 240),),
    zones=(Zone(ring(0, 0, 1250, 620), 3, 90.0), Zone(ring(100, 0, 900, 250), 1, 90.0)),
    flaws=(Flaw("scar", 1, ring(700, 300, 720, 320)), Flaw("hole", 3, ring(300, 200, 340, 240))),
)
BEND = Hide("B-2", "bend", ring(0, 0, 700, 400))
ROLL = Hide("L-1", "roll", ring(0, 0, 6000, 900), width_mm=900.0)
PALM = Piece(
    "mitt/palm", np.array([[0, 0], [80, 0], [80, 40], [110, 60], [60, 130], [0, 130]], float), 4, pair=True
)
VENT = Piece("bellows/vent", ring(0, 0, 120, 90), 2, holes=(ring(30, 25, 70, 65),))
PLACED = (
    Placement("mitt/palm", 0, "O-7", Placing(400, 60, 25.0)),
    Placement("mitt/palm", 1, "O-7", Placing(700, 60, 115.0, True)),
    Placement("bellows/vent", 0, "B-2", Placing(50, 50, 0.0)),
)


def job(*hides: Hide, **more: Any) -> Job:
    return Job(more.pop("name", "a job"), hides or (SIDE, BEND), (PALM, VENT), **more)


def drawn_pieces(svg: str) -> dict[tuple[str, str, int], Polygon]:
    """Every piece of an SVG in its hide's own mm, by hide, piece and copy."""
    out = {}
    for group in ET.fromstring(svg).iter("{http://www.w3.org/2000/svg}g"):
        for path in group.iter("{http://www.w3.org/2000/svg}path"):
            if path.attrib.get("class") == "piece":
                rings = [
                    [[float(v) for v in p.split(",")] for p in one.strip("MZ ").split("L")]
                    for one in path.attrib["d"].split("Z")
                    if one.strip()
                ]
                out[group.attrib["id"], path.attrib["data-piece"], int(path.attrib["data-copy"])] = Polygon(
                    rings[0], rings[1:]
                )
    return out


def test_every_piece_is_drawn_once_where_it_lies() -> None:
    asked, lay = job(), Lay(PLACED)
    found = drawn_pieces(lay_svg(asked, lay))
    assert sorted(found) == sorted((p.hide, p.piece, p.copy) for p in PLACED)
    for p in PLACED:
        truth = place_region(asked.pieces_by_id[p.piece].region, p.at)
        assert found[p.hide, p.piece, p.copy].symmetric_difference(truth).area < 1e-3 * truth.area
    assert len(found["B-2", "bellows/vent", 0].interiors) == 1, "a window stays a window"


@given(st.floats(0, 360), st.booleans(), st.floats(100, 900), st.floats(50, 400))
def test_a_piece_is_cut_on_the_hand_it_was_laid(turn: float, mirrored: bool, x: float, y: float) -> None:
    asked, at = job(SIDE), Placing(x, y, turn, mirrored)
    lay = Lay((Placement("mitt/palm", 0, "O-7", at),))
    truth = place_region(PALM.region, at)
    assert (
        drawn_pieces(lay_svg(asked, lay))["O-7", "mitt/palm", 0].symmetric_difference(truth).area
        < 1e-3 * truth.area
    )
    doc = ezdxf.read(io.StringIO(lay_dxf(asked, lay)))
    (cut,) = doc.modelspace().query("LWPOLYLINE[layer=='CUT']")
    points = np.array(list(cut.get_points("xy")))
    # DXF counts upward; turned over once on the paper and once in its numbers, the hand is the same.
    assert Polygon(points * [1, -1]).symmetric_difference(truth).area < 1e-3 * truth.area


def test_one_hide_alone_or_those_that_are_used() -> None:
    asked, lay = job(SIDE, BEND, replace(BEND, id="B-3")), Lay(PLACED[:2])

    def shown(svg: str) -> list[str]:
        return [
            g.attrib["id"]
            for g in ET.fromstring(svg).iter("{http://www.w3.org/2000/svg}g")
            if "data-layer" not in g.attrib
        ]

    assert shown(lay_svg(asked, lay)) == ["O-7"] and shown(lay_svg(asked, lay, "B-3")) == ["B-3"]
    assert shown(lay_svg(asked, Lay(()))) == ["O-7", "B-2", "B-3"], "with nothing laid, all there is"
    both = ET.fromstring(lay_svg(asked, Lay(PLACED)))
    assert float(both.attrib["height"][:-2]) == pytest.approx(620 + 400 + 3 * ROOM_MM)


def test_a_roll_is_drawn_as_far_as_it_is_used() -> None:
    asked = job(ROLL)
    svg = ET.fromstring(lay_svg(asked, Lay((Placement("bellows/vent", 0, "L-1", Placing(500, 20, 0)),))))
    assert 620 <= float(svg.attrib["width"][:-2]) < 900
    doc = ezdxf.read(
        io.StringIO(lay_dxf(asked, Lay((Placement("bellows/vent", 0, "L-1", Placing(500, 20, 0)),))))
    )
    outline = np.array(list(next(iter(doc.modelspace().query("LWPOLYLINE[layer=='HIDE']"))).get_points("xy")))
    assert np.ptp(outline, axis=0).tolist() == pytest.approx([620, 900])
    assert lay_svg(asked, Lay(())) and lay_dxf(asked, Lay(()))


def test_names_that_markup_would_choke_on_are_kept() -> None:
    odd = replace(VENT, id="vent <\"&'> é")
    asked = Job("5 < 6 & more", (BEND,), (odd,))
    svg = lay_svg(asked, Lay((Placement(odd.id, 0, "B-2", Placing(10, 10, 0)),)))
    (key,) = drawn_pieces(svg)
    assert key[1] == odd.id and "5 &lt; 6 &amp; more" in svg
    doc = ezdxf.read(io.StringIO(lay_dxf(asked, Lay((Placement(odd.id, 0, "B-2", Placing(10, 10, 0)),)))))
    assert [t.dxf.text for t in doc.modelspace().query("TEXT")] == [f"{odd.id} 1"]


def test_flaws_and_zones_are_on_layers_of_their_own() -> None:
    doc = ezdxf.read(io.StringIO(lay_dxf(job(SIDE), Lay(PLACED[:2]))))
    count = {
        name: len(doc.modelspace().query(f"LWPOLYLINE[layer=='{name}']"))
        for name in ("HIDE", "ZONE", "FLAW_SURFACE", "FLAW_BLEMISH", "FLAW_UNSOUND", "CUT")
    }
    assert count["HIDE"] == 2, "the outline and its hole"
    assert (count["FLAW_SURFACE"], count["FLAW_BLEMISH"], count["FLAW_UNSOUND"], count["CUT"]) == (
        1,
        0,
        1,
        2,
    ) and count["ZONE"] >= 2


def test_marks_travel_with_a_turned_and_mirrored_piece() -> None:
    line = np.array([[10, 10], [60, 10]], float)
    marked = replace(
        PALM,
        marks=(
            DrawnMark("stitch", "line", line),
            DrawnMark("fold", "line", line + np.array([0, 30]), "flesh"),
        ),
    )
    asked = Job("marked", (SIDE,), (marked,))
    at = Placing(500, 200, 40.0, True)
    doc = ezdxf.read(io.StringIO(lay_dxf(asked, Lay((Placement("mitt/palm", 1, "O-7", at),)))))
    (stitch,) = doc.modelspace().query("LWPOLYLINE[layer=='STITCH']")
    assert len(doc.modelspace().query("LWPOLYLINE[layer=='FOLD_FLESH']")) == 1
    points = np.array(list(stitch.get_points("xy"))) * [1, -1]
    assert np.hypot(*(points[1] - points[0])) == pytest.approx(50)
    inner = place_region(marked.region, at)
    assert all(inner.covers(Point(p)) for p in points)


@pytest.mark.parametrize(
    ("layer", "use"),
    [
        ("Stitch 3mm", "stitch"),
        ("SEAM ALLOWANCE LINE", "stitch"),
        ("inner windows", "window"),
        ("PUNCH_4", "hole"),
        ("centre fold", "fold"),
        ("Skive 20", "skive"),
        ("glue here", "glue"),
        ("placement", "place"),
        ("Defpoints", "leave out"),
        ("text", "leave out"),
        ("0", "outline"),
        ("cut", "outline"),
        ("", "outline"),
    ],
)
def test_what_a_layer_is_likely_for(layer: str, use: str) -> None:
    assert suggested_use(layer) == use and use in USES


def test_a_drawing_without_its_specks() -> None:
    strokes = [
        Stroke(ring(0, 0, 90, 40), True, "cut", "black"),
        Stroke(np.array([[5.0, 5.0], [5.0, 5.0]]), False, "cut", "black"),
        Stroke(np.array([[0.0, 0.0], [np.nan, 4.0], [10.0, 0.0]]), False, "stitch", "red"),
        Stroke(np.vstack([ring(10, 10, 20, 20), [[10, 10]]]), True, "holes", ""),
    ]
    found = sound_drawing(
        strokes,
        [Label("palm", 4, 4, "words")],
        1.0,
        "mm",
        ["a picture was left out", "a picture was left out"],
    )
    assert [len(s.points) for s in found.strokes] == [4, 2, 4] and found.notes == ("a picture was left out",)
    assert found.span == (90.0, 40.0)
    by_name = {x.name: x for x in found.layers}
    assert list(by_name) == ["cut", "stitch", "holes", "words"]
    assert (by_name["cut"].strokes, by_name["cut"].closed, by_name["cut"].colour) == (1, 1, "black")
    assert (by_name["words"].labels, by_name["words"].suggested) == (1, "leave out") and by_name[
        "holes"
    ].suggested == "hole"


@pytest.mark.parametrize(
    ("strokes", "labels", "words"),
    [
        ([], [], "nothing is drawn"),
        ([], [Label("palm", 0, 0, "0")], r"but words \(palm\)"),
        ([Stroke(np.zeros((3, 2)), True, "0", "")], [], "nothing is drawn"),
        ([Stroke(np.random.default_rng(1).random((MOST_POINTS + 1, 2)), False, "0", "")], [], "points"),
    ],
)
def test_what_is_no_drawing_of_a_pattern(strokes: list[Stroke], labels: list[Label], words: str) -> None:
    with pytest.raises(BadPattern, match=words):
        sound_drawing(strokes, labels, None, "", [])
