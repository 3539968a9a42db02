"""Reading SVG drawings: transforms, ``<use>``, symbols, nested viewports and units, curves drawn out within
0.02 mm.

Where things stand is reckoned as browsers do (SVG 2). What is said is bounded: how deep groups lie, how
much is drawn, how large it is.
"""

from __future__ import annotations

import re
import xml.etree.ElementTree as ET
import zlib
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from typing import Any, Final

import numpy as np
from defusedxml.common import DefusedXmlException
from defusedxml.ElementTree import fromstring
from fontTools.misc.transform import Transform
from numpy.typing import NDArray

from fairlay.core.errors import BadPattern
from fairlay.core.formats.drawing import FINEST_UNIT, MOST_POINTS, Drawing, Label, Stroke, sound_drawing
from fairlay.core.formats.svg_names import Names
from fairlay.core.formats.svg_pen import SHAPES, WITHIN_MM, Pen, tag_of
from fairlay.core.formats.svg_style import (
    KEPT_STYLES,
    NOT_INHERITED,
    colour_of,
    is_broken,
    is_hidden,
    is_painted,
    is_pointed,
    styles_of,
)
from fairlay.core.formats.svg_values import (
    PX_MM,
    Viewport,
    fitted,
    length_px,
    transform_of,
    view_box,
)

SAYS_SIZE = re.compile(r"^\s*[\d.eE+-]+\s*(mm|cm|in|pt|pc|q)\s*$", re.IGNORECASE)
HREFS = ("href", "{http://www.w3.org/1999/xlink}href")
GZIPPED: Final = b"\x1f\x8b"
MOST_BYTES: Final = 60_000_000
"""Of a packed drawing, when it is unpacked."""
MOST_DEEP: Final = 200
"""Groups within groups; a drawing has a few dozen."""
MOST_STROKES: Final = 60_000
MOST_USES: Final = 12
"""Uses within uses."""
NOT_DRAWN = {"defs", "clipPath", "mask", "pattern", "marker", "symbol", "title", "desc", "metadata", "style"}
HOLDS = {"g", "a", "switch", "svg"}
Box = tuple[float, float, float, float]


@dataclass(frozen=True)
class _Where:
    """Where an element stands: what takes its coordinates to px, its viewport, its layer, name and
    inherited style.
    """

    to_px: Transform
    view: Viewport
    layer: str = ""
    name: str = ""
    style: tuple[tuple[str, str], ...] = ()
    deep: int = 0
    uses: int = 0


def read_svg(body: bytes, tell: Callable[[float], None] = lambda _share: None) -> Drawing:
    """Return the drawing of an SVG file, y downward; ``tell`` hears how much of it is read.

    It may be packed by gzip. The unit is known where the root's width is in mm, cm, in, pt or pc; else it is
    None, and lengths are in the file's own pixels. Raises BadPattern for what is no SVG, or more than a
    drawing is.
    """
    root = _root(_unpacked(body))
    known = bool(SAYS_SIZE.match(root.get("width", "")))
    return _Reading(root, WITHIN_MM / PX_MM if known else FINEST_UNIT, tell).drawing(known)


