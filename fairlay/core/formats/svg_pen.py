"""Drawing what the shapes of an SVG say: lines and curves as points in px."""

from __future__ import annotations

import xml.etree.ElementTree as ET
from collections.abc import Callable, Iterator
from typing import Any, Final

import numpy as np
from fontTools.misc.transform import Transform
from fontTools.pens.basePen import BasePen
from fontTools.svgLib.path import parse_path
from numpy.typing import NDArray

from fairlay.core.formats.svg_values import (
    MOST_PX,
    Viewport,
    length_px,
    numbers,
    sound,
)
from fairlay.core.pattern.contour import curve_points

WITHIN_MM: Final = 0.02

Points = list[tuple[float, float]]


def tag_of(element: ET.Element) -> str:
    return element.tag.rsplit("}", 1)[-1] if isinstance(element.tag, str) else ""


class Pen(BasePen):  # type: ignore[misc]  # fontTools has no types
    """Takes lines and curves, and keeps them as points in px."""

    def __init__(self, to_px: Transform, within: float) -> None:
        super().__init__(None)
        self.to_px, self.within = to_px, within
        self.done: list[tuple[list[Any], bool]] = []
        self.now: list[Any] = []
        self.last = (0.0, 0.0)

    def at(self, point: tuple[float, float]) -> tuple[float, float]:
        x, y = self.to_px.transformPoint(point)
        if not (abs(x) <= MOST_PX and abs(y) <= MOST_PX):
            sound(max(abs(x), abs(y)))
        return x, y

    def _moveTo(self, pt: tuple[float, float]) -> None:
        self._keep(False)
        self.last = self.at(pt)
        self.now = [[self.last]]

    def _lineTo(self, pt: tuple[float, float]) -> None:
        self.last = self.at(pt)
        self.now.append([self.last])

    def _curveToOne(
        self, pt1: tuple[float, float], pt2: tuple[float, float], pt3: tuple[float, float]
    ) -> None:
        p0, p1, p2, p3 = (np.array(p) for p in (self.last, self.at(pt1), self.at(pt2), self.at(pt3)))
        self.now.append(curve_points(p0, p1, p2, p3, self.within)[1:])
        self.last = (float(p3[0]), float(p3[1]))

    def let_go(self) -> None:
        """Keep what is drawn so far as an open line."""
        self._keep(False)

    def _closePath(self) -> None:
        self._keep(True)

    def _endPath(self) -> None:
        self._keep(False)

    def _keep(self, closed: bool) -> None:
        if self.now:
            self.done.append((self.now, closed))
        self.now = []

    def strokes(self) -> Iterator[tuple[NDArray[np.float64], bool]]:
        """Yield what was drawn, and whether each is closed."""
        self._keep(False)
        for parts, closed in self.done:
            whole = np.array([p for part in parts for p in part], np.float64)
            same = len(whole) > 2 and np.hypot(*(whole[0] - whole[-1])) < self.within
            yield whole, bool(closed or same)


Draw = Callable[[ET.Element, Viewport, Pen], None]
ROUND: Final = 4 / 3 * (2**0.5 - 1)
"""How far the handles of a quarter circle reach, as a share of its radius."""


def _path(element: ET.Element, _view: Viewport, pen: Pen) -> None:
    try:
        parse_path(element.get("d") or "", pen)
    except (ValueError, IndexError, TypeError, AssertionError):
        # What a path says before its first mistake is drawn (SVG 2, 9.5.4).
        pen.let_go()


def _rect(element: ET.Element, view: Viewport, pen: Pen) -> None:
    x, y, w, h = _lengths(element, view, ("x", "y", "width", "height"))
    rx, ry = (
        length_px(element.get(k), of, view.font, -1.0) for k, of in (("rx", view.width), ("ry", view.height))
    )
    rx, ry = (ry if rx < 0 else rx), (rx if ry < 0 else ry)
    rx, ry = min(max(rx, 0.0), w / 2), min(max(ry, 0.0), h / 2)
    if w <= 0 or h <= 0:
        return
    if not rx or not ry:
        _polygon([(x, y), (x + w, y), (x + w, y + h), (x, y + h)], pen, True)
        return
    kx, ky = rx * (1 - ROUND), ry * (1 - ROUND)
    pen.moveTo((x + rx, y))
    pen.lineTo((x + w - rx, y))
    pen.curveTo((x + w - kx, y), (x + w, y + ky), (x + w, y + ry))
    pen.lineTo((x + w, y + h - ry))
    pen.curveTo((x + w, y + h - ky), (x + w - kx, y + h), (x + w - rx, y + h))
    pen.lineTo((x + rx, y + h))
    pen.curveTo((x + kx, y + h), (x, y + h - ky), (x, y + h - ry))
    pen.lineTo((x, y + ry))
    pen.curveTo((x, y + ky), (x + kx, y), (x + rx, y))
    pen.closePath()


def _round(element: ET.Element, view: Viewport, pen: Pen) -> None:
    cx, cy = _lengths(element, view, ("cx", "cy"))
    if tag_of(element) == "circle":
        rx = ry = length_px(element.get("r"), view.diagonal, view.font)
    else:
        rx, ry = _lengths(element, view, ("rx", "ry"))
    if rx <= 0 or ry <= 0:
        return
    kx, ky = rx * ROUND, ry * ROUND
    pen.moveTo((cx + rx, cy))
    pen.curveTo((cx + rx, cy + ky), (cx + kx, cy + ry), (cx, cy + ry))
    pen.curveTo((cx - kx, cy + ry), (cx - rx, cy + ky), (cx - rx, cy))
    pen.curveTo((cx - rx, cy - ky), (cx - kx, cy - ry), (cx, cy - ry))
    pen.curveTo((cx + kx, cy - ry), (cx + rx, cy - ky), (cx + rx, cy))
    pen.closePath()


def _line(element: ET.Element, view: Viewport, pen: Pen) -> None:
    x1, y1, x2, y2 = _lengths(element, view, ("x1", "y1", "x2", "y2"))
    _polygon([(x1, y1), (x2, y2)], pen, False)


def _poly(element: ET.Element, _view: Viewport, pen: Pen) -> None:
    v = numbers(element.get("points"))
    _polygon(list(zip(v[::2], v[1::2], strict=False)), pen, tag_of(element) == "polygon")


def _polygon(points: Points, pen: Pen, closed: bool) -> None:
    if len(points) > 1:
        pen.moveTo(points[0])
        for p in points[1:]:
            pen.lineTo(p)
        if closed:
            pen.closePath()
        else:
            pen.endPath()


def _lengths(element: ET.Element, view: Viewport, names: tuple[str, ...]) -> list[float]:
    """Lengths of an element: a percentage of the viewport's height for those down it, else of its width."""
    down = {"y", "height", "cy", "ry", "y1", "y2"}
    return [length_px(element.get(n), view.height if n in down else view.width, view.font) for n in names]


SHAPES: dict[str, Draw] = {
    "path": _path,
    "rect": _rect,
    "circle": _round,
    "ellipse": _round,
    "line": _line,
    "polyline": _poly,
    "polygon": _poly,
}
