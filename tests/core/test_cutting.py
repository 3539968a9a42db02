"""From a lay to the bench: every edge cut once and no piece cut into, pieces placed by tape, files and prints
that measure what they should, and what is left over.
"""

from __future__ import annotations

import io
import itertools
import json
from dataclasses import replace
from functools import lru_cache

import ezdxf
import numpy as np
import pypdf
import pytest
import shapely
from hypothesis import HealthCheck, example, given, settings
from hypothesis import strategies as st
from shapely.geometry import LineString, Polygon, box
from shapely.ops import unary_union

from fairlay.core.capture.grid_page import MARGIN_MM
from fairlay.core.cutting.cuts import Pieces
from fairlay.core.cutting.left_over import SizeRule, account_of_cut, left_over
from fairlay.core.cutting.pace import pace_of
from fairlay.core.cutting.plan import Bench, CutPlan, cut_plan, ground_of_block, tool_for
from fairlay.core.cutting.plotted import plot_lines
from fairlay.core.cutting.sides import radius_mm, sides_of
from fairlay.core.cutting.tape import laid_by, placing_table, words_of
from fairlay.core.engine import lay_job
from fairlay.core.errors import BadLay, BadShape
from fairlay.core.formats.docket_pdf import DocketRow, Label, docket_pdf, labels_pdf, lay_print_pdf
from fairlay.core.formats.dxf import cuts_dxf
from fairlay.core.formats.exchange import read_job, read_lay, write_job, write_lay
from fairlay.core.formats.hpgl import read_hpgl, write_hpgl
from fairlay.core.lay import Job, Lay, Placement
from fairlay.core.pattern.drawn import DrawnMark
from fairlay.core.shapes.placing import place_region
from fairlay.devices.plotter import SimulatedPlotter
from tests import jobs, referee
from tests.core.test_random_jobs import grown
from tests.effort import tried

SLOW = settings(deadline=None, suppress_health_check=[HealthCheck.too_slow], max_examples=tried(8, 120))


@lru_cache(maxsize=40)
def _laid(seed: int) -> tuple[Job, Lay]:
    job = read_job(json.dumps(grown(seed, 1, "fill")), sizes_are_right=True)
    clock = itertools.count()
    return job, lay_job(job, lambda: float(next(clock)), seconds=1e9, steps=2)


def _butted() -> tuple[Job, tuple[Placement, ...]]:
    """Six cards in two rows of three, edge to edge, and a disc apart."""
    turn = np.linspace(0, 2 * np.pi, 48, endpoint=False)
    disc = (30 + 30 * np.column_stack([np.cos(turn), np.sin(turn)])).tolist()
    values = jobs.everything(gap=0.0, hides=[jobs.side(flaws=[], zones=[])])
    values["pieces"] = [jobs.piece("card", jobs.rectangle(100, 60), 6), jobs.piece("disc", disc, 1)]
    job = read_job(json.dumps(values))
    at = [(100 + 100 * k, 60 + 60 * r) for r in range(2) for k in range(3)]
    raw = {
        "format": "fairlay.lay/1",
        "placements": [
            *({"piece": "card", "copy": n, "hide": "Q-1", "x": x, "y": y} for n, (x, y) in enumerate(at)),
            {"piece": "disc", "copy": 0, "hide": "Q-1", "x": 500, "y": 200},
        ],
    }
    return job, read_lay(json.dumps(raw)).placements


def _plan(job: Job, lay: Lay) -> CutPlan:
    return cut_plan(job, job.hides[0], lay.placements, {})


