"""What hands do with pieces: let one go at the nearest fair place, push a row together, swap two, turn one
over, find the best angle, copy an arrangement to another hide.

Each gives placements that keep every rule of place, angle and gap where the lay before did.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import replace
from typing import Final

import numpy as np
import shapely
from shapely.geometry import LineString, Point
from shapely.geometry.base import BaseGeometry
from shapely.ops import nearest_points

from fairlay.core.errors import Refused
from fairlay.core.hand.open_ground import HandTable, Held
from fairlay.core.hand.why import reasons
from fairlay.core.lay.lay import Placement
from fairlay.core.pattern import Piece
from fairlay.core.rules.grain import any_way, axis_deg, fair_turns, line_deg, turn_within
from fairlay.core.shapes.placing import Placing, place_points
from fairlay.core.shapes.rings import Ring
from fairlay.core.tolerances import COORDINATE_DECIMALS, GRAIN_GRACE_DEG

WITHIN_MM: Final = 0.06
"""The engine lays pieces nearer to each other than hands do, by no more than this: both are fair."""
FAR_MM: Final = 6000.0
NEIGHBOURS_MM: Final = 60.0
LONG_EDGE: Final = 0.35
"""An edge counts for butting from this share of the piece's longer side."""
ANGLES_TRIED: Final = 10


def held_of(table: HandTable, placement: Placement) -> Held:
    """Return the piece of a placement as it is held when it is taken up."""
    piece = table.job.pieces_by_id[placement.piece]
    return Held(piece, placement.at.rotation_deg, placement.at.mirrored)


def without(lying: Sequence[Placement], taken: Sequence[Placement]) -> list[Placement]:
    """Return what lies but for what is taken up."""
    keys = {(p.piece, p.copy) for p in taken}
    return [p for p in lying if (p.piece, p.copy) not in keys]


def nearest(ground: BaseGeometry, x: float, y: float) -> tuple[float, float] | None:
    """Return the place of some open ground nearest to (x, y), in mm; None where there is none."""
    if ground.is_empty:
        return None
    if ground.distance(Point(x, y)) <= 1e-9:
        return x, y
    near, _ = nearest_points(ground, Point(x, y))
    return near.x, near.y


def let_go(
    table: HandTable, placement: Placement, lying: Sequence[Placement], most_mm: float = math.inf
) -> Placement | None:
    """Return a placement at the fair place nearest to where it is; None where there is none within
    ``most_mm``. ``lying`` is what lies besides it.
    """
    held = held_of(table, placement)
    at = placement.at
    if not reasons(table, held, at, lying):
        return placement
    found = nearest(table.open_ground(held, lying).region, at.x, at.y)
    if found is None or math.hypot(found[0] - at.x, found[1] - at.y) > most_mm:
        return None
    return replace(placement, at=_rounded(held.at(*found)))


def push(
    table: HandTable, moved: Sequence[Placement], lying: Sequence[Placement], way: tuple[float, float]
) -> list[Placement]:
    """Return pieces pushed along a way (dx, dy) as far as they go, the foremost first, each until it meets
    something. ``lying`` is all that lies, these among it.
    """
    length = math.hypot(*way)
    if not length:
        raise Refused("a push with no way to go", value=way, expected="a way")
    ux, uy = way[0] / length, way[1] / length
    front = sorted(moved, key=lambda p: -max(_outline(table, p) @ np.array((ux, uy))))
    there = without(lying, moved)
    out = []
    for k, p in enumerate(front):
        ground = table.open_ground(held_of(table, p), [*there, *front[k + 1 :]]).region
        x, y = p.at.x, p.at.y
        path = LineString([(x - ux * WITHIN_MM, y - uy * WITHIN_MM), (x + ux * FAR_MM, y + uy * FAR_MM)])
        far = _as_far_as(path, ground.buffer(WITHIN_MM / 4), x, y, ux, uy)
        done = _settled(table, p, (x + ux * far, y + uy * far), [*there, *front[k + 1 :]])
        out.append(done)
        there.append(done)
    return out


