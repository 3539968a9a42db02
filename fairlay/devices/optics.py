"""What simulated cameras share: how a camera leans, and the rays of its pixels through a lens that bends
them.
"""

from __future__ import annotations

from typing import Any, Final

import cv2
import numpy as np
from numpy.typing import NDArray

Floats = NDArray[Any]

EVERY_PX: Final = 8
"""Rays are worked out for one pixel in so many each way: between them, what they meet lies within 0.005 px
of a straight line.
"""


def leaning(tilt_deg: tuple[float, float], roll_deg: float) -> NDArray[np.float64]:
    """Return a camera's right, down and forward as rows ``(3, 3)`` on the table's axes (x right, y down, z
    away from the eye).
    """
    ax, ay, az = np.radians([*tilt_deg, roll_deg])
    rx = np.array([[1, 0, 0], [0, np.cos(ax), -np.sin(ax)], [0, np.sin(ax), np.cos(ax)]])
    ry = np.array([[np.cos(ay), 0, np.sin(ay)], [0, 1, 0], [-np.sin(ay), 0, np.cos(ay)]])
    rz = np.array([[np.cos(az), -np.sin(az), 0], [np.sin(az), np.cos(az), 0], [0, 0, 1]])
    return np.asarray((rz @ rx @ ry).T)


def rays(
    columns: Floats, lines: Floats, size: tuple[int, int], focal_px: float, lens: tuple[float, float]
) -> Floats:
    """Return the rays ``(m, n, 3)`` of a picture's pixels in ``lines`` (m) and ``columns`` (n), in the
    camera's own axes. ``size``: how wide and high the picture is.

    The lens's curve x (1 + k1 r2 + k2 r4), r in focal lengths, is taken out by iteration.
    """
    x, y = np.meshgrid((columns + 0.5 - size[0] / 2) / focal_px, (lines + 0.5 - size[1] / 2) / focal_px)
    k1, k2 = lens
    ux, uy = x, y
    for _ in range(6 if k1 or k2 else 0):
        r2 = ux * ux + uy * uy
        f = 1 + k1 * r2 + k2 * r2 * r2
        ux, uy = x / f, y / f
    return np.stack([ux, uy, np.ones_like(ux)], axis=-1)


def every(first: int, last: int) -> Floats:
    """Return the middles of each ``EVERY_PX`` pixels from ``first`` to ``last``, and of as many before and
    after them: what ``between`` fills in from.
    """
    return first + EVERY_PX * (np.arange(-1, -(-(last - first) // EVERY_PX) + 1) + 0.5) - 0.5


def between(few: Floats, high: int, wide: int) -> Floats:
    """Return at all pixels of ``high`` lines and ``wide`` columns, as float32, what is given at ``every`` of
    them and changes evenly.
    """
    whole = (few.shape[1] * EVERY_PX, few.shape[0] * EVERY_PX)
    run_out: Floats = cv2.resize(few.astype(np.float32), whole, interpolation=cv2.INTER_LINEAR)
    return run_out[EVERY_PX : EVERY_PX + high, EVERY_PX : EVERY_PX + wide]


def shown(raster: Floats, x: Floats, y: Floats) -> Floats:
    """Return a raster ``(h, w, ...)`` at places of it in px, as float32; beyond its edge, what is there."""
    x, y = (v.astype(np.float32, copy=False) for v in (x, y))
    seen = cv2.remap(raster, x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    return np.asarray(seen, np.float32)


def at_all(plane: Floats) -> Floats:
    """Return a plane of shares three times, for red, green and blue."""
    return np.asarray(cv2.merge([plane, plane, plane]))
