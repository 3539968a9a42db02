"""Shapes that trip geometry up: slivers, needles, sides that nearly run along each other, flaws that touch,
holes in holes.
"""

from __future__ import annotations

import itertools
import json
import math
from typing import Any

import pytest

from fairlay.core.engine import lay_job
from fairlay.core.formats.exchange import read_job, write_lay
from tests import jobs, referee
from tests.effort import LONG

TURNED = {"axis_deg": 0.0, "tolerance_deg": 180.0}


def wheel(points: int, radius: float, wobble: float) -> list[list[float]]:
    return [
        [round((radius + wobble * (k % 2)) * f(2 * math.pi * k / points), 4) for f in (math.cos, math.sin)]
        for k in range(points)
    ]


PIECES: dict[str, list[dict[str, Any]]] = {
    "slivers": [jobs.piece("sliver", jobs.rectangle(300, 0.8), 12)],
    "needles": [jobs.piece("needle", [[0, 0], [250, 0.4], [0, 0.8]], 12, grain=TURNED)],
    "nearly along": [
        jobs.piece(
            "wedge",
            [[0, 0], [200, 0.01], [200, 40.02], [0, 40]],
            12,
            grain={"axis_deg": 0, "tolerance_deg": 0},
        )
    ],
    "barbs": [
        jobs.piece("barb", [[0, 0], [60, 0], [60, 30], [30, 30.2], [59.9, 30.4], [59.9, 50], [0, 50]], 8)
    ],
    "two thousand points": [
        jobs.piece("wheel", wheel(2000, 40, 0.02), 12, grain=TURNED),
        jobs.piece("tab", jobs.rectangle(50, 20), 10),
    ],
    "a crumb": [jobs.piece("crumb", jobs.rectangle(1.1, 1.1), 30, grain=TURNED)],
    "thin frames": [
        jobs.piece("frame", jobs.rectangle(120, 120), 3, holes=[jobs.square(2, 2, 116)]),
        jobs.piece("inner", jobs.square(0, 0, 110), 3, holes=[jobs.square(3, 3, 104)]),
    ],
    "thin hidden areas": [
        jobs.piece(
            "panel",
            jobs.rectangle(120, 80),
            4,
            show_limit=0,
            hidden=[[[0, 0], [120, 0], [120, 0.5], [0, 0.5]]],
        )
    ],
}
FLAWS: dict[str, list[list[list[float]]]] = {
    "apart": [jobs.square(300, 100, 12)],
    "touching": [jobs.square(300, 100, 12), jobs.square(312, 100, 12), jobs.square(324, 112, 12)],
    "one in another": [jobs.square(300, 100, 60), jobs.square(320, 120, 10)],
    "over the edge": [[[380, -20], [420, -20], [420, 30], [380, 30]], jobs.square(-10, 190, 60)],
    "a line": [[[200, 100], [420, 100.05], [200, 100.1]]],
}


SLOW = "two thousand points"


@pytest.mark.parametrize(
    ("pieces", "flaws"),
    [(p, f) for p in PIECES for f in FLAWS if p != SLOW or f == "a line" or LONG],
)
def test_awkward_shapes_are_laid_fairly(pieces: str, flaws: str) -> None:
    hide = jobs.side(
        flaws=[
            {"kind": "scar", "severity": 3 - k % 2, "outline": outline}
            for k, outline in enumerate(FLAWS[flaws])
        ],
        holes=[jobs.square(600, 80, 30)],
    )
    asked = jobs.everything(
        hides=[hide], pieces=PIECES[pieces], gap=0.0 if flaws in ("apart", "touching") else 1.0
    )
    ticks = itertools.count()
    lay = lay_job(read_job(json.dumps(asked)), lambda: float(next(ticks)), seconds=1e9, steps=2)
    assert referee.broken(asked, write_lay(lay)) == []
    assert len(lay.placements) >= 3