def _as_far_as(path: LineString, ground: BaseGeometry, x: float, y: float, ux: float, uy: float) -> float:
    """How far one can go along a path from (x, y) without leaving some ground."""
    met = path.intersection(ground)
    runs = [g for g in getattr(met, "geoms", [met]) if isinstance(g, LineString) and not g.is_empty]
    for run in runs:
        along = [(px - x) * ux + (py - y) * uy for px, py in run.coords]
        if min(along) <= WITHIN_MM:
            return float(max(0.0, *along))
    return 0.0


def _settled(
    table: HandTable, p: Placement, at: tuple[float, float], lying: Sequence[Placement]
) -> Placement:
    """A piece at a place, on the fair ground that is within a hair of it; else where it was."""
    there = replace(p, at=replace(p.at, x=at[0], y=at[1]))
    return let_go(table, there, lying, 4 * WITHIN_MM) or p


def swap(
    table: HandTable, first: Placement, second: Placement, lying: Sequence[Placement], other: HandTable
) -> list[Placement]:
    """Return two pieces in each other's place, each as near to the other's centre as is fair. ``table`` is
    the first's hide, ``other`` the second's.

    Raises Refused where one of them has no place there.
    """
    there = without(lying, (first, second))
    out: list[Placement] = []
    pairs = sorted(
        ((first, second, other), (second, first, table)),
        key=lambda pair: -table.job.pieces_by_id[pair[0].piece].area_mm2,
    )
    for p, where, home in pairs:
        piece = table.job.pieces_by_id[p.piece]
        theirs = table.job.pieces_by_id[where.piece]
        centre = place_points(_centre(theirs), where.at)[0]
        turned = _way_there(home, piece, p.at, centre)
        wanted = replace(p, hide=home.hide.id, at=_centred(piece, turned, centre))
        done = let_go(home, wanted, [*there, *out])
        if done is None:
            raise Refused(
                f"{p.piece} {p.copy + 1} has no place where {where.piece} {where.copy + 1} lies",
                value=p.piece,
                expected="two pieces that fit in each other's place; nothing was moved",
            )
        out.append(done)
    return out


def turned_over(table: HandTable, p: Placement, lying: Sequence[Placement]) -> Placement | None:
    """Return a piece turned over about its own axis, where it lies or as near to that as is fair; None where
    it has no place turned over. ``lying`` is what lies besides it.
    """
    piece = table.job.pieces_by_id[p.piece]
    centre = place_points(_centre(piece), p.at)[0]
    axis = axis_deg(piece.grain, p.at.rotation_deg, p.at.mirrored)
    flat = Placing(0.0, 0.0, 0.0, not p.at.mirrored)
    turn = axis - axis_deg(piece.grain, 0.0, flat.mirrored)
    return let_go(table, replace(p, at=_centred(piece, replace(flat, rotation_deg=turn), centre)), lying)


def best_angle(table: HandTable, p: Placement, lying: Sequence[Placement]) -> tuple[Placement, float] | None:
    """Return a piece at the fair angle whose nearest place is closest to where it is held, its centre kept,
    and how far off in mm that is; None where no angle gives a place. ``lying`` is what lies besides it.
    """
    piece = table.job.pieces_by_id[p.piece]
    centre = place_points(_centre(piece), p.at)[0]
    best: tuple[Placement, float] | None = None
    for turn in _angles(table, piece, p, lying, (float(centre[0]), float(centre[1]))):
        wanted = replace(p, at=_centred(piece, replace(p.at, rotation_deg=turn), centre))
        done = let_go(table, wanted, lying)
        if done is None:
            continue
        off = math.dist(place_points(_centre(piece), done.at)[0], centre)
        if best is None or off < best[1] - 0.05:
            best = (done, off)
        if off <= WITHIN_MM:
            break
    return best


