"""Files by other programs' hands: what was drawn is found at its true size, and what is doubtful is told."""

from __future__ import annotations

import io
from dataclasses import replace
from pathlib import Path

import ezdxf
import numpy as np
import pypdf
import pytest
from reportlab.pdfbase import pdfmetrics
from shapely.geometry import Polygon

from fairlay.core.errors import BadPattern
from fairlay.core.formats.article_json import read_article, write_article
from fairlay.core.formats.article_out import article_dxf, article_svg
from fairlay.core.formats.drawing import Drawing, Use
from fairlay.core.formats.dxf_in import read_dxf
from fairlay.core.formats.pdf import fonts, grid_pdf, patterns_pdf, quantity_words, tiling
from fairlay.core.formats.sort_out import FoundPiece, SortedOut, sort_out
from fairlay.core.formats.svg_in import read_svg
from fairlay.core.pattern.contour import flatten
from fairlay.core.pattern.cut import cut_region
from fairlay.demo.patterns import articles, camp_chair, stove_mitt

FILES = Path(__file__).resolve().parents[1] / "files"
INCH = 25.4


def drawing(name: str) -> Drawing:
    body = (FILES / name).read_bytes()
    return read_svg(body) if name.endswith(".svg") else read_dxf(body)


def found(name: str, unit_mm: float | None = None, **uses: Use) -> SortedOut:
    own = drawing(name)
    return sort_out(own, uses, unit_mm or own.unit_mm or 1.0)


def area(p: FoundPiece) -> float:
    return Polygon(flatten(p.contour)).area - sum(Polygon(flatten(w)).area for w in p.windows)


def size(p: FoundPiece) -> tuple[float, float]:
    return tuple(np.ptp(flatten(p.contour), axis=0))


def test_a_page_of_inches_counted_in_points() -> None:
    assert drawing("points_on_letter.svg").unit_mm == pytest.approx(INCH / 96)
    out = found("points_on_letter.svg")
    (panel,) = out.pieces
    assert size(panel) == pytest.approx((4 * INCH, 2.5 * INCH), abs=0.02)
    assert area(panel) == pytest.approx((4 * 2.5 - (4 - np.pi) * 0.25 - 0.5) * INCH**2, rel=1e-3)
    (stitch,) = panel.marks
    assert stitch.kind == "stitch" and stitch.closed and len(stitch.path) == 4
    assert any("taken as a window" in n for n in out.notes)


def test_use_in_use_under_turns_and_mirrors() -> None:
    pieces = found("nested_transforms.svg").pieces
    sizes = sorted((*(round(float(v), 1) for v in size(p)), p.times + p.mirrored) for p in pieces)
    assert sizes == [(20.0, 30.0, 2), (30.0, 30.0, 1), (60.0, 20.0, 1)]


def test_a_file_without_units_asks_and_its_gaps_are_shown() -> None:
    own = drawing("bare_pixels.svg")
    assert (
        own.unit_mm is None
        and "does not say" in own.unit_says
        and [layer.name for layer in own.layers] == ["#ff0000", "#0000ff"]
    )
    out = found("bare_pixels.svg", 1.0, **{"#0000ff": "stitch"})
    (flap,) = out.pieces
    assert size(flap) == pytest.approx((200.3, 100.4), abs=0.01) and [m.kind for m in flap.marks] == [
        "stitch"
    ]
    assert sorted((g.mm, g.closed) for g in out.gaps) == [
        (0.5, True),
        (0.6, True),
        (pytest.approx(122.07, abs=0.1), False),
    ]
    assert (
        len(out.open_lines) == 1
        and any("drawn twice" in n for n in out.notes)
        and any("2 gaps of up to 0.60 mm" in n for n in out.notes)
    )
    inches = found("bare_pixels.svg", INCH, **{"#0000ff": "stitch"})
    assert not inches.pieces and "No closed outline" in inches.notes[0]


