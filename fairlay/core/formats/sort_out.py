"""From strokes on layers to pieces: ends joined, doubles dropped, near-closed contours closed, windows and
marks given to their piece.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry import LineString, Point, Polygon

from fairlay.core.errors import BadPattern, FairLayError
from fairlay.core.formats.drawing import Drawing, Stroke, Use
from fairlay.core.pattern.contour import Contour, contour_of
from fairlay.core.pattern.edges import XY, Run, length_mm, line_of
from fairlay.core.pattern.pattern import Mark, slug_of
from fairlay.core.shapes.rings import Ring, clean_ring
from fairlay.core.tolerances import JOIN_MM, MIN_PIECE_AREA_MM2, NEAR_CLOSED_MM

Line = NDArray[np.float64]
THIN_MM = 0.01
"""Points nearer than this to the line between their neighbours are left out."""
ROUND_SHARE = 0.03
"""A closed contour whose points keep the same distance from its middle within 3 % is a punched hole."""


@dataclass(frozen=True)
class Gap:
    """A place where a contour was not closed, or strokes did not meet: how wide the gap, and whether it was
    closed.
    """

    x: float
    y: float
    mm: float
    closed: bool


@dataclass(frozen=True, eq=False)
class FoundPiece:
    """A piece found in a drawing, in mm, moved so that its outline begins at (0, 0); ``at`` is where it was."""

    name: str
    contour: Contour
    windows: tuple[Contour, ...]
    marks: tuple[Mark, ...]
    at: tuple[float, float]


@dataclass(frozen=True, eq=False)
class SortedOut:
    """What a drawing holds: pieces, gaps, lines that enclose nothing (as points), and what was done, in
    words.
    """

    pieces: tuple[FoundPiece, ...]
    gaps: tuple[Gap, ...]
    open_lines: tuple[Line, ...]
    notes: tuple[str, ...]


def sort_out(
    drawing: Drawing, uses: Mapping[str, Use], unit_mm: float, near_closed_mm: float = NEAR_CLOSED_MM
) -> SortedOut:
    """Return the pieces of a drawing. ``uses`` says what each layer is for (a layer not named keeps what is
    suggested).

    Raises BadPattern for a unit that is no length, or a layer that is not in the drawing.
    """
    if not math.isfinite(unit_mm) or unit_mm <= 0:
        raise BadPattern(f"a unit of {unit_mm} mm", value=unit_mm, expected="more than 0 mm")
    names = {layer.name for layer in drawing.layers}
    for name in uses:
        if name not in names:
            raise BadPattern(
                f"there is no layer {name!r} in this drawing", value=name, expected=", ".join(sorted(names))
            )
    chosen: dict[str, Use] = {layer.name: uses.get(layer.name, layer.suggested) for layer in drawing.layers}
    work = _Work(near_closed_mm)
    by_use: dict[Use, list[Stroke]] = {}
    for stroke in drawing.strokes:
        scaled = np.asarray(shapely.get_coordinates(LineString(stroke.points * unit_mm).simplify(THIN_MM)))
        by_use.setdefault(chosen[stroke.layer], []).append(replace(stroke, points=scaled))
    rings = work.rings(by_use.get("outline", []), "outline")
    outlines, windows = work.nest(rings)
    windows += work.rings(by_use.get("window", []), "window")
    pieces = work.pieces(outlines, windows)
    for use in ("stitch", "hole", "fold", "glue", "skive", "place"):
        work.give_marks(pieces, use, by_use.get(use, []))
    work.name(pieces, drawing, chosen, unit_mm)
    found = []
    for i, p in enumerate(pieces):
        x, y = p.polygon.bounds[:2]
        found.append(
            FoundPiece(
                p.name or f"Piece {i + 1}",
                _moved(p.ring, x, y),
                tuple(_moved(w, x, y) for w in p.windows),
                tuple(_mark_moved(m, x, y) for m in p.marks),
                (round(x, 2), round(y, 2)),
            )
        )
    if not found:
        work.notes.insert(
            0, "No closed outline was found: see which layers hold outlines, and where contours are open."
        )
    return SortedOut(tuple(found), tuple(work.gaps), tuple(work.open), tuple(dict.fromkeys(work.notes)))


def _apart(a: Line, b: Line) -> float:
    return float(np.hypot(*(a - b)))


def _gap(at: Line, mm: float, closed: bool) -> Gap:
    return Gap(round(float(at[0]), 2), round(float(at[1]), 2), round(mm, 2), closed)


def _moved(ring: Ring, x: float, y: float) -> Contour:
    return contour_of(ring - np.array([x, y]))


def _mark_moved(m: Mark, x: float, y: float) -> Mark:
    def at(p: XY | None) -> XY | None:
        return None if p is None else XY(round(p.x - x, 3), round(p.y - y, 3))

    run = None if m.run is None else Run(at(m.run.start) or m.run.start, at(m.run.end) or m.run.end)
    return replace(
        m, at=at(m.at), run=run, path=tuple(XY(round(p.x - x, 3), round(p.y - y, 3)) for p in m.path)
    )


class _Piece:
    def __init__(self, ring: Ring) -> None:
        self.ring = ring
        self.polygon = Polygon(ring)
        self.windows: list[Ring] = []
        self.marks: list[Mark] = []
        self.name = ""


class _Work:
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
        ends: list[tuple[Line, bool]] = []
        doubles = 0
        for s in strokes:
            if any(s.closed == closed and _same(s.points, points, s.closed) for points, closed in ends):
                doubles += 1
                continue
            kept.append(s)
            ends.append((s.points, s.closed))
        if doubles:
            self.notes.append(
                f"{doubles} {what} {'line was' if doubles == 1 else 'lines were'} drawn twice; one of each "
                "was kept."
            )
        return kept

    def without_double_rings(self, rings: list[Ring], what: str) -> list[Ring]:
        out: list[Ring] = []
        for ring in rings:
            own = Polygon(ring)
            if any(
                abs(Polygon(r).area - own.area) < 0.02 * own.area
                and Polygon(r).symmetric_difference(own).area < 0.01 * own.area
                for r in out
            ):
                self.notes.append(f"An {what} lies twice upon itself; one was kept.")
                continue
            out.append(ring)
        return out

    def chained(self, lines: list[Line]) -> list[Ring]:
        """Open lines joined end to end, nearest ends first; those that close within the tolerance."""
        left = [np.asarray(line) for line in lines]
        out: list[Ring] = []
        while left:
            chain = left.pop(0)
            while True:
                closing = _apart(chain[0], chain[-1]) if len(chain) > 2 else math.inf
                far, backwards, k = self._nearest(chain[-1], left)
                if closing <= min(far, self.near):
                    break
                if far <= self.near:
                    following = left.pop(k)
                    if far > JOIN_MM:
                        self.gaps.append(_gap(chain[-1], far, True))
                    chain = np.concatenate(
                        [chain, (following[::-1] if backwards else following)[0 if far > JOIN_MM else 1 :]]
                    )
                elif self._nearest(chain[0], left)[0] <= self.near:
                    chain = chain[::-1]
                else:
                    break
            closing = _apart(chain[0], chain[-1])
            if len(chain) > 2 and closing <= self.near:
                if closing > JOIN_MM:
                    self.gaps.append(_gap(chain[-1], closing, True))
                out.append(chain if closing > JOIN_MM else chain[:-1])
            else:
                self.gaps.append(_gap(chain[-1], closing, False))
                self.open.append(chain)
        closed = [g for g in self.gaps if g.closed]
        if closed:
            self.notes.append(
                f"{len(closed)} {'gap' if len(closed) == 1 else 'gaps'} of up to "
                f"{max(g.mm for g in closed):.2f} mm {'was' if len(closed) == 1 else 'were'} closed; see "
                "where."
            )
        unclosed = [g.mm for g in self.gaps if not g.closed]
        if unclosed:
            self.notes.append(
                f"{len(unclosed)} {'line encloses' if len(unclosed) == 1 else 'lines enclose'} nothing: open "
                f"by {min(unclosed):.1f} mm or more."
            )
        return out

    def _nearest(self, end: Line, lines: list[Line]) -> tuple[float, bool, int]:
        best = (math.inf, False, -1)
        for k, line in enumerate(lines):
            for reversed_, point in ((False, line[0]), (True, line[-1])):
                far = _apart(point, end)
                if far < best[0]:
                    best = (far, reversed_, k)
        return best

    def nest(self, rings: list[Ring]) -> tuple[list[Ring], list[Ring]]:
        """Outlines, and the contours inside them, which are their windows; one inside a window is a piece
        again.
        """
        polygons = [Polygon(r) for r in rings]
        depth = [
            sum(
                i != j
                and b.area > a.area
                and b.contains(a.representative_point())
                and b.buffer(0.05).contains(a)
                for j, b in enumerate(polygons)
            )
            for i, a in enumerate(polygons)
        ]
        windows = [r for r, d in zip(rings, depth, strict=True) if d % 2]
        if windows:
            self.notes.append(
                f"{len(windows)} {'contour lies' if len(windows) == 1 else 'contours lie'} inside an outline "
                f"and {'was' if len(windows) == 1 else 'were'} taken as "
                f"{'a window' if len(windows) == 1 else 'windows'}."
            )
        return [r for r, d in zip(rings, depth, strict=True) if d % 2 == 0], windows

    def pieces(self, outlines: list[Ring], windows: list[Ring]) -> list[_Piece]:
        pieces = [_Piece(r) for r in outlines]
        for window in windows:
            round_it = [p for p in pieces if p.polygon.buffer(JOIN_MM).covers(Polygon(window))]
            owner = min(round_it, key=lambda p: p.polygon.area, default=None)
            if owner is None:
                self.notes.append("A window lies in no outline and was left out.")
                self.open.append(window)
            else:
                owner.windows.append(window)
        return pieces

    def owner(self, pieces: list[_Piece], point: Point, reach: float = 0.0) -> _Piece | None:
        inside = [p for p in pieces if p.polygon.distance(point) <= reach]
        return min(inside, key=lambda p: p.polygon.area, default=None)

    def give_marks(self, pieces: list[_Piece], use: Use, strokes: Sequence[Stroke]) -> None:
        lost = 0
        for s in self.without_doubles(strokes, use):
            line = LineString(np.concatenate([s.points, s.points[:1]]) if s.closed else s.points)
            owner = self.owner(pieces, line.interpolate(0.5, normalized=True), 1.0)
            if owner is None:
                lost += 1
                continue
            mark = mark_of(use, s, owner.ring, f"{use} {sum(m.kind == use for m in owner.marks) + 1}")
            owner.marks.append(replace(mark, side="flesh") if "flesh" in s.layer.lower() else mark)
        if lost:
            self.notes.append(
                f"{lost} {use} {'line lies' if lost == 1 else 'lines lie'} on no piece and "
                f"{'was' if lost == 1 else 'were'} left out."
            )

    def name(self, pieces: list[_Piece], drawing: Drawing, chosen: Mapping[str, Use], unit_mm: float) -> None:
        for label in drawing.labels:
            if chosen.get(label.layer) == "outline":
                self.notes.append(
                    f"Words on a cutting layer ({label.text[:40]!r} on {label.layer}) are no cut and were "
                    "taken as a name."
                )
            owner = self.owner(pieces, Point(label.x * unit_mm, label.y * unit_mm), 2.0)
            if owner is not None and not owner.name:
                try:
                    slug_of(label.text)
                except BadPattern:
                    continue
                owner.name = label.text[:80]


def _same(a: Line, b: Line, closed: bool) -> bool:
    if (
        np.abs(a.min(axis=0) - b.min(axis=0)).max() > 0.05
        or np.abs(a.max(axis=0) - b.max(axis=0)).max() > 0.05
    ):
        return False
    la, lb = (LineString(np.concatenate([p, p[:1]]) if closed else p) for p in (a, b))
    return bool(abs(la.length - lb.length) < 0.2 and la.hausdorff_distance(lb) < 0.05)


def mark_of(use: Use, stroke: Stroke, ring: Ring, name: str) -> Mark:
    """Return the mark that a stroke on a layer stands for; ``ring`` is the outline of its piece."""
    points = stroke.points
    path = tuple(XY(round(float(x), 3), round(float(y), 3)) for x, y in points)
    if use == "hole" and len(points) > 2:
        middle = np.asarray(Polygon(points).centroid.coords[0]) if stroke.closed else points.mean(axis=0)
        box = np.asarray(Polygon(points).minimum_rotated_rectangle.exterior.coords)
        one, two = box[1] - box[0], box[2] - box[1]
        (a, long_), (b, _) = sorted(((float(np.hypot(*v)), v) for v in (one, two)), key=lambda s: -s[0])
        at = XY(round(float(middle[0]), 3), round(float(middle[1]), 3))
        if a - b < ROUND_SHARE * a + 0.05:
            return Mark(name, "hole", at=at, width_mm=round((a + b) / 2, 2))
        return Mark(
            name,
            "slot",
            at=at,
            width_mm=round(b, 2),
            length_mm=round(a, 2),
            turn_deg=round(math.degrees(math.atan2(long_[1], long_[0])) % 180, 2),
        )
    if use == "hole":
        return Mark(
            name,
            "hole",
            at=XY(round(float(points.mean(axis=0)[0]), 3), round(float(points.mean(axis=0)[1]), 3)),
            width_mm=2.0,
        )
    if use in ("glue", "skive"):
        edge = LineString(np.concatenate([ring, ring[:1]]))
        width = float(np.median(shapely.distance(edge, shapely.points(points))))
        if stroke.closed:
            return Mark(name, use, width_mm=round(max(width, 0.5), 2))
        ends = [
            XY(*(round(v, 3) for v in edge.interpolate(edge.project(Point(p))).coords[0]))
            for p in (points[0], points[-1])
        ]
        runs = (Run(ends[0], ends[1]), Run(ends[1], ends[0]))
        run = min(runs, key=lambda r: abs(length_mm(line_of(ring, r)) - length_mm(points)))
        return Mark(name, use, run=run, width_mm=round(max(width, 0.5), 2))
    if use == "place":
        return Mark(name, "place", path=path, closed=True, covers=False)
    if use == "fold":
        return Mark(name, "fold", path=path)
    return Mark(name, "stitch", path=path, closed=stroke.closed)
