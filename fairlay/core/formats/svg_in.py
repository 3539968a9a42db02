"""Reading SVG drawings: transforms, ``<use>``, symbols, nested viewports and units, curves drawn out within 0.02 mm.

Where things stand is reckoned as browsers do (SVG 2). What is said is bounded: how deep groups lie, how much is
drawn, how large it is.
"""

from __future__ import annotations

import re
import xml.etree.ElementTree as ET
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, replace
from typing import Any, Final

import cssselect2
import numpy as np
import tinycss2
from defusedxml.common import DefusedXmlException
from defusedxml.ElementTree import fromstring
from fontTools.misc.transform import Transform
from fontTools.pens.basePen import BasePen
from fontTools.svgLib.path import parse_path
from numpy.typing import NDArray
from tinycss2.color3 import parse_color

from fairlay.core.errors import BadPattern
from fairlay.core.formats.drawing import FINEST_UNIT, MOST_POINTS, Drawing, Label, Stroke, sound_drawing
from fairlay.core.formats.svg_values import (
    MOST_PX,
    PX_MM,
    Viewport,
    fitted,
    length_px,
    numbers,
    sound,
    transform_of,
    view_box,
)
from fairlay.core.pattern.contour import curve_points

SAYS_SIZE = re.compile(r"^\s*[\d.eE+-]+\s*(mm|cm|in|pt|pc|q)\s*$", re.IGNORECASE)
LABEL_KEYS = (
    "{http://www.inkscape.org/namespaces/inkscape}label",
    "inkscape:label",
    "data-layer",
    "data-name",
)
HREFS = ("href", "{http://www.w3.org/1999/xlink}href")
WITHIN_MM: Final = 0.02
MOST_DEEP: Final = 200
"""Groups within groups; a drawing has a few dozen."""
MOST_STROKES: Final = 200_000
MOST_USES: Final = 12
"""Uses within uses."""
NOT_DRAWN = {"defs", "clipPath", "mask", "pattern", "marker", "symbol", "title", "desc", "metadata", "style"}
HOLDS = {"g", "a", "switch", "svg"}
KEPT_STYLES = ("display", "visibility", "stroke", "fill", "font-size")

Points = list[tuple[float, float]]
Box = tuple[float, float, float, float]


@dataclass(frozen=True)
class _Where:
    """Where an element stands: what takes its coordinates to px, its viewport, its layer and inherited style."""

    to_px: Transform
    view: Viewport
    layer: str = ""
    style: tuple[tuple[str, str], ...] = ()
    deep: int = 0
    uses: int = 0


def read_svg(body: bytes, tell: Callable[[float], None] = lambda _share: None) -> Drawing:
    """Return the drawing of an SVG file, y downward; ``tell`` hears how much of it is read.

    The unit is known where the root's width is in mm, cm, in, pt or pc; else it is None, and lengths are in the
    file's own pixels. Raises BadPattern for what is no SVG, or more than a drawing is.
    """
    root = _root(body)
    known = bool(SAYS_SIZE.match(root.get("width", "")))
    return _Reading(root, WITHIN_MM / PX_MM if known else FINEST_UNIT, tell).drawing(known)


def _root(body: bytes) -> ET.Element:
    _not_too_deep(body)
    try:
        root: ET.Element = fromstring(body)
    except ET.ParseError as cause:
        raise BadPattern(
            f"the file is no whole SVG: {cause}", value=str(cause), expected="an SVG file"
        ) from cause
    except DefusedXmlException as cause:
        raise BadPattern(
            "the file declares entities of its own", value=type(cause).__name__, expected="a plain SVG file"
        ) from cause
    if _tag(root) != "svg":
        raise BadPattern(
            f"the file is XML, but its root is {_tag(root)!r}", value=root.tag, expected="an SVG file"
        )
    return root


