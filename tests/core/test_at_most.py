"""What a lay leaves out, and how many of it have room at all, by proof."""

from __future__ import annotations

import itertools
import json
from typing import Any

import pytest

from fairlay.core.bounds.at_most import AtMost, Proving, Step, in_words, steps, told
from fairlay.core.engine import lay_job
from fairlay.core.formats.exchange import read_job
from fairlay.core.lay import Job, Lay
from fairlay.core.lay.lay import Placement
from fairlay.core.shapes.placing import Placing
from tests import jobs

EXACT = {"axis_deg": 0, "tolerance_deg": 0}


def job_of(pieces: list[Any], hides: int = 2, **more: Any) -> Job:
    """Small clean offcuts of 400 by 400 mm, one after the other, and what is wanted of them."""
    leather = [
        {"id": f"Q{n}", "kind": "offcut", "outline": jobs.square(0, 0, 400), "edge_margin": 0.0}
        for n in range(hides)
    ]
    asked = jobs.everything(gap=0.0, hides=leather, pieces=pieces, **{"objective": "order", **more})
    return read_job(json.dumps(asked), sizes_are_right=True)


def panel(side: float = 160.0, quantity: int = 9, **more: Any) -> Any:
    return jobs.piece("panel", jobs.square(0, 0, side), quantity, **{"grain": EXACT, **more})


def all_of(job: Job, lay: Lay) -> tuple[dict[Step, int], tuple[AtMost, ...]]:
    asked = steps(job, lay)
    proving = Proving(job, asked, {})
    while proving.next() is not None:
        pass
    return proving.known, told(job, lay, asked, proving.known)


def placed(*where: tuple[str, int, str]) -> Lay:
    """A lay that only counts: nothing here asks where a piece lies."""
    return Lay(tuple(Placement(piece, copy, hide, Placing(0.0, 0.0, 0.0)) for piece, copy, hide in where))


def test_a_large_piece_is_counted_hide_by_hide() -> None:
    # Four squares of 160 mm lie on 400 by 400; by area it would be six.
    job, lay = job_of([panel()]), placed(("panel", 0, "Q0"))
    known, found = all_of(job, lay)
    assert known == {Step("Q0", "piece", "panel"): 4, Step("Q1", "piece", "panel"): 4}
    assert found == (AtMost("piece", "panel", 9, 1, 8),)
    assert in_words(found[0], "panel") == (
        "At most 8 of 9 panel have room on these hides, whatever else lies there; now 1."
    )


def test_once_there_is_room_for_all_nothing_more_is_looked_into() -> None:
    job = job_of([panel(quantity=5)], hides=3)
    known, found = all_of(job, Lay(()))
    assert sorted(known.values()) == [4, 5, 5], "the second is given up, the third left"
    assert found == (AtMost("piece", "panel", 5, 0, 5),) and "against all 5" in in_words(found[0], "panel")


def test_sets_from_one_hide_take_the_sum_of_what_each_hide_makes() -> None:
    # Either hide holds one of these beside one another piece of its set, though two of them alone.
    wide = jobs.piece("wide", jobs.rectangle(390, 190), 4, set="stool", grain=EXACT)
    long = jobs.piece("long", jobs.rectangle(390, 180), 4, set="stool", grain=EXACT)
    job = job_of([wide, long], match_sets=["stool"])
    known, found = all_of(job, placed(("wide", 0, "Q0"), ("long", 0, "Q0")))
    assert known[Step("Q0", "piece", "wide")] == 2 and known[Step("Q1", "set", "stool")] == 1
    assert found == (AtMost("set", "stool", 4, 1, 2),)
    assert in_words(found[0], "Stool").startswith("At most 2 of 4 Stool can be made whole of these hides")


def test_it_is_asked_only_of_what_can_be_proved() -> None:
    small = jobs.piece("small", jobs.square(0, 0, 40), 4)
    seam = [
        {
            "id": "s",
            "penalty_m2": 0.01,
            "parts": [
                {"id": "a", "outline": jobs.rectangle(160, 80)},
                {"id": "b", "outline": jobs.rectangle(160, 80)},
            ],
        }
    ]
    for pieces in ([small], [panel(grain={"axis_deg": 0, "tolerance_deg": 180})], [panel(splits=seam)]):
        assert steps(job_of(pieces), Lay(())) == ()
    job = job_of([panel(quantity=1)])
    assert steps(job, placed(("panel", 0, "Q0"))) == (), "nothing is left out"
    assert steps(job_of([panel(filler=True)]), Lay(())) == ()


def test_what_was_proved_before_is_not_proved_again_and_stopping_keeps_it() -> None:
    job, lay = job_of([panel()]), Lay(())
    asked = steps(job, lay)
    first = Proving(job, asked, {})
    step = first.next()
    assert step is not None and first.next(lambda: True) is None and [*first.known] == [step]
    assert told(job, lay, asked, first.known) == (AtMost("piece", "panel", 9, 0, None),)
    assert in_words(told(job, lay, asked, first.known)[0], "panel") == ""
    # A figure that is known is taken as it is, right or not.
    second = Proving(job, asked, {step: 1})
    assert second.next() is not None and second.next() is None
    assert told(job, lay, asked, second.known) == (AtMost("piece", "panel", 9, 0, 5),)


@pytest.mark.parametrize(
    ("found", "words"),
    [
        (AtMost("piece", "p", 4, 0, 0), "No seat has room on these hides: other leather is needed."),
        (AtMost("piece", "p", 4, 2, 2), "No more than 2 of 4 seat have room on these hides, as many as now"),
        (AtMost("set", "p", 4, 2, 2), "No more than 2 of 4 seat can be made whole of these hides"),
        (
            AtMost("piece", "p", 4, 2, 1),
            "No more than 1 of 4 seat have room on these hides, by the rules, and 2",
        ),
        (AtMost("set", "p", 4, 2, 4), "Nothing is proved against all 4 seat, taken by themselves."),
    ],
)
def test_what_is_proved_is_said_with_what_to_do(found: AtMost, words: str) -> None:
    assert in_words(found, "seat").startswith(words)


def test_no_lay_has_more_than_is_proved() -> None:
    wide = panel(150.0, 12, set="stool", grain={"axis_deg": 0, "tolerance_deg": 4}, show_limit=1)
    strap = jobs.piece("strap", jobs.rectangle(180, 20), 24, set="stool", per_set=2)
    job = job_of([wide, strap], objective="sets", match_sets=["stool"])
    ticks = itertools.count()
    lay = lay_job(job, lambda: float(next(ticks)), seconds=1e9, steps=6)
    _, found = all_of(job, lay)
    [sets] = found
    assert sets.most is not None and 0 < sets.laid <= sets.most < sets.wanted == 12
