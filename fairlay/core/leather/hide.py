"""A hide as the cutter knows it once it has been looked over.

Coordinates in mm: x along the backbone from tail to neck, y from the backbone toward
the belly. Angles in degrees counter-clockwise from x toward y.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from functools import cached_property
from typing import Literal, get_args

import numpy as np
from numpy.typing import NDArray
from shapely.geometry import Point, Polygon, box
from shapely.geometry.base import BaseGeometry

from fairlay.core.errors import BadHide
from fairlay.core.shapes.rings import Ring, common, region, union
from fairlay.core.tolerances import THICKNESS_GRID_MM

End = Literal["tail", "neck"]
ENDS: tuple[End, ...] = get_args(End)
HIDE_KINDS = ("side", "whole", "bend", "shoulder", "belly", "offcut", "roll")
FLAW_KINDS = (
    "brand",
    "scratch",
    "scar",
    "tick bite",
    "fly bite",
    "lice bite",
    "warble hole",
    "vein",
    "growth wrinkle",
    "fat wrinkle",
    "stretch mark",
    "loose grain",
    "pipey grain",
    "flay cut",
    "thin spot",
    "hole",
    "stain",
    "dye patch",
    "dirt",
    "fold crease",
    "not named",
)
TIGHTNESS_NAMES = {1: "tight", 2: "firm", 3: "loose", 4: "slack"}
BEYOND_MM = 10_000.0
"""How far past a hide ground is drawn that is no leather: farther than any piece is long."""
SEVERITY_NAMES = {1: "surface", 2: "blemish", 3: "unsound"}


@dataclass(frozen=True, eq=False)
class Zone:
    """Leather of one tightness (1 tight to 4 slack); ``stretch_deg`` is the way that gives most."""

    outline: Ring
    tightness: int
    stretch_deg: float = 90.0


@dataclass(frozen=True, eq=False)
class Flaw:
    """A ringed flaw: severity 1 surface, 2 blemish, 3 unsound."""

    kind: str
    severity: int
    outline: Ring


@dataclass(frozen=True)
class Reading:
    """One thickness reading, in mm, at a point."""

    x: float
    y: float
    mm: float


@dataclass(frozen=True, eq=False)
class Reserved:
    """Leather that only some pieces may use, by their ids: a strap lane; for none of them: a block kept for
    the rack. ``lane``: it runs along the backbone, and gives way to the next lane that is asked for.
    """

    outline: Ring
    pieces: frozenset[str] = frozenset()
    lane: bool = False

    def lets(self, piece_id: str) -> bool:
        """Whether a piece may lie here."""
        return piece_id in self.pieces

    @property
    def words(self) -> str:
        """Whom it is kept for, in words."""
        if self.lane:
            return "straps" if self.pieces else "straps laid later"
        return ", ".join(sorted(self.pieces)) or "the rack"


@dataclass(frozen=True, eq=False)
class Hide:
    """A hide, side, cut or roll, ready to be laid on.

    A roll has ``width_mm`` (along y) and no outline of its own; ``length_mm`` is how much
    of it may be used, and it runs from x = 0. ``neck_left``: a side of the other hand, whose neck is
    at the left. ``keep_end``: the end that is to be left for the rack (none: whichever is larger).
    """

    id: str
    kind: str
    outline: Ring
    holes: tuple[Ring, ...] = ()
    backbone_deg: float = 0.0
    edge_margin_mm: float = 0.0
    cost_per_m2: float = 0.0
    zones: tuple[Zone, ...] = ()
    flaws: tuple[Flaw, ...] = ()
    thickness: tuple[Reading, ...] = ()
    width_mm: float | None = field(default=None)
    reserved: tuple[Reserved, ...] = ()
    neck_left: bool = False
    keep_end: End | None = None

    @property
    def is_roll(self) -> bool:
        return self.kind == "roll"

    @cached_property
    def region(self) -> Polygon:
        """The leather itself: outline less holes."""
        return region(self.outline, self.holes, f"hide {self.id}")

    @cached_property
    def within_margin(self) -> BaseGeometry:
        """The leather less the edge margin; on a roll the margin is on its two long edges only."""
        if self.is_roll:
            x0, y0, x1, y1 = self.region.bounds
            return (
                box(x0, y0 + self.edge_margin_mm, x1, y1 - self.edge_margin_mm)
                if y1 - y0 > 2 * self.edge_margin_mm
                else Polygon()
            )
        return self.region.buffer(-self.edge_margin_mm) if self.edge_margin_mm else self.region

    def flawed(self, severity: int) -> BaseGeometry:
        """The region of all flaws of one severity."""
        return self._flawed[severity]

    @cached_property
    def flaw_regions(self) -> tuple[tuple[Flaw, BaseGeometry], ...]:
        """Each flaw with its region."""
        return tuple((f, Polygon(f.outline).buffer(0)) for f in self.flaws)

    @cached_property
    def _flawed(self) -> dict[int, BaseGeometry]:
        return {s: union(region for f, region in self.flaw_regions if f.severity == s) for s in (1, 2, 3)}

    @cached_property
    def off_the_leather(self) -> BaseGeometry:
        """Everything outside the edge margin, as far as ``BEYOND_MM`` past the hide; past the end of a roll
        too.
        """
        x0, y0, x1, y1 = self.region.bounds
        return box(x0 - BEYOND_MM, y0 - BEYOND_MM, x1 + BEYOND_MM, y1 + BEYOND_MM).difference(
            self.within_margin
        )

    @cached_property
    def usable(self) -> BaseGeometry:
        """Outline less edge margin less unsound leather: what yield is measured against."""
        return self.within_margin.difference(self.flawed(3))

    @cached_property
    def zone_regions(self) -> tuple[tuple[Zone, BaseGeometry], ...]:
        """Zones with the part of each that shows, the topmost (last given) first."""
        out: list[tuple[Zone, BaseGeometry]] = []
        covered: BaseGeometry = Polygon()
        for zone in reversed(self.zones):
            whole = Polygon(zone.outline).buffer(0)
            out.append((zone, whole.difference(covered)))
            covered = covered.union(whole)
        return tuple(out)

    @property
    def zones_on_leather(self) -> tuple[tuple[Zone, BaseGeometry], ...]:
        """Zones with the part of each that shows and is leather, for drawing; those that are none are left
        out.
        """
        cut = ((zone, common(shown, self.region)) for zone, shown in self.zone_regions)
        return tuple((zone, shown) for zone, shown in cut if not shown.is_empty)

    def looser_than(self, tightness: int) -> BaseGeometry:
        """The region of leather looser than a class; leather in no zone bears anything."""
        return union(shown for zone, shown in self.zone_regions if zone.tightness > tightness)

    def least_stretch_deg(self, x: float, y: float) -> float:
        """The line of least stretch at a point: across the zone's stretch; outside zones the backbone."""
        point = Point(x, y)
        for zone, shown in self.zone_regions:
            if shown.intersects(point):
                return zone.stretch_deg + 90.0
        return self.backbone_deg

    def thickness_mm(self, points: Ring) -> NDArray[np.float64]:
        """Thickness at ``(n, 2)`` points, ``(n,)`` in mm; NaN without readings.

        Readings weighted by one over the distance squared (Shepard 1968, power 2), so a
        value never leaves the range of what was read.
        """
        if not self.thickness:
            return np.full(len(points), math.nan)
        at = np.array([(r.x, r.y) for r in self.thickness], float)
        mm = np.array([r.mm for r in self.thickness], float)
        d2, dy = points[:, :1] - at[:, 0], points[:, 1:] - at[:, 1]
        d2 *= d2
        d2 += np.square(dy, out=dy)
        hit = d2.min(axis=1) < 1e-6
        nearest = d2[hit].argmin(axis=1)
        weight = np.reciprocal(np.maximum(d2, 1e-6, out=d2), out=d2)
        out: NDArray[np.float64] = (weight @ mm) / weight.sum(axis=1)
        out[hit] = mm[nearest]
        return out

    @cached_property
    def thickness_map(self) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]:
        """Thickness on a grid of ``THICKNESS_GRID_MM`` over the leather and a little beyond: x ``(w,)``, y
        ``(h,)``, mm ``(h, w)``; NaN without readings.
        """
        x0, y0, x1, y1 = self.region.bounds
        step = THICKNESS_GRID_MM
        xs, ys = np.arange(x0 - step, x1 + 2 * step, step), np.arange(y0 - step, y1 + 2 * step, step)
        return (
            xs,
            ys,
            self.thickness_mm(np.stack(np.meshgrid(xs, ys), axis=-1).reshape(-1, 2)).reshape(
                len(ys), len(xs)
            ),
        )

    def end_kept_mm2(self, lo: float, hi: float) -> tuple[float, bool]:
        """Area of the larger straight-cut end, left of ``lo`` or right of ``hi``, and whether it is the
        right; of the one that is to be kept, where that is said.
        """
        x0, y0, x1, y1 = self.region.bounds
        right = self.region.intersection(box(min(hi, x1), y0, x1, y1)).area
        left = self.region.intersection(box(x0, y0, max(lo, x0), y1)).area
        keeps_right = right >= left if self.keep_end is None else self.keeps_right
        return (right, True) if keeps_right else (left, False)

    @property
    def keeps_right(self) -> bool:
        """Whether the end that is to be kept is the right one."""
        return self.keep_end == self.end_name(True)

    def end_name(self, right: bool) -> str:
        """What the left or the right end is: tail or neck."""
        return "neck" if right != self.neck_left else "tail"


