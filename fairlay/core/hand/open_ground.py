"""Where a piece in the hand can go: every place of its own origin where it lies fairly, for the angle it is
held at.

The set is exact but for ``SPARE_MM``: what is lit is fair. Where straight sides butt it is a strip as wide as
the tolerance, and is drawn as a line.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Hashable, Sequence
from dataclasses import dataclass
from functools import cached_property
from threading import Lock
from typing import Final

import numpy as np
import shapely
from cachetools import LRUCache
from shapely import STRtree
from shapely.affinity import translate
from shapely.geometry import Polygon, box
from shapely.geometry.base import BaseGeometry

from fairlay.core.lay.lay import Job, Placement
from fairlay.core.leather import Hide
from fairlay.core.pattern import Piece
from fairlay.core.pattern.piece import MOST_GAP_MM
from fairlay.core.rules import fair_ground, needs_of
from fairlay.core.rules.gap import between
from fairlay.core.rules.grain import any_way, lines_on, off_grain
from fairlay.core.shapes.minkowski import (
    NOTHING,
    Parts,
    body_parts,
    convex_parts,
    pack,
    polygons,
    put_together,
    sum_of,
    sums,
    turned,
)
from fairlay.core.shapes.placing import Placing, place_points
from fairlay.core.shapes.rings import common, union
from fairlay.core.tolerances import OVERLAP_MM

SPARE_MM: Final = 0.01
"""Bodies are so much larger than the rule has them, so that a place on the rim of what is lit is fair."""
STRAIGHT_MM: Final = 0.005
ROUND_MM: Final = 0.03
"""A round corner is drawn as a polygon that reaches no farther than this beyond it."""
SUMS_KEPT: Final = 400
"""A sum of two pieces takes 0.3 MB where both have teeth, and much less where not."""


@dataclass(frozen=True)
class Held:
    """A piece as it is held: turned by ``turn_deg`` counter-clockwise, mirrored first or not."""

    piece: Piece
    turn_deg: float
    mirrored: bool

    def at(self, x: float, y: float) -> Placing:
        """Return the placing with the piece's own origin at (x, y)."""
        return Placing(x, y, self.turn_deg, self.mirrored)


@dataclass(frozen=True)
class OpenGround:
    """Where the origin of a held piece can go: a region in mm, empty where there is nothing; ``sentence``
    says why where its angle alone forbids it.
    """

    region: BaseGeometry
    sentence: str | None = None


@dataclass(frozen=True)
class _Grounds:
    """What a class of pieces keeps off on a hide, as convex parts."""

    barred: Parts
    show_barred: Parts | None


