"""The cutting table of a search: hides with what lies on them, and where a piece could go."""

from __future__ import annotations

import math
from collections.abc import Hashable, Sequence
from dataclasses import dataclass
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from fairlay.core.engine import kernels
from fairlay.core.engine.bank import BODIES, NEAR, Bank, Variant
from fairlay.core.engine.ground import AROUND_MM, CELL_MM, Ground, HideGround, hide_ground, line_map, pooled
from fairlay.core.lay.lay import Job, Placement
from fairlay.core.leather import Hide
from fairlay.core.rules import needs_of
from fairlay.core.rules.grain import any_way, fair_turns, off_grain
from fairlay.core.shapes.kernels import paint_body
from fairlay.core.shapes.placing import Placing
from fairlay.core.shapes.rings import flat, rings_of
from fairlay.core.tolerances import COORDINATE_DECIMALS

SLACK_MM = 3.2
"""A circle may seem this much too large for a cell and still be tried: the field's error at CELL_MM."""
PRESS_MM = 38.0
"""How far from a piece the room about it is known."""
TRIES = 160
"""Cells tried exactly for each turn of a piece."""
ALL_TRIES = 8000
"""Cells tried before a hide is said to be full for a piece."""
LEAST_SLIDE_MM = 0.02


class Floor(NamedTuple):
    """What lies on a hide.

    Slot i: ``pts[i]`` the placed NEAR body, ``box[i]`` its bounds, ``variant[i]``, ``live[i]``; ``used[0]``
    slots were ever in use.
    """

    pts: NDArray[np.float64]
    box: NDArray[np.float64]
    variant: NDArray[np.int64]
    live: NDArray[np.bool_]
    used: NDArray[np.int64]


@dataclass(frozen=True, slots=True)
class Spot:
    """A fair place for a variant: where its centroid lies, and its turn in degrees."""

    hide: int
    x: float
    y: float
    turn_deg: float
    cost: float


@dataclass(slots=True)
class Lying:
    """A piece on the table."""

    variant: Variant
    copy: int
    spot: Spot
    fixed: bool = False


@dataclass(frozen=True)
class Wish:
    """What a place is preferred by, added to the room left about it, in mm.

    ``along``: per mm from the tail end to the far side of the piece; ``tight``: for each
    class of tightness better than the piece needs; ``noise``: random, to vary a search.
    """

    along: float = 0.0
    tight: float = 12.0
    noise: float = 0.0