@SLOW
@given(st.integers(0, 10**6))
def test_every_edge_is_cut_once_no_piece_is_cut_into_and_all_come_free(seed: int) -> None:
    job, lay = _laid(seed % 400)
    plan = _plan(job, lay)
    strokes = [s for step in plan.steps for s in step.strokes]
    numbers = [c.number for s in strokes for c in s.cuts]
    assert sorted(numbers) == sorted(c.number for c in plan.cuts) and len(set(numbers)) == len(numbers)
    pieces = Pieces(job, lay.placements)
    assert not any(pieces.crossed_by(s.line) for s in strokes)
    shapes = [place_region(job.pieces_by_id[p.piece].region, p.at) for p in lay.placements]
    cover = unary_union([LineString(c.line).buffer(0.5) for c in plan.cuts])
    assert all(s.boundary.difference(cover).length < 0.5 for s in shapes)
    around = sum(s.length for s in shapes)
    assert plan.cut_mm + plan.saved_mm == pytest.approx(around, rel=2e-3, abs=2.0)
    freed = [key for step in plan.steps for key in step.frees]
    assert sorted(freed) == sorted((p.piece, p.copy) for p in lay.placements)
    done: set[int] = set()
    for step in plan.steps:
        done |= {c.number for s in step.strokes for c in s.cuts}
        for key in step.frees:
            assert {c.number for c in plan.cuts if key in c.pieces} <= done, "free only once all round is cut"


def test_butted_cards_share_their_cuts_and_long_ones_are_one_stroke() -> None:
    job, placements = _butted()
    plan = _plan(job, Lay(placements))
    assert plan.saved_mm == pytest.approx(4 * 60 + 3 * 100, abs=1)
    strokes = [s for step in plan.steps for s in step.strokes]
    lengths = sorted(round(s.length_mm) for s in strokes if s.straight)
    assert lengths == [120, 120, 120, 120, 300, 300, 300]
    disc = next(s for s in strokes if not s.straight)
    assert disc.cuts[0].closed and not any(disc.short) and tool_for(disc, Bench()) == "short blade"
    gone = frozenset({("card", 0)})
    rest = cut_plan(job, job.hides[0], placements, {}, cut=gone)
    assert all(("card", 0) not in c.pieces for step in rest.steps for s in step.strokes for c in s.cuts)
    assert ("card", 0) not in {step.piece for step in rest.steps}


def test_a_knife_stops_short_of_leather_that_is_wanted() -> None:
    job, placements = _butted()
    moved = (placements[0], replace(placements[4], at=replace(placements[4].at, x=150.0, y=120.0)))
    plan = _plan(job, Lay(moved))
    short = [s for step in plan.steps for s in step.strokes if any(s.short)]
    assert short and any("stop short" in w for step in plan.steps for w in step.cautions)


def test_straps_go_first_or_last_and_smalls_at_the_end() -> None:
    values = jobs.everything(gap=0.0, hides=[jobs.side(flaws=[], zones=[])])
    values["pieces"] = [p for p in values["pieces"] if p["id"] in ("seat", "strap", "washer")]
    job = read_job(json.dumps(values))
    clock = itertools.count()
    lay = lay_job(job, lambda: float(next(clock)), seconds=1e9, steps=2)
    for school, first in (("straps first", True), ("straps last", False)):
        plan = cut_plan(job, job.hides[0], lay.placements, {}, Bench(school=school))  # type: ignore[arg-type]
        names = [step.piece[0] for step in plan.steps]
        assert ("strap" in names[:2]) == first
        assert names.index("seat") < names.index("washer")
    die = cut_plan(job, job.hides[0], lay.placements, {"seat": "die", "strap": "strap cutter"})
    seat = next(s for s in die.steps if s.piece[0] == "seat")
    assert seat.tools == ("die and press",) and seat.passes == 1 and "both hands clear" in seat.cautions[0]
    strap = next(s for s in die.steps if s.piece[0] == "strap")
    assert "strap cutter, from the trued edge" in strap.tools
    assert strap.cautions[0] == "nick its tail end 25 mm in, 22 mm from the trued edge"
    slow = cut_plan(job, job.hides[0], lay.placements, {}, Bench(pace=2.0))
    assert slow.minutes == pytest.approx(2 * cut_plan(job, job.hides[0], lay.placements, {}).minutes)


