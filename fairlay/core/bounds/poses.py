"""All places that large pieces may have on a hide, in boxes, and what points of the leather weigh under them.

Nodes stand in the middles of square cells. A pose box is a cell for the centroid and a small range of turns;
it is kept where nothing rules out every pose in it (``room``). Its core is the nodes that lie inside the
piece at each of its poses; its heart those that do so with their whole cell.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Collection, Iterator, Mapping
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from functools import partial
from typing import Any, Final

import numpy as np
import shapely
from numpy.typing import NDArray
from scipy.fft import irfft2, next_fast_len, rfft2
from shapely.affinity import rotate
from shapely.geometry.base import BaseGeometry

from fairlay.core.bounds import room_kernels as kernels
from fairlay.core.bounds.room import Body, Looked, looked_for
from fairlay.core.lay.lay import Job
from fairlay.core.leather import Hide
from fairlay.core.pattern import Piece
from fairlay.core.rules.gap import gap_of
from fairlay.core.rules.grain import any_way
from fairlay.core.tolerances import OVERLAP_MM

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
Bools = NDArray[np.bool_]
Box = tuple[float, int, int]
"""What the points and regions under a pose box weigh, and its row and column."""

HALF_MM: Final = 2.0
"""Half width of a cell; a range of turns moves the farthest point of its piece as far."""
CELL_M2: Final = (2 * HALF_MM / 1000.0) ** 2
ACROSS_MM: Final = HALF_MM * math.sqrt(2.0)
CELL_MM: Final = 1.5
"""Cells of the distance field that boxes are ruled out with."""
BLOCK: Final = 16
EVERY: Final = 5
"""One node in so many, along and across, is a point that may weigh something."""
APART_MM: Final = 120.0
"""Of each square so wide the lightest pose is told."""
ROOM_MM: Final = 45.0
"""A piece that holds no circle of this radius is not large: its core would be too much less than it."""
MOST_TURNS: Final = 240


def is_large(piece: Piece, job: Job) -> bool:
    """Whether a piece is worth following pose by pose: wide, whole, and held to its grain."""
    if any_way(piece, job.policy) or piece.splits or piece.region.buffer(-ROOM_MM).is_empty:
        return False
    corners = np.asarray(piece.region.exterior.coords) - np.asarray(piece.region.centroid.coords)
    turns = math.radians(piece.grain.tolerance_deg) * float(np.hypot(*corners.T).max()) / HALF_MM
    return turns * (2 if piece.grain.reversible else 1) <= MOST_TURNS


@dataclass(frozen=True, eq=False)
class Poses:
    """Pose boxes of a piece (``piece`` is its index) with turns in one small range: ``core`` and ``heart``,
    squares of odd width about the centroid's node, and the ``cells`` kept, from (row, column) ``first`` on.
    """

    piece: int
    core: Bools
    heart: Bools
    first: tuple[int, int]
    cells: Bools


@dataclass(frozen=True, eq=False)
class Pose:
    """One pose box: the points inside it, and the m2 of each region under it."""

    piece: int
    points: Ints
    regions: Ints
    areas: Floats


class Nodes:
    """The nodes of one hide: which of them are points, and which region (an index) each one's whole cell lies
    in, -1 none.
    """

    def __init__(self, job: Job, hide: Hide, regions: Mapping[int, BaseGeometry]) -> None:
        x0, y0, x1, y1 = hide.region.bounds
        self.job, self.hide = job, hide
        self.low = np.array([x0 - 2 * HALF_MM, y0 - 2 * HALF_MM])
        cols, rows = (math.ceil((b - a) / (2 * HALF_MM)) + 2 for a, b in ((x0, x1), (y0, y1)))
        self.shape = (rows, cols)
        self.x, self.y = np.meshgrid(
            *(low + HALF_MM * (2 * np.arange(n) + 1) for low, n in zip(self.low, (cols, rows), strict=True))
        )
        self.point = np.full(self.shape, -1, np.int64)
        some = self.point[::EVERY, ::EVERY]
        some[...] = np.arange(some.size).reshape(some.shape)
        self.count = some.size
        self.region = np.full(self.shape, -1, np.int64)
        for r, shape in regions.items():
            self.region[shapely.contains_xy(shape.buffer(-ACROSS_MM), self.x, self.y)] = r
        self.poses: list[Poses] = []

    def keep_poses_of(self, index: int, piece: Piece, stop: Callable[[], bool] = lambda: False) -> None:
        """Find the pose boxes of a piece, on two cores; not all of them once ``stop()``."""
        grow = (gap_of(piece, self.job.policy) - OVERLAP_MM) / 2 - OVERLAP_MM
        for mirrored in (False, True) if piece.pair else (False,):
            looked = looked_for(self.job, piece, self.hide, mirrored, cell_mm=CELL_MM, exact_mm=0.0)
            body = looked.shape.buffer(grow)
            for _, held, middle, half in looked.ranges:
                turns = max(1, math.ceil(half * looked.reach / HALF_MM))
                swing = half / turns
                mids = [middle - half + swing * (2 * k + 1) for k in range(turns)]
                ask = partial(self._kept, looked, held, swing, stop)
                with ThreadPoolExecutor(2) as pool:
                    for turn, cells in zip(mids, pool.map(ask, mids), strict=True):
                        if cells.any():
                            (r0, r1), (c0, c1) = (_span(cells.any(axis=k)) for k in (1, 0))
                            some = cells[r0:r1, c0:c1].copy()
                            self.poses.append(Poses(index, *_core(body, turn, swing), (r0, c0), some))

    def _kept(self, looked: Looked, held: Body, swing: float, stop: Callable[[], bool], turn: float) -> Bools:
        cells = np.zeros(self.shape, np.bool_)
        if stop():
            return cells
        kernels.cells_with_places(turn, swing, self.low, HALF_MM, BLOCK, *held, looked.asked, cells)
        return cells

    def lightest(
        self, of: Collection[int], points: Floats, regions: Floats
    ) -> Iterator[tuple[int, list[Box]]]:
        """Yield for each of ``poses`` (its index) that is ``of`` some pieces (indices) the lightest boxes,
        the lightest first, at most one of each square of APART_MM; ``points`` and ``regions`` are what a
        point and a m2 of a region weigh.
        """
        by_point = np.zeros(self.shape)
        by_point[::EVERY, ::EVERY] = points.reshape(by_point[::EVERY, ::EVERY].shape)
        by_cell = np.where(self.region >= 0, regions[self.region] * CELL_M2, 0.0)
        most = max((p.core.shape[0] for p in self.poses), default=1)
        size = (next_fast_len(self.shape[0] + most, True), next_fast_len(self.shape[1] + most, True))
        of_points, of_cells = rfft2(by_point, size), rfft2(by_cell, size)
        for k, p in enumerate(self.poses):
            if p.piece not in of:
                continue
            under = of_points * np.conj(rfft2(p.core, size)) + of_cells * np.conj(rfft2(p.heart, size))
            # The centroid stands in the middle of the core.
            half = p.core.shape[0] // 2
            rows = (np.arange(p.cells.shape[0]) + p.first[0] - half) % size[0]
            cols = (np.arange(p.cells.shape[1]) + p.first[1] - half) % size[1]
            weight = np.where(p.cells, irfft2(under, size)[np.ix_(rows, cols)], np.inf)
            yield k, sorted(_of_each_square(weight, p.first))

    def pose(self, k: int, row: int, col: int) -> Pose:
        """Return one box of ``poses[k]``."""
        poses = self.poses[k]
        point = _under(self.point, poses.core, row, col)
        regions, counts = np.unique(_under(self.region, poses.heart, row, col), return_counts=True)
        return Pose(poses.piece, point, regions, np.asarray(counts * CELL_M2, np.float64))


def _under(known: Ints, mask: Bools, row: int, col: int) -> Ints:
    """Return what is known (not -1) of the nodes in a mask whose middle stands at a node."""
    half = mask.shape[0] // 2
    r, c = np.nonzero(mask)
    r, c = r + row - half, c + col - half
    on = (r >= 0) & (c >= 0) & (r < known.shape[0]) & (c < known.shape[1])
    found: Ints = known[r[on], c[on]]
    return found[found >= 0]


def _span(some: Any) -> tuple[int, int]:
    at = np.flatnonzero(some)
    return int(at[0]), int(at[-1]) + 1


def _core(body: BaseGeometry, turn: float, swing: float) -> tuple[Bools, Bools]:
    """Nodes that lie in a body about the origin at every pose of a box, turned by ``turn`` and up to
    ``swing`` rad more or less, the origin anywhere in its cell; and those that do so with their cells.
    """
    turned = rotate(body, turn, origin=(0, 0), use_radians=True)
    x0, y0, x1, y1 = turned.bounds
    half = math.ceil(max(-x0, -y0, x1, y1) / (2 * HALF_MM))
    x, y = np.meshgrid(*[2 * HALF_MM * np.arange(-half, half + 1)] * 2)
    core = shapely.contains_xy(turned, x, y)
    spare = shapely.distance(shapely.points(x[core], y[core]), turned.boundary)
    spare -= ACROSS_MM + swing * np.hypot(x[core], y[core])
    heart = core.copy()
    core[core], heart[heart] = spare >= 0.0, spare >= ACROSS_MM
    return core, heart


def _of_each_square(weight: Floats, first: tuple[int, int]) -> Iterator[Box]:
    n = int(APART_MM / (2 * HALF_MM))
    for r in range(0, weight.shape[0], n):
        for c in range(0, weight.shape[1], n):
            part = weight[r : r + n, c : c + n]
            k = int(part.argmin())
            if math.isfinite(part.flat[k]):
                yield float(part.flat[k]), first[0] + r + k // part.shape[1], first[1] + c + k % part.shape[1]
