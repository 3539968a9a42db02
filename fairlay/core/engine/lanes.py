"""Straps and other long strips laid in lanes, side by side and end to end, as a cutter does with a rule.

Where lanes run, and how wide, is chosen for the whole place at once (dynamic programming across it), and so
is what lies in each lane (the same along it). Every strip is then tried exactly where it is to lie.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fairlay.core.engine import lane_kernels
from fairlay.core.engine.bank import BODIES, NEAR, Variant
from fairlay.core.engine.ground import CELL_MM
from fairlay.core.engine.lane_kernels import Kinds, LaneGround, Place
from fairlay.core.engine.layer import Lying, Spot
from fairlay.core.engine.table import HideTable
from fairlay.core.rules.grain import off_grain
from fairlay.core.shapes.kernels import paint_body

SQUARE: Final = 0.9
"""What fills so much of its bounds lies well in a lane."""
LONG: Final = 3.0
"""Strips are so many times as long as they are wide, or more."""
NUDGE_MM: Final = 6.0
"""How far from where it is planned a strip is tried: cells and steps tell an edge no closer."""
LANE_CELL_MM: Final = 2.0
EDGES: Final = (0.0, 0.25, 0.5)
"""How boldly a lane is planned along a slanting edge; what is planned too boldly finds no place."""
TRIED_MM: Final = 1.0
APART_MM: Final = 0.005
"""What touches is not clear of each other; bodies are shrunk by more than this."""
BACK: Final = np.array([[-1.0, 0.0]])
"""The way a strip is slid into contact."""
LEAST_VALUE: Final = 1e-3
SHAKEN: Final = (0.03, 0.12, 0.35)
"""How much what a kind is worth is shaken, so that lanes come out otherwise each time."""
LONG_FIRST: Final = (0.0, 0.0, 1.0)
"""By which power of their length long ones are preferred."""
MOST_KINDS: Final = 12
MOST_IN_LANE: Final = 64

Window = tuple[float, float, float, float]


@dataclass(frozen=True)
class Strip:
    """A variant at one turn whose body nearly fills its bounds; these are about its centroid, without gap."""

    variant: Variant
    turn_deg: float
    x0: float
    y0: float
    x1: float
    y1: float


def lies_square(variant: Variant) -> bool:
    """Whether a variant nearly fills its bounds, at whatever turn its line has."""
    w, h = np.ptp(variant.piece.outline, axis=0)
    return bool(variant.area_mm2 >= SQUARE * w * h)


def is_strip(variant: Variant) -> bool:
    """Whether a variant lies square and is long."""
    w, h = np.ptp(variant.piece.outline, axis=0)
    return lies_square(variant) and bool(max(w, h) >= LONG * min(w, h))


@dataclass
class Lanes:
    """Lanes on one table. ``hide``: its place among those of a search."""

    table: HideTable
    rng: np.random.Generator
    stop: Callable[[], bool]
    hide: int = 0

    def strips(self, variants: Sequence[Variant], turn: int, gap: bool = False) -> list[Strip]:
        """Return the variants that lie well in a lane along the hide, each at one of its turns; ``turn``
        chooses among those that do. Bounds are half a ``gap`` larger where that is asked for.
        """
        out = []
        for v in variants:
            half = 0.0 if gap else self.table.bank.own(v).gap_mm / 2.0
            good = []
            for _, angle in self.table.turns_to_try(v, 4, spread=False):
                x0, y0, x1, y1 = self.table.bank.turned(v, angle)[2]
                own = Strip(v, angle, x0 + half, y0 + half, x1 - half, y1 - half)
                if v.area_mm2 >= SQUARE * (own.x1 - own.x0) * (own.y1 - own.y0):
                    good.append(own)
            if good:
                out.append(good[turn % len(good)])
        return out[:MOST_KINDS]

    def fill(self, pool: dict[int, list[int]], strips: Sequence[Strip], window: Window | None) -> int:
        """Lay copies of a pool in lanes that lie within a window, all of the hide where there is none; return
        how many.
        """
        table = self.table
        if table.left or not strips:
            return 0
        x0, y0, x1, y1 = window or table.hide.region.bounds
        at = table.origin - CELL_MM / 2.0
        off = float(self.rng.uniform(0.0, lane_kernels.ACROSS_MM)) if self.rng.random() < 0.5 else 0.0
        first = y0 - at[1] + off
        place = Place(max(x0 - at[0], 0.0), x1 - at[0], max(first, 0.0), y1 - at[1])
        if place.high - place.low < CELL_MM or place.last - place.first < CELL_MM:
            return 0
        plan = _Plan(self, strips, place)
        laid = 0
        left = np.array([len(pool[s.variant.index]) for s in strips])
        plan.choose(left > 0)
        i = 0
        while i < plan.steps and left.any() and not self.stop():
            wide = float(plan.width[i])
            if wide <= 0.0:
                i += 1
                continue
            held = left > 0
            laid += self._lay_lane(plan, place.first + i * lane_kernels.ACROSS_MM, wide, left, pool)
            i += max(1, math.ceil((wide + plan.gap) / lane_kernels.ACROSS_MM - lane_kernels.EVEN))
            if (held & (left == 0)).any():
                plan.choose(left > 0)
        return laid

    def _lay_lane(
        self, plan: _Plan, y: float, wide: float, left: NDArray[np.int64], pool: dict[int, list[int]]
    ) -> int:
        """Lay what goes into a lane, each strip in contact with the one before where it may be; return how
        many.
        """
        table, laid, end = self.table, 0, -math.inf
        at = table.origin - CELL_MM / 2.0
        for early, late, k in plan.lane(y, wide, left > 0):
            strip = plan.strips[k]
            if not left[k]:
                continue
            begin = max(early + at[0] - NUDGE_MM, end + plan.gap + APART_MM)
            spot = self._first_fair(strip, begin, late + at[0] + NUDGE_MM, y + at[1])
            if spot is not None:
                table.put(Lying(strip.variant, pool[strip.variant.index].pop(), spot))
                left[k] -= 1
                laid += 1
                end = spot.x + strip.x1
        return laid

    def _first_fair(self, strip: Strip, begin: float, end: float, y: float) -> Spot | None:
        """The first place from ``begin`` on where a strip is fair, its lower edge at ``y``."""
        table, v = self.table, strip.variant
        for x in np.arange(begin, end + TRIED_MM, TRIED_MM).tolist():
            cx, cy = x - strip.x0, y - strip.y0
            if table.fits(v, cx, cy, strip.turn_deg) and (
                off_grain(v.piece, table.hide, table.job.policy, strip.turn_deg, v.mirrored, cx, cy) is None
            ):
                if x > begin:
                    cx, cy = table.slide(v, cx, cy, strip.turn_deg, BACK, TRIED_MM)
                return Spot(self.hide, cx, cy, strip.turn_deg, 0.0)
        return None


class _Plan:
    """Lanes of a place: ``width`` of the one that begins at each step across it, 0 for none."""

    def __init__(self, lanes: Lanes, strips: Sequence[Strip], place: Place) -> None:
        table, rng = lanes.table, lanes.rng
        self.strips, self.place = strips, place
        grounds = {id(table.ground(s.variant)): s.variant for s in strips}
        number = {key: g for g, key in enumerate(grounds)}
        before = np.array([_barred(table, v) for v in grounds.values()])
        self.on = LaneGround(before, LANE_CELL_MM, float(rng.choice(EDGES)))
        worth = np.array([s.variant.area_mm2 * max(s.variant.piece.value, LEAST_VALUE) for s in strips])
        shaken = np.exp(rng.normal(0.0, rng.choice(SHAKEN), len(strips)))
        self.gap = max(table.bank.own(s.variant).gap_mm for s in strips)
        # Long ones first, sometimes: short ones go anywhere later.
        long = np.array([s.x1 - s.x0 for s in strips])
        shaken *= (long / long.max()) ** float(rng.choice(LONG_FIRST))
        self.kinds = Kinds(
            np.array([number[id(table.ground(s.variant))] for s in strips]),
            np.array([s.x1 - s.x0 for s in strips]),
            np.array([s.y1 - s.y0 for s in strips]),
            worth * shaken,
            np.ones(len(strips), np.bool_),
            self.gap,
        )
        self.steps = int((place.last - place.first) / lane_kernels.ACROSS_MM) + 1
        self.total, self.width = np.zeros(self.steps + 1), np.zeros(self.steps + 1)

    def choose(self, held: NDArray[np.bool_]) -> None:
        """Choose lanes for the kinds of which copies are left."""
        widths = np.unique(np.round(self.kinds.broad[held], 3))
        lane_kernels.lanes_across(
            self.on, self.kinds._replace(held=held), widths, self.place, self.total, self.width
        )

    def lane(self, y: float, wide: float, held: NDArray[np.bool_]) -> list[tuple[float, float, int]]:
        """Return what lies in one lane: from how far along, up to how far as well, and which strip."""
        out = np.empty((MOST_IN_LANE, 3))
        n = lane_kernels.strips_of_lane(self.on, self.kinds._replace(held=held), self.place, y, wide, out)
        return [(float(early), float(late), int(k)) for early, late, k in out[:n]]


def _barred(table: HideTable, variant: Variant) -> NDArray[np.int32]:
    """How many cells down to each row bear nothing of a variant as the table lies, column by column."""
    ground, layer = table.ground(variant).fair, table.layer(variant)
    bodies, floor = layer.bodies, layer.floor
    at = table.origin - CELL_MM / 2.0 + LANE_CELL_MM / 2.0
    rows, cols = (int(n * CELL_MM / LANE_CELL_MM) for n in ground.field.shape)
    mask = np.zeros((rows, cols), np.bool_)
    paint_body(mask, ground.pts, ground.starts, at[0], at[1], LANE_CELL_MM, True)
    for slot, lying in table.lying.items():
        k = lying.variant.index * BODIES + NEAR
        pts = floor.pts[slot, : bodies.pt_at[k + 1] - bodies.pt_at[k]]
        starts = bodies.starts[bodies.ring_at[k] : bodies.ring_at[k + 1]]
        x0, y0, x1, y1 = (floor.box[slot] - [*at, *at]) / LANE_CELL_MM
        r0, c0 = max(0, int(y0)), max(0, int(x0))
        part = mask[r0 : int(y1) + 2, c0 : int(x1) + 2]
        corner = at + LANE_CELL_MM * np.array([c0, r0])
        paint_body(part, pts, starts, corner[0], corner[1], LANE_CELL_MM, False)
    out = np.zeros((rows + 1, cols), np.int32)
    np.cumsum(~mask, axis=0, out=out[1:])
    return out
