"""Each rule of the trade, as a table: a piece, where it lies, and what the rule says."""

from __future__ import annotations

import json
from dataclasses import replace

import numpy as np
import pytest

from fairlay.core.errors import BadJob
from fairlay.core.formats.exchange import read_job
from fairlay.core.lay.check import why_not
from fairlay.core.lay.lay import Placement
from fairlay.core.leather import Hide, Reading
from fairlay.core.pattern import Grain
from fairlay.core.rules import PLACE_RULES, Policy, fair_ground, forbidden_ground, grain, needs_of
from fairlay.core.shapes import Placing
from tests import jobs


def _why(
    x: float,
    y: float,
    turn: float = 0.0,
    outline: list | None = None,
    school: str = "backbone",
    **needs: object,
) -> list[str]:
    job = read_job(
        json.dumps(
            jobs.everything(
                grain_school=school,
                pieces=[jobs.piece("flap", outline or jobs.rectangle(40, 40), 1, **needs)],
            )
        )
    )
    return [b.sentence for b in why_not(job.pieces[0], job.hides[0], job.policy, Placing(x, y, turn))]


@pytest.mark.parametrize(
    ("x", "y", "needs", "words"),
    [
        (420, 60, {}, None),
        (-10, 100, {}, "over the edge of Q-1, or within 4 mm of it"),
        (60, 3, {}, "over the edge"),
        (330, 160, {}, "on an unsound hole, which no piece may use"),
        (
            240,
            50,
            {"show_limit": 0},
            "shows a scar of severity 1 (surface); its show face bears no mark at all",
        ),
        (240, 50, {"show_limit": 1}, None),
        (
            110,
            140,
            {"show_limit": 1},
            "shows a scratch of severity 2 (blemish); its show face bears surface marks only",
        ),
        (110, 140, {"show_limit": 2}, None),
        (240, 50, {"show_limit": 0, "hidden": [jobs.square(5, 5, 30)]}, None),
        (225, 50, {"show_limit": 0, "hidden": [jobs.square(5, 5, 30)]}, "shows a scar"),
        (330, 160, {"show_limit": 0, "hidden": [jobs.square(0, 0, 40)]}, "on an unsound hole"),
        (480, 100, {"max_tightness": 1}, "on loose leather (class 3); it needs tight"),
        (420, 100, {"max_tightness": 1}, None),
        (560, 260, {"max_tightness": 3}, "on slack leather (class 4); it needs loose or tighter"),
        (400, 300, {"thickness_mm": [2.2, 3.0]}, "on leather 1.8"),
        (80, 50, {"thickness_mm": [2.2, 3.0]}, None),
    ],
)
def test_place(x: float, y: float, needs: dict, words: str | None) -> None:
    said = _why(x, y, **needs)
    assert (not said) if words is None else any(words in sentence for sentence in said), said


@pytest.mark.parametrize(
    ("turn", "x", "school", "needs", "off"),
    [
        (0, 100, "backbone", {}, None),
        (9.9, 100, "backbone", {}, None),
        (12, 100, "backbone", {}, "12.0 degrees off the backbone, 10 allowed"),
        (180, 100, "backbone", {}, None),
        (
            180,
            100,
            "backbone",
            {"grain": {"axis_deg": 0, "tolerance_deg": 10, "reversible": False}},
            "180.0 degrees off",
        ),
        (90, 100, "backbone", {"grain": {"axis_deg": 90, "tolerance_deg": 10}}, None),
        (90, 100, "free", {}, None),
        (0, 600, "local", {}, "30.0 degrees off the line of least stretch there"),
        (-30, 600, "local", {}, None),
        (-30, 600, "backbone", {}, "30.0 degrees off the backbone"),
    ],
)
def test_grain_has_three_schools(turn: float, x: float, school: str, needs: dict, off: str | None) -> None:
    said = _why(x, 320 if x == 600 else 60, turn, jobs.rectangle(30, 20), school, **needs)
    assert [s for s in said if "degrees off" in s][:1] == (
        [] if off is None else [s for s in said if off in s][:1]
    )
    assert off is None or any(off in s for s in said)