def test_layers_hidden_things_words_and_pictures() -> None:
    own = drawing("layers_and_words.svg")
    assert {layer.name: layer.suggested for layer in own.layers} == {
        "Cut": "outline",
        "Punch holes": "hole",
        "Fold (flesh)": "fold",
    }
    flap, disc = found("layers_and_words.svg").pieces
    assert (
        flap.name == "Bellows flap" and len(flap.windows) == 1 and area(flap) == pytest.approx(80 * 60 - 100)
    )
    assert [(m.kind, m.side) for m in flap.marks] == [("slot", "grain"), ("fold", "flesh")]
    slot = flap.marks[0]
    assert (slot.length_mm, slot.width_mm, slot.turn_deg) == pytest.approx((20, 4, 0), abs=0.05)
    assert disc.marks[0].width_mm == pytest.approx(6, abs=0.05) and area(disc) == pytest.approx(
        np.pi * 625, rel=2e-3
    )
    assert any("picture in the file was left out" in n for n in own.notes) and any(
        "no cut and were taken as a name" in n for n in found("layers_and_words.svg").notes
    )


def test_old_polylines_with_bulges() -> None:
    own = drawing("bulges_r12.dxf")
    assert own.unit_mm is None
    (wrap,) = found("bulges_r12.dxf").pieces
    assert wrap.name == "HANDLE WRAP" and size(wrap) == pytest.approx((220, 40), abs=0.05)
    assert area(wrap) == pytest.approx(200 * 40 + np.pi * 200, rel=1e-4)
    assert {m.kind for m in wrap.marks} == {"stitch", "hole"} and next(
        m for m in wrap.marks if m.kind == "hole"
    ).width_mm == pytest.approx(8, abs=0.05)


def test_lines_of_words_stand_where_they_are_moved_to() -> None:
    body = """<svg xmlns="http://www.w3.org/2000/svg" width="200mm" height="100mm" viewBox="0 0 200 100">
      <rect x="5" y="5" width="90" height="60" fill="none" stroke="#000"/>
      <text x="10" y="20" dx="2" dy="5" font-size="5">Log sling
        <tspan x="12" dy="2em">two layers</tspan><tspan x="14" dy="6">cut 4</tspan></text>
      <g transform="translate(100 0) scale(-1 1)">
        <text font-size="4"><tspan x="20" y="40" dx="1">left</tspan></text></g>
    </svg>"""
    own = read_svg(body.encode())
    assert own.unit_mm is not None
    stand = {w.text: (w.x * own.unit_mm, w.y * own.unit_mm) for w in own.labels}
    assert stand == {
        "Log sling": pytest.approx((12, 25)),
        "two layers": pytest.approx((12, 35)),
        "cut 4": pytest.approx((14, 41)),
        "left": pytest.approx((79, 40)),
    }


def test_words_in_a_mirrored_block_stand_where_they_are_seen() -> None:
    doc = ezdxf.new("R2000")
    flap, space = doc.blocks.new("FLAP"), doc.modelspace()
    flap.add_lwpolyline([(0, 0), (100, 0), (100, 40), (0, 40)], close=True)
    flap.add_text("Mitt palm", dxfattribs={"insert": (30, 20)})
    flap.add_text("cut 2", dxfattribs={"insert": (0, 0), "align_point": (60, 10), "halign": 1, "valign": 2})
    flap.add_text("fitted", dxfattribs={"insert": (10, 5), "align_point": (90, 5), "halign": 5})
    flap.add_mtext("nap up", dxfattribs={"insert": (70, 30)})
    space.add_blockref("FLAP", (200, 0))
    space.add_blockref("FLAP", (500, 100), dxfattribs={"xscale": -1})
    space.add_text("both hands", dxfattribs={"insert": (-350, 60), "extrusion": (0, 0, -1)})
    file = io.StringIO()
    doc.write(file)
    own = read_dxf(file.getvalue().encode())
    assert {(w.text, round(w.x), round(w.y)) for w in own.labels} == {
        ("Mitt palm", 230, -20),
        ("cut 2", 260, -10),
        ("fitted", 210, -5),
        ("nap up", 270, -30),
        ("Mitt palm", 470, -120),
        ("cut 2", 440, -110),
        ("fitted", 490, -105),
        ("nap up", 430, -130),
        ("both hands", 350, -60),
    }
    assert sorted((*s.points.min(axis=0), *s.points.max(axis=0)) for s in own.strokes) == [
        (200, -40, 300, 0),
        (400, -140, 500, -100),
    ]


