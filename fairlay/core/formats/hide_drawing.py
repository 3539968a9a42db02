"""A hide from a digitising table's drawing: its outline, its holes, and flaws where the drawing has layers
for them.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from shapely.geometry import Polygon

from fairlay.core.errors import BadHide
from fairlay.core.formats.drawing import Drawing, Use
from fairlay.core.formats.sort_out import sort_out
from fairlay.core.pattern.contour import flatten
from fairlay.core.shapes.rings import Ring

FLAW_LAYERS: Final = ("flaw", "defect", "fault", "blemish", "unsound")
HIDE_LAYERS: Final = ("hide", "skin", "leather")
NO_LEATHER: Final = ("zone", "label", "text")
SEVERITIES: Final = (("surface", 1), ("blemish", 2), ("unsound", 3))


@dataclass(frozen=True, eq=False)
class DrawnFlaw:
    """A flaw that was drawn: its ring in mm, and its severity, 0 where the layer's name tells none."""

    outline: Ring
    severity: int


@dataclass(frozen=True, eq=False)
class HideInDrawing:
    """A hide found in a drawing, in mm from the corner of its bounds, y down: outline, holes, flaws, and what
    was noted of the drawing.
    """

    outline: Ring
    holes: tuple[Ring, ...]
    flaws: tuple[DrawnFlaw, ...]
    notes: tuple[str, ...]


def hide_in_drawing(drawing: Drawing, unit_mm: float) -> HideInDrawing:
    """Return the hide in a drawing whose unit is ``unit_mm`` long.

    The largest closed outline is the hide, what lies in it are holes. A layer whose name speaks of flaws
    holds rings, their severity by its name (``FLAW_UNSOUND``, ``defect 2``); where a layer is named for the
    hide, outlines on others are not leather. Raises BadHide where nothing closed is drawn, BadPattern for a
    unit that is no length.
    """
    layers = [layer.name for layer in drawing.layers]
    flaw_layers = {name for name in layers if _has(name, FLAW_LAYERS)}
    named = [name for name in layers if _has(name, HIDE_LAYERS) and name not in flaw_layers]
    apart = {
        name
        for name in layers
        if name in flaw_layers or (name not in named if named else _has(name, NO_LEATHER))
    }
    uses: dict[str, Use] = dict.fromkeys(named, "outline")
    for name in apart:
        uses[name] = "leave out"
    found = sort_out(drawing, uses, unit_mm, patterns=False)
    if not found.pieces:
        raise BadHide(
            "the drawing has no closed outline",
            value=0,
            expected="the hide's outline as one closed line" + (f" on the layer {named[0]}" if named else ""),
        )
    hide = max(found.pieces, key=lambda p: Polygon(flatten(p.contour)).area)
    outline, moved = flatten(hide.contour), np.array(hide.at)
    leather = Polygon(outline)
    flaws, notes = [], list(found.notes)
    for stroke in drawing.strokes:
        if stroke.layer in flaw_layers:
            ring = _ring(stroke.points * unit_mm - moved)
            if ring is None:
                notes.append(f"A line on the layer {stroke.layer} encloses nothing, and was left out.")
            elif leather.intersects(Polygon(ring)):
                flaws.append(DrawnFlaw(ring, _severity(stroke.layer)))
            else:
                notes.append(f"A ring on the layer {stroke.layer} lies off the hide, and was left out.")
    return HideInDrawing(
        outline, tuple(flatten(w) for w in hide.windows), tuple(flaws), tuple(dict.fromkeys(notes))
    )


def _has(name: str, words: Sequence[str]) -> bool:
    return any(word in name.lower() for word in words)


def _severity(layer: str) -> int:
    told = next((severity for word, severity in SEVERITIES if word in layer.lower()), 0)
    number = re.search(r"[123]$", layer.strip())
    return told or (int(number.group()) if number else 0)


def _ring(points: Ring) -> Ring | None:
    """A stroke as a ring; what crosses itself is taken by its largest part.

    None where it encloses less than a mm2.
    """
    if len(points) < 3:
        return None
    whole = Polygon(points).buffer(0)
    part = max(getattr(whole, "geoms", [whole]), key=lambda p: p.area)
    return np.asarray(part.exterior.coords)[:-1] if part.area > 1.0 else None
