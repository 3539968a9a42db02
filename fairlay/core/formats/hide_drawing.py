"""A hide from a drawing, of a digitising table or of any program: its outline, its holes, flaws and backbone,
told apart by the names of layers, by the pens they are drawn with, and by how they lie.
"""

from __future__ import annotations

import math
import re
from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from typing import Final, Literal

import numpy as np
import shapely
from shapely.geometry import LineString, Polygon
from shapely.geometry.base import BaseGeometry

from fairlay.core.errors import BadHide, BadPattern
from fairlay.core.formats.by_pen import parted_by_pen
from fairlay.core.formats.closing import Closing
from fairlay.core.formats.drawing import Drawing, Stroke
from fairlay.core.formats.nesting import without_bands
from fairlay.core.leather.severity import suggested_severity
from fairlay.core.shapes.rings import Ring, pieces_of

Role = Literal["hide", "hole", "flaw", "backbone", "none", "unnamed"]
KINDS: Final = {
    "brand": "brand",
    "scratch": "scratch",
    "scar": "scar",
    "tick": "tick bite",
    "fly": "fly bite",
    "lice": "lice bite",
    "warble": "warble hole",
    "grub": "warble hole",
    "vein": "vein",
    "fat wrinkle": "fat wrinkle",
    "wrinkle": "growth wrinkle",
    "stretch mark": "stretch mark",
    "loose grain": "loose grain",
    "pipey": "pipey grain",
    "flay": "flay cut",
    "thin spot": "thin spot",
    "stain": "stain",
    "dirt": "dirt",
    "crease": "fold crease",
}
"""What kind of flaw a layer holds, by words in its name."""
NAMED: Final[tuple[tuple[Role, tuple[str, ...]], ...]] = (
    ("none", ("zone", "label", "text", "note", "title", "frame", "border", "sheet", "grid", "dim", "table")),
    ("none", ("marker", "arrow", "region", "belly", "shoulder", "viewport", "defpoints")),
    ("flaw", (*KINDS, "flaw", "defect", "fault", "blemish", "unsound", "damage", "mark", "bite")),
    ("none", ("stretch",)),
    ("backbone", ("backbone", "spine", "back line", "back_line", "backline", "centre", "center", "ridge")),
    ("hole", ("hole", "cutout", "cut out", "cut_out", "opening", "window", "inner", "inside", "void")),
    ("hide", ("hide", "skin", "leather", "outline", "contour", "perimeter", "boundary", "edge", "outer")),
)
"""What a layer holds, by words in its name; the first that fits counts."""
BEGINNING: Final = frozenset(
    {"fault", "tick", "lice", "fly", "bite", "dim", "table", "note", "text", "ridge"}
)
"""These only where a word begins with them: "default" is no fault, and a slice has no lice."""
SEVERITIES: Final = (("surface", 1), ("blemish", 2), ("unsound", 3))
NEAR_MM: Final = 3.0
"""Ends of lines nearer to each other than this meet: a hand with a stylus is no closer."""
OPEN_SHARE: Final = 0.1
"""An outline that is open by at most this share of its length was meant to be closed."""
SCAR_MM: Final = 3.0
"""A flaw drawn as a line is taken to reach so far to either side of it."""
FRAMED, FRAMED_LARGE = 0.12, 0.02
"""A rectangle round an outline of at least this share of it is a frame, since no hole is so large; so is one
that is larger than any hide."""
LARGE_FLAW: Final = 0.15
"""A ring of another pen that takes more of the hide than this is no flaw."""
BESIDE: Final = 0.25
"""An outline beside the hide of at least this share of it may be another hide."""
LARGEST_MM: Final = 3000.0
USUAL_MM, LEAST_MM, MOST_MM = 2200.0, 350.0, 4200.0
"""How long a hide mostly is, and is at least and at most: what a unit that is not told is guessed by."""
GUESSED: Final = {"mm": 1.0, "cm": 10.0, "inch": 25.4, "m": 1000.0, "pixel": 25.4 / 96}
INSIDE: Final = 0.5
"""A flaw may lie across the edge, with so much of it on the hide at least."""
ROUND_MM2: Final = 1.0


