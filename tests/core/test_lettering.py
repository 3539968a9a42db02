"""Words and lines that a program drew as areas, and what a sheet has beside its pieces: letters, grids and
test squares are no cuts, a pen's line has one middle, and what looks a little like either stays as it is.
"""

from __future__ import annotations

import gzip
import io
from importlib.resources import files

import ezdxf
import numpy as np
import pytest
from fontTools.pens.svgPathPen import SVGPathPen
from fontTools.ttLib import TTFont
from shapely.geometry import Point, Polygon

from fairlay.core.errors import BadPattern
from fairlay.core.formats.by_pen import parted_by_pen
from fairlay.core.formats.dxf_in import read_dxf
from fairlay.core.formats.sort_out import SaidOf, SortedOut, sort_out
from fairlay.core.formats.svg_in import read_svg
from fairlay.core.pattern.contour import flatten
from fairlay.work.reading import is_svg
from tests.core.other_hands import Points, box, path, svg

PANEL = np.array([(20, 20), (280, 20), (290, 180), (10, 190)])
LINES = 'fill="none" stroke="#000" stroke-width="0.2"'


def written(text: str, x: float, y: float, size: float, bold: bool = False) -> str:
    """Words as the outlines of their letters, one path each."""
    name = f"DejaVuSans{'-Bold' if bold else ''}.ttf"
    font = TTFont(io.BytesIO(files("fairlay.core.formats").joinpath("typefaces", name).read_bytes()))
    glyphs, names, scale = font.getGlyphSet(), font.getBestCmap(), size / font["head"].unitsPerEm
    out = []
    for line in text.split("\n"):
        at = x
        for letter in line:
            pen = SVGPathPen(glyphs)
            glyphs[names[ord(letter)]].draw(pen)
            place = f"translate({at:.3f},{y:.3f}) scale({scale},{-scale})"
            out.append(f'<path transform="{place}" d="{pen.getCommands()}"/>')
            at += glyphs[names[ord(letter)]].width * scale
        y += 1.3 * size
    return "".join(out)


def sorted_of(body: str) -> SortedOut:
    drawing = parted_by_pen(read_svg(svg(body)))
    return sort_out(drawing, {}, drawing.unit_mm or 1.0)


def areas(out: SortedOut) -> list[float]:
    return sorted(float(Polygon(flatten(p.contour)).area) for p in out.pieces)


@pytest.mark.parametrize("turn", [0, 90, 30])
@pytest.mark.parametrize("text", ["SEAT x2", "Back panel", "LOG\nSLING", "top", "Cut 2 pair\nfrom firm"])
def test_words_drawn_as_outlines_are_no_windows(text: str, turn: int) -> None:
    window = f'<path {LINES} d="{path(box(30, 160, 40, 15))}"/><circle {LINES} cx="270" cy="30" r="3"/>'
    words = f'<g {{}} transform="rotate({turn} 140 100)">{written(text, 90, 95, 12)}</g>'
    for pen in (LINES, 'fill="#000"'):
        out = sorted_of(f'<path {LINES} d="{path(PANEL)}"/>{window}{words.format(pen)}')
        (panel,) = out.pieces
        assert len(panel.windows) == 1 and [m.kind for m in panel.marks] == ["hole"], (text, turn, pen)
        # With a line they are told by how they stand, painted by having none.
        assert any("they are words" in n for n in out.notes) == (pen == LINES)


def test_letters_with_holes_make_no_frame_of_the_piece_they_stand_on() -> None:
    out = sorted_of(
        f'<g {LINES}><path d="{path(box(20, 20, 260, 160))}"/>{written("BOARD A", 60, 90, 14)}</g>'
    )
    assert areas(out) == pytest.approx([260 * 160]) and not out.pieces[0].windows


def test_what_stands_by_a_word_belongs_to_it() -> None:
    dot = f'<circle {LINES} cx="94" cy="82" r="1.2"/>'
    for text, size in (("Grain  -", 14), ("SEAT", 14)):
        out = sorted_of(f'<g {LINES}><path d="{path(PANEL)}"/>{written(text, 60, 90, size)}{dot}</g>')
        assert not out.pieces[0].windows and not out.pieces[0].marks, text


