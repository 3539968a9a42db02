"""A piece lies where the leather is neither too thin nor too thick for it."""

from __future__ import annotations

import itertools
from collections.abc import Hashable, Iterator
from typing import Any

import numpy as np
import shapely
from contourpy import FillType, contour_generator
from shapely.geometry import Polygon
from shapely.geometry.base import BaseGeometry

from fairlay.core.leather import Hide
from fairlay.core.pattern import Piece
from fairlay.core.rules.ground import Forbidden, Policy
from fairlay.core.shapes.rings import Ring, pieces_of, union
from fairlay.core.tolerances import THICKNESS_GRACE_MM, THICKNESS_SAMPLE_MM

NAME = "thickness"
MAP_ERROR_MM = 0.01
"""The drawn ground is this much stricter than the readings, for what lies between the map's cells."""


def needs(piece: Piece, hide: Hide | None) -> Hashable:
    """The least and most thickness, in mm."""
    return piece.thickness_mm


def forbids(piece: Piece, hide: Hide, policy: Policy) -> tuple[Forbidden, ...]:
    """Where the map of the readings leaves the piece's range; nothing on a hide without readings."""
    if piece.thickness_mm is None or not hide.thickness:
        return ()
    least, most = piece.thickness_mm
    grace = THICKNESS_GRACE_MM - MAP_ERROR_MM
    lines = contour_generator(*hide.thickness_map, fill_type=FillType.OuterOffset)
    out = []
    for low, high, word in ((-1e9, least - grace, "thinner"), (most + grace, 1e9, "thicker")):
        ground = union(_filled(lines.filled(low, high)))
        if not ground.is_empty:
            out.append(
                Forbidden(NAME, ground, f"on leather {word} than the {least:g} to {most:g} mm it needs")
            )
    return tuple(out)


def _filled(contours: Any) -> Iterator[BaseGeometry]:
    """Yield contourpy's filled contours (points and ring offsets, by outer ring) as regions."""
    for points, offsets in zip(*contours, strict=True):
        rings = [points[a:b] for a, b in itertools.pairwise(offsets)]
        yield Polygon(rings[0], rings[1:]).buffer(0)


def sample_points(shape: BaseGeometry) -> Ring:
    """Return where thickness is looked at under a placed piece: its corners, and every 20 mm inside."""
    corners = np.concatenate([np.asarray(p.exterior.coords) for p in pieces_of(shape)])
    x0, y0, x1, y1 = shape.bounds
    step = THICKNESS_SAMPLE_MM
    xs, ys = np.arange(x0 + step / 2, x1, step), np.arange(y0 + step / 2, y1, step)
    grid = np.stack(np.meshgrid(xs, ys), axis=-1).reshape(-1, 2)
    if not len(grid):
        return corners
    inside: Ring = grid[shapely.intersects_xy(shape, grid[:, 0], grid[:, 1])]
    return np.concatenate([corners, inside])


def off_range_mm(piece: Piece, shape: BaseGeometry, hide: Hide) -> tuple[float, float] | None:
    """Return the least and most thickness found under a placed piece outside its range; None if all is
    fair.
    """
    if piece.thickness_mm is None or not hide.thickness:
        return None
    least, most = piece.thickness_mm
    mm = hide.thickness_mm(sample_points(shape))
    off = mm[(mm < least - THICKNESS_GRACE_MM) | (mm > most + THICKNESS_GRACE_MM)]
    return (float(off.min()), float(off.max())) if len(off) else None
