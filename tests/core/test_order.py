"""From a batch to a job; the demo workshop's shapes; a piece's needs in words."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from shapely.geometry import Point, Polygon

from fairlay.core.errors import BadHide, BadJob, BadPattern
from fairlay.core.lay.order import Line, cutlist, job_for, needs_of_batch, pieces_of_batch, suits
from fairlay.core.leather import Hide, Reading, Zone
from fairlay.core.leather.hide import FLAW_KINDS, check_hide
from fairlay.core.pattern import Grain, Piece
from fairlay.core.pattern.piece import check_piece
from fairlay.core.pattern.words import needs_in_words
from fairlay.core.rules import Policy, fair_areas, fair_ground, needs_of
from fairlay.demo import sides
from fairlay.demo.patterns import BODY, LINING, STRAP, articles

YARD = {article.slug: cutlist(article) for article in articles()}
SQUARE = np.array([[0.0, 0.0], [50.0, 0.0], [50.0, 50.0], [0.0, 50.0]])


def test_a_batch_needs_each_material_of_its_articles() -> None:
    lines = [Line(YARD["camp-chair"], 3), Line(YARD["stove-mitt"], 2)]
    needs = {n.material: n for n in needs_of_batch(lines)}
    assert set(needs) == {BODY, STRAP, LINING}
    assert needs[STRAP].pieces == 6
    assert needs[STRAP].area_m2 == pytest.approx(6 * YARD["camp-chair"].pieces[2].pattern.area_mm2 / 1e6)
    assert needs[STRAP].ordered_m2 == needs[STRAP].area_m2
    filling = [lines[0], replace(lines[1], filler=True)]
    body_need = next(n for n in needs_of_batch(filling) if n.material == BODY)
    chairs = next(n for n in needs_of_batch(lines[:1]) if n.material == BODY)
    assert body_need.area_m2 == pytest.approx(needs[BODY].area_m2), "what fills gaps is cut as well"
    assert body_need.ordered_m2 == pytest.approx(chairs.area_m2), "but need not lie"
    body = {p.id: p for p in pieces_of_batch(lines, BODY)}
    assert (
        body["camp-chair/washer"].quantity == 24
        and body["camp-chair/washer"].per_set == 8
        and body["camp-chair/washer"].set_name == "camp-chair"
    )
    assert body["stove-mitt/mitt-back"].quantity == 4 and body["stove-mitt/mitt-back"].pair
    assert pieces_of_batch([Line(YARD["camp-chair"], 0)], BODY) == ()


def test_a_job_takes_only_its_material_and_the_sets_it_has() -> None:
    hide = sides.side("F-1", 5, 2200, 1000, 90.0, (3, 2, 1))
    job = job_for(
        "B-1",
        [Line(YARD["tripod-stool"], 2)],
        BODY,
        [hide],
        Policy(),
        "order",
        ["tripod-stool", "camp-chair"],
    )
    assert {p.id.split("/")[1] for p in job.pieces} == {
        "seat",
        "leg-cap",
        "rivet-tab",
    } and job.match_sets == ("tripod-stool",)
    with pytest.raises(BadJob, match=r"cuts nothing from felt .*body leather, strap leather"):
        job_for("B-1", [Line(YARD["tripod-stool"], 2)], "felt", [hide], Policy(), "order")
    with pytest.raises(BadJob, match="no body leather is chosen"):
        job_for("B-1", [Line(YARD["tripod-stool"], 2)], BODY, [], Policy(), "order")


def test_a_roll_is_given_as_much_length_as_its_pieces_could_need() -> None:
    roll = sides.roll("L-1", 1400, 90_000, 18.0)
    job = job_for("B-1", [Line(YARD["camp-chair"], 4)], LINING, [roll], Policy(), "order")
    length = float(job.hides[0].outline[:, 0].max())
    assert sum(p.area_mm2 * p.quantity for p in job.pieces) / 1388 < length < 6000


def test_what_a_hide_can_never_give() -> None:
    offcut = sides.cut("R-1", "offcut", 33, 640, 420, 40.0, (0, 0, 0), 3)
    pieces = pieces_of_batch([Line(YARD["camp-chair"], 1), Line(YARD["tripod-stool"], 1)], BODY)
    fair = fair_areas(pieces, offcut, Policy())
    assert len(fair) < len(pieces), "pieces that agree in what they need share their ground"
    assert all(fair[needs_of(p)] == fair_ground(p, offcut, Policy())[0].area for p in pieces)
    found = suits(offcut.id, pieces, fair)
    assert "camp-chair/seat" in found.never and "camp-chair/washer" not in found.never
    assert found.fair_m2 == pytest.approx(offcut.usable.area / 1e6, rel=0.01)


def test_the_demo_leather_is_believable_and_the_same_each_time() -> None:
    for seed in range(6):
        hide, again = (sides.side("F", seed, 2250, 1040, 90.0, (8, 6, 3), 2.3) for _ in range(2))
        assert np.array_equal(hide.outline, again.outline) and hide.region.is_valid
        assert 1.5e6 < hide.region.area < 2.3e6
        assert abs(hide.outline[:, 1].min()) < 1e-9 and np.ptp(hide.outline[:, 0]) == pytest.approx(
            2250, rel=0.05
        )
        assert {f.kind for f in hide.flaws} <= set(FLAW_KINDS)
        assert all(hide.region.covers(Polygon(f.outline)) for f in hide.flaws)
        assert [sum(f.severity == s for f in hide.flaws) for s in (1, 2, 3)] == [8, 6, 3]
        shares = {z.tightness: 0.0 for z in hide.zones}
        for zone, shown in hide.zone_regions:
            shares[zone.tightness] += shown.intersection(hide.region).area / hide.region.area
        assert shares[1] > 0.2 and shares[3] > 0.2 and sum(shares.values()) == pytest.approx(1.0, abs=0.01)
        assert 1.5 < min(r.mm for r in hide.thickness) <= max(r.mm for r in hide.thickness) < 3.0
        check_hide(hide)


def test_the_demo_pieces_are_whole_and_named_apart() -> None:
    assert [len({p.pattern.id for p in a.pieces}) for a in YARD.values()] == [
        len(a.pieces) for a in YARD.values()
    ]
    for article in YARD.values():
        for piece in article.pieces:
            check_piece(piece.pattern)
            assert 10 < np.ptp(piece.pattern.outline, axis=0).max() < 1000, piece.name
    lining = next(p.pattern for p in YARD["stove-mitt"].pieces if p.material == LINING)
    back = next(p.pattern for p in YARD["stove-mitt"].pieces if p.name == "Mitt back")
    assert lining.area_mm2 > back.area_mm2


def test_a_name_is_written_inside_the_piece_where_it_is_wide() -> None:
    frame = Piece("frame", SQUARE * 4, 1, holes=(SQUARE * 3 + 25.0,))
    hook = Piece("hook", np.array([[0.0, 0.0], [200, 0], [200, 30], [40, 30], [40, 200], [0, 200]]), 1)
    for piece in (frame, hook, *(p.pattern for a in YARD.values() for p in a.pieces)):
        x, y, r = piece.name_at
        assert piece.region.buffer(0.6).covers(Point(x, y).buffer(r)), piece.id
        assert r > 5.0


@pytest.mark.parametrize(
    ("needs", "words"),
    [
        ({}, ("any leather", "bears any sound mark", "any way round")),
        ({"max_tightness": 1, "show_limit": 0}, ("tight leather only", "clean show face", "any way round")),
        (
            {"max_tightness": 2, "show_limit": 1, "hidden": (SQUARE / 2,)},
            (
                "firm leather or tighter",
                "show face bears surface marks, marks allowed in its hidden areas",
                "any way round",
            ),
        ),
        (
            {"grain": Grain(0, 5, False), "pair": True, "thickness_mm": (2.0, 2.5)},
            (
                "any leather",
                "bears any sound mark",
                "grain within 5 degrees, one way only",
                "2 to 2.5 mm thick",
                "a pair: half of them mirrored",
            ),
        ),
    ],
)
def test_needs_in_words(needs: dict, words: tuple[str, ...]) -> None:
    assert needs_in_words(Piece("flap", SQUARE, 2, **needs)) == words


@pytest.mark.parametrize(
    ("wrong", "words"),
    [
        ({"quantity": -1}, "quantity of -1"),
        ({"quantity": 3, "pair": True}, "3 wanted of a pair"),
        ({"show_limit": 3}, "show limit of 3"),
        ({"max_tightness": 0}, "loosest tightness 0"),
        ({"thickness_mm": (3.0, 2.0)}, "thickness from 3.0 to 2.0"),
        ({"value": -1.0}, "value of -1.0"),
        ({"per_set": 0}, "0 per set"),
        ({"grain": Grain(0, -1, True)}, "grain tolerance of -1"),
    ],
)
def test_needs_that_make_no_sense_are_refused(wrong: dict, words: str) -> None:
    with pytest.raises(BadPattern, match=words):
        check_piece(Piece(**{"id": "flap", "outline": SQUARE, "quantity": 2, **wrong}))


@pytest.mark.parametrize(
    ("wrong", "words"),
    [
        ({"kind": "cloud"}, "kind 'cloud' .*side, whole"),
        ({"zones": (Zone(SQUARE, 5),)}, "tightness 5"),
        ({"thickness": (Reading(1, 1, 40.0),)}, "reading of 40.0"),
        ({"edge_margin_mm": -2.0}, "edge margin of -2.0"),
    ],
)
def test_leather_that_makes_no_sense_is_refused(wrong: dict, words: str) -> None:
    with pytest.raises(BadHide, match=words):
        check_hide(Hide(**{"id": "Q", "kind": "side", "outline": SQUARE, **wrong}))
