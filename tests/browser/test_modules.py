"""What of the front end knows no screen, called in Chromium without a room: reducers, parsers, outlines."""

from __future__ import annotations

import math
from itertools import pairwise
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from playwright.sync_api import Browser
from shapely.geometry import LineString, Polygon

from tests.browser.conftest import Call, opened
from tests.effort import tried

INCH = 25.4


@pytest.mark.parametrize(
    ("text", "system", "mm"),
    [
        ("12", "metric", 12),
        ("12,5 mm", "metric", 12.5),
        (" 3 cm ", "imperial", 30),
        ("-4", "metric", -4),
        ("1/8 in", "metric", INCH / 8),
        ('2 1/2"', "metric", 2.5 * INCH),
        ("2 3/4", "imperial", 2.75 * INCH),
        ("1.25in", "imperial", 1.25 * INCH),
        ("1.25in", "metric", 1.25 * INCH),
        ("1/0 in", "metric", None),
        ("1 2 mm", "metric", None),
        ("12 m", "metric", None),
        ("", "metric", None),
        ("1e3", "metric", None),
        ("½ in", "imperial", None),
    ],
)
def test_a_length_typed_by_hand(call: Call, text: str, system: str, mm: float | None) -> None:
    found = call("units.parseLength", text, system)
    assert found is None if mm is None else found == pytest.approx(mm)


@pytest.mark.parametrize("system", ["metric", "imperial"])
def test_what_stands_in_a_field_is_read_back(call: Call, system: str) -> None:
    for mm in np.random.default_rng(3).uniform(0.05, 3000, 40):
        text = call("units.lengthText", float(mm), system)
        assert call("units.parseLength", text, system) == pytest.approx(mm, abs=0.013)
        text = call("units.thicknessText", float(mm) / 300, system)
        assert call("units.parseThickness", text, system) == pytest.approx(mm / 300, abs=0.021)


@pytest.mark.parametrize(
    ("words", "imperial"),
    [
        ("8.4 mm toward the tail would clear it", "0.331 in toward the tail would clear it"),
        ("300 x 200 mm and 2 m2", "11.8 x 7.87 in and 21.5 ft²"),
        ("1.8 to 3.0 mm thick, 25 mm wide", "4.54 to 7.56 oz thick, 0.984 in wide"),
        ("O-042 is 12 m long, 85 cm2 of it lost", "O-042 is 39.4 ft long, 0.091 ft² of it lost"),
        ("2 hides, 84.1 %, class 2 man", "2 hides, 84.1 %, class 2 man"),
        ("mark 3mm7 stays", "mark 3mm7 stays"),
        ("1.6 flaws in a m2, at 71 a hide", "1.6 flaws in a m², at 71 a hide"),
    ],
)
def test_a_sentence_speaks_in_the_users_units(call: Call, words: str, imperial: str) -> None:
    assert call("units.inImperial", words) == imperial
    assert call("units.inMetric", words) == words.replace("m2", "m²")


@pytest.mark.parametrize("zone", ["Pacific/Honolulu", "Europe/Berlin", "Pacific/Kiritimati"])
def test_a_date_is_the_same_day_everywhere_and_a_moment_is_not(
    browser: Browser, script: Path, zone: str
) -> None:
    for call in opened(browser, script, zone):
        assert call("units.dayOf", "2026-03-31") == "31 Mar 2026"
        late = call("units.dayOf", "2026-03-31T23:30:00")
        assert late == call("units.dayOf", "2026-03-31T23:30:00Z")
        assert late == ("31 Mar 2026" if zone == "Pacific/Honolulu" else "1 Apr 2026")


TOOLS = [{"shape": s, "apart": a} for s in ("press", "line", "way", "ring") for a in (0, 3)]


