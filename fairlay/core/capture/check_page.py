"""A printed page of known size, photographed on the table: how far off the camera and the sheets measure."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, Final

import cv2
import numpy as np
from numpy.typing import NDArray

from fairlay.core.capture.hide_settled import settled
from fairlay.core.capture.table import find_table, straighten
from fairlay.core.errors import BadPicture

CHECK_MM: Final = (160.0, 220.0)
"""The black block on the check page."""
CHECK_ABOVE_MM: Final = 25.0
"""White paper above it; at least as much lies to either side, and more below, on A4 and on Letter."""
LIKE: Final = 0.2
"""A block is looked for whose area is off by no more than this share."""
FULL: Final = 0.93
DARK: Final = 110
MIDDLE: Final = 0.8
"""Of each side so much is measured, its corners left out."""

Image = NDArray[np.uint8]
Floats = NDArray[np.float64]
Raster = NDArray[Any]


@dataclass(frozen=True)
class CheckSeen:
    """What the block on a check page measured in mm: across and down; how far that is off as a share (more
    than 0: measured too large), and by how much its two sides disagree, in mm.
    """

    wide_mm: float
    high_mm: float
    off_share: float
    off_mm: float
    markers: int

    @property
    def words(self) -> str:
        """What it tells, in a sentence."""
        if abs(self.off_share) <= RIGHT:
            return "The camera and the sheets measure right"
        way = "large" if self.off_share > 0 else "small"
        return (
            f"Lengths are measured {abs(self.off_share):.2%} too {way}, areas {2 * abs(self.off_share):.2%}: "
            "see that the "
            "printed bar measures what is said of it, and that all sheets lie flat on the table"
        )


RIGHT: Final = 0.001


def measure_check_page(
    images: Sequence[Image], bar_mm: float = 100.0, true_mm: tuple[float, float] = CHECK_MM
) -> CheckSeen:
    """Return what the check page measures in pictures ``(h, w, 3)`` of the table it lies on, its block
    ``true_mm`` by a steel rule. Raises BadPicture where it, or too few markers, are seen.
    """
    table = find_table(images, bar_mm)
    top = straighten(images, table)
    grey = cv2.cvtColor(top.image, cv2.COLOR_RGB2GRAY)
    dark: Raster = ((grey < DARK) & top.known).astype(np.uint8)
    _, labels, stats, _ = cv2.connectedComponentsWithStats(dark, connectivity=4)
    wanted = true_mm[0] * true_mm[1] * top.px_per_mm**2
    blocks = []
    for k in np.flatnonzero(np.abs(stats[:, cv2.CC_STAT_AREA] / wanted - 1) < LIKE):
        contours, _ = cv2.findContours(
            (labels == k).astype(np.uint8), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE
        )
        middle, (across, down), turn = cv2.minAreaRect(contours[0])
        if k and cv2.contourArea(contours[0]) > FULL * across * down:
            # A contour runs along the middles of the outermost px.
            blocks.append((middle, (across + 1, down + 1), turn))
    if len(blocks) != 1:
        raise BadPicture(
            f"{len(blocks) or 'no'} check page{'s are' if len(blocks) > 1 else ' is'} seen on the table",
            value=len(blocks),
            expected="one printed check page, whole and flat on the table, where a hide would lie",
        )
    ring = top.to_mm(cv2.boxPoints(blocks[0]).astype(np.float64))
    # The block is dark well inside its blurred edge only: what is found from there is set out from once more.
    edge, _ = settled(ring, images, table, top)
    edge, _ = settled(edge, images, table, top)
    wide, high = sorted(_across(edge, ring, side) for side in (0, 1))
    off = (wide / true_mm[0] + high / true_mm[1]) / 2 - 1
    differ = abs((wide / true_mm[0] - high / true_mm[1]) * true_mm[1])
    return CheckSeen(wide, high, off, differ, len(table.markers))


def _across(edge: Floats, ring: Floats, side: int) -> float:
    """The distance between two opposite sides of an edge, of the four-cornered ``ring`` it was found at."""
    a, b = ring[side], ring[side + 1]
    c, d = ring[(side + 2) % 4], ring[(side + 3) % 4]
    along = (b - a) / np.hypot(*(b - a))
    normal = np.array([-along[1], along[0]])
    found = []
    for start, end in ((a, b), (d, c)):
        t = ((edge - start) @ along) / np.hypot(*(end - start))
        near = (np.abs(t - 0.5) < MIDDLE / 2) & (np.abs((edge - start) @ normal) < 4.0)
        line = np.polyfit((edge[near] - a) @ along, (edge[near] - a) @ normal, 1)
        found.append(line)
    middle = np.hypot(*(b - a)) / 2
    gap = float(np.polyval(found[0], middle) - np.polyval(found[1], middle))
    lean = float(np.mean([f[0] for f in found]))
    return abs(gap) / float(np.hypot(1.0, lean))
