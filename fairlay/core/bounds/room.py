"""Where a piece could lie at all, by proof: boxes of position and turn of which nothing rules out every
place.

A box of positions and turns holds no fair place where some point of the piece lies off fair ground by more
than the box can move it, or forbidden ground lies inside the piece by as much. Boxes are halved until that is
so or they are small (branch and bound). What is left holds every place the piece might have: where nothing is
left it has none, which is a proof, where a search that finds nothing is none.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray
from scipy.sparse.csgraph import connected_components
from scipy.spatial import cKDTree
from shapely import STRtree, contains_xy
from shapely import points as points_at
from shapely.affinity import scale, translate
from shapely.geometry import LineString, Point
from shapely.geometry.base import BaseGeometry

from fairlay.core.bounds import room_kernels as kernels
from fairlay.core.lay.lay import Job
from fairlay.core.leather import Hide
from fairlay.core.pattern import Piece
from fairlay.core.rules import fair_ground
from fairlay.core.rules.gap import between
from fairlay.core.rules.grain import any_way, fair_turns, lines_on
from fairlay.core.shapes.field import distance_field
from fairlay.core.shapes.kernels import paint_body
from fairlay.core.shapes.placing import place_region
from fairlay.core.shapes.rings import flat, pieces_of, rings_of, union
from fairlay.core.tolerances import GRAIN_GRACE_DEG, OVERLAP_MM

FIRST_MM = 24.0
LEAST_MM: Final = (6.0, 3.0, 1.5, 0.375, 0.09375)
"""Half widths of the boxes looked at, at first and at least: finer ones where the coarser leave little
enough.
"""
POINT_EVERY_MM = 14.0
CELL_MM: Final = 2.0
EXACT_MM: Final = 3.0
"""Boxes wider than this are settled by the distance field alone."""
NEAR_MM: Final = 16.0
"""So near to fair ground its distance is reckoned from its edges, farther off from painted cells."""
PAINTED_CELLS: Final = 2.2
"""A field of painted cells may be this many off the true distance: half a cell's diagonal where it was
painted, as much where it is read, half a cell for the edge between.
"""
READ_CELLS: Final = 0.71
"""Half a cell's diagonal: how far off a cell's middle it may be read."""
MOST_REFINED = 2500
"""Places that finer boxes are still worth looking at for."""
NEXT: Final = 3.0
"""Places no more than so many half widths apart, across and along, hang together."""
SPOTS_EACH = 8
MOST_PLACES: Final = 30_000
MOST_BOXES: Final = 400_000
"""Past these nothing is claimed: there is plenty of room, or it would take too long to say."""
THICKNESS_SPARE_MM = 0.03
"""The ground of a thickness follows a map; the range is taken so much wider, so that the map errs to the safe
side.
"""

Floats = NDArray[np.float64]
Body = tuple[Floats, NDArray[np.int64]]


@dataclass(frozen=True)
class Room:
    """How many copies of a piece, in one hand, a hide has room for at most; ``proved`` where places were
    looked at and not only areas.
    """

    most: int
    proved: bool


@dataclass(frozen=True)
class Looked:
    """A piece in one hand on one hide, ready to be looked for: its ``shape`` about its centroid, what
    compiled code asks of a box (``asked``), and every range of turns with where it holds: (ground, body of
    it, middle and half width in rad). ``reach`` is the farthest point of the piece, in mm.
    """

    shape: BaseGeometry
    fair: BaseGeometry
    asked: tuple[Any, ...]
    reach: float
    ranges: tuple[tuple[BaseGeometry, Body, float, float], ...]


def looked_for(
    job: Job,
    piece: Piece,
    hide: Hide,
    mirrored: bool = False,
    *,
    cell_mm: float = CELL_MM,
    exact_mm: float = EXACT_MM,
) -> Looked:
    """Return what places of a piece on a hide are looked for with; see ``Looked``. Its distance field has
    cells of ``cell_mm``; boxes no wider than ``exact_mm`` are held against the ground itself.
    """
    fair, off_show = _grounds(job, piece, hide)
    shape, show = _in_hand(piece, mirrored)
    points = _points(shape)
    clean = _points(show) if piece.hidden and not off_show.is_empty else np.empty((0, 2))
    field, origin = _field(fair, hide, cell_mm)
    body = _body(shape.buffer(-OVERLAP_MM))
    spots = _spots(hide.region.difference(fair))
    reach = float(np.hypot(*points.T).max())
    return Looked(
        shape,
        fair,
        (
            points,
            field,
            origin,
            cell_mm,
            READ_CELLS * cell_mm,
            exact_mm,
            *_body(fair),
            clean,
            *_body(off_show),
            spots,
            *body,
            _spots(off_show),
            *_body(show.buffer(-OVERLAP_MM)),
            reach,
        ),
        reach,
        tuple(
            (held, _body(held), math.radians(middle), math.radians(half + GRAIN_GRACE_DEG))
            for line in lines_on(hide, job.policy)
            if not (held := _where_line_holds(hide, job, line)).is_empty
            for middle, half in fair_turns(piece, line, mirrored, job.policy)
        ),
    )


def room_for(job: Job, piece: Piece, hide: Hide, mirrored: bool = False) -> Room:
    """Return the room of a piece of a job on a hide, clear of what is fixed there (but copies of itself)."""
    fair, _ = _grounds(job, piece, hide)
    by_area = Room(int(fair.area // piece.area_mm2), False)
    if by_area.most == 0 or any_way(piece, job.policy):
        return by_area
    looked = looked_for(job, piece, hide, mirrored)
    known = by_area
    for least in LEAST_MM:
        found: list[Floats] = []
        for held, held_body, middle, half in looked.ranges:
            out = np.empty((MOST_PLACES, 2))
            bounds = np.array(held.bounds)
            n = kernels.places(
                middle,
                half,
                bounds,
                *held_body,
                looked.asked,
                FIRST_MM,
                least,
                looked.reach,
                out,
                MOST_BOXES,
            )
            if n < 0:
                return known
            found.append(out[:n])
        most = _most_apart(np.concatenate(found), 2.0 * _room_about_centroid(looked.shape), least)
        known = Room(min(known.most, most), True)
        if known.most == 0 or sum(map(len, found)) > MOST_REFINED:
            break
    return known


def _grounds(job: Job, piece: Piece, hide: Hide) -> tuple[BaseGeometry, BaseGeometry]:
    """Fair ground and ground the show face keeps off, both with the tolerances in the piece's favour, less
    what is fixed.
    """
    if piece.thickness_mm is not None:
        lo, hi = piece.thickness_mm
        piece = replace(piece, thickness_mm=(max(0.01, lo - THICKNESS_SPARE_MM), hi + THICKNESS_SPARE_MM))
    fair, off_show = fair_ground(piece, hide, job.policy)
    stands = [
        place_region(job.pieces_by_id[p.piece].region, p.at).buffer(
            between(piece, job.pieces_by_id[p.piece], job.policy) - 2 * OVERLAP_MM
        )
        for p in job.fixed
        if p.hide == hide.id and (job.pieces_by_id[p.piece].parent or p.piece) != (piece.parent or piece.id)
    ]
    return fair.buffer(OVERLAP_MM).difference(union(stands)), off_show.buffer(-OVERLAP_MM)


def _in_hand(piece: Piece, mirrored: bool) -> tuple[BaseGeometry, BaseGeometry]:
    """The piece and its show face, mirrored or not, with the centroid at the origin."""
    shape, show = piece.region, piece.show_face
    if mirrored:
        shape, show = (scale(s, -1.0, 1.0, origin=(0, 0)) for s in (shape, show))
    centre = shape.centroid
    return translate(shape, -centre.x, -centre.y), translate(show, -centre.x, -centre.y)


def _field(ground: BaseGeometry, hide: Hide, cell_mm: float) -> tuple[NDArray[np.float32], Floats]:
    """How far cells lie off some ground, negative, in mm and never more than they do; 0 or more on it; and
    where the first cell's middle lies.
    """
    x0, y0, x1, y1 = hide.region.bounds
    origin = np.array([x0 - 2 * cell_mm, y0 - 2 * cell_mm])
    mask = np.zeros((math.ceil((y1 - y0) / cell_mm) + 5, math.ceil((x1 - x0) / cell_mm) + 5), np.bool_)
    paint_body(mask, *_body(ground), origin[0], origin[1], cell_mm, True)
    painted = distance_field(mask, cell_mm)
    off = painted < 0.0
    field = np.where(off, np.minimum(painted + PAINTED_CELLS * cell_mm, 0.0), painted)
    near = off & (painted > -NEAR_MM)
    rows, cols = np.nonzero(near)
    x, y = origin[0] + cell_mm * cols, origin[1] + cell_mm * rows
    edges = STRtree([LineString(pair) for ring in rings_of(ground) for pair in pairwise([*ring, ring[0]])])
    if len(rows) and len(edges):
        (which, _), apart = edges.query_nearest(points_at(x, y), return_distance=True, all_matches=False)
        exact = np.zeros(len(rows))
        exact[which] = -apart
        exact[contains_xy(ground, x, y)] = 0.0
        field[near] = exact
    return field.astype(np.float32), origin


def _body(shape: BaseGeometry) -> Body:
    return flat(rings_of(shape))


def _points(shape: BaseGeometry) -> Floats:
    """Points of a shape's outline and inside it, the farthest from the centroid first: those soonest leave no
    place.
    """
    out = [(float(x), float(y)) for ring in rings_of(shape.segmentize(POINT_EVERY_MM)) for x, y in ring]
    x0, y0, x1, y1 = shape.bounds
    out += [
        (x, y)
        for x in np.arange(x0, x1, 2 * POINT_EVERY_MM)
        for y in np.arange(y0, y1, 2 * POINT_EVERY_MM)
        if shape.contains(Point(x, y))
    ]
    points = np.array(out)
    return points[np.argsort(-np.hypot(*points.T), kind="stable")]


def _spots(forbidden: BaseGeometry) -> Floats:
    """A few points well inside each patch of forbidden ground."""
    out = []
    for part in pieces_of(forbidden):
        inner = part.buffer(-min(2.0, 0.2 * math.sqrt(part.area)))
        for own in pieces_of(inner if not inner.is_empty else part):
            x, y = own.representative_point().coords[0]
            out.append((x, y))
            out += [(float(px), float(py)) for px, py in own.simplify(3.0).exterior.coords[:SPOTS_EACH]]
    return np.array(out) if out else np.empty((0, 2))


def _where_line_holds(hide: Hide, job: Job, line: float) -> BaseGeometry:
    """Where a centroid may lie whose piece is judged by a line; a bent piece's may lie off the leather."""
    about = hide.region.envelope
    if job.policy.grain_school != "local":
        return about
    zones = [shown for zone, shown in hide.zone_regions if zone.stretch_deg + 90.0 == line]
    if line == hide.backbone_deg:
        zones.append(about.difference(union(shown for _, shown in hide.zone_regions)))
    return union(zones).buffer(OVERLAP_MM)


