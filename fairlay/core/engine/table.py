"""The cutting table of a search: hides with what lies on them, and where a piece could go."""

from __future__ import annotations

import math
from collections.abc import Hashable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from fairlay.core.engine import kernels, scan_kernels
from fairlay.core.engine.bank import Bank, Variant
from fairlay.core.engine.ground import AROUND_MM, CELL_MM, Ground, HideGround, hide_ground, line_map
from fairlay.core.engine.kept_ground import kept_grounds
from fairlay.core.engine.layer import Layer, Lying, Remembered, Spot
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
TRIES = 160
"""Cells tried exactly for each turn of a piece."""
ALL_TRIES = 8000
"""Cells tried before a hide is said to be full for a piece."""
LEAST_SLIDE_MM = 0.02


@dataclass(frozen=True)
class Wish:
    """What a place is preferred by, added to the room left about it, in mm.

    ``along``: per mm from the tail end to the far side of the piece; ``tight``: for each
    class of tightness better than the piece needs; ``noise``: random, to vary a search.
    """

    along: float = 0.0
    tight: float = 12.0
    noise: float = 0.0


@dataclass(frozen=True)
class Mark:
    """The state of a table, to return to."""

    layers: tuple[Remembered, ...]
    lying: dict[int, Lying]
    full_for: set[int]


