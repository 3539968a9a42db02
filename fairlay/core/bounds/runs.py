"""How many long pieces a hide can hold at most, by the length of its uninterrupted runs."""

from __future__ import annotations

import math
from typing import Final

import cv2
import numpy as np
from numpy.typing import NDArray
from shapely.geometry.base import BaseGeometry

from fairlay.core.lay.lane import is_strap, sides_mm
from fairlay.core.leather import Hide
from fairlay.core.pattern import Piece
from fairlay.core.rules import Policy, fair_ground
from fairlay.core.rules.grain import any_way
from fairlay.core.shapes.rings import pieces_of, rings_of

CELL_MM: Final = 4.0
STEEPEST_DEG: Final = 15.0
"""A piece that may be turned by more has runs in too many ways for this bound to tell anything."""


def most_by_runs(piece: Piece, hide: Hide, policy: Policy) -> int | None:
    """Return how many of a strap no lay of a hide exceeds, by the ground where runs are long enough; None for
    a piece that is no strap, may be turned freely, or is judged by the line of least stretch.

    A strap within its tolerance of the backbone covers, in the row through its middle, a run of at least its
    length times the tolerance's cosine, once the ground is widened across by as far as its ends can swing.
    Cells are counted as ground where they touch it, so the bound is never too low.
    """
    tolerance = piece.grain.tolerance_deg
    if (
        not is_strap(piece)
        or any_way(piece, policy)
        or tolerance > STEEPEST_DEG
        or policy.grain_school == "local"
    ):
        return None
    length, width = sides_mm(piece)
    swing = length / 2 * math.sin(math.radians(tolerance)) + width / 2
    run = length * math.cos(math.radians(tolerance)) - width * math.sin(math.radians(tolerance))
    ground = fair_ground(piece, hide, policy)[0]
    if ground.is_empty:
        return 0
    cells = _cells(ground)
    across = 2 * math.ceil(swing / CELL_MM) + 1
    widened = cv2.dilate(cells, np.ones((across, 1), np.uint8))
    long = cv2.morphologyEx(widened, cv2.MORPH_OPEN, np.ones((1, max(1, int(run / CELL_MM) - 2)), np.uint8))
    reach = np.logical_and(cv2.dilate(long, np.ones((across, 1), np.uint8)), cells)
    return int(reach.sum() * CELL_MM**2 // piece.area_mm2)


def _cells(ground: BaseGeometry) -> NDArray[np.uint8]:
    """Ground as cells of ``CELL_MM``, one where a cell touches it, with a bare border."""
    x0, y0, x1, y1 = ground.bounds
    shape = (math.ceil((y1 - y0) / CELL_MM) + 7, math.ceil((x1 - x0) / CELL_MM) + 7)
    out = np.zeros(shape, np.uint8)
    for part in pieces_of(ground, 0.0):
        rings = rings_of(part)
        if not rings:  # a crumb
            continue
        own = np.zeros(shape, np.uint8)
        outer, *holes = ((np.asarray(r) - (x0, y0)) / CELL_MM + 3.0 for r in rings)
        cv2.fillPoly(own, [np.round(outer).astype(np.int32)], 1)
        for hole in holes:
            inner = np.zeros(shape, np.uint8)
            cv2.fillPoly(inner, [np.round(hole).astype(np.int32)], 1)
            own &= 1 - cv2.erode(inner, np.ones((3, 3), np.uint8))
        out |= cv2.dilate(own, np.ones((3, 3), np.uint8))
    return out
