"""Drawings as other people's programs write them: one made-up article of plain shapes, drawn in many manners,
so that what is read of it can be held to what was drawn.
"""

from __future__ import annotations

import io
from dataclasses import dataclass

import ezdxf
import numpy as np
from ezdxf.layouts import BaseLayout
from numpy.typing import NDArray
from shapely.geometry import Polygon

Points = NDArray[np.float64]
NAMES = ("Seat", "Back board", "Arm rest", "Bellows wall", "Sling end", "Thumb", "Keeper", "Foot")


@dataclass(frozen=True)
class Shape:
    """A piece as it is meant: corners in mm from (0, 0), y down; holes as x, y, diameter; a stitch line so
    far from its edge, 0 for none.
    """

    name: str
    outline: Points
    window: Points | None
    holes: tuple[tuple[float, float, float], ...]
    stitch_mm: float
    at: tuple[float, float]


def box(x: float, y: float, w: float, h: float) -> Points:
    return np.array([(x, y), (x + w, y), (x + w, y + h), (x, y + h)])


def article(seed: int) -> list[Shape]:
    """Between two and six panels with cut corners, on a row."""
    rng = np.random.default_rng(seed)
    out, x = [], 30.0
    for k in rng.permutation(len(NAMES))[: rng.integers(2, 7)]:
        w, h, c = rng.uniform(90, 260), rng.uniform(70, 180), rng.uniform(8, 20)
        outline = np.array([(c, 0), (w - c, 0), (w, c), (w, h), (0, h), (0, c)])
        window = box(w * 0.3, h * 0.35, w * 0.3, h * 0.2) if rng.random() < 0.4 else None
        places = [u for u in (0.2, 0.5, 0.8) if rng.random() < 0.5]
        holes = tuple((w * u, h - 14.0, float(rng.uniform(3, 8))) for u in places)
        stitch = float(rng.uniform(2.5, 5.0)) if rng.random() < 0.5 else 0.0
        out.append(Shape(NAMES[k], outline, window, holes, stitch, (round(x, 2), 40.0)))
        x += w + rng.uniform(8, 40)
    return out


def sewn(s: Shape) -> Points:
    """Its stitch line: the outline drawn in."""
    ring = Polygon(s.outline).buffer(-s.stitch_mm, join_style="mitre").exterior.coords
    return np.asarray(ring)[:-1]


def path(points: Points, closed: bool = True) -> str:
    return "M" + " L".join(f"{x:.3f},{y:.3f}" for x, y in points) + (" Z" if closed else "")


def svg(body: str, size: tuple[float, float] = (2000, 400), more: str = "", head: str = "") -> bytes:
    w, h = size
    return (
        '<?xml version="1.0"?><svg xmlns="http://www.w3.org/2000/svg" '
        'xmlns:xlink="http://www.w3.org/1999/xlink" '
        f'xmlns:inkscape="http://www.inkscape.org/namespaces/inkscape" width="{w}mm" height="{h}mm" '
        f'viewBox="0 0 {w} {h}" {more}>{head}{body}</svg>'
    ).encode()


def one_black_pen(shapes: list[Shape]) -> bytes:
    """All lines alike, all in one group, each piece with its name as words."""
    out = []
    for s in shapes:
        at = np.array(s.at)
        out.append(f'<path d="{path(s.outline + at)}"/>')
        out += [f'<path d="{path(s.window + at)}"/>' for _ in "w" if s.window is not None]
        out += [f'<circle cx="{x + at[0]}" cy="{y + at[1]}" r="{d / 2}"/>' for x, y, d in s.holes]
        out += [f'<path d="{path(sewn(s) + at)}"/>' for _ in "s" if s.stitch_mm]
        out.append(f'<text x="{at[0] + 25}" y="{at[1] + 25}">{s.name}</text>')
    return svg(f'<g id="g12" fill="none" stroke="#000" stroke-width=".2">{"".join(out)}</g>')


