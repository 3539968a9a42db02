"""Where a piece lies: mirrored first, then turned about its own origin, then moved."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from shapely.affinity import affine_transform
from shapely.geometry.base import BaseGeometry

from fairlay.core.shapes.rings import Ring


@dataclass(frozen=True, slots=True)
class Placing:
    """A position in hide coordinates: mm, degrees counter-clockwise from x toward y."""

    x: float
    y: float
    rotation_deg: float
    mirrored: bool = False


def matrix(placing: Placing) -> tuple[float, float, float, float]:
    """Return (a, b, c, d) with x' = a x + b y, y' = c x + d y, before the move."""
    turn = math.radians(placing.rotation_deg)
    cos, sin = math.cos(turn), math.sin(turn)
    hand = -1.0 if placing.mirrored else 1.0
    return cos * hand, -sin, sin * hand, cos


def place_points(points: Ring, placing: Placing) -> Ring:
    """Return ``(n, 2)`` points of a piece where the placing puts them on the hide, in mm."""
    a, b, c, d = matrix(placing)
    turned: Ring = points @ np.array([[a, c], [b, d]]) + np.array([placing.x, placing.y])
    return turned


def place_region(geometry: BaseGeometry, placing: Placing) -> BaseGeometry:
    """Return a region of a piece where the placing puts it on the hide."""
    a, b, c, d = matrix(placing)
    return affine_transform(geometry, [a, b, c, d, placing.x, placing.y])
