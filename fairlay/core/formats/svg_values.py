"""What SVG writes as text: lengths with units, transforms, viewBoxes and how they fit. All in px, 96 to the
inch (SVG 2, CSS Values 4).
"""

from __future__ import annotations

import math
import re
from dataclasses import dataclass
from typing import Final

from fontTools.misc.transform import Identity, Transform

from fairlay.core.errors import BadPattern

PX_MM: Final = 25.4 / 96
UNITS_PX: Final = {
    "": 1.0,
    "px": 1.0,
    "in": 96.0,
    "cm": 96 / 2.54,
    "mm": 96 / 25.4,
    "q": 96 / 101.6,
    "pt": 96 / 72,
    "pc": 16.0,
}
FONT_PX: Final = 16.0
"""What an em is where nothing says otherwise; an ex is half of it."""
MOST_PX: Final = 100_000 / PX_MM
"""A hundred metres: nothing in a workshop is larger."""
LENGTH = re.compile(r"\s*([+-]?(?:\d+\.?\d*|\.\d+)(?:e[+-]?\d+)?)\s*([a-z%]*)\s*$", re.IGNORECASE)
NUMBER = re.compile(r"[+-]?(?:\d+\.?\d*|\.\d+)(?:e[+-]?\d+)?", re.IGNORECASE)
CALL = re.compile(r"(\w+)\s*\(([^)]*)\)")


@dataclass(frozen=True)
class Viewport:
    """What percentages are of, in px, and what an em is."""

    width: float
    height: float
    font: float = FONT_PX

    @property
    def diagonal(self) -> float:
        """What a percentage that is neither along nor down is of."""
        return math.hypot(self.width, self.height) / math.sqrt(2)


def length_px(text: str | None, of: float, font: float = FONT_PX, usual: float = 0.0) -> float:
    """Return a length; a percentage is ``of`` so much. What is no length is ``usual``.

    Raises BadPattern for one that nothing in a workshop has.
    """
    found = LENGTH.match(text or "")
    if not found:
        return usual
    value, unit = float(found[1]), found[2].lower()
    if unit == "%":
        value *= of / 100
    elif unit in ("em", "rem"):
        value *= font
    elif unit in ("ex", "ch"):
        value *= font / 2
    elif unit in UNITS_PX:
        value *= UNITS_PX[unit]
    else:
        return usual
    return sound(value)


def sound(value: float) -> float:
    """Return a length that can be one. Raises BadPattern for one past ``MOST_PX``, or that is none."""
    if not abs(value) <= MOST_PX:
        raise BadPattern(f"a length of {value * PX_MM:.3g} mm", value=value, expected="lengths up to 100 m")
    return value


def numbers(text: str | None) -> list[float]:
    """Return the numbers of a list, however they are parted."""
    return [sound(float(n)) for n in NUMBER.findall(text or "")]


def transform_of(text: str | None) -> Transform:
    """Return the transform that a list of calls stands for; what is no call is left out."""
    out = Identity
    for name, values in CALL.findall(text or ""):
        v = [float(n) for n in NUMBER.findall(values)]
        if name == "matrix" and len(v) == 6:
            out = out.transform(tuple(v))
        elif name == "translate" and v:
            out = out.translate(v[0], v[1] if len(v) > 1 else 0.0)
        elif name == "scale" and v:
            out = out.scale(v[0], v[1] if len(v) > 1 else v[0])
        elif name == "rotate" and v:
            x, y = (v[1], v[2]) if len(v) > 2 else (0.0, 0.0)
            out = out.translate(x, y).rotate(math.radians(v[0])).translate(-x, -y)
        elif name == "skewX" and v:
            out = out.transform((1, 0, math.tan(math.radians(v[0])), 1, 0, 0))
        elif name == "skewY" and v:
            out = out.transform((1, math.tan(math.radians(v[0])), 0, 1, 0, 0))
    return out


def view_box(text: str | None) -> tuple[float, float, float, float] | None:
    """Return a viewBox: x, y, width, height; None where there is none that can be one."""
    v = numbers(text)
    return (v[0], v[1], v[2], v[3]) if len(v) == 4 and v[2] > 0 and v[3] > 0 else None


def fitted(
    box: tuple[float, float, float, float] | None, width: float, height: float, how: str | None
) -> Transform:
    """Return the transform that fits a viewBox into a width and height by ``preserveAspectRatio``."""
    if box is None:
        return Identity
    x, y, w, h = box
    sx, sy = width / w, height / h
    words = (how or "xMidYMid meet").split()
    words = words[1:] if words and words[0] == "defer" else words
    align = words[0] if words else "xMidYMid"
    if align == "none":
        return Transform(sx, 0, 0, sy, -x * sx, -y * sy)
    scale = max(sx, sy) if "slice" in words else min(sx, sy)
    along = {"xMin": 0.0, "xMid": 0.5, "xMax": 1.0}.get(align[:4], 0.5)
    down = {"YMin": 0.0, "YMid": 0.5, "YMax": 1.0}.get(align[4:], 0.5)
    return Transform(
        scale, 0, 0, scale, along * (width - w * scale) - x * scale, down * (height - h * scale) - y * scale
    )