def one_layer_by_colour(shapes: list[Shape]) -> bytes:
    """One layer, cuts red, stitches blue, holes green; paths labelled with their piece."""
    out = []
    for k, s in enumerate(shapes):
        at = np.array(s.at)
        cut = 'style="fill:none;stroke:#ff0000"'
        out.append(f'<path id="path{k}" inkscape:label="{s.name}" {cut} d="{path(s.outline + at)}"/>')
        if s.window is not None:
            out.append(f'<path id="path9{k}" {cut} d="{path(s.window + at)}"/>')
        punch = 'style="fill:none;stroke:#00a000"'
        out += [f'<circle {punch} cx="{x + at[0]}" cy="{y + at[1]}" r="{d / 2}"/>' for x, y, d in s.holes]
        if s.stitch_mm:
            out.append(f'<path style="fill:none;stroke:#0000ff" d="{path(sewn(s) + at)}"/>')
    return svg(f'<g inkscape:groupmode="layer" inkscape:label="Layer 1" id="layer1">{"".join(out)}</g>')


def groups_on_a_ground(shapes: list[Shape]) -> bytes:
    """A white ground, an unpainted frame, a group with an id for each piece, classes, dashed stitches."""
    style = (
        "<style>.c{fill:none;stroke:#231f20}.d{fill:none;stroke:#231f20;stroke-dasharray:3,2}"
        ".b{fill:#fff}.n{fill:none}</style>"
    )
    out = [
        '<rect class="b" width="2000" height="400"/>',
        '<rect class="n" x="5" y="5" width="9" height="9"/>',
    ]
    for s in shapes:
        x0, y0 = s.at
        own = [f'<path class="c" d="{path(s.outline)}"/>']
        own += [f'<path class="c" d="{path(s.window)}"/>' for _ in "w" if s.window is not None]
        own += [f'<ellipse class="c" cx="{x}" cy="{y}" rx="{d / 2}" ry="{d / 2}"/>' for x, y, d in s.holes]
        own += [f'<path class="d" d="{path(sewn(s))}"/>' for _ in "s" if s.stitch_mm]
        name = s.name.replace(" ", "_x0020_")
        out.append(f'<g id="{name}" transform="translate({x0} {y0})">{"".join(own)}</g>')
    return svg("".join(out), head=style)


def mirrored_symbols(shapes: list[Shape]) -> bytes:
    """Each piece a symbol, placed as it is and turned over."""
    heads, out = [], []
    for k, s in enumerate(shapes):
        own = [f'<path inkscape:label="{s.name}" d="{path(s.outline)}"/>']
        own += [f'<path d="{path(s.window)}"/>' for _ in "w" if s.window is not None]
        own += [f'<circle cx="{x}" cy="{y}" r="{d / 2}"/>' for x, y, d in s.holes]
        own += [f'<path d="{path(sewn(s))}"/>' for _ in "s" if s.stitch_mm]
        heads.append(f'<g id="it{k}">{"".join(own)}</g>')
        x0, y0 = s.at
        out.append(f'<use xlink:href="#it{k}" x="{x0}" y="{y0}"/>')
        over = f"translate({x0 + s.outline[:, 0].max()} 230) scale(-1 1)"
        out.append(f'<use xlink:href="#it{k}" transform="{over}"/>')
    return svg("".join(out), (2000, 500), 'fill="none" stroke="black"', f"<defs>{''.join(heads)}</defs>")


def _dxf(insunits: int = 4) -> tuple[ezdxf.document.Drawing, BaseLayout]:
    doc = ezdxf.new("R2010", setup=True)
    doc.header["$INSUNITS"] = insunits
    return doc, doc.modelspace()


def _text(doc: ezdxf.document.Drawing) -> bytes:
    out = io.StringIO()
    doc.write(out)
    return out.getvalue().encode()