class HideTable:
    """One hide of a search: its compiled grounds, what lies on it, and the room that leaves.

    There is a layer for each class of gaps (see ``bank``); a slot is the same piece in all of them.
    """

    def __init__(self, job: Job, hide: Hide, bank: Bank, capacity: int) -> None:
        self.hide, self.job, self.bank = hide, job, bank
        self.left = hide.id in job.leave
        self.grounds: dict[Hashable, HideGround] = {}
        self.bounds = x0, y0, x1, y1 = hide.region.bounds
        rows = math.ceil((y1 - y0 + 2 * AROUND_MM) / CELL_MM) + 1
        cols = math.ceil((x1 - x0 + 2 * AROUND_MM) / CELL_MM) + 1
        self.cells = (rows, cols)
        self.origin = np.array([x0 - AROUND_MM, y0 - AROUND_MM])
        self.layers = [
            Layer(c.bodies, capacity, bank.max_points, self.cells, self.origin) for c in bank.classes
        ]
        self.scratch = np.zeros((bank.max_points, 2))
        self.lying: dict[int, Lying] = {}
        self._extent: tuple[float, float] | None = None
        self.full_for: set[int] = set()
        self._ground_of: dict[int, HideGround] = {}
        self._bare: list[Layer] | None = None
        self._lines: tuple[tuple[float, ...], NDArray[np.int16]] | None = None
        self._tightness: NDArray[np.float32] | None = None

    def share_ground(self, like: HideTable) -> None:
        """Use the compiled ground of another table of the same hide and job."""
        self.grounds, self._lines, self._tightness = like.grounds, like._lines, like._tightness

    def layer(self, variant: Variant) -> Layer:
        """What lies here as a variant meets it."""
        return self.layers[self.bank.class_of[variant.index]]

    def box(self, slot: int) -> NDArray[np.float64]:
        """The bounds of what lies in a slot (x0, y0, x1, y1), half its own gap around it."""
        bounds: NDArray[np.float64] = self.layer(self.lying[slot].variant).floor.box[slot]
        return bounds

    def ground(self, variant: Variant) -> HideGround:
        """The compiled ground of a variant's class of pieces, made when first asked for."""
        known = self._ground_of.get(variant.index)
        if known is None:
            key = needs_of(variant.piece, self.hide)
            if key not in self.grounds:
                self.grounds[key] = kept_grounds.get(
                    self.hide, key, lambda: hide_ground(variant.piece, self.hide, self.job.policy)
                )
            known = self._ground_of[variant.index] = self.grounds[key]
        return known

    def lines(self, like: Ground) -> tuple[tuple[float, ...], NDArray[np.int16]]:
        if self._lines is None:
            self._lines = line_map(self.hide, self.job.policy, like)
        return self._lines

    def tightness_map(self) -> NDArray[np.float32]:
        """Tightness class at each cell; 4 outside every zone, since such leather is promised to nothing."""
        if self._tightness is None:
            out = np.full(self.cells, 4.0, np.float32)
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
        turns: Sequence[tuple[int, float]] | None = None,
    ) -> Candidates:
        """Return the places that may be fair for a variant, best first.

        ``keep_within`` holds the piece between two x positions (a filler may not cost leather);
        ``window`` (x0, y0, x1, y1) holds its centroid; on a roll that is not ``bare``,
        places a piece's length past what lies there are enough. ``turns``: those to try, as
        ``turns_to_try`` gives them. On a hide to be left as it is there is none.
        """
        if self.left:
            return Candidates(
                self, variant, hide_index, (), np.empty(0, np.int64), np.empty(0, np.int64), np.empty(0)
            )
        ground, layer = self.ground(variant), self.layer(variant)
        has_show = ground.off_show is not None
        turns = turns or self.turns_to_try(variant, steps, spread)
        lines = self.lines(ground.fair)[1]
        off = ground.off_show.field if ground.off_show is not None else ground.fair.field
        tightness = self.tightness_map()
        cells, costs, which = [], [], []
        from_right = self.hide.keep_end is not None and not self.hide.keeps_right
        along = -wish.along if from_right else wish.along
        for t, (line, turn) in enumerate(turns):
            circles, show_circles, (lo_x, lo_y, hi_x, hi_y) = self.bank.turned(variant, turn)
            box = self._cells_for(lo_x, lo_y, hi_x, hi_y, keep_within, window, bare)
            if box[0] >= box[2] or box[1] >= box[3]:
                continue
            cost, cell = np.empty(tries), np.empty(tries, np.int64)
            kept = scan_kernels.scan(
                ground.fair.field,
                layer.taken,
                off,
                has_show,
                ground.pool,
                layer.taken_pool,
                CELL_MM,
                circles,
                show_circles,
                SLACK_MM,
                lines,
                line,
                np.array(box, np.int64),
                along * CELL_MM,
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
                costs.append(cost[:kept] + along * (lo_x if from_right else hi_x))
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
        rows, cols = self.cells
        x0, y0, x1, y1 = self.bounds
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
        ground, layer = self.ground(variant), self.layer(variant)
        turn = math.radians(turn_deg)
        off = ground.off_show or ground.fair
        return bool(
            kernels.fits(
                layer.bodies,
                variant.index,
                x,
                y,
                math.cos(turn),
                math.sin(turn),
                ground.fair,
                off,
                ground.off_show is not None,
                layer.floor,
                skip,
                self.scratch,
            )
        )

    def fair_when_bare(
        self, variant: Variant, wish: Wish, rng: np.random.Generator, steps: int, tries: int
    ) -> Spot | None:
        """Return the best place a variant would have were nothing else here."""
        if self._bare is None:
            self._bare = [layer.bare() for layer in self.layers]
        kept, self.layers = self.layers, self._bare
        try:
            return self.find(variant, 0, wish, rng, steps, tries=tries, bare=True).take(np.empty((0, 2)))
        finally:
            self.layers = kept

    def under(self, variant: Variant, spot: Spot) -> list[int]:
        """Slots of what a variant would lie on, there."""
        layer = self.layer(variant)
        turn = math.radians(spot.turn_deg)
        out = np.empty(int(layer.floor.used[0]) + 1, np.int64)
        n = kernels.pieces_under(
            layer.bodies,
            variant.index,
            spot.x,
            spot.y,
            math.cos(turn),
            math.sin(turn),
            layer.floor,
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
        ground, layer = self.ground(variant), self.layer(variant)
        turn = math.radians(turn_deg)
        off = ground.off_show or ground.fair
        moved: tuple[float, float] = kernels.slide(
            layer.bodies,
            variant.index,
            x,
            y,
            math.cos(turn),
            math.sin(turn),
            ground.fair,
            off,
            ground.off_show is not None,
            layer.floor,
            -1,
            self.scratch,
            ways,
            most,
            LEAST_SLIDE_MM,
        )
        return moved

    def free_slot(self) -> int:
        """Return the slot that the next piece is laid into."""
        return self.layers[0].free_slot()

    def put(self, lying: Lying) -> int:
        """Lay a piece down; return its slot.

        Raises IndexError past the capacity the table was made with: kernels do not look.
        """
        slot, capacity = self.free_slot(), len(self.layers[0].floor.live)
        if slot >= capacity:
            raise IndexError(f"the table of {self.hide.id} holds {capacity} pieces")
        for layer in self.layers:
            layer.put(slot, lying)
        self.lying[slot] = lying
        self._extent = None
        return slot

    def take_up(self, slots: Sequence[int]) -> tuple[float, float, float, float]:
        """Take slots up and give the room back; return the bounds of what is free now."""
        freed = np.array([layer.take_up(slots) for layer in self.layers])
        for slot in slots:
            del self.lying[slot]
        self._extent = None
        self.full_for.clear()
        (x0, y0), (x1, y1) = freed[:, :2].min(axis=0), freed[:, 2:].max(axis=0)
        return float(x0), float(y0), float(x1), float(y1)

    def mark(self) -> Mark:
        """Remember the state, for ``back_to``."""
        return Mark(tuple(layer.remember() for layer in self.layers), dict(self.lying), set(self.full_for))

    def back_to(self, mark: Mark) -> None:
        """Return to a remembered state, whatever was laid and taken up since."""
        moved = {slot: lying for slot, lying in mark.lying.items() if self.lying.get(slot) is not lying}
        live = {slot: slot in mark.lying for slot in self.lying}
        for layer, then in zip(self.layers, mark.layers, strict=True):
            layer.back_to(then, moved, live)
        self.lying, self.full_for, self._extent = dict(mark.lying), set(mark.full_for), None

    def extent(self) -> tuple[float, float] | None:
        """The x range of what lies here; None if nothing does."""
        if self._extent is None and self.lying:
            boxes = np.array([self.box(slot) for slot in self.lying])
            self._extent = float(boxes[:, 0].min()), float(boxes[:, 2].max())
        return self._extent

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
        ground, layer = table.ground(variant), table.layer(variant)
        radians = np.radians([turn for _, turn in self.turns]) if self.turns else np.empty(0)
        while self.at < len(self.cells):
            x, y, index = kernels.first_fit(
                self.at,
                self.cells,
                self.which,
                table.cells[1],
                table.origin,
                CELL_MM,
                layer.bodies,
                variant.index,
                np.cos(radians),
                np.sin(radians),
                ground.fair,
                ground.off_show or ground.fair,
                ground.off_show is not None,
                layer.floor,
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
