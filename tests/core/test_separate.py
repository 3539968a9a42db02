"""The separation and the refill: overlaps are felt where they are and driven out; what comes out is
refereed.
"""

from __future__ import annotations

import itertools
import json
import math
from dataclasses import replace
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from fairlay.core.engine import lay_job
from fairlay.core.engine import separate_kernels as kernels
from fairlay.core.engine.bank import BODIES, build_bank
from fairlay.core.engine.construct import Construction, Plan, construct
from fairlay.core.engine.ground import CELL_MM
from fairlay.core.engine.layer import Lying, Spot
from fairlay.core.engine.off_ground_kernels import NEVER
from fairlay.core.engine.overlap_kernels import summed_pain
from fairlay.core.engine.refill import Refill
from fairlay.core.engine.scene import SceneOf
from fairlay.core.engine.shorten import Shorten
from fairlay.core.engine.squeeze import Squeeze
from fairlay.core.engine.table import SLACK_MM, HideTable
from fairlay.core.formats.exchange import read_job, write_lay
from fairlay.core.lay import Job, Lay
from fairlay.core.leather import Hide
from fairlay.core.pattern import Piece
from fairlay.core.rules import Policy, grain
from fairlay.core.shapes import place_region
from tests import jobs, referee
from tests.effort import tried


def laid(job: dict[str, Any]) -> tuple[Job, Construction]:
    read = read_job(json.dumps(job))
    return read, construct(read, build_bank(read), Plan(), np.random.default_rng(1), lambda: False)


def pool_of(job: Job, work: Construction) -> dict[int, list[int]]:
    out: dict[int, list[int]] = {}
    for piece in job.pieces:
        variants = work.bank.of_piece[piece.id]
        for n in range(piece.quantity):
            if (piece.id, n) not in work.placed:
                out.setdefault(variants[n % len(variants)].index, []).append(n)
    return out


@pytest.fixture(scope="module")
def bare() -> tuple[Job, HideTable]:
    job = read_job(json.dumps(jobs.everything(gap=0.0)))
    bank = build_bank(job)
    return job, HideTable(job, job.hides[0], bank, 40)


@settings(max_examples=tried(30, 1200))
@given(
    st.integers(0, 6),
    st.integers(0, 6),
    st.floats(60, 700),
    st.floats(20, 400),
    st.floats(-90, 90),
    st.floats(-90, 90),
    st.floats(0, 6.28),
)
def test_pain_is_felt_exactly_where_pieces_overlap(
    bare: tuple[Job, HideTable], a: int, b: int, x: float, y: float, dx: float, dy: float, turn: float
) -> None:
    _, table = bare
    bank = table.bank
    scene = SceneOf(table, 4)
    first = scene.add(bank.variants[a], 0, x, y, 0.0)
    second = scene.add(bank.variants[b], 1, x + dx, y + dy, turn)
    s = scene.state
    kernels.feel_all(s)
    shapes = [
        place_region(bank.variants[v].piece.region, bank.variants[v].placing(px, py, math.degrees(t)))
        for v, px, py, t in ((a, x, y, 0.0), (b, x + dx, y + dy, turn))
    ]
    shared = (
        shapes[0]
        .buffer(-0.03, join_style="mitre")
        .intersection(shapes[1].buffer(-0.03, join_style="mitre"))
        .area
    )
    if shared > 0.01:
        assert s.pain[first, second] > 0.0
    if shapes[0].distance(shapes[1]) > 0.0:
        assert s.pain[first, second] == 0.0
    assert s.pain[first, second] == s.pain[second, first]
    # What a search says of the pose it found is what is felt there.
    *pose, told = kernels.seek(s, first, a, 4, 4, np.array([5], np.uint64))
    kernels.set_down(s, first, a, *pose)
    kernels.feel(s, first)
    assert told == pytest.approx(s.pain[first, second] + s.own_pain[first], rel=1e-9)


