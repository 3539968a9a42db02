"""Where the places of a straightened picture are in the picture it comes from: that changes slowly, so it is
worked out at knots, and filled in between.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Final

import cv2
import numpy as np
from numpy.typing import NDArray

KNOT_PX: Final = 16
"""So far apart lie knots, in px of the straightened picture: between them a lens and a lean bend a line by
some hundredths of a pixel. A power of two up to 32, since OpenCV knows no finer parts of a cell.
"""

Floats = NDArray[np.float64]
Raster = NDArray[Any]


def knots_of(
    to_picture: Callable[[Floats], Floats], corner: tuple[float, float], step_mm: float, size: tuple[int, int]
) -> Raster:
    """Return where the knots of a straightened picture are, ``(rows, columns, 2)`` float32.

    ``size`` (w, h) is the straightened picture's, in px; ``corner`` is where its first px begins, in mm, and
    ``step_mm`` how large a px is.
    """
    w, h = size
    down, along = np.mgrid[0 : h // KNOT_PX + 2, 0 : w // KNOT_PX + 2].astype(np.float64) * KNOT_PX
    mm = np.stack([along.ravel() + 0.5, down.ravel() + 0.5], axis=1) * step_mm + np.array(corner)
    return np.asarray(to_picture(mm).reshape(*along.shape, 2), np.float32)


def places_between(knots: Raster, size: tuple[int, int], each: int = 1) -> list[Raster]:
    """Return where each px (the middle of each ``each`` by ``each`` px) of a straightened picture is in the
    picture: x and y, each (h, w) float32.

    In straight lines from knot to knot: OpenCV's cubic is none that keeps a straight line straight, and would
    be off by as much as a fiftieth of the way between two knots.
    """
    middle = (each - 1) / 2
    along, down = (
        ((np.arange(0, n, each, dtype=np.float32) + middle) / KNOT_PX).astype(np.float32) for n in size
    )
    between = np.meshgrid(along, down)
    return [cv2.remap(np.ascontiguousarray(knots[..., d]), *between, cv2.INTER_LINEAR) for d in (0, 1)]