def _not_too_deep(body: bytes) -> None:
    """Raise BadPattern where elements lie too deep in each other, before a tree is made of them."""
    deep = 0
    parser: ET.XMLPullParser[Any] = ET.XMLPullParser(("start", "end"))
    for start in range(0, len(body), 1 << 16):
        try:
            parser.feed(body[start : start + (1 << 16)])
            events = list(parser.read_events())
        except ET.ParseError:
            return  # the parser that follows says what is wrong
        for kind, *given in events:
            deep += 1 if kind == "start" else -1
            if deep > MOST_DEEP:
                raise BadPattern(
                    f"groups lie more than {MOST_DEEP} deep in each other",
                    value=deep,
                    expected=f"at most {MOST_DEEP} groups within groups",
                )
            if kind == "end" and isinstance(given[0], ET.Element):
                given[0].clear()


def _tag(element: ET.Element) -> str:
    return element.tag.rsplit("}", 1)[-1] if isinstance(element.tag, str) else ""


class _Reading:
    """One SVG as it is read."""

    def __init__(self, root: ET.Element, within: float, tell: Callable[[float], None]) -> None:
        self.root, self.within, self.tell = root, within, tell
        self.ids = {e.get("id"): e for e in root.iter() if e.get("id")}
        self.styles = _styles_of(root)
        self.strokes: list[Stroke] = []
        self.labels: list[Label] = []
        self.notes: list[str] = []
        self.points = 0
        self.seen, self.all = 0, max(1, len(self.ids) + sum(1 for _ in root.iter()))

    def drawing(self, known: bool) -> Drawing:
        """Return what is drawn; ``known``: the file says its own size."""
        root = self.root
        box = view_box(root.get("viewBox"))
        usual = (box[2], box[3]) if box else (300.0, 150.0)
        width = length_px(root.get("width"), usual[0], usual=usual[0])
        height = length_px(root.get("height"), usual[1], usual=usual[1])
        if root.get("width", "").strip().endswith("%") or not root.get("width"):
            # As wide as its page: how wide that is nobody knows here, so its own units stand.
            width, height = usual
        fit = fitted(box, width, height, root.get("preserveAspectRatio"))
        view = Viewport(box[2], box[3]) if box else Viewport(width, height)
        where = self._styled(root, _Where(fit, view))
        for child in root:
            self._walk(child, where)
        says = (
            f"The file says its own size ({root.get('width')} wide)."
            if known
            else "The file does not say what its units are."
        )
        return sound_drawing(self.strokes, self.labels, PX_MM if known else None, says, self.notes)

    def _walk(self, first: ET.Element, at: _Where) -> None:
        """Read an element and all in it, in the order it is drawn; no deeper for Python than one call."""
        stack = [(first, at)]
        while stack:
            element, where = stack.pop()
            self._count()
            tag = _tag(element)
            if not tag or tag in NOT_DRAWN:
                continue
            where = self._styled(element, where)
            style = dict(where.style)
            if style.get("display") == "none":
                self.notes.append(f"Something hidden on {where.layer or 'the drawing'} was left out.")
            elif tag == "use":
                stack += self._used(element, self._moved(element, where))
            elif tag in HOLDS:
                inner = self._inside(element, self._moved(element, where), None)
                stack += [(child, inner) for child in reversed(element)]
            elif style.get("visibility") == "hidden":
                self.notes.append(f"Something hidden on {where.layer or 'the drawing'} was left out.")
            elif tag == "text":
                self._word(element, self._moved(element, where))
            elif tag == "image":
                self.notes.append("A picture in the file was left out: it is not drawn in lines.")
            else:
                self._shape(tag, element, self._moved(element, where), style)

    def _count(self) -> None:
        self.seen += 1
        if self.seen > MOST_STROKES + self.all:
            raise BadPattern(
                f"more than {MOST_STROKES} things are drawn",
                value=self.seen,
                expected="a pattern, not a pattern repeated without end",
            )
        if self.seen % 2000 == 0:
            self.tell(min(0.95, self.seen / self.all))

    def _moved(self, element: ET.Element, where: _Where) -> _Where:
        text = element.get("transform")
        return replace(where, to_px=where.to_px.transform(transform_of(text))) if text else where

    def _styled(self, element: ET.Element, where: _Where) -> _Where:
        """Where an element stands with its own layer and style."""
        tag = _tag(element)
        layer = next((element.get(k) or "" for k in LABEL_KEYS if element.get(k)), "")
        if not layer and tag in ("g", "svg") and element is not self.root:
            layer = element.get("id") or ""
        told = {k: element.get(k) or "" for k in KEPT_STYLES if element.get(k)} | self.styles(element)
        if not len(element) and not told and layer in ("", where.layer):
            return where  # most of a large file: one line among many that look alike
        own = dict(where.style)
        own.pop("display", None)  # not inherited: what holds it is not drawn at all
        own |= told
        size = own.get("font-size")
        view = where.view
        if size:
            view = replace(view, font=length_px(size, view.font, view.font, view.font))
        if where.deep >= MOST_DEEP:
            raise BadPattern(
                f"groups lie more than {MOST_DEEP} deep in each other",
                value=where.deep,
                expected=f"at most {MOST_DEEP} groups within groups",
            )
        return replace(
            where, layer=layer or where.layer, style=tuple(own.items()), view=view, deep=where.deep + 1
        )

    def _inside(
        self, element: ET.Element, where: _Where, size: tuple[str | None, str | None] | None
    ) -> _Where:
        """Where the children of what holds others stand; of a nested ``svg``, or a symbol, in its viewport.
        ``size`` are the width and height that a use gives it.
        """
        tag = _tag(element)
        if tag not in ("svg", "symbol"):
            return where
        view = where.view
        given_w, given_h = size or (None, None)
        w = length_px(given_w or element.get("width") or "100%", view.width, view.font)
        h = length_px(given_h or element.get("height") or "100%", view.height, view.font)
        x = length_px(element.get("x"), view.width, view.font) if tag == "svg" else 0.0
        y = length_px(element.get("y"), view.height, view.font) if tag == "svg" else 0.0
        box = view_box(element.get("viewBox"))
        fit = fitted(box, w, h, element.get("preserveAspectRatio"))
        inner = Viewport(box[2] if box else w, box[3] if box else h, view.font)
        return replace(where, to_px=where.to_px.translate(x, y).transform(fit), view=inner)

    def _used(self, use: ET.Element, where: _Where) -> list[tuple[ET.Element, _Where]]:
        """What a use draws, where it draws it."""
        href = next((use.get(k) or "" for k in HREFS if use.get(k)), "")
        target = self.ids.get(href[1:]) if href.startswith("#") else None
        if target is None:
            self.notes.append(f"A use of {href or 'nothing'} was left out: it is not in the file.")
            return []
        if where.uses >= MOST_USES:
            raise BadPattern(
                f"uses lie more than {MOST_USES} deep in each other",
                value=href,
                expected="a drawing that does not use itself",
            )
        view = where.view
        x = length_px(use.get("x"), view.width, view.font)
        y = length_px(use.get("y"), view.height, view.font)
        here = replace(where, to_px=where.to_px.translate(x, y), uses=where.uses + 1)
        if _tag(target) in ("symbol", "svg"):
            styled = self._styled(target, here)
            inner = self._inside(target, styled, (use.get("width"), use.get("height")))
            return [(child, inner) for child in reversed(target)]
        return [(target, here)]

    def _word(self, element: ET.Element, where: _Where) -> None:
        words = " ".join(" ".join(element.itertext()).split())
        view = where.view
        x = length_px(_first(element.get("x")), view.width, view.font)
        y = length_px(_first(element.get("y")), view.height, view.font)
        for part in element:
            if element.get("x") is None and part.get("x"):
                x = length_px(_first(part.get("x")), view.width, view.font)
                y = length_px(_first(part.get("y")), view.height, view.font)
                break
        if words:
            px, py = where.to_px.transformPoint((x, y))
            self.labels.append(Label(words, float(px), float(py), where.layer or "text"))

    def _shape(self, tag: str, element: ET.Element, where: _Where, style: Mapping[str, str]) -> None:
        colour = _colour(style)
        pen = _Pen(where.to_px, self.within)
        draw = SHAPES.get(tag)
        if draw is None:
            return
        draw(element, where.view, pen)
        for points, closed in pen.strokes():
            self.points += len(points)
            if self.points > MOST_POINTS * 4:
                raise BadPattern(
                    f"this file has more than {MOST_POINTS} points",
                    value=self.points,
                    expected="a pattern, not a scanned picture traced by machine",
                )
            self.strokes.append(Stroke(points, closed, where.layer or colour or "drawing", colour))


