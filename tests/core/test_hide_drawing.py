"""A hide out as SVG or DXF and in again; drawings of digitising tables with layers of other names, and with
things on them that are no leather.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from xml.etree import ElementTree

import numpy as np
import pytest
from shapely.affinity import translate
from shapely.geometry import Polygon

from fairlay.core.errors import BadHide, BadPattern
from fairlay.core.formats.drawing import Drawing
from fairlay.core.formats.dxf import lay_dxf
from fairlay.core.formats.dxf_in import read_dxf
from fairlay.core.formats.hide_drawing import hide_in_drawing
from fairlay.core.formats.svg import lay_svg
from fairlay.core.formats.svg_in import read_svg
from fairlay.core.lay.lay import Job, Lay
from fairlay.core.leather import Hide
from fairlay.demo import sides
from tests.core.hides_by_other_hands import MANNERS, Drawn, Side, beside_another, side

HOLE = np.array([[900.0, 400], [960, 400], [960, 450], [900, 450]])


def hide(holes: int = 1) -> Hide:
    made = sides.side("F-101", 11, 2280, 1060, 104.0, (5, 4, 3), 2.35)
    return replace(made, holes=tuple(HOLE + np.array([120.0 * k, 0]) for k in range(holes)))


def through_svg(out: Hide) -> Drawing:
    return read_svg(lay_svg(Job("F-101", (out,), ()), Lay(())).encode())


def through_dxf(out: Hide) -> Drawing:
    return read_dxf(lay_dxf(Job("F-101", (out,), ()), Lay(())).encode())


@pytest.mark.parametrize("through", [through_svg, through_dxf])
@pytest.mark.parametrize("holes", [0, 2])
def test_a_hide_that_was_taken_out_comes_in_again(through: Callable[[Hide], Drawing], holes: int) -> None:
    out = hide(holes)
    drawing = through(out)
    found = hide_in_drawing(drawing, drawing.unit_mm or 0.0)
    x0, y0 = out.outline.min(axis=0)
    assert (
        Polygon(found.outline).symmetric_difference(translate(Polygon(out.outline), -x0, -y0)).area < 900
    ), "within a tenth of a mm of its edge"
    assert len(found.holes) == holes and len(found.flaws) == len(out.flaws) == 12
    assert [sum(f.severity == s for f in found.flaws) for s in (0, 1, 2, 3)] == [0, 5, 4, 3]
    mine = [translate(Polygon(f.outline), -x0, -y0) for f in out.flaws]
    for flaw in found.flaws:
        ring = Polygon(flaw.outline)
        assert max(ring.intersection(m).area / ring.union(m).area for m in mine) > 0.97


def test_an_svg_of_a_hide_has_its_layers() -> None:
    root = ElementTree.fromstring(lay_svg(Job("F-101", (hide(),), ()), Lay(())))
    assert [
        g.get("data-layer") for g in root.iter("{http://www.w3.org/2000/svg}g") if g.get("data-layer")
    ] == ["HIDE", "ZONE", "FLAW_SURFACE", "FLAW_BLEMISH", "FLAW_UNSOUND"]


def svg(*shapes: str) -> Drawing:
    return read_svg(
        '<svg xmlns="http://www.w3.org/2000/svg" width="2400mm" height="1300mm" viewBox="0 0 2400 '
        f'1300">{"".join(shapes)}</svg>'.encode()
    )


def layer(name: str, *shapes: str) -> str:
    return f'<g data-layer="{name}">{"".join(shapes)}</g>'


SKIN = '<path d="M100,100 L2100,100 L2050,1000 L150,1000 Z"/>'
RING = '<path d="M300,300 L360,300 L360,360 L300,360 Z"/>'


@pytest.mark.parametrize(
    ("name", "severity"),
    [
        ("defect 2", 2),
        ("Defects_3", 3),
        ("flaws", 0),
        ("FLAW_SURFACE", 1),
        ("unsound", 3),
        ("faults-1", 1),
        ("flaw 12 things", 0),
        ("blemish", 2),
        ("veins", 1),
        ("veins 3", 3),
    ],
)
def test_severity_is_told_by_the_layers_name(name: str, severity: int) -> None:
    found = hide_in_drawing(svg(layer("skin", SKIN), layer(name, RING)), 25.4 / 96)
    (flaw,) = found.flaws
    assert flaw.kind == ("vein" if "vein" in name else "")
    assert flaw.severity == severity and found.holes == ()
    assert Polygon(flaw.outline).bounds == pytest.approx((200, 200, 260, 260), abs=0.1), (
        "from the corner of the hide's own bounds"
    )


def test_what_is_on_other_layers_is_no_leather() -> None:
    frame = layer("border of the table", '<rect x="0" y="0" width="2400" height="1300"/>')
    found = hide_in_drawing(svg(frame, layer("hide 7", SKIN), layer("zones", RING)), 25.4 / 96)
    assert Polygon(found.outline).area == pytest.approx(1.755e6, rel=1e-3) and not found.holes
    unnamed = hide_in_drawing(
        svg(SKIN, RING, layer("zone 3", '<circle cx="900" cy="500" r="80"/>')), 25.4 / 96
    )
    assert len(unnamed.holes) == 1, (
        "where no layer is named for the hide, what lies in it is a hole, unless its layer says it is none"
    )


def test_a_line_is_a_scar_and_what_lies_beside_the_hide_is_left_out_and_told() -> None:
    found = hide_in_drawing(
        svg(
            layer("hide", SKIN),
            layer(
                "flaws",
                RING,
                '<path d="M400,400 L460,400"/>',
                '<path d="M5,5 L50,5 L50,50 Z"/>',
                '<path d="M500,500 L560,560 L560,500 L500,560 Z"/>',
            ),
        ),
        25.4 / 96,
    )
    assert len(found.flaws) == 3, "a ring that crosses itself is taken by its larger part"
    scar = min((Polygon(f.outline) for f in found.flaws), key=lambda p: p.bounds[3] - p.bounds[1])
    assert scar.bounds == pytest.approx((297, 297, 363, 303), abs=0.1)
    assert any("1 scar, 6 mm wide" in n for n in found.notes)
    assert any("lies off the hide" in n for n in found.notes)


@pytest.mark.parametrize("manner", MANNERS, ids=lambda m: m.__name__)
@pytest.mark.parametrize("seed", range(4))
def test_a_hide_is_read_whatever_program_drew_it(manner: Callable[[Side], Drawn], seed: int) -> None:
    own = side(seed)
    drawn = manner(own)
    drawing = read_svg(drawn.body) if drawn.body.startswith(b"<svg") else read_dxf(drawn.body)
    found = hide_in_drawing(drawing)
    meant = Polygon(own.outline)
    assert Polygon(found.outline).area == pytest.approx(meant.area, rel=3e-3)
    assert sorted(f.severity for f in found.flaws) == sorted(drawn.severities)
    assert len(found.holes) == drawn.holes
    assert (found.backbone is not None) == drawn.backbone
    low = own.outline.min(axis=0)
    spots = {(round(x - low[0], -1), round(y - low[1], -1)) for x, y, _ in own.flaws}
    if drawn.severities and "unit" not in " ".join(found.notes):
        assert all(
            min(abs(x - a) + abs(y - b) for a, b in spots) < 60
            for x, y in (f.outline.mean(axis=0) for f in found.flaws)
        ), "where they were drawn"


def test_a_unit_is_guessed_only_where_nobody_tells_it() -> None:
    drawn = beside_another(side(1)).body
    guessed = hide_in_drawing(read_dxf(drawn))
    assert guessed.unit_mm == 1000.0 and "taken for m" in guessed.notes[0]
    assert any("beside it" in n for n in guessed.notes)
    said = hide_in_drawing(read_dxf(drawn), 10.0)
    assert said.unit_mm == 10.0 and Polygon(said.outline).area == pytest.approx(
        Polygon(guessed.outline).area / 1e4, rel=1e-3
    )


@pytest.mark.parametrize(
    ("name", "flaws", "kind"),
    [
        ("Default", 0, ""),
        ("slices", 0, ""),
        ("HideFaults", 1, ""),
        ("tick-bites", 1, "tick bite"),
        ("BrandMarks", 1, "brand"),
        ("Cowhide", 0, ""),
    ],
)
def test_a_word_within_another_names_no_flaw(name: str, flaws: int, kind: str) -> None:
    found = hide_in_drawing(svg(layer(name if not flaws else "Skin", SKIN), layer(name, RING)), 25.4 / 96)
    assert len(found.flaws) == flaws and len(found.holes) == 1 - flaws
    assert [f.kind for f in found.flaws] == [kind] * flaws


def test_an_offcut_that_is_a_rectangle_is_no_frame() -> None:
    cut = '<rect x="100" y="100" width="900" height="500"/>'
    found = hide_in_drawing(svg(cut, RING), 25.4 / 96)
    assert Polygon(found.outline).area == pytest.approx(450_000) and len(found.holes) == 1
    framed = hide_in_drawing(svg('<rect x="5" y="5" width="1200" height="700"/>', cut, RING), 25.4 / 96)
    assert Polygon(framed.outline).area == pytest.approx(450_000) and len(framed.holes) == 1
    assert any("a frame" in n for n in framed.notes)


@pytest.mark.parametrize("broad", [0.2, 0.8])
def test_a_hide_drawn_as_narrow_areas_and_a_painted_hole(broad: float) -> None:
    out = hide(1)
    x0, y0 = out.outline.min(axis=0) - 5.0
    regions = [translate(Polygon(r), -x0, -y0) for r in (out.outline, *out.holes)]
    bands = [r.exterior.buffer(broad / 2, join_style="mitre") for r in regions]
    rings = [np.asarray(r.coords)[:-1] for b in bands for r in (b.exterior, *b.interiors)]
    edge = "".join("M" + "L".join(f"{x:.3f},{y:.3f}" for x, y in ring) + "Z" for ring in rings)
    found = hide_in_drawing(svg(f'<path fill-rule="evenodd" d="{edge}"/>'))
    assert Polygon(found.outline).area == pytest.approx(regions[0].area, rel=1e-4) and not found.flaws
    assert [Polygon(h).area for h in found.holes] == pytest.approx([regions[1].area], rel=5e-3)
    # Painted in the hide's own pen it is a hole as well.
    line = "M" + "L".join(f"{x:.3f},{y:.3f}" for x, y in regions[0].exterior.coords) + "Z"
    painted = "M" + "L".join(f"{x:.3f},{y:.3f}" for x, y in regions[1].exterior.coords) + "Z"
    both = f'<path fill="none" stroke="#000" d="{line}"/><path fill="#000" d="{painted}"/>'
    found = hide_in_drawing(svg(both))
    assert len(found.holes) == 1 and not found.flaws


def test_a_drawing_without_a_hide_says_what_is_missing() -> None:
    with pytest.raises(BadHide, match="no closed outline"):
        hide_in_drawing(svg('<path d="M0,0 L500,0"/>'), 1.0)
    with pytest.raises(BadHide, match="on the layer skin"):
        hide_in_drawing(svg(layer("skin", '<path d="M0,0 L500,0"/>'), SKIN), 1.0)
    with pytest.raises(BadPattern, match="unit of nan"):
        hide_in_drawing(svg(SKIN), float("nan"))
