"""What a batch orders, changed until cutting begins; batches held, taken up again, given up and copied."""

from __future__ import annotations

import datetime
from collections.abc import Sequence
from dataclasses import replace
from typing import Final, Literal, get_args

from fairlay.core.errors import NotFound, Refused, Stale
from fairlay.core.formats.order_csv import read_order
from fairlay.core.lay.lay import Job
from fairlay.core.lay.order import job_for, pieces_of_batch
from fairlay.core.lay.what_if import OF_RULES, carried, changed
from fairlay.core.rules import Policy
from fairlay.store import lays, spoken_for
from fairlay.store.articles import all_articles
from fairlay.store.batches import Batch, Ordered, batch_by_id, batch_of_lay, checked, put_line
from fairlay.store.database import TakeAgain, connected
from fairlay.store.locks import hold_lay, hold_lays, locked_batch, open_batch
from fairlay.store.tables import BatchHideRow, BatchLineRow, BatchRow, HideRow, LayRow

Standing = Literal["open", "held", "given up"]
STANDINGS: Final[tuple[Standing, ...]] = get_args(Standing)


@connected
def change(
    batch_id: int,
    lines: Sequence[Ordered],
    *,
    version: int,
    name: str,
    due_on: datetime.date | None,
    match_sets: Sequence[str],
) -> int:
    """Change what a batch orders; return its new version. A line that stays keeps its revision, a new one
    has the article's newest; lays that were begun say that they ask for something else.

    Raises Stale where somebody changed it meanwhile; Refused once cutting began, for a batch that is held or
    given up, an article twice or without pieces, or no line at all. Nothing is changed then.
    """
    row = open_batch(batch_id)
    if row.version != version:
        raise Stale("this batch was changed meanwhile; nothing was overwritten", newer=row.version)
    if row.state == "cut":
        raise Refused(
            f"{row.number} is being cut",
            value="cut",
            expected="a batch before its cutting; nothing was changed",
        )
    known = checked(lines)
    revisions = {
        line.article_id: line.revision_id
        for line in BatchLineRow.select().where(BatchLineRow.batch == row.id)
    }
    BatchLineRow.delete().where(BatchLineRow.batch == row.id).execute()
    for line in lines:
        put_line(row.id, line, revisions.get(line.article_id, known[line.article_id].revision_id))
    BatchRow.update(
        name=name, due_on=due_on, match_sets=list(match_sets), version=BatchRow.version + 1
    ).where(BatchRow.id == row.id).execute()
    return version + 1


@connected
def ordered_in(text: str) -> list[Ordered]:
    """Return the lines of an order as CSV, all or none. Raises Refused naming each row that is wrong."""
    known = all_articles()
    articles = {
        words.lower(): kept.article.slug for kept in known for words in (kept.article.slug, kept.article.name)
    }
    ids = {kept.article.slug: kept.id for kept in known}
    return [
        Ordered(
            ids[r.article],
            r.quantity,
            {},
            r.colour,
            datetime.date.fromisoformat(r.due_on) if r.due_on else None,
            r.priority,
        )
        for r in read_order(text, articles)
    ]


@connected
def stand(batch_id: int, standing: Standing) -> None:
    """Hold a batch, take it up again, or give it up: its lays are given up then, and its leather is let go.

    Raises Refused for a batch that is being cut and is to be given up.
    """
    if standing not in STANDINGS:
        raise Refused(f"a standing {standing!r}", value=standing, expected="one of " + ", ".join(STANDINGS))
    if standing != "given up":
        row = locked_batch(batch_id)
    else:
        lay_ids, hide_ids = _lays_and_leather(batch_id)
        held = hold_lays(lay_ids, hide_ids, [batch_id])
        if _lays_and_leather(batch_id) != (lay_ids, hide_ids):
            raise TakeAgain
        row = BatchRow.get_by_id(batch_id)
        if row.state == "cut":
            raise Refused(
                f"{row.number} is cut", value=row.number, expected="a batch whose cutting has not begun"
            )
        for lay in held:
            lays.given_up_held(lay, True)
        spoken_for.let_go(row.id, list(HideRow.select().where(HideRow.id.in_(hide_ids or [0]))))
        BatchRow.update(state="planned").where(BatchRow.id == row.id).execute()
    BatchRow.update(standing=standing).where(BatchRow.id == row.id).execute()


def _lays_and_leather(batch_id: int) -> tuple[list[int], list[int]]:
    """The lays of a batch that are not given up, and the hides that it keeps, by id. Raises NotFound."""
    if not BatchRow.select().where(BatchRow.id == batch_id).exists():
        raise NotFound(f"there is no batch {batch_id}", value=batch_id)
    begun = LayRow.select(LayRow.id).where(LayRow.batch == batch_id, ~LayRow.given_up).order_by(LayRow.id)
    kept = BatchHideRow.select(BatchHideRow.hide).where(BatchHideRow.batch == batch_id)
    return [lay.id for lay in begun], sorted(row.hide_id for row in kept)


@connected
def copy(batch_id: int, number: str) -> int:
    """Order the same once more, at the articles' newest revisions; return the new batch's id. Raises Refused
    for a number that is taken, or an article that is there no longer.
    """
    row = locked_batch(batch_id)
    if BatchRow.select().where(BatchRow.number == number).exists():
        raise Refused(f"there is a batch {number} already", value=number, expected="a number of its own")
    lines = batch_by_id(batch_id).ordered
    known = checked(lines)
    made = BatchRow.create(
        number=number,
        name=row.name,
        state="planned",
        gap_mm=row.gap_mm,
        grain_school=row.grain_school,
        match_sets=row.match_sets,
    )
    for line in lines:
        put_line(made.id, replace(line, due_on=None), known[line.article_id].revision_id)
    return int(made.id)


def asks_otherwise(batch: Batch, material: str, job: Job) -> bool:
    """Whether a batch asks for other pieces, or another number of them, than a lay of it was asked."""
    now = {p.id: p.quantity for p in pieces_of_batch(batch.lines, material)}
    return now != {p.id: p.quantity for p in job.pieces}


def _job_now(batch: Batch, material: str, job: Job) -> Job:
    hides = [replace(h, reserved=tuple(r for r in h.reserved if not r.lane)) for h in job.hides]
    now = job_for(
        job.name,
        batch.lines,
        material,
        hides,
        Policy(batch.gap_mm, batch.grain_school),
        job.objective,
        batch.match_sets,
        rack=job.rack,
    )
    return replace(now, hides=tuple(hides))


@connected
def bring(lay_id: int, *, base: int) -> tuple[int, int]:
    """Bring a lay onto what its batch orders now: what is wanted still stays where it lies, the rest is taken
    up. Return its newest revision, and how many pieces were taken up.

    Raises Stale where revision ``base`` is not the newest, BadJob where nothing of the material is ordered.
    """
    row = hold_lay(lay_id)
    saved = lays.load(lay_id)
    now = _job_now(batch_of_lay(lay_id), saved.material, saved.job)
    kept = [
        c
        for c in saved.changes
        if c.kind in OF_RULES and (c.kind in ("gap", "grain", "lane", "start") or c.of in now.pieces_by_id)
    ]
    job = changed(now, kept)
    lay = carried(job, saved.lay)
    head = lays.ask_anew(row, job, lay, saved.leather, base=base, changes=kept)
    return head, len(saved.lay.placements) - len(lay.placements)