def test_blocks_scaled_turned_and_mirrored_in_inches() -> None:
    own = drawing("blocks_inch.dxf")
    assert own.unit_mm == INCH and any("NOTES is switched off" in n for n in own.notes)
    plain, uneven = found("blocks_inch.dxf").pieces
    whole = 5 * INCH**2
    assert (area(plain), area(uneven)) == pytest.approx((whole, whole * 1.125), rel=1e-5)
    assert [(p.times, p.mirrored, len(p.marks)) for p in (plain, uneven)] == [(1, 1, 1), (1, 0, 1)]
    hole = plain.marks[0]
    assert hole.width_mm == pytest.approx(0.25 * INCH, abs=0.05)


def test_loose_lines_are_joined_and_what_is_open_stays_open() -> None:
    out = found("loose_lines.dxf")
    (tongue,) = out.pieces
    assert area(tongue) == pytest.approx(100 * 50 + np.pi * 625 / 2, rel=3e-3) and [
        m.kind for m in tongue.marks
    ] == ["fold"]
    assert sorted(g.closed for g in out.gaps) == [False, True, True] and max(
        g.mm for g in out.gaps if g.closed
    ) == pytest.approx(0.4)
    assert any("1 line encloses nothing: open by 40.0 mm" in n for n in out.notes)
    strict = sort_out(drawing("loose_lines.dxf"), {}, 1.0, near_closed_mm=0.2)
    assert not strict.pieces and strict.open_lines


def test_a_piece_in_a_window_of_another() -> None:
    out = found("nested.dxf")
    panel, washer = sorted(out.pieces, key=area, reverse=True)
    assert area(panel) == pytest.approx(120 * 80 - 60 * 40) and area(washer) == pytest.approx(
        np.pi * 144, rel=5e-3
    )
    assert [(m.kind, m.width_mm) for m in washer.marks] == [("hole", pytest.approx(6, abs=0.05))]
    for words in ("crosses", "1 contour lies inside an outline and was taken as a window", "as punched"):
        assert any(words in n for n in out.notes)
    as_windows = sort_out(drawing("nested.dxf"), {}, 1.0, patterns=False)
    washer = min(as_windows.pieces, key=area)
    assert area(washer) == pytest.approx(np.pi * (144 - 9), rel=5e-3) and not washer.marks


@pytest.mark.parametrize(
    ("read", "body", "words"),
    [
        (read_svg, b"<svg", "no whole SVG"),
        (read_svg, b"<html/>", "root is 'html'"),
        (
            read_svg,
            b'<svg xmlns="http://www.w3.org/2000/svg"><text>Only words</text></svg>',
            "nothing is drawn",
        ),
        (read_dxf, b"hello", "DXF|nothing is drawn"),
        (read_dxf, b"", "DXF|nothing is drawn"),
    ],
)
def test_what_is_no_drawing_is_refused(read: object, body: bytes, words: str) -> None:
    with pytest.raises(BadPattern, match=words):
        read(body)  # type: ignore[operator]


def test_units_and_layers_that_are_none_are_refused() -> None:
    with pytest.raises(BadPattern, match="a unit of 0"):
        sort_out(drawing("nested.dxf"), {}, 0.0)
    with pytest.raises(BadPattern, match=r"no layer 'CUT'.*0"):
        sort_out(drawing("nested.dxf"), {"CUT": "outline"}, 1.0)


