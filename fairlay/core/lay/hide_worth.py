"""What a hide is worth: its leather by tightness and by what each article accepts, its best block, its
longest strap, what a usable square metre costs.
"""

from __future__ import annotations

import math
from collections.abc import Hashable, Sequence
from dataclasses import dataclass
from typing import Final

import cv2
import numpy as np
from numpy.typing import NDArray
from shapely.affinity import rotate
from shapely.geometry import Polygon
from shapely.geometry.base import BaseGeometry

from fairlay.core.leather.hide import Hide
from fairlay.core.pattern import Piece
from fairlay.core.rules import Policy, bears, fair_areas, fair_ground, needs_of
from fairlay.core.shapes.rings import common, rings_of, union

CELL_MM: Final = 10.0
CLEAN_TIGHTNESS: Final = 2
"""A clean block is tight or firm leather without a blemish; marks of the surface only do not count against
it.
"""
STRAP_MM: Final = 40.0
STRAP_TURNS_DEG: Final = (0.0, -1.5, 1.5, -3.0, 3.0, -5.0, 5.0)
"""How far a strap may lie off the backbone."""


@dataclass(frozen=True)
class Block:
    """The largest rectangle along the backbone that lies wholly on clean leather: corner, length and depth in
    mm.
    """

    x: float
    y: float
    length_mm: float
    depth_mm: float

    @property
    def area_m2(self) -> float:
        return self.length_mm * self.depth_mm / 1e6


@dataclass(frozen=True)
class StrapRun:
    """The longest straight run for a strap of a width: from (x, y) along ``deg``, its length in mm."""

    x: float
    y: float
    length_mm: float
    deg: float
    width_mm: float


@dataclass(frozen=True)
class Accepted:
    """Leather of a hide in m2 that an article's rules accept: for at least one of its pieces, for every one
    of them, and what a m2 that at least one may use costs; pieces that have no place by area.
    """

    any_m2: float
    all_m2: float
    cost_per_usable_m2: float
    never: tuple[str, ...]


def clean_ground(hide: Hide) -> BaseGeometry:
    """Return the leather a block or strap may be cut from: in the margin, tight or firm, no blemish and
    nothing unsound.
    """
    return hide.within_margin.difference(
        union((hide.flawed(2), hide.flawed(3), hide.looser_than(CLEAN_TIGHTNESS)))
    )


def clean_block(hide: Hide) -> Block | None:
    """Return the largest rectangle of clean leather along the backbone, to ``CELL_MM``; None where there is
    none of a cell.
    """
    ground = clean_ground(hide)
    grid, x0, y0 = _cells(ground)
    best, at = 0, (0, 0, 0, 0)
    heights = np.zeros(grid.shape[1] + 1, int)
    for j, row in enumerate(grid):
        heights[:-1] = np.where(row, heights[:-1] + 1, 0)
        stack: list[tuple[int, int]] = []
        for i, high in enumerate(heights.tolist()):
            start = i
            while stack and stack[-1][1] >= high:
                start, tall = stack.pop()
                if tall * (i - start) > best:
                    best, at = tall * (i - start), (start, j - tall + 1, i - start, tall)
            stack.append((start, high))
    if best == 0:
        return None
    return Block(x0 + at[0] * CELL_MM, y0 + at[1] * CELL_MM, at[2] * CELL_MM, at[3] * CELL_MM)


def strap_run(hide: Hide, width_mm: float = STRAP_MM) -> StrapRun | None:
    """Return the longest straight run of clean leather so wide, within a few degrees of the backbone; None
    where there is none.
    """
    ground = clean_ground(hide)
    best: StrapRun | None = None
    middle = (hide.region.centroid.x, hide.region.centroid.y)
    need = max(1, math.ceil(width_mm / CELL_MM))
    for turn in STRAP_TURNS_DEG:
        grid, x0, y0 = _cells(rotate(ground, -turn, origin=middle))
        if grid.shape[0] < need:
            continue
        # A lane is as many rows of cells, all of them leather.
        lanes: NDArray[np.bool_] = np.lib.stride_tricks.sliding_window_view(grid, need, axis=0).min(axis=2)
        for j, lane in enumerate(lanes):
            edges = np.flatnonzero(np.diff(np.concatenate([[0], lane.astype(int), [0]])))
            if not len(edges):
                continue
            runs = edges[1::2] - edges[::2]
            k = int(runs.argmax())
            long = float(runs[k]) * CELL_MM
            # Off the backbone only for what is worth it.
            if best is None or long > best.length_mm + (0 if turn == best.deg else 2 * CELL_MM):
                t = math.radians(turn)
                dx, dy = x0 + edges[2 * k] * CELL_MM - middle[0], y0 + j * CELL_MM - middle[1]
                best = StrapRun(
                    middle[0] + dx * math.cos(t) - dy * math.sin(t),
                    middle[1] + dx * math.sin(t) + dy * math.cos(t),
                    long,
                    turn,
                    need * CELL_MM,
                )
    return best


