"""What a separation works on, built from hide tables: grounds, turns and cells of every variant, in arrays
that compiled code reads.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from itertools import pairwise
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from fairlay.core.engine.bank import BODIES, MOST_CIRCLES, NEAR, Bank, Bodies
from fairlay.core.engine.ground import CELL_MM, Ground
from fairlay.core.engine.kernels import BUCKET_MM, bucket_edges
from fairlay.core.engine.layer import Floor, bare_floor
from fairlay.core.engine.off_ground_kernels import BLOCK
from fairlay.core.engine.sums import Sums, sums_of
from fairlay.core.engine.table import SLACK_MM, HideTable
from fairlay.core.rules.grain import any_way, fair_turns

FAR_MM = 1000.0
ROOM_STEP_MM, ROOM_MM = 0.25, 8000.0
"""Cells are sorted by their room in steps so long, up to so much."""
Floats = NDArray[np.float64]
Ints = NDArray[np.int64]


class Grounds(NamedTuple):
    """Several compiled grounds of one hide in flat arrays; ground g is ``fair_of`` or ``show_of``."""

    pts: Floats
    pt_at: Ints
    starts: Ints
    ring_at: Ints
    before: Ints
    edges: Ints
    edge_at: Ints
    bucket_at: Ints
    field: NDArray[np.float32]
    origin: Floats
    shape: Ints


class Scene(NamedTuple):
    """The state of a separation. Row i of ``pose`` is x, y, cos, sin and turn (radians) of item i's centroid.

    ``weight`` and ``pain`` (n, n) and ``ground_weight``, ``own_pain`` (n,) are between items and against the
    ground; an item stays on hide ``home`` (-1: any). ``fair_of`` and ``show_of`` give each variant's grounds
    (-1: none). Turns a variant v may have where line l holds: ``turns[turn_at[v, l]:turn_at[v, l + 1]]``, as
    middle and half width in radians. Cells on hide h where its largest circle fits: ``cell_at[v, h, 1]`` of
    ``cells`` from ``cell_at[v, h, 0]`` on, roomiest first, so that variants on one ground share them.
    ``spans[h]``: the x range that pieces may reach on hide h, which lies in the
    columns whose ``hide_of`` is h. ``least``: least pain of this separation, rounds since. ``before``: each
    point's neighbour in its ring, counted in its body. ``flat[g]``: bounds of a ground that is one upright
    rectangle (else nothing lies between them). ``state``: of each item in ``sums``, -1 where it has none
    there. ``weighed[0]``: poses weighed so far. The last row of ``floor`` and ``discs`` (item, circle: x, y,
    r) is the pose that is being weighed; ``bounds`` are its boxes once more, (4, n). Circles about BLOCK
    sides of a body each: ``blocks[block_at[k]:block_at[k + 1]]``. ``near``, ``here``, ``hot``, ``unsure``,
    ``meets``, ``if_met``, ``tops``, ``order`` and ``scratch`` are room to work in.
    """

    bodies: Bodies
    floor: Floor
    pose: Floats
    weight: Floats
    ground_weight: Floats
    pain: Floats
    own_pain: Floats
    pinned: NDArray[np.bool_]
    fair_of: Ints
    show_of: Ints
    grounds: Grounds
    lines: NDArray[np.int16]
    turns: Floats
    turn_at: Ints
    cells: NDArray[np.int32]
    cell_at: Ints
    spans: Floats
    hide_of: Ints
    home: Ints
    least: Floats
    scratch: Floats
    step: float
    before: Ints
    flat: Floats
    discs: Floats
    bounds: Floats
    blocks: Floats
    block_at: Ints
    meets: NDArray[np.bool_]
    near: Ints
    here: Ints
    hot: Floats
    unsure: Ints
    if_met: Floats
    tops: Floats
    order: Ints
    weighed: Ints
    state: Ints
    sums: Sums


def side_by_side(tables: Sequence[HideTable]) -> tuple[Floats, list[int]]:
    """What is added to coordinates on each table, and the column of its field's first cell."""
    at, shifts, first_cols = 0, [], []
    for table in tables:
        first_cols.append(at)
        shifts.append(tables[0].origin + np.array([at * CELL_MM, 0.0]) - table.origin)
        at += table.cells[1]
    return np.array(shifts), first_cols