class HideTable:
    """One hide of a search: its compiled grounds, its floor, and the room left by what lies on it."""

    def __init__(self, job: Job, hide: Hide, bank: Bank, capacity: int) -> None:
        self.hide, self.job, self.bank = hide, job, bank
        self.left = hide.id in job.leave
        self.grounds: dict[Hashable, HideGround] = {}
        points = max(bank.max_points, 1)
        self.floor = Floor(
            np.zeros((capacity, points, 2)),
            np.zeros((capacity, 4)),
            np.zeros(capacity, np.int64),
            np.zeros(capacity, np.bool_),
            np.zeros(1, np.int64),
        )
        x0, y0, x1, y1 = hide.region.bounds
        rows = math.ceil((y1 - y0 + 2 * AROUND_MM) / CELL_MM) + 1
        cols = math.ceil((x1 - x0 + 2 * AROUND_MM) / CELL_MM) + 1
        self.origin = np.array([x0 - AROUND_MM, y0 - AROUND_MM])
        self.taken = np.full((rows, cols), 1e6, np.float32)
        self.taken_pool = pooled(self.taken)
        self.scratch = np.zeros((points, 2))
        self.lying: dict[int, Lying] = {}
        self.full_for: set[int] = set()
        self._ground_of: dict[int, HideGround] = {}
        self._bare: tuple[Floor, NDArray[np.float32], NDArray[np.float32]] | None = None
        self._lines: tuple[tuple[float, ...], NDArray[np.int16]] | None = None
        self._tightness: NDArray[np.float32] | None = None

    def ground(self, variant: Variant) -> HideGround:
        """The compiled ground of a variant's class of pieces, made when first asked for."""
        known = self._ground_of.get(variant.index)
        if known is None:
            key = needs_of(variant.piece)
            if key not in self.grounds:
                self.grounds[key] = hide_ground(variant.piece, self.hide, self.job.policy)
            known = self._ground_of[variant.index] = self.grounds[key]
        return known

    def lines(self, like: Ground) -> tuple[tuple[float, ...], NDArray[np.int16]]:
        if self._lines is None:
            self._lines = line_map(self.hide, self.job.policy, like)
        return self._lines

    def tightness_map(self) -> NDArray[np.float32]:
        """Tightness class at each cell; 4 outside every zone, since such leather is promised to nothing."""
        if self._tightness is None:
            out = np.full(self.taken.shape, 4.0, np.float32)
            for zone, shown in self.hide.zone_regions:
                paint_body(
                    out,
                    *flat(rings_of(shown)),
                    self.origin[0],
                    self.origin[1],
                    CELL_MM,
                    float(zone.tightness),
                )
            self._tightness = out
        return self._tightness

    def turns_to_try(self, variant: Variant, steps: int, spread: bool) -> list[tuple[int, float]]:
        """Return (grain line index or -1, turn in degrees) to scan with; ``spread`` adds turns toward the
        ends of the tolerance.
        """
        policy = self.job.policy
        if any_way(variant.piece, policy):
            return [(-1, turn) for turn in np.arange(0.0, 360.0, 360.0 / steps)]
        lines, _ = self.lines(self.ground(variant).fair)
        out: list[tuple[int, float]] = []
        for k, line in enumerate(lines):
            for middle, half in fair_turns(variant.piece, line, variant.mirrored, policy):
                index = k if len(lines) > 1 else -1
                if half >= 180.0:
                    out += [(-1, turn) for turn in np.arange(0.0, 360.0, 360.0 / steps)]
                    continue
                out.append((index, middle))
                if spread and half >= 1.0:
                    out += [(index, middle + part * half) for part in (-0.95, -0.5, 0.5, 0.95)]
        return list(dict.fromkeys(out))

    def find(
        self,
        variant: Variant,
        hide_index: int,
        wish: Wish,
        rng: np.random.Generator,
        steps: int = 8,
        keep_within: tuple[float, float] | None = None,
        spread: bool = True,
        tries: int = TRIES,
        window: tuple[float, float, float, float] | None = None,
        bare: bool = False,
    ) -> Candidates:
        """Return the places that may be fair for a variant, best first.

        ``keep_within`` holds the piece between two x positions (a filler may not cost leather);
        ``window`` (x0, y0, x1, y1) holds its centroid; on a roll that is not ``bare``,
        places a piece's length past what lies there are enough. On a hide to be left as it is there is none.
        """
        if self.left:
            return Candidates(
                self, variant, hide_index, (), np.empty(0, np.int64), np.empty(0, np.int64), np.empty(0)
            )
        ground = self.ground(variant)
        has_show = ground.off_show is not None
        turns = self.turns_to_try(variant, steps, spread)
        lines = self.lines(ground.fair)[1]
        off = ground.off_show.field if ground.off_show is not None else ground.fair.field
        tightness = self.tightness_map()
        cells, costs, which = [], [], []
        for t, (line, turn) in enumerate(turns):
            circles, show_circles, (lo_x, lo_y, hi_x, hi_y) = self.bank.turned(variant, turn)
            box = self._cells_for(lo_x, lo_y, hi_x, hi_y, keep_within, window, bare)
            if box[0] >= box[2] or box[1] >= box[3]:
                continue
            cost, cell = np.empty(tries), np.empty(tries, np.int64)
            kept = kernels.scan(
                ground.fair.field,
                self.taken,
                off,
                has_show,
                ground.pool,
                self.taken_pool,
                CELL_MM,
                circles,
                show_circles,
                SLACK_MM,
                lines,
                line,
                np.array(box, np.int64),
                wish.along * CELL_MM,
                wish.tight if self.hide.zones else 0.0,
                tightness,
                float(variant.piece.max_tightness),
                wish.noise,
                int(rng.integers(1, 2**62)) if wish.noise else 1,
                cost,
                cell,
            )
            if kept:
                cells.append(cell[:kept])
                costs.append(cost[:kept] + wish.along * hi_x)
                which.append(np.full(kept, t, np.int64))
        if not cells:
            return Candidates(
                self, variant, hide_index, turns, np.empty(0, np.int64), np.empty(0, np.int64), np.empty(0)
            )
        cost = np.concatenate(costs)
        order = np.argsort(cost, kind="stable")
        return Candidates(
            self,
            variant,
            hide_index,
            turns,
            np.concatenate(cells)[order],
            np.concatenate(which)[order],
            cost[order],
        )

    def _cells_for(
        self,
        lo_x: float,
        lo_y: float,
        hi_x: float,
        hi_y: float,
        keep_within: tuple[float, float] | None,
        window: tuple[float, float, float, float] | None,
        bare: bool,
    ) -> tuple[int, int, int, int]:
        rows, cols = self.taken.shape
        x0, y0, x1, y1 = self.hide.region.bounds
        if self.hide.is_roll and not bare:
            extent = self.extent()
            x1 = min(x1, (extent[1] if extent else x0) + hi_x - lo_x + 2 * CELL_MM)
        if keep_within:
            x0, x1 = max(x0, keep_within[0]), min(x1, keep_within[1])
        c0 = max(0, math.ceil((x0 - lo_x - self.origin[0]) / CELL_MM - 1))
        c1 = min(cols, math.floor((x1 - hi_x - self.origin[0]) / CELL_MM + 2))
        r0 = max(0, math.ceil((y0 - lo_y - self.origin[1]) / CELL_MM - 1))
        r1 = min(rows, math.floor((y1 - hi_y - self.origin[1]) / CELL_MM + 2))
        if window:
            c0 = max(c0, math.floor((window[0] - self.origin[0]) / CELL_MM))
            c1 = min(c1, math.ceil((window[2] - self.origin[0]) / CELL_MM) + 1)
            r0 = max(r0, math.floor((window[1] - self.origin[1]) / CELL_MM))
            r1 = min(r1, math.ceil((window[3] - self.origin[1]) / CELL_MM) + 1)
        return r0, c0, r1, c1

    def fits(self, variant: Variant, x: float, y: float, turn_deg: float, skip: int = -1) -> bool:
        """Whether a variant may lie there, exactly; grain at its centroid included."""
        ground = self.ground(variant)
        turn = math.radians(turn_deg)
        off = ground.off_show or ground.fair
        return bool(
            kernels.fits(
                self.bank.bodies,
                variant.index,
                x,
                y,
                math.cos(turn),
                math.sin(turn),
                ground.fair,
                off,
                ground.off_show is not None,
                self.floor,
                skip,
                self.scratch,
            )
        )

    def fair_when_bare(
        self, variant: Variant, wish: Wish, rng: np.random.Generator, steps: int, tries: int
    ) -> Spot | None:
        """Return the best place a variant would have were nothing else here."""
        if self._bare is None:
            floor = Floor(
                self.floor.pts[:1],
                np.zeros((1, 4)),
                np.zeros(1, np.int64),
                np.zeros(1, np.bool_),
                np.zeros(1, np.int64),
            )
            taken = np.full_like(self.taken, 1e6)
            self._bare = floor, taken, pooled(taken)
        kept = self.floor, self.taken, self.taken_pool
        self.floor, self.taken, self.taken_pool = self._bare
        try:
            return self.find(variant, 0, wish, rng, steps, tries=tries, bare=True).take(np.empty((0, 2)))
        finally:
            self.floor, self.taken, self.taken_pool = kept

    def under(self, variant: Variant, spot: Spot) -> list[int]:
        """Slots of what a variant would lie on, there."""
        turn = math.radians(spot.turn_deg)
        out = np.empty(int(self.floor.used[0]) + 1, np.int64)
        n = kernels.pieces_under(
            self.bank.bodies,
            variant.index,
            spot.x,
            spot.y,
            math.cos(turn),
            math.sin(turn),
            self.floor,
            -1,
            self.scratch,
            out,
            len(out),
        )
        return [int(slot) for slot in out[:n]]

    def slide(
        self,
        variant: Variant,
        x: float,
        y: float,
        turn_deg: float,
        ways: NDArray[np.float64],
        most: float = CELL_MM * 2,
    ) -> tuple[float, float]:
        """Slide a fair placing along each way in turn until it meets something."""
        ground = self.ground(variant)
        turn = math.radians(turn_deg)
        off = ground.off_show or ground.fair
        moved: tuple[float, float] = kernels.slide(
            self.bank.bodies,
            variant.index,
            x,
            y,
            math.cos(turn),
            math.sin(turn),
            ground.fair,
            off,
            ground.off_show is not None,
            self.floor,
            -1,
            self.scratch,
            ways,
            most,
            LEAST_SLIDE_MM,
        )
        return moved

    def put(self, lying: Lying) -> int:
        """Lay a piece down; return its slot.

        Raises IndexError past the capacity the table was made with: kernels do not look.
        """
        slot = next(
            (i for i in range(int(self.floor.used[0])) if not self.floor.live[i]), int(self.floor.used[0])
        )
        if slot >= len(self.floor.live):
            raise IndexError(f"the table of {self.hide.id} holds {len(self.floor.live)} pieces")
        spot, variant = lying.spot, lying.variant
        turn = math.radians(spot.turn_deg)
        kernels.lay_down(
            self.bank.bodies, variant.index, spot.x, spot.y, math.cos(turn), math.sin(turn), self.floor, slot
        )
        self.lying[slot] = lying
        bodies, k = self.bank.bodies, variant.index * BODIES + NEAR
        n = int(bodies.pt_at[k + 1] - bodies.pt_at[k])
        starts = bodies.starts[bodies.ring_at[k] : bodies.ring_at[k + 1]]
        kernels.press_into(
            self.taken, self.origin, CELL_MM, self.floor.pts[slot, :n], starts, self.floor.box[slot], PRESS_MM
        )
        self._pool(*self._cells_about(*self.floor.box[slot]))
        return slot

    def _cells_about(self, x0: float, y0: float, x1: float, y1: float) -> tuple[int, int, int, int]:
        """Rows r0 to r1 and columns c0 to c1 of the field within PRESS_MM of some bounds."""
        rows, cols = self.taken.shape
        c0, c1 = (int((v - self.origin[0]) / CELL_MM) for v in (x0 - PRESS_MM, x1 + PRESS_MM))
        r0, r1 = (int((v - self.origin[1]) / CELL_MM) for v in (y0 - PRESS_MM, y1 + PRESS_MM))
        return max(0, r0), min(rows, r1 + 2), max(0, c0), min(cols, c1 + 2)

    def _pool(self, r0: int, r1: int, c0: int, c1: int) -> None:
        kernels.pool_into(self.taken_pool, self.taken, r0, r1, c0, c1)

    def take_up(self, slots: Sequence[int]) -> tuple[float, float, float, float]:
        """Take slots up and give the room back; return the bounds of what is free now."""
        floor = self.floor
        boxes = floor.box[list(slots)]
        x0, y0 = (float(v) for v in boxes[:, :2].min(axis=0))
        x1, y1 = (float(v) for v in boxes[:, 2:].max(axis=0))
        for slot in slots:
            del self.lying[slot]
            floor.live[slot] = False
        self.full_for.clear()
        r0, r1, c0, c1 = self._cells_about(x0, y0, x1, y1)
        part = self.taken[r0:r1, c0:c1]
        part[:] = 1e6
        kernels.press_floor(
            part,
            self.origin + CELL_MM * np.array([c0, r0]),
            CELL_MM,
            self.bank.bodies,
            floor,
            np.array([x0, y0, x1, y1]),
            PRESS_MM,
        )
        self._pool(r0, r1, c0, c1)
        return x0, y0, x1, y1

    def mark(self) -> tuple[Any, ...]:
        """Remember the state, for ``back_to``."""
        return (
            self.taken.copy(),
            self.taken_pool.copy(),
            dict(self.lying),
            int(self.floor.used[0]),
            set(self.full_for),
        )

    def back_to(self, mark: tuple[Any, ...]) -> None:
        """Return to a remembered state, whatever was laid and taken up since."""
        self.taken[:], self.taken_pool[:] = mark[0], mark[1]
        for slot, lying in mark[2].items():
            if self.lying.get(slot) is not lying:
                turn = math.radians(lying.spot.turn_deg)
                kernels.lay_down(
                    self.bank.bodies,
                    lying.variant.index,
                    lying.spot.x,
                    lying.spot.y,
                    math.cos(turn),
                    math.sin(turn),
                    self.floor,
                    slot,
                )
        for slot in self.lying:
            self.floor.live[slot] = slot in mark[2]
        self.lying, self.full_for = dict(mark[2]), set(mark[4])
        self.floor.used[0] = mark[3]

    def extent(self) -> tuple[float, float] | None:
        """The x range of what lies here; None if nothing does."""
        slots = list(self.lying)
        return (
            (float(self.floor.box[slots, 0].min()), float(self.floor.box[slots, 2].max())) if slots else None
        )

    def placements(self) -> list[Placement]:
        """What lies here, as placements."""
        return [self.placement(lying) for lying in self.lying.values()]

    def placement(self, lying: Lying) -> Placement:
        """Return a piece lying here as a placement, its numbers as they are written."""
        at = lying.variant.placing(lying.spot.x, lying.spot.y, lying.spot.turn_deg)
        d = COORDINATE_DECIMALS
        return Placement(
            lying.variant.piece.id,
            lying.copy,
            self.hide.id,
            Placing(round(at.x, d), round(at.y, d), round(at.rotation_deg, d), at.mirrored),
        )


