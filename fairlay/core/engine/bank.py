"""The pieces of a job as the engine handles them: bodies to keep apart and circles to scan with.

Every piece gives one *variant*, a pair two (the second mirrored). A variant's coordinates
are moved so that its centroid is the origin; it is turned and moved about that. Each has
three bodies: ``NEAR`` (kept off other pieces), ``GROUND`` (kept on fair ground) and ``SHOW``
(its show face, where it has hidden areas; else empty).

Between two pieces the larger of their gaps holds, so how far a piece is grown depends on what it
is kept off. Pieces with equal gaps are one class; each class sees every body grown by what is
left of the larger gap once its own half is taken off. A job with one gap has one class.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray
from shapely.affinity import scale, translate
from shapely.geometry import Polygon
from shapely.geometry.base import BaseGeometry
from shapely.geometry.polygon import orient

from fairlay.core.engine.kernels import inscribed_circles
from fairlay.core.lay.lay import Job
from fairlay.core.pattern import Piece
from fairlay.core.rules.gap import gap_of
from fairlay.core.shapes.placing import Placing, matrix
from fairlay.core.shapes.rings import Ring, pieces_of, rings_of
from fairlay.core.tolerances import SHRINK_MM

NEAR, GROUND, SHOW = 0, 1, 2
BODIES = 3
CIRCLES, MOST_CIRCLES = 14, 24
"""Inscribed circles per body, and of one so long that those would leave an end of it without any: more follow
thin corners better and cost more to scan. What has no circle can be overlapped unfelt.
"""
MANY_POINTS = 150
STRAIGHT_MM = 0.02
COVER_MM = 0.05
"""An outline of more than MANY_POINTS is covered by one of few: nowhere smaller, and at most twice this
larger.
"""

MOST_TURNED = 4000
Turned = tuple[NDArray[np.float64], NDArray[np.float64], tuple[float, float, float, float]]


class Bodies(NamedTuple):
    """Flat arrays of all bodies. Body b of variant v has index ``v * BODIES + b``.

    ``pts`` (n, 2); points of body k are ``pts[pt_at[k]:pt_at[k + 1]]``; its ring starts, relative
    to its first point, are ``starts[ring_at[k]:ring_at[k + 1]]``; its circles (x, y, r), largest
    first, are ``circles[circle_at[k]:circle_at[k + 1]]``. ``reach`` is its radius about the origin.
    """

    pts: NDArray[np.float64]
    pt_at: NDArray[np.int64]
    starts: NDArray[np.int64]
    ring_at: NDArray[np.int64]
    circles: NDArray[np.float64]
    circle_at: NDArray[np.int64]
    reach: NDArray[np.float64]


@dataclass(frozen=True)
class Variant:
    """One way a piece can be turned over. ``centroid`` is in the piece's own (mirrored) coordinates."""

    index: int
    piece: Piece
    mirrored: bool
    centroid: tuple[float, float]
    area_mm2: float

    def placing(self, x: float, y: float, turn_deg: float) -> Placing:
        """Return the placing that puts the centroid at (x, y) with the variant turned by ``turn_deg``."""
        a, b, c, d = matrix(Placing(0.0, 0.0, turn_deg))
        cx, cy = self.centroid
        return Placing(x - (a * cx + b * cy), y - (c * cx + d * cy), turn_deg, self.mirrored)

    def centre_of(self, at: Placing) -> tuple[float, float]:
        """Return where a placing puts the centroid."""
        a, b, c, d = matrix(Placing(0.0, 0.0, at.rotation_deg))
        cx, cy = self.centroid
        return at.x + a * cx + b * cy, at.y + c * cx + d * cy


@dataclass(frozen=True)
class Sides:
    """Sides of a variant as it is, not shrunk, ``(n, 4)`` (ax, ay, bx, by), the body on the left: as kept off
    pieces, and as kept on fair ground.
    """

    near: NDArray[np.float64]
    ground: NDArray[np.float64]


@dataclass(frozen=True)
class GapClass:
    """Every variant as pieces of one gap meet it: its bodies, and its sides. Those of the class itself are
    grown by half the gap.
    """

    gap_mm: float
    bodies: Bodies
    sides: tuple[Sides, ...]