def test_blocks_fit_the_mat_and_part_no_piece() -> None:
    job, placements = _butted()
    plan = cut_plan(job, job.hides[0], placements, {}, Bench(mat_mm=(220.0, 150.0)))
    assert sorted(k for block in plan.blocks for k in block) == sorted((p.piece, p.copy) for p in placements)
    shapes = {(p.piece, p.copy): place_region(job.pieces_by_id[p.piece].region, p.at) for p in placements}
    hulls = [box(*unary_union([shapes[k] for k in block]).bounds) for block in plan.blocks]
    assert len(hulls) >= 3
    assert all(a.intersection(b).area < 1 for a, b in itertools.combinations(hulls, 2))
    assert all(max(h.bounds[2] - h.bounds[0], h.bounds[3] - h.bounds[1]) <= 220 for h in hulls)


@SLOW
@given(st.integers(0, 10**6))
def test_blocks_of_any_lay_fit_the_mat_and_cut_into_no_other_piece(seed: int) -> None:
    job, lay = _laid(seed % 400)
    plan = cut_plan(job, job.hides[0], lay.placements, {}, Bench(mat_mm=(260.0, 190.0)))
    shapes = {(p.piece, p.copy): place_region(job.pieces_by_id[p.piece].region, p.at) for p in lay.placements}
    assert sorted(k for block in plan.blocks for k in block) == sorted(shapes)
    for block in plan.blocks:
        ground = ground_of_block(job, lay.placements, block)
        assert all(ground.buffer(0.2).covers(shapes[k]) for k in block)
        for k, shape in shapes.items():
            met = shapely.intersection(ground, shape, grid_size=1e-4).area
            assert k in block or met < 0.1 * shape.length, "no deeper than pieces run into each other"
        x0, y0, x1, y1 = unary_union([shapes[k] for k in block]).bounds
        assert len(block) == 1 or (max(x1 - x0, y1 - y0) <= 260.1 and min(x1 - x0, y1 - y0) <= 190.1)


def test_sides_are_told_from_curves_by_their_shape() -> None:
    turn = np.linspace(0, 2 * np.pi, 64, endpoint=False)
    disc = 200 * np.column_stack([np.cos(turn), np.sin(turn)])
    assert [s.closed for s in sides_of(disc)] == [True]
    card = np.asarray(box(0, 0, 180, 120).buffer(-10).buffer(10, quad_segs=8).exterior.coords)[:-1]
    sides = sides_of(card)
    assert [s.straight for s in sides].count(True) == 4 == [s.straight for s in sides].count(False)
    assert all(radius_mm(s.line) == pytest.approx(10, rel=0.03) for s in sides if not s.straight)
    assert all(np.allclose(a.line[-1], b.line[0], atol=0.2) for a, b in itertools.pairwise(sides))


@SLOW
@given(st.integers(0, 10**6))
def test_what_is_laid_by_tape_alone_is_fair(seed: int) -> None:
    job, lay = _laid(seed % 400)
    hide, plan = job.hides[0], _plan(job, lay)
    lies = {(p.piece, p.copy): p for p in lay.placements}
    rows, laid = placing_table(job, hide, [lies[s.piece] for s in plan.steps], plan.cuts)
    assert laid_by(job, hide, rows) == laid, "the table says all there is to say"
    assert referee.broken(write_job(job), write_lay(Lay(tuple(laid)))) == []
    for row, p in zip(rows, laid, strict=True):
        was = lies[row.key]
        assert np.hypot(p.at.x - was.at.x, p.at.y - was.at.y) < 8
        values = [row.x, row.y, row.far] if row.how == "tape" else [row.slide]
        if not row.fine:
            assert all(abs(v - round(v)) < 1e-9 for v in values), "whole millimetres, as a tape shows them"
        assert any(w in words_of(row, hide, {}) for w in ("mm", "stops", "level with"))


def test_butted_cards_are_placed_by_butting() -> None:
    job, placements = _butted()
    plan = _plan(job, Lay(placements))
    rows, _ = placing_table(job, job.hides[0], placements, plan.cuts)
    assert [r.how for r in rows].count("butt") == 5
    assert "butt it to" in words_of(rows[1], job.hides[0], {("card", 0): "card 1"})


