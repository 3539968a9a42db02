"""Fair ground of a hide, compiled: edges in buckets for exact tests, a distance field to scan."""

from __future__ import annotations

import math
from collections.abc import Callable
from functools import cached_property
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray
from shapely.geometry.base import BaseGeometry

from fairlay.core.engine.kernels import BUCKET_MM, bucket_edges
from fairlay.core.engine.scan_kernels import POOL, pool_into
from fairlay.core.leather import Hide
from fairlay.core.pattern import Piece
from fairlay.core.rules import Policy, fair_ground
from fairlay.core.rules.grain import lines_on
from fairlay.core.shapes.field import distance_field
from fairlay.core.shapes.kernels import paint_body
from fairlay.core.shapes.rings import flat, rings_of

CELL_MM = 4.0
"""Cell of the distance field: fine enough to find a gap a piece fits in within a few mm."""
AROUND_MM = 8.0
"""The field reaches this far past the hide, so that a piece half over the edge is seen."""


class Ground(NamedTuple):
    """Fair ground, or ground to keep off: rings with their edges in buckets.

    ``pts`` (n, 2), ``starts`` (r + 1,): edge i runs from ``before[i]`` to i. Bucket (row, col)
    of ``shape`` covers ``BUCKET_MM`` squared from ``origin``; its edges are
    ``edges[bucket_at[k]:bucket_at[k + 1]]``. ``field`` is the signed distance in mm, positive on
    fair ground, at cell centres ``field_origin + CELL_MM * (col, row)``.
    """

    pts: NDArray[np.float64]
    starts: NDArray[np.int64]
    before: NDArray[np.int64]
    origin: NDArray[np.float64]
    shape: NDArray[np.int64]
    bucket_at: NDArray[np.int64]
    edges: NDArray[np.int64]
    field: NDArray[np.float32]
    field_origin: NDArray[np.float64]


def pooled(field: NDArray[np.float32]) -> NDArray[np.float32]:
    """Return the largest value of each block of POOL by POOL cells of a field."""
    rows, cols = field.shape
    pool = np.empty((-(-rows // POOL), -(-cols // POOL)), np.float32)
    pool_into(pool, field, 0, rows, 0, cols)
    return pool


class Compiled(NamedTuple):
    """Fair ground with its field's largest values (see ``pooled``), and what a show face keeps off."""

    fair: Ground
    off_show: Ground | None
    pool: NDArray[np.float32]


class HideGround:
    """What one class of pieces finds on one hide: fair ground, and flaws its show face keeps off; ``sides``
    of it once asked for.

    It is compiled by ``make`` when that is first asked for: how much of a hide is fair is wanted of every
    hide before a piece lies, the rest where one is laid. ``when_compiled`` is called then, once. ``nbytes``
    is what its fields take; the rest is small beside them.
    """

    def __init__(
        self, region: BaseGeometry, area_mm2: float, nbytes: int, make: Callable[[], Compiled]
    ) -> None:
        self.region, self.area_mm2, self.nbytes = region, area_mm2, nbytes
        self._make: Callable[[], Compiled] | None = make
        self.when_compiled: Callable[[HideGround], None] = lambda _: None
        self.sides: NDArray[np.float64] | None = None

    @cached_property
    def compiled(self) -> Compiled:
        """What searches ask."""
        assert self._make is not None
        compiled, self._make = self._make(), None
        self.__dict__["compiled"] = compiled
        self.when_compiled(self)
        return compiled

    @property
    def fair(self) -> Ground:
        """Fair ground."""
        return self.compiled.fair

    @property
    def off_show(self) -> Ground | None:
        """What a show face keeps off besides; None where there is nothing."""
        return self.compiled.off_show

    @property
    def pool(self) -> NDArray[np.float32]:
        """The largest values of the fair ground's field."""
        return self.compiled.pool


Bounds = tuple[float, float, float, float]


def _span(bounds: Bounds) -> NDArray[np.float64]:
    """How high and how wide a field is, in mm, of a hide of some bounds."""
    x0, y0, x1, y1 = bounds
    return np.array([y1 - y0 + 2 * AROUND_MM, x1 - x0 + 2 * AROUND_MM])


def _cells(bounds: Bounds) -> tuple[int, int]:
    """Rows and columns of a field."""
    rows, cols = np.ceil(_span(bounds) / CELL_MM).astype(int) + 1
    return int(rows), int(cols)


def compile_ground(region: BaseGeometry, bounds: Bounds, inverted: bool = False) -> Ground:
    """Return a region of a hide of some bounds compiled; ``inverted`` makes the field positive outside it."""
    rings = rings_of(region)
    pts, starts = flat(rings)
    before = np.arange(-1, len(pts) - 1, dtype=np.int64)
    for k in range(len(rings)):
        before[starts[k]] = starts[k + 1] - 1
    origin, size = np.array([bounds[0] - AROUND_MM, bounds[1] - AROUND_MM]), _span(bounds)
    shape = np.maximum(1, np.ceil(size / BUCKET_MM)).astype(np.int64)
    bucket_at, edges = bucket_edges(pts, before, origin, shape, BUCKET_MM)
    mask = np.zeros(_cells(bounds), np.bool_)
    if len(pts):
        paint_body(mask, pts, starts, origin[0], origin[1], CELL_MM, True)
    field = distance_field(~mask if inverted else mask, CELL_MM)
    return Ground(pts, starts, before, origin, shape, bucket_at, edges, field, origin)


def hide_ground(piece: Piece, hide: Hide, policy: Policy) -> HideGround:
    """Return the compiled ground of a piece on a hide, from the rules."""
    fair, off_show = fair_ground(piece, hide, policy)
    return ground_of(fair, off_show, hide)


def ground_of(fair: BaseGeometry, off_show: BaseGeometry, hide: Hide) -> HideGround:
    """Return the ground of two regions of a hide: where the whole piece may lie, and what its show face
    keeps off.
    """
    bounds = hide.region.bounds

    def make() -> Compiled:
        compiled = compile_ground(fair, bounds)
        off = None if off_show.is_empty else compile_ground(off_show, bounds, inverted=True)
        return Compiled(compiled, off, pooled(compiled.field))

    fields = 1 if off_show.is_empty else 2
    cells = math.prod(_cells(bounds))
    return HideGround(fair, float(fair.area), 4 * cells * fields + 4 * cells // POOL**2, make)


def line_map(hide: Hide, policy: Policy, like: Ground) -> tuple[tuple[float, ...], NDArray[np.int16]]:
    """Return every grain line on a hide, and a map of which holds at each cell of a field."""
    lines = lines_on(hide, policy)
    out = np.full(
        like.field.shape, lines.index(hide.backbone_deg) if hide.backbone_deg in lines else 0, np.int16
    )
    if len(lines) > 1:
        for zone, shown in reversed(hide.zone_regions):
            if shown.is_empty:  # a later zone covers it: its line holds nowhere
                continue
            paint_body(
                out,
                *flat(rings_of(shown)),
                like.field_origin[0],
                like.field_origin[1],
                CELL_MM,
                lines.index(zone.stretch_deg + 90.0),
            )
    return lines, out
