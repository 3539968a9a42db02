"""What simulated cameras share: how a camera leans, and the rays of its pixels through a lens that bends
them.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[Any]


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
    width_px: int,
    height_px: int,
    focal_px: float,
    lens: tuple[float, float],
    top: int = 0,
    low: int | None = None,
) -> Floats:
    """Return the rays ``(low - top, width, 3)`` of a picture's lines ``top`` to ``low`` (all of them by
    default) in the camera's own axes.

    The lens's curve x (1 + k1 r2 + k2 r4), r in focal lengths, is taken out by iteration.
    """
    lines = np.arange(top, height_px if low is None else low, dtype=np.float32)
    x, y = np.meshgrid(
        (np.arange(width_px, dtype=np.float32) + 0.5 - width_px / 2) / focal_px,
        (lines + 0.5 - height_px / 2) / focal_px,
    )
    k1, k2 = lens
    ux, uy = x.copy(), y.copy()
    for _ in range(6 if k1 or k2 else 0):
        r2 = ux * ux + uy * uy
        f = 1 + k1 * r2 + k2 * r2 * r2
        ux, uy = x / f, y / f
    return np.stack([ux, uy, np.ones_like(ux)], axis=-1)
