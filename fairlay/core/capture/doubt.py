"""How far off a measured hide may be, as its own pictures tell: nineteen times in twenty it is no farther
off.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray
from shapely.geometry import Polygon

from fairlay.core.capture.hide_edge import HideFound
from fairlay.core.capture.marker_sheet import MARKER_MM
from fairlay.core.capture.table import TableSeen
from fairlay.core.shapes.rings import Ring

Image = NDArray[np.uint8]
Floats = NDArray[np.float64]

TWICE: Final = 2.0
"""Nineteen in twenty lie within two standard deviations."""
SCALE: Final = 0.0003
"""How far off a table's scale is in simulated pictures that tell their tone (one standard deviation, a
share).
"""
UNTOLD_TONE: Final = 0.001
BURNT: Final = 0.01
BURNT_OFF: Final = 0.0015
"""A picture of which so much is burnt out may be off by so much more of its area."""
THICKNESS_MM: Final = 0.3
EDGE_MM: Final = (0.12, 0.25, 0.5, 0.5)
"""How far off all of an edge may be together, in mm: always; by blur where leather is hardly told from
table; by how much the edge trembles; and by how far two ways to find it differ. From 64 simulated pictures.
"""
PLAINLY: Final = 4.5
CLIPPED: Final = 253
Raster = NDArray[Any]


def burnt_out(images: Sequence[Image]) -> float:
    """Return how much of some pictures is burnt out, as a share: its levels end at white."""
    return max(float((image[::6, ::6].min(axis=2) >= CLIPPED).mean()) for image in images)


def area_off(
    outline: Ring, found: HideFound, settled: Ring, edge_off: Floats, table: TableSeen, burnt: float
) -> float:
    """Return how far off an area may be, in mm2.

    ``outline``: as measured; ``found`` and ``settled``: its edge as it was first found, and in the pictures;
    ``edge_off``: how far off each of its points may be (mm).
    """
    shape = Polygon(outline)
    corners = 4 * sum(len(own) for own in table.seen)
    scale = float(np.hypot(SCALE, table.rms_mm / MARKER_MM / np.sqrt(corners)))
    if any(m.white.max() >= CLIPPED - 1 for own in table.seen for m in own):
        scale = float(np.hypot(scale, UNTOLD_TONE))
    height = max(v.eye[2] for v in table.views)
    differ = abs(Polygon(found.outline).area - Polygon(settled).area) / shape.length
    always, blurred, trembles, two_ways = EDGE_MM
    edge = np.linalg.norm(
        [
            always,
            blurred * table.blur_mm * max(0.0, PLAINLY - found.apart),
            trembles * float(np.mean(edge_off)),
            two_ways * differ,
        ]
    )
    parts = [
        2 * scale * shape.area,
        2 * THICKNESS_MM / height * shape.area,
        float(edge) * shape.length,
        BURNT_OFF * shape.area if burnt > BURNT else 0.0,
    ]
    # Where it is in doubt what is hide, all of it may be or none.
    return TWICE * float(np.linalg.norm(parts)) + sum(area for _, _, area in found.doubts)