def test_drawing_ends_in_what_was_drawn_or_in_nothing(call: Call) -> None:
    rng = np.random.default_rng(7)
    ended = 0
    for _ in range(tried(60, 2000)):
        tool = TOOLS[int(rng.integers(len(TOOLS)))]
        now = call("drawing.drawn", call("drawing.drawn", {**NOTHING}, {"type": "take up", "tool": tool}), UP)
        assert now["done"] is None or tool["shape"] == "press", "nothing was put down"
        now = {**now, "done": None}
        path = rng.uniform(0, 20, (int(rng.integers(1, 14)), 2)).round(2).tolist()
        acts = ["down", *["move"] * (len(path) - 1), "up"]
        for act, (x, y) in zip(acts, [*path, path[-1]], strict=True):
            now = call("drawing.drawn", now, {"type": act, "at": {"x": x, "y": y}})
            assert now["down"] == (act != "up") and (now["done"] is None or act == "up")
        done = None if now["done"] is None else [(p["x"], p["y"]) for p in now["done"]]
        if tool["shape"] == "press":
            assert done == [tuple(path[-1])]
        elif tool["shape"] == "line":
            assert done == (None if len(path) == 1 else [tuple(path[0]), tuple(path[-1])])
        elif done is not None:
            assert done[0] == tuple(path[0]) and set(done) <= {tuple(p) for p in path}
            assert all(math.dist(a, b) >= tool["apart"] for a, b in pairwise(done))
            assert len(done) >= (6 if tool["shape"] == "ring" else 2)
        ended += done is not None
        left = call("drawing.drawn", {**now, "points": [{"x": 0, "y": 0}], "down": True}, {"type": "leave"})
        assert left == {**NOTHING, "tool": tool}
    assert ended > 30


NOTHING: dict[str, Any] = {"tool": None, "points": [], "down": False, "done": None}
UP = {"type": "up", "at": {"x": 1, "y": 1}}


def curve(nodes: list[list[float]], steps: int = 60) -> np.ndarray:
    """A contour drawn out: Bezier curves between nodes of x, y and two handles."""
    out = []
    for a, b in zip(nodes, [*nodes[1:], nodes[0]], strict=True):
        p = np.array([a[:2], a[4:6] or a[:2], b[2:4] or b[:2], b[:2]], float)
        t = np.linspace(0, 1, steps, endpoint=False)[:, None]
        out.append(
            (1 - t) ** 3 * p[0] + 3 * (1 - t) ** 2 * t * p[1] + 3 * (1 - t) * t**2 * p[2] + t**3 * p[3]
        )
    return np.concatenate(out)


def test_a_contour_keeps_its_shape_as_nodes_are_put_in_and_goes_where_it_is_moved(call: Call) -> None:
    rng = np.random.default_rng(11)
    for _ in range(tried(15, 400)):
        n = int(rng.integers(3, 8))
        at = [(80 * math.cos(2 * math.pi * i / n), 60 * math.sin(2 * math.pi * i / n)) for i in range(n)]
        nodes = [[x, y, *rng.normal((x, y, x, y), 9)] if rng.random() < 0.5 else [x, y] for x, y in at]
        i = int(rng.integers(n))
        more = call("contours.divided", nodes, i)
        before, after = curve(nodes), curve(more)
        assert len(more) == n + 1
        assert LineString(before).hausdorff_distance(LineString(after)) < 1.0, "within what is drawn out"
        assert Polygon(after).area == pytest.approx(Polygon(before).area, rel=2e-3)
        moved = call("contours.shifted", nodes, 12.5, -7)
        assert curve(moved) == pytest.approx(before + np.array([12.5, -7]), abs=0.002)
        bent = call("contours.toggled", nodes, i)
        assert len(bent[i]) == (2 if len(nodes[i]) == 6 else 6) and bent[i][:2] == pytest.approx(
            at[i], abs=1e-3
        )
        assert len(call("contours.withoutNode", nodes, i)) == max(3, n - 1)


def test_a_window_has_the_corners_of_its_punch(call: Call) -> None:
    for long, wide, punch in ((60, 40, 10), (60, 40, 0), (30, 12, 40)):
        ring = Polygon(curve(call("contours.roundedWindow", {"x": 5, "y": 9}, long, wide, punch)))
        r = min(punch, long, wide) / 2
        assert ring.area == pytest.approx(long * wide - (4 - math.pi) * r * r, rel=1e-3)
        assert ring.bounds == pytest.approx((5 - long / 2, 9 - wide / 2, 5 + long / 2, 9 + wide / 2))