def test_a_block_of_many_lines_is_words() -> None:
    lines = "\n".join(
        ["Cut from firm leather", "with the grain along", "skive the long edges", "glue 12 mm"] * 4
    )
    out = sorted_of(f'<g {LINES}><path d="{path(PANEL)}"/>{written(lines, 60, 40, 6)}</g>')
    assert not out.pieces[0].windows and len(out.pieces) == 1


def test_one_painted_letter_is_no_window_and_painted_pieces_are_pieces() -> None:
    letter = f'<g fill="#000">{written("B", 120, 110, 30)}</g>'
    assert not sorted_of(f'<path {LINES} d="{path(PANEL)}"/>{letter}').pieces[0].windows
    painted = f'<g fill="#963"><path d="{path(PANEL)}"/><path d="{path(box(400, 20, 90, 60))}"/></g>'
    sewn = f'<path {LINES} stroke-dasharray="3 2" d="{path(np.array([(40, 40), (240, 40)]), closed=False)}"/>'
    assert areas(sorted_of(painted + sewn)) == pytest.approx([5400, Polygon(PANEL).area])


def test_painted_dots_and_slits_are_cut_whether_words_are_painted_too_or_not() -> None:
    dots = "".join(f'<circle cx="{40 + 6 * k}" cy="30" r="0.6"/>' for k in range(30))
    slits = "".join(
        f'<rect transform="translate({40 + 9 * k},150) rotate({5 * k})" width="4" height="1"/>'
        for k in range(12)
    )
    panel = f'<path {LINES} d="{path(PANEL)}"/>'
    for words in ("", written("SEAT", 90, 95, 12)):
        (found,) = sorted_of(f'{panel}<g fill="#000">{dots}{words}</g>').pieces
        assert [m.kind for m in found.marks] == ["hole"] * 30 and not found.windows
    (found,) = sorted_of(f'{panel}<g fill="#000">{slits}</g>').pieces
    assert len(found.windows) == 12


def test_a_title_beside_all_pieces_is_no_piece() -> None:
    out = sorted_of(f'<g {LINES}><path d="{path(PANEL)}"/>{written("Hearth bellows", 20, 12, 9)}</g>')
    assert areas(out) == pytest.approx([Polygon(PANEL).area])


@pytest.mark.parametrize(
    "cut",
    [
        [box(60 + 14 * k, 90, 8, 6) for k in range(6)],  # a row of slots
        [box(60 + 24 * k, 90, 10 + 3 * k, 8 + 3 * (k % 2)) for k in range(2)],
        [np.array(Point(70 + 16 * k, 90).buffer(2 + k).exterior.coords)[:-1] for k in range(4)],
        [box(40, 60, 60, 50), box(120, 60, 50, 70), box(190, 60, 70, 60)],
        # Three shapes close to each other, on no line.
        [box(60, 60, 20, 12), np.array([(84, 84), (104, 80), (100, 96)]), box(58, 92, 9, 24)],
    ],
)
def test_windows_and_holes_in_a_row_are_no_words(cut: list[Points]) -> None:
    out = sorted_of(
        f'<g {LINES}><path d="{path(PANEL)}"/>{"".join(f"<path d={path(c)!r}/>" for c in cut)}</g>'
    )
    (panel,) = out.pieces
    assert len(panel.windows) + len(panel.marks) == len(cut)


def test_small_pieces_in_a_row_are_pieces() -> None:
    rows = [box(20.0 + 30 * k, 250, 14 + 2 * k, 20 - 1.5 * k) for k in range(6)]
    out = sorted_of(
        f'<g {LINES}><path d="{path(PANEL)}"/>{"".join(f"<path d={path(r)!r}/>" for r in rows)}</g>'
    )
    assert len(out.pieces) == 7