def _first(text: str | None) -> str | None:
    return (text or "").replace(",", " ").split()[0] if (text or "").strip() else None


class _Pen(BasePen):  # type: ignore[misc]  # fontTools has no types
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


Draw = Callable[[ET.Element, Viewport, _Pen], None]
ROUND: Final = 4 / 3 * (2**0.5 - 1)
"""How far the handles of a quarter circle reach, as a share of its radius."""


def _path(element: ET.Element, _view: Viewport, pen: _Pen) -> None:
    try:
        parse_path(element.get("d") or "", pen)
    except (ValueError, IndexError, TypeError, AssertionError):
        # What a path says before its first mistake is drawn (SVG 2, 9.5.4).
        pen._keep(False)


def _rect(element: ET.Element, view: Viewport, pen: _Pen) -> None:
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


def _round(element: ET.Element, view: Viewport, pen: _Pen) -> None:
    cx, cy = _lengths(element, view, ("cx", "cy"))
    if _tag(element) == "circle":
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


def _line(element: ET.Element, view: Viewport, pen: _Pen) -> None:
    x1, y1, x2, y2 = _lengths(element, view, ("x1", "y1", "x2", "y2"))
    _polygon([(x1, y1), (x2, y2)], pen, False)


def _poly(element: ET.Element, _view: Viewport, pen: _Pen) -> None:
    v = numbers(element.get("points"))
    _polygon(list(zip(v[::2], v[1::2], strict=False)), pen, _tag(element) == "polygon")


