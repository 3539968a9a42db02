"""Strap lanes: leather kept along the backbone, and which pieces are straps."""

from __future__ import annotations

import math
from collections.abc import Iterable
from typing import Final

import numpy as np
from shapely.geometry import LineString, Polygon, box

from fairlay.core.leather import Hide
from fairlay.core.pattern import Piece
from fairlay.core.shapes.rings import Ring, common, pieces_of

STRAP_LENGTH_MM: Final = 250.0
STRAP_SLENDER: Final = 5.0
"""A strap is at least so many times as long as it is wide, and so long at all."""
TRUED_WITHIN_MM: Final = 80.0
"""A backbone edge is trued within so much of its outermost point."""
TRUED_STEP_MM: Final = 4.0
LEAST_LANE_MM2: Final = 5000.0


def straps_in(pieces: Iterable[Piece]) -> tuple[str, ...]:
    """Return the ids of pieces that are straps: long, and slender."""
    return tuple(p.id for p in pieces if is_strap(p))


def is_strap(piece: Piece) -> bool:
    """Whether a piece is long and slender, by the smallest rectangle around it."""
    length, width = sides_mm(piece)
    return length >= STRAP_LENGTH_MM and length >= STRAP_SLENDER * width


def sides_mm(piece: Piece) -> tuple[float, float]:
    """Return the longer and the shorter side of the smallest rectangle around a piece, in mm."""
    around = piece.region.minimum_rotated_rectangle
    if not isinstance(around, Polygon):
        return 0.0, 0.0
    at = np.asarray(around.exterior.coords)
    a, b = (math.dist(at[i], at[i + 1]) for i in (0, 1))
    return max(a, b), min(a, b)


def lane_of(hide: Hide, width_mm: float) -> list[Ring]:
    """Return the rings of a lane along the backbone, from its trued edge down; of a whole hide, along its
    middle. Nothing on a hide too small to have one.

    The edge is trued where a straight cut loses least: at the depth, within ``TRUED_WITHIN_MM`` of the
    outermost point, from which the longest run of usable leather is nearly had.
    """
    x0, y0, x1, y1 = hide.region.bounds
    if hide.kind == "whole":
        middle = (y0 + y1) / 2
        band = box(x0, middle - width_mm / 2, x1, middle + width_mm / 2)
    else:
        band = box(x0, y0, x1, trued_y(hide) + width_mm)
    return [np.asarray(p.exterior.coords)[:-1] for p in pieces_of(common(hide.region, band), LEAST_LANE_MM2)]


def trued_y(hide: Hide) -> float:
    """Return how far down, in mm on the hide, its backbone edge is cut straight."""
    x0, y0, x1 = (float(v) for v in hide.region.bounds[:3])
    depths = np.arange(0.0, TRUED_WITHIN_MM + 1e-9, TRUED_STEP_MM)
    runs = [_longest_run_mm(hide, x0, x1, y0 + d) for d in depths]
    least = 0.95 * max(runs)
    deep: float = next(d for d, run in zip(depths.tolist(), runs, strict=True) if run >= least)
    return y0 + deep


def _longest_run_mm(hide: Hide, x0: float, x1: float, y: float) -> float:
    met = hide.usable.intersection(LineString([(x0 - 1, y), (x1 + 1, y)]))
    runs: list[float] = [part.length for part in getattr(met, "geoms", [met])]
    return max(runs, default=0.0)