def test_pushing_moves_what_is_near_and_nothing_beyond(call: Call) -> None:
    ring = [[100 * math.cos(t), 100 * math.sin(t)] for t in np.linspace(0, 6.2, 80)]
    out = np.array(call("push.pushed", ring, [100, 0], [120, 5], 45))
    far = np.hypot(*(np.array(ring) - [100, 0]).T)
    assert out[0] == pytest.approx([120, 5]) and (out[far >= 45] == np.array(ring)[far >= 45]).all()
    moved = np.hypot(*(out - ring).T)
    assert (np.diff(moved[np.argsort(far)]) < 0.02).all(), "the farther, the less"
    hole = [[0, 0], [50, 0], [50, 40], [0, 40]]
    assert call("push.areaOf", ring, [hole]) == pytest.approx((Polygon(ring).area - 2000) / 1e6)


SEEN = {
    "outline": [[0, 0], [2000, 0], [2000, 800], [0, 800]],
    "holes": [],
    "rings": [
        {"outline": [[300, 300], [340, 300], [320, 340]], "chalk": "white", "severity": 2, "sure": 0.9},
        {"outline": [[900, 300], [940, 300], [920, 340]], "chalk": "", "severity": 0, "sure": 0.9},
    ],
    "lines": [{"points": [[0, 10], [1900, 10]], "kind": "backbone"}],
}


def test_every_correction_of_a_seen_hide_can_be_undone(call: Call) -> None:
    rng = np.random.default_rng(2)
    acts: list[dict[str, Any]] = [
        {"type": "begin push"},
        {"type": "ring", "outline": [[5, 5], [9, 5], [7, 9]]},
        {"type": "ring is", "at": 0, "is": {"severity": 3}},
        {"type": "mended", "outline": [[0, 0], [1500, 0], [1500, 800]], "holes": []},
        {"type": "end", "at": [0, 5]},
        {"type": "flesh", "flesh": True},
        {"type": "line means", "at": 0, "means": "nothing"},
        {"type": "as found"},
        {"type": "holes are flaws"},
        {"type": "ring is a hole", "at": 1},
    ]
    looks = [{"type": "choose", "at": 1}, {"type": "step", "by": -1}, {"type": "tool", "tool": "push"}]
    for _ in range(tried(12, 200)):
        now = {"own": None, "before": [], "at": None, "tool": None}
        states = []
        for _ in range(15):
            if rng.random() < 0.3:
                before = now
                now = call("seen.corrected", SEEN, now, looks[int(rng.integers(3))])
                assert (now["own"], now["before"]) == (before["own"], before["before"]), "nothing to undo"
                continue
            states.append(now["own"])
            now = call("seen.corrected", SEEN, now, acts[int(rng.integers(len(acts)))])
            if rng.random() < 0.3:
                drag = {"type": "push", "from": [2000, 400], "to": [2030, 400]}
                now = call("seen.corrected", SEEN, now, drag)
        for known in reversed(states):
            now = call("seen.corrected", SEEN, now, {"type": "undo"})
            assert now["own"] == known
            rings = (now["own"] or call("seen.asSeen", SEEN))["rings"]
            assert now["at"] is None or now["at"] < len(rings)
        assert call("seen.corrected", SEEN, now, {"type": "undo"}) == now
    assert [r["taken"] for r in call("seen.asSeen", SEEN)["rings"]] == [True, False]
    now = {"own": None, "before": [], "at": 0, "tool": None}
    now = call("seen.corrected", SEEN, now, {"type": "ring is a hole", "at": 0})
    holes = [*SEEN["holes"], SEEN["rings"][0]["outline"]]
    assert now["own"]["holes"] == holes and len(now["own"]["rings"]) == 1 and now["at"] is None
    now = call("seen.corrected", SEEN, now, {"type": "holes are flaws"})
    assert now["own"]["holes"] == [] and [r["outline"] for r in now["own"]["rings"][1:]] == holes
    assert all(r["taken"] and r["severity"] == 0 for r in now["own"]["rings"][1:]), "as its kind suggests"