def _polygon(points: Points, pen: _Pen, closed: bool) -> None:
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


def _colour(style: Mapping[str, str]) -> str:
    """The colour a shape is drawn in, as #rrggbb: its line's, else its filling's."""
    for key in ("stroke", "fill"):
        text = style.get(key, "")
        if text and text != "none":
            found = parse_color(text)
            if isinstance(found, tuple):
                return "#" + "".join(f"{round(255 * max(0.0, min(1.0, c))):02x}" for c in found[:3])
    return "" if style.get("fill") == "none" else "#000000" if "stroke" in style or "fill" in style else ""


def _declared(text: str) -> dict[str, str]:
    out = {}
    for d in tinycss2.parse_blocks_contents(text, skip_comments=True, skip_whitespace=True):
        if d.type == "declaration" and d.lower_name in KEPT_STYLES:
            out[d.lower_name] = tinycss2.serialize(d.value).strip()
    return out


def _styles_of(root: ET.Element) -> Callable[[ET.Element], dict[str, str]]:
    """Return what gives an element's own style: that of style sheets in the file, then its style attribute."""
    rules: list[tuple[Any, dict[str, str]]] = []
    for sheet in (e for e in root.iter() if _tag(e) == "style"):
        for rule in tinycss2.parse_stylesheet(sheet.text or "", skip_comments=True, skip_whitespace=True):
            if rule.type != "qualified-rule":
                continue
            try:
                selectors = cssselect2.compile_selector_list(rule.prelude)
            except cssselect2.SelectorError:
                continue
            said = _declared(tinycss2.serialize(rule.content))
            rules += [(selector, said) for selector in selectors]
    if not rules:
        return lambda element: _declared(element.get("style") or "") if element.get("style") else {}
    matcher: Any = cssselect2.Matcher()
    for selector, said in rules:
        matcher.add_selector(selector, said)
    wrapped = {w.etree_element: w for w in cssselect2.ElementWrapper.from_xml_root(root).iter_subtree()}

    def of(element: ET.Element) -> dict[str, str]:
        out: dict[str, str] = {}
        for *_, said in sorted(matcher.match(wrapped[element]), key=lambda m: m[:2]):
            out |= said
        return out | _declared(element.get("style") or "")

    return of
