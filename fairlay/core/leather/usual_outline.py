"""The outline that a hide of a kind and area is expected to have, until it is measured."""

from __future__ import annotations

from typing import Final

import numpy as np
import shapely
from shapely.geometry import Polygon

from fairlay.core.errors import BadHide
from fairlay.core.leather.usual_map import through
from fairlay.core.shapes.rings import Ring, pieces_of

SIDE: Final = [
    (0.02, 0.05),
    (0.16, 0.012),
    (0.40, 0.0),
    (0.64, 0.004),
    (0.82, 0.0),
    (0.955, 0.02),
    (1.0, 0.10),
    (0.985, 0.23),
    (0.945, 0.36),
    (0.955, 0.50),
    (0.945, 0.62),
    (0.90, 0.735),
    (0.885, 0.86),
    (0.845, 0.955),
    (0.80, 0.93),
    (0.775, 0.84),
    (0.73, 0.80),
    (0.62, 0.845),
    (0.50, 0.875),
    (0.38, 0.85),
    (0.30, 0.80),
    (0.262, 0.85),
    (0.235, 0.955),
    (0.195, 1.0),
    (0.155, 0.95),
    (0.115, 0.84),
    (0.055, 0.72),
    (0.018, 0.58),
    (0.03, 0.43),
    (0.0, 0.27),
    (0.004, 0.14),
]
"""A side as shares of length and depth: backbone along y = 0, tail at x = 0, shanks reaching down."""
BACKBONE: Final = [(0.0, 0.0), (0.16, 0.0), (0.40, 0.0), (0.64, 0.0), (0.82, 0.0), (1.0, 0.0)]
"""Where the two sides of a whole hide hang together, in place of the first six points of a side."""
SHOULDER: Final = [
    (0.0, 0.02),
    (0.3, 0.0),
    (0.7, 0.015),
    (1.0, 0.07),
    (0.97, 0.35),
    (1.0, 0.6),
    (0.9, 0.86),
    (0.74, 1.0),
    (0.6, 0.93),
    (0.35, 0.9),
    (0.0, 0.96),
]
BEND: Final = [
    (0.0, 0.03),
    (0.08, 0.0),
    (0.5, 0.004),
    (1.0, 0.0),
    (1.0, 0.93),
    (0.7, 1.0),
    (0.4, 0.985),
    (0.12, 0.93),
    (0.02, 0.75),
    (0.0, 0.4),
]
OFFCUT: Final = [
    (0.0, 0.0),
    (0.55, 0.02),
    (1.0, 0.0),
    (0.98, 0.6),
    (0.8, 0.72),
    (0.62, 1.0),
    (0.3, 0.9),
    (0.04, 0.97),
]
BELLY: Final = [
    (0.0, 0.1),
    (0.5, 0.0),
    (1.0, 0.12),
    (0.97, 0.6),
    (0.8, 1.0),
    (0.5, 0.9),
    (0.2, 1.0),
    (0.03, 0.7),
]
SHAPES: Final = {
    "side": (SIDE, 2.15),
    "shoulder": (SHOULDER, 0.75),
    "bend": (BEND, 2.05),
    "belly": (BELLY, 3.2),
    "offcut": (OFFCUT, 1.5),
}
"""Each kind as shares of length and depth, and its usual length over its depth."""


def usual_outline(kind: str, area_m2: float) -> Ring:
    """Return the outline ``(n, 2)`` in mm, from (0, 0), that a hide of a kind and area usually has.

    A whole hide is two sides, back to back. Raises BadHide for a roll or an area that no hide has.
    """
    if not 0.001 <= area_m2 <= 30:
        raise BadHide(f"an area of {area_m2:g} m2", value=area_m2, expected="0.001 to 30 m2")
    if kind == "whole":
        half = through(np.array([*BACKBONE, *SIDE[6:]]) * [SHAPES["side"][1], 1.0], 5)
        half[:, 1] = np.where(half[:, 1] < 0.02, -0.001, half[:, 1])
        both = Polygon(half).buffer(0).union(Polygon(half * [1, -1]).buffer(0))
        ring = np.asarray(max(pieces_of(both), key=lambda p: p.area).exterior.coords)[:-1]
    elif kind in SHAPES:
        shares, ratio = SHAPES[kind]
        ring = through(np.array(shares) * [ratio, 1.0], 5)
    else:
        raise BadHide(
            f"no outline is expected of a {kind}", value=kind, expected="whole, " + ", ".join(SHAPES)
        )
    ring = ring - ring.min(axis=0)
    # Onto a tenth of a mm in one go, so that the outline does not cross itself.
    shape = shapely.set_precision(Polygon(ring * np.sqrt(area_m2 * 1e6 / Polygon(ring).area)), 0.1)
    out: Ring = np.round(np.asarray(max(pieces_of(shape), key=lambda p: p.area).exterior.coords)[:-1], 1)
    return out
