"""The printed reference marker: what it measures, and how it looks.

A marker is a square of black and white fields of OpenCV's public 4 x 4 dictionary, black all round, on white
paper.
"""

from __future__ import annotations

from functools import cache
from typing import Final

import cv2
import numpy as np
from numpy.typing import NDArray

from fairlay.core.errors import BadPicture

MARKER_MM: Final = 150.0
"""Length of a marker's side, its black border counted in: as large as A4 and Letter leave a white rim of a
field all round.
"""
RIM_MM: Final = 25.0
"""White paper round the marker: one field."""
ABOVE_MM: Final = 30.0
"""From the sheet's upper edge to the marker."""
SHEET_HALF_MM: Final = 108.0
BELOW_MM: Final = 117.0
"""Paper to either side of the marker's middle, and below the marker, at most: A4 and Letter."""
FIELDS: Final = 6
"""Fields along a side: four that tell the number, and the border."""
MOST_MARKERS: Final = 50


def dictionary() -> cv2.aruco.Dictionary:
    """Return the dictionary that markers are of."""
    return cv2.aruco.getPredefinedDictionary(cv2.aruco.DICT_4X4_50)


@cache
def fields(number: int) -> NDArray[np.bool_]:
    """Return a marker's fields ``(6, 6)``, row 0 at the top, True where black.

    Raises BadPicture for a number that there is none of.
    """
    if not 0 <= number < MOST_MARKERS:
        raise BadPicture(f"there is no marker {number}", value=number, expected=f"0 to {MOST_MARKERS - 1}")
    return np.asarray(cv2.aruco.generateImageMarker(dictionary(), number, FIELDS), np.uint8) < 128