@dataclass(frozen=True, eq=False)
class DrawnFlaw:
    """A flaw that was drawn: its ring in mm, its severity (0 where the layer's name tells neither that nor a
    kind), and its kind ("": not told).
    """

    outline: Ring
    severity: int
    kind: str = ""


@dataclass(frozen=True, eq=False)
class HideInDrawing:
    """A hide found in a drawing, in mm from the corner of its bounds, y down: outline, holes, flaws, the two
    ends of its backbone where that is drawn, mm to a unit, and what was noted of the drawing.
    """

    outline: Ring
    holes: tuple[Ring, ...]
    flaws: tuple[DrawnFlaw, ...]
    notes: tuple[str, ...]
    backbone: Ring | None = None
    unit_mm: float = 1.0


@dataclass
class _Layer:
    """Strokes of one pen on one layer, in mm, and what its name says; ``of`` is the file's own name of it."""

    of: str
    role: Role
    strokes: list[Stroke] = field(default_factory=list)


def hide_in_drawing(drawing: Drawing, unit_mm: float | None = None) -> HideInDrawing:
    """Return the hide in a drawing. ``unit_mm``: how long its unit is, as somebody says; else as the file
    does, else as long as makes a hide of it.

    The largest closed outline that is no frame is the hide, closed by a straight line where that was
    forgotten. Layers whose names speak of flaws hold rings or lines, their severity by the name
    (``FLAW_UNSOUND``, ``defect 2``), else by what their kind (``scars``) suggests. What is drawn in the
    hide's own pen, or on a layer of holes, is a hole; rings of any other pen may be flaws, their severity
    not told. Raises BadHide where nothing closed is drawn, BadPattern for a unit that is no length.
    """
    if unit_mm is not None and not (math.isfinite(unit_mm) and unit_mm > 0):
        raise BadPattern(f"a unit of {unit_mm} mm", value=unit_mm, expected="more than 0 mm")
    unit = unit_mm or drawing.unit_mm
    if unit is not None:
        return _Reading(drawing, unit).read()
    # What nearly meets is told in mm: first at a unit that makes a hide of all that is drawn.
    found = _Reading(drawing, _likely_unit(max(drawing.span))[1]).read()
    name, likely = _likely_unit(float(np.ptp(found.outline, axis=0).max()) / found.unit_mm)
    if likely != found.unit_mm:
        found = _Reading(drawing, likely).read()
    long, wide = np.ptp(found.outline, axis=0)
    told = (
        f"The drawing does not say what its unit is: taken for {name}, which makes the hide {long:.0f} by "
        f"{wide:.0f} mm."
    )
    return HideInDrawing(
        found.outline, found.holes, found.flaws, (told, *found.notes), found.backbone, found.unit_mm
    )


def _likely_unit(long: float) -> tuple[str, float]:
    """The unit, and its mm, that makes a length in units most like that of a hide."""

    def off(name: str) -> float:
        mm = max(long, 1e-9) * GUESSED[name]
        return abs(math.log(mm / USUAL_MM)) + (0.0 if LEAST_MM <= mm <= MOST_MM else 10.0)

    best = min(GUESSED, key=off)
    return best, GUESSED[best]


@dataclass
class _LeftOut:
    """How many closed lines were left out: round much of the hide, across its edge, and beside it."""

    large: int = 0
    across: int = 0
    beside: int = 0


