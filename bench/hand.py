"""What hands wait for at the lay bench: a piece taken up, turned, let go, asked about, on a side of some 250
pieces, over the API of an application of its own, beside a call that does nothing.
"""

from __future__ import annotations

import json
import os
import statistics
import tempfile
import time
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
from fastapi.testclient import TestClient

from bench.cases import job_of
from fairlay.api.app import create_app
from fairlay.core.engine import lay_job
from fairlay.core.lay import Job, Lay
from fairlay.core.pattern import Piece
from fairlay.core.rules import GrainSchool
from fairlay.demo import fill_if_empty
from fairlay.store import database as store
from fairlay.store import hides, lays
from fairlay.store.lays import LaidOn
from scripts.mariadb import PrivateMariaDB

TIMES = 60
SMALLER = 0.62
CHANGES = 5000
LAY_S = 20.0


def print_hand(seed: int) -> None:
    """Print the median and the 95th percentile of each act, for a side laid along the backbone and one laid
    any way.
    """
    with tempfile.TemporaryDirectory() as home, PrivateMariaDB(Path(home)) as server:
        os.environ[store.URL_VARIABLE] = server.url
        app = create_app()
        store.migrate()
        fill_if_empty()
        page = TestClient(
            app, base_url="http://127.0.0.1", headers={"fair-lay": "1"}, client=("127.0.0.1", 50_000)
        )
        with page:
            schools: tuple[GrainSchool, ...] = ("backbone", "free")
            for school in schools:
                _print_one(page, *crowded(seed, school))
        store.database.close_all()


def crowded(seed: int, school: GrainSchool) -> tuple[Job, Lay]:
    """Return a side of the demo's articles made small, and a lay that fills it."""
    job = job_of(seed, 1, "fill", school=school, gap=1.0 if school == "backbone" else 0.0)
    job = replace(job, pieces=tuple(_small(p) for p in job.pieces))
    return job, lay_job(job, time.monotonic, seconds=LAY_S)


def _small(p: Piece) -> Piece:
    return replace(
        p,
        quantity=p.quantity * 3,
        outline=p.outline * SMALLER,
        holes=tuple(h * SMALLER for h in p.holes),
        hidden=tuple(h * SMALLER for h in p.hidden),
        marks=(),
        splits=(),
    )


def _print_one(page: TestClient, job: Job, lay: Lay) -> None:
    batch = page.get("/api/batches").json()[0]["id"]
    hide = hides.rack()[0]
    lay_id = lays.create_lay(batch, f"bench {job.name}", job, [LaidOn(hide.id, hide.version)], shared=True)
    head = lays.save(lay_id, lay, "engine", base=1)
    print(f"\n{job.name}: {len(lay.placements)} pieces on one side")
    rng = np.random.default_rng(1)
    at = f"/api/lays/{lay_id}"
    pick = [lay.placements[k] for k in rng.integers(len(lay.placements), size=TIMES)]

    def held(k: int, turn: float) -> dict[str, Any]:
        p = pick[k]
        lifted = [{"piece": p.piece, "copy_number": p.copy}]
        turned = p.at.rotation_deg + turn
        return {
            "piece": p.piece,
            "hide": p.hide,
            "turn_deg": turned,
            "mirrored": p.at.mirrored,
            "lifted": lifted,
        }

    def ask(path: str, body: dict[str, Any]) -> None:
        answer = page.post(at + path, json=body)
        assert answer.status_code < 300, answer.text

    def drop(k: int) -> None:
        nonlocal head
        p = pick[k % TIMES]
        # To the tray and back where it lay: both are moves, refereed and saved.
        key = {"piece": p.piece, "copy_number": p.copy}
        answer = page.post(f"{at}/moves", json={"base": head, "take": [key]})
        head = answer.json()["head"]
        put = {"piece": p.piece, "copy": p.copy, "hide": p.hide, "x": p.at.x, "y": p.at.y}
        put |= {"rotation_deg": p.at.rotation_deg, "mirrored": p.at.mirrored}
        answer = page.post(f"{at}/moves", json={"base": head, "put": [put]})
        assert answer.status_code < 300, answer.text
        head = answer.json()["head"]

    _say("nothing", lambda _: page.get("/api/health"))
    _say("taken up", lambda k: ask("/hand/ground", held(k, 0.0)))
    _say("turned a step", lambda k: ask("/hand/ground", held(k, 1.0 + 0.01 * k)))
    _say("why not here", lambda k: ask("/hand/why", {**held(k, 0.0), "x": 900.0, "y": 400.0}))
    _say("let go", drop, 2)
    for k in range((CHANGES - head) // 2 + 1):
        drop(k)
    _say(f"let go, at change {head}", drop, 2)
    _say("the room opened", lambda _: page.get(at))
    size = len(json.dumps(page.get(at).json()))
    print(f"  the room's data: {size / 1e3:.0f} kB")


def _say(what: str, act: Callable[[int], object], acts: int = 1) -> None:
    ms = []
    for k in range(TIMES):
        start = time.perf_counter()
        act(k)
        ms.append(1e3 * (time.perf_counter() - start) / acts)
    print(
        f"  {what:24} median {statistics.median(ms):6.1f} ms, 95 % {sorted(ms)[TIMES * 95 // 100]:6.1f} ms",
        flush=True,
    )
