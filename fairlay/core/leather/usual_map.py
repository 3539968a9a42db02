"""The usual map of a hide: where leather is tight and loose before any test was made, laid on the outline at
once.

Tightest along the back in the bend, then the shoulder; looser to the belly; loosest in the flanks behind the
legs; the neck coarse. A first guess, which pull tests correct.
"""

from __future__ import annotations

import math
from typing import Final

import numpy as np
from numpy.typing import NDArray
from shapely.affinity import affine_transform
from shapely.geometry import Polygon, box

from fairlay.core.leather.hide import Zone
from fairlay.core.shapes.rings import Ring, pieces_of

Shares = list[tuple[float, float]]

SIDE_MAP: Final[tuple[tuple[str, int, float, Shares], ...]] = (
    (
        "bend",
        1,
        90.0,
        [
            (0.03, -0.02),
            (0.58, -0.02),
            (0.585, 0.30),
            (0.55, 0.49),
            (0.40, 0.53),
            (0.20, 0.52),
            (0.06, 0.42),
            (0.02, 0.2),
        ],
    ),
    (
        "shoulder",
        2,
        82.0,
        [(0.58, -0.02), (0.87, -0.02), (0.87, 0.22), (0.84, 0.44), (0.70, 0.52), (0.56, 0.48), (0.585, 0.3)],
    ),
    (
        "hind flank",
        4,
        58.0,
        [(0.10, 0.66), (0.19, 0.62), (0.25, 0.72), (0.24, 0.9), (0.19, 1.0), (0.12, 0.9)],
    ),
    ("fore flank", 4, 122.0, [(0.64, 0.68), (0.74, 0.62), (0.80, 0.72), (0.78, 0.88), (0.70, 0.86)]),
)
"""Parts of a side: tightness, the way that gives most in degrees, and a ring as shares of length and depth (x
from tail to neck, y from the backbone down). What is in none is belly, or neck: loose.
"""
BELLY_SHARE: Final = 0.875
"""How deep the belly of the side that the map was drawn on reached, its legs being 1."""
MIDDLE: Final = (0.42, 0.58)


def usual_map(kind: str, outline: Ring) -> tuple[Zone, ...]:
    """Return the usual map of a hide of a kind, on an outline ``(n, 2)`` in mm with its backbone along y =
    least and its tail at x = least.

    A whole hide has its backbone midway down. A roll has none.
    """
    if kind == "roll":
        return ()
    if kind == "side":
        return (Zone(outline.copy(), 3, 90.0), *_side(outline))
    if kind == "whole":
        return (Zone(outline.copy(), 3, 90.0), *_whole(outline))
    if kind == "bend":
        return (Zone(outline.copy(), 1, 90.0),)
    if kind == "belly":
        return (Zone(outline.copy(), 3, 90.0), *_lower(outline, 0.55, 4, 75.0))
    if kind == "shoulder":
        return (Zone(outline.copy(), 2, 85.0), *_lower(outline, 0.64, 3, 100.0))
    return (Zone(outline.copy(), 2, 90.0),)


def _side(outline: Ring) -> list[Zone]:
    (x0, y0), (x1, _) = outline.min(axis=0), outline.max(axis=0)
    deep = _belly(outline) / BELLY_SHARE
    return [
        Zone(np.round(through(np.array(ring) * [x1 - x0, deep] + [x0, y0], 4), 1), tightness, stretch)
        for _, tightness, stretch, ring in SIDE_MAP
    ]


def _whole(outline: Ring) -> list[Zone]:
    """Two sides, the upper one turned over on the backbone."""
    y0, y1 = float(outline[:, 1].min()), float(outline[:, 1].max())
    middle = (y0 + y1) / 2
    out = []
    for up in (False, True):
        half = (
            Polygon(outline)
            .buffer(0)
            .intersection(box(-1e6, middle, 1e6, 1e6) if not up else box(-1e6, -1e6, 1e6, middle))
        )
        if up:
            half = affine_transform(half, (1, 0, 0, -1, 0, 2 * middle))
        side = max(pieces_of(half), key=lambda p: p.area, default=None)
        if side is None:
            continue
        for zone in _side(np.asarray(side.exterior.coords)[:-1]):
            ring = zone.outline * [1, -1] + [0, 2 * middle] if up else zone.outline
            out.append(
                Zone(ring, zone.tightness, (180.0 - zone.stretch_deg) % 180.0 if up else zone.stretch_deg)
            )
    return out


def _lower(outline: Ring, share: float, tightness: int, stretch: float) -> list[Zone]:
    """The part of a cut that lay toward the belly."""
    (x0, y0), (x1, y1) = outline.min(axis=0), outline.max(axis=0)
    ring = np.array([(-0.02, share + 0.02), (0.4, share), (1.02, share - 0.1), (1.02, 1.02), (-0.02, 1.02)])
    return [Zone(np.round(ring * [x1 - x0, y1 - y0] + [x0, y0], 1), tightness, stretch)]


def _belly(outline: Ring) -> float:
    """How deep the middle of a side reaches below its backbone, clear of the legs."""
    (x0, y0), (x1, y1) = outline.min(axis=0), outline.max(axis=0)
    band = (
        Polygon(outline)
        .buffer(0)
        .intersection(box(x0 + MIDDLE[0] * (x1 - x0), y0 - 1, x0 + MIDDLE[1] * (x1 - x0), y1 + 1))
    )
    return (
        float(band.bounds[3] - y0) if not band.is_empty and math.isfinite(band.bounds[3]) else float(y1 - y0)
    )


def through(points: NDArray[np.float64], between: int) -> NDArray[np.float64]:
    """Return a closed Catmull-Rom curve through points ``(n, 2)``, ``between`` steps from each to the
    next.
    """
    before, after, later = (
        np.roll(points, 1, axis=0),
        np.roll(points, -1, axis=0),
        np.roll(points, -2, axis=0),
    )
    out = [
        0.5
        * (
            2 * points
            + (after - before) * t
            + (2 * before - 5 * points + 4 * after - later) * t**2
            + (3 * points - before - 3 * after + later) * t**3
        )
        for t in np.linspace(0.0, 1.0, between, endpoint=False)
    ]
    return np.stack(out, axis=1).reshape(-1, 2)
