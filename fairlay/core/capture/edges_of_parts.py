"""Where an edge lies along a line across it: half way between what is on either side; and of what that is
asked.
"""

from __future__ import annotations

from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

Raster = NDArray[Any]

COLOURS: Final = np.array([[0.299, 0.587, 0.114], [-0.169, -0.331, 0.5], [0.5, -0.419, -0.081]], np.float32)
"""Brightness and two colours of red, green and blue, as a JPEG keeps them (ITU-T T.871)."""


def as_blurred(shown: Raster, tone: float, colour_tone: float = 1.0) -> Raster:
    """Return brightness as light, by the power ``tone`` of what is shown, and two colours as shown (or of
    what is shown to another power), of levels ``(..., 3)`` from 0 to 1: a lens blurs light, a JPEG the
    colours that it shows.
    """
    out = (shown if colour_tone == 1.0 else shown**colour_tone) @ COLOURS.T
    out[..., 0] = np.maximum(shown @ COLOURS[0], 0.0) ** tone
    return np.asarray(out)


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
