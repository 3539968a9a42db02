"""What a job's leather can be shared out to at most, as a linear program over areas.

Leather is taken apart into the regions that the same pieces may lie on. No lay can put more on a region than
its area, nor a piece where the rules forbid it; what the program allows beyond that (pieces cut to shreds, no
waste) no lay can do, so what it gives is never less than the best lay.
"""

from __future__ import annotations

from collections.abc import Hashable, Mapping
from dataclasses import dataclass
from functools import cached_property
from itertools import pairwise

import numpy as np
import shapely
from numpy.typing import NDArray
from scipy.optimize import Bounds, LinearConstraint, linprog, milp
from scipy.sparse import coo_array, hstack, vstack
from shapely.geometry import MultiPolygon, box
from shapely.geometry.base import BaseGeometry

from fairlay.core.lay.lay import Job
from fairlay.core.leather import Hide
from fairlay.core.leather.hide import BEYOND_MM
from fairlay.core.pattern import Piece
from fairlay.core.rules import fair_ground, needs_of
from fairlay.core.shapes.rings import pieces_of, union
from fairlay.core.tolerances import OVERLAP_MM, REMNANT_MIN_M2

GRID_MM = 1e-4
"""Overlays are made on a grid so fine: without one, some cannot be made at all."""
SLICES = 24
"""Straight cuts looked at along a hide."""
INFEASIBLE = 2
"""What ``milp`` says where there is no solution."""
LEAST_MM2 = 1.0
"""A region smaller than this is nothing but rounding."""


@dataclass(frozen=True)
class _Region:
    """Leather of one hide that the same groups of pieces may lie on, in mm2."""

    hide: int
    groups: frozenset[int]
    area: float
    shape: BaseGeometry


