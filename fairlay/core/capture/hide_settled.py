"""An outline of leather on a table settled to a fraction of a mm in the pictures themselves.

Across the edge of leather light goes in one step, as wide as the lens blurs, from the leather's own level to
whatever lies beside it: table, or table in the hide's shadow, whose far end is a step of its own. So what is
inside a place is held to the leather's level, and what is just outside it is left free, at every place the
edge could be; what is left over is added up along the edge, and the outline goes where least is left.
Brightness and colour are asked apart: a JPEG shows an edge in colour wider than the lens blurs it.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Final

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import gaussian_filter1d, median_filter
from scipy.special import ndtr

from fairlay.core.capture.edges_of_parts import as_blurred
from fairlay.core.capture.table import TableSeen, TableTop

Floats = NDArray[np.float64]
Image = NDArray[np.uint8]

STEP_MM: Final = 2.0
REACH_MM: Final = 4.5
SAMPLE_MM: Final = 0.25
FAR_MM: Final = 2.5
"""The outline is moved by no more than this."""
PLACE_MM: Final = 0.1
INNER_MM: Final = 1.6
"""From so far inside, the leather's own level is taken."""
OUTSIDE_MM: Final = 3.6
"""So much beside a place is looked at: shadow ends farther out."""
ALONG_MM: Final = 5.0
"""What is left over is added up along so much of the edge (one standard deviation)."""
EVEN_MM: Final = 16.0
LEAST_STEP: Final = 0.12
"""A step counts from so much of the way from leather to table."""
SLOPE: Final = 0.6
"""How little the leather's own level may lean toward its edge, in what holds it level."""
SLOPE_OUTSIDE, BEND_OUTSIDE = 1.0, 10.0
"""How little what is outside may lean and bend, in what holds it so."""
SOFT_MM: Final = 0.1
MOST_LEFT: Final = 150.0
COLOUR_PX: Final = (0.0, 0.5, 1.0, 1.4)
"""What a JPEG may blur colour by beside the lens (one standard deviation, px of the picture): kept in half
the detail and shown again smoothly it is 1.
"""
FEW: Final = 200
"""By so many places along the edge the width is chosen."""


def settled(
    ring: Floats, images: Sequence[Image], table: TableSeen, top: TableTop, hole: bool = False
) -> tuple[Floats, Floats]:
    """Return an outline ``(n, 2)`` in mm moved to where the pictures show its edge, and how far off each of
    its points may be (mm, one standard deviation).

    ``ring``: an outline within about 2 mm, leather inside; of a hole, leather outside. Its points come back
    every ``STEP_MM``.
    """
    points = _spaced(ring)
    smooth = gaussian_filter1d(points, 5.0 / STEP_MM, axis=0, mode="wrap")
    along = np.roll(smooth, -1, axis=0) - np.roll(smooth, 1, axis=0)
    normal = np.stack([along[:, 1], -along[:, 0]], axis=1) / np.maximum(np.hypot(*along.T), 1e-9)[:, None]
    if _leans_in(points) != hole:
        normal = -normal
    t = np.arange(-REACH_MM, REACH_MM + 1e-9, SAMPLE_MM)
    light = _light(points[:, None] + normal[:, None] * t[:, None], images, table, top)
    places = np.arange(-FAR_MM, FAR_MM + 1e-9, PLACE_MM)
    spread = float(np.hypot(table.blur_mm, SOFT_MM))
    px_mm = 1 / max(v.px_per_mm(points.mean(axis=0, keepdims=True)) for v in table.views)
    left, step = _left_over(
        light, t, places, np.array([spread, *[_colour_spread(light, t, places, spread, px_mm)] * 2])
    )
    # A place where no step stands out is no edge.
    cost = np.minimum(left, MOST_LEFT) + 60.0 * (step < LEAST_STEP)
    cost = gaussian_filter1d(cost, ALONG_MM / STEP_MM, axis=0, mode="wrap")
    best = cost.argmin(axis=1)
    inner = np.clip(best, 1, len(places) - 2)
    rows = np.arange(len(cost))
    a, b, c = cost[rows, inner - 1], cost[rows, inner], cost[rows, inner + 1]
    bend = np.maximum(a - 2 * b + c, 1e-9)
    move = places[inner] + np.clip((a - c) / (2 * bend), -1, 1) * PLACE_MM
    unseen = (step[rows, best] < LEAST_STEP) | (best == 0) | (best == len(places) - 1)
    move = _over(move, unseen)
    smoothed = gaussian_filter1d(median_filter(move, 5, mode="wrap"), 1.0, mode="wrap")
    rough = 1.48 * np.abs(move - gaussian_filter1d(median_filter(move, 15, mode="wrap"), 3.0, mode="wrap"))
    off = gaussian_filter1d(rough, 8.0, mode="wrap") + 1.2 * gaussian_filter1d(
        unseen.astype(float), 4.0, mode="wrap"
    )
    return points + normal * smoothed[:, None], off


def _spaced(ring: Floats) -> Floats:
    closed = np.concatenate([ring, ring[:1]])
    along = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(closed, axis=0).T))])
    at = np.linspace(0, along[-1], max(16, int(along[-1] / STEP_MM)), endpoint=False)
    return np.stack([np.interp(at, along, closed[:, d]) for d in (0, 1)], axis=1)


