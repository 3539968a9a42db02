"""A drawing from a file: strokes on layers, before anyone has said what they are."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from shapely import STRtree
from shapely.geometry import Point, Polygon

from fairlay.core.errors import BadPattern
from fairlay.core.formats.lettering import how_many_shapes
from fairlay.core.shapes.rings import radius_of
from fairlay.core.tolerances import FLATTEN_MM

Use = Literal["outline", "window", "stitch", "hole", "fold", "glue", "skive", "place", "leave out"]
USES: tuple[Use, ...] = ("outline", "window", "stitch", "hole", "fold", "glue", "skive", "place", "leave out")

UNITS_MM = {"mm": 1.0, "cm": 10.0, "inch": 25.4, "point (1/72 in)": 25.4 / 72, "pixel (1/96 in)": 25.4 / 96}
FINEST_UNIT = FLATTEN_MM / 25.4
"""How finely curves are drawn out where the file names no unit: a unit may be an inch."""
MOST_POINTS = 400_000
PAINTED_ON = 0.9
"""Where so many areas lie on pieces that are drawn round in lines, none of them is a piece."""
ROUND_IN_WORDS, SHAPES_IN_WORDS = 0.2, 4
"""No more of the areas that words are made of are round, as dots are; and they are of so many shapes."""
SAME_POINT = 1e-8
"""A closed line that ends where it began repeats that point; in the file's own units."""

# What a layer's name or words in it usually mean; the first that fits is suggested, the user decides.
MEANS: tuple[tuple[Use, tuple[str, ...]], ...] = (
    (
        "leave out",
        (
            "text",
            "label",
            "note",
            "dim",
            "title",
            "frame",
            "border",
            "grid",
            "defpoints",
            "guide",
            "stamp",
            "grain",
            "prick",
            "finished",
        ),
    ),
    ("stitch", ("stitch", "sew", "seam", "thread")),
    ("window", ("window", "inner", "inside", "cutout", "opening")),
    ("hole", ("hole", "punch", "drill", "rivet", "snap", "slot")),
    ("fold", ("fold", "crease", "bend", "centre", "center")),
    ("skive", ("skive", "bevel", "thin")),
    # Before glue: a placement has cement in it.
    ("place", ("place", "position", "overlay", "align")),
    ("glue", ("glue", "cement")),
)


@dataclass(frozen=True, eq=False)
class Stroke:
    """A line of a drawing: points ``(n, 2)`` in the file's units, y downward; a closed one does not repeat
    its first point. ``name`` is what the file calls it, if anything; ``broken``: drawn in dashes or dots;
    ``filled``: an area that is painted, with no line round it; ``pointed``: with an arrow's head.
    """

    points: NDArray[np.float64]
    closed: bool
    layer: str
    colour: str
    name: str = ""
    broken: bool = False
    filled: bool = False
    pointed: bool = False


@dataclass(frozen=True)
class Label:
    """Words in a drawing and where they stand."""

    text: str
    x: float
    y: float
    layer: str


@dataclass(frozen=True)
class Layer:
    """A layer (or a colour on it): how many strokes, how many closed, and what it is likely for."""

    name: str
    colour: str
    strokes: int
    closed: int
    labels: int
    suggested: Use


@dataclass(frozen=True, eq=False)
class Drawing:
    """Everything drawn in a file.

    ``unit_mm`` is mm per unit, None where the file does not say; ``notes`` tell what was left out.
    """

    strokes: tuple[Stroke, ...]
    labels: tuple[Label, ...]
    unit_mm: float | None
    unit_says: str
    notes: tuple[str, ...] = ()

    @property
    def layers(self) -> tuple[Layer, ...]:
        """The layers in the order they first appear."""
        lines: dict[str, list[Stroke]] = {}
        words: dict[str, int] = {}
        for stroke in self.strokes:
            lines.setdefault(stroke.layer, []).append(stroke)
        for label in self.labels:
            words[label.layer] = words.get(label.layer, 0) + 1
        painted = _painted_on(lines)
        out = []
        for name in dict.fromkeys([*lines, *words]):
            own = lines.get(name, [])
            out.append(
                Layer(
                    name,
                    own[0].colour if own else "",
                    len(own),
                    sum(s.closed for s in own),
                    words.get(name, 0),
                    _use_of(name, own, name in painted),
                )
            )
        return tuple(out)

    @property
    def span(self) -> tuple[float, float]:
        """Width and height in the file's units."""
        if not self.strokes:
            return 0.0, 0.0
        points = np.concatenate([s.points for s in self.strokes])
        w, h = np.ptp(points, axis=0)
        return float(w), float(h)


def _use_of(layer: str, strokes: Sequence[Stroke], painted: bool) -> Use:
    """What a layer is likely for: by its name, else broken lines are sewn, what is ``painted`` on pieces is
    left out and others are cut.
    """
    if not strokes:
        return "leave out"
    by_name = suggested_use(layer)
    if by_name != "outline":
        return by_name
    return "leave out" if painted else "stitch" if all(s.broken for s in strokes) else "outline"


def _painted_on(lines: Mapping[str, Sequence[Stroke]]) -> set[str]:
    """Which layers hold nothing but areas that are painted on what others draw round in lines, of shapes as
    many as words have: one shape again and again, and round ones, are holes.
    """
    edged = [
        Polygon(s.points)
        for own in lines.values()
        for s in own
        if s.closed and not s.filled and len(s.points) > 2
    ]
    tree = STRtree(edged)
    out = set()
    for name, own in lines.items():
        areas = [Polygon(s.points) for s in own if s.filled and len(s.points) > 2]
        if not edged or not areas or len(areas) < len(own):
            continue
        on = np.unique(tree.query([Point(s.points[0]) for s in own], predicate="within")[0])
        like_words = sum(radius_of(s.points) is not None for s in own) <= ROUND_IN_WORDS * len(own) and (
            how_many_shapes(areas) >= min(SHAPES_IN_WORDS, len(own))
        )
        if len(on) >= PAINTED_ON * len(own) and like_words:
            out.add(name)
    return out


def suggested_use(layer: str) -> Use:
    """Return what a layer is likely for, by its name; outlines where the name says nothing."""
    name = layer.lower()
    return next((use for use, words in MEANS if any(w in name for w in words)), "outline")


def sound_drawing(
    strokes: Sequence[Stroke],
    labels: Sequence[Label],
    unit_mm: float | None,
    unit_says: str,
    notes: Sequence[str],
) -> Drawing:
    """Return a drawing without strokes of no length.

    Raises BadPattern where nothing is drawn, or more than can be handled.
    """
    kept = []
    for s in strokes:
        points = s.points
        if not np.isfinite(points.sum()):
            points = points[np.isfinite(points).all(axis=1)]
        if len(points) > 1 and s.closed and abs(points[0] - points[-1]).max() <= SAME_POINT:
            points = points[:-1]
        if len(points) > 1 and (points != points[0]).any():
            kept.append(replace(s, points=np.asarray(points, np.float64)))
    if not kept:
        raise BadPattern(
            "nothing is drawn in this file"
            + (f" but words ({', '.join(w.text for w in labels[:3])})" if labels else ""),
            value=0,
            expected="outlines as lines, curves or polylines",
        )
    if sum(len(s.points) for s in kept) > MOST_POINTS:
        raise BadPattern(
            f"this file has more than {MOST_POINTS} points",
            value=len(kept),
            expected="a pattern, not a scanned picture traced by machine",
        )
    return Drawing(tuple(kept), tuple(labels), unit_mm, unit_says, tuple(dict.fromkeys(notes)))