def test_a_lay_follows_what_changed_of_it_and_asks_anew_where_it_missed_something(call: Call) -> None:
    rng = np.random.default_rng(5)
    lies: dict[tuple[str, int], dict[str, Any]] = {}
    pieces = [
        {"id": "tab", "part_of": None, "quantity": 12, "placed": 0},
        {"id": "back", "part_of": None, "quantity": 3, "placed": 0},
        {"id": "back 1/2", "part_of": "back", "quantity": 3, "placed": 0},
    ]
    lay = {"state": {"seen": "r1", "placements": []}, "head": 1, "pieces": pieces}
    for number in range(2, 2 + tried(20, 500)):
        here = list(lies)
        up = [here[i] for i in rng.permutation(len(here))[: int(rng.integers(0, 3))]]
        down = {
            ("tab", int(c)): {"piece": "tab", "copy_number": int(c), "hide": "K", "x": float(rng.random())}
            for c in rng.integers(0, 12, int(rng.integers(0, 4)))
        }
        lies = {k: v for k, v in lies.items() if k not in up} | down
        delta = {
            "was": lay["state"]["seen"],
            "seen": f"r{number}",
            "up": [{"piece": p, "copy_number": c} for p, c in up],
            "down": list(down.values()),
            **{"unplaced": [{"piece": "back", "count": number % 4}], "figures": {}, "per_hide": []},
        }
        assert call("lay.applied", lay, {**delta, "was": "r0"}) is None
        lay = call("lay.applied", lay, delta)
        shown = {(p["piece"], p["copy_number"]): p for p in lay["state"]["placements"]}
        assert shown == lies and len(lay["state"]["placements"]) == len(lies)
        assert [p["placed"] for p in lay["pieces"]] == [len(lies), 3 - number % 4, 0]
        held = None
        walked = []
        for _ in lies:
            held = call("lay.nextOf", lay["state"]["placements"], held, 1)
            walked.append(held)
        assert sorted(walked) == sorted(f"{p}#{c}" for p, c in lies), "N comes by every piece once"
    whole = {**delta, "was": "", "up": [], "down": delta["down"][:1]}
    assert call("lay.applied", lay, whole)["state"]["placements"] == delta["down"][:1]


def test_a_tool_of_a_hide_is_what_its_step_is_for(call: Call) -> None:
    hand = {"step": None, "chosen": None, "tool": "cut", "tail": None, "zone": None, "cutAt": None}
    for tab, step, ringed, tool in (
        ("look", "surface", False, "ring"),
        ("look", "surface", True, None),
        ("look", "backbone", False, "cut"),
        ("look", "pull", False, "pull"),
        ("look", "thickness", False, "reading"),
        ("look", "colour", False, None),
        ("worth", "surface", False, None),
        ("history", "surface", False, None),
    ):
        assert call("hide.toolOf", tab, step, hand, ringed) == tool
    assert call("hide.toolOf", "look", "pull", {**hand, "zone": 2}, False) == "zone"
    assert call("hide.toolOf", "history", "pull", {**hand, "cutAt": 900}, False) == "cut here"
    held = {**hand, "chosen": "f1", "zone": 3, "brush": 20, "photo": False}
    gone = call("hide.inHand", held, {"type": "go to", "step": "flex"})
    assert gone == {**held, "step": "flex", "chosen": None, "tool": None, "tail": None, "zone": None}
    assert call("hide.holds", held) and not call(
        "hide.holds", call("hide.inHand", held, {"type": "leave"}) | {"tool": None}
    )
    assert call("hide.inHand", hand, {"type": "take up", "tool": "cut"})["tool"] is None, "twice puts it down"


def test_what_a_tool_makes_on_a_piece(call: Call) -> None:
    piece = {"marks": [{"id": "hole"}, {"id": "hole 2"}], "seam_lines": [], "needs": {"hidden": []}}
    way = [{"x": 0, "y": 0}, {"x": 30, "y": 40}]
    hole = call("piece.made", "hole", way, piece)["mark"]
    assert (hole["id"], hole["kind"], hole["at"]) == ("hole 3", "hole", way[1])
    assert call("piece.made", "fold", way, piece)["mark"]["path"] == way
    assert call("piece.made", "centre", way, piece) == {"centre": {"start": way[0], "end": way[1]}}
    slip = [{"x": 0, "y": 0}, {"x": 2, "y": 2}]
    assert [call("piece.made", tool, slip, piece) for tool in ("fold", "seam", "centre")] == [None] * 3
    assert call("piece.made", "fold", [], piece) is None
