"""What lies on the rasters that simulated cameras look at: where it is, its shadow, and what of a picture may
show it.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, Final

import cv2
import numpy as np
from numpy.typing import NDArray
from shapely.geometry import Polygon

from fairlay.core.shapes.rings import rings_of
from fairlay.devices.optics import EVERY_PX

Floats = NDArray[Any]
Lain = tuple[Floats, int, int]
"""What lies on a raster: how much of each px it covers (0 to 255), from a column and a row on."""
BAND_PX: Final = 64


def filled(shape: tuple[int, int], rings: Sequence[Floats], px_per_mm: float) -> Lain:
    """Return how much of each px of a raster ``(h, w)`` lies inside rings in mm (the first the outline,
    others holes), 0 to 255, to a sixteenth of a px: the part of it that they reach, and the column and row
    that it begins at.
    """
    fine = 4
    h, w = shape
    # A polygon is filled to half a px beyond its edge.
    exact = Polygon(rings[0], rings[1:]).buffer(-0.49 / (fine * px_per_mm), join_style="mitre")
    at = [np.round((r * px_per_mm * fine - 0.5) * 64).astype(np.int64) for r in rings_of(exact)]
    x0, y0 = (np.floor(rings[0].min(axis=0) * px_per_mm).astype(int) - 1).clip(0).tolist()
    x1, y1 = np.minimum(np.ceil(rings[0].max(axis=0) * px_per_mm).astype(int) + 1, [w, h]).tolist()
    out = np.zeros((max(0, y1 - y0), max(0, x1 - x0)), np.uint8)
    rows = 512
    for top in range(0, out.shape[0] if out.size else 0, rows):
        part = out[top : top + rows]
        finely = np.zeros((part.shape[0] * fine, part.shape[1] * fine), np.uint8)
        own = [(p - np.array([x0, y0 + top]) * (fine * 64)).astype(np.int32) for p in at]
        cv2.fillPoly(finely, own, 255, cv2.LINE_8, 6)
        part[:] = cv2.resize(finely, part.shape[::-1], interpolation=cv2.INTER_AREA)
    return out, x0, y0


def darkened(raster: Floats, lain: Lain, way: tuple[float, float], soft_px: float, by: float) -> None:
    """Keep light from a raster, in place, where the shadow of what lies on it falls: ``way`` px along, its
    edge ``soft_px`` soft (one standard deviation), ``by`` the share of light that it keeps.
    """
    mask, x, y = lain
    if not mask.size:
        return
    room = int(max(map(abs, way)) + 4 * soft_px) + 2
    high, wide = mask.shape
    onto = np.array([[1, 0, way[0] + room], [0, 1, way[1] + room]], np.float32)
    fallen = cv2.warpAffine(mask, onto, (wide + 2 * room, high + 2 * room))
    fallen = cv2.GaussianBlur(fallen, (0, 0), soft_px)
    left, top = max(0, room - x), max(0, room - y)
    own = raster[y - room + top : y + high + room, x - room + left : x + wide + room]
    scale(own, 1 - by / 255 * fallen[top : top + own.shape[0], left : left + own.shape[1]].astype(np.float32))


def together(lain: Sequence[Lain]) -> Lain:
    """Return all that lies on a raster as one."""
    lain = [own for own in lain if own[0].size]
    if not lain:
        return np.zeros((0, 0), np.uint8), 0, 0
    x0, y0 = min(x for _, x, _ in lain), min(y for _, _, y in lain)
    wide = max(x + mask.shape[1] for mask, x, _ in lain) - x0
    high = max(y + mask.shape[0] for mask, _, y in lain) - y0
    out = np.zeros((high, wide), np.uint8)
    for mask, x, y in lain:
        part = out[y - y0 : y - y0 + mask.shape[0], x - x0 : x - x0 + mask.shape[1]]
        np.maximum(part, mask, out=part)
    return out, x0, y0


def seen_near(lain: Lain, *met: Sequence[Floats]) -> tuple[slice, slice] | None:
    """Return the lines and columns of a picture that may show what lies on a raster, by where its rays at
    ``every`` pixel meet that (x, y, in px); None where none does.
    """
    mask, left, top = lain
    h, w = mask.shape
    seen = np.zeros(met[0][0].shape, bool)
    for x, y in met:
        # What is narrower than the way from one ray to the next lies between them.
        far, deep = (max(float(np.abs(np.diff(v, axis=axis)).max()) for axis in (0, 1)) for v in (x, y))
        seen |= (x > left - far) & (x < left + w + far) & (y > top - deep) & (y < top + h + deep)
    if not seen.any():
        return None
    # The first of ``every`` lies before the picture, and what is near one pixel may reach to the next.
    lines, columns = (np.flatnonzero(seen.any(axis=axis)) for axis in (1, 0))
    rows, across = (slice(max(0, (v[0] - 2) * EVERY_PX), (v[-1] + 1) * EVERY_PX) for v in (lines, columns))
    return rows, across


def covers(lain: Lain, x: Floats, y: Floats) -> Floats:
    """Return how much of what is seen at places of a raster (px) lies on it, 0 to 1."""
    mask, left, top = lain
    return np.asarray(cv2.remap(mask, x - left, y - top, cv2.INTER_LINEAR), np.float32) / 255


def scale(raster: Floats, by: Floats) -> None:
    """Multiply a raster by shares, in place."""
    h, w = raster.shape[:2]
    shares = np.broadcast_to(by, (h, w))
    for rows in bands(h):
        raster[rows] = cv2.merge([held(plane * shares[rows]) for plane in cv2.split(raster[rows])])


def bands(high: int) -> list[slice]:
    """Return a raster's rows, so many at a time that what is reckoned of them stays at hand."""
    return [slice(top, min(high, top + BAND_PX)) for top in range(0, high, BAND_PX)]


def held(plane: Floats) -> Floats:
    """Return a plane of light as uint16: what is brighter than that can tell is as bright as it can."""
    return np.clip(plane, 0, 65535, out=plane).astype(np.uint16)