class _Reading:
    """One reading of a drawing, its unit known."""

    def __init__(self, drawing: Drawing, unit_mm: float) -> None:
        self.unit_mm = unit_mm
        self.notes: list[str] = []
        self.frames: list[Ring] = []
        self.layers: dict[str, _Layer] = {}
        # A hole may be painted: nothing is written on a hide in areas.
        parted = parted_by_pen(
            replace(drawing, strokes=tuple(replace(s, filled=False) for s in drawing.strokes))
        )
        for own, pen in zip(drawing.strokes, parted.strokes, strict=True):
            layer = self.layers.setdefault(pen.layer, _Layer(own.layer, _role(own.layer)))
            layer.strokes.append(
                Stroke(own.points * unit_mm, own.closed, own.layer, own.colour, own.name, own.broken)
            )
        self.named = any(layer.role == "hide" for layer in self.layers.values())

    def read(self) -> HideInDrawing:
        """Return what was found."""
        rings = {name: self._rings(own) for name, own in self.layers.items() if own.role != "none"}
        pen, outline = self._outline(rings)
        leather = Polygon(outline)
        holes: list[Ring] = []
        flaws: list[DrawnFlaw] = []
        left_out = _LeftOut()
        shapely.prepare(leather)
        for name, own in self.layers.items():
            for ring in rings.get(name, []):
                region = Polygon(ring)
                if ring is outline or any(ring is frame for frame in self.frames):
                    continue
                if own.role == "flaw":
                    self._flaw(own, ring, leather, flaws)
                elif not leather.intersects(region):
                    left_out.beside += region.area >= BESIDE * leather.area
                elif leather.intersection(region).area < INSIDE * region.area:
                    left_out.across += 1
                elif region.area >= LARGE_FLAW * leather.area:
                    left_out.large += 1
                elif name == pen or own.role in ("hole", "hide"):
                    holes.append(ring)
                else:
                    flaws.append(DrawnFlaw(ring, 0))
        self._tell(left_out, holes)
        low = outline.min(axis=0)
        return HideInDrawing(
            outline - low,
            tuple(h - low for h in holes),
            tuple(replace(f, outline=f.outline - low) for f in flaws),
            tuple(dict.fromkeys(self.notes)),
            self._backbone(leather, low),
            self.unit_mm,
        )

    def _rings(self, layer: _Layer) -> list[Ring]:
        """The closed rings of a layer; of one of flaws, also lines as wide as a scar."""
        closing = Closing(NEAR_MM)
        if layer.role == "backbone":
            return []
        if layer.role != "flaw":
            rings, _ = without_bands(closing.rings(layer.strokes, "outline"))
            self.notes += [note.replace("; see where.", ".") for note in closing.notes]
            layer.strokes = [Stroke(line, False, layer.of, "") for line in closing.open]
            return rings
        closed = (_largest(Polygon(s.points)) for s in layer.strokes if s.closed)
        rings = [ring for ring in closed if len(ring)]
        rings += closing.chained([s.points for s in layer.strokes if not s.closed])
        # Lines that cross are one flaw: a cross marks a spot.
        scars = shapely.union_all([LineString(line).buffer(SCAR_MM, quad_segs=4) for line in closing.open])
        found = [np.asarray(part.exterior.coords)[:-1] for part in pieces_of(scars)]
        if found:
            self.notes.append(
                f"What is drawn as lines on the layer {layer.of} is taken as {len(found)} "
                f"{'scar' if len(found) == 1 else 'scars'}, {2 * SCAR_MM:.0f} mm wide."
            )
        return rings + found

    def _outline(self, rings: dict[str, list[Ring]]) -> tuple[str, Ring]:
        """The hide's outline, and the pen it is drawn with: the largest closed one that is no frame, or one
        that was left open and is larger.
        """
        may = {
            name: own
            for name, own in self.layers.items()
            if own.role == "hide" or (not self.named and own.role == "unnamed")
        }
        closed = [(name, ring) for name in may for ring in rings[name]]
        areas = [Polygon(ring).area for _, ring in closed]
        by_area = sorted(range(len(closed)), key=lambda k: -areas[k])
        best: tuple[str, Ring] | None = None
        for k in by_area:
            if self._frames(closed[k][1], areas[k], [closed[j][1] for j in by_area if j != k], may):
                self.frames.append(closed[k][1])
                continue
            best = closed[k]
            break
        open_ = self._left_open(may)
        if open_ is not None and (best is None or Polygon(open_[1]).area > 2 * Polygon(best[1]).area):
            name, ring, gap = open_
            self.notes.append(f"The outline was open by {gap:.0f} mm; a straight line closes it.")
            best = name, ring
        if best is None:
            on = next((own.of for own in may.values() if own.role == "hide"), None)
            raise BadHide(
                "the drawing has no closed outline",
                value=0,
                expected="the hide's outline as one closed line" + (f" on the layer {on}" if on else ""),
            )
        if self.frames:
            n = len(self.frames)
            self.notes.append(f"{n} {'rectangle' if n == 1 else 'rectangles'} round it left out: a frame.")
        return best

    def _frames(self, ring: Ring, area: float, others: Sequence[Ring], may: dict[str, _Layer]) -> bool:
        """Whether a ring is a rectangle round an outline, closed or left open, that is a hide's."""
        own = Polygon(ring)
        if area < 0.98 * own.minimum_rotated_rectangle.area:
            return False
        open_ = self._left_open(may)
        x0, y0, x1, y1 = own.bounds
        least = FRAMED_LARGE if max(x1 - x0, y1 - y0) > LARGEST_MM else FRAMED
        within = [Polygon(other) for other in (*others, *([open_[1]] if open_ else []))]
        return any(
            least * area <= other.area < area and own.contains(other.representative_point())
            for other in within
        )

    def _left_open(self, may: dict[str, _Layer]) -> tuple[str, Ring, float] | None:
        """The open line that would enclose most if it were closed, and the gap, mm."""
        best: tuple[str, Ring, float] | None = None
        most = ROUND_MM2
        for name, own in may.items():
            for line in (s.points for s in own.strokes if not s.closed and len(s.points) > 3):
                gap = float(np.hypot(*(line[-1] - line[0])))
                if gap > OPEN_SHARE * LineString(line).length:
                    continue
                ring = _largest(Polygon(line))
                if len(ring) and (area := Polygon(ring).area) > most:
                    best, most = (name, ring, gap), area
        return best

    def _flaw(self, layer: _Layer, ring: Ring, leather: Polygon, flaws: list[DrawnFlaw]) -> None:
        if leather.intersects(Polygon(ring)):
            kind = next((KINDS[word] for word in KINDS if _has(layer.of, word)), "")
            suggested = suggested_severity(kind, ring)[0] if kind else 0
            flaws.append(DrawnFlaw(ring, _severity(layer.of) or suggested, kind))
        else:
            self.notes.append(f"A ring on the layer {layer.of} lies off the hide, and was left out.")

    def _backbone(self, leather: Polygon, low: Ring) -> Ring | None:
        """The ends of the longest line on a layer of the backbone, in mm from the hide's corner."""
        lines = [
            s.points
            for own in self.layers.values()
            if own.role == "backbone"
            for s in own.strokes
            if leather.distance(LineString(s.points)) < USUAL_MM / 10
        ]
        if not lines:
            return None
        longest = max(lines, key=lambda line: float(np.hypot(*(line[-1] - line[0]))))
        return np.stack([longest[0], longest[-1]]) - low

    def _tell(self, left_out: _LeftOut, holes: Sequence[Ring]) -> None:
        if holes:
            self.notes.append(
                f"{len(holes)} {'ring' if len(holes) == 1 else 'rings'} in the hide taken for "
                f"{'a hole' if len(holes) == 1 else 'holes'}."
            )
        for n, where, why in (
            (left_out.large, "round much of the hide", "no flaw is so large"),
            (left_out.across, "across its edge", "neither holes nor flaws"),
            (left_out.beside, "beside it, as large as hides", "the largest was taken"),
        ):
            if n:
                self.notes.append(f"{n} closed {'line' if n == 1 else 'lines'} {where} left out: {why}.")


def _role(layer: str) -> Role:
    """What a layer holds, by its name."""
    return next((role for role, words in NAMED if any(_has(layer, word) for word in words)), "unnamed")


def _has(layer: str, word: str) -> bool:
    """Whether a layer's name has a word in it."""
    begins = r"(?<![a-z])" if word in BEGINNING else ""
    apart = re.sub(r"(?<=[a-z])(?=[A-Z])", " ", layer)
    return re.search(begins + re.escape(word), apart.lower()) is not None


def _severity(layer: str) -> int:
    told = next((severity for word, severity in SEVERITIES if word in layer.lower()), 0)
    number = re.search(r"[123]$", layer.strip())
    return told or (int(number.group()) if number else 0)


def _largest(region: BaseGeometry) -> Ring:
    """The outer ring of the largest part of a region, also one that crosses itself; empty under a mm2."""
    part = max(pieces_of(region.buffer(0), ROUND_MM2), key=lambda p: p.area, default=None)
    return np.empty((0, 2)) if part is None else np.asarray(part.exterior.coords)[:-1]