def _room_about_centroid(shape: BaseGeometry) -> float:
    centre = shape.centroid
    return float(shape.boundary.distance(centre)) if shape.contains(centre) else 0.0


def _most_apart(places: Floats, apart_mm: float, least_mm: float) -> int:
    """Return how many of some places (each a box of half width ``least_mm``) can be taken, ``apart_mm``
    apart, at most: patches narrower than that hold one each.
    """
    if len(places) == 0:
        return 0
    apart = apart_mm - 2 * OVERLAP_MM - 4 * least_mm
    if apart <= least_mm:
        return 10**9
    # Places of different turns are one place here.
    at = np.unique(places, axis=0)
    near = cKDTree(at).sparse_distance_matrix(cKDTree(at), NEXT * least_mm, p=np.inf)
    count, patch = connected_components(near, directed=False)
    ends = np.full((count, 4), np.inf)
    np.minimum.at(ends, patch, np.column_stack([at, -at]) - NEXT / 2 * least_mm)
    return sum(_patches((x0, y0, -x1, -y1), apart) for x0, y0, x1, y1 in ends.tolist())


def _patches(bounds: tuple[float, float, float, float], across_mm: float) -> int:
    """Return the least number of equal rectangles, each less than ``across_mm`` from corner to corner, that
    cover some bounds.
    """
    wide, high = bounds[2] - bounds[0], bounds[3] - bounds[1]
    most_rows = int(2 * high / across_mm) + 2
    counts = [
        rows * max(1, math.ceil(wide / math.sqrt(across_mm**2 - (high / rows) ** 2)))
        for rows in range(1, most_rows + 1)
        if high / rows < across_mm
    ]
    return min(counts)
