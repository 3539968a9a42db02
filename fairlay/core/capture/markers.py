"""Finding reference markers in a picture, their corners to a few hundredths of a pixel."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from fairlay.core.capture.marker_sheet import dictionary

Floats = NDArray[np.float64]
Image = NDArray[np.uint8]
Raster = NDArray[Any]

LOOK_AT_PX = 2400
"""Markers are looked for in a picture no wider than this; their corners are then found at its full size."""
ALONG = 48
"""Places along each side where its edge is read."""
LEAST_READ = 20


@dataclass(frozen=True, eq=False)
class MarkerSeen:
    """A marker in a picture: its number, its corners ``(4, 2)`` in px clockwise from its top left, how white
    its paper is (r, g, b of 255), and over how many px its edges spread (one standard deviation).
    """

    number: int
    corners: Floats
    white: Floats
    spread_px: float

    @property
    def side_px(self) -> float:
        """The mean length of its sides."""
        return float(np.hypot(*(np.roll(self.corners, -1, axis=0) - self.corners).T).mean())


def find_markers(image: Image) -> list[MarkerSeen]:
    """Return the markers in a picture ``(h, w, 3)``, by number; one that is covered or cut off is left out,
    as is a number seen twice.
    """
    grey: Raster = cv2.cvtColor(image, cv2.COLOR_RGB2GRAY)
    h, w = grey.shape
    shrink = min(1.0, LOOK_AT_PX / max(h, w))
    small = cv2.resize(grey, None, fx=shrink, fy=shrink, interpolation=cv2.INTER_AREA) if shrink < 1 else grey
    how = cv2.aruco.DetectorParameters()
    how.cornerRefinementMethod = cv2.aruco.CORNER_REFINE_SUBPIX
    how.adaptiveThreshWinSizeMax = 53
    corners, numbers, _ = cv2.aruco.ArucoDetector(dictionary(), how).detectMarkers(small)
    out: dict[int, MarkerSeen | None] = {}
    for found, number in zip(corners, [] if numbers is None else numbers.ravel(), strict=True):
        # A pixel's middle is at half; resizing by area keeps that.
        seen = _refined(image, grey, int(number), (found[0].astype(np.float64) + 0.5) / shrink - 0.5)
        if int(number) in out or seen is not None:
            out[int(number)] = None if int(number) in out else seen
    return [m for _, m in sorted(out.items()) if m is not None]


def _refined(image: Image, grey: Raster, number: int, corners: Floats) -> MarkerSeen | None:
    """A marker with its corners where curves through its sides' edges meet; None where a side cannot be
    read.
    """
    middle = corners.mean(axis=0)
    sides, spreads = [], []
    for k in range(4):
        found = _side(grey, corners[k], corners[(k + 1) % 4], middle)
        if found is None:
            return None
        sides.append(found[0])
        spreads.append(found[1])
    exact = np.array([_meet(sides[k - 1], sides[k]) for k in range(4)])
    if np.hypot(*(exact - corners).T).max() > 0.06 * np.hypot(*(corners[1] - corners[0])) + 3:
        return None
    return MarkerSeen(number, exact, _white(image, corners, middle), float(np.median(spreads)))


Side = tuple[Floats, Floats, Floats, Floats]
"""Where a side starts, its run, its normal, and its curve's three figures: off = a t^2 + b t + c with t from
0 to 1.
"""


def _side(grey: Raster, a: Floats, b: Floats, middle: Floats) -> tuple[Side, float] | None:
    run = b - a
    long = float(np.hypot(*run))
    normal = np.array([run[1], -run[0]]) / long
    if normal @ ((a + b) / 2 - middle) < 0:
        normal = -normal
    reach = min(0.07 * long, 16.0)
    t, s = np.linspace(0.06, 0.94, ALONG), np.arange(-reach, reach + 1e-9, 0.25)
    at = a + t[:, None, None] * run + s[None, :, None] * normal
    profile = cv2.remap(
        grey,
        at[..., 0].astype(np.float32),
        at[..., 1].astype(np.float32),
        cv2.INTER_LINEAR,
        borderMode=cv2.BORDER_REPLICATE,
    ).astype(np.float64)
    ends = max(3, len(s) // 6)
    dark, light = np.median(profile[:, :ends], axis=1), np.median(profile[:, -ends:], axis=1)
    share = (profile - dark[:, None]) / np.maximum(light - dark, 1.0)[:, None]
    up = (share[:, :-1] < 0.5) & (share[:, 1:] >= 0.5)
    read = up.any(axis=1) & (light - dark > 12)
    if read.sum() < LEAST_READ:
        return None
    first = up.argmax(axis=1)
    rows = np.arange(ALONG)
    below, above = share[rows, first], share[rows, first + 1]
    off = s[first] + (0.5 - below) / np.where(read, above - below, 1.0) * 0.25
    t, off = t[read], off[read]
    keep = np.ones(len(t), bool)
    curve = np.polyfit(t, off, 2)
    for _ in range(3):
        left = np.abs(off - np.polyval(curve, t))
        keep = left < max(0.15, 3 * float(np.median(left[keep])))
        if keep.sum() < LEAST_READ // 2:
            return None
        curve = np.polyfit(t[keep], off[keep], 2)
    # From 16 % to 84 % of the way an edge takes two standard deviations.
    spread = float(np.median(((share[read] > 0.16) & (share[read] < 0.84)).sum(axis=1))) * 0.25 / 2
    return (a, run, normal, curve), spread


def _meet(first: Side, second: Side) -> Floats:
    """Where the end of one side meets the start of the next, each taken straight over the last stretch."""

    def tangent(side: Side, t: float) -> tuple[Floats, Floats]:
        a, run, normal, curve = side
        return a + t * run + np.polyval(curve, t) * normal, run + np.polyval(np.polyder(curve), t) * normal

    (p, u), (q, v) = tangent(first, 1.0), tangent(second, 0.0)
    k = np.linalg.solve(np.stack([u, -v], axis=1), q - p)[0]
    return np.asarray(p + k * u)


def _white(image: Image, corners: Floats, middle: Floats) -> Floats:
    """The paper's colour, half a field outside the marker's border."""
    h, w = image.shape[:2]
    out = middle + (corners - middle) * (1 + 1 / 6)
    t = np.linspace(0, 1, 40)[:, None]
    at = np.concatenate([out[k] + t * (out[(k + 1) % 4] - out[k]) for k in range(4)]).round().astype(int)
    at = at[(at[:, 0] >= 0) & (at[:, 0] < w) & (at[:, 1] >= 0) & (at[:, 1] < h)]
    return (
        np.asarray(np.percentile(image[at[:, 1], at[:, 0]], 60, axis=0), np.float64)
        if len(at)
        else np.full(3, 128.0)
    )
