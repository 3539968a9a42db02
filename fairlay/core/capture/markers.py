"""Finding reference markers in a picture, their corners to a few hundredths of a pixel.

A camera adds light up before it bends it into what it shows, so that half way between the black and the
white that are shown lies inside the black. Which level an edge does lie at is read from the markers
themselves: their black fields on white and white fields on black are off to opposite sides at every level
but that one.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.optimize import brentq

from fairlay.core.capture.marker_sheet import FIELDS, dictionary, fields

Floats = NDArray[np.float64]
Image = NDArray[np.uint8]
Raster = NDArray[Any]

LOOK_AT_PX = 2400
"""Markers are looked for in a picture no wider than this; their corners are then found at its full size."""
ALONG = 48
"""Places along each side where its edge is read."""
LEAST_READ = 20
ALONG_FIELD = 8
LEVELS = np.arange(0.30, 0.901, 0.05)
USUAL_LEVEL = 0.73
"""Where half the light is shown, between black and white: by the curve of IEC 61966-2-1."""
USUAL_TONE = 2.2
TONES = (1.0, 4.0)
CLIPPED = 252.0
LEAST_EDGES, LEAST_OWN = 24, 12


@dataclass(frozen=True, eq=False)
class MarkerSeen:
    """A marker in a picture: its number, its corners ``(4, 2)`` in px clockwise from its top left, how white
    its paper is (r, g, b of 255), over how many px its edges spread (one standard deviation), and the power
    of what its picture shows that is light.
    """

    number: int
    corners: Floats
    white: Floats
    spread_px: float
    tone: float = USUAL_TONE

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
    # A pixel's middle is at half; resizing by area keeps that.
    rough = [
        (int(number), (found[0].astype(np.float64) + 0.5) / shrink - 0.5)
        for found, number in zip(corners, [] if numbers is None else numbers.ravel(), strict=True)
    ]
    profiles = [(n, c, _profiles(grey, c)) for n, c in rough]
    read = [(n, c, p) for n, c, p in profiles if p is not None]
    level = _level(grey, read)
    tone = _tone(image, [c for _, c, _ in read], level)
    out: dict[int, MarkerSeen | None] = {}
    for number, own, sides in profiles:
        seen = None if sides is None else _refined(image, number, own, sides, level, tone)
        if number in out or seen is not None:
            out[number] = None if number in out else seen
    return [m for _, m in sorted(out.items()) if m is not None]


Side = tuple[Floats, Floats, Floats, Floats]
"""Where a side starts, its run, its normal, and its curve's three figures: off = a t^2 + b t + c with t from
0 to 1.
"""


@dataclass(frozen=True, eq=False)
class Profiles:
    """What lies across an edge, line by line ``(n, len(s))``: 0 its dark end, 1 its light end; ``s`` runs
    from dark to light, in px; ``t`` is how far along the edge each line is (0 to 1), ``plain`` which have
    contrast enough; ``dark`` and ``light`` are the levels (of 255) of its ends.
    """

    share: Floats
    s: Floats
    t: Floats
    plain: NDArray[np.bool_]
    dark: Floats
    light: Floats

    def crossing(self, level: float) -> tuple[Floats, NDArray[np.bool_]]:
        """Return where each line crosses a level (px from the edge as it was guessed), and which do."""
        up = (self.share[:, :-1] < level) & (self.share[:, 1:] >= level)
        # Of several, the nearest to the guess.
        first = np.where(up, np.abs(self.s[:-1]), np.inf).argmin(axis=1)
        rows = np.arange(len(self.share))
        below, above = self.share[rows, first], self.share[rows, first + 1]
        read = up.any(axis=1) & self.plain
        step = self.s[1] - self.s[0]
        return self.s[first] + (level - below) / np.where(read, above - below, 1.0) * step, read

    def spread(self, tone: float) -> float:
        """Return over how many px light goes from dark to light (one standard deviation): its rise from 16 %
        to 84 % of the way takes two.
        """
        rise = np.median(self.share[self.plain], axis=0)
        dark, light = (float(np.median(v[self.plain])) for v in (self.dark, self.light))
        lit = np.clip(dark + rise * (light - dark), 0, 255) ** tone
        lit = np.maximum.accumulate((lit - dark**tone) / (light**tone - dark**tone))
        low, high = np.interp([0.16, 0.84], lit, self.s)
        return float(high - low) / 2


def _across(grey: Raster, at: Floats, s: Floats, t: Floats) -> Profiles:
    """Profiles at places ``(n, len(s), 2)`` of a picture, from the dark side to the light one."""
    x, y = at[..., 0].astype(np.float32), at[..., 1].astype(np.float32)
    seen = cv2.remap(grey, x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE).astype(np.float64)
    ends = max(3, len(s) // 6)
    dark, light = np.median(seen[:, :ends], axis=1), np.median(seen[:, -ends:], axis=1)
    share = (seen - dark[:, None]) / np.maximum(light - dark, 1.0)[:, None]
    return Profiles(share, s, t, light - dark > 12, dark, light)


def _profiles(grey: Raster, corners: Floats) -> list[tuple[Floats, Floats, Floats, Profiles]] | None:
    """The four sides of a marker: start, run, outward normal and profiles; None where one cannot be read."""
    middle = corners.mean(axis=0)
    out = []
    for k in range(4):
        a, b = corners[k], corners[(k + 1) % 4]
        run = b - a
        long = float(np.hypot(*run))
        normal = np.array([run[1], -run[0]]) / long
        if normal @ ((a + b) / 2 - middle) < 0:
            normal = -normal
        reach = min(0.07 * long, 16.0)
        t, s = np.linspace(0.06, 0.94, ALONG), np.arange(-reach, reach + 1e-9, 0.25)
        own = _across(grey, a + t[:, None, None] * run + s[None, :, None] * normal, s, t)
        if own.crossing(0.5)[1].sum() < LEAST_READ:
            return None
        out.append((a, run, normal, own))
    return out


def _level(
    grey: Raster, read: list[tuple[int, Floats, list[tuple[Floats, Floats, Floats, Profiles]]]]
) -> float:
    """The level between black and white at which the markers' edges lie: where fields that are white and
    fields that are black come out equally large.

    At each level a shift toward black common to all edges is fitted together with each marker's own place,
    size and lean; the level at which there is none is interpolated.
    """
    if not read:
        return USUAL_LEVEL
    edges = [found for found in (_field_edges(grey, n, c) for n, c, _ in read) if found is not None]
    if sum(len(e[0]) for e in edges) < LEAST_EDGES:
        return USUAL_LEVEL
    shifts: list[float] = []
    for k, level in enumerate(LEVELS):
        shift = _shift(edges, float(level))
        if shift is None:
            return USUAL_LEVEL
        if shifts and shifts[-1] < 0 <= shift:
            return float(LEVELS[k - 1] - shifts[-1] / (shift - shifts[-1]) * (level - LEVELS[k - 1]))
        shifts.append(shift)
    return float(LEVELS[np.abs(shifts).argmin()])


def _shift(edges: list[tuple[Floats, Floats, Profiles]], level: float) -> float | None:
    """How far toward black all edges are shifted at a level, in px, less than 0 toward white."""
    own, off = [], []
    for basis, sign, profiles in edges:
        where, good = profiles.crossing(level)
        # Lines across one edge stand for it together.
        per = np.where(good, where, np.nan).reshape(-1, ALONG_FIELD)
        enough = np.isfinite(per).sum(axis=1) > ALONG_FIELD // 2
        if enough.sum() < LEAST_OWN:
            continue
        at = np.nanmedian(per[enough], axis=1) * sign[enough]
        # What the marker's own place, size and lean explain is taken out of both.
        q, _ = np.linalg.qr(basis[enough])
        own.append(sign[enough] - q @ (q.T @ sign[enough]))
        off.append(at - q @ (q.T @ at))
    if not own:
        return None
    signs, left = np.concatenate(own), np.concatenate(off)
    keep: NDArray[np.bool_] = np.ones(len(signs), np.bool_)
    shift = 0.0
    for _ in range(4):
        shift = float(signs[keep] @ left[keep] / max(float(signs[keep] @ signs[keep]), 1e-9))
        rest = np.abs(left - shift * signs)
        keep = rest < max(0.1, 3 * float(np.median(rest)))
    return shift


def _field_edges(grey: Raster, number: int, corners: Floats) -> tuple[Floats, Floats, Profiles] | None:
    """Every edge between a black and a white field of a marker, its border's among them, ``ALONG_FIELD``
    lines across each: what a marker's place, size and lean do to it ``(n, 8)``, +1 where black lies on the
    lower side and -1 where white does, and the profiles.
    """
    unit = np.array([[0, 0], [FIELDS, 0], [FIELDS, FIELDS], [0, FIELDS]], np.float64)
    onto, _ = cv2.findHomography(unit, corners)
    if onto is None:
        return None
    dark = np.pad(fields(number), 1, constant_values=False)
    at, sign, basis = [], [], []
    side = float(np.hypot(*(corners[1] - corners[0]))) / FIELDS
    reach = min(0.36 * side, 9.0)
    s = np.arange(-reach, reach + 1e-9, 0.25)
    along = np.linspace(0.22, 0.78, ALONG_FIELD)
    for axis in (0, 1):
        # fields are (row, column): the columns' edges run down.
        own = dark if axis == 0 else dark.T
        for j, k in np.argwhere(own[1:-1, :-1] != own[1:-1, 1:]):
            lower = 1.0 if own[1 + j, k] else -1.0
            u, v = np.full(ALONG_FIELD, float(k)), j + along
            p = np.stack([u, v] if axis == 0 else [v, u], axis=1)
            step = np.array([lower, 0.0] if axis == 0 else [0.0, lower]) * 0.05
            seen = cv2.perspectiveTransform(np.stack([p - step, p, p + step]).reshape(1, -1, 2), onto)[0]
            before, here, after = seen.reshape(3, -1, 2)
            way = after - before
            way /= np.hypot(*way.T)[:, None]
            at.append(here[:, None] + s[None, :, None] * way[:, None])
            sign.append(lower)
            x, y = (k - 3.0) / 3, (j - 2.5) / 3
            each = np.array([1.0, x, y, x * y])
            basis.append(np.concatenate([each, np.zeros(4)] if axis == 0 else [np.zeros(4), each]))
    t = np.tile(along, len(at))
    return np.array(basis), np.array(sign), _across(grey, np.concatenate(at), s, t)


def _tone(image: Image, corners: list[Floats], level: float) -> float:
    """The power of what a picture shows that is light: black, white and half way between them by their
    levels.

    Where white is burnt out it tells nothing, and the usual power is taken.
    """
    if not corners:
        return USUAL_TONE
    out = []
    for own in corners:
        middle = own.mean(axis=0)
        white, black = _round(image, own, middle, 1 + 1 / FIELDS), _round(image, own, middle, 1 - 1 / FIELDS)
        if white.max() >= CLIPPED or white.mean() - black.mean() < 40:
            continue
        w, b = float(white.mean()) / 255, max(float(black.mean()), 2.0) / 255
        half = b + level * (w - b)

        def off(power: float, w: float = w, b: float = b, half: float = half) -> float:
            return float((half**power - b**power) / (w**power - b**power)) - 0.5

        low, high = TONES
        if off(low) > 0 > off(high):
            out.append(float(brentq(off, low, high, xtol=1e-3)))
    return float(np.median(out)) if out else USUAL_TONE


def _refined(
    image: Image,
    number: int,
    corners: Floats,
    profiles: list[tuple[Floats, Floats, Floats, Profiles]],
    level: float,
    tone: float,
) -> MarkerSeen | None:
    """A marker with its corners where curves through its sides' edges meet; None where a side cannot be
    read.
    """
    middle = corners.mean(axis=0)
    sides, spreads = [], []
    for a, run, normal, own in profiles:
        curve = _curve(own, level)
        if curve is None:
            return None
        sides.append((a, run, normal, curve))
        spreads.append(own.spread(tone))
    exact = np.array([_meet(sides[k - 1], sides[k]) for k in range(4)])
    if np.hypot(*(exact - corners).T).max() > 0.06 * np.hypot(*(corners[1] - corners[0])) + 3:
        return None
    white = _round(image, corners, middle, 1 + 1 / FIELDS)
    return MarkerSeen(number, exact, white, float(np.median(spreads)), tone)


def _curve(own: Profiles, level: float) -> Floats | None:
    off, read = own.crossing(level)
    if read.sum() < LEAST_READ:
        return None
    t, off = own.t[read], off[read]
    keep = np.ones(len(t), bool)
    curve = np.polyfit(t, off, 2)
    for _ in range(3):
        left = np.abs(off - np.polyval(curve, t))
        keep = left < max(0.15, 3 * float(np.median(left[keep])))
        if keep.sum() < LEAST_READ // 2:
            return None
        curve = np.polyfit(t[keep], off[keep], 2)
    return np.asarray(curve)


def _meet(first: Side, second: Side) -> Floats:
    """Where the end of one side meets the start of the next, each taken straight over the last stretch."""

    def tangent(side: Side, t: float) -> tuple[Floats, Floats]:
        a, run, normal, curve = side
        return a + t * run + np.polyval(curve, t) * normal, run + np.polyval(np.polyder(curve), t) * normal

    (p, u), (q, v) = tangent(first, 1.0), tangent(second, 0.0)
    k = np.linalg.solve(np.stack([u, -v], axis=1), q - p)[0]
    return np.asarray(p + k * u)


def _round(image: Image, corners: Floats, middle: Floats, grow: float) -> Floats:
    """The colour along a marker's corners drawn out from its middle: of the paper half a field outside its
    border, or of the border.
    """
    h, w = image.shape[:2]
    out = middle + (corners - middle) * grow
    t = np.linspace(0, 1, 40)[:, None]
    at = np.concatenate([out[k] + t * (out[(k + 1) % 4] - out[k]) for k in range(4)]).round().astype(int)
    at = at[(at[:, 0] >= 0) & (at[:, 0] < w) & (at[:, 1] >= 0) & (at[:, 1] < h)]
    return (
        np.asarray(np.percentile(image[at[:, 1], at[:, 0]], 60, axis=0), np.float64)
        if len(at)
        else np.full(3, 128.0)
    )
