"""Small jobs for the tests, in the exchange format: a side with everything on it, and pieces of every
need.
"""

from __future__ import annotations

import copy
from typing import Any

SIDE = [
    [0, 20],
    [60, 2],
    [400, 0],
    [780, 6],
    [800, 60],
    [760, 200],
    [790, 330],
    [700, 460],
    [640, 400],
    [400, 430],
    [200, 410],
    [150, 470],
    [60, 380],
    [20, 200],
]


def square(x: float, y: float, side: float) -> list[list[float]]:
    return [[x, y], [x + side, y], [x + side, y + side], [x, y + side]]


def rectangle(length: float, width: float) -> list[list[float]]:
    return [[0, 0], [length, 0], [length, width], [0, width]]


def side(number: str = "Q-1", **changed: Any) -> dict[str, Any]:
    return {
        "id": number,
        "kind": "side",
        "outline": SIDE,
        "holes": [],
        "backbone_deg": 0.0,
        "edge_margin": 4.0,
        "cost_per_m2": 100.0,
        "zones": [
            {"outline": SIDE, "tightness": 3, "stretch_deg": 90.0},
            {"outline": [[20, -5], [500, -5], [500, 230], [40, 230]], "tightness": 1, "stretch_deg": 90.0},
            {"outline": square(560, 250, 120), "tightness": 4, "stretch_deg": 60.0},
        ],
        "flaws": [
            {"kind": "scar", "severity": 1, "outline": square(250, 60, 14)},
            {"kind": "scratch", "severity": 2, "outline": square(120, 150, 16)},
            {"kind": "hole", "severity": 3, "outline": square(330, 170, 22)},
        ],
        **changed,
    }


def piece(name: str, outline: list[list[float]], quantity: int, **needs: Any) -> dict[str, Any]:
    return {
        "id": name,
        "outline": outline,
        "quantity": quantity,
        "grain": {"axis_deg": 0.0, "tolerance_deg": 10.0, "reversible": True},
        **needs,
    }


def everything(**changed: Any) -> dict[str, Any]:
    """A job with every need in it: laid in well under a second."""
    job = {
        "format": "fairlay.job/1",
        "name": "everything",
        "units": "mm",
        "gap": 1.0,
        "grain_school": "backbone",
        "objective": "fill",
        "seconds": 0.2,
        "seed": 1,
        "hides": [
            side(
                thickness=[
                    {"x": 100, "y": 60, "mm": 2.6},
                    {"x": 600, "y": 60, "mm": 2.2},
                    {"x": 400, "y": 350, "mm": 1.8},
                ]
            )
        ],
        "pieces": [
            piece(
                "seat",
                rectangle(150, 110),
                2,
                show_limit=0,
                max_tightness=1,
                value=1.5,
                thickness_mm=[2.0, 3.0],
            ),
            piece("back", rectangle(140, 90), 2, show_limit=1, max_tightness=2, hidden=[square(5, 5, 60)]),
            piece(
                "strap",
                rectangle(300, 22),
                2,
                show_limit=1,
                max_tightness=1,
                grain={"axis_deg": 0.0, "tolerance_deg": 5.0, "reversible": True},
            ),
            piece(
                "palm",
                [[0, 0], [60, 0], [60, 40], [90, 60], [80, 75], [60, 65], [60, 120], [0, 120]],
                4,
                pair=True,
                max_tightness=3,
            ),
            piece("vent", rectangle(120, 90), 1, holes=[square(30, 25, 40)], max_tightness=3),
            piece(
                "washer",
                [[8, 0], [16, 8], [8, 16], [0, 8]],
                20,
                grain={"axis_deg": 0.0, "tolerance_deg": 180.0},
            ),
        ],
    }
    return {**copy.deepcopy(job), **changed}


def sets(count: int = 3, **changed: Any) -> dict[str, Any]:
    """Stools of a top and three caps on two sides."""
    return {
        "format": "fairlay.job/1",
        "name": "sets",
        "gap": 0.0,
        "grain_school": "backbone",
        "objective": "sets",
        "seconds": 0.2,
        "seed": 1,
        "match_sets": ["stool"],
        "hides": [side("Q-1"), side("Q-2", cost_per_m2=80.0, flaws=[])],
        "pieces": [
            piece("top", rectangle(190, 170), count, max_tightness=2, set="stool", per_set=1),
            piece("cap", rectangle(60, 60), 3 * count, max_tightness=3, set="stool", per_set=3),
        ],
        **changed,
    }