@dataclass
class Candidates:
    """Places that may be fair, best first; ``take`` returns the next that is."""

    table: HideTable
    variant: Variant
    hide_index: int
    turns: Sequence[tuple[int, float]]
    cells: NDArray[np.int64]
    which: NDArray[np.int64]
    cost: NDArray[np.float64]
    at: int = 0

    def take(self, ways: NDArray[np.float64]) -> Spot | None:
        """Return the best fair place left, slid into contact; None when there is none."""
        table, variant = self.table, self.variant
        ground = table.ground(variant)
        radians = np.radians([turn for _, turn in self.turns]) if self.turns else np.empty(0)
        while self.at < len(self.cells):
            x, y, index = kernels.first_fit(
                self.at,
                self.cells,
                self.which,
                table.taken.shape[1],
                table.origin,
                CELL_MM,
                table.bank.bodies,
                variant.index,
                np.cos(radians),
                np.sin(radians),
                ground.fair,
                ground.off_show or ground.fair,
                ground.off_show is not None,
                table.floor,
                table.scratch,
                CELL_MM * 0.45,
            )
            if index < 0:
                self.at = len(self.cells)
                return None
            self.at = index + 1
            line, turn = self.turns[self.which[index]]
            if line >= 0 and not self._keeps_grain(x, y, turn):
                continue
            slid = table.slide(variant, x, y, turn, ways)
            if line < 0 or self._keeps_grain(*slid, turn):
                x, y = slid
            return Spot(self.hide_index, x, y, turn, float(self.cost[index]))
        return None

    def _keeps_grain(self, x: float, y: float, turn: float) -> bool:
        return (
            off_grain(
                self.variant.piece, self.table.hide, self.table.job.policy, turn, self.variant.mirrored, x, y
            )
            is None
        )