def test_a_grid_a_test_square_and_a_title_block_are_the_sheets_own() -> None:
    across = "".join(f'<path d="M0,{10 * k}H400M{10 * k},0V400"/>' for k in range(41))
    title = "".join(f'<path d="{path(box(300, 300 + 12 * k, 90, 12))}"/>' for k in range(4))
    square = f'<path d="{path(box(20, 300, 50, 50))}"/>'
    words = (
        '<text x="305" y="309" font-size="6">Sheet 1 of 2</text><text x="25" y="330" font-size="5">{}</text>'
    )
    pieces = f'<path d="{path(PANEL)}"/><path d="{path(box(100, 300, 60, 60))}"/>'
    body = f"<g {LINES}>{across}{title}{square}{pieces}</g>"
    out = sorted_of(body + words.format("Test square 50 mm"))
    assert areas(out) == pytest.approx([3600, Polygon(PANEL).area])
    assert any("A grid of 82 lines" in n for n in out.notes)
    assert any("5 boxes with words of the sheet ('Sheet 1 of 2')" in n for n in out.notes)
    # A square that says nothing of the kind is a piece, so is a strap whatever it says, and what somebody
    # said is one.
    assert len(sorted_of(body + words.format("Washer")).pieces) == 3
    strap = f'<path d="{path(box(20, 450, 90, 30))}"/>'
    said = '<text x="25" y="465" font-size="5">Check strap</text>'
    assert len(sorted_of(f'<g {LINES}><path d="{path(PANEL)}"/>{strap}</g>{said}').pieces) == 2
    drawing = parted_by_pen(read_svg(svg(body + words.format("Test square 50 mm"))))
    insisted = [SaidOf(45, 325, 50, "outline")]
    assert len(sort_out(drawing, {}, drawing.unit_mm or 1.0, said=insisted).pieces) == 3


def test_straps_of_loose_lines_are_no_grid() -> None:
    lines = "".join(f"M20,{20 * k}H320" for k in range(1, 10)) + "".join(
        f"M{x},{20 * k}V{20 * k + 20}" for k in range(1, 9) for x in (20, 320)
    )
    out = sorted_of(f'<path {LINES} d="{lines}"/>')
    assert sum(p.wanted for p in out.pieces) == 8 and set(areas(out)) == {6000.0}
    # One row of them parted by eight short lines at one distance.
    row = "".join(f"M20,{20 * k}H180" for k in range(1, 8)) + "".join(
        f"M{20 * k},20V40" for k in range(1, 10)
    )
    assert not any("grid" in n for n in sorted_of(f'<path {LINES} d="{row}"/>').notes)


@pytest.mark.parametrize("broad", [0.15, 0.6, 0.95])
def test_a_pens_line_drawn_as_an_area_has_one_middle(broad: float) -> None:
    window = box(120, 80, 60, 40)
    bands = [Polygon(p).exterior.buffer(broad / 2, join_style="mitre") for p in (PANEL, window)]
    bands.append(Point(60, 60).buffer(4).exterior.buffer(broad / 2))
    rings = "".join(path(np.asarray(r.coords)[:-1]) for b in bands for r in (b.exterior, *b.interiors))
    (panel,) = sorted_of(f'<path fill="#000" fill-rule="evenodd" d="{rings}"/>').pieces
    assert float(Polygon(flatten(panel.contour)).area) == pytest.approx(Polygon(PANEL).area, rel=1e-3)
    assert [float(Polygon(flatten(w)).area) for w in panel.windows] == pytest.approx([2400], rel=5e-3)
    assert [m.width_mm for m in panel.marks] == pytest.approx([8.0], abs=0.1)


def test_a_packed_drawing_and_a_binary_one_are_read() -> None:
    body = svg(f'<path {LINES} d="{path(PANEL)}"/>')
    assert is_svg("panel.svgz", gzip.compress(body))
    assert read_svg(gzip.compress(body)).span == read_svg(body).span
    for broken in (gzip.compress(body)[:-20], b"\x1f\x8b" + body):
        with pytest.raises(BadPattern, match="packed SVG"):
            read_svg(broken)
    with pytest.raises(BadPattern, match="too large when unpacked"):
        read_svg(gzip.compress(bytes(70_000_000)))
    doc, out = ezdxf.new("R2010"), io.BytesIO()
    doc.header["$INSUNITS"] = 4
    doc.modelspace().add_lwpolyline(PANEL, close=True)
    doc.write(out, fmt="bin")
    assert (
        read_dxf(out.getvalue()).span == pytest.approx((280, 170)) and read_dxf(out.getvalue()).unit_mm == 1
    )
    with pytest.raises(BadPattern, match="no DXF"):
        read_dxf(out.getvalue()[:400])
