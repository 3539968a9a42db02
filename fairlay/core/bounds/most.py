"""What no lay of a job can pass, by areas: the most yield of the leather it uses, the least leather, the
least money. Cheap to reckon; ``bound`` proves more, and takes longer.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray
from shapely.geometry.base import BaseGeometry

from fairlay.core.lay.lay import Job
from fairlay.core.leather import Hide
from fairlay.core.pattern import Piece
from fairlay.core.rules import fair_ground, needs_of
from fairlay.core.shapes.rings import area_left_of, pieces_of, rings_of, union
from fairlay.core.tolerances import REMNANT_MIN_M2

CUTS: Final = 40
"""Places along a hide at which its remnant may begin, as the curves have them; between them the curve is
above what can be had, never below.
"""


@dataclass(frozen=True)
class Most:
    """What no lay passes: the yield of the leather it uses, and, for one that places all that is wanted, the
    least leather in m2 and the least money; ``short_m2`` is how much of what is wanted has no ground at all.
    """

    yield_of_used: float
    least_used_m2: float
    least_cost: float
    short_m2: float


@dataclass(frozen=True)
class _Curve:
    """Of a hide: leather used and the most that is fair of it, both in m2, growing together from (0, 0)."""

    used: NDArray[np.float64]
    fair: NDArray[np.float64]
    price: float


def most(job: Job) -> Most:
    """Return what no lay of a job passes.

    A lay uses a hide from one end to a straight cut, or all of it; pieces lie on ground that is fair to them,
    and do not lie over each other. So what it uses holds at least their area in such ground: of all pieces,
    and of those alone that need a tightness class or tighter. The least leather with as much ground in it is
    a linear program on the upper hulls of fair area over used area, and is filled by the steepest first.
    """
    wanted = [p for p in job.pieces if p.quantity and not p.filler]
    least_used, least_cost, short, best_yield = 0.0, 0.0, 0.0, 1.0
    told = 0
    for tightness in (1, 2, 3, 4):
        own = [p for p in wanted if p.max_tightness <= tightness]
        if not own or len(own) == told:
            continue
        told = len(own)
        area = sum(p.area_mm2 * p.quantity for p in own) / 1e6
        curves = [_curve(hide, own, job) for hide in job.hides]
        least_used = max(least_used, _least(curves, area, lambda _: 1.0))
        least_cost = max(least_cost, _least(curves, area, lambda c: c.price))
        short = max(short, area - sum(float(c.fair[-1]) for c in curves))
        if len(own) == len(wanted):
            rates = [c.fair[1:] / np.maximum(c.used[1:], 1e-9) for c in curves]
            best_yield = min(1.0, max((float(r.max()) for r in rates if len(r)), default=1.0))
            if job.objective == "order" and least_used > 0:
                best_yield = min(best_yield, area / least_used)
    return Most(best_yield, least_used, least_cost, max(0.0, short))


def fair_to_any(hide: Hide, pieces: Iterable[Piece], job: Job) -> BaseGeometry:
    """Return the ground of a hide that is fair to at least one of some pieces."""
    grounds = {needs_of(p, hide): p for p in pieces}
    return union(fair_ground(p, hide, job.policy)[0] for p in grounds.values())


def _curve(hide: Hide, pieces: Sequence[Piece], job: Job) -> _Curve:
    ground = fair_to_any(hide, pieces, job)
    x0, _, x1, _ = hide.region.bounds
    whole = hide.region.area / 1e6
    points = [(0.0, 0.0)]
    if hide.is_roll:
        points.append((whole, float(ground.area) / 1e6))
        return _hull(points, hide.cost_per_m2)
    at = np.linspace(x0, x1, CUTS + 1)
    left, fair = _left_of(hide.region, at) / 1e6, _left_of(ground, at) / 1e6
    if hide.keep_end is None or hide.keeps_right:
        # Cuts are tried at steps: what lies before the next is credited to this one.
        points += [(left[k], fair[k + 1]) for k in range(1, CUTS) if whole - left[k] >= REMNANT_MIN_M2]
    if hide.keep_end is None or not hide.keeps_right:
        points += [
            (whole - left[k], fair[-1] - fair[k - 1]) for k in range(1, CUTS) if left[k] >= REMNANT_MIN_M2
        ]
    points.append((whole, float(ground.area) / 1e6))
    return _hull(points, hide.cost_per_m2)


def _left_of(region: BaseGeometry, at: NDArray[np.float64]) -> NDArray[np.float64]:
    """Area in mm2 of a region left of each x."""
    total = np.zeros(len(at))
    for part in pieces_of(region):
        for k, ring in enumerate(rings_of(part)):
            total += area_left_of(ring, at) * (1.0 if k == 0 else -1.0)
    return total


def _hull(points: Sequence[tuple[float, float]], price: float) -> _Curve:
    """The upper hull of (used, fair), from (0, 0) on."""
    hull: list[tuple[float, float]] = []
    for p in sorted(points):
        while hull and hull[-1][0] == p[0] and hull[-1][1] <= p[1]:
            hull.pop()
        while len(hull) > 1 and _turns_left(hull[-2], hull[-1], p):
            hull.pop()
        hull.append(p)
    at = np.array(hull)
    return _Curve(at[:, 0], np.maximum.accumulate(at[:, 1]), price)


def _turns_left(a: tuple[float, float], b: tuple[float, float], c: tuple[float, float]) -> bool:
    return (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0]) >= 0


def _least(curves: Sequence[_Curve], area_m2: float, price: Callable[[_Curve], float]) -> float:
    """The least weight of leather with so much fair ground; of all there is, where there is too little."""
    steps = [
        (float(f), float(u) * price(c))
        for c in curves
        for f, u in zip(np.diff(c.fair), np.diff(c.used), strict=True)
        if f > 0
    ]
    left, total = area_m2, 0.0
    for fair, weight in sorted(steps, key=lambda s: s[1] / s[0]):
        share = min(1.0, left / fair)
        total, left = total + share * weight, left - share * fair
        if left <= 1e-12:
            break
    return total
