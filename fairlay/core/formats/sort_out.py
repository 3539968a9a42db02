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

from fairlay.core.errors import BadPattern
from fairlay.core.formats.closing import Closing, Gap
from fairlay.core.formats.drawing import Drawing, Label, Stroke, Use
from fairlay.core.formats.drawn_marks import mark_of
from fairlay.core.formats.drawn_piece import DrawnPiece, alike_pieces
from fairlay.core.formats.grain_lines import GrainLine, grain_lines
from fairlay.core.formats.joining import Line
from fairlay.core.formats.nesting import nested, runs_along, without_bands
from fairlay.core.formats.sheet import grid_lines, of_the_sheet
from fairlay.core.formats.words_on import read_words
from fairlay.core.pattern.contour import Contour, contour_of
from fairlay.core.pattern.edges import XY, Run
from fairlay.core.pattern.pattern import Mark, slug_of
from fairlay.core.shapes.rings import Ring, pieces_of, rings_of
from fairlay.core.tolerances import JOIN_MM, NEAR_CLOSED_MM

MOST_OUTLINES, MOST_LINES, MOST_MARKS = 6_000, 60_000, 6_000
"""More than this is no article: a hatch, a texture, or a layer taken for what it is not."""
CONTOUR_USES: tuple[Use, ...] = ("outline", "window", "stitch", "hole", "leave out")
"""What a closed contour among outlines can be said to be."""
SAME_CONTOUR_MM = 0.5
MARKED: tuple[Use, ...] = ("stitch", "hole", "fold", "glue", "skive", "place")
THIN_MM = 0.01
"""Points nearer than this to the line between their neighbours are left out."""
LEAST_SEWN_MM = 12.0
"""A shorter open line is a notch or a slip."""


@dataclass(frozen=True, eq=False)
class FoundPiece:
    """A piece found in a drawing, in mm, moved so that its outline begins at (0, 0); ``at`` is where it was.
    It is there ``times`` times, and ``mirrored`` times turned over: as many left as right make a pair.
    ``each`` and ``pair`` are what words on it say of how many are cut, ``grain_deg`` which way a line on it
    shows the grain to run."""

    name: str
    contour: Contour
    windows: tuple[Contour, ...]
    marks: tuple[Mark, ...]
    at: tuple[float, float]
    times: int = 1
    mirrored: int = 0
    each: int | None = None
    pair: bool = False
    grain_deg: float | None = None

    @property
    def is_pair(self) -> bool:
        """Whether it is cut left and right: as the drawing's words say, or as it is drawn."""
        return self.pair or 0 < self.mirrored == self.times

    @property
    def wanted(self) -> int:
        """How many are cut for one article: what the words say, else as often as it is drawn."""
        drawn = self.times + self.mirrored if self.is_pair else self.times
        return self.each or drawn + (drawn % 2 if self.is_pair else 0)


@dataclass(frozen=True)
class SaidOf:
    """What one closed contour is said to be; its middle and the square root of its area (mm) tell which."""

    x: float
    y: float
    size: float
    use: Use


@dataclass(frozen=True, eq=False)
class Closed:
    """A closed contour drawn as an outline, where it lies in the drawing (mm), and what it was read as."""

    ring: Ring
    use: Use
    key: tuple[float, float, float]


@dataclass(frozen=True, eq=False)
class SortedOut:
    """What a drawing holds: pieces, gaps, lines that enclose nothing (as points), what was done, in words,
    and what each closed contour was read as.
    """

    pieces: tuple[FoundPiece, ...]
    gaps: tuple[Gap, ...]
    open_lines: tuple[Line, ...]
    notes: tuple[str, ...]
    contours: tuple[Closed, ...] = ()


