"""A lay asked otherwise: what may be asked, the job that it comes to, and taking an answer."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any, Final

from fairlay.core.errors import BadJob, NotFound, Refused, Stale
from fairlay.core.lay.lay import Job, Lay, Unplaced
from fairlay.core.lay.measures import measure
from fairlay.core.lay.order import at_least, pieces_of_batch
from fairlay.core.lay.what_if import Change, asked_often, carried, changed, eased, reckoned
from fairlay.store import jobs, lays, spoken_for
from fairlay.store.batches import Batch, articles_of_lay, batch_by_id, batch_of_lay, in_ways, together
from fairlay.store.database import connected
from fairlay.store.hides import hides_by_id, rack
from fairlay.store.insisted import insisted_keys
from fairlay.store.lay_rows import read_written, rounded, written
from fairlay.store.lays import LaidOn, SavedLay
from fairlay.store.locks import hold_lay
from fairlay.store.tables import HideRow

MOST_ASKED: Final = 24
"""Questions in one go; each takes its seconds."""
OTHER_HIDES: Final = 6


@dataclass(frozen=True)
class Answer:
    """What came of one question: nothing asked otherwise in the first. ``reckoned`` is money for the leather,
    with what the pieces that lie nowhere would take more.
    """

    changes: tuple[Change, ...]
    lay: Lay
    placed: int
    wanted: int
    used_m2: float
    cost: float
    yield_of_used: float
    reckoned: float
    refused: str = ""


@connected
def questions(lay_id: int) -> tuple[tuple[Change, ...], tuple[Change, ...]]:
    """Return what may be asked of a lay: rules that could be eased, and the rest. Raises NotFound."""
    saved = lays.load(lay_id)
    other = list(asked_often(saved.job))
    taken = ways_in(saved.changes)
    for slug, article, chosen, _ in articles_of_lay(lay_id):
        for part, ways in article.parts().items():
            now = taken.get(slug, {}).get(part, chosen.get(part, ways[0]))
            other += [Change("way", f"{slug}/{part}", 0.0, way) for way in ways if way != now]
    own = {on.hide_id for on in saved.leather}
    found = [h for h in rack() if h.material == saved.material and h.id not in own and h.state != "used up"]
    kept = spoken_for.kept_by_others(saved.batch_id, [h.id for h in found])
    free = [h for h in found if h.id not in kept]
    return eased(saved.job), (*other, *(Change("with", h.number) for h in free[:OTHER_HIDES]))


@connected
def job_asked(saved: SavedLay, changes: Sequence[Change]) -> tuple[Job, list[LaidOn]]:
    """Return the job that a lay comes to when it is asked otherwise, and the hides it is on then.

    Raises BadJob and BadPattern for what cannot be asked, NotFound for a hide that is not there.
    """
    job, leather = saved.job, list(saved.leather)
    for change in changes:
        if change.kind == "with":
            job, on = _with_hide(job, saved.material, change.of)
            leather.append(on)
    if any(c.kind == "way" for c in changes):
        job = _with_ways(saved, job, ways_in([*saved.changes, *changes]))
    job = changed(job, changes)
    rows = HideRow.select(HideRow.id, HideRow.number).where(HideRow.id.in_([on.hide_id for on in leather]))
    numbers = {row.id: row.number for row in rows}
    return job, [on for on in leather if numbers[on.hide_id] in job.hides_by_id]


def _with_hide(job: Job, material: str, number: str) -> tuple[Job, LaidOn]:
    row = HideRow.select(HideRow.id).where(HideRow.number == number, HideRow.material == material)
    found = row.get_or_none()
    if found is None or number in job.hides_by_id:
        raise NotFound(f"there is no other {material} {number}", value=number)
    kept = hides_by_id([found.id])[0]
    return replace(job, hides=(*job.hides, kept.hide)), LaidOn(kept.id, kept.version)


def _with_ways(saved: SavedLay, job: Job, ways: Mapping[str, Mapping[str, str]]) -> Job:
    """A job whose pieces of some articles are made in other ways."""
    known = articles_of_lay(saved.id)
    for slug in ways:
        if slug not in {a[0] for a in known}:
            words = f"nothing is laid of {slug!r}"
            raise BadJob(words, value=slug, expected="one of " + ", ".join(a[0] for a in known))
    lines = [x for x in batch_of_lay(saved.id).lines if x.article.slug in ways]
    made = pieces_of_batch(in_ways(lines, known, ways), saved.material)
    rest = [p for p in job.pieces if p.set_name not in ways]
    return replace(job, pieces=(*rest, *(at_least(p, job.policy.gap_mm) for p in made)))


def ways_in(changes: Iterable[Change]) -> dict[str, dict[str, str]]:
    """Return the ways of making parts that changes ask for, by article and part."""
    ways: dict[str, dict[str, str]] = {}
    for change in changes:
        if change.kind == "way":
            slug, _, part = change.of.rpartition("/")
            ways.setdefault(slug, {})[part] = change.way
    return ways


@connected
def batch_asked(saved: SavedLay) -> Batch:
    """Return the batch of a lay (of several, all together) with its parts made as the lay has them."""
    others = [batch_by_id(i) for i in saved.with_batches]
    batch, ways = together(batch_by_id(saved.batch_id), others), ways_in(saved.changes)
    return replace(batch, lines=in_ways(batch.lines, articles_of_lay(saved.id), ways)) if ways else batch


def answer(changes: Sequence[Change], job: Job, lay: Lay) -> dict[str, Any]:
    """Return an answer as the job keeps it."""
    kept = replace(lay, placements=rounded(lay.placements))
    m = measure(job, kept)
    return {
        "changes": [[c.kind, c.of, c.to, c.way] for c in changes],
        "lies": written(kept.placements),
        "unplaced": [[u.piece, u.count, u.reason] for u in lay.unplaced],
        "placed": m.placed,
        "wanted": m.wanted,
        "used_m2": m.used_m2,
        "cost": m.cost,
        "yield_of_used": m.yield_of_used,
        "reckoned": reckoned(m, job, kept),
    }


@connected
def answers(job_id: int) -> list[Answer]:
    """Return the answers that a job has found so far. Raises NotFound."""
    return [
        Answer(
            tuple(Change(*c) for c in row.pop("changes")),
            Lay(tuple(map(read_written, row.pop("lies"))), tuple(Unplaced(*u) for u in row.pop("unplaced"))),
            **row,
        )
        for row in jobs.kept_result(job_id) or []
    ]


@connected
def answered(lay_id: int, job_id: int, number: int) -> tuple[SavedLay, Answer, list[LaidOn]]:
    """Return a lay as an answer has it: its job and what lies; with the hides it is on. Raises NotFound."""
    job = jobs.job_by_id(job_id)
    found = answers(job_id) if job.kind == "what if" and job.subject == lay_id else []
    if not 0 <= number < len(found):
        raise NotFound(f"lay {lay_id} was given no answer {number} by job {job_id}", value=number)
    saved = lays.load(lay_id, job.what_if_work.base)
    asked, leather = job_asked(saved, found[number].changes)
    all_changes = (*saved.changes, *found[number].changes)
    return replace(saved, job=asked, lay=found[number].lay, changes=all_changes), found[number], leather


@connected
def take(lay_id: int, job_id: int, number: int, *, base: int) -> int:
    """Have a lay be what an answer has, asked as it was; return the number of the new revision.

    Raises Stale where the lay went on since it was asked, Refused for the one that asks nothing otherwise and
    is no better.
    """
    saved, found, leather = answered(lay_id, job_id, number)
    if base != saved.at:
        raise Stale("this was tried with the lay as it stood before; try it again", newer=base)
    row = hold_lay(lay_id, (on.hide_id for on in leather))
    _keep_for(saved, leather)
    return lays.ask_anew(
        row,
        saved.job,
        found.lay,
        leather,
        base=base,
        changes=saved.changes,
        source="what if",
    )


@connected
def ask_now(lay_id: int, changes: Sequence[Change], *, base: int) -> tuple[int, int]:
    """Ask a lay otherwise from now on; what cannot lie so is taken up. Return its newest revision, and how
    many pieces were taken up. Raises Refused where nothing is asked, Stale as ``lays.save`` does.
    """
    if not changes:
        raise Refused("nothing is asked otherwise", value=0, expected="at least one change")
    row = hold_lay(lay_id, _hides_named(changes))
    saved = lays.load(lay_id)
    job, leather = job_asked(saved, changes)
    lay = carried(replace(job, excused=insisted_keys(lay_id)), saved.lay)
    _keep_for(saved, leather)
    head = lays.ask_anew(
        row, job, lay, leather, base=base, changes=(*saved.changes, *changes), source="what if"
    )
    return head, len(saved.lay.placements) - len(lay.placements)


def _hides_named(changes: Iterable[Change]) -> list[int]:
    """The hides that changes lay on besides those of the lay, by id; one that is not there is left out."""
    numbers = [c.of for c in changes if c.kind == "with"]
    rows = HideRow.select(HideRow.id).where(HideRow.number.in_(numbers)) if numbers else []
    return [int(row.id) for row in rows]


def _keep_for(saved: SavedLay, leather: Sequence[LaidOn]) -> None:
    """Keep the hides for the lay's batch that are new to it."""
    known = {on.hide_id for on in saved.leather}
    new = [on.hide_id for on in leather if on.hide_id not in known]
    if new:
        rows = HideRow.select().where(HideRow.id.in_(new)).order_by(HideRow.id)
        spoken_for.keep(saved.batch_id, list(rows))