def _angles(
    table: HandTable, piece: Piece, p: Placement, lying: Sequence[Placement], centre: tuple[float, float]
) -> Iterator[float]:
    """Angles worth a look: as it is held, the middle and ends of its tolerance, and those at which a long
    edge of it runs along one that lies near.
    """
    job = table.job
    line = line_deg(table.hide, job.policy, *centre)
    turns = fair_turns(piece, line, p.at.mirrored, job.policy)
    free = any_way(piece, job.policy)
    reach = piece.region.length / 4 + NEIGHBOURS_MM
    near = Point(centre).buffer(reach)
    edges = [line + 90.0, line]
    for other in lying:
        if other.hide == table.hide.id:
            outline = _outline(table, other)
            if near.intersects(shapely.linearrings(outline)):
                edges += _long_edges(outline)
    own = _long_edges(place_points(piece.outline, Placing(0.0, 0.0, 0.0, p.at.mirrored)))
    wanted = [p.at.rotation_deg, *(middle for middle, _ in turns)]
    wanted += sorted(
        {round((edge - mine) % 180.0 + half, 3) for edge in edges for mine in own for half in (0.0, 180.0)},
        key=lambda t: abs((t - p.at.rotation_deg + 180.0) % 360.0 - 180.0),
    )
    wanted += [middle + part * half for middle, half in turns for part in (0.5, -0.5, 0.95, -0.95)]
    seen: list[float] = []
    for turn in wanted:
        fair = free or any(
            abs((turn - middle + 180.0) % 360.0 - 180.0) <= half + GRAIN_GRACE_DEG / 2
            for middle, half in turns
        )
        if fair and all(abs((turn - t + 180.0) % 360.0 - 180.0) > 0.02 for t in seen):
            seen.append(turn)
            yield turn
        if len(seen) >= ANGLES_TRIED:
            return


def _long_edges(outline: Ring) -> list[float]:
    """The ways of the longest straight edges of a placed outline, in degrees."""
    step = np.roll(outline, -1, axis=0) - outline
    length = np.hypot(*step.T)
    span = np.ptp(outline, axis=0).max()
    at = np.flatnonzero(length >= LONG_EDGE * span)
    at = at[np.argsort(-length[at])][:4]
    return [math.degrees(math.atan2(step[k, 1], step[k, 0])) % 180.0 for k in at]


def copied_to(
    table: HandTable,
    pattern: Sequence[Placement],
    free: Sequence[tuple[str, int]],
    lying: Sequence[Placement],
    by: tuple[float, float],
) -> list[Placement]:
    """Return as much of an arrangement as finds a place on the table's hide, moved by ``by`` (mm): a copy
    that is ``free`` (piece, copy) for each piece of it, the largest first, each within its own width of where
    it should be.
    """
    left = list(free)
    out: list[Placement] = []
    for p in sorted(pattern, key=lambda p: -table.job.pieces_by_id[p.piece].area_mm2):
        copy = next((c for name, c in left if name == p.piece), None)
        if copy is None:
            continue
        at = replace(p.at, x=p.at.x + by[0], y=p.at.y + by[1])
        wanted = Placement(p.piece, copy, table.hide.id, at)
        piece = table.job.pieces_by_id[p.piece]
        done = let_go(table, wanted, [*lying, *out], math.sqrt(piece.area_mm2))
        if done is not None:
            out.append(done)
            left.remove((p.piece, copy))
    return out


def _way_there(table: HandTable, piece: Piece, at: Placing, centre: Ring) -> Placing:
    """The turn nearest to a piece's own that keeps its grain where it is to lie."""
    line = line_deg(table.hide, table.job.policy, float(centre[0]), float(centre[1]))
    turns = fair_turns(piece, line, at.mirrored, table.job.policy)
    return replace(at, rotation_deg=turn_within(at.rotation_deg, turns))


def _centre(piece: Piece) -> Ring:
    centre: Ring = shapely.get_coordinates(piece.region.centroid)
    return centre


def _centred(piece: Piece, at: Placing, centre: Ring) -> Placing:
    """A placing with the piece's centroid at a point."""
    ((x, y),) = place_points(_centre(piece), replace(at, x=0.0, y=0.0))
    return _rounded(replace(at, x=float(centre[0]) - float(x), y=float(centre[1]) - float(y)))


def _outline(table: HandTable, p: Placement) -> Ring:
    return place_points(table.job.pieces_by_id[p.piece].outline, p.at)


def _rounded(at: Placing) -> Placing:
    d = COORDINATE_DECIMALS
    return Placing(round(at.x, d), round(at.y, d), round(at.rotation_deg, d), at.mirrored)
