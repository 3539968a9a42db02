"""An article's patterns as SVG and DXF at true size, one layer for each kind of line.

Kept in a round trip: cut outlines, windows, holes, slots, fold, stitch, glue and skive lines, what is placed,
names and the way of the grain. Other needs, seams and how marks were reckoned are kept by the exchange JSON
alone.
"""

from __future__ import annotations

import io
from collections.abc import Iterator
from dataclasses import dataclass
from xml.sax.saxutils import escape, quoteattr

import ezdxf.filemanagement
import ezdxf.units
import numpy as np
import shapely
from ezdxf.document import Drawing as Document
from ezdxf.enums import TextEntityAlignment
from numpy.typing import NDArray
from shapely.geometry import Polygon

from fairlay.core.pattern.article import Article
from fairlay.core.pattern.cut import cut_region
from fairlay.core.pattern.marks import drawn_marks
from fairlay.core.pattern.pattern import Pattern

SHEET_MM = 1200.0
APART_MM = 20.0
COLOURS = {
    "OUTLINE": ("#1d1a17", 7),
    "FINISHED": ("#7a7266", 8),
    "WINDOW": ("#1d1a17", 7),
    "STITCH": ("#2f6140", 3),
    "PRICKS": ("#2f6140", 3),
    "HOLE": ("#a3281a", 1),
    "SLOT": ("#a3281a", 1),
    "FOLD": ("#1f4f7a", 5),
    "GLUE": ("#7a5310", 30),
    "SKIVE": ("#7a5310", 40),
    "PLACE": ("#5b5044", 8),
    "STAMP": ("#5b5044", 9),
    "GRAIN": ("#7a5310", 30),
    "LABEL": ("#1d1a17", 5),
}


@dataclass(frozen=True, eq=False)
class Drawn:
    """One line of a sheet: its layer, points (n, 2) in mm in the piece's own coordinates, whether it is
    closed; ``dots`` are single pricks.
    """

    layer: str
    points: NDArray[np.float64]
    closed: bool
    dots: bool = False


def lines_of(p: Pattern, article: Article) -> Iterator[Drawn]:
    """Yield everything that is drawn of a pattern, by layer; marks on the flesh side on layers of their
    own.
    """
    cut = cut_region(p)
    yield Drawn("OUTLINE", np.asarray(cut.exterior.coords)[:-1], True)
    if (
        not Polygon(cut.exterior).equals_exact(Polygon(p.ring), 0.001)
        and Polygon(cut.exterior).area - Polygon(p.ring).area > 0.5
    ):
        yield Drawn("FINISHED", p.ring, True)
    for window in p.window_rings:
        yield Drawn("WINDOW", window, True)
    for mark in drawn_marks(p, article.by_slug):
        layer = {"pricks": "PRICKS"}.get(mark.draws, mark.kind.upper()) + (
            "_FLESH" if mark.side == "flesh" else ""
        )
        closed = mark.draws == "area" or (
            len(mark.points) > 3 and bool(np.allclose(mark.points[0], mark.points[-1]))
        )
        points = mark.points[:-1] if closed and np.allclose(mark.points[0], mark.points[-1]) else mark.points
        yield Drawn(layer, points, closed, mark.draws == "pricks")
    if p.needs.grain_tolerance_deg < 180:
        yield Drawn("GRAIN", grain_arrow(p), False)


def grain_arrow(p: Pattern) -> NDArray[np.float64]:
    """Return the grain axis of a piece as a line through its widest place, (2, 2) in mm."""
    inner = shapely.maximum_inscribed_circle(p.region, tolerance=1.0)
    turn = np.radians(p.needs.grain_deg)
    d = np.array([np.cos(turn), np.sin(turn)]) * inner.length * 0.8
    centre = np.asarray(inner.coords[0])
    return np.stack([centre - d, centre + d])