def _unpacked(body: bytes) -> bytes:
    """The file itself, where it was packed by gzip (SVGZ)."""
    if not body.startswith(GZIPPED):
        return body
    unpacker = zlib.decompressobj(zlib.MAX_WBITS | 16)
    try:
        whole = unpacker.decompress(body, MOST_BYTES)
    except zlib.error as cause:
        raise BadPattern(
            f"the packed SVG cannot be unpacked: {cause}", value=str(cause), expected="an SVG file"
        ) from cause
    if not unpacker.eof:
        raise BadPattern(
            "the packed SVG is cut short, or too large when unpacked",
            value=len(whole),
            expected=f"at most {MOST_BYTES // 1_000_000} MB",
        )
    return whole


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
    if tag_of(root) != "svg":
        raise BadPattern(
            f"the file is XML, but its root is {tag_of(root)!r}", value=root.tag, expected="an SVG file"
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


class _Reading:
    """One SVG as it is read."""

    def __init__(self, root: ET.Element, within: float, tell: Callable[[float], None]) -> None:
        self.root, self.within, self.tell = root, within, tell
        self.ids = {e.get("id"): e for e in root.iter() if e.get("id")}
        self.styles = styles_of(root)
        self.names = Names(root)
        self.page = (0.0, 0.0)
        self.pages: list[int] = []
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
        self.page = (width, height)
        where = self._styled(root, _Where(fit, view))
        for child in root:
            self._walk(child, where)
        if self.pages and sum(s.closed for s in self.strokes) > len(self.pages):
            self.strokes = [s for i, s in enumerate(self.strokes) if i not in self.pages]
            self.notes.append("A ground as large as the page was left out: it is painted, not drawn.")
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
            tag = tag_of(element)
            if not tag or tag in NOT_DRAWN:
                continue
            where = self._styled(element, where)
            style = dict(where.style)
            if is_hidden(style):
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
        tag = tag_of(element)
        layer, name = self.names.of(element, tag in HOLDS, where.layer, where.name)
        told = {k: element.get(k) or "" for k in KEPT_STYLES if element.get(k)} | self.styles(element)
        if not len(element) and not told and (layer, name) == (where.layer, where.name):
            return where  # most of a large file: one line among many that look alike
        own = dict(where.style)
        for key in NOT_INHERITED:
            own.pop(key, None)  # what holds it is not drawn at all
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
            where, layer=layer, name=name, style=tuple(own.items()), view=view, deep=where.deep + 1
        )

    def _inside(
        self, element: ET.Element, where: _Where, size: tuple[str | None, str | None] | None
    ) -> _Where:
        """Where the children of what holds others stand; of a nested ``svg``, or a symbol, in its viewport.
        ``size`` are the width and height that a use gives it.
        """
        tag = tag_of(element)
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
        if tag_of(target) in ("symbol", "svg"):
            styled = self._styled(target, here)
            inner = self._inside(target, styled, (use.get("width"), use.get("height")))
            return [(child, inner) for child in reversed(target)]
        return [(target, here)]

    def _word(self, element: ET.Element, where: _Where) -> None:
        """Words, line by line: lines are parts that say where they begin, or how far on from the last."""
        parts = [p for p in element if p.get("y") or p.get("dy")]
        lines = [(p, "".join(p.itertext())) for p in parts] or [(element, "".join(element.itertext()))]
        if parts and (element.text or "").strip():
            lines.insert(0, (element, element.text or ""))
        view = where.view
        axes = (("x", view.width), ("y", view.height))

        def first(own: ET.Element, key: str, of: float) -> float:
            return length_px(_first(own.get(key)), of, view.font)

        at = [length_px(_first(element.get(k) or _of_parts(element, k)), of, view.font) for k, of in axes]
        at = [before + first(element, "d" + k, of) for before, (k, of) in zip(at, axes, strict=True)]
        for part, text in lines:
            if part is not element:
                at = [
                    (first(part, k, of) if part.get(k) else before) + first(part, "d" + k, of)
                    for before, (k, of) in zip(at, axes, strict=True)
                ]
            words = " ".join(text.split())
            if words:
                px, py = where.to_px.transformPoint((at[0], at[1]))
                self.labels.append(Label(words, float(px), float(py), where.layer or "text"))

    def _shape(self, tag: str, element: ET.Element, where: _Where, style: Mapping[str, str]) -> None:
        colour = colour_of(style)
        pen = Pen(where.to_px, self.within)
        draw = SHAPES.get(tag)
        if draw is None:
            return
        edged = is_painted(style, "stroke")
        if not edged and not is_painted(style, "fill"):
            self.notes.append(f"Something unpainted on {where.layer or 'the drawing'} was left out.")
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
            if not edged and closed and self._fills_page(points):
                self.pages.append(len(self.strokes))
            layer = where.layer or colour or "drawing"
            broken = is_broken(style)
            pointed = is_pointed(style)
            self.strokes.append(Stroke(points, closed, layer, colour, where.name, broken, not edged, pointed))

    def _fills_page(self, points: NDArray[np.float64]) -> bool:
        """Whether a painted ground covers all of the page."""
        low, high = points.min(axis=0), points.max(axis=0)
        w, h = self.page
        return len(points) <= 5 and bool(
            low[0] <= 0.005 * w and low[1] <= 0.005 * h and high[0] >= 0.995 * w and high[1] >= 0.995 * h
        )


def _first(text: str | None) -> str | None:
    return (text or "").replace(",", " ").split()[0] if (text or "").strip() else None


def _of_parts(element: ET.Element, key: str) -> str | None:
    return next((part.get(key) for part in element if part.get(key)), None)