def _draw(space: BaseLayout, s: Shape, at: tuple[float, float], pen: dict[str, dict[str, object]]) -> None:
    def up(points: Points) -> list[tuple[float, float]]:
        return [(float(x + at[0]), -float(y + at[1])) for x, y in points]

    space.add_lwpolyline(up(s.outline), close=True, dxfattribs=pen["cut"])
    if s.window is not None:
        space.add_lwpolyline(up(s.window), close=True, dxfattribs=pen["cut"])
    for x, y, d in s.holes:
        space.add_circle((x + at[0], -(y + at[1])), d / 2, dxfattribs=pen["hole"])
    if s.stitch_mm:
        space.add_lwpolyline(up(sewn(s)), close=True, dxfattribs=pen["stitch"])


def blocks_on_nought(shapes: list[Shape]) -> bytes:
    """Each piece a block drawn on layer 0, placed on a layer of its own; stitches dashed."""
    doc, space = _dxf()
    for s in shapes:
        block = doc.blocks.new(s.name.replace(" ", "_"))
        plain: dict[str, object] = {"layer": "0"}
        _draw(block, s, (0, 0), {"cut": plain, "hole": plain, "stitch": {"layer": "0", "linetype": "DASHED"}})
        space.add_blockref(s.name.replace(" ", "_"), (s.at[0], -s.at[1]), dxfattribs={"layer": "PIECES"})
    return _text(doc)


def loose_lines_in_a_frame(shapes: list[Shape]) -> bytes:
    """Every side a line of its own on layer 0, in a frame, with measures, words that say how many, and
    stitches told by colour.
    """
    doc, space = _dxf()
    wide = max(s.at[0] + s.outline[:, 0].max() for s in shapes) + 60
    for a, b in (
        ((0, 0), (wide, 0)),
        ((wide, 0), (wide, -420)),
        ((wide, -420), (0, -420)),
        ((0, -420), (0, 0)),
    ):
        space.add_line(a, b)
    for s in shapes:
        rings = [(s.outline, 7), *([(s.window, 7)] if s.window is not None else [])]
        rings += [(sewn(s), 1)] if s.stitch_mm else []
        for ring, colour in rings:
            up = [(x + s.at[0], -(y + s.at[1])) for x, y in ring]
            for a, b in zip(up, up[1:] + up[:1], strict=True):
                space.add_line(a, b, dxfattribs={"color": colour})
        for x, y, d in s.holes:
            space.add_circle((x + s.at[0], -(y + s.at[1])), d / 2)
        space.add_mtext(f"{s.name}\\Pcut 2").set_location((s.at[0] + 30, -s.at[1] - 20))
        x0, y0 = s.at[0], -s.at[1]
        space.add_linear_dim((x0, y0 + 12), (x0, y0), (x0 + s.outline[:, 0].max(), y0)).render()
    return _text(doc)


def drawn_past_corners(shapes: list[Shape]) -> bytes:
    """Sides drawn as lines that run past their corners or end just short of them; stitches open, on three
    sides; all black.
    """
    out = []
    for k, s in enumerate(shapes):
        at = np.array(s.at)
        ring = s.outline + at
        for a, b in zip(ring, np.roll(ring, -1, axis=0), strict=True):
            along = (b - a) / np.hypot(*(b - a))
            reach = (2.5, 1.5, -0.4)[k % 3]
            out.append(f'<path d="{path(np.array([a - along * reach, b + along * reach]), False)}"/>')
        out += [f'<path d="{path(s.window + at)}"/>' for _ in "w" if s.window is not None]
        out += [f'<circle cx="{x + at[0]}" cy="{y + at[1]}" r="{d / 2}"/>' for x, y, d in s.holes]
        out += [f'<path d="{path(sewn(s)[:-1] + at, False)}"/>' for _ in "s" if s.stitch_mm]
        x = at[0] + 25
        out.append(f'<text x="{x}" y="{at[1] + 25}">{s.name}<tspan dy="6" x="{x}">cut 4</tspan></text>')
    return svg(f'<g id="g12" fill="none" stroke="#000" stroke-width=".2">{"".join(out)}</g>')


MANNERS = {
    f.__name__: f
    for f in (
        one_black_pen,
        one_layer_by_colour,
        groups_on_a_ground,
        mirrored_symbols,
        blocks_on_nought,
        loose_lines_in_a_frame,
        drawn_past_corners,
    )
}