def test_pain_grows_as_two_pieces_go_deeper_into_each_other(bare: tuple[Job, HideTable]) -> None:
    _, table = bare
    scene = SceneOf(table, 4)
    seat = table.bank.variants[0]
    first, second = (scene.add(seat, n, 300.0, 200.0, 0.0) for n in (0, 1))
    felt = []
    for apart in (149, 120, 90, 60, 30):
        kernels.set_down(scene.state, second, seat.index, 300.0 + apart, 200.0, 0.0)
        kernels.feel_all(scene.state)
        felt.append(scene.state.pain[first, second])
    assert felt == sorted(felt) and felt[0] > 0.0


def test_all_of_a_long_strap_feels_what_lies_on_it() -> None:
    def oblong(wide: float, high: float) -> np.ndarray:
        return np.array([[0, 0], [wide, 0], [wide, high], [0, high]], float)

    pieces = (Piece("strap", oblong(900, 30), 1), Piece("patch", oblong(60, 60), 1))
    job = Job("strap", (Hide("S", "side", oblong(1200, 500)),), pieces, Policy(), "fill")
    bank = build_bank(job)
    scene = SceneOf(HideTable(job, job.hides[0], bank, 4), 4)
    strap = scene.add(bank.variants[0], 0, 600.0, 250.0, 0.0)
    patch = scene.add(bank.variants[1], 0, 600.0, 250.0, 0.0)
    felt = []
    for x in np.linspace(150.0, 1050.0, 61):
        for y in (294.0, 285.0, 275.0):
            kernels.set_down(scene.state, patch, 1, float(x), y, 0.0)
            kernels.feel_all(scene.state)
            felt.append(float(scene.state.pain[strap, patch]))
    shallow, deep, deeper = np.reshape(felt, (-1, 3)).T
    assert np.all(deep > shallow) and np.all(deeper > deep)
    assert deeper.min() > 0.3 * deeper.max(), "no place is felt far less than another"


def test_no_turn_is_tried_that_the_grain_forbids() -> None:
    job = read_job(json.dumps(jobs.everything(grain_school="local")))
    table = HideTable(job, job.hides[0], build_bank(job), 8)
    s = SceneOf(table, 4).state
    lines, _ = table.lines(next(iter(table.grounds.values())).fair)
    seed = np.array([7], np.uint64)
    tried = 0
    for variant in table.bank.variants:
        for _ in range(60):
            x, y, turn, pain = kernels.seek(s, 0, variant.index, 6, 0, seed)
            if pain >= NEVER or grain.any_way(variant.piece, job.policy):
                continue
            row, col = (
                int((at - low) / CELL_MM + 0.5)
                for at, low in zip((y, x), s.grounds.origin[::-1], strict=True)
            )
            line = lines[s.lines[row, col]]
            off = grain.off_axis_deg(
                grain.axis_deg(variant.piece.grain, math.degrees(turn), variant.mirrored),
                line,
                variant.piece.grain.reversible,
            )
            assert off <= variant.piece.grain.tolerance_deg + 1e-6, (variant.piece.id, line)
            turns = grain.fair_turns(variant.piece, line, variant.mirrored, job.policy)
            held = math.degrees(kernels.held(s, variant.index, x, y, turn + 1.0))
            plain = grain.turn_within(math.degrees(turn + 1.0), turns)
            assert (held - plain + 180.0) % 360.0 - 180.0 == pytest.approx(0.0, abs=1e-6)
            tried += 1
    assert tried > 100


