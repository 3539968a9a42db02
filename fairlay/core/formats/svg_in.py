"""Reading SVG drawings: transforms, ``<use>``, viewBox and units, curves drawn out within 0.05 mm."""

from __future__ import annotations

import io
import re
import xml.etree.ElementTree as ET
from collections.abc import Iterator

import numpy as np
import svgelements
from numpy.typing import NDArray

from fairlay.core.errors import BadPattern
from fairlay.core.formats.drawing import FINEST_UNIT, Drawing, Label, Stroke, sound_drawing
from fairlay.core.pattern.contour import curve_points

PX_MM = 25.4 / 96
SAYS_SIZE = re.compile(r"^\s*[\d.eE+-]+\s*(mm|cm|in|pt|pc|q)\s*$", re.IGNORECASE)
LABEL_KEYS = (
    "{http://www.inkscape.org/namespaces/inkscape}label",
    "inkscape:label",
    "data-layer",
    "data-name",
)


def read_svg(body: bytes) -> Drawing:
    """Return the drawing of an SVG file, y downward.

    The unit is known where the root's width is in mm, cm, in, pt or pc; else it is None, and lengths
    are in the file's own pixels. Raises BadPattern for what is no SVG.
    """
    try:
        root = ET.fromstring(body)
    except ET.ParseError as cause:
        raise BadPattern(
            f"the file is no whole SVG: {cause}", value=str(cause), expected="an SVG file"
        ) from cause
    if not root.tag.endswith("svg"):
        raise BadPattern(
            f"the file is XML, but its root is {root.tag.split('}')[-1]!r}",
            value=root.tag,
            expected="an SVG file",
        )
    known = bool(SAYS_SIZE.match(root.get("width", "")))
    try:
        tree = svgelements.SVG.parse(io.BytesIO(body), reify=True, ppi=96.0)
    except (ValueError, TypeError, AttributeError, KeyError, IndexError, ZeroDivisionError) as cause:
        raise BadPattern(
            f"the SVG cannot be drawn: {cause}",
            value=str(cause),
            expected="paths, lines, circles and groups with plain transforms",
        ) from cause
    strokes: list[Stroke] = []
    labels: list[Label] = []
    notes: list[str] = []
    within = 0.05 / PX_MM if known else FINEST_UNIT
    for element, layer in _walk(tree, ""):
        if isinstance(element, svgelements.SVGText):
            if (element.text or "").strip():
                at = svgelements.Point(element.x, element.y) * element.transform
                labels.append(
                    Label(" ".join(str(element.text).split()), float(at.x), float(at.y), layer or "text")
                )
        elif isinstance(element, svgelements.SVGImage):
            notes.append("A picture in the file was left out: it is not drawn in lines.")
        elif isinstance(element, svgelements.Shape):
            if (
                str(element.values.get("display", "")) == "none"
                or str(element.values.get("visibility", "")) == "hidden"
            ):
                notes.append(f"Something hidden on {layer or 'the drawing'} was left out.")
                continue
            colour = _colour(element)
            for points, closed in _strokes_of(element, within):
                strokes.append(Stroke(points, closed, layer or colour or "drawing", colour))
    says = (
        f"The file says its own size ({root.get('width')} wide)."
        if known
        else "The file does not say what its units are."
    )
    return sound_drawing(strokes, labels, PX_MM if known else None, says, notes)


def _walk(group: list[object], layer: str) -> Iterator[tuple[object, str]]:
    for element in group:
        if isinstance(element, (svgelements.Group, svgelements.Use)):
            own = {
                k: v
                for k, v in (element.values.get("attributes") or element.values).items()
                if isinstance(v, str)
            }
            named = next((own[k] for k in LABEL_KEYS if own.get(k)), "") or (
                str(element.id) if element.id and not isinstance(element, svgelements.Use) else ""
            )
            yield from _walk(element, named or layer)
        else:
            yield element, layer


def _colour(element: svgelements.Shape) -> str:
    for paint in (element.stroke, element.fill):
        if paint is not None and paint.value is not None:
            return str(paint.hexrgb)
    return ""


def _strokes_of(shape: svgelements.Shape, within: float) -> Iterator[tuple[NDArray[np.float64], bool]]:
    path = abs(svgelements.Path(shape))
    path.approximate_arcs_with_cubics()
    for sub in path.as_subpaths():
        points: list[NDArray[np.float64]] = []
        closed = False
        for segment in svgelements.Path(sub):
            if isinstance(segment, svgelements.Move):
                if segment.end is not None:
                    points.append(_p(segment.end)[None])
                continue
            if isinstance(segment, svgelements.Close):
                closed = True
                if segment.end is not None:
                    points.append(_p(segment.end)[None])
                continue
            p0, p3 = _p(segment.start), _p(segment.end)
            if isinstance(segment, svgelements.CubicBezier):
                p1, p2 = _p(segment.control1), _p(segment.control2)
            elif isinstance(segment, svgelements.QuadraticBezier):
                c = _p(segment.control)
                p1, p2 = p0 + (c - p0) * 2 / 3, p3 + (c - p3) * 2 / 3
            else:
                p1, p2 = p0, p3
            points.append(curve_points(p0, p1, p2, p3, within)[1:])
        if points:
            whole = np.concatenate(points)
            same = bool(len(whole) > 2 and np.hypot(*(whole[0] - whole[-1])) < within)
            yield whole, closed or same


def _p(point: svgelements.Point) -> NDArray[np.float64]:
    return np.array([float(point.x), float(point.y)])