def laid_out(article: Article) -> list[tuple[Pattern, float, float]]:
    """Return the pieces of an article side by side in rows, with how far each is moved."""
    out, x, y, row = [], APART_MM, APART_MM, 0.0
    for p in article.pieces:
        x0, y0, x1, y1 = cut_region(p).bounds
        if x > APART_MM and x + x1 - x0 > SHEET_MM:
            x, y, row = APART_MM, y + row + APART_MM, 0.0
        out.append((p, x - x0, y - y0))
        x, row = x + x1 - x0 + APART_MM, max(row, y1 - y0)
    return out


def article_svg(article: Article) -> str:
    """Return an SVG document of an article's patterns at true size, a group for each piece and in it one for
    each layer.
    """
    groups, width, height = [], 2 * APART_MM, 2 * APART_MM
    for p, dx, dy in laid_out(article):
        layers: dict[str, list[str]] = {}
        for line in lines_of(p, article):
            if line.dots:
                # Strokes of no length with round ends: a dot each, and quickly read again.
                dots = "".join(f"M{x + dx:.3f},{y + dy:.3f}h0" for x, y in line.points)
                layers.setdefault(line.layer, []).append(
                    f'<path d="{dots}" stroke-width="0.8" stroke-linecap="round"/>'
                )
            else:
                d = (
                    "M"
                    + "L".join(f"{x + dx:.3f},{y + dy:.3f}" for x, y in line.points)
                    + ("Z" if line.closed else "")
                )
                layers.setdefault(line.layer, []).append(f'<path d="{d}"/>')
        _, _, x1, y1 = cut_region(p).bounds
        c = p.region.representative_point()
        layers["LABEL"] = [
            f'<text x="{c.x + dx:.3f}" y="{c.y + dy:.3f}" font-size="6" '
            f'text-anchor="middle">{escape(p.name)}</text>'
        ]
        inner = "".join(
            f'<g data-layer="{name}" '
            f'stroke="{"none" if name == "LABEL" else COLOURS[name.removesuffix("_FLESH")][0]}" '
            f'fill="{COLOURS["LABEL"][0] if name == "LABEL" else "none"}">{"".join(own)}</g>'
            for name, own in layers.items()
        )
        groups.append(f'<g data-piece={quoteattr(p.slug)} stroke-width="0.3">{inner}</g>')
        width, height = max(width, x1 + dx + APART_MM), max(height, y1 + dy + APART_MM)
    return (
        '<?xml version="1.0" encoding="UTF-8"?>\n<svg xmlns="http://www.w3.org/2000/svg" '
        f'width="{width:.3f}mm" height="{height:.3f}mm" viewBox="0 0 {width:.3f} {height:.3f}">'
        f"<title>{escape(article.name)}</title>{''.join(groups)}</svg>\n"
    )


def article_dxf(article: Article) -> str:
    """Return a DXF (R2010, mm) of an article's patterns at true size, marks on their own layers; y upward, so
    that it looks as on the screen.
    """
    doc: Document = ezdxf.filemanagement.new("R2010", units=ezdxf.units.MM)
    space = doc.modelspace()
    for p, dx, dy in laid_out(article):
        for line in lines_of(p, article):
            if line.layer not in doc.layers:
                doc.layers.add(line.layer, color=COLOURS[line.layer.removesuffix("_FLESH")][1])
            at = {"layer": line.layer}
            if line.dots:
                for x, y in line.points:
                    space.add_point((x + dx, -y - dy), dxfattribs=at)
            else:
                space.add_lwpolyline(
                    [(x + dx, -y - dy) for x, y in line.points], close=line.closed, dxfattribs=at
                )
        c = p.region.representative_point()
        space.add_text(p.name, height=6, dxfattribs={"layer": "LABEL"}).set_placement(
            (c.x + dx, -c.y - dy), align=TextEntityAlignment.MIDDLE_CENTER
        )
    out = io.StringIO()
    doc.write(out)
    return out.getvalue()