def test_overlaps_are_driven_out_and_pinned_pieces_stay() -> None:
    job = read_job(
        json.dumps(
            jobs.everything(
                gap=0.0, pieces=[jobs.piece("panel", jobs.rectangle(120, 80), 6, max_tightness=3)]
            )
        )
    )
    table = HideTable(job, job.hides[0], build_bank(job), 8)
    scene = SceneOf(table, 8)
    for n in range(6):
        scene.add(table.bank.variants[0], n, 400.0 + 5 * n, 100.0 + 3 * n, 0.0, fixed=n == 0)
    s = scene.state
    s.least[:] = (math.inf, 0.0)
    assert kernels.feel_all(s) > 0.0
    left, _ = kernels.separate(s, 300, 200, 20, 20, np.array([5], np.uint64))
    assert left == 0.0
    assert (s.pose[0, 0], s.pose[0, 1]) == (400.0, 100.0)
    placements = tuple(replace(table.placement(lying), copy=lying.copy) for lying in scene.lying())
    written = write_lay(Lay(placements))
    assert [
        b
        for b in referee.broken(
            jobs.everything(
                gap=0.0, pieces=[jobs.piece("panel", jobs.rectangle(120, 80), 6, max_tightness=3)]
            ),
            written,
        )
        if b[0] != "unsound flaw"
    ] == []


def test_a_scene_comes_back_as_it_was() -> None:
    _, work = laid(jobs.everything())
    scene = SceneOf(work.tables[0], 60)
    kept, pose = scene.snapshot(), scene.state.pose.copy()
    for slot in list(scene.items)[:4]:
        scene.take(slot)
    scene.add(work.bank.variants[0], 9, 100.0, 100.0, 0.3)
    scene.back_to(kept)
    assert scene.items == kept.items
    assert np.array_equal(scene.state.pose[list(kept.items)], pose[list(kept.items)])
    assert kernels.feel_all(scene.state) == 0.0


@pytest.mark.parametrize("school", ["backbone", "local"])
def test_refilling_keeps_every_rule_and_never_loses_a_piece(school: str) -> None:
    asked = jobs.everything(grain_school=school)
    asked["pieces"][3]["quantity"] = 12
    job, work = laid(asked)
    search = Refill(work.tables[0], pool_of(job, work), np.random.default_rng(2), lambda: False)
    before, total = search.value, sum(p.quantity for p in job.pieces)
    for k in range(40):
        search.attempt(1.0 - k / 40)
        assert len(search.table.lying) + sum(len(c) for c in search.pool.values()) == total
        names = [(lying.variant.piece.id, lying.copy) for lying in search.table.lying.values()]
        assert len(set(names)) == len(names)
        assert search.value == pytest.approx(
            sum(lying.variant.area_mm2 * lying.variant.piece.value for lying in search.table.lying.values())
        )
        assert referee.broken(asked, write_lay(Lay(tuple(search.table.placements())))) == []
    assert search.best.value >= before


def test_refilling_leaves_held_and_fixed_pieces() -> None:
    asked = jobs.everything(
        fixed=[
            {
                "piece": "seat",
                "copy": 1,
                "hide": "Q-1",
                "x": 60.0,
                "y": 40.0,
                "rotation_deg": 0.0,
                "mirrored": False,
            }
        ]
    )
    job, work = laid(asked)
    table = work.tables[0]
    held = {slot for slot, lying in table.lying.items() if lying.variant.piece.id == "vent"}
    stay = {slot: lying.spot for slot, lying in table.lying.items() if slot in held or lying.fixed}
    search = Refill(table, pool_of(job, work), np.random.default_rng(3), lambda: False, held)
    for _ in range(30):
        search.attempt(1.0)
    assert stay and all(table.lying[slot].spot == spot for slot, spot in stay.items())