def test_mirroring_turns_the_axis_over() -> None:
    leaning = Grain(30.0, 5.0, True)
    assert grain.axis_deg(leaning, 0.0, True) == 150.0
    job = read_job(json.dumps(jobs.everything()))
    palm = replace(job.pieces[3], grain=leaning)
    for middle, _ in grain.fair_turns(palm, 0.0, True, Policy()):
        assert grain.off_axis_deg(grain.axis_deg(leaning, middle, True), 0.0, True) == pytest.approx(
            0.0, abs=1e-9
        )


def test_the_nearest_fair_turn() -> None:
    turns = ((0.0, 10.0), (180.0, 10.0))
    assert [grain.turn_within(t, turns) % 360 for t in (4, 25, 100, 350, 200)] == [4, 10, 170, 350, 190]


def test_a_later_zone_covers_an_earlier_one_and_no_zone_bears_anything() -> None:
    hide = read_job(json.dumps(jobs.everything())).hides[0]
    assert hide.looser_than(1).area + sum(
        shown.area for z, shown in hide.zone_regions if z.tightness == 1
    ) == pytest.approx(sum(s.area for _, s in hide.zone_regions))
    bare = replace(hide, zones=())
    assert bare.looser_than(1).is_empty
    assert bare.least_stretch_deg(100, 100) == 0.0


def test_thickness_never_leaves_what_was_read() -> None:
    hide = Hide(
        "Q", "side", np.array(jobs.SIDE, float), thickness=(Reading(10, 10, 2.0), Reading(700, 300, 3.0))
    )
    points = np.random.default_rng(1).uniform((-100, -100), (900, 600), (500, 2))
    mm = hide.thickness_mm(np.vstack([points, [[10.0, 10.0]]]))
    assert mm.min() >= 2.0 and mm.max() <= 3.0 and mm[-1] == 2.0
    assert np.isnan(replace(hide, thickness=()).thickness_mm(points)).all()


def test_every_piece_with_the_same_needs_shares_its_ground() -> None:
    job = read_job(json.dumps(jobs.everything()))
    policy = job.policy
    for piece in job.pieces:
        twin = replace(
            piece,
            id="twin",
            outline=piece.outline + 5.0,
            hidden=tuple(h + 5.0 for h in piece.hidden),
            quantity=9,
        )
        assert needs_of(twin) == needs_of(piece)
        assert fair_ground(twin, job.hides[0], policy)[0].equals(fair_ground(piece, job.hides[0], policy)[0])
    names = {f.rule for piece in job.pieces for f in forbidden_ground(piece, job.hides[0], policy)}
    assert names == {rule.NAME for rule in PLACE_RULES} - {"reserved"}


@pytest.mark.parametrize(
    ("kept_for", "words"),
    [
        (["flap"], None),
        (["strap"], "on leather reserved for strap"),
        ([], "on leather reserved for the rack"),
    ],
)
def test_reserved_leather_lets_only_its_own_pieces_lie(kept_for: list[str], words: str | None) -> None:
    lane = {"outline": jobs.rectangle(780, 60), "for": kept_for}
    pieces = [jobs.piece(name, jobs.rectangle(40, 40), 1) for name in ("flap", "strap")]
    split = [{"id": "s", "parts": [{"id": k, "outline": jobs.rectangle(20, 40)} for k in "ab"]}]
    pieces[0]["splits"] = split
    job = read_job(json.dumps(jobs.everything(hides=[jobs.side(reserved=[lane])], pieces=pieces)))
    for piece in (job.pieces[0], job.pieces_by_id["flap~s.a"]):
        at = Placement(piece.id, 0, "Q-1", Placing(100, 20, 0))
        said = [b.sentence for b in why_not(piece, job.hides[0], job.policy, at.at)]
        assert said == ([] if words is None else [words])
        assert not list(why_not(piece, job.hides[0], job.policy, Placing(420, 100, 0)))
    lane["for"] = ["saddle"]
    with pytest.raises(BadJob, match="reserved for 'saddle', which is no piece"):
        read_job(json.dumps(jobs.everything(hides=[jobs.side(reserved=[lane])], pieces=pieces)))