def build_scene(
    tables: Sequence[HideTable], shifts: Floats, first_cols: Sequence[int], capacity: int
) -> Scene:
    """Return an empty scene of some hides: grounds, turns and cells of every variant of their bank."""
    bank: Bank = tables[0].bank
    grounds: list[Ground] = []
    index: dict[tuple[int, ...], int] = {}
    fair_of, show_of = [], []

    def number(own: list[Ground | None], fair: bool) -> int:
        if all(g is None for g in own):
            return -1
        key = tuple(id(g) for g in own)
        if key not in index:
            index[key] = len(grounds)
            grounds.append(_together(tables, shifts, first_cols, own, fair))
        return index[key]

    for variant in bank.variants:
        own = [table.ground(variant) for table in tables]
        fair_of.append(number([g.fair for g in own], True))
        show_of.append(number([g.off_show for g in own], False))
    lines, line_cells = _lines(tables, first_cols, bank)
    turns, turn_at = _turns(tables[0], lines)
    hide_of = np.repeat(np.arange(len(tables)), [t.cells[1] for t in tables])
    cells, cell_at = _cells(tables, grounds, fair_of, hide_of)
    points = bank.max_points
    # One row more, for the pose that is being weighed.
    floor = bare_floor(capacity + 1, points)
    return Scene(
        bank.apart,
        floor,
        np.zeros((capacity + 1, 5)),
        np.ones((capacity, capacity)),
        np.ones(capacity),
        np.zeros((capacity, capacity)),
        np.zeros(capacity),
        np.zeros(capacity, np.bool_),
        np.array(fair_of),
        np.array(show_of),
        _flatten(grounds),
        line_cells,
        turns,
        turn_at,
        cells,
        cell_at,
        np.tile([-1e9, 1e9], (len(tables), 1)),
        hide_of,
        np.full(capacity, -1, np.int64),
        np.zeros(2),
        np.zeros((points, 2)),
        CELL_MM,
        _before(bank.apart),
        np.array([_rectangle(g) for g in grounds]),
        np.zeros((capacity + 1, MOST_CIRCLES, 3)),
        np.zeros((4, capacity + 1)),
        *_blocks(bank.apart),
        np.zeros(capacity + 1, np.bool_),
        np.zeros(MOST_CIRCLES, np.int64),
        np.zeros(points, np.int64),
        np.zeros((points, 3)),
        np.zeros(capacity, np.int64),
        np.zeros(capacity),
        np.zeros((3, 4)),
        np.zeros(capacity, np.int64),
        np.zeros(1, np.int64),
        np.full(capacity, -1, np.int64),
        sums_for(bank, turns, turn_at),
    )


def sums_for(bank: Bank, turns: Floats, turn_at: Ints) -> Sums:
    """Return the sums of a bank, made once for the same turns."""
    key = (turns.tobytes(), turn_at.tobytes())
    known: Sums | None = bank.sums.get(key)
    if known is None:
        known = bank.sums[key] = sums_of(bank, turns, turn_at)
    return known


def _before(bodies: Bodies) -> Ints:
    """Each point's neighbour in its ring, counted from the first point of its body."""
    out = np.zeros(len(bodies.pts), np.int64)
    for k in range(len(bodies.pt_at) - 1):
        starts = bodies.starts[bodies.ring_at[k] : bodies.ring_at[k + 1]]
        for a, b in pairwise(starts):
            out[bodies.pt_at[k] + a : bodies.pt_at[k] + b] = np.roll(np.arange(a, b), 1)
    return out


def _blocks(bodies: Bodies) -> tuple[Floats, Ints]:
    """Circles (x, y, r) about each BLOCK sides of every body in turn, and where a body's begin."""
    before = _before(bodies)
    out, at = [], [0]
    for k in range(len(bodies.pt_at) - 1):
        a, b = int(bodies.pt_at[k]), int(bodies.pt_at[k + 1])
        for first in range(a, b, BLOCK):
            own = np.arange(first, min(first + BLOCK, b))
            ends = np.concatenate([bodies.pts[own], bodies.pts[a + before[own]]])
            middle = (ends.min(axis=0) + ends.max(axis=0)) / 2
            out.append((*middle, float(np.hypot(*(ends - middle).T).max()) + 1e-9))
        at.append(len(out))
    return np.array(out).reshape(-1, 3), np.array(at, np.int64)


def _rectangle(ground: Ground) -> tuple[float, float, float, float]:
    """Bounds of a ground that is one upright rectangle; nothing lies between them where it is not."""
    if len(ground.pts) == 4 and len(ground.starts) == 2:
        lo, hi = ground.pts.min(axis=0), ground.pts.max(axis=0)
        if np.all((ground.pts == lo) | (ground.pts == hi)):
            return float(lo[0]), float(lo[1]), float(hi[0]), float(hi[1])
    return 0.0, 0.0, 0.0, 0.0


def _together(
    tables: Sequence[HideTable],
    shifts: Floats,
    first_cols: Sequence[int],
    own: Sequence[Ground | None],
    fair: bool,
) -> Ground:
    """Grounds of several tables as one; between them, and where there is none, all is bad (nothing, where not
    ``fair``).
    """
    if len(own) == 1 and own[0] is not None:
        return own[0]
    rows, cols = max(t.cells[0] for t in tables), sum(t.cells[1] for t in tables)
    field = np.full((rows, cols), -FAR_MM if fair else FAR_MM, np.float32)
    pts, starts, before = [np.empty((0, 2))], [0], []
    for ground, shift, col in zip(own, shifts, first_cols, strict=True):
        if ground is None:
            continue
        field[: ground.field.shape[0], col : col + ground.field.shape[1]] = ground.field
        before.append(ground.before + starts[-1])
        starts += [int(n) + starts[-1] for n in ground.starts[1:]]
        pts.append(ground.pts + shift)
    every = np.ascontiguousarray(np.concatenate(pts))
    origin = tables[0].origin
    shape = np.maximum(1, np.ceil(np.array([rows, cols]) * CELL_MM / BUCKET_MM)).astype(np.int64)
    neighbours = np.concatenate(before) if before else np.empty(0, np.int64)
    bucket_at, edges = bucket_edges(every, neighbours, origin, shape, BUCKET_MM)
    return Ground(
        every, np.array(starts, np.int64), neighbours, origin, shape, bucket_at, edges, field, origin
    )