class HandTable:
    """One hide of a job, ready for the hand: what is reckoned once for it is kept.

    Threads may share it. Regions are in mm in the hide's coordinates.
    """

    def __init__(self, job: Job, hide: Hide) -> None:
        self.job, self.hide = job, hide
        self._grounds: dict[Hashable, _Grounds] = {}
        self._parts: dict[tuple[str, str, float], Parts] = {}
        self._sums: LRUCache[Hashable, Parts] = LRUCache(SUMS_KEPT)
        self._lock = Lock()

    @cached_property
    def widest_mm(self) -> float:
        """How far one piece can reach from its own origin to another's, beside the other's own reach."""
        far = [float(np.hypot(*p.outline.T).max()) for p in self.job.pieces_by_id.values()]
        return 3.0 * max(far, default=0.0) + MOST_GAP_MM

    def open_ground(self, held: Held, lying: Sequence[Placement]) -> OpenGround:
        """Return where a held piece can go beside what lies on this hide (placements elsewhere are nothing to
        it).
        """
        within, sentence = self._where_grain_holds(held)
        if within.is_empty:
            return OpenGround(Polygon(), sentence)
        # What the largest part of each sum leaves open is little; only there do the small parts matter.
        ground = self._off_ground(held)
        first, rest = [main for main, _ in ground], [more for _, more in ground]
        for p in lying:
            if p.hide == self.hide.id:
                points, starts = self._beside(held, p)
                moved, split = points + np.array((p.at.x, p.at.y)), int(starts[1])
                first.append((moved[:split], starts[:2]))
                rest.append((moved[split:], starts[1:] - split))
        open_yet = within.difference(put_together(polygons(first)))
        if open_yet.is_empty:
            return OpenGround(open_yet)
        small = polygons(rest, open_yet)
        near = np.unique(STRtree(small).query(shapely.get_parts(open_yet), predicate="intersects")[1])
        return OpenGround(open_yet.difference(put_together(small[near])))

    def _where_grain_holds(self, held: Held) -> tuple[BaseGeometry, str | None]:
        """Where the origin may be for the grain's sake, in the hide's bounds; a sentence where nowhere."""
        piece, hide, policy = held.piece, self.hide, self.job.policy
        inner = piece.region.representative_point()
        ((ix, iy),) = place_points(shapely.get_coordinates(inner), held.at(0.0, 0.0))
        whole = translate(box(*hide.region.bounds), -ix, -iy)
        if any_way(piece, policy):
            return whole, None
        centre = shapely.get_coordinates(piece.region.centroid)
        ((cx, cy),) = place_points(centre, held.at(0.0, 0.0))

        def off(x: float, y: float) -> str | None:
            return off_grain(piece, hide, policy, held.turn_deg, held.mirrored, x, y)

        if len(lines_on(hide, policy)) == 1:
            x, y = shapely.get_coordinates(hide.region.representative_point())[0]
            sentence = off(float(x), float(y))
            return (Polygon(), sentence) if sentence else (whole, None)
        zones = [shown for _, shown in hide.zone_regions if not shown.is_empty]
        grounds = [*zones, common(box(*hide.region.bounds).difference(union(zones)))]
        fair, said = [], None
        for ground in grounds:
            if ground.is_empty:
                continue
            spot = ground.representative_point()
            sentence = off(spot.x, spot.y)
            said = said or sentence
            if sentence is None:
                fair.append(ground)
        return common(whole, translate(union(fair).buffer(-SPARE_MM), -cx, -cy)), said

    def _off_ground(self, held: Held) -> list[tuple[Parts, Parts]]:
        """Where the origin may not be for the ground's sake: what the body's largest part meets, and the
        rest.
        """
        key = needs_of(held.piece, self.hide)
        if key not in self._grounds:
            fair, off_show = fair_ground(held.piece, self.hide, self.job.policy)
            barred = box(*self.hide.region.bounds).buffer(1.0, join_style="mitre").difference(fair)
            self._grounds[key] = _Grounds(
                convex_parts(barred), None if off_show.is_empty else convex_parts(off_show)
            )
        grounds = self._grounds[key]
        own = self._held_key(held)
        out = [self._main_and_more(("ground", key, own), grounds.barred, held, "core")]
        if grounds.show_barred is not None:
            out.append(self._main_and_more(("show", key, own), grounds.show_barred, held, "show"))
        return out

    def _main_and_more(
        self, key: tuple[Hashable, ...], barred: Parts, held: Held, what: str
    ) -> tuple[Parts, Parts]:
        points, starts = self._held_body(held, what)
        split = int(starts[1]) if len(points) else 0
        main, more = (points[:split], starts[:2]), (points[split:], starts[1:] - split)
        return (
            self._sum((*key, "main"), lambda: sums(barred, main)),
            self._sum((*key, "more"), lambda: sums(barred, more)) if len(starts) > 2 else NOTHING,
        )

    def _key(self, held: Held, other: Placement) -> Hashable:
        """What tells where a held piece may not be for another's sake, but for where that lies."""
        piece = self.job.pieces_by_id[other.piece]
        turn = round(other.at.rotation_deg, 6)
        return piece.id, self._grown_mm(held, piece), turn, other.at.mirrored, self._held_key(held)

    def _grown_mm(self, held: Held, piece: Piece) -> float:
        apart = between(held.piece, piece, self.job.policy)
        return max(0.0, apart - OVERLAP_MM + SPARE_MM) if apart else 0.0

    def _both(self, held: Held, other: Placement) -> tuple[Parts, Parts]:
        """Another piece, were its origin at (0, 0), and the held one as it is added to it."""
        piece, at = self.job.pieces_by_id[other.piece], other.at
        body = self._body(piece, "slim", self._grown_mm(held, piece))
        return turned(body, *_unit(at.rotation_deg), mirrored=at.mirrored), self._held_body(held, "slim")

    def _beside(self, held: Held, other: Placement) -> Parts:
        """Where the origin may not be for another piece's sake, were that one's origin at (0, 0)."""
        return self._sum(self._key(held, other), lambda: sums(*self._both(held, other)))

    def _held_key(self, held: Held) -> Hashable:
        return held.piece.id, round(held.turn_deg, 6), held.mirrored

    def _sum(self, key: Hashable, reckon: Callable[[], Parts]) -> Parts:
        with self._lock:
            known = self._sums.get(key)
        if known is None:
            known = reckon()
            with self._lock:
                self._sums[key] = known
        return known

    def _held_body(self, held: Held, what: str) -> Parts:
        """The held piece turned through its own origin, as what is added to an obstacle."""
        body = self._body(held.piece, what, 0.0)
        return turned(body, *_unit(held.turn_deg), mirrored=held.mirrored, through=True)

    def _body(self, piece: Piece, what: str, grown_mm: float) -> Parts:
        """A piece as it meets others (slim), the ground (core) or flaws (show), as convex parts."""
        key = (piece.id, what, grown_mm)
        if key not in self._parts:
            shape = piece.show_face if what == "show" else piece.region
            less = OVERLAP_MM / 2 if what == "slim" else OVERLAP_MM
            # Sharp inner corners are cut flat: that leaves as much of the body as the rule's round does.
            shape = shape.buffer(SPARE_MM - less, join_style="mitre", mitre_limit=1.05).simplify(STRAIGHT_MM)
            parts = body_parts(shape)
            self._parts[key] = body_parts(sum_of(parts, _disc(grown_mm))) if grown_mm else parts
        return self._parts[key]


def _disc(radius_mm: float) -> Parts:
    """A polygon around a circle. (What GEOS draws at a distance is off by one part in a hundred of it.)"""
    corners = max(8, math.ceil(math.pi / math.acos(1.0 / (1.0 + ROUND_MM / radius_mm))))
    at = np.arange(corners) * (2.0 * math.pi / corners)
    reach = radius_mm / math.cos(math.pi / corners)
    return pack([reach * np.stack([np.cos(at), np.sin(at)], axis=1)])


def _unit(deg: float) -> tuple[float, float]:
    turn = math.radians(deg)
    return math.cos(turn), math.sin(turn)
