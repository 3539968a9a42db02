"""Every kernel compiled once, by laying two small jobs that use them all."""

from __future__ import annotations

import itertools
from dataclasses import replace

import numpy as np
from shapely.geometry import Polygon

from fairlay.core.bounds.poses import Nodes
from fairlay.core.bounds.room import room_for
from fairlay.core.engine import separate_kernels
from fairlay.core.engine.bank import build_bank
from fairlay.core.engine.butt import Butting, Taste
from fairlay.core.engine.lanes import Lanes
from fairlay.core.engine.lattice import lattices_of
from fairlay.core.engine.layer import Lying
from fairlay.core.engine.roll_of_strips import RollOfStrips
from fairlay.core.engine.run import lay_job
from fairlay.core.engine.scene import Effort, SceneOf
from fairlay.core.engine.table import HideTable, Wish
from fairlay.core.hand.open_ground import HandTable, Held
from fairlay.core.lay.lay import Job
from fairlay.core.leather import Flaw, Hide, Zone
from fairlay.core.pattern import Grain, Piece
from fairlay.core.rules import Policy


def warm_kernels() -> None:
    """Lay a small side with zones, flaws and hidden areas, prove the room on it, and fill a roll: numba
    compiles and keeps every kernel.
    """
    square = np.array([[0.0, 0.0], [80.0, 0.0], [80.0, 80.0], [0.0, 80.0]])
    hide = Hide(
        "warm",
        "side",
        square * 5,
        zones=(Zone(square * 5, 1), Zone(square * 2, 3, 60.0)),
        flaws=(Flaw("scar", 2, square / 8 + 200.0), Flaw("hole", 3, square / 8 + 300.0)),
    )
    pieces = (
        Piece(
            "a",
            square,
            6,
            show_limit=1,
            hidden=(square / 4 + 20.0,),
            max_tightness=2,
            grain=Grain(0.0, 10.0, True),
        ),
        Piece("b", square / 3, 8, pair=True, grain=Grain(0.0, 5.0, True)),
        Piece("c", square / 8, 60),
    )
    side = Job("warm", (hide,), pieces, Policy(1.0, "local"), seconds=1e9)
    _lay(side, 2)
    _side_to_side(side)
    HandTable(side, hide).open_ground(Held(pieces[0], 0.0, False), ())
    room_for(side, pieces[0], hide)
    Nodes(side, hide, {}).keep_poses_of(0, pieces[0])
    lattices_of(Polygon(square), 6400.0, turns_half=True)
    roll = Hide("warm", "roll", square * [15.0, 2.5], width_mm=200.0, edge_margin_mm=5.0, cost_per_m2=1.0)
    cloth = tuple(
        Piece(name, square * [long, wide], 6, grain=Grain(0.0, way, True))
        for name, long, wide, way in (("d", 1.0, 1.0, 5.0), ("e", 0.5, 0.9, 90.0), ("f", 0.3, 0.3, 180.0))
    )
    filled = Job("warm", (roll,), cloth, Policy(0.0, "backbone"), objective="order", seconds=1e9)
    _lay(filled, 8)
    _squeeze(filled)
    _lanes(filled)
    # Held to their line exactly, as sums of pairs are made for.
    _squeeze(replace(filled, pieces=tuple(replace(p, grain=Grain(0.0, 0.0, True)) for p in cloth)))


def _side_to_side(job: Job) -> None:
    """Lay a few pieces side to side, and ask what one would lie on."""
    bank, rng = build_bank(job), np.random.default_rng(0)
    table = HideTable(job, job.hides[0], bank, 40)
    pool = {v.index: [0, 1] for v in bank.variants[:1]}
    Butting(table, pool, dict.fromkeys(pool, 1.0), rng, lambda: False).fill(None, Taste())
    for lying in list(table.lying.values())[:1]:
        table.under(lying.variant, lying.spot)


def _lanes(job: Job) -> None:
    """Lay what is wanted in lanes, and change its order."""
    bank, rng = build_bank(job), np.random.default_rng(0)
    table = HideTable(job, job.hides[0], bank, 40)
    lanes = Lanes(table, rng, lambda: False)
    # One of each first: lanes are laid out otherwise where something lies.
    for copies in (slice(0, 1), slice(1, None)):
        pool = {v.index: list(range(v.piece.quantity))[copies] for v in bank.variants}
        lanes.fill(pool, lanes.strips(bank.variants, 0), None)
    strips = RollOfStrips.of(table, rng, lambda: False)
    if strips is not None:
        strips.attempt(rng, 0.5)


def _squeeze(job: Job) -> None:
    """Drive two pieces apart, as is done where a roll is laid shorter."""
    bank = build_bank(job)
    variant = bank.variants[0]
    table = HideTable(job, job.hides[0], bank, 4)
    rng = np.random.default_rng(0)
    spot = table.find(variant, 0, Wish(), rng, tries=100).take(np.empty((0, 2)))
    if spot is None:
        return
    scene = SceneOf(table, 3, (Lying(variant, 0, spot),))
    s, seed = scene.state, np.array([1], np.uint64)
    slot = scene.free_slot()
    scene.open(slot, variant, 1)
    x, y, turn, _ = separate_kernels.seek(s, slot, variant.index, 4, 0, seed)
    separate_kernels.set_down(
        s, slot, variant.index, x, y, separate_kernels.held(s, variant.index, x, y, turn)
    )
    s.floor.live[slot] = True
    separate_kernels.feel(s, slot)
    scene.show(scene.lying_by_slot())
    scene.separate(Effort(1, 1, 1, 1, 2, 2), seed, lambda: False)


def _lay(job: Job, steps: int) -> None:
    ticks = itertools.count()
    lay_job(job, lambda: float(next(ticks)), steps=steps)
