"""Which way the grain runs, as drawings show it: arrows, lines that words call the grain, and layers of that
name.
"""

from __future__ import annotations

import itertools
import re
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from shapely import STRtree
from shapely.geometry import LineString, Point

from fairlay.core.formats.drawing import Label, Stroke
from fairlay.core.formats.words_on import MEASURE

LEAST_MM = 12.0
"""A shorter line shows no way."""
MOST_POINTS = 8
"""An arrow drawn in one stroke has no more."""
TIP_MM = 0.6
BARB_DEG = (8.0, 65.0)
"""How far a barb stands off the shaft."""
BARB_SHARE = 0.4
"""A barb is shorter than this share of the shaft."""
CALLED_MM = 15.0
"""Words this near to a line may call it the grain, or say how long something is."""
GRAIN = re.compile(r"\bgrain\b|\bbackbone\b", re.IGNORECASE)


@dataclass(frozen=True)
class GrainLine:
    """A line along the grain, in mm as the drawing lies; ``called``: by its layer, or by words beside it."""

    line: LineString
    called: bool

    @property
    def deg(self) -> float:
        """The way of it, over -90 and up to 90: either end may be the neck's."""
        (ax, ay), *_, (bx, by) = self.line.coords
        deg = float(np.degrees(np.arctan2(by - ay, bx - ax)))
        return 90.0 - (90.0 - deg) % 180.0


def grain_lines(
    drawn: Sequence[Stroke], aside: Sequence[Stroke], labels: Sequence[Label]
) -> tuple[list[GrainLine], set[int]]:
    """Return the lines along the grain among strokes in mm, and which of ``drawn`` they are made of.

    ``drawn`` are outlines, ``aside`` what is left out; ``labels`` stand in mm too. An arrow beside a number
    is a measure, not the grain.
    """
    points = [Point(w.x, w.y) for w in labels]
    calling = [p for p, w in zip(points, labels, strict=True) if GRAIN.search(w.text)]
    measuring = [p for p, w in zip(points, labels, strict=True) if MEASURE.fullmatch(w.text)]
    out: list[GrainLine] = []
    taken: set[int] = set()
    strokes = [*drawn, *aside]
    for shaft, of in _arrows(strokes):
        called = any(shaft.dwithin(p, CALLED_MM) for p in calling)
        if called or not any(shaft.dwithin(p, CALLED_MM) for p in measuring):
            out.append(GrainLine(shaft, called))
            taken |= of
    for i, s in enumerate(strokes):
        named = "grain" in s.layer.lower()
        if s.closed or i in taken or not (named or (calling and len(s.points) == 2)):
            continue
        line = LineString(s.points)
        if line.length >= LEAST_MM and (named or any(line.dwithin(p, CALLED_MM) for p in calling)):
            out.append(GrainLine(line if len(s.points) == 2 else _longest(s.points), True))
            taken.add(i)
    return out, taken & set(range(len(drawn)))


def _longest(points: NDArray[np.float64]) -> LineString:
    """The longest side of a line."""
    k = int(np.hypot(*np.diff(points, axis=0).T).argmax())
    return LineString(points[k : k + 2])


@dataclass(frozen=True)
class _Side:
    """A side of a stroke, from one of its ends to the other."""

    stroke: int
    at: NDArray[np.float64]
    to: NDArray[np.float64]


def _arrows(strokes: Sequence[Stroke]) -> list[tuple[LineString, set[int]]]:
    """Shafts with barbs on both sides at one end or both, or a head that the file gives them, and the strokes
    that each arrow is made of.
    """
    sides: list[_Side] = []
    for i, s in enumerate(strokes):
        if len(s.points) > MOST_POINTS:
            continue
        ends = np.concatenate([s.points, s.points[:1]]) if s.closed else s.points
        for a, b in itertools.pairwise(ends):
            sides += [_Side(i, a, b), _Side(i, b, a)]
    tree = STRtree([Point(s.at) for s in sides])

    def at(place: NDArray[np.float64]) -> list[int]:
        return [int(k) for k in tree.query(Point(place), predicate="dwithin", distance=TIP_MM)]

    found: dict[tuple[float, ...], tuple[LineString, set[int]]] = {}
    for shaft in sides:
        way = shaft.at - shaft.to
        length = float(np.hypot(*way))
        if length < LEAST_MM or strokes[shaft.stroke].closed:
            continue
        barbs: dict[bool, set[int]] = {}
        for k in at(shaft.to):
            barb = sides[k]
            away = barb.to - barb.at
            far = float(np.hypot(*away))
            if not 0.0 < far <= BARB_SHARE * length:
                continue
            off = float(np.degrees(np.arctan2(way[0] * away[1] - way[1] * away[0], way @ away)))
            # What goes on from its far end is an outline's corner; a head that is filled is closed.
            goes_on = any(sides[j].stroke != barb.stroke for j in at(barb.to))
            if BARB_DEG[0] <= abs(off) <= BARB_DEG[1] and not goes_on:
                barbs.setdefault(off > 0, set()).add(barb.stroke)
        if len(barbs) == 2 or (strokes[shaft.stroke].pointed and len(strokes[shaft.stroke].points) == 2):
            key = tuple(np.sort(np.round([*shaft.at, *shaft.to], 3)))
            line, of = found.get(key, (LineString([shaft.at, shaft.to]), {shaft.stroke}))
            found[key] = line, of.union(*barbs.values())
    return list(found.values())
