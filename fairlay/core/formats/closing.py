"""Closed rings of strokes: doubles dropped, ends joined, near-closed contours closed, crossings resolved."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from shapely import STRtree
from shapely.geometry import LineString, Polygon

from fairlay.core.errors import FairLayError
from fairlay.core.formats.crossing import MOST_CROSSING, at_junctions, faces
from fairlay.core.formats.drawing import Stroke
from fairlay.core.formats.joining import Ends, Line, apart, joined, ring_of
from fairlay.core.shapes.rings import Ring, clean_ring
from fairlay.core.tolerances import JOIN_MM, MIN_PIECE_AREA_MM2

DOUBLE_CELL_MM = 0.2
SIDES_MM = 0.02
"""Two rings nowhere nearer than this to each other were not drawn as one."""


@dataclass(frozen=True)
class Gap:
    """A place where a contour was not closed, or strokes did not meet: how wide the gap, and whether it was
    closed.
    """

    x: float
    y: float
    mm: float
    closed: bool


class Closing:
    """The rings of one drawing as they are closed: where there were gaps, what stays open, and what was
    done, in words.
    """

    def __init__(self, near_closed_mm: float) -> None:
        self.near = near_closed_mm
        self.gaps: list[Gap] = []
        self.open: list[Line] = []
        self.notes: list[str] = []

    def rings(self, strokes: Sequence[Stroke], what: str) -> list[Ring]:
        """Closed rings of strokes: doubles dropped, ends joined."""
        kept = self.without_doubles(strokes, what)
        lines = [s.points for s in kept if not s.closed]
        out: list[Ring] = []
        for ring in [s.points for s in kept if s.closed] + self.chained(lines):
            try:
                clean = clean_ring(ring, what)
            except FairLayError as error:
                if abs(
                    Polygon(ring).area if len(ring) > 3 else 0.0
                ) >= MIN_PIECE_AREA_MM2 or "crosses" in str(error):
                    x, y = ring[0]
                    self.notes.append(f"A contour near x {x:.0f}, y {y:.0f} mm was left out: {error}")
                    self.open.append(np.asarray(ring))
                continue
            out.append(clean)
        return self.without_double_rings(out, what)

    def without_doubles(self, strokes: Sequence[Stroke], what: str) -> list[Stroke]:
        kept: list[Stroke] = []
        near: dict[tuple[int, int], list[Stroke]] = {}
        doubles = 0
        for s in strokes:
            col, row = (int(v // DOUBLE_CELL_MM) for v in s.points.min(axis=0))
            about = [o for c in (-1, 0, 1) for r in (-1, 0, 1) for o in near.get((col + c, row + r), ())]
            if any(s.closed == o.closed and _same(s.points, o.points, s.closed) for o in about):
                doubles += 1
                continue
            kept.append(s)
            near.setdefault((col, row), []).append(s)
        if doubles:
            self.notes.append(
                f"{doubles} {what} {'line was' if doubles == 1 else 'lines were'} drawn twice; one of each "
                "was kept."
            )
        return kept

    def without_double_rings(self, rings: list[Ring], what: str) -> list[Ring]:
        polygons = [Polygon(r) for r in rings]
        areas = np.array([p.area for p in polygons])
        out: list[Ring] = []
        dropped: set[int] = set()
        tree = STRtree(polygons)
        for i, own in enumerate(polygons):
            if i in dropped:
                continue
            out.append(rings[i])
            # What covers its middle and is as large may be the same again.
            for j in (int(k) for k in tree.query(own.representative_point(), predicate="intersects")):
                if j <= i or j in dropped or abs(areas[j] - areas[i]) >= 0.02 * areas[i]:
                    continue
                # One all within the other is no double but the other side of a broad line.
                apart_mm = own.exterior.distance(polygons[j].exterior)
                if apart_mm < SIDES_MM and polygons[j].symmetric_difference(own).area < 0.01 * areas[i]:
                    dropped.add(j)
                    self.notes.append(f"An {what} lies twice upon itself; one was kept.")
        return out

    def chained(self, lines: list[Line]) -> list[Ring]:
        """Open lines joined end to end, nearest ends first; those that close within the tolerance. Where more
        than two meet, and where what stays open crosses, what they enclose.
        """
        out: list[Ring] = []
        if len(lines) <= MOST_CROSSING:
            crowded = at_junctions(lines)
            out, left = faces([lines[k] for k in crowded], self.near)
            if out:
                self.notes.append(
                    f"More than two lines meet at a corner; what they enclose was taken: {len(out)} "
                    f"{'outline' if len(out) == 1 else 'outlines'}."
                )
                apart_from = set(crowded)
                lines = [line for k, line in enumerate(lines) if k not in apart_from] + left
        open_ones: list[Line] = []
        ends = Ends(lines, self.near)
        for first in range(len(lines)):
            if not ends.is_left(first):
                continue
            ends.take(first)
            chain, turned = np.asarray(lines[first]), False
            while True:
                closing = apart(chain[0], chain[-1]) if len(chain) > 2 else math.inf
                far, backwards, k = ends.nearest(chain[-1])
                if closing <= min(far, self.near):
                    break
                if far <= self.near:
                    ends.take(k)
                    following = lines[k][::-1] if backwards else lines[k]
                    if far > JOIN_MM:
                        self.gaps.append(_gap(chain[-1], far, True))
                    chain = joined(chain, following, self.near)
                elif not turned and ends.nearest(chain[0])[0] <= self.near:
                    chain, turned = chain[::-1], True
                else:
                    break
            closing = apart(chain[0], chain[-1])
            if len(chain) > 2 and closing <= self.near:
                if closing > JOIN_MM:
                    self.gaps.append(_gap(chain[-1], closing, True))
                out.append(ring_of(chain, self.near))
            else:
                open_ones.append(chain)
        if 0 < len(open_ones) <= MOST_CROSSING:
            crossed, open_ones = faces(open_ones, self.near)
            out += crossed
            if crossed:
                self.notes.append(
                    f"Lines run past each other or end on one another; what they enclose was taken: "
                    f"{len(crossed)} {'outline' if len(crossed) == 1 else 'outlines'}."
                )
        self.gaps += [_gap(chain[-1], apart(chain[0], chain[-1]), False) for chain in open_ones]
        self.open += open_ones
        closed = [g for g in self.gaps if g.closed]
        if closed:
            self.notes.append(
                f"{len(closed)} {'gap' if len(closed) == 1 else 'gaps'} of up to "
                f"{max(g.mm for g in closed):.2f} mm {'was' if len(closed) == 1 else 'were'} closed; see "
                "where."
            )
        return out

    def tell_open(self) -> None:
        """Say how many lines enclose nothing."""
        unclosed = [g.mm for g in self.gaps if not g.closed]
        if unclosed:
            self.notes.append(
                f"{len(unclosed)} {'line encloses' if len(unclosed) == 1 else 'lines enclose'} nothing: open "
                f"by {min(unclosed):.1f} mm or more."
            )


def _gap(at: Line, mm: float, closed: bool) -> Gap:
    return Gap(round(float(at[0]), 2), round(float(at[1]), 2), round(mm, 2), closed)


def _same(a: Line, b: Line, closed: bool) -> bool:
    if (
        np.abs(a.min(axis=0) - b.min(axis=0)).max() > 0.05
        or np.abs(a.max(axis=0) - b.max(axis=0)).max() > 0.05
    ):
        return False
    la, lb = (LineString(np.concatenate([p, p[:1]]) if closed else p) for p in (a, b))
    return bool(abs(la.length - lb.length) < 0.2 and la.hausdorff_distance(lb) < 0.05)