@pytest.mark.parametrize("kind", ["svg", "dxf"])
@pytest.mark.parametrize("own", articles(), ids=lambda a: a.slug)
def test_outlines_windows_and_marks_come_back_from_our_own_files(kind: str, own: object) -> None:
    article = own  # type: ignore[assignment]
    own_drawing = (
        read_svg(article_svg(article).encode()) if kind == "svg" else read_dxf(article_dxf(article).encode())
    )  # type: ignore[arg-type]
    assert own_drawing.unit_mm is not None
    back = {p.name: p for p in sort_out(own_drawing, {}, own_drawing.unit_mm).pieces}
    assert set(back) == {p.name for p in article.pieces}  # type: ignore[attr-defined]
    for p in article.pieces:  # type: ignore[attr-defined]
        came = back[p.name]
        assert area(came) == pytest.approx(cut_region(p).area, rel=2e-4) and len(came.windows) == len(
            p.windows
        )
        needs = p.needs
        if needs.grain_tolerance_deg < 180:
            assert came.grain_deg is not None, p.name
            assert abs((came.grain_deg - needs.grain_deg + 90.0) % 180.0 - 90.0) < 0.1, p.name
        kept = sorted((m.kind, m.side) for m in p.marks if m.kind != "stamp")
        assert sorted((m.kind, m.side) for m in came.marks) == kept, p.name
        for before, after in zip(
            sorted(m.width_mm for m in p.marks if m.kind == "hole"),
            sorted(m.width_mm for m in came.marks if m.kind == "hole"),
            strict=True,
        ):
            assert after == pytest.approx(before, abs=0.1)


def test_the_exchange_file_loses_nothing() -> None:
    for own in articles():
        assert read_article(write_article(own, "B", "why")) == own
    for text, words in (
        ("{", "not whole JSON"),
        ('{"format": "fairlay.job/1"}', "format is 'fairlay.job/1'"),
        ('{"format": "fairlay.article/1", "article": {"slug": "a", "pieces": [{}]}}', "cannot be read"),
        (b'{"a": "\xff"}', "UTF-8"),
    ):
        with pytest.raises(BadPattern, match=words):
            read_article(text)


def test_names_are_printed_in_the_letters_they_are_written_in() -> None:
    for name in ("Рукавица для печи", "Γάντι φούρνου", "Łapka kuchenna"):
        printed = pypdf.PdfReader(io.BytesIO(patterns_pdf(replace(stove_mitt(), name=name), {}, "A3")))
        assert name in printed.pages[0].extract_text()
        # What a typeface lacks is a box on paper, and a word all the same in the file.
        assert all(ord(c) in pdfmetrics.getFont(f).face.charToGlyph for f in fonts() for c in name)


def test_sheets_are_at_true_size_and_lap_over() -> None:
    tile = tiling(880, 34, "A4")
    assert (tile.across, tile.down) == (5, 1) and tile.across * (tile.shown_w - 10) + 10 >= 880
    one = patterns_pdf(stove_mitt(), {}, "A3", ["mitt-palm"])
    many = patterns_pdf(camp_chair(), {"back": "C"}, "A4")
    assert one.startswith(b"%PDF") and one.count(b"/Type /Page\n") + one.count(b"/Type /Page ") == 1
    assert b"/PrintScaling /None" in one and f"{297 / 25.4 * 72:.3f}".encode()[:5] in one
    assert many.count(b"/Type /Page\n") + many.count(b"/Type /Page ") > 20
    assert (
        patterns_pdf(stove_mitt(), {}, "A3", ["mitt-palm"])
        == one
        != patterns_pdf(stove_mitt(), {}, "A3", ["mitt-palm"], flesh=True)
    )
    assert (
        quantity_words(stove_mitt().by_slug["mitt-palm"]) == "cut 1 + 1 mirrored"
        and quantity_words(camp_chair().by_slug["arm-strap-double"]) == "cut 4"
    )
    assert grid_pdf("A4").startswith(b"%PDF")
    for call, words in (
        (lambda: patterns_pdf(stove_mitt(), {}, "B5"), "not printed on 'B5'"),
        (lambda: patterns_pdf(stove_mitt(), {}, "A4", ["hat"]), "no piece 'hat'"),
        (lambda: grid_pdf("napkin"), "no paper called 'napkin'"),
    ):
        with pytest.raises(BadPattern, match=words):
            call()
