"""Layers parted by how they are drawn: many files have one layer, and tell cuts from stitches by colour or by
dashes alone, and cuts from words by what is painted and has no line.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace
from typing import Final

from fairlay.core.formats.drawing import Drawing, Stroke

COLOUR_NAMES: Final = {
    "black": (0, 0, 0),
    "white": (255, 255, 255),
    "grey": (128, 128, 128),
    "red": (255, 0, 0),
    "orange": (255, 140, 0),
    "brown": (140, 80, 30),
    "yellow": (255, 255, 0),
    "green": (0, 160, 0),
    "turquoise": (0, 200, 200),
    "blue": (0, 0, 255),
    "violet": (130, 0, 200),
    "pink": (255, 0, 255),
}
Pen = tuple[str, bool, bool]
"""Colour, whether in broken lines, whether painted without a line."""
MOST_PENS: Final = 12
"""A layer drawn in more ways than this is coloured for another reason."""


def parted_by_pen(drawing: Drawing) -> Drawing:
    """Return a drawing in which a layer that is drawn in several colours, in whole and in broken lines, or in
    lines and painted areas, is as many layers: "Cut, red", "Cut, red, broken lines", "Cut, painted areas".
    """
    pens: dict[str, set[Pen]] = {}
    for s in drawing.strokes:
        pens.setdefault(s.layer, set()).add(_pen(s))
    names: dict[tuple[str, Pen], str] = {}
    for layer, own in pens.items():
        if not 1 < len(own) <= MOST_PENS:
            continue
        words = _colour_words({colour for colour, *_ in own})
        some_lines = any(not filled for *_, filled in own)
        for colour, broken, filled in own:
            parts = [layer, *([words[colour]] if len(words) > 1 and words[colour] != layer else [])]
            if broken and (len(words) == 1 or (colour, False, filled) in own):
                parts.append("broken lines")
            if filled and some_lines:
                parts.append("painted areas")
            names[layer, (colour, broken, filled)] = ", ".join(parts)
    if not names:
        return drawing
    strokes = tuple(replace(s, layer=names.get((s.layer, _pen(s)), s.layer)) for s in drawing.strokes)
    return replace(drawing, strokes=strokes)


def _pen(s: Stroke) -> Pen:
    return s.colour, s.broken, s.filled


def _colour_words(colours: Iterable[str]) -> dict[str, str]:
    """Colours in words; two that would be called the same are called by their figures."""
    named = {c: _nearest(c) for c in colours}
    counts: dict[str, int] = {}
    for word in named.values():
        counts[word] = counts.get(word, 0) + 1
    return {c: word if counts[word] == 1 else c or "no colour" for c, word in named.items()}


def _nearest(colour: str) -> str:
    if len(colour) != 7:
        return "no colour"
    rgb = tuple(int(colour[k : k + 2], 16) for k in (1, 3, 5))
    return min(
        COLOUR_NAMES, key=lambda n: sum((a - b) ** 2 for a, b in zip(rgb, COLOUR_NAMES[n], strict=True))
    )