def check_hide(hide: Hide) -> None:
    """Raise BadHide where a hide's numbers make no sense; outlines are checked as they are read."""
    if hide.kind not in HIDE_KINDS:
        raise BadHide(
            f"hide {hide.id}: kind {hide.kind!r}", value=hide.kind, expected="one of " + ", ".join(HIDE_KINDS)
        )
    for zone in hide.zones:
        if zone.tightness not in TIGHTNESS_NAMES:
            raise BadHide(
                f"hide {hide.id}: a zone of tightness {zone.tightness!r}",
                value=zone.tightness,
                expected="1 tight, 2 firm, 3 loose or 4 slack",
            )
    for flaw in hide.flaws:
        if flaw.severity not in SEVERITY_NAMES:
            raise BadHide(
                f"hide {hide.id}: a {flaw.kind} of severity {flaw.severity!r}",
                value=flaw.severity,
                expected="1 surface, 2 blemish or 3 unsound",
            )
    for reading in hide.thickness:
        if not 0.1 <= reading.mm <= 15:
            raise BadHide(
                f"hide {hide.id}: a thickness reading of {reading.mm} mm",
                value=reading.mm,
                expected="0.1 to 15 mm",
            )
    if hide.edge_margin_mm < 0:
        raise BadHide(
            f"hide {hide.id}: an edge margin of {hide.edge_margin_mm} mm",
            value=hide.edge_margin_mm,
            expected="0 or more",
        )