def _cells(ground: BaseGeometry) -> tuple[NDArray[np.bool_], float, float]:
    """Cells that lie wholly on some ground, row 0 nearest the backbone, and the corner of the first."""
    if ground.is_empty:
        return np.zeros((0, 0), bool), 0.0, 0.0
    # Painted at a quarter of a cell, a little less than there is: OpenCV paints up to two thirds of a pixel
    # beyond an edge.
    fine = 4
    inner = ground.buffer(-CELL_MM / fine)
    if inner.is_empty:
        return np.zeros((0, 0), bool), 0.0, 0.0
    x0, y0, x1, y1 = inner.bounds
    w, h = math.ceil((x1 - x0) / CELL_MM) * fine, math.ceil((y1 - y0) / CELL_MM) * fine
    mask = np.zeros((h, w), np.uint8)
    scale = fine / CELL_MM
    cv2.fillPoly(
        mask,
        [np.round((r - [x0, y0]) * scale * 64 - 32).astype(np.int32) for r in rings_of(inner)],
        1,
        cv2.LINE_8,
        6,
    )
    return np.asarray(mask.reshape(h // fine, fine, w // fine, fine).all(axis=(1, 3)), bool), x0, y0


def accepted_by(hide: Hide, pieces: Sequence[Piece], policy: Policy | None = None) -> Accepted:
    """Return what leather of a hide some pieces' rules accept. With no pieces, nothing."""
    policy = policy or Policy()
    ground: dict[Hashable, BaseGeometry] = {}
    for p in pieces:
        if needs_of(p, hide) not in ground:
            ground[needs_of(p, hide)] = fair_ground(p, hide, policy)[0]
    grounds = list(ground.values())
    either = union(grounds)
    every = common(*grounds) if grounds else Polygon()
    never = tuple(p.id for p in pieces if not bears(ground[needs_of(p, hide)].area, p))
    any_m2 = either.area / 1e6
    return Accepted(
        any_m2,
        every.area / 1e6,
        hide.region.area / 1e6 * hide.cost_per_m2 / any_m2 if any_m2 > 1e-6 else math.inf,
        never,
    )


@dataclass(frozen=True)
class Suited:
    """How a hide suits a batch: ``score`` from 0 (of no use) upward, the share of the order it bears, and the
    reason in words.
    """

    score: float
    share: float
    reason: str


def suits_batch(
    hide: Hide, pieces: Sequence[Piece], names: dict[str, str], policy: Policy | None = None
) -> Suited:
    """Return how a hide suits the pieces that a batch cuts of its material; ``names`` are the pieces' own.

    Each piece counts by its share of the order's area; of a piece that the hide bears, the part of the hide's
    usable leather that is fair to it says how freely it can lie. Leather far better than everything wanted is
    told in the reason.
    """
    if not pieces or hide.usable.area < 1:
        return Suited(0.0, 0.0, "this batch cuts nothing from it")
    policy = policy or Policy()
    total = sum(p.area_mm2 * p.quantity for p in pieces) or 1.0
    usable = hide.usable.area
    share = score = 0.0
    never = []
    areas = fair_areas(pieces, hide, policy)
    for p in pieces:
        own, fair = p.area_mm2 * p.quantity / total, areas[needs_of(p, hide)]
        if not bears(fair, p):
            never.append(names.get(p.id, p.id))
            continue
        share += own
        score += own * fair / usable
    tight = 1.0 - hide.looser_than(1).intersection(hide.usable).area / usable
    loosest = min(p.max_tightness for p in pieces)
    fine = bool(hide.zones) and tight > 0.6 and loosest >= 3
    if not share:
        return Suited(0.0, 0.0, "it bears none of the pieces: " + _few(never))
    reason = (
        f"bears {share:.0%} of the order; no place for {_few(never)}"
        if never
        else f"bears every piece; on average one may lie on {score / share:.0%} of its usable leather"
    )
    if fine:
        reason += "; tighter than anything here needs"
        score *= 0.85
    return Suited(score, share, reason)


def _few(names: Sequence[str]) -> str:
    return ", ".join(names[:3]) + (f" and {len(names) - 3} more" if len(names) > 3 else "")