def _lines(
    tables: Sequence[HideTable], first_cols: Sequence[int], bank: Bank
) -> tuple[tuple[float, ...], NDArray[np.int16]]:
    """Every grain line of some tables, and which holds at each cell."""
    rows, cols = max(t.cells[0] for t in tables), sum(t.cells[1] for t in tables)
    known: list[float] = []
    out = np.zeros((rows, cols), np.int16)
    for table, col in zip(tables, first_cols, strict=True):
        lines, own = table.lines(table.ground(bank.variants[0]).fair)
        known += [line for line in lines if line not in known]
        at = np.array([known.index(line) for line in lines], np.int16)
        out[: own.shape[0], col : col + own.shape[1]] = at[own]
    return tuple(known), out


def _turns(table: HideTable, lines: tuple[float, ...]) -> tuple[Floats, Ints]:
    out: list[tuple[float, float]] = []
    at = np.zeros((len(table.bank.variants), len(lines) + 1), np.int64)
    policy = table.job.policy
    for variant in table.bank.variants:
        for k, line in enumerate(lines):
            at[variant.index, k] = len(out)
            fair = (
                ((0.0, 180.0),)
                if any_way(variant.piece, policy)
                else fair_turns(variant.piece, line, variant.mirrored, policy)
            )
            out += [(math.radians(middle), math.radians(half)) for middle, half in fair]
        at[variant.index, len(lines)] = len(out)
    return np.array(out), at


def _cells(
    tables: Sequence[HideTable], grounds: list[Ground], fair_of: list[int], hide_of: Ints
) -> tuple[NDArray[np.int32], Ints]:
    """Cells where each variant's largest circle may fit, hide by hide, those of one ground together; where
    each variant's begin on each hide, and how many.
    """
    bank = tables[0].bank
    bodies = bank.apart
    first = bodies.circles[bodies.circle_at[:-1][NEAR::BODIES]]
    # The largest circle's centre may lie off the centroid by so much, whatever the turn.
    least = first[:, 2] - SLACK_MM - np.hypot(first[:, 0], first[:, 1])
    # A roll is only looked at as far as it is in use.
    roll = tables[0] if tables[0].hide.is_roll else None
    extent = roll.extent() if roll else None
    within = math.ceil((extent[1] - roll.origin[0]) / CELL_MM) if roll and extent else len(hide_of)
    out: list[Any] = [np.empty(0, np.int32)]
    at = np.zeros((len(bank.variants), len(tables), 2), np.int64)
    total = 0
    for g in sorted(set(fair_of)):
        own = np.flatnonzero(np.array(fair_of) == g)
        for h in range(len(tables)):
            on = np.flatnonzero(hide_of[:within] == h)
            if not len(on):
                continue
            room = _room(grounds[g].field[:, on[0] : on[-1] + 1])
            rows, cols = np.nonzero(room >= _room(least[own]).min())
            room = room[rows, cols]
            order = np.argsort(-room, kind="stable")
            out.append((rows * len(hide_of) + cols + on[0])[order].astype(np.int32))
            at[own, h, 0] = total
            at[own, h, 1] = np.searchsorted(-room[order], -_room(least[own]), side="right")
            total += len(rows)
    return np.concatenate(out), at


def _room(field_mm: NDArray[np.floating[Any]]) -> NDArray[np.int16]:
    """Distances in steps that sort quickly, rounded up."""
    steps: NDArray[np.int16] = np.ceil(np.clip(field_mm, -ROOM_MM, ROOM_MM) / ROOM_STEP_MM).astype(np.int16)
    return steps


def _flatten(grounds: list[Ground]) -> Grounds:
    def starts_of(sizes: list[int]) -> Ints:
        return np.cumsum([0, *sizes]).astype(np.int64)

    first = grounds[0]
    return Grounds(
        np.concatenate([g.pts for g in grounds]),
        starts_of([len(g.pts) for g in grounds]),
        np.concatenate([g.starts for g in grounds]),
        starts_of([len(g.starts) for g in grounds]),
        np.concatenate([g.before for g in grounds]),
        np.concatenate([g.edges for g in grounds]),
        starts_of([len(g.edges) for g in grounds]),
        np.stack([g.bucket_at for g in grounds]),
        np.stack([g.field for g in grounds]),
        first.field_origin,
        first.shape,
    )