def test_a_plotter_draws_the_lay_from_its_file() -> None:
    job, placements = _butted()
    fold = DrawnMark("fold", "line", np.array([[10.0, 30.0], [90.0, 30.0]]))
    card = replace(job.pieces[0], marks=(fold,))
    job = replace(job, pieces=(card, job.pieces[1]))
    plan, (x0, y0, _, y1) = _plan(job, Lay(placements)), job.hides[0].region.bounds
    lines = plot_lines(job, placements, plan)
    assert [k for k, _ in itertools.groupby(line.layer for line in lines)] == ["crease", "cut"]
    plotter = SimulatedPlotter(y1)
    plotter.draw(write_hpgl(lines, y1))
    assert len(plotter.paper) == len(lines)
    for drawn, line in zip(plotter.paper, lines, strict=True):
        assert drawn.layer == line.layer and np.abs(drawn.points - line.points).max() < 0.02
    shapes = [place_region(job.pieces_by_id[p.piece].region, p.at) for p in placements]
    cut = unary_union([LineString(d.points).buffer(0.1) for d in plotter.drawn("cut")])
    assert all(s.boundary.difference(cut).length < 0.1 for s in shapes)
    doc = ezdxf.read(io.StringIO(cuts_dxf(job.hides[0], lines)))  # type: ignore[attr-defined]
    dxf = list(doc.modelspace().query("LWPOLYLINE"))
    assert [e.dxf.layer for e in dxf] == [line.layer.upper() for line in lines]
    first = np.array([(x + x0, y0 - y) for x, y, *_ in dxf[-1].get_points()])
    assert np.abs(first - lines[-1].points).max() < 0.01
    for wrong, words in (("hello", "no HPGL"), ("IN;SP7;PU0,0;PD40,40;", "pen 7")):
        with pytest.raises(BadShape, match=words):
            read_hpgl(wrong, 100.0)


def _texts(pdf: bytes) -> list[str]:
    return [page.extract_text() for page in pypdf.PdfReader(io.BytesIO(pdf)).pages]


def test_the_docket_numbers_the_pieces_and_says_what_to_mind() -> None:
    job, placements = _butted()
    plan = _plan(job, Lay(placements))
    rows = [
        DocketRow(s.number, f"Card {s.piece[1] + 1}", ", ".join(s.tools), "butt it", s.passes, "")
        for s in plan.steps
    ]
    pdf = docket_pdf(
        job, job.hides[0], placements, plan, rows, ["Chair 1: 6 cards"], "B-30", "http://x/cut/1"
    )
    first, *rest = _texts(pdf)
    assert "Q-1  B-30" in first and "Strop" in first and all(str(n) in first for n in range(1, 8))
    assert "Card 3" in rest[0] and "Chair 1" in rest[-1]
    many = [replace(r, number=k) for k, r in enumerate(rows * 30)]
    assert len(_texts(docket_pdf(job, job.hides[0], placements, plan, many, [], "B-30", "x"))) > 4
    assert (
        "Camp chair 3"
        in _texts(labels_pdf([Label("Camp chair 3", ("Back, rev. B", "hide Q-1"), "x")] * 30))[1]
    )
    with pytest.raises(BadLay, match="no labels"):
        labels_pdf([])


