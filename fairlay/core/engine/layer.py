"""What lies on a hide as pieces of one gap meet it: their floor, and how much room it leaves anywhere."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from fairlay.core.engine import kernels, scan_kernels
from fairlay.core.engine.bank import BODIES, NEAR, Bodies, Variant
from fairlay.core.engine.ground import CELL_MM, pooled

PRESS_MM = 38.0
"""How far from a piece the room about it is known."""
FREE_MM = 1e6
"""Room where nothing lies."""


class Floor(NamedTuple):
    """What lies on a hide. Slot i: ``pts[i]`` the placed NEAR body, ``box[i]`` its bounds, ``variant[i]``,
    ``live[i]``; ``used[0]`` slots were ever in use. ``near``: room for sides, while two are compared.
    """

    pts: NDArray[np.float64]
    box: NDArray[np.float64]
    variant: NDArray[np.int64]
    live: NDArray[np.bool_]
    used: NDArray[np.int64]
    near: NDArray[np.float64]


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


def same_spot(one: Lying, other: Lying) -> bool:
    """Whether a piece lies, to a millionth of a millimetre, as it did."""
    a, b = one.spot, other.spot
    return math.hypot(a.x - b.x, a.y - b.y) < 1e-6 and abs(a.turn_deg - b.turn_deg) < 1e-6


@dataclass(frozen=True)
class Remembered:
    """The state of a layer's room, to return to."""

    taken: NDArray[np.float32]
    taken_pool: NDArray[np.float32]
    used: int


def bare_floor(capacity: int, points: int) -> Floor:
    """Return a floor with room for so many pieces of so many points, nothing on it."""
    return Floor(
        np.zeros((capacity, points, 2)),
        np.zeros((capacity, 4)),
        np.zeros(capacity, np.int64),
        np.zeros(capacity, np.bool_),
        np.zeros(1, np.int64),
        np.zeros((points, 4)),
    )


class Layer:
    """The floor of one class of gaps, and the distance field of the room left; its first cell at
    ``origin``.
    """

    def __init__(
        self, bodies: Bodies, capacity: int, points: int, cells: tuple[int, int], origin: NDArray[np.float64]
    ) -> None:
        self.bodies, self.origin = bodies, origin
        self.floor = bare_floor(capacity, points)
        self.taken = np.full(cells, FREE_MM, np.float32)
        self.taken_pool = pooled(self.taken)

    def bare(self) -> Layer:
        """Return a layer of the same hide with nothing on it, and no room to lay anything."""
        cells: tuple[int, int] = (self.taken.shape[0], self.taken.shape[1])
        return Layer(self.bodies, 1, 1, cells, self.origin)

    def free_slot(self) -> int:
        """Return the first slot that nothing lies in."""
        used = int(self.floor.used[0])
        free = np.flatnonzero(~self.floor.live[:used])
        return int(free[0]) if len(free) else used

    def put(self, slot: int, lying: Lying) -> None:
        """Lay a piece down in a slot."""
        self._lay_down(slot, lying)
        bodies, floor, k = self.bodies, self.floor, lying.variant.index * BODIES + NEAR
        n = int(bodies.pt_at[k + 1] - bodies.pt_at[k])
        starts = bodies.starts[bodies.ring_at[k] : bodies.ring_at[k + 1]]
        box = floor.box[slot]
        scan_kernels.press_into(self.taken, self.origin, CELL_MM, floor.pts[slot, :n], starts, box, PRESS_MM)
        self._pool(*self._cells_about(*box))

    def _lay_down(self, slot: int, lying: Lying) -> None:
        spot, turn = lying.spot, math.radians(lying.spot.turn_deg)
        cos, sin = math.cos(turn), math.sin(turn)
        kernels.lay_down(self.bodies, lying.variant.index, spot.x, spot.y, cos, sin, self.floor, slot)

    def take_up(self, slots: Sequence[int]) -> tuple[float, float, float, float]:
        """Take slots up and give the room back; return the bounds of what is free now."""
        floor = self.floor
        boxes = floor.box[list(slots)]
        x0, y0 = (float(v) for v in boxes[:, :2].min(axis=0))
        x1, y1 = (float(v) for v in boxes[:, 2:].max(axis=0))
        floor.live[list(slots)] = False
        r0, r1, c0, c1 = self._cells_about(x0, y0, x1, y1)
        part = self.taken[r0:r1, c0:c1]
        part[:] = FREE_MM
        corner = self.origin + CELL_MM * np.array([c0, r0])
        window = np.array([x0, y0, x1, y1])
        scan_kernels.press_floor(part, corner, CELL_MM, self.bodies, floor, window, PRESS_MM)
        self._pool(r0, r1, c0, c1)
        return x0, y0, x1, y1

    def _cells_about(self, x0: float, y0: float, x1: float, y1: float) -> tuple[int, int, int, int]:
        """Rows r0 to r1 and columns c0 to c1 of the field within PRESS_MM of some bounds."""
        rows, cols = self.taken.shape
        c0, c1 = (int((v - self.origin[0]) / CELL_MM) for v in (x0 - PRESS_MM, x1 + PRESS_MM))
        r0, r1 = (int((v - self.origin[1]) / CELL_MM) for v in (y0 - PRESS_MM, y1 + PRESS_MM))
        return max(0, r0), min(rows, r1 + 2), max(0, c0), min(cols, c1 + 2)

    def _pool(self, r0: int, r1: int, c0: int, c1: int) -> None:
        scan_kernels.pool_into(self.taken_pool, self.taken, r0, r1, c0, c1)

    def take_room_of(self, other: Layer) -> None:
        """Know the room of another layer of the same hide, without what lies there."""
        self.taken[:], self.taken_pool[:] = other.taken, other.taken_pool

    def remember(self) -> Remembered:
        """Return the state, for ``back_to``."""
        return Remembered(self.taken.copy(), self.taken_pool.copy(), int(self.floor.used[0]))

    def back_to(self, then: Remembered, lay: Mapping[int, Lying], live: Mapping[int, bool]) -> None:
        """Return to a remembered state: ``lay`` down again what was moved since, ``live`` as it was."""
        self.taken[:], self.taken_pool[:] = then.taken, then.taken_pool
        for slot, lying in lay.items():
            self._lay_down(slot, lying)
        for slot, lies in live.items():
            self.floor.live[slot] = lies
        self.floor.used[0] = then.used
