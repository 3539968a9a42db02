"""The cuts of a hide: every edge of every piece once, an edge that two pieces share as one cut, and straight
cuts that lie on one line as one stroke along the rule.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from typing import Final

import numpy as np
from shapely import STRtree
from shapely.geometry import LineString
from shapely.geometry.base import BaseGeometry

from fairlay.core.cutting.sides import Points, sides_of
from fairlay.core.lay.lay import Job, Placement
from fairlay.core.shapes.placing import place_points, place_region

NEAR_MM: Final = 0.3
"""Edges nearer than this are one cut: less than a knife's own line, and more than lays run into each other.
"""
PARALLEL_DEG: Final = 0.4
LEAST_SHARED_MM: Final = 3.0
JOIN_MM: Final = 40.0
"""A stroke goes on along the rule through so much waste."""
DEEP_MM: Final = 0.3
"""What lies deeper in a piece than this is cut into."""
Key = tuple[str, int]


@dataclass(frozen=True, eq=False)
class Cut:
    """One cut, ``line`` ``(n, 2)`` in mm on the hide. ``pieces`` are those whose edge it is, one or two.
    ``waste`` is the side of it, looking along the line, where what falls away lies: the knife is kept to it.
    """

    number: int
    pieces: tuple[Key, ...]
    line: Points
    kind: str
    waste: str
    closed: bool = False

    @property
    def length_mm(self) -> float:
        return float(np.hypot(*np.diff(self.line, axis=0).T).sum())


@dataclass(frozen=True, eq=False)
class Stroke:
    """Cuts made in one go, in order: one curve, or straight cuts along one laying of the rule. ``line`` is
    the whole way of the knife; ``short`` says at which of its ends it must stop short, for it would run into
    leather that is wanted.
    """

    cuts: tuple[Cut, ...]
    line: Points
    short: tuple[bool, bool]

    @property
    def straight(self) -> bool:
        return self.cuts[0].kind == "straight"

    @property
    def length_mm(self) -> float:
        return float(np.hypot(*np.diff(self.line, axis=0).T).sum())


@dataclass(frozen=True, eq=False)
class _Edge:
    """A straight side of a piece that lies, from ``a`` to ``b``."""

    owner: int
    a: Points
    b: Points

    @property
    def length(self) -> float:
        return math.dist(self.a, self.b)

    @property
    def way(self) -> Points:
        return (self.b - self.a) / self.length


def cuts_of(job: Job, placements: Sequence[Placement]) -> list[Cut]:
    """Return the cuts of what lies on a hide: curves and windows by piece, straight sides parted where a
    neighbour's edge lies on them; what two share is one cut.
    """
    edges: list[_Edge] = []
    out: list[Cut] = []
    for i, p in enumerate(placements):
        piece = job.pieces_by_id[p.piece]
        key = (p.piece, p.copy)
        for k, ring in enumerate((piece.outline, *piece.holes)):
            placed = _piece_left(place_points(ring, p.at), hole=k > 0)
            for side in sides_of(placed):
                if side.straight and k == 0:
                    edges.append(_Edge(i, side.line[0], side.line[-1]))
                else:
                    kind = "window" if k else "straight" if side.straight else "curve"
                    out.append(Cut(0, (key,), side.line, kind, "right", side.closed))
    keys = [(p.piece, p.copy) for p in placements]
    for edge, parts in zip(edges, _parted(edges), strict=True):
        for lo, hi, other in parts:
            if other is not None and other < edge.owner:
                continue
            line = np.stack([edge.a + edge.way * lo, edge.a + edge.way * hi])
            owners = (keys[edge.owner],) if other is None else (keys[edge.owner], keys[other])
            out.append(Cut(0, owners, line, "straight", "right" if other is None else "none"))
    return [replace(cut, number=n) for n, cut in enumerate(out)]


def _piece_left(ring: Points, hole: bool) -> Points:
    """A ring in the order that has the piece on its left (in x, y as they are reckoned with)."""
    x, y = ring[:, 0], ring[:, 1]
    area = float((x * np.roll(y, -1) - np.roll(x, -1) * y).sum())
    return ring if (area > 0) != hole else ring[::-1]


def _parted(edges: Sequence[_Edge]) -> Iterator[list[tuple[float, float, int | None]]]:
    """Each edge in parts (from, to, whose edge it is as well), in mm along it."""
    lines = [LineString([e.a, e.b]) for e in edges]
    tree = STRtree(lines)
    for k, edge in enumerate(edges):
        shared: list[tuple[float, float, int]] = []
        for j in tree.query(lines[k].buffer(NEAR_MM)):
            other = edges[int(j)]
            if other.owner == edge.owner or float(edge.way @ other.way) > -math.cos(
                math.radians(PARALLEL_DEG)
            ):
                continue
            at = [(q - edge.a) @ edge.way for q in (other.a, other.b)]
            lo, hi = max(0.0, float(min(at))), min(edge.length, float(max(at)))
            if hi - lo < LEAST_SHARED_MM:
                continue
            off = [abs(_across(edge, other.a + other.way * t)) for t in _over(other, edge, lo, hi)]
            if max(off) <= NEAR_MM:
                shared.append((lo, hi, other.owner))
        yield _in_parts(edge.length, sorted(shared))


def _across(edge: _Edge, point: Points) -> float:
    d = point - edge.a
    return float(edge.way[0] * d[1] - edge.way[1] * d[0])


def _over(other: _Edge, edge: _Edge, lo: float, hi: float) -> list[float]:
    """Where on another edge the ends of a stretch of this one are."""
    ends = (edge.a + edge.way * lo, edge.a + edge.way * hi)
    return [min(other.length, max(0.0, float((q - other.a) @ other.way))) for q in ends]


def _in_parts(
    length: float, shared: Sequence[tuple[float, float, int]]
) -> list[tuple[float, float, int | None]]:
    out: list[tuple[float, float, int | None]] = []
    at = 0.0
    for lo, hi, other in shared:
        start = max(lo, at)
        if start - at > NEAR_MM:
            out.append((at, start, None))
        else:
            start = at
        if hi - start > NEAR_MM:
            out.append((start, hi, other))
            at = hi
    if length - at > NEAR_MM:
        out.append((at, length, None))
    elif out:
        out[-1] = (out[-1][0], length, out[-1][2])
    return out or [(0.0, length, None)]


class Pieces:
    """What lies on a hide, to be asked what a line would cut into."""

    def __init__(self, job: Job, placements: Sequence[Placement]) -> None:
        self.shapes: list[BaseGeometry] = [
            place_region(job.pieces_by_id[p.piece].region.buffer(-DEEP_MM), p.at) for p in placements
        ]
        self.tree = STRtree(self.shapes)

    def crossed_by(self, line: Points) -> bool:
        """Whether a line goes through a piece."""
        own = LineString(line)
        return any(self.shapes[int(k)].intersects(own) for k in self.tree.query(own))


def strokes_of(cuts: Sequence[Cut], pieces: Pieces, *, overrun_mm: float = 4.0) -> list[Stroke]:
    """Return cuts as strokes: straight ones on one line joined where a rule can lie, each no farther apart
    than ``JOIN_MM`` of waste. ``overrun_mm`` is how far a knife runs on past a corner.
    """
    lined = [c for c in cuts if c.kind == "straight" and not c.closed]
    out = [Stroke((c,), c.line, (False, False)) for c in cuts if c.kind != "straight" or c.closed]
    groups: dict[tuple[int, int], list[Cut]] = {}
    for cut in lined:
        groups.setdefault(_line_of(cut), []).append(cut)
    for near in _merged(groups):
        out += _joined(near, pieces)
    return [replace(s, short=_stops_short(s, pieces, overrun_mm)) for s in out]


def _line_of(cut: Cut) -> tuple[int, int]:
    """A coarse name of the line that a straight cut lies on: cuts on one line have the same or the next."""
    way = cut.line[-1] - cut.line[0]
    turn = math.degrees(math.atan2(way[1], way[0])) % 180.0
    normal = np.array([-math.sin(math.radians(turn)), math.cos(math.radians(turn))])
    return round(turn / 2.0) % 90, round(float(cut.line[0] @ normal) / 8.0)


def _merged(groups: dict[tuple[int, int], list[Cut]]) -> Iterator[list[Cut]]:
    """Cuts that truly lie on one line, by walking each coarse group and its neighbours."""
    left = {c.number: c for own in groups.values() for c in own}
    by_group = {c.number: g for g, own in groups.items() for c in own}
    while left:
        number, first = next(iter(left.items()))
        del left[number]
        line, todo = [first], [first]
        while todo:
            cut = todo.pop()
            turn, off = by_group[cut.number]
            near = [
                c
                for dt in (-1, 0, 1)
                for do in (-1, 0, 1)
                for c in groups.get(((turn + dt) % 90, off + do), ())
                if c.number in left and _on_one_line(first, c)
            ]
            for c in near:
                left.pop(c.number, None)
                line.append(c)
                todo.append(c)
        yield line


def _on_one_line(a: Cut, b: Cut) -> bool:
    way = (a.line[-1] - a.line[0]) / a.length_mm
    d = b.line - a.line[0]
    return bool(np.abs(way[0] * d[:, 1] - way[1] * d[:, 0]).max() <= NEAR_MM)


def _joined(line: Sequence[Cut], pieces: Pieces) -> Iterator[Stroke]:
    """Cuts of one line as strokes, from one end to the other."""
    first = line[0]
    way = (first.line[-1] - first.line[0]) / first.length_mm
    placed = sorted(line, key=lambda c: min(float((q - first.line[0]) @ way) for q in c.line))
    run: list[Cut] = []
    end = -math.inf
    for cut in placed:
        lo, hi = sorted(float((q - first.line[0]) @ way) for q in cut.line)
        gap = np.stack([first.line[0] + way * end, first.line[0] + way * lo]) if run else None
        if (
            run
            and gap is not None
            and (lo - end > JOIN_MM or (lo - end > NEAR_MM and pieces.crossed_by(gap)))
        ):
            yield _stroke(run, way)
            run = []
        run.append(cut)
        end = max(end, hi) if len(run) > 1 else hi
    if run:
        yield _stroke(run, way)


def _stroke(cuts: Sequence[Cut], way: Points) -> Stroke:
    ends = np.concatenate([c.line for c in cuts])
    along = ends @ way
    return Stroke(tuple(cuts), np.stack([ends[along.argmin()], ends[along.argmax()]]), (False, False))


def _stops_short(stroke: Stroke, pieces: Pieces, overrun_mm: float) -> tuple[bool, bool]:
    if stroke.cuts[0].closed:
        return False, False
    line = stroke.line
    return tuple(
        pieces.crossed_by(np.stack([end, end + _unit(end - before) * overrun_mm]))
        for end, before in ((line[0], line[1]), (line[-1], line[-2]))
    )  # type: ignore[return-value]


def _unit(way: Points) -> Points:
    return way / max(float(np.hypot(*way)), 1e-9)
