"""Copies numbered so that sets lie together: nothing else of a lay changes by it."""

from __future__ import annotations

import json
from collections import Counter
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from fairlay.core.formats.exchange import read_job
from fairlay.core.lay import Job, Lay, Placement
from fairlay.core.lay.near import sets_near
from fairlay.core.shapes.placing import Placing
from tests import jobs
from tests.effort import tried

PIECES = [
    jobs.piece("seat", jobs.rectangle(90, 60), 6, set="stool", per_set=1),
    jobs.piece("tie", jobs.rectangle(40, 10), 12, set="stool", per_set=2),
    jobs.piece("ear", jobs.rectangle(30, 20), 12, set="stool", per_set=2, pair=True),
    jobs.piece("tab", jobs.rectangle(20, 10), 6),
]
HIDES = [{"id": f"Q-{k}", "kind": "side", "outline": jobs.rectangle(1800, 900)} for k in range(2)]


def job_of() -> Job:
    return read_job(json.dumps(jobs.sets(6, hides=HIDES, pieces=PIECES, objective="order", match_sets=[])))


def at(piece: str, copy: int, x: float, hide: str = "Q-0", mirrored: bool = False) -> Placement:
    return Placement(piece, copy, hide, Placing(x, 100.0, 0.0, mirrored))


def sets_of(job: Job, lay: Lay) -> dict[int, list[Placement]]:
    out: dict[int, list[Placement]] = {}
    for p in lay.placements:
        if job.pieces_by_id[p.piece].set_name:
            out.setdefault(p.copy // job.pieces_by_id[p.piece].per_set, []).append(p)
    return out


def test_what_lies_by_a_seat_is_of_its_set() -> None:
    job = job_of()
    # Two stools far apart, and all that goes with the one numbered as if it were the other's.
    lay = Lay(
        (
            at("seat", 0, 100),
            at("seat", 1, 1500),
            *(at("tie", n, x) for n, x in ((0, 1520), (1, 1560), (2, 120), (3, 160))),
            *(at("ear", n, x, mirrored=n % 2 == 1) for n, x in ((0, 1600), (1, 1640), (2, 200), (3, 240))),
        )
    )
    for number, own in sets_of(job, sets_near(job, lay)).items():
        assert {p.at.x < 800 for p in own} == {own[0].at.x < 800}, number
        assert Counter(p.piece for p in own) == {"seat": 1, "tie": 2, "ear": 2}


def test_a_set_is_of_one_hide_where_it_can_be() -> None:
    job = job_of()
    seats = [at("seat", k, 100 + 200 * k, f"Q-{k % 2}") for k in range(4)]
    ties = [at("tie", n, 100 + 90 * n, f"Q-{(n // 2 + 1) % 2}") for n in range(8)]
    for own in sets_of(job, sets_near(job, Lay((*seats, *ties)))).values():
        assert len({p.hide for p in own}) == 1


def test_what_is_fixed_or_insisted_on_or_left_keeps_its_number() -> None:
    crossed = (at("seat", 0, 100), at("seat", 1, 1500), at("tie", 0, 1520), at("tie", 2, 120))
    job = job_of()
    assert sets_near(job, Lay(crossed)).placements != crossed
    for kept in (
        replace(job, fixed=crossed),
        replace(job, excused=frozenset({("tie", 0), ("seat", 1)})),
        replace(job, leave=frozenset({"Q-0"})),
    ):
        assert sets_near(kept, Lay(crossed)).placements == crossed


def test_what_lies_where_it_lay_keeps_its_number() -> None:
    job = job_of()
    crossed = (at("seat", 0, 100), at("seat", 1, 1500), at("tie", 0, 1520), at("tie", 2, 120))
    assert sets_near(job, Lay(crossed), crossed).placements == crossed
    # Two came since: they change numbers with each other, and with nothing that lay there.
    laid = crossed[:2] + crossed[3:]
    came = (at("tie", 1, 1540), at("tie", 3, 140))
    near = sets_near(job, Lay((*laid, *came)), laid).placements
    assert near[:3] == laid and {(p.copy, p.at.x) for p in near[3:]} == {(1, 140), (3, 1540)}


def test_numbers_stay_where_others_lie_hardly_nearer() -> None:
    job = job_of()
    lay = Lay((at("seat", 0, 100), at("seat", 1, 130), at("tie", 0, 140), at("tie", 2, 90)))
    assert sets_near(job, lay) == lay


@pytest.mark.parametrize("matched", [(), ("stool",)])
@settings(max_examples=tried(40, 400))
@given(seed=st.integers(0, 10_000))
def test_only_numbers_change(matched: tuple[str, ...], seed: int) -> None:
    rng = np.random.default_rng(seed)
    job = replace(job_of(), match_sets=matched)
    homes = rng.integers(0, 2, 6)
    lies = []
    for piece in job.pieces:
        for n in range(piece.quantity):
            home = homes[n // piece.per_set] if matched and piece.set_name else rng.integers(0, 2)
            if rng.random() < 0.8:
                lies.append(
                    at(piece.id, n, float(rng.uniform(0, 1700)), f"Q-{home}", bool(piece.pair and n % 2))
                )
    lay = Lay(tuple(lies))
    near = sets_near(job, lay)
    assert [(p.piece, p.hide, p.at) for p in near.placements] == [(p.piece, p.hide, p.at) for p in lies]
    assert Counter((p.piece, p.copy) for p in near.placements) == Counter((p.piece, p.copy) for p in lies)
    hand = {(p.piece, p.copy): p.at.mirrored for p in lies}
    assert all(hand[p.piece, p.copy] == p.at.mirrored for p in near.placements)
    if matched:
        assert all(len({p.hide for p in own}) == 1 for own in sets_of(job, near).values())