@pytest.mark.parametrize("flesh", [False, True])
def test_a_print_at_true_size_measures_true(flesh: bool) -> None:
    job, placements = _butted()
    lines = plot_lines(job, placements, _plan(job, Lay(placements)))
    sheet = pypdf.PdfReader(io.BytesIO(lay_print_pdf(job.hides[0], lines, "B-30", paper="roll", flesh=flesh)))
    x0, y0, x1, _ = job.hides[0].region.bounds
    w, _ = (float(v) * 25.4 / 72 for v in sheet.pages[0].mediabox.upper_right)
    assert w == pytest.approx(x1 - x0 + 2 * MARGIN_MM, abs=0.1)
    content = sheet.pages[0].get_contents()
    assert content is not None
    text = content.get_data().decode("latin-1").split()
    at = [
        (float(text[i - 2]) * 25.4 / 72, float(text[i - 1]) * 25.4 / 72)
        for i, t in enumerate(text)
        if t in "ml" and i > 1
    ]
    corner = (100.0 - x0, 60.0 - y0)
    wanted = ((x1 - x0 - corner[0]) if flesh else corner[0]) + MARGIN_MM
    assert min(abs(x - wanted) for x, _ in at) < 0.1
    tiled = pypdf.PdfReader(io.BytesIO(lay_print_pdf(job.hides[0], lines, "B-30", paper="A3", flesh=flesh)))
    assert (len(tiled.pages) == 6 and "mirrored" in tiled.pages[0].extract_text()) or not flesh
    with pytest.raises(BadLay, match="no paper"):
        lay_print_pdf(job.hides[0], lines, "x", paper="B9")


@SLOW
@example(135)
@given(st.integers(0, 10**6))
def test_what_is_left_and_where_it_went_add_up(seed: int) -> None:
    job, lay = _laid(seed % 400)
    hide = job.hides[0]
    shapes = [place_region(job.pieces_by_id[p.piece].region, p.at) for p in lay.placements]
    parts = left_over(hide, shapes, SizeRule(0.01, 60.0))
    assert all(p.ground.intersection(s).area < 1 for p in parts for s in shapes)
    assert all(hide.region.buffer(0.1).covers(p.ground) for p in parts)
    for p in parts:
        wide, wider = (not p.ground.buffer(-r).is_empty for r in (29.5, 30.5))
        assert p.ground.area >= 1e4 and wide if p.keep else p.ground.area < 1e4 or not wider
    kept = [p.ground for p in parts if p.keep]
    told = account_of_cut(job, hide, shapes[1:], shapes[:1], kept)
    assert told.good_m2 + told.spoilt_m2 + told.kept_m2 + told.scrap_m2 == pytest.approx(
        told.whole_m2, abs=1e-8
    )
    assert told.scrap_m2 >= -1e-9 and sum(told.waste.values()) == pytest.approx(told.scrap_m2, abs=1e-6)
    assert min(told.waste.values()) >= 0 and "between" in told.waste
    assert told.pieces_m2 == pytest.approx(told.good_m2 + told.spoilt_m2, abs=1e-4)


def test_a_narrow_strip_is_scrap_and_a_block_is_kept() -> None:
    job, _ = _butted()
    hide = replace(job.hides[0], outline=np.array(jobs.rectangle(800, 400)))
    taken = [Polygon(jobs.rectangle(400, 400)), box(400, 0, 780, 380)]
    assert [(p.keep, p.why) for p in left_over(hide, taken)] == []
    block = left_over(hide, [Polygon(jobs.rectangle(400, 400))])
    assert [p.keep for p in block] == [True]
    assert left_over(hide, [box(0, 0, 720, 400)], SizeRule(0.01, 90))[0].why == "nowhere 90 mm wide"


def test_the_shops_pace_is_learned_slowly_and_not_from_breaks() -> None:
    assert pace_of([]).pace == 1.0 and pace_of([[(0.0, 30.0)]]).pieces == 0
    few = pace_of([[(60.0 * k, 30.0) for k in range(4)]])
    assert few.pieces == 3 and few.pace == pytest.approx((3 * 2 + 30) / 33)
    many = pace_of([[(60.0 * k, 30.0) for k in range(400)]])
    assert 1.9 < many.pace < 2.0 and many.low == many.high == 2.0
    breaks = [(0.0, 30.0), (45.0, 30.0), (7000.0, 30.0), (7000.2, 30.0), (7045.2, 30.0)]
    assert pace_of([breaks[::-1]]).pieces == 2 and pace_of([breaks]).true_min == pytest.approx(1.5)
