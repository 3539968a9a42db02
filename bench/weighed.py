"""How many poses the separation weighs in a second: on one core, and on two in one process."""

from __future__ import annotations

import time
from concurrent.futures import ThreadPoolExecutor

import numpy as np

from bench.kinds import KINDS
from fairlay.core.engine import separate_kernels as kernels
from fairlay.core.engine.bank import build_bank
from fairlay.core.engine.construct import Plan, construct
from fairlay.core.engine.off_ground_kernels import NEVER
from fairlay.core.engine.scene import SceneOf
from fairlay.core.engine.table import HideTable, Wish

SECONDS = 3.0
SHAKEN_MM = 3.0


def print_weighed() -> None:
    """Print poses a second on a roll and on three kinds of side."""
    for kind in ("roll", "plain", "graded", "free"):
        job = KINDS[kind](1)
        plan = Plan(Wish(along=0.6 if kind == "roll" else 0.0))
        table = construct(job, build_bank(job), plan, np.random.default_rng(1), lambda: False).tables[0]
        one = _weighed(table, 1)
        with ThreadPoolExecutor(2) as pool:
            both = sum(pool.map(_weighed, (table, table), (1, 2)))
        print(
            f"{kind:8} {len(table.lying):4} pieces: {one:10,.0f} poses a second, "
            f"{both / one:.2f} times that on two cores",
            flush=True,
        )


def _weighed(table: HideTable, seed: int) -> float:
    scene = SceneOf(table, len(table.lying))
    s, rng, state = scene.state, np.random.default_rng(seed), np.array([seed], np.uint64)
    for i, item in scene.items.items():
        x, y = s.pose[i, :2] + rng.normal(0.0, SHAKEN_MM, 2)
        kernels.set_down(s, i, item.variant.index, x, y, s.pose[i, 4])
    kept, poses, spent = scene.snapshot(), 0, 0.0
    while spent < SECONDS:
        scene.back_to(kept)
        kernels.feel_all(s)
        s.least[:] = (NEVER, 0.0)
        before, began = int(s.weighed[0]), time.perf_counter()
        kernels.separate(s, 20, 1000, 10, 8, state)
        poses, spent = poses + int(s.weighed[0]) - before, spent + time.perf_counter() - began
    return poses / spent
