"""Where an edge lies along a line across it: half way between what is on either side."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

Raster = NDArray[Any]


def half_way(profile: Raster, t: NDArray[np.float64], least: float) -> NDArray[np.float64]:
    """Where each row ``(n, len(t))`` is half way between its two ends, nearest to the middle; NaN where its
    ends differ by less than ``least``.
    """
    ends = max(3, len(t) // 5)
    first, last = np.median(profile[:, :ends], axis=1), np.median(profile[:, -ends:], axis=1)
    up = last > first
    rising = np.where(up[:, None], profile, -profile)
    level = (np.where(up, last, -last) + np.where(up, first, -first)) / 2
    return np.where(np.abs(last - first) > least, _crossing(rising - level[:, None], t), np.nan)


def _crossing(rising: NDArray[np.float64], t: NDArray[np.float64]) -> NDArray[np.float64]:
    """Where each row goes from below zero to above, nearest to t = 0; NaN where it never does."""
    up = (rising[:, :-1] < 0) & (rising[:, 1:] >= 0)
    share = -rising[:, :-1] / np.where(up, rising[:, 1:] - rising[:, :-1], 1.0)
    where = np.where(up, t[:-1] + share * (t[1] - t[0]), np.nan)
    far = np.where(np.isnan(where), np.inf, np.abs(where))
    best = far.argmin(axis=1)
    found = where[np.arange(len(where)), best]
    return np.asarray(found)
