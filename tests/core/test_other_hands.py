"""One article drawn in the manners of many programs: whatever the manner, the same pieces are read."""

from __future__ import annotations

import io

import ezdxf
import pytest
from shapely.geometry import Polygon

from fairlay.core.errors import BadPattern
from fairlay.core.formats.by_pen import parted_by_pen
from fairlay.core.formats.drawing import Drawing, Use
from fairlay.core.formats.dxf_in import read_dxf
from fairlay.core.formats.sort_out import FoundPiece, SaidOf, SortedOut, sort_out
from fairlay.core.formats.svg_in import read_svg
from fairlay.core.formats.svg_names import readable, words_of
from fairlay.core.formats.words_on import Words, read_words
from fairlay.core.pattern.contour import flatten
from tests.core.other_hands import MANNERS, article, box, path, svg


def read(body: bytes) -> Drawing:
    return parted_by_pen(read_svg(body) if body.startswith(b"<?xml") else read_dxf(body))


def sorted_of(body: bytes) -> SortedOut:
    own = read(body)
    return sort_out(own, {}, own.unit_mm or 1.0)


def dxf(draw: object, **header: object) -> bytes:
    doc = ezdxf.new("R2010", setup=True)
    doc.header["$INSUNITS"] = 4
    draw(doc)  # type: ignore[operator]
    out = io.StringIO()
    doc.write(out)
    return out.getvalue().encode()


def area(p: FoundPiece) -> float:
    return float(Polygon(flatten(p.contour)).area)


@pytest.mark.parametrize("seed", range(6))
@pytest.mark.parametrize("manner", MANNERS)
def test_the_same_pieces_whoever_drew_them(manner: str, seed: int) -> None:
    meant = {s.name: s for s in article(seed)}
    found = sorted_of(MANNERS[manner](list(meant.values()))).pieces
    assert {p.name for p in found} == set(meant) and len(found) == len(meant)
    for p in found:
        own = meant[p.name]
        assert area(p) == pytest.approx(Polygon(own.outline).area, rel=1e-3)
        assert len(p.windows) == (own.window is not None)
        punched = sorted(m.width_mm for m in p.marks if m.kind == "hole")
        assert punched == pytest.approx(sorted(d for *_, d in own.holes), abs=0.06)
        assert sum(m.kind == "stitch" for m in p.marks) == (own.stitch_mm > 0)
        if manner == "mirrored_symbols":
            assert p.times + p.mirrored == 2
        if manner in ("loose_lines_in_a_frame", "drawn_past_corners"):
            assert p.wanted == (2 if manner.startswith("loose") else 4)


def test_what_one_contour_is_can_be_said() -> None:
    own = read(
        svg(
            '<rect width="400" height="300"/><rect x="20" y="20" width="200" height="120"/>'
            '<circle cx="60" cy="80" r="30"/><circle cx="60" cy="80" r="26"/><circle cx="150" cy="80" r="4"/>'
            '<rect x="240" y="20" width="100" height="120"/><rect x="243" y="23" width="94" height="114"/>'
        )
    )
    unit = own.unit_mm or 1.0
    read_so = sort_out(own, {}, unit)
    by_size = {round(c.key[2]): c for c in read_so.contours}
    frame, ring, hole, along = (by_size[n] for n in (346, 46, 7, 104))
    assert [c.use for c in (frame, ring, hole, along)] == ["leave out", "outline", "hole", "stitch"]
    assert len(read_so.pieces) == 3

    def pieces(**said: Use) -> list[tuple[int, list[str]]]:
        named = {"frame": frame, "ring": ring, "hole": hole, "along": along}
        found = sort_out(own, {}, unit, said=[SaidOf(*named[k].key, use) for k, use in said.items()])
        return [(len(p.windows), [m.kind for m in p.marks]) for p in found.pieces]

    assert pieces() == [(1, ["hole"]), (0, []), (0, ["stitch"])]
    assert pieces(ring="leave out") == [(1, ["hole"]), (0, ["stitch"])]
    # A window in a window is none.
    assert pieces(hole="window", along="window", ring="window") == [(2, []), (1, [])]
    # A frame that is a piece: what lies in it are its windows, and what lies in those is leather again.
    assert pieces(frame="outline")[0] == (2, [])
    gone = sort_out(own, {}, unit, said=[SaidOf(1.0, 2.0, 3.0, "hole")])
    assert len(gone.pieces) == 3 and any("no longer there" in note for note in gone.notes)
    with pytest.raises(BadPattern, match="no fold"):
        sort_out(own, {}, unit, said=[SaidOf(*ring.key, "fold")])


def test_colours_and_dashes_part_a_layer_and_name_it() -> None:
    seat = article(3)
    names = [layer.name for layer in read(MANNERS["one_layer_by_colour"](seat)).layers]
    assert names[0] == "Layer 1, red" and set(names) <= {f"Layer 1, {c}" for c in ("red", "blue", "green")}
    two_reds = svg(
        '<g inkscape:groupmode="layer" inkscape:label="Cut"><path stroke="#f00" d="M0 0h50v50z"/>'
        '<path stroke="#e01010" d="M100 0h50v50z"/><path stroke="#f00" stroke-dasharray="4" d="M9 9h20"/></g>'
    )
    layers = {layer.name: layer.suggested for layer in read(two_reds).layers}
    assert layers == {
        "Cut, #ff0000": "outline",
        "Cut, #e01010": "outline",
        "Cut, #ff0000, broken lines": "stitch",
    }