@dataclass(frozen=True)
class Bank:
    """All variants of a job with their bodies; ``class_of`` is each variant's place in ``classes``.

    ``apart`` are bodies that any two of keep the larger gap, whatever their classes: they are a little larger
    than they need be where gaps differ.
    """

    variants: tuple[Variant, ...]
    of_piece: dict[str, tuple[Variant, ...]]
    classes: tuple[GapClass, ...]
    class_of: tuple[int, ...]
    apart: Bodies
    max_points: int
    sums: dict[tuple[bytes, bytes], Any] = field(default_factory=dict, compare=False, repr=False)
    """What is known of pairs of variants at the turns they may have (see ``sums``), by those turns."""
    lattices: dict[tuple[int, bool], Any] = field(default_factory=dict, compare=False, repr=False)
    """How copies of a variant lie closest (see ``lattice``), by whether they may be turned half about."""
    _turned: dict[tuple[int, float], Turned] = field(default_factory=dict, compare=False, repr=False)

    def own(self, variant: Variant) -> GapClass:
        """The class of a variant."""
        return self.classes[self.class_of[variant.index]]

    def turned(self, variant: Variant, turn_deg: float) -> Turned:
        """Return a variant's circles turned, those of its show face, and the bounds of its turned body (x0,
        y0, x1, y1).
        """
        key = (variant.index, turn_deg)
        if key not in self._turned:
            if len(self._turned) >= MOST_TURNED:
                self._turned.clear()
            bodies = self.own(variant).bodies
            near, show = variant.index * BODIES + NEAR, variant.index * BODIES + SHOW
            cos, sin = math.cos(math.radians(turn_deg)), math.sin(math.radians(turn_deg))
            pts = bodies.pts[bodies.pt_at[near] : bodies.pt_at[near + 1]] @ np.array(
                [[cos, sin], [-sin, cos]]
            )
            (x0, y0), (x1, y1) = pts.min(axis=0), pts.max(axis=0)
            own, shown = (
                _turned_circles(bodies.circles[bodies.circle_at[k] : bodies.circle_at[k + 1]], cos, sin)
                for k in (near, show)
            )
            self._turned[key] = (own, shown, (float(x0), float(y0), float(x1), float(y1)))
        return self._turned[key]


def _turned_circles(circles: NDArray[np.float64], cos: float, sin: float) -> NDArray[np.float64]:
    out = circles.copy()
    out[:, 0] = circles[:, 0] * cos - circles[:, 1] * sin
    out[:, 1] = circles[:, 0] * sin + circles[:, 1] * cos
    return out


def build_bank(job: Job) -> Bank:
    """Return the bank of every piece and part of a job."""
    variants: list[Variant] = []
    of_piece: dict[str, tuple[Variant, ...]] = {}
    whole: list[_Shapes] = []
    for piece in job.pieces_by_id.values():
        own = []
        for mirrored in (False, True) if piece.pair else (False,):
            variant, shapes = _variant(len(variants), piece, mirrored)
            variants.append(variant)
            own.append(variant)
            whole.append(shapes)
        of_piece[piece.id] = tuple(own)
    gaps = [gap_of(v.piece, job.policy) for v in variants]
    different = sorted(set(gaps))
    classes = tuple(_gap_class(gap, gaps, whole) for gap in different)
    apart = classes[0].bodies
    if len(classes) > 1:
        # Half of the least gap taken off each: any two then have at least the larger gap between them.
        apart = _bodies(whole, [gap - different[0] / 2 for gap in gaps])
    points = max(most_points(b) for b in (apart, *(c.bodies for c in classes)))
    class_of = tuple(different.index(gap) for gap in gaps)
    return Bank(tuple(variants), of_piece, classes, class_of, apart, points)


def most_points(bodies: Bodies) -> int:
    """Return how many points the largest body has, and no fewer than one."""
    return max(1, int(np.diff(bodies.pt_at).max(initial=0)))


def _gap_class(gap_mm: float, gaps: list[float], whole: list[_Shapes]) -> GapClass:
    grown = [max(gap, gap_mm) - gap_mm / 2 for gap in gaps]
    sides = tuple(_sides(shapes.leather, by) for shapes, by in zip(whole, grown, strict=True))
    return GapClass(gap_mm, _bodies(whole, grown), sides)


def _bodies(whole: list[_Shapes], grown_mm: list[float]) -> Bodies:
    shapes = []
    for own, by in zip(whole, grown_mm, strict=True):
        near = _offset(own.leather, by - SHRINK_MM) if by else own.ground
        shapes += [rings_of(near), rings_of(own.ground), rings_of(own.show)]
    return _flatten(shapes)