def sort_out(
    drawing: Drawing,
    uses: Mapping[str, Use],
    unit_mm: float,
    near_closed_mm: float = NEAR_CLOSED_MM,
    patterns: bool = True,
    said: Sequence[SaidOf] = (),
) -> SortedOut:
    """Return the pieces of a drawing. ``uses`` says what each layer is for (a layer not named keeps what is
    suggested). Where they are no ``patterns``, what lies in an outline is a window, whatever its shape;
    what is ``said`` of single contours holds all the same.

    Raises BadPattern for a unit that is no length, a layer that is not in the drawing, or what a contour
    cannot be.
    """
    if not math.isfinite(unit_mm) or unit_mm <= 0:
        raise BadPattern(f"a unit of {unit_mm} mm", value=unit_mm, expected="more than 0 mm")
    names = {layer.name for layer in drawing.layers}
    for name in uses:
        if name not in names:
            raise BadPattern(
                f"there is no layer {name!r} in this drawing", value=name, expected=", ".join(sorted(names))
            )
    for one in said:
        if one.use not in CONTOUR_USES:
            raise BadPattern(
                f"a closed contour is no {one.use}", value=one.use, expected=", ".join(CONTOUR_USES)
            )
    chosen: dict[str, Use] = {layer.name: uses.get(layer.name, layer.suggested) for layer in drawing.layers}
    work = _Work(near_closed_mm)
    by_use: dict[Use, list[Stroke]] = {}
    for stroke in _scaled(drawing.strokes, unit_mm):
        by_use.setdefault(chosen[stroke.layer], []).append(stroke)
    labels = [replace(w, x=w.x * unit_mm, y=w.y * unit_mm) for w in drawing.labels]
    grain: list[GrainLine] = []
    if patterns:
        drawn = work.without_grid(by_use.get("outline", []))
        grain, arrows = grain_lines(drawn, by_use.get("leave out", []), labels)
        by_use["outline"] = [s for i, s in enumerate(drawn) if i not in arrows]
    for use in ("outline", "window"):
        _few_enough(by_use.get(use, []), use)
    rings = work.rings(by_use.get("outline", []), "outline")
    words = [(w.x, w.y) for w in labels]
    outlines, windows, marked = work.nest(rings, words, patterns, said)
    windows += work.rings(by_use.get("window", []), "window")
    pieces = work.pieces(outlines, windows)
    if patterns:
        marked["stitch"] = [*marked["stitch"], *work.sewn_lines(pieces)]
    for use in MARKED:
        work.give_marks(pieces, use, [*by_use.get(use, []), *marked.get(use, [])])
    work.name(pieces, labels, chosen)
    work.give_grain(pieces, grain)
    if patterns:
        pieces = work.without_sheet(pieces)
    work.name_as_drawn(pieces, by_use.get("outline", []))
    found = []
    alike = alike_pieces(pieces)
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
                p.each,
                p.pair,
                p.grain_deg,
            )
        )
    work.tell_open()
    work.notes += [_alike_words(f) for f in found if f.times + f.mirrored > 1]
    if not found:
        work.notes.insert(
            0, "No closed outline was found: see which layers hold outlines, and where contours are open."
        )
    return SortedOut(
        tuple(found),
        tuple(work.gaps),
        tuple(work.open),
        tuple(dict.fromkeys(work.notes)),
        tuple(work.contours),
    )


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


def _moved(ring: Ring, x: float, y: float) -> Contour:
    return contour_of(ring - np.array([x, y]))


def _mark_moved(m: Mark, x: float, y: float) -> Mark:
    def at(p: XY | None) -> XY | None:
        return None if p is None else XY(round(p.x - x, 3), round(p.y - y, 3))

    run = None if m.run is None else Run(at(m.run.start) or m.run.start, at(m.run.end) or m.run.end)
    return replace(
        m, at=at(m.at), run=run, path=tuple(XY(round(p.x - x, 3), round(p.y - y, 3)) for p in m.path)
    )


