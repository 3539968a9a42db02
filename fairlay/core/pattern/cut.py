"""From the finished outline to what is cut: margins left all round or edge by edge, parts at a seam, drawn
lines taken off.
"""

from __future__ import annotations

import math

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry import Polygon
from shapely.geometry.base import BaseGeometry

from fairlay.core.errors import BadPattern, BadShape
from fairlay.core.pattern.edges import line_of
from fairlay.core.pattern.pattern import Pattern, SeamLine
from fairlay.core.shapes.rings import Ring, clean_ring, pieces_of
from fairlay.core.tolerances import SAME_POINT_MM

MITRE_LIMIT = 4.0
"""A corner's point may stand off by so many margins; a sharper one is cut square."""


def cut_region(p: Pattern) -> Polygon:
    """Return what is cut: the finished outline with its margins, less the windows.

    Raises BadShape where nothing whole is left.
    """
    body: BaseGeometry = Polygon(p.ring)
    if p.margin_mm > 0:
        body = body.buffer(p.margin_mm, join_style="mitre", mitre_limit=MITRE_LIMIT)
    extra = [(e, e.mm) for e in p.edge_margins if e.mm > p.margin_mm]
    if extra:
        sign = 1.0 if Polygon(p.ring).exterior.is_ccw else -1.0
        body = shapely.union_all(
            [body, *(_beyond(line_of(p.ring, e.run), mm, p.margin_mm, sign) for e, mm in extra)]
        )
        # Slivers between neighbouring bands are nothing anyone could cut.
        body = body.buffer(0.02, join_style="mitre").buffer(-0.02, join_style="mitre")
    whole = max(pieces_of(body), key=lambda g: g.area, default=None)
    if whole is None:
        raise BadShape(
            f"piece {p.name}: its margins leave no outline",
            value=p.margin_mm,
            expected="margins that fit its shape",
        )
    cut = Polygon(
        clean_ring(np.asarray(whole.exterior.coords)[:-1], f"piece {p.name}, cut outline"), p.window_rings
    )
    if not cut.is_valid:
        raise BadShape(
            f"piece {p.name}: a window runs over its edge", value=p.slug, expected="windows inside the piece"
        )
    return cut


def _beyond(line: NDArray[np.float64], mm: float, besides: float, sign: float) -> BaseGeometry:
    """The band ``mm`` wide outside a line, its ends drawn out by ``besides``, corners mitred."""
    bands: list[BaseGeometry] = []
    steps = np.diff(line, axis=0)
    lengths = np.hypot(*steps.T)
    along = steps[lengths > SAME_POINT_MM] / lengths[lengths > SAME_POINT_MM, None]
    points = line[np.concatenate([[True], lengths > SAME_POINT_MM])]
    outward = np.stack([along[:, 1], -along[:, 0]], axis=1) * sign
    last = len(along) - 1
    for k, (t, n) in enumerate(zip(along, outward, strict=True)):
        a = points[k] - (t * besides if k == 0 else 0)
        b = points[k + 1] + (t * besides if k == last else 0)
        bands.append(Polygon([a, b, b + n * mm, a + n * mm]))
        if k < last:
            m = outward[k] + outward[k + 1]
            size = float(m @ m) / 2
            opens = float(np.cross(np.append(t, 0), np.append(along[k + 1], 0))[2]) * sign > 1e-9
            if opens and size > 1e-9 and 2 / size < MITRE_LIMIT**2:
                bands.append(
                    Polygon(
                        [
                            points[k + 1],
                            points[k + 1] + n * mm,
                            points[k + 1] + m / size * mm,
                            points[k + 1] + outward[k + 1] * mm,
                        ]
                    )
                )
    return shapely.union_all(bands)


def in_two(p: Pattern, cut: Polygon, seam: SeamLine) -> tuple[Polygon, Polygon]:
    """Return the two parts of a piece made along a seam line, each with the allowance beyond the line.

    Raises BadPattern where the line does not cross it.
    """
    a, b = np.array([seam.start.x, seam.start.y]), np.array([seam.end.x, seam.end.y])
    length = float(np.hypot(*(b - a)))
    if length < SAME_POINT_MM:
        raise BadPattern(
            f"piece {p.name}, seam {seam.id}: the line has no length",
            value=seam.id,
            expected="two points apart from each other",
        )
    t = (b - a) / length
    n = np.array([-t[1], t[0]])
    far = 4 * math.hypot(*(np.asarray(cut.bounds[2:]) - np.asarray(cut.bounds[:2]))) + length

    def half(side: float) -> BaseGeometry:
        at = a - n * side * seam.allowance_mm
        return cut.intersection(
            Polygon(
                [at - t * far, at + t * far, at + t * far + n * side * far, at - t * far + n * side * far]
            )
        )

    one, two = (max(pieces_of(half(side)), key=lambda g: g.area, default=None) for side in (1.0, -1.0))
    if (
        one is None
        or two is None
        or min(one.area, two.area) > 0.99 * cut.area
        or not all(cut.area * 0.02 < g.area < cut.area * 0.995 for g in (one, two))
    ):
        raise BadPattern(
            f"piece {p.name}, seam {seam.id}: the line does not cross the piece",
            value=seam.id,
            expected="a line from edge to edge",
        )
    return one, two


def offset_ring(ring: Ring, by_mm: float, name: str = "outline") -> Ring:
    """Return a ring moved outward by ``by_mm`` (inward where negative), as a drawn line's width is added or
    taken off.

    Raises BadShape where nothing, or more than one part, is left.
    """
    parts = list(
        pieces_of(Polygon(ring).buffer(by_mm, join_style="round" if by_mm > 0 else "mitre", quad_segs=16))
    )
    if len(parts) != 1:
        raise BadShape(
            f"{name}: moved by {by_mm:g} mm it falls into {len(parts)} parts",
            value=by_mm,
            expected="a line thinner than the narrowest part of the piece",
        )
    return clean_ring(np.asarray(parts[0].exterior.coords)[:-1], name)