def sides_of(region: BaseGeometry) -> NDArray[np.float64]:
    """Return the sides of a region, ``(n, 4)``, the region on the left of each; what is straight within
    STRAIGHT_MM is one side.
    """
    out: list[Any] = [np.empty((0, 4))]
    for part in pieces_of(region.simplify(STRAIGHT_MM)):
        turned = orient(part)
        for ring in (turned.exterior, *turned.interiors):
            pts = np.asarray(ring.coords)
            out.append(np.hstack([pts[:-1], pts[1:]]))
    return np.ascontiguousarray(np.concatenate(out))


def _sides(leather: BaseGeometry, grown_mm: float) -> Sides:
    ground = sides_of(leather)
    if not grown_mm:
        return Sides(ground, ground)
    return Sides(sides_of(leather.buffer(grown_mm, join_style="mitre", mitre_limit=2.0)), ground)


@dataclass(frozen=True)
class _Shapes:
    """A variant's regions about its centroid: the leather itself, and shrunk, whole and its show face."""

    leather: BaseGeometry
    ground: BaseGeometry
    show: BaseGeometry


def _variant(index: int, piece: Piece, mirrored: bool) -> tuple[Variant, _Shapes]:
    def turned_over(shape: BaseGeometry) -> BaseGeometry:
        return scale(shape, -1.0, 1.0, origin=(0, 0)) if mirrored else shape

    whole = turned_over(piece.region)
    cx, cy = whole.centroid.x, whole.centroid.y
    whole = translate(whole, -cx, -cy)
    show = Polygon()
    if piece.hidden:
        show = _offset(translate(turned_over(piece.show_face), -cx, -cy), -SHRINK_MM)
    shapes = _Shapes(whole, _offset(whole, -SHRINK_MM), show)
    return Variant(index, piece, mirrored, (cx, cy), piece.area_mm2), shapes


def _offset(shape: BaseGeometry, by_mm: float) -> BaseGeometry:
    if sum(len(r) for r in rings_of(shape)) > MANY_POINTS:
        shape = shape.buffer(COVER_MM, quad_segs=2).simplify(COVER_MM)
    moved = shape.buffer(by_mm, join_style="mitre", mitre_limit=2.0)
    return moved if not moved.is_empty else shape.representative_point().buffer(SHRINK_MM)


def _farthest_first(circles: Any) -> Any:
    """Return circles with the largest first, then each the farthest from those before: a scan then finds
    soonest what does not fit.
    """
    if len(circles) < 3:
        return circles
    order, away = [0], np.hypot(*(circles[:, :2] - circles[0, :2]).T)
    for _ in range(len(circles) - 1):
        away[order] = -1.0
        order.append(int(np.argmax(away)))
        away = np.minimum(away, np.hypot(*(circles[:, :2] - circles[order[-1], :2]).T))
    return circles[order]


def _flatten(shapes: list[list[Ring]]) -> Bodies:
    pts: list[Any] = [np.empty((0, 2))]
    starts: list[int] = []
    circles: list[Any] = [np.empty((0, 3))]
    pt_at, ring_at, circle_at, reach = [0], [0], [0], []
    for rings in shapes:
        own = [0]
        for ring in rings:
            own.append(own[-1] + len(ring))
        body = np.concatenate(rings) if rings else np.empty((0, 2))
        pts.append(body)
        starts += own
        pt_at.append(pt_at[-1] + len(body))
        ring_at.append(ring_at[-1] + len(own))
        found = np.empty((0, 3))
        if rings:
            found = inscribed_circles(body, np.array(own, np.int64), CIRCLES, MOST_CIRCLES)
        if rings and len(found) == 0:
            # Thinner than the grid that circles are looked for on: a point inside stands for them.
            at = Polygon(rings[0], rings[1:]).representative_point()
            found = np.array([[at.x, at.y, 0.0]])
        circles.append(_farthest_first(found))
        circle_at.append(circle_at[-1] + len(found))
        reach.append(float(np.hypot(*body.T).max()) if rings else 0.0)
    as_int = [np.array(v, np.int64) for v in (pt_at, starts, ring_at, circle_at)]
    return Bodies(
        np.ascontiguousarray(np.concatenate(pts)),
        as_int[0],
        as_int[1],
        as_int[2],
        np.ascontiguousarray(np.concatenate(circles)),
        as_int[3],
        np.array(reach),
    )


def sizes(variants: Sequence[Variant]) -> dict[int, float]:
    """Return each variant's area as a share of the mean one, weighted by area."""
    areas = np.array([v.area_mm2 for v in variants])
    middle = float((areas * areas).sum() / areas.sum())
    return {v.index: v.area_mm2 / middle for v in variants}
