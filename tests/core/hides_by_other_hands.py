"""Hides as other people's programs draw them: one made-up side with flaws and holes, in many manners, so that
what is read of it can be held to what was drawn.
"""

from __future__ import annotations

import io
from collections.abc import Callable
from dataclasses import dataclass
from itertools import pairwise

import ezdxf
import numpy as np
from ezdxf.layouts import BaseLayout
from numpy.typing import NDArray
from shapely.geometry import Point, Polygon

Points = NDArray[np.float64]


@dataclass(frozen=True)
class Side:
    """A hide's outline in mm, y down, and circles (x, y, r) that are flaws, and holes."""

    outline: Points
    flaws: tuple[tuple[float, float, float], ...]
    holes: tuple[tuple[float, float, float], ...]


@dataclass(frozen=True)
class Drawn:
    """A file, and what of it should be read: the severities of flaws, how many holes, a backbone or not."""

    body: bytes
    severities: tuple[int, ...]
    holes: int
    backbone: bool = False


def side(seed: int) -> Side:
    """A side of 1.7 to 2.5 m with a straight backbone, two to eight flaws and up to two holes."""
    rng = np.random.default_rng(seed)
    long, wide = rng.uniform(1700, 2500), rng.uniform(850, 1250)
    t = np.linspace(0, 2 * np.pi, 160, endpoint=False)
    r = 1 + sum(rng.uniform(-0.05, 0.05) * np.cos(k * t + rng.uniform(0, 6)) for k in range(2, 7))
    x = np.sign(np.cos(t)) * abs(np.cos(t)) ** 0.6 * long / 2 * r
    y = np.maximum(np.sign(np.sin(t)) * abs(np.sin(t)) ** 0.6 * wide / 2 * r, -0.42 * wide)
    outline = np.stack([x, y], axis=1) + np.array([0.6 * long + 100, 0.6 * wide + 100])
    within, spots = Polygon(outline).buffer(-60), list[tuple[float, float, float]]()
    while len(spots) < 8:
        a, b, r0 = (float(v) for v in (*rng.uniform(0, 1, 2) * (2 * long, 2 * wide), rng.uniform(8, 40)))
        if within.contains(Point(a, b)) and all(np.hypot(a - p, b - q) > r0 + s + 10 for p, q, s in spots):
            spots.append((a, b, r0))
    holes = int(rng.integers(0, 3))
    return Side(outline, tuple(spots[holes : holes + int(rng.integers(2, 7))]), tuple(spots[:holes]))


def _path(points: Points, scale: float = 1.0) -> str:
    return "M" + " L".join(f"{x * scale:.2f},{y * scale:.2f}" for x, y in points) + " Z"


def _ring(spot: tuple[float, float, float], look: str, scale: float = 1.0) -> str:
    x, y, r = (v * scale for v in spot)
    return f'<circle cx="{x:.2f}" cy="{y:.2f}" r="{r:.2f}" {look}/>'


def _svg(size: str, inner: str) -> bytes:
    named = 'xmlns:inkscape="http://www.inkscape.org/namespaces/inkscape"'
    return f'<svg xmlns="http://www.w3.org/2000/svg" {named} {size}>{inner}</svg>'.encode()


def _dxf(draw: Callable[[BaseLayout], None], units: int = 4, release: str = "R2010") -> bytes:
    doc = ezdxf.new(release)  # type: ignore[attr-defined]
    doc.header["$INSUNITS"] = units
    draw(doc.modelspace())
    out = io.StringIO()
    doc.write(out)
    return out.getvalue().encode()


def _flat(points: Points, scale: float = 1.0) -> list[tuple[float, float]]:
    return [(float(x) * scale, -float(y) * scale) for x, y in points]


def bare_pixels(own: Side) -> Drawn:
    """No unit, drawn at 96 to the inch: black cut, red flaws."""
    s = 96 / 25.4
    inner = f'<path d="{_path(own.outline, s)}" style="fill:none;stroke:#000"/>'
    inner += "".join(_ring(f, 'fill="none" stroke="#f00"', s) for f in own.flaws)
    inner += "".join(_ring(h, 'fill="none" stroke="#000"', s) for h in own.holes)
    return Drawn(_svg('viewBox="0 0 12000 7000"', inner), (0,) * len(own.flaws), len(own.holes))


