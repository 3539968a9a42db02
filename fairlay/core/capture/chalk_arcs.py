"""Rings of chalk that were drawn in several strokes, or with places where the hand did not press: pieces of
one curve are put together where an oval runs through all of them.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Final

import cv2
import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Raster = NDArray[Any]

LEAST_MM, MOST_MM = 22.0, 260.0
"""An oval's length."""
OPEN: Final = 3.0
"""An oval's width to half of its line's."""
ROUND: Final = 0.3
"""An oval's width to its length."""
ROUND_ABOUT: Final = 0.62
"""How much of the way round must be drawn."""
OFF_MM, OFF_SHARE = 2.5, 0.05
"""How far from the oval lines may lie, with half their own width: so much, and a share of its length."""
WIDEST_GAP: Final = 0.3
"""No single opening is wider than this share of the way round."""
SECTORS: Final = 48
MOST_PIECES: Final = 6


@dataclass(frozen=True, eq=False)
class Piece:
    """A stretch of chalk: the places it covers ``(n, 2)`` in px, half its width, and its chalk's number."""

    at: Floats
    half: float
    chalk: int


@dataclass(frozen=True, eq=False)
class Oval:
    """A ring put together: its outline ``(n, 2)`` in px along the middle of its line, and which pieces it is
    of.
    """

    outline: Floats
    pieces: tuple[int, ...]


def ovals(pieces: list[Piece], ppm: float) -> list[Oval]:
    """Return the rings that pieces of chalk are parts of, the longest stretches first; each piece in one at
    most.
    """
    order = sorted(range(len(pieces)), key=lambda i: -len(pieces[i].at))
    used: set[int] = set()
    out = []
    for i in order:
        if i in used:
            continue
        found = _grown(
            i,
            [j for j in order if j not in used and j != i and pieces[j].chalk == pieces[i].chalk],
            pieces,
            ppm,
        )
        if found is not None:
            out.append(found)
            used.update(found.pieces)
    return out


def _grown(first: int, others: list[int], pieces: list[Piece], ppm: float) -> Oval | None:
    """The oval through a piece and as many others as it needs; None where there is none."""
    own = [first]
    best = _through(own, pieces, ppm)
    middle = pieces[first].at.mean(axis=0)
    near = sorted(others, key=lambda j: float(np.hypot(*(pieces[j].at.mean(axis=0) - middle))))
    near = [j for j in near if np.hypot(*(pieces[j].at.mean(axis=0) - middle)) < MOST_MM * ppm][
        : 3 * MOST_PIECES
    ]
    for _ in range(MOST_PIECES - 1):
        tried = [(j, _through([*own, j], pieces, ppm)) for j in near if j not in own]
        good = [(j, t) for j, t in tried if t is not None and (best is None or t[1] > best[1] + 0.03)]
        if not good:
            break
        j, best = max(good, key=lambda g: g[1][1])
        own.append(j)
    if best is None or best[1] < ROUND_ABOUT or best[2] > WIDEST_GAP:
        return None
    return Oval(best[0], tuple(own))


def _through(own: list[int], pieces: list[Piece], ppm: float) -> tuple[Floats, float, float] | None:
    """The oval nearest to some pieces: its outline, how much of the way round is drawn, and its widest
    opening as a share of it; None where they do not lie on one.
    """
    at = np.concatenate([pieces[i].at for i in own])
    half = max(pieces[i].half for i in own)
    thin = at[:: max(1, len(at) // 1500)].astype(np.float32)
    if len(thin) < 12:
        return None
    (x, y), axes, turn = cv2.fitEllipseDirect(thin.reshape(-1, 1, 2))
    long, wide = max(axes), min(axes)
    if not (
        np.isfinite([x, y, long, wide]).all()
        and LEAST_MM * ppm < long < MOST_MM * ppm
        and wide > ROUND * long
    ):
        return None
    # A stroke or a dot has no leather inside.
    if wide < OPEN * half:
        return None
    t = np.radians(turn)
    c, s = np.cos(t), np.sin(t)
    off = at - [x, y]
    u, v = (off[:, 0] * c + off[:, 1] * s) / (axes[0] / 2), (-off[:, 0] * s + off[:, 1] * c) / (axes[1] / 2)
    far, angle = np.hypot(u, v), np.arctan2(v, u)
    # How far beside the oval: radial, as long there as the oval is.
    reach = np.hypot(np.cos(angle) * axes[0] / 2, np.sin(angle) * axes[1] / 2)
    beside = np.abs(far - 1) * reach
    allowed = half + OFF_MM * ppm + OFF_SHARE * long
    if float(np.quantile(beside, 0.95)) > allowed:
        return None
    sector = ((angle + np.pi) / (2 * np.pi) * SECTORS).astype(int) % SECTORS
    middles = (np.arange(SECTORS) + 0.5) / SECTORS * 2 * np.pi - np.pi
    # Sectors count by how much of the way round they are.
    lengths = np.hypot(np.sin(middles) * axes[0] / 2, np.cos(middles) * axes[1] / 2)
    drawn = np.bincount(sector, minlength=SECTORS) > 0
    share = float(lengths[drawn].sum() / lengths.sum())
    radius = np.ones(SECTORS)
    for k in np.flatnonzero(drawn):
        radius[k] = np.median(far[sector == k])
    if not drawn.all():
        radius = np.interp(np.arange(SECTORS), np.flatnonzero(drawn), radius[drawn], period=SECTORS)
    p = np.stack([np.cos(middles) * axes[0] / 2 * radius, np.sin(middles) * axes[1] / 2 * radius], axis=1)
    outline = p @ np.array([[c, s], [-s, c]]) + [x, y]
    return outline, share, _widest(drawn, lengths / lengths.sum())


def _widest(drawn: NDArray[np.bool_], lengths: Floats) -> float:
    worst = run = 0.0
    for k in range(2 * len(drawn)):
        run = 0.0 if drawn[k % len(drawn)] else run + float(lengths[k % len(drawn)])
        worst = max(worst, run)
    return min(worst, 1.0)
