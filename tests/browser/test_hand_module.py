"""The hand of the lay bench without a screen: where a piece settles, how it is held, what the tray has."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import pytest
from shapely.geometry import Point, Polygon
from shapely.ops import nearest_points

from fairlay.core.shapes.placing import Placing, place_points
from tests.browser.conftest import Call
from tests.effort import tried

LIT = [
    [[[0, 0], [100, 0], [100, 80], [0, 80]], [[40, 30], [60, 30], [60, 50], [40, 50]]],
    [[[200, 10], [260, 10], [260, 10.1], [200, 10.1]]],
]
"""A square of lit ground with a hole in it, and a strip where straight sides butt."""


@pytest.mark.parametrize(
    ("wanted", "near", "at"),
    [
        ((20, 20), 3, (20, 20)),
        ((50, 48), 1, (50, 50)),
        ((-30, 40), 3, (0, 40)),
        ((1.5, 40), 3, (0, 40)),
        ((99, 79), 4, (100, 80)),
        ((230, 60), 3, (230, 10.1)),
        ((230, 10.05), 0.01, (230, 10.05)),
    ],
)
def test_a_piece_settles_on_what_is_lit(
    call: Call,
    wanted: tuple[float, float],
    near: float,
    at: tuple[float, float],
) -> None:
    found = call("hand.settled", LIT, {"x": wanted[0], "y": wanted[1]}, near)
    assert (found["x"], found["y"]) == pytest.approx(at, abs=1e-9) and found["fair"]


def test_it_settles_as_near_as_can_be_and_home_is_always_a_place(call: Call) -> None:
    rng = np.random.default_rng(4)
    shape = Polygon(LIT[0][0], LIT[0][1:]).union(Polygon(LIT[1][0]))
    for _ in range(tried(40, 1000)):
        x, y = (float(v) for v in rng.uniform((-50, -50), (300, 140)))
        found = call("hand.settled", LIT, {"x": x, "y": y}, 0)
        near = nearest_points(shape, Point(x, y))[0]
        assert math.dist((found["x"], found["y"]), (x, y)) == pytest.approx(
            near.distance(Point(x, y)), abs=1e-9
        )
    home = {"x": 500, "y": 500}
    assert call("hand.settled", LIT, {"x": 501, "y": 500}, 3, home) == {**home, "fair": True}
    assert call("hand.settled", [], {"x": 1, "y": 1}, 3) is None


def test_a_held_piece_lies_as_the_core_lays_it(call: Call) -> None:
    for turn in (0.0, 33.5, 180.0, 271.0):
        for mirrored in (False, True):
            m = call("hand.matrixAt", {"x": 12, "y": -7}, turn, mirrored)
            point = np.array([[30.0, 5.0]])
            placed = place_points(point, Placing(12.0, -7.0, turn, mirrored))[0]
            x, y = point[0]
            assert (m["a"] * x + m["c"] * y + m["e"], m["b"] * x + m["d"] * y + m["f"]) == pytest.approx(
                placed
            )


def test_the_hand_is_turned_turned_over_and_left(call: Call) -> None:
    held: Any = {
        "piece": "a",
        "copy": 0,
        "turn": 350,
        "mirrored": False,
        "home": None,
        "along": [],
        "insisting": False,
    }

    def then(**act: Any) -> Any:
        return call("hand.handled", held, act)

    assert then(type="turn", by=15)["turn"] == 5 and then(type="turn", by=-360.5)["turn"] == 349.5
    assert then(type="turn over", deg=90) == {**held, "mirrored": True, "turn": 90}
    assert then(type="insist")["insisting"] and then(type="leave") is None
    several = {**held, "along": [{"x": 1, "y": 1, "placement": None}]}
    assert call("hand.handled", several, {"type": "turn", "by": 5}) == several, "several are not turned"
    assert call("hand.handled", None, {"type": "turn", "by": 5}) is None


def _lay(**placed: int) -> Any:
    def piece(name: str, quantity: int, **more: Any) -> Any:
        base = {"id": name, "quantity": quantity, "placed": 0, "pair": False, "part_of": None}
        return base | {"filler": False, "area_m2": 1.0} | more

    pieces = [
        piece("seat", 3, area_m2=3.0),
        piece("mitt", 4, pair=True),
        piece("tab", 9, filler=True, area_m2=9.0),
    ]
    pieces.append(piece("seat~two.a", 3, part_of="seat"))
    lies = [
        {"piece": p, "copy_number": n, "hide": "H", "mirrored": False, "matrix": {"e": n, "f": 0}}
        for p, count in placed.items()
        for n in range(count)
    ]
    for p in pieces:
        p["placed"] = placed.get(p["id"], 0)
    return {"head": 4, "pieces": pieces, "state": {"placements": lies, "seen": "r4"}}


def test_the_tray_has_what_has_no_place_yet(call: Call) -> None:
    lay = _lay(seat=2, mitt=4)
    assert [(t["piece"]["id"], t["left"]) for t in call("hand.tray", lay)] == [("seat", 1), ("tab", 9)]
    seat, mitt, *_ = lay["pieces"]
    assert call("hand.freeCopy", lay, seat) == 2 and call("hand.freeCopy", lay, mitt) is None
    in_parts = _lay()
    in_parts["state"]["placements"] = [{"piece": "seat~two.a", "copy_number": 0, "mirrored": False}]
    assert call("hand.freeCopy", in_parts, seat) == 1, "a copy in parts is no free copy"
    assert call("hand.nextIsMirrored", _lay(mitt=1), mitt) and not call("hand.nextIsMirrored", _lay(), mitt)


def test_what_is_put_down_shows_at_once_and_lays_differ_by_it(call: Call) -> None:
    lay = _lay(seat=2, mitt=1)
    moved = {**lay["state"]["placements"][0], "matrix": {"e": 50, "f": 0}}
    after = call("hand.withPut", lay, [moved], ["mitt#0"], 5)
    assert after["head"] == 5 and [p["placed"] for p in after["pieces"]][:2] == [2, 0]
    told = call("lay.differing", lay["state"]["placements"], after["state"]["placements"])
    assert [p["piece"] for p in told["down"]] == ["seat"] and told["down"][0]["matrix"]["e"] == 50
    assert [p["piece"] for p in told["up"]] == ["mitt"]
    assert sorted(p["piece"] for p in told["left"]) == ["mitt", "seat"]
