"""Stitching, margins, articles, their checks, and what changed between revisions."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
import shapely
from hypothesis import given
from hypothesis import strategies as st
from shapely.geometry import Polygon

from fairlay.core.errors import BadPattern, BadShape
from fairlay.core.lay.article_checks import findings, findings_on_rack
from fairlay.core.lay.order import Line, cutlist, job_for, pieces_of_batch
from fairlay.core.leather import Hide
from fairlay.core.pattern.article import (
    Article,
    Seam,
    SeamSide,
    check_article,
    figures_of,
    piece_of,
    seam_figures,
    ways_chosen,
)
from fairlay.core.pattern.by_dimensions import draw
from fairlay.core.pattern.changes import changes, letter
from fairlay.core.pattern.contour import contour_of
from fairlay.core.pattern.cut import cut_region, offset_ring
from fairlay.core.pattern.edges import XY, Run, edges_of, line_of
from fairlay.core.pattern.marks import drawn_marks, stitches_of
from fairlay.core.pattern.needs import STARTS, start_named, with_start
from fairlay.core.pattern.pattern import EdgeMargin, Mark, Needs, Pattern, SeamLine, check_pattern, slug_of
from fairlay.core.pattern.stitching import lay_out
from fairlay.core.rules import Policy
from fairlay.demo import sides
from fairlay.demo.patterns import BODY, LINING, STRAP, articles, camp_chair, log_sling, mitt, stove_mitt

BOX = contour_of([(0, 0), (100, 0), (100, 60), (0, 60)])
FIRM = start_named("show panel").needs


def piece(name: str = "Flap", **more: object) -> Pattern:
    return Pattern(
        **{
            "slug": name.lower().replace(" ", "-") or "x",
            "name": name,
            "material": BODY,
            "each": 1,
            "contour": BOX,
            "needs": FIRM,
            **more,
        }
    )  # type: ignore[arg-type]


def article(*pieces: Pattern, **more: object) -> Article:
    return Article("trial", "Trial", pieces=pieces, **more)  # type: ignore[arg-type]


@given(st.floats(20, 900), st.floats(2, 8), st.sampled_from(["nearest", "ease"]))
def test_stitches_begin_and_end_on_the_run_and_are_even(run: float, pitch: float, spacing: str) -> None:
    laid = lay_out(np.array([[0.0, 0.0], [run, 0.0]]), False, pitch, spacing)  # type: ignore[arg-type]
    x = laid.holes[:, 0]
    assert (
        x[0] == pytest.approx(0)
        and x[-1] == pytest.approx(run)
        and laid.stitches == len(x) - 1 == laid.legs[0].stitches
    )
    steps = np.diff(x)
    assert steps.min() > 0 and np.abs(steps - pitch).max() <= pitch / 2 + 1e-6
    if spacing == "nearest":
        assert np.ptp(steps) < 1e-6
    else:
        assert (np.abs(steps - pitch) > 1e-6).sum() <= 6


@pytest.mark.parametrize(
    ("run", "pitch", "divides", "words"),
    [
        (80.0, 4.0, True, "20 stitches over 80 mm: a pitch of 4 mm divides it evenly"),
        (83.0, 4.0, False, "1.0 mm short.*set even at 3.95 mm"),
        (81.5, 4.0, False, "1.5 mm over.*set even at 4.08 mm"),
        (40.1, 4.0, True, "divides"),
    ],
)
def test_whether_a_pitch_divides_the_run_is_said(run: float, pitch: float, divides: bool, words: str) -> None:
    import re

    laid = lay_out(np.array([[0.0, 0.0], [run, 0.0]]), False, pitch)
    assert laid.divides == divides and re.search(words, laid.says), laid.says


def test_corners_and_steps_get_a_hole_and_the_nearest_pitch_serves_all_runs() -> None:
    p = piece(
        marks=(Mark("s", "stitch", offset_mm=5, pitch_mm=4), Mark("p", "place", piece="tab", at=XY(40, -5)))
    )
    tab = piece("Tab", contour=contour_of([(0, 0), (20, 0), (20, 20), (0, 20)]))
    laid = stitches_of(p, p.marks[0], {"tab": tab})
    for corner in ((5, 5), (95, 5), (95, 55), (5, 55), (40, 5), (60, 5)):
        assert np.hypot(*(laid.holes - corner).T).min() < 0.01
    assert len(laid.legs) == 6 and laid.run_mm == pytest.approx(280)
    plain = stitches_of(p, p.marks[0])
    assert len(plain.legs) == 4 and plain.nearest_pitch_mm == pytest.approx(
        3.6, abs=0.01
    )  # 25 of them make 90, 14 make 50.4

    def worst(pitch: float) -> float:
        return max(abs(leg.length_mm - round(leg.length_mm / pitch) * pitch) for leg in plain.legs)

    assert worst(plain.nearest_pitch_mm) < 0.5 < worst(4) == pytest.approx(2)
    for bad in (0.5, 50):
        with pytest.raises(BadPattern, match="a pitch of"):
            lay_out(np.array([[0.0, 0.0], [100.0, 0.0]]), False, bad)
    with pytest.raises(BadPattern, match="at least one stitch"):
        lay_out(np.array([[0.0, 0.0], [2.0, 0.0]]), False, 4)


def test_margins_all_round_and_at_one_end() -> None:
    assert cut_region(piece(margin_mm=5)).bounds == (-5, -5, 105, 65)
    end = Run(XY(100, 0), XY(100, 60))
    cut = cut_region(piece(edge_margins=(EdgeMargin(end, 30),)))
    assert cut.bounds == pytest.approx((0, 0, 130, 60)) and cut.area == pytest.approx(130 * 60)
    both = cut_region(piece(margin_mm=4, edge_margins=(EdgeMargin(end, 30),)))
    assert both.bounds == pytest.approx((-4, -4, 130, 64), abs=0.05)


@given(st.integers(0, 5), st.floats(1, 25))
def test_an_edge_margin_only_adds_and_only_near_its_edge(which: int, mm: float) -> None:
    p = replace(piece(), contour=mitt(262, 124))
    runs = edges_of(p.ring)
    run = runs[which % len(runs)]
    cut = cut_region(replace(p, edge_margins=(EdgeMargin(run, mm),)))
    assert cut.buffer(0.05).covers(p.region)
    line = shapely.LineString(line_of(p.ring, run))
    assert line.buffer(4.2 * mm).buffer(0.1).covers(cut.difference(p.region.buffer(0.05)))


def test_a_drawn_line_is_taken_off_or_added() -> None:
    ring = piece().ring
    assert Polygon(offset_ring(ring, -3)).bounds == pytest.approx((3, 3, 97, 57))
    assert Polygon(offset_ring(ring, 1.5)).bounds == pytest.approx((-1.5, -1.5, 101.5, 61.5))
    with pytest.raises(BadShape, match="falls into 0 parts"):
        offset_ring(ring, -40)


def test_what_will_not_be_seen_is_hidden() -> None:
    cover = piece("Cover", contour=contour_of([(0, 0), (30, 0), (30, 30), (0, 30)]))
    p = piece(
        margin_mm=5,
        needs=replace(FIRM, hidden=(contour_of([(0, 0), (10, 0), (10, 60), (0, 60)]),)),
        marks=(Mark("c", "place", piece="cover", at=XY(60, 10)),),
    )
    laid = piece_of(p, article(p, cover))
    hidden = shapely.union_all([Polygon(h) for h in laid.hidden])
    for inside, is_hidden in (
        ((-3, 30), True),
        ((5, 30), True),
        ((75, 25), True),
        ((50, 50), False),
        ((95, 5), False),
    ):
        assert hidden.contains(shapely.Point(inside)) == is_hidden
    assert laid.area_mm2 == pytest.approx(110 * 70) and laid.show_face.area == pytest.approx(
        100 * 60 - 10 * 60 - 900, rel=0.01
    )
    bare = piece_of(replace(p, marks=(replace(p.marks[0], covers=False),)), article(p, cover))
    assert not shapely.union_all([Polygon(h) for h in bare.hidden]).contains(shapely.Point(75, 25))


def test_a_piece_made_in_two_has_its_allowance_on_both_sides() -> None:
    sling = log_sling()
    cradle = piece_of(sling.by_slug["cradle"], sling)
    (split,) = cradle.splits
    assert [p.id for p in split.parts] == [
        "cradle~middle.a",
        "cradle~middle.b",
    ] and split.penalty_m2 == pytest.approx(0.006)
    assert sum(p.area_mm2 for p in split.parts) == pytest.approx(cradle.area_mm2 + 2 * 10 * 300, rel=1e-3)
    (in_batch,) = [p for p in pieces_of_batch([Line(cutlist(sling), 3)], BODY) if p.id == "log-sling/cradle"]
    assert [p.id for p in in_batch.splits[0].parts] == [
        "log-sling/cradle~middle.a",
        "log-sling/cradle~middle.b",
    ] and in_batch.splits[0].parts[0].quantity == 3
    with pytest.raises(BadPattern, match="does not cross the piece"):
        piece_of(piece(seam_lines=(SeamLine("s", XY(0, 100), XY(50, 100)),)), article(piece()))


def test_a_part_is_made_the_way_that_a_batch_chose() -> None:
    chair = camp_chair()
    usual, other = cutlist(chair), cutlist(chair, (("arm strap", "double, thin"),))
    assert {p.pattern.id for p in usual.pieces} - {p.pattern.id for p in other.pieces} == {"arm-strap"}
    double = next(p for p in other.pieces if p.pattern.id == "arm-strap-double")
    assert double.material == BODY and double.pattern.quantity == 4
    assert (
        figures_of(chair, {"arm strap": "double, thin"}).leather_m2[BODY] > figures_of(chair).leather_m2[BODY]
    )
    with pytest.raises(BadPattern, match=r"cannot be made 'of cloth'.*single, thick, double, thin"):
        ways_chosen(chair, {"arm strap": "of cloth"})


def test_spares_and_tools_come_with_a_piece() -> None:
    tabs = replace(piece("Tab", pair=True, each=2), spare_rate=0.05, tool="die")
    (laid,) = pieces_of_batch([Line(cutlist(article(tabs)), 10)], BODY)
    assert laid.quantity == 22 and laid.per_set == 2
    assert laid.gap_mm == 3.0
    lines = [Line(cutlist(article(tabs, piece("Flap"))), 10)]
    side = Hide("Q-1", "side", np.array([[0.0, 0.0], [900.0, 0.0], [900.0, 400.0], [0.0, 400.0]]))
    for gap, own in ((0.0, 3.0), (1.0, 3.0), (5.0, None)):
        job = job_for("B-1", lines, BODY, [side], Policy(gap), "order")
        assert [p.gap_mm for p in job.pieces] == [own, None] and job.policy.gap_mm == gap


def test_a_seam_is_reckoned_from_the_pieces_that_meet_there() -> None:
    outer = piece(
        "Outer",
        needs=replace(FIRM, least_mm=2, most_mm=3),
        marks=(
            Mark("s", "stitch", run=Run(XY(0, 0), XY(100, 0))),
            Mark("k", "skive", run=Run(XY(0, 0), XY(100, 0)), width_mm=8, left_mm=1.0),
        ),
    )
    inner = piece(
        "Inner",
        needs=replace(FIRM, least_mm=1.2, most_mm=1.2),
        layers=2,
        marks=(Mark("s", "stitch", run=Run(XY(0, 0), XY(100, 0))),),
    )
    a = article(
        outer,
        inner,
        seams=(
            Seam("edge", (SeamSide("outer", "s"), SeamSide("inner", "s")), times=2, factor=4, tail_mm=100),
        ),
    )
    f = seam_figures(a, a.seams[0])
    assert (
        f.run_mm == pytest.approx(94)
        and f.stack_mm == pytest.approx(1.0 + 2.4)
        and f.layers == 3
        and f.thread_mm == pytest.approx(94 * 4 + 200)
    )
    assert figures_of(a).thread_mm == pytest.approx(2 * f.thread_mm, abs=0.1)
    unskived = article(replace(outer, marks=outer.marks[:1]), inner, seams=a.seams)
    assert seam_figures(unskived, a.seams[0]).stack_mm == pytest.approx(2.5 + 2.4)
    with pytest.raises(BadPattern, match="no stitch line 'x' on 'outer'"):
        seam_figures(a, Seam("bad", (SeamSide("outer", "x"),)))


def spoilt() -> list[tuple[str, str, Article]]:
    mitts = stove_mitt()

    def without(*slugs: str, **changed: Pattern) -> Article:
        return replace(
            mitts,
            pieces=tuple(
                changed.get(p.slug.replace("-", "_"), p) for p in mitts.pieces if p.slug not in slugs
            ),
        )

    by = mitts.by_slug
    stitch = Mark("s", "stitch")
    return [
        ("wrong", "a left with no right", article(piece("Arm", pair=True, each=3))),
        ("wrong", "there is no arm right", article(piece("Arm left"))),
        ("wrong", "2 of Arm left and 1 of Arm right", article(piece("Arm left", each=2), piece("Arm right"))),
        (
            "look",
            "is not Arm left turned over",
            article(
                piece("Arm left"),
                piece("Arm right", contour=contour_of([(0, 0), (100, 0), (70, 60), (0, 60)])),
            ),
        ),
        (
            "wrong",
            "Mitt lining is smaller than the Mitt palm it lines, by 8",
            without(mitt_lining=replace(by["mitt-lining"], margin_mm=0, contour=mitt(254, 108))),
        ),
        ("wrong", "lines gone, which is not in", article(piece(lines="gone"))),
        (
            "wrong",
            "runs off the edge for 40 mm",
            article(piece(marks=(Mark("s", "stitch", path=(XY(60, 30), XY(140, 30))),))),
        ),
        (
            "wrong",
            "over a window",
            article(
                piece(
                    windows=(contour_of([(40, 20), (60, 20), (60, 40), (40, 40)]),),
                    marks=(Mark("s", "stitch", path=(XY(10, 30), XY(90, 30))),),
                )
            ),
        ),
        ("wrong", "would tear out", article(piece(marks=(replace(stitch, offset_mm=0.5),)))),
        ("wrong", "no line can run 40 mm inside", article(piece(marks=(replace(stitch, offset_mm=40),)))),
        (
            "wrong",
            "not wholly on the piece",
            article(piece(marks=(Mark("h", "hole", at=XY(99, 30), width_mm=6),))),
        ),
        (
            "wrong",
            "does not cross the piece",
            article(piece(marks=(Mark("f", "fold", path=(XY(200, 0), XY(200, 60))),))),
        ),
        (
            "wrong",
            "is placed on it, which is not in this article",
            article(piece(marks=(Mark("p", "place", piece="gone", at=XY(0, 0)),))),
        ),
        (
            "wrong",
            "joins 94.0 mm of A to 54.0 mm of B: 40.0 mm too little",
            article(
                piece("A", marks=(replace(stitch, run=Run(XY(0, 0), XY(100, 0))),)),
                piece("B", marks=(replace(stitch, run=Run(XY(100, 0), XY(100, 60))),)),
                seams=(Seam("side", (SeamSide("a", "s"), SeamSide("b", "s"))),),
            ),
        ),
        (
            "look",
            "24 and 19 holes do not meet",
            article(
                piece("A", marks=(replace(stitch, run=Run(XY(0, 0), XY(100, 0))),)),
                piece("B", marks=(replace(stitch, run=Run(XY(0, 0), XY(100, 0)), pitch_mm=5),)),
                seams=(Seam("side", (SeamSide("a", "s"), SeamSide("b", "s"))),),
            ),
        ),
        (
            "wrong",
            "Seam side cannot be reckoned",
            article(piece("A"), seams=(Seam("side", (SeamSide("a", "s"),)),)),
        ),
        (
            "wrong",
            "is to be 2 mm after skiving but may be cut from 1.5",
            article(piece(needs=replace(FIRM, least_mm=1.5, skived_mm=2))),
        ),
        ("look", "its needs are not stated", article(piece(needs=Needs()))),
        (
            "look",
            "it will stretch",
            article(piece(contour=draw("strap", {}).contour, needs=start_named("crumb").needs)),
        ),
        ("look", "only 'single' is there", article(piece(part="arm", way="single"))),
        ("look", "has no pieces yet", article()),
    ]


@pytest.mark.parametrize(("level", "words", "found_on"), spoilt(), ids=[w for _, w, _ in spoilt()])
def test_what_would_spoil_a_batch_is_said_plainly(level: str, words: str, found_on: Article) -> None:
    check_article(found_on)
    found = [f for f in findings(found_on) if words in f.says]
    assert len(found) == 1 and found[0].level == level and found[0].do, [f.says for f in findings(found_on)]


def test_the_demo_is_complete_and_fits_its_rack() -> None:
    side = sides.side("F-1", 11, 2280, 1060, 104.0, (7, 5, 3), 2.35)
    bend, roll = (
        sides.cut("B-1", "bend", 32, 1340, 640, 148.0, (3, 2, 1), 1),
        sides.roll("L-1", 1400, 9000, 18.0),
    )
    rack = [(BODY, side), (STRAP, bend), (LINING, roll)]
    for own in articles():
        check_article(own)
        assert findings(own) == (), own.name
        assert [
            f for f in findings_on_rack(own, rack) if f.level == "wrong" and f.piece not in ("back", "seat")
        ] == []


def test_what_no_hide_in_stock_can_hold_is_told() -> None:
    bend = sides.cut("B-1", "bend", 32, 1340, 640, 148.0, (3, 2, 1), 1)
    long = replace(piece("Rein", contour=draw("strap", {"length": 1900}).contour), material=STRAP)
    wide = replace(
        piece("Apron", contour=contour_of([(0, 0), (700, 0), (700, 700), (0, 700)])), material=STRAP
    )
    found = {
        f.piece: f.says for f in findings_on_rack(article(long, wide, piece("Cloth tab")), [(STRAP, bend)])
    }
    assert "1900 mm long; the longest strap leather on the rack runs" in found["rein"]
    assert (
        "No strap leather on the rack can hold Apron" in found["apron"]
        and "no body leather on the rack" in found[""]
    )


@pytest.mark.parametrize(
    ("bad", "words"),
    [
        ({"each": -1}, "-1 in each"),
        ({"margin_mm": -2.0}, "less than nothing"),
        ({"spare_rate": 2.0}, "spare rate of 2"),
        ({"layers": 0}, "0 layers"),
        ({"material": ""}, "no material"),
        ({"needs": Needs(show_limit=3)}, "show limit of 3"),
        ({"needs": Needs(max_tightness=5)}, "loosest tightness 5"),
        ({"needs": Needs(least_mm=3, most_mm=2)}, "thickness from 3 to 2"),
        ({"needs": Needs(skived_mm=0)}, "after skiving"),
        (
            {
                "marks": (
                    Mark("a", "fold", path=(XY(0, 0), XY(1, 1))),
                    Mark("a", "fold", path=(XY(0, 0), XY(1, 1))),
                )
            },
            "same id",
        ),
        ({"marks": (Mark("a", "hole"),)}, "it has no place"),
        ({"marks": (Mark("a", "place", at=XY(0, 0)),)}, "names no piece"),
        ({"marks": (Mark("a", "slot", at=XY(0, 0), length_mm=3, width_mm=5),)}, "3 mm long and 5 mm wide"),
        ({"marks": (Mark("a", "stitch", pitch_mm=0.2),)}, "a pitch of 0.2"),
        ({"windows": (contour_of([(90, 20), (120, 20), (120, 40)]),)}, "hole lies outside"),
    ],
)
def test_a_pattern_that_makes_no_sense_is_refused_by_name(bad: dict[str, object], words: str) -> None:
    with pytest.raises((BadPattern, BadShape), match=words):
        check_pattern(piece(**bad))


def test_a_name_in_any_script_has_a_short_name_of_its_own() -> None:
    assert [slug_of(name) for name in ("Rücken", "Räcken", "Größe 2", "Łata")] == [
        "rucken", "racken", "grosse-2", "lata",
    ]  # fmt: skip
    names = ("背板", "背板 A", "座 A", "Спинка", "Сиденье", "A", "x" * 80)
    slugs = [slug_of(name) for name in names]
    assert len(set(slugs)) == len(names)
    assert [slug_of(slug) for slug in slugs] == slugs and all(0 < len(slug) <= 60 for slug in slugs)
    with pytest.raises(BadPattern, match="no letter or digit"):
        slug_of("-- ·")


def test_starts_give_needs_and_keep_what_is_drawn() -> None:
    p = piece(needs=replace(FIRM, grain_deg=30, hidden=(contour_of([(0, 0), (5, 0), (5, 5)]),)))
    for start in STARTS:
        begun = with_start(p, start.name)
        assert (
            begun.needs.template == start.name
            and begun.needs.grain_deg == 30
            and begun.needs.hidden == p.needs.hidden
            and begun.contour == p.contour
        )
        check_pattern(begun)
    with pytest.raises(BadPattern, match="strap, show panel, inner part"):
        start_named("hat")


def test_marks_are_drawn_on_the_side_they_lie_and_travel_with_the_piece() -> None:
    kinds = (
        Mark("s", "stitch"),
        Mark("h", "hole", at=XY(50, 30), width_mm=6),
        Mark("l", "slot", side="flesh", at=XY(20, 30), turn_deg=90),
        Mark("f", "fold", path=(XY(0, 30), XY(100, 30))),
        Mark("g", "glue"),
        Mark("k", "skive", run=Run(XY(0, 0), XY(100, 0))),
        Mark("t", "stamp", at=XY(70, 40), text="Q"),
        Mark("p", "place", path=(XY(1, 1), XY(9, 1), XY(9, 9))),
    )
    p = piece(marks=kinds)
    drawn = {m.id: m for m in drawn_marks(p) if m.draws != "pricks"}
    assert set(drawn) == {"s", "h", "l", "f", "g", "k", "t", "p"} and drawn["l"].side == "flesh"
    assert Polygon(drawn["h"].points).area == pytest.approx(np.pi * 9, rel=0.02) and Polygon(
        drawn["l"].points
    ).bounds == pytest.approx((18, 20, 22, 40), abs=0.1)
    assert len(piece_of(p, article(p)).marks) == 9


def test_what_changed_is_told_in_measures_and_outlines() -> None:
    old = article(piece("A"), piece("B"), piece("C"))
    a = piece(
        "A", contour=contour_of([(0, 0), (110, 0), (110, 60), (0, 60)]), each=2, marks=(Mark("s", "stitch"),)
    )
    found = {c.slug: c for c in changes(old, article(a, piece("B"), piece("D")))}
    assert {k: c.kind for k, c in found.items()} == {"a": "changed", "d": "new", "c": "gone"}
    differs = {d.what: (d.before, d.after) for d in found["a"].differs}
    assert differs == {
        "length": ("100.0 mm", "110.0 mm"),
        "area cut": ("0.60 dm²", "0.66 dm²"),
        "in each article": ("1", "2"),
        "stitch s": ("none", "new"),
    }
    assert found["a"].moved_mm == pytest.approx(10) and found["d"].before == () and found["c"].after == ()
    assert changes(old, old) == () and [letter(n) for n in (1, 26, 27, 703)] == ["A", "Z", "AA", "AAA"]
