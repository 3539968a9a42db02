"""What a sheet has beside its pieces: a grid of squares, a square to measure the print by, a title block."""

from __future__ import annotations

import re
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray
from shapely.geometry import Polygon

from fairlay.core.formats.drawing import Stroke

LEAST_GRID_LINES = 6
"""Fewer lines at one distance are folds, or straps."""
ACROSS = 0.9
"""Lines of a grid reach so far along the longest of them."""
EVEN = 0.03
"""How far a grid's distances may differ, as a share of them."""
TRUE_RECTANGLE = 0.995
TRUE_SQUARE = 0.01
MEASURED_BY = re.compile(r"\b(test|scale|calibrat\w*|check\w*|print\w*|control)\b", re.IGNORECASE)
TITLE_BLOCK = re.compile(
    r"\s*(sheet|page|scale|date|drawn|checked|approved|title|rev(ision|\.)?|drawing|drg|dwg|project)\b",
    re.IGNORECASE,
)


def grid_lines(strokes: Sequence[Stroke]) -> set[int]:
    """Return which strokes are the lines of a grid: straight, open, all across at one distance from each
    other, upright or level.
    """
    straight = [i for i, s in enumerate(strokes) if not s.closed and len(s.points) == 2]
    if len(straight) < 2 * LEAST_GRID_LINES:
        return set()
    ends = np.array([strokes[i].points for i in straight])
    way = np.abs(ends[:, 1] - ends[:, 0])
    lines, spans = [], []
    for along in (0, 1):
        level = np.flatnonzero(way[:, 1 - along] <= 1e-3 * way[:, along])
        if len(level):
            level = level[way[level, along] >= ACROSS * way[level, along].max()]
        places = ends[level, :, 1 - along].mean(axis=1)
        even = _evenly(places)
        if len(np.unique(places[even].round(3))) < LEAST_GRID_LINES:
            return set()
        lines.append(level[even])
        spans.append((float(way[level[even], along].min()), float(np.ptp(places[even]))))
    (level_long, level_high), (upright_long, upright_wide) = spans
    if level_long < ACROSS * upright_wide or upright_long < ACROSS * level_high:
        return set()
    return {straight[int(k)] for own in lines for k in own}


def _evenly(places: NDArray[np.float64]) -> NDArray[np.int64]:
    """Which of some places are at one distance from the next, or at some times that."""
    order = np.argsort(places)
    steps = np.diff(places[order])
    apart = steps[steps > 1e-3]
    if not len(apart):
        return np.empty(0, np.int64)
    off = np.abs(steps / np.median(apart) - np.round(steps / np.median(apart)))
    even = np.concatenate([[True], off <= EVEN]) & np.concatenate([off <= EVEN, [True]])
    return np.asarray(order[even], np.int64)


def of_the_sheet(outlines: Sequence[Polygon], words: Sequence[Sequence[str]]) -> set[int]:
    """Return which outlines are no pieces but squares to measure a print by, or boxes of a title block: by
    their shape and the ``words`` on each, and what stands box to box with them.
    """
    boxes = {i: size for i, own in enumerate(outlines) if (size := _box_mm(own)) is not None}
    out = {i for i, size in boxes.items() if _says_sheet(size, words[i])}
    large = 2.0 * max((outlines[i].area for i in out), default=0.0)
    may = {i for i in boxes if outlines[i].area <= large}
    while more := {i for i in may - out if any(outlines[i].touches(outlines[j]) for j in out)}:
        out |= more
    return out


def _box_mm(outline: Polygon) -> tuple[float, float] | None:
    """The sides of a rectangle; None for what is none."""
    box = outline.minimum_rotated_rectangle
    if outline.area < TRUE_RECTANGLE * box.area:
        return None
    corners = np.asarray(box.exterior.coords)
    a, b = (float(np.hypot(*(corners[k + 1] - corners[k]))) for k in (0, 1))
    return a, b


def _says_sheet(size: tuple[float, float], words: Sequence[str]) -> bool:
    square = abs(size[0] - size[1]) <= TRUE_SQUARE * size[0]
    return any(TITLE_BLOCK.match(w) or (square and MEASURED_BY.search(w)) for w in words)