class Shares:
    """The sharing of a job's leather. ``copies`` are the most of each piece that have room at all."""

    def __init__(self, job: Job, copies: Mapping[str, int]) -> None:
        self.job = job
        self.pieces = [p for p in job.pieces if not p.filler or job.objective == "fill"]
        self.copies = copies
        keys: dict[Hashable, int] = {}
        self.group = [
            keys.setdefault(tuple(_needs(p, hide) for hide in job.hides), len(keys)) for p in self.pieces
        ]
        self.one_of = [self.pieces[self.group.index(g)] for g in range(len(keys))]

    @cached_property
    def regions(self) -> list[_Region]:
        """Leather by what may lie on it."""
        out = []
        for h, hide in enumerate(self.job.hides):
            parts: list[tuple[frozenset[int], BaseGeometry]] = [(frozenset(), hide.region.buffer(OVERLAP_MM))]
            known: dict[Hashable, BaseGeometry] = {}
            for g, piece in enumerate(self.one_of):
                key = _needs(piece, hide)
                if key not in known:
                    known[key] = _ground(piece, hide, self.job)
                made = []
                for groups, shape in parts:
                    inside = _whole(shapely.intersection(shape, known[key], grid_size=GRID_MM))
                    if inside.area > LEAST_MM2:
                        made.append((groups | {g}, inside))
                    outside = _whole(shapely.difference(shape, known[key], grid_size=GRID_MM))
                    if outside.area > LEAST_MM2:
                        made.append((groups, outside))
                parts = made
            out += [_Region(h, groups, float(shape.area), shape) for groups, shape in parts if groups]
        return out

    @cached_property
    def ways(self) -> list[tuple[int, int]]:
        """Which piece may lie on which region."""
        return [
            (p, r)
            for p in range(len(self.pieces))
            for r, region in enumerate(self.regions)
            if self.group[p] in region.groups
        ]

    def least_area(self, p: int) -> float:
        """Of a piece, whole or by the split that takes least."""
        piece = self.pieces[p]
        return min([piece.area_mm2, *(sum(q.area_mm2 for q in s.parts) for s in piece.splits)])

    def _rows(self, of: int) -> coo_array:
        """For each piece (0) or region (1), the ways that are its."""
        at = np.array([w[of] for w in self.ways], np.int64)
        n = len(self.regions) if of else len(self.pieces)
        return coo_array((np.ones(len(at)), (at, np.arange(len(at)))), shape=(n, len(at))).tocsr()

    def _areas(self) -> NDArray[np.float64]:
        return np.array([region.area for region in self.regions])

    def most_value(self) -> float:
        """Return the most value-weighted area, in mm2, that can lie."""
        if not self.ways:
            return 0.0
        cost = np.array([-self.pieces[p].value for p, _ in self.ways])
        wanted = np.array(
            [
                min(p.quantity, self.copies[p.id]) * max(p.area_mm2, self.least_area(i))
                for i, p in enumerate(self.pieces)
            ]
        )
        done = linprog(
            cost, A_ub=_stacked(self._rows(0), self._rows(1)), b_ub=np.concatenate([wanted, self._areas()])
        )
        return -float(done.fun)

    def most_sets(self, names: tuple[str, ...]) -> float:
        """Return the most sets of these names, together, not rounded down."""
        if not self.ways or not names:
            return 0.0
        sets = {name: k for k, name in enumerate(names)}
        n, k = len(self.ways), len(names)
        rows, cols, values = [], [], []
        for p, piece in enumerate(self.pieces):
            if piece.set_name in sets:
                rows.append(p)
                cols.append(sets[piece.set_name])
                values.append(piece.per_set * self.least_area(p))
        # What lies of a piece is at least its share of every set.
        need = coo_array((values, (rows, cols)), shape=(len(self.pieces), k)).tocsr()
        most = [
            min(self.copies[p.id] // p.per_set for p in self.pieces if p.set_name == name) for name in names
        ]
        none = coo_array((len(self.regions), k)).tocsr()
        done = linprog(
            np.concatenate([np.zeros(n), -np.ones(k)]),
            A_ub=_stacked(_beside(-self._rows(0), need), _beside(self._rows(1), none)),
            b_ub=np.concatenate([np.zeros(len(self.pieces)), self._areas()]),
            bounds=[(0, None)] * n + [(0, m) for m in most],
        )
        return -float(done.fun)

    def least_cost(self, seconds: float = 20.0) -> float | None:
        """Return the least money that an order's leather can cost; None where not all of it has room.

        Hides are used from one end on, to a straight cut, or whole: which, and how far, is chosen by a mixed
        integer program over slices of each hide; what it has proved after ``seconds`` is returned.
        """
        ways = [_Slices(self, h) for h in range(len(self.job.hides))]
        cuts = [(h, k) for h, own in enumerate(ways) for k in range(len(own.costs))]
        regions = list(dict.fromkeys((h, g) for h, own in enumerate(ways) for way in own.areas for g in way))
        lies = [
            (p, r) for p in range(len(self.pieces)) for r, (_, g) in enumerate(regions) if self.group[p] in g
        ]
        if not lies:
            return None
        # Areas of each piece on each region, in m2; which cut; and the money for each hide.
        n, m, hides = len(lies), len(cuts), len(ways)
        piece, region = (np.array(of) for of in zip(*lies, strict=True))
        of_cut = np.array([h for h, _ in cuts])
        lie, cut = np.arange(n), n + np.arange(m)
        all_lies = np.zeros((len(self.pieces), n + m + hides))
        all_lies[piece, lie] = 1.0
        room = np.zeros((len(regions), n + m + hides))
        room[region, lie] = 1.0
        for r, (h, g) in enumerate(regions):
            for c in np.flatnonzero(of_cut == h):
                room[r, n + c] = -ways[h].areas[cuts[c][1]].get(g, 0.0) / 1e6
        one_cut = np.zeros((hides, n + m + hides))
        one_cut[of_cut, cut] = 1.0
        # The money is at least that of all before the cut, and of all that lies there.
        before, under = np.zeros((2, hides, n + m + hides))
        before[of_cut, cut] = [-ways[h].costs[k] for h, k in cuts]
        prices = np.array([hide.cost_per_m2 for hide in self.job.hides])
        on = np.array([regions[r][0] for r in region])
        under[on, lie] = -prices[on]
        for h in range(hides):
            before[h, n + m + h] = under[h, n + m + h] = 1.0
        wanted = np.array([p.quantity * self.least_area(i) / 1e6 for i, p in enumerate(self.pieces)])
        whole = np.zeros(n + m + hides)
        whole[cut] = 1.0
        most = np.full(n + m + hides, np.inf)
        most[cut] = 1.0
        money = np.zeros(n + m + hides)
        money[n + m :] = 1.0
        done = milp(
            money,
            integrality=whole,
            bounds=Bounds(0.0, most),
            constraints=[
                LinearConstraint(all_lies, wanted, np.inf),
                LinearConstraint(room, -np.inf, 0.0),
                LinearConstraint(one_cut, -np.inf, 1.0),
                LinearConstraint(np.concatenate([before, under]), 0.0, np.inf),
            ],
            options={"time_limit": seconds},
        )
        return None if done.status == INFEASIBLE else float(done.mip_dual_bound)


class _Slices:
    """Ways to use a hide: to each of some straight cuts from either end, or whole; what each costs at least,
    and what it bears at most. A cut anywhere within a slice bears no more than all of that slice, and costs
    no less than what lies before it.
    """

    def __init__(self, shares: Shares, h: int) -> None:
        hide = shares.job.hides[h]
        x0, _, x1, _ = hide.region.bounds
        edges = np.linspace(x0, x1, SLICES + 1)
        slices = [box(a, -BEYOND_MM, b, BEYOND_MM) for a, b in pairwise(edges)]
        leather = [hide.region.intersection(s).area for s in slices]
        bears: list[dict[frozenset[int], float]] = [{} for _ in slices]
        for region in shares.regions:
            if region.hide == h:
                for own, part in zip(bears, slices, strict=True):
                    area = float(region.shape.intersection(part).area)
                    if area > LEAST_MM2:
                        own[region.groups] = own.get(region.groups, 0.0) + area
        whole = sum(leather)
        self.costs: list[float] = []
        self.areas: list[dict[frozenset[int], float]] = []
        for from_tail in (True, False):
            if hide.keep_end is not None and hide.keeps_right != from_tail:
                continue
            order = range(SLICES) if from_tail else range(SLICES - 1, -1, -1)
            used, taken = 0.0, dict[frozenset[int], float]()
            for n, k in enumerate(order):
                for groups, area in bears[k].items():
                    taken[groups] = taken.get(groups, 0.0) + area
                last = n == SLICES - 1
                kept = whole - used >= REMNANT_MIN_M2 * 1e6
                self.costs.append(hide.cost_per_m2 / 1e6 * (used if kept else whole))
                self.areas.append(dict(taken))
                used += leather[k]
                if last or not kept:
                    break


def _needs(piece: Piece, hide: Hide) -> Hashable:
    parts = tuple(needs_of(part, hide) for split in piece.splits for part in split.parts)
    return (needs_of(piece, hide), *parts)


def _ground(piece: Piece, hide: Hide, job: Job) -> BaseGeometry:
    """Where a piece, whole or in parts, may lie, and a little more: by as much as a lay may be off."""
    every = [piece, *(part for split in piece.splits for part in split.parts)]
    return union(fair_ground(p, hide, job.policy)[0] for p in every).buffer(OVERLAP_MM)


def _whole(shape: BaseGeometry) -> BaseGeometry:
    """A region without the lines and points that an overlay may leave beside it."""
    return MultiPolygon(pieces_of(shape, 0.0))


def _stacked(upper: coo_array, lower: coo_array) -> coo_array:
    return vstack([upper, lower]).tocsr()


def _beside(left: coo_array, right: coo_array) -> coo_array:
    return hstack([left, right]).tocsr()
