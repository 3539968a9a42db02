"""Colours of chalk that stand in no table: what on leather is neither its own shade nor any known chalk,
and wide enough for a line.
"""

from __future__ import annotations

from typing import Any, Final

import cv2
import numpy as np
from numpy.typing import NDArray

from fairlay.core.capture.chalk_lines import disc
from fairlay.core.capture.table import SHOWN_POWER, light_of

Raster = NDArray[Any]

OFF_LEVELS: Final = 26.0
"""What is off the leather by less is left alone: a vein, a wrinkle, a lighter place."""
BESIDE_MM: Final = 5.0
"""So near a line of known chalk its own rim is seen, in colours that a JPEG smears."""
LEAST_WIDE_MM: Final = 2.4
MOST_WIDE_MM: Final = 14.0
LEAST_MM2: Final = 300.0
"""A ring of 25 mm, drawn 4 mm wide."""
ONE_WAY, APART_WAY = 0.965, 0.93
"""Two changes are to one colour where the cosine between them is more than the first, to another below the
second.
"""
DARKER: Final = 0.95
"""A change straight toward black is shade: a crease, a burn, a stain."""
MOST_COLOURS: Final = 6
LOOKED_AT: Final = 3000


def other_colours(image: Raster, leather: Raster, mask: Raster, known: Raster, ppm: float) -> Raster:
    """Return the colours ``(k, 3)``, of 255 as shown, of marks on leather that no ``known`` chalk (a mask)
    explains: those that lie off it most, toward one colour, in lines; none where there is no such mark.
    """
    near = cv2.dilate(known, disc(BESIDE_MM * ppm))
    off = cv2.absdiff(image, leather).max(axis=2)
    marks = ((mask > 0) & (near == 0) & (off > OFF_LEVELS)).astype(np.uint8)
    marks = cv2.morphologyEx(marks, cv2.MORPH_OPEN, disc(LEAST_WIDE_MM / 2 * ppm))
    wide = cv2.morphologyEx(marks, cv2.MORPH_OPEN, disc(MOST_WIDE_MM / 2 * ppm))
    marks[cv2.dilate(wide, disc(4 * ppm)) > 0] = 0
    at = np.nonzero(marks)
    least, none = LEAST_MM2 * ppm**2, np.zeros((0, 3), np.float32)
    if len(at[0]) < least:
        return none
    here, base = (light_of(v[at].reshape(-1, 1, 3))[:, 0] for v in (image, leather))
    change = here - base
    size = np.sqrt((change * change).sum(axis=1))
    shade = (change * base).sum(axis=1) < -DARKER * size * np.sqrt((base * base).sum(axis=1))
    change, base, size = (v[~shade] for v in (change, base, size))
    if len(size) < least:
        return none
    ways = change / np.maximum(size, 1e-6)[:, None]
    looked = np.linspace(0, len(ways) - 1, min(LOOKED_AT, len(ways))).astype(int)
    alike = ways[looked] @ ways[looked].T
    free = np.ones(len(looked), bool)
    out = []
    for _ in range(MOST_COLOURS):
        count = ((alike > ONE_WAY) & free).sum(axis=1) * free
        best = int(count.argmax())
        if count[best] * len(ways) / len(looked) < least:
            break
        own = (alike[best] > ONE_WAY) & free
        free &= alike[best] < APART_WAY
        picked = looked[own]
        way, from_ = ways[picked].mean(axis=0), base[picked].mean(axis=0)
        way /= np.sqrt((way * way).sum())
        full = from_ + way * float(np.quantile(size[picked], 0.95)) / 0.9
        out.append(np.clip(full, 0, 1) ** (1 / SHOWN_POWER) * 255)
    return np.array(out, np.float32).reshape(-1, 3)
