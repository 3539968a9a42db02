"""Closed contours inside each other: outlines, what is cut out of them, what is sewn along them, and the
frame round all.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Final

import numpy as np
import shapely
from shapely import STRtree
from shapely.geometry import LineString, Polygon

from fairlay.core.formats.drawing import Use
from fairlay.core.formats.lettering import letters
from fairlay.core.shapes.rings import Ring, radius_of

STITCH_FROM_MM, STITCH_TO_MM = 1.0, 6.5
"""Stitch lines run 3 mm or 1/8 in from the edge mostly, a quarter of an inch at most; no leather is cut to
a band as narrow as that."""
ALONG_SHARE: Final = 0.93
"""How much of a stitch line keeps its distance; at corners it may not."""
BAND_MM: Final = 1.0
"""Two contours all along each other, no farther apart than this, are the two sides of one broad line."""
LEAST_WITHIN: Final = 0.6
"""A ring of leather is mostly hole; what is sewn all round is mostly leather."""
MOST_PUNCH_MM: Final = 16.0
MOST_SLOT_MM: Final = 12.0
TRUE_SLOT: Final = 0.012
FRAME_HOLDS: Final = 2
"""A frame holds at least so many things that look like pieces by themselves."""
LOOK_MM: Final = 4.0


@dataclass
class Nested:
    """What some closed contours are to each other: each index in one list."""

    outlines: list[int] = field(default_factory=list)
    windows: list[int] = field(default_factory=list)
    sewn: list[int] = field(default_factory=list)
    punched: list[int] = field(default_factory=list)
    frames: list[int] = field(default_factory=list)
    left_out: list[int] = field(default_factory=list)
    letters: list[int] = field(default_factory=list)

    @property
    def uses(self) -> dict[int, Use]:
        """What each ring is, in the words that layers have."""
        lists: tuple[tuple[Use, list[int]], ...] = (
            ("outline", self.outlines),
            ("window", self.windows),
            ("stitch", self.sewn),
            ("hole", self.punched),
            ("leave out", [*self.frames, *self.left_out, *self.letters]),
        )
        return {i: use for use, of in lists for i in of}


def nested(
    rings: Sequence[Ring],
    words: Sequence[tuple[float, float]] = (),
    patterns: bool = True,
    said: Mapping[int, Use] | None = None,
) -> Nested:
    """Return what each ring ``(n, 2)`` in mm is: outermost an outline, in an outline a window, in a window an
    outline again.

    Where they are ``patterns``: a contour that keeps one small distance from the edge round it is sewn, a
    small round one or a slot in an outline is punched, letters in a row are words, and a rectangle round
    things that hold contours, or ``words`` (where they stand), is a frame and no piece. What is ``said`` of a
    ring (outline, window, stitch, hole or leave out) holds, and what lies in it is read accordingly.
    """
    said = said or {}
    polygons = [Polygon(r) for r in rings]
    inside = _inside(polygons)
    out = Nested()
    areas = [p.area for p in polygons]
    holding = set().union(*inside)
    if patterns and polygons:
        at = np.array([shapely.Point(w) for w in words], object)
        worded = set(STRtree(polygons).query(at, predicate="within")[1].tolist())
        written = letters(polygons, inside, _may_be_punched(rings, inside), said)
        out.letters = sorted(written)
        # A letter with a hole in it looks like no piece by itself.
        like_pieces = (holding | worded) - written
        out.frames = [i for i in holding - written - set(said) if _is_frame(i, polygons, inside, like_pieces)]
    out.left_out = [i for i in said if said[i] == "leave out"]
    out.sewn = [i for i in said if said[i] == "stitch"]
    passed = {*out.frames, *out.left_out, *out.sewn, *out.letters}
    depth: dict[int, int] = {}
    for i in sorted(range(len(rings)), key=lambda k: -areas[k]):
        if i in passed:
            continue
        about = sorted((j for j in inside[i] if j not in out.frames), key=lambda j: areas[j])
        within = [j for j in about if j not in passed]
        in_leather = bool(within) and depth[within[0]] % 2 == 0
        if i in said:
            depth[i] = 0 if said[i] == "outline" else 1
            continue
        if patterns and in_leather and _is_sewn(polygons[i], polygons[about[0]], polygons[within[0]]):
            out.sewn.append(i)
            passed.add(i)
            continue
        depth[i] = depth[within[0]] + 1 if within else 0
    for i in sorted(depth):
        if depth[i] % 2 == 0:
            out.outlines.append(i)
        elif said.get(i) == "hole" or (
            i not in said and patterns and i not in holding and is_punched(rings[i])
        ):
            out.punched.append(i)
        else:
            out.windows.append(i)
    return out


def without_bands(rings: Sequence[Ring]) -> tuple[list[Ring], int]:
    """Return rings with the middle line in place of two that are the sides of one line, as programs write a
    pen's line that was turned into an area; and how many lines were.
    """
    polygons = [Polygon(r) for r in rings]
    inside = _inside(polygons)
    sides: list[tuple[int, int, float]] = []
    for i, about in enumerate(inside):
        j = min(about, key=lambda k: polygons[k].area, default=None)
        broad = None if j is None else _band_mm(polygons[i], polygons[j])
        if j is not None and broad is not None:
            sides.append((i, j, broad))
    out: dict[int, Ring] = dict(enumerate(rings))
    # The sides of a small o are near each other too.
    words = letters(polygons, inside, _may_be_punched(rings, inside)) if sides else set()
    for i, j, broad in sides:
        middle = polygons[j].buffer(-broad / 2, join_style="mitre")
        if {i, j} <= out.keys() - words and isinstance(middle, Polygon) and not middle.is_empty:
            out[j] = np.asarray(middle.exterior.coords)[:-1]
            del out[i]
    return list(out.values()), len(rings) - len(out)


def _may_be_punched(rings: Sequence[Ring], inside: Sequence[set[int]]) -> set[int]:
    """Which rings a punch could leave, by their shape; none that holds anything."""
    holding = set().union(*inside)
    return {i for i in range(len(rings)) if i not in holding and is_punched(rings[i])}


def _band_mm(inner: Polygon, outer: Polygon) -> float | None:
    """How broad the line is that two contours are the sides of; None where they are not."""
    # Most contours in others are told apart by what lies between them.
    if outer.area - inner.area > 1.2 * BAND_MM * outer.length:
        return None
    far = np.concatenate(
        [
            shapely.distance(b.exterior, shapely.points(shapely.get_coordinates(line)))
            for line, b in (
                (shapely.segmentize(a.exterior, LOOK_MM), b) for a, b in ((inner, outer), (outer, inner))
            )
        ]
    )
    middle = float(np.median(far))
    if not 0.0 < middle <= BAND_MM:
        return None
    return middle if float(np.mean(np.abs(far - middle) <= 0.1 + 0.1 * middle)) >= ALONG_SHARE else None


def is_punched(ring: Ring) -> bool:
    """Whether a ring is as a punch leaves it: a circle, or a slot with round ends."""
    radius = radius_of(ring)
    if radius is not None:
        return 2 * radius <= MOST_PUNCH_MM
    own = Polygon(ring)
    box = np.asarray(own.minimum_rotated_rectangle.exterior.coords)
    b, a = sorted(float(np.hypot(*(box[k + 1] - box[k]))) for k in (0, 1))
    if b > MOST_SLOT_MM or b <= 0 or a > 12 * b or len(ring) < 10:
        return False
    area, way = a * b - (1 - math.pi / 4) * b * b, 2 * (a - b) + math.pi * b
    return bool(abs(own.area - area) < TRUE_SLOT * area and abs(own.length - way) < TRUE_SLOT * way)


def _inside(polygons: Sequence[Polygon]) -> list[set[int]]:
    """For each polygon, those that it lies in."""
    out: list[set[int]] = [set() for _ in polygons]
    if not polygons:
        return out
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
        if wide[j].contains(polygons[i]):
            out[i].add(j)
    return out


def _is_sewn(own: Polygon, nearest: Polygon, outline: Polygon) -> bool:
    """Whether a contour runs along the one round it, or along a row of stitches that does."""
    return own.area >= LEAST_WITHIN * outline.area and runs_along(own.exterior, nearest)


def runs_along(line: LineString, nearest: Polygon) -> bool:
    """Whether a line keeps one distance from an outline, as stitches do."""
    looked = shapely.get_coordinates(shapely.segmentize(line, LOOK_MM))
    far = shapely.distance(nearest.exterior, shapely.points(looked))
    middle = float(np.median(far))
    if not STITCH_FROM_MM <= middle <= STITCH_TO_MM:
        return False
    return float(np.mean(np.abs(far - middle) <= max(0.35, 0.12 * middle))) >= ALONG_SHARE


def _is_frame(i: int, polygons: Sequence[Polygon], inside: Sequence[set[int]], like_pieces: set[int]) -> bool:
    """Whether a rectangle lies round all others, and some of these look like pieces by themselves."""
    own = polygons[i]
    if inside[i] or own.area < 0.98 * own.minimum_rotated_rectangle.area:
        return False
    others = [k for k in range(len(polygons)) if k != i]
    if any(i not in inside[k] for k in others):
        return False
    return sum(len(inside[k]) == 1 and k in like_pieces for k in others) >= FRAME_HOLDS
