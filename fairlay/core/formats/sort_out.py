"""From strokes on layers to pieces: ends joined, doubles dropped, near-closed contours closed, windows and
marks given to their piece.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
import shapely
from shapely import STRtree
from shapely.geometry import LineString, Point, Polygon

from fairlay.core.errors import BadPattern, FairLayError
from fairlay.core.formats.drawing import Drawing, Stroke, Use
from fairlay.core.formats.joining import Ends, Line, apart, joined, ring_of
from fairlay.core.pattern.contour import Contour, contour_of
from fairlay.core.pattern.edges import XY, Run, length_mm, line_of
from fairlay.core.pattern.pattern import Mark, slug_of
from fairlay.core.shapes.alike import Outline
from fairlay.core.shapes.rings import Ring, clean_ring
from fairlay.core.tolerances import JOIN_MM, MIN_PIECE_AREA_MM2, NEAR_CLOSED_MM

MOST_OUTLINES, MOST_LINES, MOST_MARKS = 6_000, 60_000, 6_000
"""More than this is no article: a hatch, a texture, or a layer taken for what it is not."""
MARKED: tuple[Use, ...] = ("stitch", "hole", "fold", "glue", "skive", "place")
SIZE_CELL_MM = 4.0
"""Outlines alike have nearly the same way round."""
THIN_MM = 0.01
"""Points nearer than this to the line between their neighbours are left out."""
DOUBLE_CELL_MM = 0.2
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
    """A piece found in a drawing, in mm, moved so that its outline begins at (0, 0); ``at`` is where it was.
    It is there ``times`` times, and ``mirrored`` times turned over: as many left as right make a pair."""

    name: str
    contour: Contour
    windows: tuple[Contour, ...]
    marks: tuple[Mark, ...]
    at: tuple[float, float]
    times: int = 1
    mirrored: int = 0


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
    for stroke in _scaled(drawing.strokes, unit_mm):
        by_use.setdefault(chosen[stroke.layer], []).append(stroke)
    for use in ("outline", "window"):
        _few_enough(by_use.get(use, []), use)
    rings = work.rings(by_use.get("outline", []), "outline")
    outlines, windows = work.nest(rings)
    windows += work.rings(by_use.get("window", []), "window")
    pieces = work.pieces(outlines, windows)
    for use in MARKED:
        work.give_marks(pieces, use, by_use.get(use, []))
    work.name(pieces, drawing, chosen, unit_mm)
    found = []
    alike = _alike(pieces)
    for i, p in enumerate(pieces):
        if i not in alike:
            continue
        x, y = p.polygon.bounds[:2]
        found.append(
            FoundPiece(
                p.name or f"Piece {i + 1}",
                _moved(p.ring, x, y),
                tuple(_moved(w, x, y) for w in p.windows),
                tuple(_mark_moved(m, x, y) for m in p.marks),
                (round(x, 2), round(y, 2)),
                *alike[i],
            )
        )
    work.notes += [_alike_words(f) for f in found if f.times + f.mirrored > 1]
    if not found:
        work.notes.insert(
            0, "No closed outline was found: see which layers hold outlines, and where contours are open."
        )
    return SortedOut(tuple(found), tuple(work.gaps), tuple(work.open), tuple(dict.fromkeys(work.notes)))


def _scaled(strokes: Sequence[Stroke], unit_mm: float) -> list[Stroke]:
    """Strokes in mm, without points that lie between their neighbours anyway; all at once, since there may be
    tens of thousands.
    """
    lines = shapely.linestrings(
        np.concatenate([s.points for s in strokes]) * unit_mm,
        indices=np.repeat(np.arange(len(strokes)), [len(s.points) for s in strokes]),
    )
    points, whose = shapely.get_coordinates(shapely.simplify(lines, THIN_MM), return_index=True)
    ends = np.searchsorted(whose, np.arange(len(strokes) + 1))
    return [replace(s, points=points[ends[i] : ends[i + 1]]) for i, s in enumerate(strokes)]


def _few_enough(strokes: Sequence[Stroke], use: Use) -> None:
    closed = sum(s.closed for s in strokes)
    if closed > MOST_OUTLINES or len(strokes) > MOST_LINES:
        raise BadPattern(
            f"{len(strokes)} lines are drawn as {use}s, {closed} of them closed",
            value=len(strokes),
            expected=f"at most {MOST_OUTLINES} closed ones and {MOST_LINES} lines: "
            "say which layers hold what",
        )


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
        self.tree = STRtree([])

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
                if polygons[j].symmetric_difference(own).area < 0.01 * areas[i]:
                    dropped.add(j)
                    self.notes.append(f"An {what} lies twice upon itself; one was kept.")
        return out

    def chained(self, lines: list[Line]) -> list[Ring]:
        """Open lines joined end to end, nearest ends first; those that close within the tolerance."""
        ends = Ends(lines, self.near)
        out: list[Ring] = []
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

    def nest(self, rings: list[Ring]) -> tuple[list[Ring], list[Ring]]:
        """Outlines, and the contours inside them, which are their windows; one inside a window is a piece
        again.
        """
        polygons = [Polygon(r) for r in rings]
        depth = [0] * len(polygons)
        if polygons:
            inner, outer = STRtree(polygons).query(
                [p.representative_point() for p in polygons], predicate="intersects"
            )
            wide: dict[int, Polygon] = {}
            for i, j in zip(inner.tolist(), outer.tolist(), strict=True):
                if i == j or polygons[j].area <= polygons[i].area:
                    continue
                if j not in wide:
                    wide[j] = polygons[j].buffer(0.05)
                    shapely.prepare(wide[j])
                depth[i] += bool(wide[j].contains(polygons[i]))
        windows = [r for r, d in zip(rings, depth, strict=True) if d % 2]
        if windows:
            one = len(windows) == 1
            self.notes.append(
                f"{len(windows)} {'contour lies' if one else 'contours lie'} inside an outline and "
                f"{'was' if one else 'were'} taken as {'a window' if one else 'windows'}."
            )
        return [r for r, d in zip(rings, depth, strict=True) if d % 2 == 0], windows

    def pieces(self, outlines: list[Ring], windows: list[Ring]) -> list[_Piece]:
        pieces = [_Piece(r) for r in outlines]
        self.tree = STRtree([p.polygon for p in pieces])
        for window in windows:
            own = Polygon(window)
            about = (pieces[int(k)] for k in self.tree.query(own, predicate="intersects"))
            round_it = [p for p in about if p.polygon.buffer(JOIN_MM).covers(own)]
            owner = min(round_it, key=lambda p: p.polygon.area, default=None)
            if owner is None:
                self.notes.append("A window lies in no outline and was left out.")
                self.open.append(window)
            else:
                owner.windows.append(window)
        return pieces

    def owner(self, pieces: list[_Piece], point: Point, reach: float = 0.0) -> _Piece | None:
        near = self.tree.query(point, predicate="dwithin", distance=max(reach, 1e-9))
        return min((pieces[int(k)] for k in near), key=lambda p: p.polygon.area, default=None)

    def give_marks(self, pieces: list[_Piece], use: Use, strokes: Sequence[Stroke]) -> None:
        if len(strokes) > MOST_MARKS:
            self.notes.append(
                f"{len(strokes)} {use} lines are more than the {MOST_MARKS} an article has; "
                "they were left out."
            )
            return
        lost = 0
        kept = self.without_doubles(strokes, use)
        lines = [LineString(np.concatenate([s.points, s.points[:1]]) if s.closed else s.points) for s in kept]
        middles = shapely.line_interpolate_point(lines, 0.5, normalized=True) if lines else []
        counts: dict[int, int] = {}
        for s, middle in zip(kept, middles, strict=True):
            owner = self.owner(pieces, middle, 1.0)
            if owner is None:
                lost += 1
                continue
            counts[id(owner)] = counts.get(id(owner), 0) + 1
            mark = mark_of(use, s, owner.ring, f"{use} {counts[id(owner)]}")
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


def _alike(pieces: Sequence[_Piece]) -> dict[int, tuple[int, int]]:
    """Which of some pieces are kept, each with how often it is there as it is, and how often turned over."""
    out: dict[int, tuple[int, int]] = {}
    shapes: dict[int, Outline] = {}
    by_size: dict[int, list[int]] = {}
    for i, p in enumerate(pieces):
        size = int(p.polygon.length // SIZE_CELL_MM)
        shapes[i] = Outline(p.ring, p.windows)
        about = [k for d in (-1, 0, 1) for k in by_size.get(size + d, ()) if _may_be_one(pieces[k], p)]
        for k in about:
            times, mirrored = out[k]
            same = shapes[k].is_same(shapes[i])
            if same or shapes[k].is_same(shapes[i].turned_over()):
                out[k] = (times + 1, mirrored) if same else (times, mirrored + 1)
                pieces[k].name = pieces[k].name or p.name
                break
        else:
            out[i] = 1, 0
            by_size.setdefault(size, []).append(i)
    return out


def _may_be_one(a: _Piece, b: _Piece) -> bool:
    """Whether two of one shape are one piece: not where the drawing names or marks them differently."""
    kinds_a, kinds_b = (sorted(m.kind for m in p.marks) for p in (a, b))
    return (a.name == b.name or not (a.name and b.name)) and kinds_a == kinds_b


def _alike_words(f: FoundPiece) -> str:
    if not f.mirrored:
        return f"{f.name} is drawn {f.times} times; it is one piece, {f.times} of it."
    if f.mirrored == f.times:
        return f"{f.name} is drawn left and right; it is one piece, taken as a pair."
    return f"{f.name} is drawn {f.times} times and {f.mirrored} times mirrored."
