"""Marks as they are drawn: from what a pattern says to lines and pricks in mm."""

from __future__ import annotations

import math
from collections.abc import Mapping

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry import LineString, Polygon
from shapely.ops import substring

from fairlay.core.errors import FairLayError
from fairlay.core.pattern.drawn import DrawnMark, Draws
from fairlay.core.pattern.edges import XY, inset, length_mm, line_of
from fairlay.core.pattern.half import centre_words
from fairlay.core.pattern.pattern import Mark, Pattern
from fairlay.core.pattern.stitching import Stitches, lay_out
from fairlay.core.shapes.placing import Placing, place_points
from fairlay.core.shapes.rings import Ring


def stitch_line(p: Pattern, mark: Mark) -> tuple[NDArray[np.float64], bool]:
    """Return the line of a stitch mark ``(n, 2)``, and whether it is closed (then its last point is the
    first). Raises BadPattern where it cannot run.
    """
    if mark.path:
        points = np.array([(q.x, q.y) for q in mark.path], float)
        return (np.concatenate([points, points[:1]]) if mark.closed else points), mark.closed
    line, closed = inset(p.ring, mark.run, mark.offset_mm)
    if closed:
        return line, closed
    # It begins and ends as far from the ends of its edge as it runs inside it: those ends are edges too.
    whole = LineString(line)
    short = min(mark.offset_mm, whole.length / 4)
    return np.asarray(substring(whole, short, whole.length - short).coords, dtype=np.float64), False


def stitches_of(p: Pattern, mark: Mark, others: Mapping[str, Pattern] | None = None) -> Stitches:
    """Return the holes of a stitch mark. Where a piece placed on this one begins or ends, there is a step."""
    line, closed = stitch_line(p, mark)
    steps: list[tuple[float, float]] = []
    own = LineString(line)
    for other in p.marks:
        ring = placed_ring(other, others or {})
        if ring is not None:
            met = shapely.get_coordinates(own.intersection(LineString(np.concatenate([ring, ring[:1]]))))
            steps += [(float(x), float(y)) for x, y in met]
    return lay_out(line, closed, mark.pitch_mm, mark.spacing, steps)


def placed_ring(mark: Mark, others: Mapping[str, Pattern]) -> Ring | None:
    """Return where the piece of a place mark lies on this one (as drawn, where it has a path); None for other
    marks or a piece that is not there.
    """
    if mark.kind == "place" and len(mark.path) > 2:
        return np.array([(q.x, q.y) for q in mark.path])
    if mark.kind != "place" or mark.at is None or mark.piece not in others:
        return None
    return place_points(others[mark.piece].ring, Placing(mark.at.x, mark.at.y, mark.turn_deg, mark.mirrored))


def band_of(p: Pattern, mark: Mark) -> Polygon:
    """Return the band of a glue or skive mark: what lies within its width of its run, inside the piece."""
    line = LineString(line_of(p.ring, mark.run))
    return line.buffer(mark.width_mm, cap_style="flat", join_style="mitre").intersection(Polygon(p.ring))


def slot_ring(mark: Mark) -> Ring:
    """Return the outline of a slot with round ends."""
    at = mark.at or XY(0, 0)
    t = math.radians(mark.turn_deg)
    reach = max(0.0, mark.length_mm - mark.width_mm) / 2
    d = np.array([math.cos(t), math.sin(t)]) * reach
    centre = np.array([at.x, at.y])
    line = LineString([centre - d, centre + d]) if reach > 0 else shapely.Point(centre)
    return np.asarray(line.buffer(mark.width_mm / 2, quad_segs=8).exterior.coords)[:-1]


def hole_ring(mark: Mark) -> Ring:
    """Return the outline of a punched hole."""
    at = mark.at or XY(0, 0)
    return np.asarray(shapely.Point(at.x, at.y).buffer(mark.width_mm / 2, quad_segs=8).exterior.coords)[:-1]


def drawn_marks(p: Pattern, others: Mapping[str, Pattern] | None = None) -> tuple[DrawnMark, ...]:
    """Return all marks of a pattern as they are drawn; one that cannot be drawn is left out (``checks`` tells
    of it).
    """
    out: list[DrawnMark] = []
    if p.centre_line is not None:
        at = np.array([(q.x, q.y) for q in (p.centre_line.start, p.centre_line.end)])
        out.append(DrawnMark("centre line", "line", at, "flesh", centre_words(p.ring, p.centre_line), ""))
    for mark in p.marks:
        try:
            out += _drawn(p, mark, others or {})
        except FairLayError:
            continue
    return tuple(out)


def _drawn(p: Pattern, m: Mark, others: Mapping[str, Pattern]) -> list[DrawnMark]:
    def of(draws: Draws, points: NDArray[np.float64], words: str) -> DrawnMark:
        return DrawnMark(m.kind, draws, np.asarray(points, float), m.side, words, m.id)

    if m.kind == "stitch":
        line, _ = stitch_line(p, m)
        return [
            of("line", line, f"stitch, {m.pitch_mm:g} mm pitch"),
            of("pricks", stitches_of(p, m, others).holes, ""),
        ]
    if m.kind == "hole":
        return [of("area", hole_ring(m), f"punch {m.width_mm:g} mm")]
    if m.kind == "slot":
        return [of("area", slot_ring(m), f"slot {m.length_mm:g} x {m.width_mm:g} mm")]
    if m.kind == "fold":
        return [of("line", np.array([(q.x, q.y) for q in m.path]), "fold")]
    if m.kind in ("glue", "skive"):
        words = "glue to here" if m.kind == "glue" else f"skive {m.width_mm:g} mm wide to {m.left_mm:g} mm"
        return [of("line", inset(p.ring, m.run, m.width_mm)[0], words)]
    if m.kind == "place":
        ring = placed_ring(m, others)
        return (
            []
            if ring is None
            else [
                of("area", ring, others[m.piece].name if m.piece in others else m.text or "a piece lies here")
            ]
        )
    at = m.at or XY(0, 0)
    t = math.radians(m.turn_deg)
    d = np.array([math.cos(t), math.sin(t)]) * m.length_mm / 2
    centre = np.array([at.x, at.y])
    return [of("line", np.stack([centre - d, centre + d]), f"stamp {m.text}".strip())]


def run_mm(p: Pattern, mark: Mark) -> float:
    """Return the length of a stitch mark's line."""
    return length_mm(stitch_line(p, mark)[0])