def layers_of_an_editor(own: Side) -> Drawn:
    """A white page, layers with labels and moved; the hide's layer has no name of its own."""

    def group(label: str, inner: str) -> str:
        at = 'inkscape:groupmode="layer" transform="translate(10,20)"'
        return f'<g inkscape:label="{label}" {at}>{inner}</g>'

    inner = '<rect width="3000" height="1800" style="fill:#fff"/>'
    inner += group("Layer 1", f'<path d="{_path(own.outline)}" style="fill:#d8b080;stroke:#000"/>')
    inner += group("Scars 2", "".join(_ring(f, 'fill="none" stroke="#00f"') for f in own.flaws))
    inner += group("Holes", "".join(_ring(h, 'fill="#fff" stroke="#000"') for h in own.holes))
    inner += group("Notes", '<text x="50" y="60">F-101, 2.3 mm</text>')
    size = 'width="3000mm" height="1800mm" viewBox="0 0 3000 1800"'
    return Drawn(_svg(size, inner), (2,) * len(own.flaws), len(own.holes))


def one_pen_in_a_frame(own: Side) -> Drawn:
    """All on layer 0 in a double frame with words, the outline not closed: what lies in it may be holes."""

    def draw(space: BaseLayout) -> None:
        space.add_lwpolyline(_flat(own.outline[:-1]))
        for x, y, r in own.flaws + own.holes:
            space.add_circle((x, -y), r)
        for d in (0, 10):
            space.add_lwpolyline([(d, -d), (3600 - d, -d), (3600 - d, d - 2300), (d, d - 2300)], close=True)
        space.add_text("HIDE 14", height=30).set_placement((100, -2200))

    return Drawn(_dxf(draw), (), len(own.flaws + own.holes))


def layers_with_a_zone(own: Side) -> Drawn:
    """A spline, scars as lines and rings (plain to see from 25 mm), a zone, and the backbone."""

    def draw(space: BaseLayout) -> None:
        points = [(x, -y, 0.0) for x, y in np.concatenate([own.outline[::2], own.outline[:1]])]
        space.add_spline(fit_points=points, dxfattribs={"layer": "CONTOUR"})
        for k, (x, y, r) in enumerate(own.flaws):
            at = {"layer": "SCARS"}
            if k % 2:
                space.add_circle((x, -y), r, dxfattribs=at)
            else:
                space.add_line((x - r, -y), (x + r, r - y), dxfattribs=at)
        for x, y, r in own.holes:
            space.add_circle((x, -y), r, dxfattribs={"layer": "HOLES"})
        top, left, right = own.outline[:, 1].min(), own.outline[:, 0].min(), own.outline[:, 0].max()
        space.add_line((left + 300, -top), (right - 300, -top), dxfattribs={"layer": "BACKBONE"})
        zone = Polygon(own.outline).buffer(-120).exterior.coords
        space.add_lwpolyline(_flat(np.asarray(zone)), close=True, dxfattribs={"layer": "ZONE_A"})

    long = [2 * r if k % 2 else np.hypot(2 * r, r) + 6 for k, (_, _, r) in enumerate(own.flaws)]
    return Drawn(_dxf(draw), tuple(2 if mm >= 25 else 1 for mm in long), len(own.holes), backbone=True)


def loose_inches(own: Side) -> Drawn:
    """No unit told, inches, the edge as single lines; crosses for flaws."""
    s = 1 / 25.4

    def draw(space: BaseLayout) -> None:
        ring = _flat(np.concatenate([own.outline, own.outline[:1]]), s)
        for a, b in pairwise(ring):
            space.add_line(a, b, dxfattribs={"layer": "SKIN_OUTER"})
        for x, y, r in own.flaws:
            for turn in (1, -1):
                a, b = ((x - r) * s, (-y - turn * r) * s), ((x + r) * s, (-y + turn * r) * s)
                space.add_line(a, b, dxfattribs={"layer": "defect_3"})
        for x, y, r in own.holes:
            space.add_circle((x * s, -y * s), r * s, dxfattribs={"layer": "INNER_HOLES"})

    return Drawn(_dxf(draw, 0, "R2000"), (3,) * len(own.flaws), len(own.holes))


def beside_another(own: Side) -> Drawn:
    """Metres, told by nothing; another hide beside it; flaws by colour alone."""
    s = 0.001

    def draw(space: BaseLayout) -> None:
        space.add_lwpolyline(_flat(own.outline, s), close=True)
        space.add_lwpolyline(_flat(own.outline * 0.9 - np.array([2500.0, 0]), s), close=True)
        for x, y, r in own.flaws:
            space.add_circle((x * s, -y * s), r * s, dxfattribs={"color": 1})
        for x, y, r in own.holes:
            space.add_circle((x * s, -y * s), r * s)

    return Drawn(_dxf(draw, 0), (0,) * len(own.flaws), len(own.holes))


MANNERS = (
    bare_pixels,
    layers_of_an_editor,
    one_pen_in_a_frame,
    layers_with_a_zone,
    loose_inches,
    beside_another,
)
