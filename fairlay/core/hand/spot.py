"""What a place on a hide is: its leather, and where it is bare, the gap about it and what of the tray fits
there.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
import shapely
from shapely.geometry import Point, Polygon
from shapely.geometry.base import BaseGeometry
from shapely.ops import nearest_points

from fairlay.core.hand.moves import best_angle
from fairlay.core.hand.open_ground import HandTable, Held
from fairlay.core.hand.why import why
from fairlay.core.lay.lay import Placement
from fairlay.core.leather import Hide
from fairlay.core.leather.hide import SEVERITY_NAMES, TIGHTNESS_NAMES
from fairlay.core.pattern import Piece
from fairlay.core.rules import gap
from fairlay.core.rules.grain import fair_turns
from fairlay.core.shapes.placing import place_region
from fairlay.core.shapes.rings import common, pieces_of, union

NECK_MM: Final = 8.0
"""A gap ends where it gets narrower than this."""
MOST_TRIED: Final = 8


@dataclass(frozen=True)
class Fits:
    """Whether a piece of the tray fits a gap: where it would lie, else the sentence why not."""

    piece: str
    at: Placement | None
    sentence: str


@dataclass(frozen=True)
class Spot:
    """What a place is, in sentences; ``ground`` is the gap about it (empty where it is none), ``widest_mm``
    how wide that is at its widest.
    """

    sentences: tuple[str, ...]
    ground: BaseGeometry
    widest_mm: float
    fits: tuple[Fits, ...]


def spot(
    table: HandTable, at: tuple[float, float], lying: Sequence[Placement], tray: Sequence[Piece]
) -> Spot:
    """Return what a place on a hide is, beside what lies there, and what of the ``tray`` (the largest
    ``MOST_TRIED`` that could) fits the gap about it.
    """
    hide, job, point = table.hide, table.job, Point(at)
    here = [p for p in lying if p.hide == hide.id]
    shapes = [place_region(job.pieces_by_id[p.piece].region, p.at) for p in here]
    under = next((p for p, s in zip(here, shapes, strict=True) if s.intersects(point)), None)
    said = list(leather_at(hide, at))
    if under is not None:
        return Spot((f"{{{under.piece}}} {under.copy + 1} lies here", *said), Polygon(), 0.0, ())
    ground = _gap_at(hide, union(shapes), point)
    if ground.is_empty:
        return Spot(tuple(said), ground, 0.0, ())
    widest = 2.0 * float(shapely.maximum_inscribed_circle(ground, tolerance=0.5).length)
    fits, tried = [], 0
    for piece in sorted(tray, key=lambda p: -p.area_mm2):
        if piece.area_mm2 > ground.area:
            fits.append(Fits(piece.id, None, "it is larger than this gap"))
        elif tried < MOST_TRIED:
            tried += 1
            fits.append(_fits(table, piece, at, lying, ground))
    return Spot(tuple(said), ground, widest, tuple(fits))


def leather_at(hide: Hide, at: tuple[float, float]) -> list[str]:
    """Return what is known of the leather at a point, in sentences."""
    point = Point(at)
    if not hide.region.intersects(point):
        return ["this is not on the leather"]
    said = []
    if not hide.within_margin.intersects(point):
        said.append(f"within {hide.edge_margin_mm:g} mm of the edge, where nothing may lie")
    for flaw, ground in hide.flaw_regions:
        if ground.intersects(point):
            bears = {1: "a mark only", 2: "sound", 3: "no piece may lie here"}[flaw.severity]
            said.append(f"{flaw.kind}, {SEVERITY_NAMES[flaw.severity]}: {bears}")
    for zone, shown in hide.zone_regions:
        if shown.intersects(point):
            said.append(f"{TIGHTNESS_NAMES[zone.tightness]} leather")
            break
    mm = float(hide.thickness_mm(np.array([at]))[0])
    if not math.isnan(mm):
        said.append(f"about {mm:.1f} mm thick")
    said += [f"kept for {r.words}" for r in hide.reserved if Polygon(r.outline).buffer(0).intersects(point)]
    return said


def _gap_at(hide: Hide, placed: BaseGeometry, point: Point) -> BaseGeometry:
    """The bare, sound ground about a point, as far as it is no narrower than ``NECK_MM``."""
    bare = common(hide.usable.difference(placed))
    wide = bare.buffer(-NECK_MM / 2)
    parts = list(pieces_of(wide, 1.0))
    near = [p for p in parts if p.distance(point) <= NECK_MM]
    if not near or not bare.intersects(point):
        return Polygon()
    own = min(near, key=lambda p: p.distance(point))
    return common(own.buffer(NECK_MM / 2 + 0.01), bare)


def _fits(
    table: HandTable, piece: Piece, at: tuple[float, float], lying: Sequence[Placement], ground: BaseGeometry
) -> Fits:
    reach = 0.0
    held = None
    for mirrored in (False, True) if piece.pair else (False,):
        turn = fair_turns(piece, table.hide.backbone_deg, mirrored, table.job.policy)[0][0]
        held = Held(piece, turn, mirrored)
        origin = _origin_over(held, ground, at)
        found = best_angle(table, Placement(piece.id, -1, table.hide.id, held.at(*origin)), lying)
        if found is None:
            continue
        placed, _ = found
        region = place_region(piece.region, placed.at)
        reach = max(reach, float(region.intersection(ground).area) / piece.area_mm2)
        if reach > 0.5:
            return Fits(piece.id, placed, "")
    if held is None:
        return Fits(piece.id, None, "")
    told = why(table, held, _origin_over(held, ground, at), lying)
    rules = [b.sentence for b in told.because if b.rule != gap.NAME]
    return Fits(piece.id, None, rules[0] if rules else "the gap has not its shape")


def _origin_over(held: Held, ground: BaseGeometry, at: tuple[float, float]) -> tuple[float, float]:
    """Where the origin of a held piece is when its middle lies over the widest place of a gap."""
    middle = shapely.maximum_inscribed_circle(ground, tolerance=1.0)
    x, y = middle.coords[0]
    near, _ = nearest_points(ground, Point(at))
    cx, cy = place_region(held.piece.region, held.at(0.0, 0.0)).centroid.coords[0]
    if held.piece.area_mm2 < 0.2 * ground.area:
        x, y = near.x, near.y
    return float(x - cx), float(y - cy)
