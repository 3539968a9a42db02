"""What on a hide is card: it has not the leather's colours, but those of cards that were found."""

from __future__ import annotations

from typing import Any, Final

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import maximum_filter

from fairlay.core.capture.hide_apart import BINS, colour_bins, histogram, shadowed, shining
from fairlay.core.capture.table import TableTop
from fairlay.core.shapes.rings import Ring

Raster = NDArray[Any]

RIM_MM: Final = (3.0, 16.0)
"""Leather is what lies so far within the hide's edge, card what else lies on it."""
SECTORS, COARSER = 24, (3, 2, 2)
LEAST_SEEN: Final = 0.02
ALONG_SOME, ALL_ALONG, LEAST_TOLD = 0.45, 0.8, 0.02
"""A colour is seen in a sector of the rim where so much of it has it or one near it; it tells nothing of
leather where so few sectors have it, and all where so many do.
"""
STRANGE: Final = 4e-4
ROUNDS: Final = 4
WITHIN_MM: Final = 3.0
UNUSUAL, SELDOM = 0.02, 0.3
"""Of a found card's places, so far within it, so many may have colours that are rarer; others are not card
where their colours are rarer than those by this factor.
"""


def of_its_colours(lain: Raster, bins: Raster, top: TableTop) -> Raster:
    """Return where the picture has the colours of what was found (0 to 1): a lamp's shine on leather is not
    the leather's colour, but not the card's either.
    """
    k = 2 * max(1, round(WITHIN_MM * top.px_per_mm)) + 1
    within = cv2.erode((lain > 0).astype(np.uint8), np.ones((k, k), np.uint8)) > 0
    if not within.any():
        return np.ones_like(lain)
    often = histogram(bins[within], None).ravel()[bins]
    usual = (often > SELDOM * float(np.quantile(often[within], UNUSUAL))).astype(np.float32)
    return np.asarray(cv2.GaussianBlur(usual, (0, 0), 1.0 * top.px_per_mm))


def card_on(top: TableTop, outline: Ring) -> tuple[Raster, Raster]:
    """Return how likely each place is card on the hide (0 to 1), and its bin of colours, at the
    straightened picture's own size.
    """
    ppm = top.px_per_mm
    contour = np.round(top.to_px(outline)).astype(np.int32)
    inside = np.zeros(top.image.shape[:2], np.uint8)
    cv2.fillPoly(inside, [contour], 1)
    depth = np.asarray(cv2.distanceTransform(np.pad(inside, 1), cv2.DIST_L2, 5))[1:-1, 1:-1] / ppm
    image = cv2.GaussianBlur(top.image, (0, 0), max(0.6, 0.7 * ppm))
    bins = colour_bins(image)
    rim = (depth > RIM_MM[0]) & (depth < RIM_MM[1])
    within = depth > RIM_MM[0]
    first = histogram(bins[rim], _all_round(rim, bins))
    of_leather = shadowed(shining(first))
    chance: Raster = STRANGE / (of_leather.ravel()[bins] + STRANGE) * within
    for _ in range(ROUNDS):
        of_card = histogram(bins[within], chance[within] ** 2)
        rest = histogram(bins[within], (1 - chance[within]) ** 2)
        of_leather = shadowed(shining(0.4 * first + 0.6 * rest))
        odds = np.log((of_card.ravel()[bins] + STRANGE) / (of_leather.ravel()[bins] + STRANGE)).astype(
            np.float32
        )
        odds = np.asarray(cv2.GaussianBlur(odds, (0, 0), 1.0 * ppm), np.float32)
        chance = within / (1 + np.exp(-odds))
    return np.asarray(chance, np.float32), bins


def _all_round(rim: Raster, bins: Raster) -> Raster:
    """How much each place of a hide's rim tells of leather (0 to 1), by how far round its colour is seen:
    cards that reach into the rim lie along some of it.
    """
    y, x = np.nonzero(rim)
    sector = ((np.arctan2(y - y.mean(), x - x.mean()) / (2 * np.pi) + 0.5) * SECTORS).astype(
        np.int64
    ) % SECTORS
    fine = np.stack(np.unravel_index(bins[rim], BINS), axis=1) // COARSER
    size = [-(-b // c) for b, c in zip(BINS, COARSER, strict=True)]
    count = np.zeros((SECTORS, *size))
    np.add.at(count, (sector, *fine.T), 1.0)
    # Light differs round the hide: a colour is there too where it is a little lighter or darker.
    there = maximum_filter(count, (1, 3, 3, 3)) > LEAST_SEEN * count.sum(axis=(1, 2, 3), keepdims=True)
    round_it = there.mean(axis=0)[tuple(fine.T)]
    return np.asarray(np.clip((round_it - ALONG_SOME) / (ALL_ALONG - ALONG_SOME), LEAST_TOLD, 1.0))
