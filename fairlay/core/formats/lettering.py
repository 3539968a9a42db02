"""Words that a program drew as outlines: closed contours like letters in a row, which nobody cuts."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Sequence

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely import STRtree
from shapely.geometry import Polygon

LETTER_MM, LONE_LETTER_MM = 40.0, 12.0
"""Letters are no larger, on a piece, and beside all pieces, where small pieces might lie in a row."""
LEAST_LETTER_MM = 0.8
LEAST_LETTERS, LEAST_LONE_LETTERS, MOST_LETTERS = 3, 4, 1_500
SHARE_OF_PIECE = 0.08
"""What takes more of the piece it lies on is no letter."""
SPACED = 1.1
"""Letters of a word stand no farther apart than this share of the larger's size, the gap between words
included.
"""
ALIKE = 0.04
"""Two contours whose areas and ways round differ by less may be the same letter, or the same slot."""
ON_LINE, LINED_UP = 0.15, 0.7
"""Letters stand on a line, or hang from one, within this share of the tallest; so many of a row do."""
MOST_LINES, LETTERS_EACH = 3, 6
"""They stand on so many lines, more where there are so many letters to each."""
THROUGH_ALL = 0.25
WORDS_APART, MOST_TALL = 1.2, 1.5
"""What stands no farther from a row than this share of its tallest letter, and is not much taller, belongs to
it.
"""
ABOUT = np.radians(np.arange(-8.0, 9.0))
"""Where middles of letters lie tells the way of a line to within this."""
DOT = 0.35
"""A dot is smaller than this share of the tallest letter."""


def letters(
    polygons: Sequence[Polygon],
    inside: Sequence[set[int]],
    punched: Collection[int] = (),
    but: Collection[int] = (),
) -> set[int]:
    """Return which contours are letters drawn as outlines, with what lies in them.

    ``inside`` says for each which others it lies in; those of ``but`` are none, and what could be ``punched``
    is a dot at most. A row is three or more (four beside all pieces) that stand close and on one line, and
    are not one shape again and again.
    """
    size = [max(p.bounds[2] - p.bounds[0], p.bounds[3] - p.bounds[1]) for p in polygons]
    standing: dict[int, list[int]] = {}
    for i, s in enumerate(size):
        if not LEAST_LETTER_MM <= s <= LETTER_MM or i in but or i in punched:
            continue
        on = min((j for j in inside[i] if j not in but), key=lambda j: polygons[j].area, default=None)
        if on is None and s <= LONE_LETTER_MM:
            standing.setdefault(-1, []).append(i)
        elif on is not None and polygons[i].area <= SHARE_OF_PIECE * polygons[on].area:
            standing.setdefault(on, []).append(i)
    out: set[int] = set()
    for on, own in standing.items():
        for row in _close(own, polygons, size):
            if not (LEAST_LONE_LETTERS if on < 0 else LEAST_LETTERS) <= len(row) <= MOST_LETTERS:
                continue
            counters = {i for i, about in enumerate(inside) if about & set(row) and i not in but}
            # Three shapes are a word, two where letters have holes.
            differ = how_many_shapes(polygons[i] for i in row) >= (2 if counters else 3)
            if differ and _on_lines(row, polygons, bool(counters)):
                out |= _whole_text(row, own, polygons, inside, size, punched)
    return out - set(but)


def _whole_text(
    row: Sequence[int],
    own: Sequence[int],
    polygons: Sequence[Polygon],
    inside: Sequence[set[int]],
    size: Sequence[float],
    punched: Collection[int],
) -> set[int]:
    """Return a row of letters with what stands near it on the same piece, the dots, and what lies in it."""
    tall = max(size[i] for i in row)
    text = set(row)
    may = {i for i in own if size[i] <= MOST_TALL * tall}
    more = text
    while more and (left := sorted(may - text)):
        tree = STRtree([polygons[i] for i in more])
        near = tree.query([polygons[i] for i in left], predicate="dwithin", distance=WORDS_APART * tall)[0]
        more = {left[int(k)] for k in near}
        text |= more
    round_it = shapely.box(*shapely.total_bounds([polygons[i] for i in text])).buffer(tall / 8)
    dots = {i for i in punched if size[i] < DOT * tall and round_it.contains(polygons[i])}
    return text | dots | {i for i, about in enumerate(inside) if about & text}


def _close(own: Sequence[int], polygons: Sequence[Polygon], size: Sequence[float]) -> list[list[int]]:
    """Contours in groups that stand close to each other."""
    tree = STRtree([polygons[i] for i in own])
    group = list(range(len(own)))

    def first(k: int) -> int:
        while group[k] != k:
            k = group[k]
        return k

    for a, i in enumerate(own):
        for b in tree.query(polygons[i], predicate="dwithin", distance=SPACED * size[i]).tolist():
            group[first(b)] = first(a)
    out: dict[int, list[int]] = {}
    for k, i in enumerate(own):
        out.setdefault(first(k), []).append(i)
    return list(out.values())


def how_many_shapes(polygons: Iterable[Polygon]) -> int:
    """Return how many shapes some contours have, however they are turned: by area and way round alone."""
    shapes: list[tuple[float, float]] = []
    for p in polygons:
        area, way = p.area, p.length
        if not any(abs(area - a) <= ALIKE * a and abs(way - w) <= ALIKE * w for a, w in shapes):
            shapes.append((area, way))
    return len(shapes)


def _on_lines(row: Sequence[int], polygons: Sequence[Polygon], counters: bool) -> bool:
    """Whether most of a row's contours stand on a line, or hang from one, or on several lines of words: along
    the row, as neighbours lie or as the sheet does. Where there are ``counters`` it is enough that one
    line goes through them all.
    """
    points = [shapely.get_coordinates(polygons[i]) for i in row]
    middles = np.array([p.mean(axis=0) for p in points])
    along = np.linalg.svd(middles - middles.mean(axis=0), full_matrices=False)[2][0]
    far = np.hypot(*(middles[:, None] - middles[None]).transpose(2, 0, 1)) + np.diag(
        np.full(len(row), np.inf)
    )
    # Which of two ways a neighbour lies does not count: angles are doubled.
    to_next = (middles[far.argmin(axis=1)] - middles) @ np.array([1.0, 1j])
    about = np.angle([complex(*along), np.sqrt(np.sum(to_next**2 / np.maximum(np.abs(to_next), 1e-9)))])
    for turn in (0.0, np.pi / 2, *(about[:, None] + ABOUT).ravel()):
        heights = [p @ np.array([-np.sin(turn), np.cos(turn)]) for p in points]
        spans = np.array([(h.min(), h.max()) for h in heights])
        tall = float((spans[:, 1] - spans[:, 0]).max())
        if any(_lined_up(np.sort(edges), ON_LINE * tall) >= LINED_UP * len(row) for edges in spans.T):
            return True
        if counters and spans[:, 1].min() - spans[:, 0].max() >= THROUGH_ALL * tall:
            return True
    return False


def _lined_up(edges: NDArray[np.float64], within: float) -> int:
    """How many of some heights, in order, lie within so much of others: on the best lines, each of three or
    more.
    """
    on_lines = 0
    for _ in range(max(MOST_LINES, len(edges) // LETTERS_EACH)):
        until = np.searchsorted(edges, edges + within, side="right")
        counts = until - np.arange(len(edges))
        if not len(edges) or counts.max() < LEAST_LETTERS:
            break
        best = int(counts.argmax())
        on_lines += int(counts[best])
        edges = np.delete(edges, np.arange(best, until[best]))
    return on_lines
