"""What stands nearer the camera looks larger: outlines brought down to the plane they stand on."""

from __future__ import annotations

import numpy as np
from scipy.ndimage import gaussian_filter1d

from fairlay.core.shapes.rings import Ring, simple_ring


def lowered(ring: Ring, eye: tuple[float, float, float], thickness: float, hole: bool = False) -> Ring:
    """Return an outline seen at the height of a face ``thickness`` over the plane, brought down to it; all in
    mm, the eye as x, y, height.

    From an eye at height H a face at height t looks larger by H / (H - t) about the place under the eye. That
    holds where the edge faces away from the eye; where it faces the eye, its foot on the plane is what was
    seen, which is right as it is.
    """
    if thickness <= 0:
        return ring
    under = np.array(eye[:2])
    evened = gaussian_filter1d(ring, 4.0, axis=0, mode="wrap")
    tangent = np.roll(evened, -1, axis=0) - np.roll(evened, 1, axis=0)
    x, y = ring.T
    turns = float(np.dot(x, np.roll(y, -1)) - np.dot(y, np.roll(x, -1)))
    outward = np.stack([tangent[:, 1], -tangent[:, 0]], axis=1) * (1 if turns > 0 else -1)
    outward = outward * (-1 if hole else 1) / np.maximum(np.hypot(*tangent.T), 1e-9)[:, None]
    radial = ring - under
    facing = (radial * outward).sum(axis=1) / np.maximum(np.hypot(*radial.T), 1e-9)
    share = np.clip(0.5 + facing / 0.2, 0, 1)[:, None]
    low = under + radial * (eye[2] - thickness) / eye[2]
    return simple_ring(low * share + ring * (1 - share))


def lowered_face(points: Ring, eye: tuple[float, float, float], thickness: float) -> Ring:
    """Return points on a face ``thickness`` over the plane, brought straight down to it."""
    under = np.array(eye[:2])
    return np.asarray(under + (points - under) * (eye[2] - thickness) / eye[2])