class _Work(Closing):
    def __init__(self, near_closed_mm: float) -> None:
        super().__init__(near_closed_mm)
        self.tree = STRtree([])
        self.contours: list[Closed] = []
        self.insisted: list[Ring] = []

    def nest(
        self,
        rings: list[Ring],
        words: Sequence[tuple[float, float]],
        patterns: bool,
        said: Sequence[SaidOf],
    ) -> tuple[list[Ring], list[Ring], dict[Use, list[Stroke]]]:
        """Outlines, their windows, and what is sewn along them or punched in them."""
        rings, bands = without_bands(rings)
        if bands:
            self.notes.append(
                f"{bands} {'line was' if bands == 1 else 'lines were'} drawn as narrow areas, a pen's "
                "breadth wide; the middle was taken."
            )
        keys = [_key(r) for r in rings]
        of_rings = _rings_meant(keys, said)
        self.insisted = [rings[i] for i, use in of_rings.items() if use == "outline"]
        if len(of_rings) < len(said):
            self.notes.append("What was said of a contour that is no longer there was left out.")
        found = nested(rings, words, patterns, of_rings)
        uses = found.uses
        self.contours = [Closed(r, uses[i], keys[i]) for i, r in enumerate(rings)]
        for of, words_said in (
            (found.windows, "{} inside an outline and {} taken as {}."),
            (found.sewn, "{} along an outline, a few mm inside, and {} taken as sewn."),
            (found.punched, "{} small and round inside an outline and {} taken as punched."),
            (found.frames, "{} round all others and {} left out: it is a frame."),
            (found.letters, "{} like letters in a row and {} left out: they are words."),
        ):
            if of:
                self.notes.append(_contours(len(of), words_said))
        sewn = [Stroke(rings[i], True, "", "") for i in found.sewn]
        punched = [Stroke(rings[i], True, "", "") for i in found.punched]
        return (
            [rings[i] for i in found.outlines],
            [rings[i] for i in found.windows],
            {"stitch": sewn, "hole": punched},
        )

    def without_grid(self, strokes: list[Stroke]) -> list[Stroke]:
        grid = grid_lines(strokes)
        if grid:
            self.notes.append(f"A grid of {len(grid)} lines was left out.")
        return [s for i, s in enumerate(strokes) if i not in grid]

    def without_sheet(self, pieces: list[DrawnPiece]) -> list[DrawnPiece]:
        """Leave out what belongs to the sheet: squares to measure a print by, and a title block with the
        boxes beside it.
        """
        may = [p for p in pieces if not any(p.ring is ring for ring in self.insisted)]
        of_sheet = of_the_sheet([p.polygon for p in may], [p.words for p in may])
        rings = [may[i].ring for i in sorted(of_sheet)]
        kept = [p for p in pieces if not any(p.ring is ring for ring in rings)]
        if not kept or not rings:
            return pieces
        words = next(may[i].words[0] for i in sorted(of_sheet) if may[i].words)
        self.contours = [
            replace(c, use="leave out") if any(c.ring is ring for ring in rings) else c for c in self.contours
        ]
        self.notes.append(
            f"{len(rings)} {'box' if len(rings) == 1 else 'boxes'} with words of the sheet "
            f"({words[:40]!r}) {'was' if len(rings) == 1 else 'were'} left out."
        )
        return kept

    def pieces(self, outlines: list[Ring], windows: list[Ring]) -> list[DrawnPiece]:
        pieces = [DrawnPiece(r) for r in outlines]
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
        for p in pieces:
            self.part_windows(p)
        return pieces

    def part_windows(self, p: DrawnPiece) -> None:
        """Take windows that lie in or over each other, or over the edge, out of a piece all at once."""
        if Polygon(p.ring, p.windows).is_valid:
            return
        holes = shapely.union_all([Polygon(w).buffer(0) for w in p.windows])
        left = p.polygon.difference(holes).buffer(-JOIN_MM, join_style="mitre")
        kept = max(pieces_of(left.buffer(JOIN_MM, join_style="mitre")), key=lambda q: q.area, default=None)
        if kept is None:
            p.windows = []
            self.notes.append("A window as large as its piece was left out.")
            return
        p.ring, p.windows = rings_of(kept)[0], rings_of(kept)[1:]
        p.polygon = Polygon(p.ring)
        self.notes.append("Windows over each other, or over their piece's edge, were taken out of it as one.")

    def sewn_lines(self, pieces: list[DrawnPiece]) -> list[Stroke]:
        """Open lines that run along the outline of the piece they lie in: no outlines but stitches."""
        sewn = []
        for k, line in enumerate(self.open):
            own = LineString(line)
            owner = self.owner(pieces, own.interpolate(0.5, normalized=True))
            if owner is not None and own.length >= LEAST_SEWN_MM and runs_along(own, owner.polygon):
                sewn.append(k)
        if sewn:
            one = len(sewn) == 1
            self.notes.append(
                f"{len(sewn)} open {'line runs' if one else 'lines run'} along an outline, a few mm inside, "
                f"and {'was' if one else 'were'} taken as sewn."
            )
        out = [Stroke(self.open[k], False, "", "") for k in sewn]
        ends = {tuple(np.round(line.points[-1], 2).tolist()) for line in out}
        self.gaps = [g for g in self.gaps if g.closed or (g.x, g.y) not in ends]
        self.open = [line for k, line in enumerate(self.open) if k not in sewn]
        return out

    def owner(self, pieces: list[DrawnPiece], point: Point, reach: float = 0.0) -> DrawnPiece | None:
        near = self.tree.query(point, predicate="dwithin", distance=max(reach, 1e-9))
        return min((pieces[int(k)] for k in near), key=lambda p: p.polygon.area, default=None)

    def give_marks(self, pieces: list[DrawnPiece], use: Use, strokes: Sequence[Stroke]) -> None:
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

    def give_grain(self, pieces: list[DrawnPiece], grain: Sequence[GrainLine]) -> None:
        """Say of pieces which way their grain runs: as the longest line on each shows, called so first."""
        told = 0
        for line in sorted(grain, key=lambda g: (not g.called, -g.line.length)):
            owner = self.owner(pieces, line.line.interpolate(0.5, normalized=True))
            if owner is not None and owner.grain_deg is None:
                owner.grain_deg = round(line.deg, 1)
                told += 1
        if told:
            self.notes.append(
                f"The way of the grain was read from {'a line' if told == 1 else 'lines'} on "
                f"{told} {'piece' if told == 1 else 'pieces'}."
            )

    def name(self, pieces: list[DrawnPiece], labels: Sequence[Label], chosen: Mapping[str, Use]) -> None:
        for label in labels:
            if chosen.get(label.layer) == "outline":
                self.notes.append(
                    f"Words on a cutting layer ({label.text[:40]!r} on {label.layer}) are no cut and were "
                    "taken as a name."
                )
            owner = self.owner(pieces, Point(label.x, label.y), 2.0)
            if owner is None:
                continue
            owner.words.append(label.text)
            said = read_words(label.text)
            if said.each is not None and owner.each is None:
                owner.each, owner.pair = said.each, said.pair
                self.notes.append(
                    f"How many are cut was read from the drawing's words ({label.text[:40]!r})."
                )
            if said.name and not owner.name and _can_be_named(said.name):
                owner.name = said.name[:80]

    def name_as_drawn(self, pieces: list[DrawnPiece], strokes: Sequence[Stroke]) -> None:
        """Give pieces without a name what their outline is called in the file, if nothing else is."""
        called: dict[str, list[DrawnPiece]] = {}
        tree = STRtree([p.polygon.exterior for p in pieces])
        for s in strokes:
            if not s.name or not _can_be_named(s.name):
                continue
            for k in tree.query(Point(s.points[0]), predicate="dwithin", distance=JOIN_MM).tolist():
                own = called.setdefault(s.name, [])
                if pieces[k] not in own:
                    own.append(pieces[k])
        for name, own in called.items():
            sizes = [p.polygon.length for p in own]
            if max(sizes) - min(sizes) <= 0.01 * max(sizes):
                for p in own:
                    p.name = p.name or name[:80]


