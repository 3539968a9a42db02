"""How copies of one piece lie closest in rows: one after the other, or in pairs turned half about.

The densest double lattice packing (Kuperberg and Kuperberg 1990, of convex bodies, where it is a matter of
half-length parallelograms) is sought for bodies of any outline by trying: where the second of a pair touches
the first, which way rows run, and how far the next row is shifted along; how close they then come follows
from the sums of the bodies, exactly. The best of many are bettered by small changes.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import Final

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry import LinearRing
from shapely.geometry.base import BaseGeometry

from fairlay.core.engine import lattice_kernels as kernels
from fairlay.core.shapes.minkowski import Parts, body_parts, sum_of, turned
from fairlay.core.shapes.rings import flat, pieces_of, rings_of

Floats = NDArray[np.float64]
Cell = tuple[float, float, float, float]
"""Area, length along a row, and where the next row begins, along and across."""

TOUCHES, WAYS, OFFSETS = 28, 24, 20
"""Places of the second about the first, ways that rows run, and shifts of the next row, tried at first."""
BETTERED, CHANGES = 5, 60
MANY_POINTS, COVER_MM = 60, 0.1
"""An outline of more points is covered by one of fewer: so much larger, or twice as much and again,"""
MOST_COVERED: Final = 0.02
"""up to this share of its size."""
MOST_PARTS: Final = 60
"""Of a body that falls into more convex parts none are sought: its sums take seconds."""
KEPT: Final = 4
LOOSER: Final = 0.95
"""Of looser lattices than this share of the densest none is kept."""
SAME_WAY: Final = 0.1
"""Of lattices whose rows run within so many rad of each other the densest is kept."""


@dataclass(frozen=True)
class Lattice:
    """Rows of one motif: each of ``motif`` (x, y in mm from the first, turned by half where the third is 1)
    lies at ``i`` times ``along`` plus ``j`` times ``across`` for all whole i and j. ``density``: how much of
    the ground it covers.
    """

    motif: tuple[tuple[float, float, float], ...]
    along: tuple[float, float]
    across: tuple[float, float]
    density: float


@dataclass(frozen=True)
class _Found:
    each: float
    double: bool
    touch: float
    phi: float
    cell: Cell


def lattices_of(
    body: BaseGeometry,
    area_mm2: float,
    turns_half: bool,
    stop: Callable[[], bool] = lambda: False,
) -> tuple[Lattice, ...]:
    """Return the densest lattices found of a body about its centroid, the best first: of itself alone and,
    where ``turns_half``, in pairs of which one is turned half about. None where it is stopped.
    """
    parts = body_parts(_of_few_points(body, area_mm2))
    if len(parts[1]) > MOST_PARTS:
        return ()
    same, other = _rings(_sum(parts, math.pi)), _rings(_sum(parts, 0.0))
    rng = np.random.default_rng(0)
    found: list[_Found] = []

    def weigh(double: bool, touch: float, phi: float, most: float) -> Cell:
        dx, dy = _at(border, touch) if double else (0.0, 0.0)
        cell: Cell = kernels.closest(*same, *other, double, dx, dy, phi, OFFSETS, most)
        return cell

    border = max(pieces_of(_sum(parts, 0.0).buffer(kernels.CLOSE_MM), 0.0), key=lambda p: p.area).exterior
    for double in (False, True) if turns_half else (False,):
        touches = np.arange(TOUCHES) / TOUCHES if double else np.zeros(1)
        tried = []
        for touch in touches.tolist():
            if stop():
                return ()
            ways = (np.arange(WAYS) * math.pi / WAYS).tolist()
            tried += [(weigh(double, touch, phi, math.inf), touch, phi) for phi in ways]
        tried.sort(key=lambda t: t[0][0])
        # Rows along the hide or across it too, since its edges mostly are.
        level = [next(t for t in tried if t[2] == phi) for phi in (0.0, math.pi / 2)]
        for cell, touch, phi in tried[:BETTERED] + level:
            if stop():
                return ()
            held = (cell, touch, phi) in level
            wide = 1.0
            for _ in range(CHANGES):
                near = (
                    touch + wide * float(rng.normal()) / TOUCHES if double else 0.0,
                    phi if held else phi + wide * float(rng.normal()) * math.pi / WAYS,
                )
                now = weigh(double, *near, cell[0])
                if now[0] < cell[0]:
                    (touch, phi), cell = near, now  # noqa: PLW2901  # from what is better on
                else:
                    wide *= 0.93
            found.append(_Found(cell[0] / (2.0 if double else 1.0), double, touch, phi, cell))
    found = [f for f in found if math.isfinite(f.each)]
    found.sort(key=lambda f: f.each)
    out: list[_Found] = []
    for f in found:
        alike = any(abs(math.remainder(f.phi - o.phi, math.pi)) < SAME_WAY for o in out)
        if len(out) < KEPT and f.each * LOOSER <= found[0].each and not alike:
            out.append(f)
    return tuple(_lattice(f, border, area_mm2) for f in out)


def _of_few_points(body: BaseGeometry, area_mm2: float) -> BaseGeometry:
    """Return a body, or one of fewer points that covers it: what is sought is only a place, tried exactly."""
    covered, by = body, COVER_MM
    while shapely.get_num_coordinates(covered) > MANY_POINTS and by <= MOST_COVERED * math.sqrt(area_mm2):
        covered = body.buffer(by, quad_segs=2).simplify(by)
        by *= 2.0
    return covered


def _lattice(f: _Found, border: LinearRing, area_mm2: float) -> Lattice:
    cos, sin = math.cos(f.phi), math.sin(f.phi)
    _, length, x, y = f.cell
    return Lattice(
        ((0.0, 0.0, 0.0), (*_at(border, f.touch), 1.0)) if f.double else ((0.0, 0.0, 0.0),),
        (length * cos, length * sin),
        (x * cos - y * sin, x * sin + y * cos),
        area_mm2 / f.each,
    )


def _sum(parts: Parts, turn: float) -> BaseGeometry:
    """A body's sum with itself turned about (rad)."""
    return sum_of(parts, turned(parts, math.cos(turn), math.sin(turn)))


def _rings(region: BaseGeometry) -> tuple[Floats, NDArray[np.int64]]:
    pts, starts = flat([ring for piece in pieces_of(region, 0.0) for ring in rings_of(piece)])
    return np.ascontiguousarray(pts), starts.astype(np.int64)


def _at(border: LinearRing, share: float) -> tuple[float, float]:
    at = border.interpolate(share % 1.0, normalized=True)
    return float(at.x), float(at.y)