@pytest.mark.parametrize("twice", [False, True])
def test_an_edge_that_two_pieces_share_bounds_both(twice: bool) -> None:
    left, right = box(0, 0, 100, 60), box(100, 0, 80, 60)

    def draw(doc: ezdxf.document.Drawing) -> None:
        sides = [(a, b) for ring in (left, right) for a, b in zip(ring, [*ring[1:], ring[0]], strict=True)]
        for k, (a, b) in enumerate(sides):
            if twice or k != 7:  # the last of the right one is the left one's second
                doc.modelspace().add_line(a, b)

    out = sorted_of(dxf(draw))
    assert sorted(area(p) for p in out.pieces) == pytest.approx([4800, 6000]) and not out.open_lines


def test_a_closed_line_near_the_edge_is_sewn_and_a_band_of_leather_is_not() -> None:
    ring = '<circle cx="{x}" cy="60" r="{r}"/>'
    body = "".join(ring.format(x=x, r=r) for x, r in ((60, 50), (60, 47), (60, 45), (200, 50), (200, 40)))
    body += ring.format(x=60, r=15)
    out = sorted_of(svg(f'<g fill="none" stroke="black">{body}</g>'))
    sewn, band = sorted(out.pieces, key=lambda p: p.at)
    assert [m.kind for m in sewn.marks] == ["stitch", "stitch"] and len(sewn.windows) == 1
    assert not band.marks and len(band.windows) == 1


def test_a_rectangle_round_one_thing_is_a_panel_and_round_several_pieces_a_frame() -> None:
    part = '<path d="{}"/>'
    holds = "".join(part.format(path(box(x, 40, 80, 60))) for x in (40, 140))
    words = '<text x="60" y="60">Seat</text><text x="160" y="60">Foot</text>'
    frame = part.format(path(box(20, 20, 300, 200)))
    group = '<g fill="none" stroke="black">{}</g>'
    panel = sorted_of(svg(group.format(frame + holds)))
    assert len(panel.pieces) == 1 and len(panel.pieces[0].windows) == 2
    framed = sorted_of(svg(group.format(frame + holds + words)))
    assert [p.name for p in framed.pieces] == ["Seat", "Foot"]
    assert any("it is a frame" in n for n in framed.notes)


def test_what_is_painted_over_the_page_or_not_at_all_is_no_piece() -> None:
    ground = (
        '<rect width="2000" height="400" fill="#fff"/><rect x="1" y="1" width="900" height="9" fill="none"/>'
    )
    out = sorted_of(svg(ground + f'<path d="{path(box(30, 30, 90, 70))}"/>'))
    assert [area(p) for p in out.pieces] == pytest.approx([6300])
    alone = sorted_of(svg('<rect width="300" height="40" fill="#963"/>', (300, 40)))
    assert [area(p) for p in alone.pieces] == pytest.approx([12000]), "a strap drawn as large as its page"
    told = read(svg(ground + f'<path d="{path(box(30, 30, 90, 70))}"/>')).notes
    assert any("as large as the page" in n for n in told) and any("unpainted" in n for n in told)


def test_blocks_lend_their_layer_colour_and_name_and_what_is_hidden_stays_out() -> None:
    def draw(doc: ezdxf.document.Drawing) -> None:
        doc.layers.add("CUT", color=1)
        doc.layers.add("OFF").off()
        block = doc.blocks.new("Hearth_flap")
        block.add_lwpolyline(box(0, 0, 90, 50), close=True, dxfattribs={"layer": "0", "color": 0})
        space = doc.modelspace()
        space.add_blockref("Hearth_flap", (10, 10), dxfattribs={"layer": "CUT"})
        space.add_blockref("Hearth_flap", (10, 200), dxfattribs={"layer": "OFF"})
        hidden = space.add_lwpolyline(box(300, 0, 40, 40), close=True)
        hidden.dxf.invisible = 1
        true = space.add_lwpolyline(box(400, 0, 40, 40), close=True)
        true.rgb = (10, 200, 30)

    own = read(dxf(draw))
    assert {(s.layer, s.colour, s.name) for s in own.strokes} == {
        ("CUT", "#ff0000", "Hearth flap"),
        ("0", "#0ac81e", ""),
    }
    assert {p.name for p in sort_out(own, {}, 1.0).pieces} == {"Hearth flap", "Piece 2"}
    assert any("OFF is switched off" in n for n in own.notes) and any("hidden" in n for n in own.notes)


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("Seat, cut 2", Words("Seat", 2)),
        ("2 x Keeper", Words("Keeper", 2)),
        ("Keeper x4", Words("Keeper", 4)),
        ("cut 1 + 1 mirrored", Words("", 2, True)),
        ("Mitt palm - pair", Words("Mitt palm", 2, True)),
        ("Qty: 3", Words("", 3)),
        ("4 off", Words("", 4)),
        ("Strap 900 mm x 2", Words("Strap 900 mm", 2)),
        ("Panel 120 x 80", Words("Panel 120 x 80")),
        ("Cut 2.5 mm leather", Words("Cut 2.5 mm leather")),
        ("Wall 2", Words("Wall 2")),
        ("GRAIN", Words()),
        ("cut on fold", Words()),
    ],
)
def test_words_on_a_piece(text: str, said: Words) -> None:
    assert read_words(text) == said


@pytest.mark.parametrize(
    ("given", "called"),
    [
        ("path123-5", ""),
        ("Back_x0020_panel", "Back panel"),
        ("back-panel_1_", "back-panel"),
        ("SVGID_1_", ""),
        ("Layer_x0020_1", ""),
        ("Rectangle 12 copy 3", ""),
        ("Bead", "Bead"),
    ],
)
def test_what_a_program_numbered_is_no_name(given: str, called: str) -> None:
    assert words_of(readable(given)) == called
