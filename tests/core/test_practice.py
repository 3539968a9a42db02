"""Practice: the same seed asks the same, hands tell what is there, right answers are those of the rules."""

from __future__ import annotations

import itertools
from dataclasses import replace

import numpy as np
import pytest
from shapely.geometry import Polygon

from fairlay.core.engine import lay_job
from fairlay.core.errors import Refused
from fairlay.core.forecast.stock import Source, made_up
from fairlay.core.lay import Job, Lay, broken_rules, measure
from fairlay.core.lay.order import Line, cutlist, pieces_of_batch
from fairlay.core.leather.hide import Flaw, Zone
from fairlay.core.pattern import Piece
from fairlay.core.pattern.words import needs_in_words
from fairlay.core.practice.accept import accept_score, questions
from fairlay.core.practice.better import gains, made
from fairlay.core.practice.fault import FAULTS, fault_round, fault_score
from fairlay.core.practice.look import (
    FELT,
    LEVELS,
    PINCHED,
    RingDrawn,
    look_round,
    look_score,
    touch,
)
from fairlay.core.rules import Policy, forbidden_ground
from fairlay.demo.patterns import BODY, articles
from tests.effort import tried

PIECES = [
    (f"{a.name}: {p.name}", p.pattern, needs_in_words(p.pattern))
    for a in articles()
    for p in cutlist(a).pieces
]


def _rings(flaws: tuple[Flaw, ...]) -> list[RingDrawn]:
    out = []
    for f in flaws:
        middle = Polygon(f.outline).centroid
        out.append(
            RingDrawn(middle.x, middle.y, float(np.hypot(*(f.outline - [middle.x, middle.y]).T).max()) + 4)
        )
    return out


@pytest.mark.parametrize("level", range(1, LEVELS + 1))
def test_who_finds_everything_has_all_points_and_who_finds_nothing_none(level: int) -> None:
    asked = look_round(77, level)
    assert np.array_equal(asked.hide.outline, look_round(77, level).hide.outline)
    wanted = tuple(f for f in asked.hide.flaws if f.severity > 1)
    pulls = {name: cls for name, _, _, cls, _ in asked.pulls}
    best = look_score(asked, _rings(wanted), pulls, asked.seconds)
    assert best.score == 100 and len(best.found) == len(wanted) and best.cost == 0
    assert look_score(asked, _rings(wanted), pulls, asked.seconds + 60).score < 100
    none = look_score(asked, [], {}, 0.0)
    assert none.score == 0 and len(none.missed) == len(wanted) and none.cost > 0
    lost = look_score(asked, [*_rings(wanted), RingDrawn(-500, -500, 60)], pulls, 0.0)
    assert lost.false_rings[0][0] == len(wanted) and lost.score < 100


def test_fingers_tell_what_eyes_pass_over() -> None:
    looked = {"feel": 0, "pinch": 0, "eye": 0}
    for seed in range(4):
        asked = look_round(seed, 5)
        for f in asked.hide.flaws:
            at = Polygon(f.outline).centroid
            felt, pinched, seen = (touch(asked, t, at.x, at.y) for t in ("feel", "pinch", "eye"))
            assert (felt != "smooth") == (f.kind in FELT)
            assert (pinched != "as thick as beside it") == (f.kind in PINCHED)
            assert (seen != "nothing to see") == (
                f not in [g for g in asked.hide.flaws if g.kind in FELT | PINCHED]
            )
            looked["feel" if f.kind in FELT else "pinch" if f.kind in PINCHED else "eye"] += 1
        for name, x, y, _, give in asked.pulls:
            assert f"{give:g} mm" in touch(asked, "pull", x, y) and name in touch(asked, "pull", x, y)
    assert min(looked.values()) > 0 and touch(look_round(1, 1), "feel", -900, 0) == "the table"
    with pytest.raises(Refused):
        touch(look_round(1, 1), "hammer", 0, 0)
    with pytest.raises(Refused):
        look_round(1, 6)


