"""Shapes drawn from a few measures: strap, rectangle, disc, ring, lens, triangle, trapezoid, notched panel.

All lie with their length along x, so that the grain axis of a strap is 0 degrees.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass

from fairlay.core.errors import BadPattern
from fairlay.core.pattern.contour import Contour, Node, arc, contour_of, joined

STRAP_ENDS = ("square", "round", "point", "belt tip")


@dataclass(frozen=True)
class Measure:
    """One measure of a shape: its name, what it is, a usual value and its bounds, in mm (or a count, or one
    of ``choices``).
    """

    name: str
    says: str
    usual: float
    least: float
    most: float
    choices: tuple[str, ...] = ()
    whole: bool = False


@dataclass(frozen=True)
class Drawn:
    """A shape drawn: its outline and windows."""

    contour: Contour
    windows: tuple[Contour, ...] = ()


@dataclass(frozen=True)
class Shape:
    """A kind of shape and its measures."""

    kind: str
    says: str
    measures: tuple[Measure, ...]
    draw: Callable[..., Drawn]


def _m(name: str, says: str, usual: float, least: float = 0.0, most: float = 4000.0) -> Measure:
    return Measure(name, says, usual, least, most)


def _strap(length: float, width: float, start: float, end: float, tip: float) -> Drawn:
    """A strap; a pointed end is as long as it is wide times 0.7, a belt tip ``tip`` mm (0: one and a half
    widths).
    """
    reach = {"square": 0.0, "round": width / 2, "point": width * 0.7, "belt tip": tip or width * 1.5}
    first, second = STRAP_ENDS[int(start)], STRAP_ENDS[int(end)]
    if reach[first] + reach[second] > length:
        raise BadPattern(
            f"a strap of {length:g} mm with ends of {reach[first]:g} and {reach[second]:g} mm",
            value=length,
            expected="a length that holds both ends",
        )
    right = _strap_end(second, length, width, reach[second])
    left = [_turned_node(node, length, width) for node in _strap_end(first, length, width, reach[first])]
    return Drawn(joined([*right, *left]))


def _strap_end(kind: str, length: float, width: float, reach: float) -> list[Node]:
    """The end at x = length, from y = 0 to y = width."""
    if kind == "round":
        return arc(length - width / 2, width / 2, width / 2, -90, 90)
    if kind == "point":
        return [(length - reach, 0.0), (length, width / 2), (length - reach, width)]
    if kind == "belt tip":
        x, h, r = length - reach, width / 2, width * 0.09
        return [
            (x, 0.0, x, 0.0, x + reach * 0.55, 0.0),
            (length, h - r, length - reach * 0.12, h - r - width * 0.12, length, h - r),
            (length, h + r, length, h + r, length - reach * 0.12, h + r + width * 0.12),
            (x, width, x + reach * 0.55, width, x, width),
        ]
    return [(length, 0.0), (length, width)]


def _turned_node(node: Node, length: float, width: float) -> Node:
    return tuple(v for i in range(0, len(node), 2) for v in (length - node[i], width - node[i + 1]))


def _rectangle(length: float, width: float, radius: float) -> Drawn:
    if 2 * radius > min(length, width):
        raise BadPattern(
            f"corners of {radius:g} mm on {length:g} x {width:g} mm",
            value=radius,
            expected=f"a radius of {min(length, width) / 2:g} mm at most",
        )
    if radius == 0:
        return Drawn(contour_of([(0, 0), (length, 0), (length, width), (0, width)]))
    corners = (
        (length - radius, radius, -90),
        (length - radius, width - radius, 0),
        (radius, width - radius, 90),
        (radius, radius, 180),
    )
    return Drawn(joined([node for cx, cy, a in corners for node in arc(cx, cy, radius, a, a + 90)]))


def _disc(across: float) -> Drawn:
    return Drawn(joined(arc(across / 2, across / 2, across / 2, 0, 360)))


def _ring(across: float, hole: float) -> Drawn:
    if hole >= across:
        raise BadPattern(
            f"a hole of {hole:g} mm in a ring of {across:g} mm",
            value=hole,
            expected="a hole smaller than the ring",
        )
    return Drawn(
        joined(arc(across / 2, across / 2, across / 2, 0, 360)),
        (joined(arc(across / 2, across / 2, hole / 2, 0, 360)),),
    )


def _lens(length: float, width: float, blunt: float) -> Drawn:
    """Two arcs over the length that meet in points, or in straight ends ``blunt`` mm wide."""
    if blunt >= width or width - blunt > length:
        raise BadPattern(
            f"a lens of {length:g} x {width:g} mm with ends of {blunt:g} mm",
            value=width,
            expected="ends narrower than the middle, and a width under the length",
        )
    rise = (width - blunt) / 2
    radius = (length**2 / 4 + rise**2) / (2 * rise)
    half = math.degrees(math.asin(length / 2 / radius))
    x, top = length / 2, width / 2
    upper = arc(x, top - blunt / 2 - rise + radius, radius, -90 - half, -90 + half)
    lower = arc(x, top + blunt / 2 + rise - radius, radius, 90 - half, 90 + half)
    return Drawn(joined([*upper, *lower]))


def _triangle(base: float, height: float, lean: float) -> Drawn:
    return Drawn(contour_of([(0, height), (base / 2 + lean, 0), (base, height)]))


def _trapezoid(length: float, one_end: float, other_end: float) -> Drawn:
    top = max(one_end, other_end) / 2
    return Drawn(
        contour_of(
            [
                (0, top - one_end / 2),
                (length, top - other_end / 2),
                (length, top + other_end / 2),
                (0, top + one_end / 2),
            ]
        )
    )


def _notched(length: float, width: float, notches: float, depth: float, opening: float) -> Drawn:
    """A panel with V notches, evenly spaced along both long edges, to match it by."""
    count = int(notches)
    if count and (depth * 2 >= width or opening * count * 1.5 > length):
        raise BadPattern(
            f"{count} notches of {opening:g} mm, {depth:g} mm deep, on {length:g} x {width:g} mm",
            value=count,
            expected="notches that leave leather between them",
        )
    at = [length * (k + 1) / (count + 1) for k in range(count)]
    top = [
        (0.0, 0.0),
        *(p for x in at for p in ((x - opening / 2, 0.0), (x, depth), (x + opening / 2, 0.0))),
        (length, 0.0),
    ]
    low = [(length - x, width - y) for x, y in top]
    return Drawn(contour_of([*top, *low]))


SHAPES: dict[str, Shape] = {
    s.kind: s
    for s in (
        Shape(
            "strap",
            "A strap, each end as it is wanted",
            (
                _m("length", "length over all", 600, 5),
                _m("width", "width", 25, 2, 1000),
                Measure("start", "one end", 0, 0, 3, STRAP_ENDS),
                Measure("end", "other end", 2, 0, 3, STRAP_ENDS),
                _m("tip", "length of a belt tip (0: one and a half widths)", 0, 0, 500),
            ),
            _strap,
        ),
        Shape(
            "rectangle",
            "A rectangle, its corners round or square",
            (
                _m("length", "length", 200, 2),
                _m("width", "width", 100, 2),
                _m("radius", "corner radius", 10, 0, 1000),
            ),
            _rectangle,
        ),
        Shape("disc", "A disc", (_m("across", "across", 60, 2),), _disc),
        Shape(
            "ring",
            "A ring or washer",
            (_m("across", "across", 60, 3), _m("hole", "hole across", 20, 1)),
            _ring,
        ),
        Shape(
            "lens",
            "A lens or gusset: two arcs that meet",
            (
                _m("length", "length", 310, 5),
                _m("width", "width in the middle", 110, 3),
                _m("blunt", "width of its ends (0: points)", 12, 0, 500),
            ),
            _lens,
        ),
        Shape(
            "triangle",
            "A triangle",
            (
                _m("base", "base", 120, 2),
                _m("height", "height", 90, 2),
                _m("lean", "top off the middle (to the right)", 0, -2000, 2000),
            ),
            _triangle,
        ),
        Shape(
            "trapezoid",
            "A trapezoid: two ends of different width",
            (
                _m("length", "length", 120, 2),
                _m("one_end", "width at one end", 92, 1),
                _m("other_end", "width at the other", 60, 1),
            ),
            _trapezoid,
        ),
        Shape(
            "notched panel",
            "A panel with matching notches in its long edges",
            (
                _m("length", "length", 300, 5),
                _m("width", "width", 160, 5),
                Measure("notches", "notches in each long edge", 2, 0, 40, (), True),
                _m("depth", "depth of a notch", 4, 0.5, 100),
                _m("opening", "opening of a notch", 5, 0.5, 100),
            ),
            _notched,
        ),
    )
}


def draw(kind: str, measures: Mapping[str, float]) -> Drawn:
    """Return the shape of a kind.

    Raises BadPattern for an unknown kind or measure, a missing one, or one out of bounds.
    """
    shape = SHAPES.get(kind)
    if shape is None:
        raise BadPattern(f"there is no shape called {kind!r}", value=kind, expected=", ".join(SHAPES))
    known = {m.name for m in shape.measures}
    for name in measures:
        if name not in known:
            raise BadPattern(
                f"a {kind} has no measure called {name!r}", value=name, expected=", ".join(known)
            )
    values: dict[str, float] = {}
    for m in shape.measures:
        value = measures.get(m.name, m.usual)
        if (
            not math.isfinite(value)
            or not m.least <= value <= m.most
            or ((m.whole or m.choices) and value != int(value))
        ):
            raise BadPattern(
                f"{kind}: {m.says} is {value:g}",
                value=value,
                expected=f"{'a whole number, ' if m.whole else ''}{m.least:g} to "
                f"{m.most:g}{'' if m.choices or m.whole else ' mm'}",
            )
        values[m.name] = float(value)
    return shape.draw(**values)