def test_sums_tell_exactly_where_pieces_overlap() -> None:
    hook = [[0, 0], [150, 0], [150, 40], [50, 40], [50, 120], [0, 120]]
    star = [[0, 0], [60, 25], [120, 0], [90, 60], [120, 130], [60, 95], [0, 130], [30, 60]]
    asked = jobs.everything(
        gap=0.0,
        hides=[{"id": "L-1", "kind": "roll", "width": 600.0, "edge_margin": 0.0, "cost_per_m2": 10.0}],
        objective="order",
        pieces=[
            jobs.piece(name, ring, 4, grain={"axis_deg": 0, "tolerance_deg": 0, "reversible": True})
            for name, ring in (("hook", hook), ("star", star))
        ],
    )
    job = read_job(json.dumps(asked))
    table = HideTable(job, job.hides[0], build_bank(job), 4)
    scene = SceneOf(table, 2)
    s = scene.state
    assert s.sums.on[0] == 1
    rng = np.random.default_rng(4)
    first, second = (scene.add(table.bank.variants[n], 0, 0.0, 0.0, 0.0) for n in (0, 1))
    met = 0
    for k in range(600):
        v, w = (int(n) for n in rng.integers(0, 2, 2))
        turns = rng.integers(0, 2, 2) * math.pi
        x, y = 300.0 + rng.normal(0, 80, 2)
        kernels.set_down(s, first, v, 300.0, 300.0, turns[0])
        kernels.set_down(s, second, w, x, y, turns[1])
        kernels.feel(s, second)
        by_sums = summed_pain(s, s.state[first], 300.0, 300.0, s.state[second], x, y)
        assert (by_sums > 0.0) == (s.pain[first, second] > 0.0), (k, v, w, x, y)
        met += by_sums > 0.0
    assert 100 < met < 500