def test_right_answers_are_those_of_the_rules() -> None:
    by_name = {name: p for name, p, _ in PIECES}
    hide = made_up(
        Source("h", "side", "b", area_m2=2.0, flaws_per_m2=(0.0, 0.0, 0.0)), "h", np.random.default_rng(1)
    )
    ring = np.array([[800.0, 300.0], [840.0, 300.0], [840.0, 340.0], [800.0, 340.0]])
    for level, seed in itertools.product(range(1, LEVELS + 1), range(tried(3, 40))):
        asked = questions(PIECES, seed, level)
        assert (
            asked == questions(PIECES, seed, level) and 0.3 < sum(q.right for q in asked) / len(asked) < 0.7
        )
        for q in asked:
            piece = by_name[q.piece]
            if q.severity == 0:
                name = q.words.split(" on ")[1].split()[0]
                cls = ("tight", "firm", "loose", "slack").index(name) + 1
                bare = replace(hide, zones=(Zone(hide.outline, cls),))
                barred = [f for f in forbidden_ground(piece, bare, Policy()) if f.rule == "tightness"]
            else:
                marked = replace(hide, zones=(), flaws=(Flaw("scar", q.severity, ring),))
                barred = [
                    f
                    for f in forbidden_ground(piece, marked, Policy())
                    if f.rule in ("show face", "unsound flaw") and not (q.hidden and f.show_only)
                ]
            assert q.right == (not barred), q
        assert accept_score(asked, [q.right for q in asked], level, 0.0) == 100
        assert accept_score(asked, [True] * len(asked), level, 0.0) < 40
        assert accept_score(asked, [None] * len(asked), level, 0.0) == 0
    with pytest.raises(Refused):
        questions([], 1, 1)


def _body(slug: str) -> list[Piece]:
    article = next(a for a in articles() if a.slug == slug)
    return [p.pattern for p in cutlist(article).pieces]


def test_the_fault_is_the_only_one_and_the_rules_know_it() -> None:
    seen: set[str] = set()
    for seed, (level, slug) in enumerate(
        itertools.product((1, 3, 5), ("hearth-bellows", "stove-mitt", "log-sling", "camp-chair"))
    ):
        clock = itertools.count()
        asked = fault_round(_body(slug), seed + 1, level, lambda: float(next(clock)))  # noqa: B023
        seen.add(asked.fault)
        job = replace(asked.job, pieces=tuple(replace(p, pair=False) for p in asked.job.pieces))
        broken = broken_rules(job, Lay(asked.lies))
        about = [b for b in broken if asked.guilty in b.placements]
        assert len(about) == len([b for b in broken if b.placements]), asked.fault
        if asked.fault in ("too loose", "on unsound leather", "across the grain"):
            assert about
        elif asked.fault == "twisted half":
            assert not about and len(asked.rings) == len(asked.lies)
        assert fault_score(asked, [asked.guilty], asked.fault, 1.0) == 100
        assert fault_score(asked, [asked.guilty], FAULTS[FAULTS.index(asked.fault) - 1], 1.0) == 50
        wrong = next(k for k in range(len(asked.lies)) if k not in (asked.guilty, *asked.also))
        assert fault_score(asked, [wrong], asked.fault, 1.0) == 0
        assert fault_score(asked, [wrong, asked.guilty], asked.fault, 1.0) == 70
    assert len(seen) >= 3


def test_changes_that_gain_can_be_made_one_after_another() -> None:
    article = next(a for a in articles() if a.slug == "hearth-bellows")
    pieces = pieces_of_batch([Line(cutlist(article), 4)], BODY)
    hide = made_up(
        Source("h", "side", BODY, area_m2=0.9, flaws_per_m2=(0.5, 0.5, 0.3)), "h", np.random.default_rng(2)
    )
    job = Job("x", (hide,), pieces, Policy(), "fill", seed=3)
    clock = itertools.count()
    full = lay_job(job, lambda: float(next(clock)), seconds=1e9, steps=3)
    half = Lay(tuple(p for p in full.placements if not p.piece.endswith("board-face")))
    for start in (Lay(()), half):
        found = gains(job, start, full)
        assert 1 <= len(found) <= 3 and all(g.m2 > 0 for g in found)
        lay = start
        for gain in found:
            worth = measure(job, lay).value_m2
            lay = made(lay, gain)
            assert not [b for b in broken_rules(job, lay) if b.rule != "pair"]
            assert measure(job, lay).value_m2 == pytest.approx(worth + gain.m2, abs=1e-9)
    assert gains(job, full, full) == () or all(not g.up for g in gains(job, full, full))
