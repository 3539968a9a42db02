"""An outline drawn round a part with a pen on squared paper: the middle of its line, to a fraction
of a mm.
"""

from __future__ import annotations

from typing import Any, Final

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import gaussian_filter1d, median_filter

from fairlay.core.capture.part import (
    LEAST_PART_MM2,
    SHOWN_POWER,
    PartSeen,
    Straight,
    over_border,
    paper_field,
    ring_every,
)
from fairlay.core.capture.squares import PaperSeen
from fairlay.core.errors import BadPicture
from fairlay.core.shapes.rings import Ring, simple_ring

Floats = NDArray[np.floating[Any]]
Raster = NDArray[Any]

OFF_LINE_MM: Final = 0.1
ACROSS_LINE_MM: Final = 1.2
"""So far from the middle of a printed line what it takes of the light is reckoned with."""
DARKER: Final = (0.10, 0.40)
"""A pen's line is darker than paper by half of what its darkest places are, within these shares."""
GAPS_MM: Final = (0.4, 0.9, 1.6, 2.6, 4.0, 6.0)
"""Half the gaps in a line that are closed, the wider ones only where that closes an outline."""
LEAST_LONG_MM: Final = 30.0
STEP_MM: Final = 0.5
ROUNDS: Final = 3


def find_drawn(straight: Straight, paper: PaperSeen, line_mm: float) -> list[PartSeen]:
    """Return the outlines drawn on the paper, along the middle of their line, the largest first.

    ``line_mm``: how wide the pen's line is. Raises BadPicture where none is seen, none is closed, or one
    reaches over the border of the squares.
    """
    ppm = straight.px_per_mm
    dark = _darkness(straight, paper)
    smooth = cv2.GaussianBlur(dark, (0, 0), max(0.5, 0.1 * ppm))
    level = float(np.clip(0.5 * np.quantile(smooth[::2, ::2], 0.998), *DARKER))
    line: Raster = (smooth > level).astype(np.uint8)
    _, labels, stats, _ = cv2.connectedComponentsWithStats(line, connectivity=8)
    long = np.maximum(stats[:, cv2.CC_STAT_WIDTH], stats[:, cv2.CC_STAT_HEIGHT]) > 1.5 * ppm
    long[0] = False
    line = long[labels].astype(np.uint8)
    if not line.any():
        raise BadPicture(
            "no drawn line was seen inside the squares",
            value=0,
            expected="an outline drawn with a pen that is darker than the printed lines, all round the part",
        )
    for gap in GAPS_MM:
        k = max(1, round(gap * ppm))
        disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * k + 1, 2 * k + 1))
        found = _insides(
            cv2.morphologyEx(np.pad(line, k + 1), cv2.MORPH_CLOSE, disc)[k + 1 : -k - 1, k + 1 : -k - 1], ppm
        )
        if found:
            break
    else:
        raise BadPicture(
            "the drawn line does not close: no outline was seen all round a part",
            value=int(line.sum()),
            expected=f"a line without gaps of more than {2 * GAPS_MM[-1]:g} mm; go over it where it is faint",
        )
    h, w = line.shape
    edge = max(2, round(0.8 * ppm))
    parts = []
    for contour in found:
        x, y, bw, bh = cv2.boundingRect(contour)
        if x <= edge or y <= edge or x + bw >= w - edge or y + bh >= h - edge:
            raise over_border("a drawn outline", (x, y, bw, bh), (h, w), paper)
        ring = _middle(contour[:, 0].astype(np.float64), smooth, ppm, line_mm)
        outline: Ring = simple_ring(straight.to_mm(ring))
        parts.append(PartSeen(outline, (), float(cv2.contourArea(contour)) / ppm**2, None))
    return sorted(parts, key=lambda p: -p.area_mm2)


def _darkness(straight: Straight, paper: PaperSeen) -> Raster:
    """How much less light comes from each place than from paper, or than from paper with a line printed on
    it.
    """
    ppm, s = straight.px_per_mm, paper.square_mm
    light = paper_field(straight, paper) ** SHOWN_POWER
    own = light.mean(axis=2)
    for axis, size in ((1, own.shape[1]), (0, own.shape[0])):
        at = (np.arange(size) + 0.5) / ppm
        off = (at + s / 2) % s - s / 2
        near = np.abs(off) < ACROSS_LINE_MM
        bins = np.round(off / OFF_LINE_MM).astype(int)
        for b in np.unique(bins[near]):
            lines = np.flatnonzero(near & (bins == b))
            taken = np.take(own, lines, axis=axis)
            usual = float(np.median(taken))
            if usual < 1.0:
                scaled = taken / max(usual, 0.1)
                if axis == 1:
                    own[:, lines] = scaled
                else:
                    own[lines] = scaled
    return np.asarray(np.clip(1 - own, 0, 1), np.float32)


def _insides(line: Raster, ppm: float) -> list[Raster]:
    """Contours (px) of what lines enclose, without what lies inside another."""
    contours, tree = cv2.findContours(line, cv2.RETR_CCOMP, cv2.CHAIN_APPROX_NONE)
    if tree is None:
        return []
    inner = [
        c
        for c, t in zip(contours, tree[0], strict=True)
        if t[3] >= 0
        and cv2.contourArea(c) > LEAST_PART_MM2 * ppm**2
        and max(cv2.boundingRect(c)[2:]) > LEAST_LONG_MM * ppm
    ]
    return sorted(inner, key=lambda c: -cv2.contourArea(c))


def _middle(contour: NDArray[np.float64], dark: Raster, ppm: float, line_mm: float) -> NDArray[np.float64]:
    """A line's inner edge moved to its middle: where the dark across it is balanced."""
    ring = ring_every(contour, STEP_MM * ppm)
    reach = (0.5 * line_mm + 1.2) * ppm
    t = np.arange(-reach, reach + 1e-9, 0.25)
    # From the inner edge the middle is half a line away.
    for turn in range(ROUNDS):
        smooth = gaussian_filter1d(ring, 1.6, axis=0, mode="wrap")
        tangent = np.roll(smooth, -1, axis=0) - np.roll(smooth, 1, axis=0)
        normal = (
            np.stack([tangent[:, 1], -tangent[:, 0]], axis=1)
            / np.maximum(np.hypot(*tangent.T), 1e-9)[:, None]
        )
        if turn == 0:
            x, y = ring.T
            turns = float(np.dot(x, np.roll(y, -1)) - np.dot(y, np.roll(x, -1)))
            ring = ring + normal * (0.5 * line_mm * ppm * (1 if turns > 0 else -1))
        x = (ring[:, None, 0] + normal[:, None, 0] * t).astype(np.float32)
        y = (ring[:, None, 1] + normal[:, None, 1] * t).astype(np.float32)
        across = cv2.remap(dark, x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
        top = across.max(axis=1)
        weight = np.maximum(across - 0.35 * top[:, None], 0.0)
        total = weight.sum(axis=1)
        plain = (top > DARKER[0]) & (total > 1e-6)
        move = np.where(plain, (weight @ t) / np.maximum(total, 1e-6), 0.0)
        if plain.any() and not plain.all():
            move = np.interp(np.arange(len(move)), np.flatnonzero(plain), move[plain], period=len(move))
        move = gaussian_filter1d(median_filter(move, 7, mode="wrap"), 1.5, mode="wrap")
        ring = ring_every(ring + normal * move[:, None], STEP_MM * ppm)
    return ring
