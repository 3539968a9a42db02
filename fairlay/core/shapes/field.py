"""Signed distance fields of painted ground."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

FAR_CELLS = 1e5
"""What no cell is farther than: there is none of the other kind."""


def distance_field(mask: NDArray[np.bool_], step: float) -> NDArray[np.float32]:
    """Return the distance in mm of each cell ``(rows, cols)`` to the edge of the ground painted in ``mask``,
    positive on it and negative off it; ``step`` is the width of a cell in mm.

    Exact Euclidean distance between cell centres, half a cell taken off for the edge between.
    """
    on, off = (
        np.minimum(cv2.distanceTransform(m.astype(np.uint8), cv2.DIST_L2, cv2.DIST_MASK_PRECISE), FAR_CELLS)
        for m in (mask, ~mask)
    )
    return ((np.where(mask, on - 0.5, 0.5 - off)) * step).astype(np.float32)