def test_the_cells_of_a_kind_are_those_with_room_for_its_largest_circle() -> None:
    job = read_job(json.dumps(jobs.everything(hides=[jobs.side("Q-1"), jobs.side("Q-2", flaws=[])])))
    bank = build_bank(job)
    tables = [HideTable(job, hide, bank, 4) for hide in job.hides]
    s = SceneOf(tables, 2, ()).state
    cols = s.lines.shape[1]
    for v in bank.variants:
        x, y, r = s.bodies.circles[s.bodies.circle_at[v.index * BODIES]]
        least = r - SLACK_MM - math.hypot(x, y)
        field = s.grounds.field[s.fair_of[v.index]]
        for h in range(2):
            first, count = s.cell_at[v.index, h]
            told = s.cells[first : first + count]
            room = field[told // cols, told % cols]
            assert len(set(told.tolist())) == count and np.all(s.hide_of[told % cols] == h)
            assert np.all(room > least - 0.26) and np.all(np.diff(room) < 0.26)
            assert count >= int(((field >= least) & (s.hide_of == h)).sum()) > 0


def test_no_sums_are_made_of_outlines_with_too_many_inner_corners() -> None:
    star = [
        [50 + r * math.cos(a), 50 + r * math.sin(a)]
        for a, r in zip(np.arange(90) / 90 * math.tau, [40, 50] * 45, strict=True)
    ]
    gear = [[round(x, 2), round(y, 2)] for x, y in star]
    for count, on in ((2, 1), (9, 0)):
        asked = jobs.everything(
            gap=0.0,
            pieces=[
                jobs.piece(f"gear-{k}", gear, 2, grain={"axis_deg": 0, "tolerance_deg": 0})
                for k in range(count)
            ],
        )
        job = read_job(json.dumps(asked))
        scene = SceneOf(HideTable(job, job.hides[0], build_bank(job), 4), 2, ())
        assert scene.state.sums.on[0] == on


def test_a_piece_goes_in_where_others_are_pushed_aside() -> None:
    side = {"id": "Q-1", "kind": "side", "outline": [[0, 0], [300, 0], [300, 100], [0, 100]]}
    asked = jobs.everything(
        gap=0.0,
        hides=[{**side, "edge_margin": 0.0, "cost_per_m2": 10.0, "zones": [], "flaws": []}],
        pieces=[
            jobs.piece("panel", jobs.rectangle(100, 98), 2, grain={"axis_deg": 0, "tolerance_deg": 2}),
            jobs.piece("tab", jobs.rectangle(90, 95), 1, grain={"axis_deg": 0, "tolerance_deg": 2}),
        ],
    )
    job = read_job(json.dumps(asked))
    table = HideTable(job, job.hides[0], build_bank(job), 8)
    panel, tab = table.bank.variants
    for n, x in enumerate((85.0, 215.0)):
        table.put(Lying(panel, n, Spot(0, x, 50.0, 0.0, 0.0)))
    before = dict(table.lying)
    worth = {v.index: v.area_mm2 for v in table.bank.variants}
    trade = Squeeze(table, worth, set(), np.random.default_rng(1), lambda: False)
    trade.most_gain = worth[tab.index] + 1.0
    went = next(t for _ in range(200) if (t := trade.attempt({tab.index: [0]}, 1.0)) and not t.out)
    assert table.lying == before
    lay = Lay(tuple(table.placement(lying) for lying in went.lying.values()))
    assert len(lay.placements) == 3 and went.came == ((tab.index, 0),)
    assert referee.broken(asked, write_lay(lay)) == []
    held = Squeeze(table, worth, set(table.lying), np.random.default_rng(1), lambda: False)
    held.most_gain = trade.most_gain
    assert not any(held.attempt({tab.index: [0]}, 1.0) for _ in range(20))


def test_a_roll_gets_shorter_and_stays_fair() -> None:
    roll = {"id": "L-1", "kind": "roll", "width": 420.0, "edge_margin": 5.0, "cost_per_m2": 10.0}
    hook = [[0, 0], [150, 0], [150, 40], [50, 40], [50, 120], [0, 120]]
    asked = jobs.everything(
        gap=0.0,
        hides=[roll],
        objective="order",
        pieces=[jobs.piece("hook", hook, 10, grain={"axis_deg": 0, "tolerance_deg": 3})],
    )
    _, work = laid(asked)
    table = work.tables[0]
    before = table.extent()
    search = Shorten(table, np.random.default_rng(1), lambda: False)
    gained = [search.attempt(0.1) for _ in range(20)]
    lay = Lay(tuple(table.placement(lying) for lying in search.best))
    assert referee.broken(asked, write_lay(lay)) == []
    after = max(
        place_region(work.bank.of_piece["hook"][0].piece.region, p.at).bounds[2] for p in lay.placements
    )
    assert before is not None and after <= before[1] + 0.1
    assert any(gained) and after < before[1]
    # A lay from elsewhere that is longer than what is being tried is begun from later, a shorter one at once.
    shown, end = search.scene, search.end
    search.take_over(search.best, end + 1.0)
    assert search.scene is shown and search.end == end
    search.take_over(search.best, end - 1.0)
    assert search.scene is not shown
    assert {i: v.variant.area_mm2 for i, v in search.scene.items.items()} == search.area
    for _ in range(100):
        search.attempt(0.9)
    assert search.length <= after + 0.1
    assert referee.broken(asked, write_lay(Lay(tuple(table.placement(lying) for lying in search.best)))) == []


@pytest.mark.parametrize(
    ("objective", "matched"), [("fill", False), ("order", True), ("sets", True), ("sets", False)]
)
def test_longer_searches_are_fair_and_no_worse(objective: str, matched: bool) -> None:
    asked = jobs.sets(6, objective=objective, match_sets=["stool"] if matched else [])
    asked["pieces"].append(jobs.piece("tab", jobs.rectangle(45, 20), 60))
    worths = []
    for steps in (1, 9):
        ticks = itertools.count()
        lay = lay_job(
            read_job(json.dumps(asked)), lambda ticks=ticks: float(next(ticks)), seconds=1e9, steps=steps
        )
        assert referee.broken(asked, write_lay(lay)) == []
        worths.append(lay.history[-1].measure)
        assert [b.measure for b in lay.history] == sorted(b.measure for b in lay.history)
    assert worths[1] >= worths[0]
