"""A piece and its needs.

Outlines are in the piece's own coordinates, mm; a placing mirrors, turns and moves them.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import shapely
from shapely.geometry import Polygon
from shapely.geometry.base import BaseGeometry

from fairlay.core.errors import BadPattern
from fairlay.core.pattern.drawn import DrawnMark
from fairlay.core.shapes.rings import Ring, region, union
from fairlay.core.tolerances import OVERLAP_MM

MOST_GAP_MM = 100.0
"""No tool needs more than a hand's breadth."""
ANY_WAY_DEG = 180.0
"""A grain tolerance of half a turn or more: the piece may lie any way."""


@dataclass(frozen=True)
class Grain:
    """How the load axis must lie to the line it is judged by.

    ``axis_deg`` is the axis in the piece's own coordinates; ``reversible`` says that the
    piece may lie the other way round as well.
    """

    axis_deg: float = 0.0
    tolerance_deg: float = ANY_WAY_DEG
    reversible: bool = True

    @property
    def any_way(self) -> bool:
        return self.tolerance_deg >= ANY_WAY_DEG


@dataclass(frozen=True)
class Split:
    """One way to make a piece in parts, at the cost of a seam given as leather in m2."""

    id: str
    penalty_m2: float
    parts: tuple[Piece, ...]


@dataclass(frozen=True, eq=False)
class Piece:
    """A piece of a job: outline, how many, and what it needs.

    ``show_limit`` is the worst severity (0 to 2) its show face bears; in ``hidden`` rings
    severities 1 and 2 may lie. ``max_tightness`` is the loosest class it may use.
    ``thickness_mm`` is (least, most). ``value`` is worth per area, 1 is plain. ``gap_mm`` is the least
    distance its tool needs from other pieces; None: the job's.
    """

    id: str
    outline: Ring
    quantity: int
    holes: tuple[Ring, ...] = ()
    pair: bool = False
    show_limit: int = 2
    hidden: tuple[Ring, ...] = ()
    max_tightness: int = 4
    grain: Grain = Grain()
    value: float = 1.0
    set_name: str | None = None
    per_set: int = 1
    thickness_mm: tuple[float, float] | None = None
    filler: bool = False
    splits: tuple[Split, ...] = ()
    parent: str | None = None
    split: str | None = None
    marks: tuple[DrawnMark, ...] = ()
    gap_mm: float | None = None

    @property
    def whole_id(self) -> str:
        """The piece that this is, or is a part of."""
        return self.parent or self.id

    @cached_property
    def region(self) -> Polygon:
        """The leather of the piece: outline less windows."""
        return region(self.outline, self.holes, f"piece {self.id}")

    @cached_property
    def hidden_region(self) -> BaseGeometry:
        return union(Polygon(ring).buffer(0) for ring in self.hidden)

    @cached_property
    def show_face(self) -> BaseGeometry:
        """The part of the piece that will be seen."""
        return self.region.difference(self.hidden_region) if self.hidden else self.region

    @cached_property
    def core(self) -> BaseGeometry:
        """The piece less the tolerance all round: what may not lie on forbidden ground."""
        return self.region.buffer(-OVERLAP_MM)

    @cached_property
    def show_core(self) -> BaseGeometry:
        """The show face less the tolerance all round."""
        return self.show_face.buffer(-OVERLAP_MM) if self.hidden else self.core

    @cached_property
    def slim(self) -> BaseGeometry:
        """The piece less half the tolerance: two that lie fairly keep these apart."""
        return self.region.buffer(-OVERLAP_MM / 2)

    @cached_property
    def name_at(self) -> tuple[float, float, float]:
        """Where the piece's name is written: the middle and radius of a large circle inside it.

        About the centroid where that is nearly as wide as the piece gets, else where it is widest.
        """
        radius = shapely.maximum_inscribed_circle(self.region, tolerance=0.5)
        centre = self.region.centroid
        room = self.region.boundary.distance(centre) if self.region.contains(centre) else 0.0
        if room > 0.8 * radius.length:
            return centre.x, centre.y, room
        (x, y), _ = radius.coords
        return float(x), float(y), float(radius.length)

    @cached_property
    def area_mm2(self) -> float:
        return float(self.region.area)


def part_id(parent: str, split: str, part: str) -> str:
    """The name of a part in a lay: ``parent~split.part``."""
    return f"{parent}~{split}.{part}"


def check_piece(piece: Piece) -> None:
    """Raise BadPattern where a piece's needs make no sense."""
    name = f"piece {piece.id}"
    if piece.quantity < 0:
        raise BadPattern(
            f"{name}: a quantity of {piece.quantity}", value=piece.quantity, expected="0 or more"
        )
    if piece.pair and piece.quantity % 2:
        raise BadPattern(
            f"{name}: {piece.quantity} wanted of a pair",
            value=piece.quantity,
            expected="an even number, half of them mirrored",
        )
    if piece.show_limit not in (0, 1, 2):
        raise BadPattern(
            f"{name}: a show limit of {piece.show_limit!r}",
            value=piece.show_limit,
            expected="0, 1 or 2; no piece may use severity 3",
        )
    if piece.max_tightness not in (1, 2, 3, 4):
        raise BadPattern(
            f"{name}: loosest tightness {piece.max_tightness!r}",
            value=piece.max_tightness,
            expected="1 tight, 2 firm, 3 loose or 4 slack",
        )
    if piece.grain.tolerance_deg < 0:
        raise BadPattern(
            f"{name}: a grain tolerance of {piece.grain.tolerance_deg} degrees",
            value=piece.grain.tolerance_deg,
            expected="0 to 180",
        )
    if piece.thickness_mm and not (0 <= piece.thickness_mm[0] <= piece.thickness_mm[1] > 0):
        raise BadPattern(
            f"{name}: a thickness from {piece.thickness_mm[0]} to {piece.thickness_mm[1]} mm",
            value=piece.thickness_mm,
            expected="[least, most], neither under 0, least not above most",
        )
    if piece.value < 0:
        raise BadPattern(f"{name}: a value of {piece.value}", value=piece.value, expected="0 or more")
    if piece.gap_mm is not None and not 0 <= piece.gap_mm <= MOST_GAP_MM:
        raise BadPattern(
            f"{name}: a gap of {piece.gap_mm} mm", value=piece.gap_mm, expected=f"0 to {MOST_GAP_MM:g} mm"
        )
    if piece.per_set < 1:
        raise BadPattern(f"{name}: {piece.per_set} per set", value=piece.per_set, expected="1 or more")
    if piece.pair and piece.splits:
        raise BadPattern(
            f"{name}: a pair with splits", value=piece.id, expected="splits on single pieces only"
        )
