"""How many large pieces lie beside each other, by proof: no fewer than ever lay, fewer than areas allow."""

from __future__ import annotations

import itertools
import json
from typing import Any

import numpy as np
import pytest
import shapely
from shapely.affinity import rotate, translate

from fairlay.core.bounds import room_kernels
from fairlay.core.bounds.bound import bound
from fairlay.core.bounds.fits import Fits, Want
from fairlay.core.bounds.poses import CELL_MM, HALF_MM, Nodes
from fairlay.core.bounds.room import looked_for
from fairlay.core.bounds.shares import Shares
from fairlay.core.engine import lay_job
from fairlay.core.formats.exchange import read_job
from fairlay.core.lay import Job, measure
from fairlay.core.tolerances import GRAIN_GRACE_DEG
from tests import jobs
from tests.effort import tried

HOLE = {"kind": "hole", "severity": 3, "outline": jobs.square(190, 190, 20)}
SPECKS = tuple(
    {"kind": "scar", "severity": 2, "outline": jobs.square(45 + 100 * i, 45 + 100 * j, 10)}
    for i in range(4)
    for j in range(4)
)
LAP = {"show_limit": 1, "hidden": [jobs.rectangle(40, 30)]}


def job_of(outline: list[list[float]], *, flaws: tuple[Any, ...] = (), gap: float = 0.0, **needs: Any) -> Job:
    hide = {
        "id": "Q",
        "kind": "offcut",
        "outline": jobs.square(0, 0, 400),
        "edge_margin": 0.0,
        "flaws": list(flaws),
    }
    panel = jobs.piece("panel", outline, 9, **{"grain": {"axis_deg": 0, "tolerance_deg": 0}, **needs})
    asked = jobs.everything(gap=gap, hides=[hide], pieces=[panel], objective="sets")
    return read_job(json.dumps(asked), sizes_are_right=True)


def most_of(job: Job) -> float:
    fits = Fits(Shares(job, {p.id: p.quantity for p in job.pieces}))
    return fits.weigh([Want({0: 1}, 1.0, 9.0)], lambda least, proved: proved - least < 0.05).most


@pytest.mark.parametrize(
    ("outline", "more", "by_area", "true"),
    [
        (jobs.square(0, 0, 160), {}, 6, 4),
        (jobs.square(0, 0, 195), {}, 4, 4),
        (jobs.square(0, 0, 199), {"gap": 100.0}, 4, 1),
        (jobs.square(0, 0, 215), {"flaws": (HOLE,)}, 3, 0),
        (jobs.square(0, 0, 150), {"flaws": (HOLE,)}, 7, 4),
        (jobs.rectangle(300, 170), {"grain": {"axis_deg": 0, "tolerance_deg": 8}}, 3, 2),
        (jobs.square(0, 0, 160), {"flaws": SPECKS, **LAP}, 6, 0),
    ],
)
def test_what_lies_beside_each_other(
    outline: list[list[float]], more: dict[str, Any], by_area: int, true: int
) -> None:
    job = job_of(outline, **more)
    piece = job.pieces[0]
    assert by_area == int(job.hides[0].usable.area // piece.area_mm2)
    assert true <= most_of(job) < true + 1 <= max(by_area, true + 1)


def test_a_core_lies_in_its_piece_at_every_pose_of_its_box() -> None:
    rng = np.random.default_rng(3)
    bent = [[0, 0], [260, 0], [260, 120], [130, 120], [130, 240], [0, 240]]
    job = job_of(bent, grain={"axis_deg": 0, "tolerance_deg": 6, "reversible": False})
    nodes = Nodes(job, job.hides[0], {0: job.hides[0].region})
    nodes.keep_poses_of(0, job.pieces[0])
    shape = job.pieces[0].region
    centred = translate(shape, -shape.centroid.x, -shape.centroid.y)
    turns, widest = len(nodes.poses), 6.0 + GRAIN_GRACE_DEG
    assert turns > 1
    for k, poses in enumerate(nodes.poses):
        swing = 2 * widest / turns
        turn = -widest + swing * (k + 0.5)
        half = poses.core.shape[0] // 2
        at = 2 * HALF_MM * (np.argwhere(poses.core)[:, ::-1] - half)
        assert not (poses.heart & ~poses.core).any() and poses.heart.any()
        for dx, dy, dt in rng.uniform(-1.0, 1.0, (6, 3)):
            lies = translate(
                rotate(centred, turn + dt * swing / 2, origin=(0, 0)), dx * HALF_MM, dy * HALF_MM
            )
            assert shapely.contains_xy(lies, at).all()


@pytest.mark.parametrize("seed", range(tried(3, 60)))
def test_blocks_of_boxes_are_kept_as_each_box_by_itself(seed: int) -> None:
    rng = np.random.default_rng(seed)
    wide, high, lap = rng.uniform(50, 150, 3)
    flaws = tuple(
        {
            "kind": "scar",
            "severity": int(rng.integers(1, 4)),
            "outline": jobs.square(x, y, rng.uniform(3, 40)),
        }
        for x, y in rng.uniform(10, 350, (6, 2))
    )
    hidden = [[[0, 0], [lap / 3, 0], [lap / 3, 40], [0, 40]]]
    job = job_of(
        [[0, 0], [wide, 0], [wide, high / 2], [wide / 2, high], [0, high]],
        flaws=flaws,
        show_limit=int(rng.integers(0, 3)),
        hidden=hidden,
        grain={"axis_deg": 0, "tolerance_deg": 9},
    )
    hide, nodes = job.hides[0], Nodes(job, job.hides[0], {})
    looked = looked_for(job, job.pieces[0], hide, cell_mm=CELL_MM, exact_mm=0.0)
    _, held, middle, half = looked.ranges[0]
    swing = half / 20
    turn = middle + float(rng.uniform(-1.0, 1.0)) * (half - swing)

    def kept(block: int) -> Any:
        cells = np.zeros(nodes.shape, np.bool_)
        room_kernels.cells_with_places(turn, swing, nodes.low, HALF_MM, block, *held, looked.asked, cells)
        return cells

    at_once, alone = kept(16), kept(1)
    assert 100 < at_once.sum() < 0.9 * at_once.size
    # A box that goes by itself may yet be ruled out with those about it, where the field reads a little off.
    assert not (at_once & ~alone).any() and (alone & ~at_once).sum() < 0.01 * alone.sum()


@pytest.mark.parametrize("seed", range(tried(2, 20)))
def test_no_lay_has_more_sets_than_are_proved(seed: int) -> None:
    rng = np.random.default_rng(seed)
    wide, high = rng.uniform(110, 190, 2)
    panel = jobs.piece(
        "panel",
        [[0, 0], [wide, 0], [wide, high * 0.7], [wide * 0.6, high], [0, high]],
        6,
        set="stool",
        show_limit=1,
        max_tightness=3,
    )
    strap = jobs.piece("strap", jobs.rectangle(180, 20), 12, set="stool", per_set=2, max_tightness=3)
    job = read_job(json.dumps(jobs.everything(pieces=[panel, strap], objective="sets")), sizes_are_right=True)
    ticks = itertools.count()
    lay = lay_job(job, lambda: float(next(ticks)), seconds=1e9, steps=6)
    found, most = measure(job, lay).sets["stool"], bound(job)
    by_area = bound(job, by_room=False)
    assert 0 < found <= most.sets["stool"] <= by_area.sets["stool"]
    assert most.all_sets == most.sets["stool"]