def _can_be_named(name: str) -> bool:
    try:
        slug_of(name)
    except BadPattern:
        return False
    return True


def _key(ring: Ring) -> tuple[float, float, float]:
    own = Polygon(ring)
    x, y = own.centroid.coords[0]
    return round(x, 2), round(y, 2), round(math.sqrt(own.area), 2)


def _rings_meant(keys: Sequence[tuple[float, float, float]], said: Sequence[SaidOf]) -> dict[int, Use]:
    """Which contours are spoken of, each with what is said of it last."""
    out: dict[int, Use] = {}
    for one in said:
        off = [math.dist(key, (one.x, one.y, one.size)) for key in keys]
        nearest = min(range(len(off)), key=off.__getitem__, default=None)
        if nearest is not None and off[nearest] < SAME_CONTOUR_MM:
            out[nearest] = one.use
    return out


def _contours(n: int, said: str) -> str:
    one = n == 1
    lies = f"{n} {'contour lies' if one else 'contours lie'}"
    return said.format(lies, "was" if one else "were", "a window" if one else "windows")


def _alike_words(f: FoundPiece) -> str:
    if not f.mirrored:
        return f"{f.name} is drawn {f.times} times; it is one piece, {f.times} of it."
    if f.mirrored == f.times:
        return f"{f.name} is drawn left and right; it is one piece, taken as a pair."
    return f"{f.name} is drawn {f.times} times and {f.mirrored} times mirrored."
