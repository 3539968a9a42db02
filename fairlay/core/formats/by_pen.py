"""Layers parted by how they are drawn: many files have one layer, and tell cuts from stitches by colour or by
dashes alone.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace
from typing import Final

from fairlay.core.formats.drawing import Drawing

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
MOST_PENS: Final = 12
"""A layer drawn in more ways than this is coloured for another reason."""


def parted_by_pen(drawing: Drawing) -> Drawing:
    """Return a drawing in which a layer that is drawn in several colours, or in whole and in broken lines, is
    as many layers: "Cut, red", "Cut, red, broken lines".
    """
    pens: dict[str, set[tuple[str, bool]]] = {}
    for s in drawing.strokes:
        pens.setdefault(s.layer, set()).add((s.colour, s.broken))
    names: dict[tuple[str, str, bool], str] = {}
    for layer, own in pens.items():
        if not 1 < len(own) <= MOST_PENS:
            continue
        words = _colour_words({colour for colour, _ in own})
        for colour, broken in own:
            parts = [layer, *([words[colour]] if len(words) > 1 and words[colour] != layer else [])]
            if (broken and (colour, False) in own) or (broken and len(words) == 1):
                parts.append("broken lines")
            names[layer, colour, broken] = ", ".join(parts)
    if not names:
        return drawing
    strokes = tuple(
        replace(s, layer=names.get((s.layer, s.colour, s.broken), s.layer)) for s in drawing.strokes
    )
    return replace(drawing, strokes=strokes)


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