def _leans_in(ring: Floats) -> bool:
    """Whether the normal (dy, -dx) of a ring points inward."""
    x, y = ring.T
    return float(np.dot(x, np.roll(y, -1)) - np.dot(y, np.roll(x, -1))) < 0


def _light(at: Floats, images: Sequence[Image], table: TableSeen, top: TableTop) -> Floats:
    """What the pictures show at places ``(n, m, 2)`` of the table, as light ``(n, m, 3)``; each line of
    places in the picture that shows its middle best.
    """
    px = np.round(top.to_px(at[:, at.shape[1] // 2])).astype(int)
    h, w = top.whose.shape
    whose = top.whose[px[:, 1].clip(0, h - 1), px[:, 0].clip(0, w - 1)]
    out = np.zeros((*at.shape[:2], 3))
    for k, (image, view) in enumerate(zip(images, table.views, strict=True)):
        rows = np.flatnonzero(whose == k)
        if not len(rows):
            continue
        tone = table.seen[k][0].tone
        # A remap takes no more than 32 767 lines.
        for part in np.array_split(rows, len(rows) // 16_000 + 1):
            seen = (
                view.to_picture(at[part].reshape(-1, 2)).reshape(len(part), at.shape[1], 2).astype(np.float32)
            )
            out[part] = _remapped(image, tone, seen)
    return out


def _remapped(image: Image, tone: float, at: NDArray[np.float32]) -> Floats:
    """Light and colours at places of a picture, interpolated between its four pixels."""
    h, w = image.shape[:2]
    x, y = np.clip(at[..., 0], 0, w - 1.001), np.clip(at[..., 1], 0, h - 1.001)
    i, j = np.floor(x).astype(np.int32), np.floor(y).astype(np.int32)
    u, v = (x - i)[..., None], (y - j)[..., None]
    a, b, c, d = (
        as_blurred(image[j + dj, i + di] / 255.0, tone) for dj, di in ((0, 0), (0, 1), (1, 0), (1, 1))
    )
    return np.asarray((a * (1 - u) + b * u) * (1 - v) + (c * (1 - u) + d * u) * v)


def _colour_spread(light: Floats, t: Floats, places: Floats, spread: float, px_mm: float) -> float:
    """How wide the edge is shown in colour (mm), by some places along it."""
    few = light[:: max(1, len(light) // FEW), :, 1:]
    wide = [float(np.hypot(spread, p * px_mm)) for p in COLOUR_PX]
    return min(
        wide,
        key=lambda w: float(
            np.minimum(_left_over(few, t, places, np.array([w, w]))[0].min(axis=1), MOST_LEFT).sum()
        ),
    )


def _left_over(light: Floats, t: Floats, places: Floats, spreads: Floats) -> tuple[Floats, Floats]:
    """What a step at each place leaves over of each profile (squares, in units of the noise, less what noise
    alone leaves), and how high the step is there, as a share of the way from leather to table. ``spreads``:
    how wide the step is in each channel (mm).
    """
    inside, beyond = light[:, t < -INNER_MM], light[:, t > INNER_MM]
    inner, outer = (np.median(v, axis=1) for v in (inside, beyond))
    inner, outer = (gaussian_filter1d(v, EVEN_MM / STEP_MM, axis=0, mode="wrap") for v in (inner, outer))
    noise = [
        1.48 * np.median(np.abs(v - m[:, None]), axis=(0, 1)) for v, m in ((inside, inner), (beyond, outer))
    ]
    noise = np.sqrt((noise[0] ** 2 + noise[1] ** 2) / 2) + 1e-4
    way = ((outer - inner) / noise).T
    length = np.maximum((way * way).sum(axis=0), 1e-6)
    # Channels, samples, profiles: what is left over of all profiles is one matrix product.
    value = np.ascontiguousarray(((light - inner[:, None]) / noise).transpose(2, 1, 0))
    alike = [(spread, value[spreads == spread], way[spreads == spread]) for spread in np.unique(spreads)]
    left, step = (np.zeros((len(places), len(light))) for _ in range(2))
    for k, e in enumerate(places):
        s = t[t <= e + OUTSIDE_MM] - e
        left[k] = -float(light.shape[2]) * len(s)
        for spread, values, ways in alike:
            rise = ndtr(s / spread)
            # Inside: the leather's level, with a little lean; outside: a curve of its own.
            design = np.stack([np.minimum(s, 0) * (1 - rise), rise, rise * s, rise * s * s], axis=1)
            held = np.diag([SLOPE * REACH_MM, 0.0, SLOPE_OUTSIDE, BEND_OUTSIDE])[[0, 2, 3]]
            back = np.linalg.pinv(np.vstack([design, held]))[:, : len(s)]
            here = values[:, : len(s)]
            figures = back @ here
            rest = design @ figures
            rest -= here
            rest *= rest
            left[k] += np.minimum(rest, 25.0, out=rest).sum(axis=(0, 1))
            step[k] += (figures[:, 1] * ways).sum(axis=0) / length
    return left.T, step.T


def _over(move: Floats, unseen: NDArray[np.bool_]) -> Floats:
    """Moves where the edge was not seen, from those on either side."""
    seen = np.flatnonzero(~unseen)
    if not len(seen):
        return np.zeros_like(move)
    return np.asarray(np.interp(np.arange(len(move)), seen, move[seen], period=len(move)))
