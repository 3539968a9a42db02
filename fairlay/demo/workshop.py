"""Quillback Yard put into an empty store."""

from __future__ import annotations

import datetime
import time
from dataclasses import replace

from fairlay.core.engine import lay_job
from fairlay.core.lay.order import job_for
from fairlay.core.leather import Hide
from fairlay.core.leather.looking_over import QUICK, STEPS, LookingOver, from_hide, with_step
from fairlay.core.leather.receiving import Invoice
from fairlay.core.rules import Policy
from fairlay.demo import sides
from fairlay.demo.patterns import BODY, LINING, STRAP, articles
from fairlay.store import articles as article_store
from fairlay.store import batches, deliveries, hides, lays, people, prices, settings
from fairlay.store.acting import acting_as
from fairlay.store.clock import now
from fairlay.store.database import connected

FERROW, OXLADE = "Ferrow Mill", "Oxlade Pits"


def _rack() -> list[tuple[Hide, hides.About]]:
    def about(
        material: str,
        mill: str,
        colour: str,
        thickness: float,
        grade: str,
        days: int,
        temper: str = "medium",
        state: str = "looked over",
    ) -> hides.About:
        received = now().date() - datetime.timedelta(days=days)
        return hides.About(
            material,
            mill,
            colour,
            "vegetable" if material != LINING else "woven",
            temper,
            thickness,
            grade,
            state,
            received,
            "plain" if material != LINING else "",
        )

    return [
        (
            sides.side("F-101", 11, 2280, 1060, 104.0, (7, 5, 3), 2.35),
            about(BODY, FERROW, "chestnut", 2.3, "1", 40),
        ),
        (
            sides.side("F-102", 12, 2190, 1010, 104.0, (10, 8, 4)),
            about(BODY, FERROW, "chestnut", 2.3, "1", 40),
        ),
        (
            sides.side("F-103", 13, 2340, 1090, 88.0, (14, 14, 7)),
            about(BODY, FERROW, "chestnut", 2.2, "2", 40),
        ),
        (
            sides.side("O-041", 21, 2120, 980, 96.0, (8, 6, 3), 2.3),
            about(BODY, OXLADE, "russet", 2.3, "1", 12),
        ),
        (sides.side("O-042", 22, 2400, 1120, 79.0, (16, 18, 8)), about(BODY, OXLADE, "russet", 2.2, "3", 12)),
        (
            sides.side("O-043", 23, 2250, 1040, 96.0, (6, 4, 2)),
            about(BODY, OXLADE, "russet", 2.3, "1", 3, state="looked over"),
        ),
        (
            sides.cut("F-S07", "shoulder", 31, 860, 1180, 72.0, (6, 4, 1), 2),
            about(BODY, FERROW, "chestnut", 2.1, "2", 25),
        ),
        (
            sides.cut("O-B02", "bend", 32, 1340, 640, 148.0, (3, 2, 1), 1),
            about(STRAP, OXLADE, "russet", 3.5, "1", 25, "firm"),
        ),
        (
            sides.cut("F-B05", "bend", 34, 1260, 610, 142.0, (4, 2, 1), 1),
            about(STRAP, FERROW, "chestnut", 3.4, "1", 18, "firm"),
        ),
        (
            sides.cut("R-219", "offcut", 33, 640, 420, 40.0, (2, 2, 0), 2),
            about(BODY, FERROW, "chestnut", 2.3, "1", 90, state="part used"),
        ),
        (sides.roll("L-003", 1400, 9000, 18.0), about(LINING, OXLADE, "undyed", 1.0, "1", 60, "soft")),
    ]


@connected
def fill_if_empty() -> bool:
    """Put the demo workshop into the store when it has no hide and no batch; return whether it did.

    All of it or nothing.
    """
    if hides.count_hides() or batches.all_batches():
        return False
    owner = people.add(people.DEMO_OWNER, "owner")
    for name, role in (("Mara", "planner"), ("Tobin", "cutter"), ("Wren", "apprentice")):
        people.add(name, role)
    with acting_as(owner.id):
        _fill()
    return True


def _fill() -> None:
    rack = _rack()
    ids = {hide.id: hides.add_hide(hide, about, _looked_over(hide, about)) for hide, about in rack}
    _delivery()
    settings.set_leather_settings(replace(settings.leather_settings(), shop="Quillback Yard"))
    made = {article.slug: article_store.add_article(article) for article in articles()}
    today = now().date()

    def batch(
        number: str,
        name: str,
        lines: list[tuple[str, int]],
        days: int,
        gap: float,
        match: tuple[str, ...] = (),
    ) -> int:
        return batches.add_batch(
            number,
            name,
            [batches.Ordered(made[a], n) for a, n in lines],
            due_on=today + datetime.timedelta(days=days),
            gap_mm=gap,
            grain_school="backbone",
            match_sets=match,
        )

    batch("B-31", "Bellows for the winter fair", [("hearth-bellows", 12), ("stove-mitt", 10)], 24, 0.0)
    chairs = batch(
        "B-30",
        "Camp chairs and stools, spring stock",
        [("camp-chair", 4), ("tripod-stool", 4)],
        15,
        1.0,
        ("camp-chair",),
    )
    batches.choose_leather(chairs, add=[ids[n] for n in ("F-101", "F-102", "O-043", "O-B02", "L-003")])
    slings = batch("B-29", "Log slings and mitts", [("log-sling", 3), ("stove-mitt", 4)], 6, 0.0)
    batches.choose_leather(slings, add=[ids["O-041"], ids["F-B05"]])
    _lay_by_engine(slings, [ids["O-041"]])


def _looked_over(hide: Hide, about: hides.About) -> LookingOver:
    """What the shop wrote down of a hide: every step of those with readings, the quick ones of the others."""
    looking = from_hide(hide)
    for step, _, _ in STEPS:
        if about.state != "received" and (hide.thickness or step in QUICK):
            looking = with_step(looking, step, True)
    return looking


def _delivery() -> None:
    """A lot that came in this morning, its sides not yet measured."""
    lot = Invoice(
        OXLADE, "OP-2217", 8.40, "ft2", BODY, "vegetable", "waxed", "chestnut", "medium", 2.3, "1", 131.5, 6
    )
    made = deliveries.begin_delivery(lot, now().date(), "six sides ordered, two on the next lorry")
    deliveries.receive_hides(made, "side", [21.25, 22.5, 20.75, 23.0], "O-")


def _lay_by_engine(batch_id: int, hide_ids: list[int]) -> None:
    batch = batches.batch_by_id(batch_id)
    rack = hides.hides_by_id(hide_ids)
    job = job_for(
        f"{batch.number} {BODY}",
        batch.lines,
        BODY,
        [r.hide for r in rack],
        Policy(batch.gap_mm, batch.grain_school),
        "order",
        batch.match_sets,
        rack=prices.rack_worth(),
    )
    leather = [lays.LaidOn(r.id, r.version) for r in rack]
    lay_id = lays.create_lay(batch_id, BODY, job, leather)
    lay = lay_job(job, time.monotonic, seconds=3600.0, steps=1)
    lays.save(lay_id, lay, "engine", base=1)
