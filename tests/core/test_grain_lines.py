"""Which way the grain runs, read from what is drawn on a piece: arrows in the manners of many programs, lines
that words or a layer call so; measures and corners are none.
"""

from __future__ import annotations

import itertools
import math

import numpy as np
import pytest
from shapely.geometry import Polygon

from fairlay.core.formats.by_pen import parted_by_pen
from fairlay.core.formats.read_out import sorted_out
from fairlay.core.formats.sort_out import FoundPiece, SortedOut, sort_out
from fairlay.core.formats.svg_in import read_svg
from fairlay.core.pattern.contour import flatten
from tests.core.other_hands import box, path, svg

PANEL = box(20, 20, 260, 180)
LINES = 'fill="none" stroke="#000" stroke-width="0.2"'
HEAD = '<defs><marker id="head" orient="auto"><path d="M0,0L4,2L0,4z"/></marker></defs>'
ARROWS = {
    "three lines": '<path d="M-40,0H40"/><path d="M40,0L32,4"/><path d="M40,0L32,-4"/>',
    "two heads": '<path d="M-40,0H40M40,0L32,4M40,0L32,-4M-40,0L-32,4M-40,0L-32,-4"/>',
    "a head in one stroke": '<path d="M-40,0H40"/><path d="M32,5L40,0L32,-5"/>',
    "one stroke": '<path d="M-40,0H40L33,3L40,0L33,-3"/>',
    "a closed head": '<path d="M-40,0H40"/><path d="M40,0L32,4V-4z"/>',
    "a painted head": '<path d="M-40,0H40"/><path fill="#000" stroke="none" d="M40,0L32,4V-4z"/>',
    "a marker": '<path d="M-40,0H40" marker-end="url(#head)"/>',
    "words": '<path d="M-40,0H40"/><text y="6" font-size="5" stroke="none">grain line</text>',
    "a layer": '<g id="GRAIN"><path d="M-40,0H40"/></g>',
}


def found(on_it: str, deg: float = 0.0, outline: str = path(PANEL)) -> SortedOut:
    turned = f'<g transform="translate(150,110) rotate({deg})">{on_it}</g>'
    body = f'{HEAD}<g {LINES}><path d="{outline}"/>{turned}</g>'
    drawing = parted_by_pen(read_svg(svg(body)))
    return sort_out(drawing, {}, drawing.unit_mm or 1.0)


def the_one(out: SortedOut) -> FoundPiece:
    (piece,) = out.pieces
    assert float(Polygon(flatten(piece.contour)).area) == pytest.approx(Polygon(PANEL).area, rel=1e-4)
    assert not piece.windows and not piece.marks
    return piece


@pytest.mark.parametrize("deg", [0.0, 30.0, 90.0, -75.0, 170.0])
@pytest.mark.parametrize("manner", ARROWS)
def test_an_arrow_shows_the_grain(manner: str, deg: float) -> None:
    out = found(ARROWS[manner], deg)
    piece = the_one(out)
    assert piece.grain_deg is not None
    off = (piece.grain_deg - deg + 90.0) % 180.0 - 90.0
    assert abs(off) < 0.1 and -90.0 < piece.grain_deg <= 90.0
    assert any("way of the grain was read from a line on 1 piece" in n for n in out.notes)
    assert not out.open_lines and not any("nothing" in n for n in out.notes)
    (shown,) = sorted_out(out).pieces
    assert shown.grain_deg == shown.pattern.needs.grain_deg == piece.grain_deg


@pytest.mark.parametrize(
    "on_it",
    [
        '<path d="M-40,0H40"/>',
        ARROWS["two heads"] + '<text y="6" font-size="5" stroke="none">80 mm</text>',
        '<path d="M-40,0H40"/><path d="M40,0V8"/><path d="M40,0V-8"/>',  # a T
        '<path d="M-40,0H40"/><path d="M40,0L32,4"/>',  # half a head
        '<path d="M-4,0H4M4,0L3,1M4,0L3,-1"/>',  # too short for a way
    ],
)
def test_a_line_alone_a_measure_or_half_an_arrow_shows_none(on_it: str) -> None:
    assert the_one(found(on_it)).grain_deg is None


def test_what_words_call_the_grain_goes_before_a_longer_arrow() -> None:
    long = ARROWS["two heads"].replace("40", "100").replace("32", "90")
    called = f'<g transform="translate(0,50) rotate(90)">{ARROWS["words"].replace("40", "20")}</g>'
    assert abs(the_one(found(long + called)).grain_deg or 0.0) == pytest.approx(90.0)


def test_two_pieces_that_share_a_line_keep_it() -> None:
    ways = ([(20, 100), (120, 100)], [(120, 100), (105, 112), (20, 160)], [(120, 100), (105, 88), (20, 40)])
    lines = [*ways, [(20, 160), (20, 100)], [(20, 100), (20, 40)]]
    sides = "".join(path(np.array(pair), closed=False) for way in lines for pair in itertools.pairwise(way))
    out = found("", outline=sides)
    assert sum(p.times + p.mirrored for p in out.pieces) == 2 and not any(p.grain_deg for p in out.pieces)


def test_an_outline_of_loose_lines_keeps_its_sides() -> None:
    corners = [(20, 20), (280, 20), (280, 200), (150, 60), (20, 200)]
    sides = "".join(
        path(np.array([a, b]), closed=False) for a, b in zip(corners, [*corners[1:], corners[0]], strict=True)
    )
    (piece,) = found("", outline=sides).pieces
    assert piece.grain_deg is None
    assert float(Polygon(flatten(piece.contour)).area) == pytest.approx(Polygon(corners).area)
    assert math.isclose(Polygon(corners).area, 28600.0)
