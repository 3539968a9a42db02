"""Forecasts in the store: what was asked, on what it rests, and the deliveries that were laid for it.

A forecast is a job of the lays' queue. Its deliveries ("worlds") are rows that any worker takes, one at a
time: what was found stays, whoever stops or dies.
"""

from __future__ import annotations

import datetime
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, replace
from typing import Any, Final

import peewee

from fairlay.core.errors import BadJob, NotFound, Refused
from fairlay.core.forecast.answer import Answer, BreakEven, Laid, answer, break_even, hides_used
from fairlay.core.forecast.stock import (
    FLAWS_OF_GRADE,
    Known,
    Source,
    check_source,
    learned_source,
)
from fairlay.core.forecast.worlds import World, parts_of_order
from fairlay.core.lay.lay import Job
from fairlay.core.lay.order import Line, at_least, cutlist, pieces_of_batch
from fairlay.core.lay.what_if import Change, changed
from fairlay.core.leather import Hide
from fairlay.core.leather.usual_outline import usual_outline
from fairlay.core.pattern import Piece
from fairlay.core.rules import Policy
from fairlay.store import articles, hides, jobs
from fairlay.store.articles import by_revision
from fairlay.store.book_rows import WorldRow
from fairlay.store.clock import now
from fairlay.store.database import connected
from fairlay.store.jobs import db_ago, db_now
from fairlay.store.settings import leather_settings
from fairlay.store.table import rows_of
from fairlay.store.tables import PRACTICE, ArticleRevisionRow, BatchLineRow, DeliveryRow, HideRow, JobRow
from fairlay.store.work_asked import ForecastWork, Wanted, WorkJob, forecast_work

MOST_SOURCES: Final = 6
ROUGH, FIRM = 20, 160
"""Deliveries laid of each kind of leather, until there is a rough answer and in the end."""
PATIENT_EVERY: Final = 8
"""Of so many deliveries one is laid patiently as well."""
TAKEN_TOO_LONG_S: Final = 240.0
MOST_RECORDS: Final = 60
BASE: Final = ""


@dataclass(frozen=True)
class Part:
    """One thing that a forecast tries: under which key its deliveries are kept, its name, with which leather,
    which rule changed (empty: none), and how many times the order.
    """

    key: str
    name: str
    source: Source
    variant: str = BASE
    size: int = 1


@dataclass(frozen=True)
class Forecast:
    """A forecast as it was asked and as far as it is. ``old``: why it no longer holds, in sentences."""

    job: WorkJob
    work: ForecastWork
    worlds: int
    parts: tuple[tuple[Part, Answer, BreakEven | None], ...]
    asked_at: datetime.datetime
    old: tuple[str, ...]


@connected
def sources(material: str) -> list[Source]:
    """Return the leather of a material that the shop has bought: each mill, kind and grade with what its
    hides teach, at the newest price; the commonest first.
    """
    h = HideRow
    rows = list(
        h.select(*hides.SHOWN)
        .where(h.material == material, h.kind != "roll", h.parent.is_null(), h.state != PRACTICE)
        .order_by(h.id.desc())
    )
    groups: dict[tuple[str, str, str], list[HideRow]] = {}
    for row in rows:
        groups.setdefault((row.kind, row.mill, row.grade), []).append(row)
    out = []
    margin = leather_settings().edge_margin_mm
    seen = _known([r.id for own in groups.values() for r in own[:MOST_RECORDS]])
    every: dict[str, list[Known]] = {}
    known: dict[tuple[str, str, str], list[Known]] = {}
    for key, own in groups.items():
        known[key] = [seen[r.id] for r in own[:MOST_RECORDS] if r.id in seen]
        every.setdefault(key[0], []).extend(known[key])
    for key, own in groups.items():
        kind, mill, grade = key
        plain = Source(
            f"{mill or 'no mill'}, {kind}, grade {grade or 'not named'}",
            kind,
            material,
            mill,
            grade,
            float(own[0].cost_per_m2),
            thickness_mm=float(own[0].thickness_mm) or None,
            edge_margin_mm=margin,
        )
        usual = learned_source(plain, every[kind]) if len(every[kind]) > len(known[key]) else None
        out.append(learned_source(plain, known[key], usual))
    return sorted(out, key=lambda s: -s.n)


def _known(ids: Sequence[int]) -> dict[int, Known]:
    """What hides tell of their source, as far as they were measured: read off their shapes as they are kept,
    which are not built to be laid on.
    """
    h = HideRow
    rows = h.select(h.id, h.area_m2, h.received_m2, h.looked_enough, h.shape).where(
        h.id.in_(list(ids) or [0]), h.measured
    )
    out = {}
    for row in rows:
        own = [int(f["severity"]) for f in row.shape.get("flaws", ())]
        read = [float(r["mm"]) for r in row.shape.get("thickness", ())]
        flaws = (own.count(1), own.count(2), own.count(3)) if row.looked_enough else None
        area = float(row.received_m2 or row.area_m2)
        out[row.id] = Known(area, flaws, sum(read) / len(read) if read else None)
    return out


def stated(material: str, kind: str, area_m2: float, price_per_m2: float, quality: str) -> Source:
    """Return leather that the shop has no records of, as somebody states it. Raises BadHide."""
    if quality not in FLAWS_OF_GRADE:
        raise BadJob(f"a quality {quality!r}", value=quality, expected="one of " + ", ".join(FLAWS_OF_GRADE))
    made = Source(
        f"{quality} {kind}s of {area_m2:g} m2, as stated",
        kind,
        material,
        grade=quality,
        price_per_m2=price_per_m2,
        area_m2=area_m2,
        spread_m2=0.08 * area_m2,
        flaws_per_m2=FLAWS_OF_GRADE[quality],
    )
    check_source(made)
    return made


@connected
def ask(work: ForecastWork, seconds: float = 0.0) -> int:
    """Queue a forecast; return its job's id. Raises BadJob where nothing is to be laid, Refused for too many
    kinds of leather.
    """
    if not 1 <= len(work.sources) <= MOST_SOURCES:
        raise Refused(
            f"{len(work.sources)} kinds of leather",
            value=len(work.sources),
            expected=f"1 to {MOST_SOURCES}; nothing was begun",
        )
    if not 0 < work.margin < 0.5:
        raise Refused(
            f"a chance of being short of {work.margin:.0%}",
            value=work.margin,
            expected="more than 0 and less than half; nothing was begun",
        )
    for source in work.sources:
        check_source(source)
    pieces_of(work)
    return jobs.add_forecast(replace(work, rests=rests_on(work)), seconds)


def pieces_of(work: ForecastWork, variant: str = BASE, size: int = 1) -> tuple[Piece, ...]:
    """Return the pieces that a forecast lays: ``size`` times the order, those of a variant with its change.
    Raises BadJob.
    """
    known = by_revision(w.revision_id for w in work.lines)
    missing = [w.revision_id for w in work.lines if w.revision_id not in known]
    if missing:
        raise NotFound(f"there is no revision {missing[0]} of an article", value=missing[0])
    lines = []
    for w in work.lines:
        _, letter, article = known[w.revision_id]
        lines.append(Line(cutlist(article, tuple(sorted(w.ways.items())), letter), w.quantity * size))
    pieces = tuple(at_least(p, work.gap_mm) for p in pieces_of_batch(lines, work.material))
    if not pieces:
        raise BadJob(
            f"nothing of this order is cut from {work.material}",
            value=work.material,
            expected="a material of its pieces",
        )
    change = next((c for c in work.variants if variant_name(c) == variant), None)
    if change is None:
        return pieces
    some = Hide("some", "side", usual_outline("side", 4.0), (), 0.0)
    return changed(Job("variant", (some,), pieces, policy_of(work)), [change]).pieces


def variant_name(change: Change) -> str:
    """Return the name under which a changed rule is tried."""
    return f"{change.kind} {change.of} {change.to:g} {change.way}".strip()


def policy_of(work: ForecastWork, variant: str = BASE) -> Policy:
    """Return the policy that a forecast lays by."""
    change = next((c for c in work.variants if variant_name(c) == variant), None)
    gap = change.to if change is not None and change.kind == "gap" else work.gap_mm
    school = change.of if change is not None and change.kind == "grain" else work.grain_school
    return Policy(gap, school)  # type: ignore[arg-type]  # read as one of the schools


def parts_of(work: ForecastWork) -> list[Part]:
    """Return what a forecast tries: kinds of leather at each size of the order, and for the first of them
    each variant.
    """
    sizes = work.sizes or (1,)
    out = [
        Part(f"leather {i} x {n}", s.name if len(sizes) == 1 else f"{s.name}, {n} times", s, BASE, n)
        for i, s in enumerate(work.sources)
        for n in sizes
    ]
    first, middle = work.sources[0], sizes[len(sizes) // 2]
    for i, change in enumerate(work.variants):
        name = variant_name(change)
        out.append(Part(f"rule {i}", f"{first.name}: {name}", first, name, middle))
    return out


@connected
def take_world(job_id: int, parts: Sequence[str], most: int, owner: str) -> tuple[str, int] | None:
    """Take the next delivery that nobody lays; None where all are taken. Those that a worker took and never
    finished are taken again.
    """
    lost = (
        WorldRow.select(WorldRow.id, WorldRow.part, WorldRow.number)
        .where(WorldRow.job == job_id, WorldRow.found.is_null(), WorldRow.taken_at < db_ago(TAKEN_TOO_LONG_S))
        .first()
    )
    if lost is not None:
        mine = (
            WorldRow.update(owner=owner, taken_at=db_now())
            .where(WorldRow.id == lost.id, WorldRow.taken_at < db_ago(TAKEN_TOO_LONG_S))
            .execute()
        )
        if mine:
            return lost.part, int(lost.number)
    count = peewee.fn.COUNT(WorldRow.id)
    so_far = WorldRow.select(WorldRow.part, count).where(WorldRow.job == job_id).group_by(WorldRow.part)
    taken = {part: int(n) for part, n in rows_of(so_far)}
    # The part that is least far goes next, so that all can be compared at any time.
    for part in sorted(parts, key=lambda p: taken.get(p, 0)):
        for number in range(taken.get(part, 0), most):
            try:
                made = (
                    WorldRow.insert(job=job_id, part=part, number=number, owner=owner, taken_at=db_now())
                    .on_conflict_ignore()
                    .as_rowcount()
                    .execute()
                )
            except peewee.IntegrityError:
                made = 0
            if made:
                return part, number
    return None


@connected
def put_world(job_id: int, part: str, number: int, owner: str, laid: Laid) -> None:
    """Keep what came of a delivery; nothing where another worker has it by now."""
    found = {"quick": asdict(laid.quick), "patient": None if laid.patient is None else asdict(laid.patient)}
    WorldRow.update(found=found).where(
        WorldRow.job == job_id, WorldRow.part == part, WorldRow.number == number, WorldRow.owner == owner
    ).execute()


@connected
def leave_world(job_id: int, part: str, number: int, owner: str) -> None:
    """Let a delivery go that was not finished: whoever is idle may lay it."""
    WorldRow.delete().where(
        WorldRow.job == job_id,
        WorldRow.part == part,
        WorldRow.number == number,
        WorldRow.owner == owner,
        WorldRow.found.is_null(),
    ).execute()


@connected
def worlds_of(job_id: int) -> dict[str, list[Laid]]:
    """Return the deliveries that were laid for a forecast, by what was tried, in the order of
    their numbers.
    """
    out: dict[str, list[Laid]] = {}
    rows = WorldRow.select().where(WorldRow.job == job_id, WorldRow.found.is_null(False))
    for row in rows.order_by(WorldRow.number):
        slow = row.found["patient"]
        out.setdefault(row.part, []).append(
            Laid(_world(row.found["quick"]), None if slow is None else _world(slow))
        )
    return out


def _world(values: Mapping[str, Any]) -> World:
    return World(
        tuple(values["areas"]), float(values["last_used_m2"]), int(values["never"]), int(values["from_rack"])
    )


@connected
def count_worlds(job_id: int) -> int:
    """Return how many deliveries were laid for a forecast."""
    return int(WorldRow.select().where(WorldRow.job == job_id, WorldRow.found.is_null(False)).count())


@connected
def should_give_way(job_id: int, parts: int) -> bool:
    """Whether a lay waits for a worker; or a forecast that has no rough answer yet, where this one has."""
    if jobs.lay_waits():
        return True
    others = JobRow.select(JobRow.id).where(
        JobRow.kind == "forecast", JobRow.state == "queued", JobRow.id != job_id
    )
    waiting = [r.id for r in others]
    return (
        bool(waiting)
        and count_worlds(job_id) >= ROUGH * parts
        and any(count_worlds(i) < ROUGH for i in waiting)
    )


@connected
def forecast(job_id: int) -> Forecast:
    """Return a forecast as far as it is. Raises NotFound."""
    job = jobs.job_by_id(job_id)
    if not isinstance(job.work, ForecastWork):
        raise NotFound(f"job {job_id} is no forecast", value=job_id)
    work = job.work
    laid = worlds_of(job_id)
    out: list[tuple[Part, Answer, BreakEven | None]] = []
    each = sum(w.quantity for w in work.lines)
    base: tuple[Answer, Any] | None = None
    for part in parts_of(work):
        split = parts_of_order(pieces_of(work, part.variant, part.size), part.source.area_m2)[1]
        own = laid.get(part.key, [])
        found = answer(part.source, own, each * part.size, work.margin, split)
        if found is None:
            continue
        even = None
        if base is None:
            base = found, hides_used(own, split)
        elif part.variant == BASE and part.source != base[0].source and len(own) > 1:
            even = break_even(base[0], found, base[1], hides_used(own, split))
        out.append((part, found, even))
    row = JobRow.select(JobRow.created_at).where(JobRow.id == job_id).get()
    return Forecast(job, work, sum(map(len, laid.values())), tuple(out), row.created_at, out_of_date(work))


@connected
def newest(
    lines: Sequence[int] = (), most: int = 12
) -> list[tuple[int, ForecastWork, str, datetime.datetime]]:
    """Return the newest forecasts: job, what was asked, its state, when; the newest first."""
    rows = (
        JobRow.select(JobRow.id, JobRow.asked, JobRow.state, JobRow.created_at)
        .where(JobRow.kind == "forecast")
        .order_by(JobRow.id.desc())
        .limit(most)
    )
    out = [(r.id, forecast_work(r.asked), r.state, r.created_at) for r in rows]
    return [o for o in out if not lines or any(w.revision_id in lines for w in o[1].lines)]


@connected
def rests_on(work: ForecastWork) -> dict[str, Any]:
    """Return what a forecast rests on: hides on record and the newest of them, the day of the prices, the
    revisions of its articles, the hides of the rack that it counts on.
    """
    h = HideRow
    row = h.select(peewee.fn.COUNT(h.id), peewee.fn.MAX(h.id)).where(
        h.material == work.material, h.parent.is_null(), h.state != "practice"
    )
    count, last = rows_of(row)[0]
    d = DeliveryRow
    price = d.select(peewee.fn.MAX(d.received_on)).scalar()
    revisions = {r: _newest_of(r) for r in sorted({w.revision_id for w in work.lines})}
    rack = {
        str(r.id): [int(r.version), r.state]
        for r in h.select(h.id, h.version, h.state).where(h.id.in_(list(work.rack)))
    }
    return {
        "day": now().date().isoformat(),
        "hides": int(count or 0),
        "newest_hide": int(last or 0),
        "prices": None if price is None else price.isoformat(),
        "revisions": {str(k): v for k, v in revisions.items()},
        "rack": rack,
    }


def _newest_of(revision_id: int) -> list[int]:
    """The version of a revision, and the newest revision of its article."""
    r = ArticleRevisionRow
    own = r.get_or_none(r.id == revision_id)
    if own is None:
        return [0, 0]
    last = r.select(peewee.fn.MAX(r.id)).where(r.article == own.article_id).scalar()
    return [int(own.version), int(last)]


def out_of_date(work: ForecastWork) -> tuple[str, ...]:
    """Return, in sentences, what a forecast rests on that changed since."""
    if not work.rests:
        return ()
    before, after = dict(work.rests), rests_on(work)
    said = []
    if after["hides"] != before["hides"] or after["newest_hide"] != before["newest_hide"]:
        n = after["hides"] - before["hides"]
        said.append(
            f"{n} more hides of this leather are on record since" if n > 0 else "the records changed since"
        )
    if after["prices"] != before["prices"]:
        said.append(f"leather came at new prices on {after['prices']}")
    for revision, (version, last) in after["revisions"].items():
        was = before["revisions"].get(revision, [version, last])
        if last != was[1]:
            said.append("an article has a newer revision")
        elif version != was[0]:
            said.append("an article was changed since")
    gone = [k for k, v in before["rack"].items() if after["rack"].get(k) != v]
    if gone:
        said.append(f"{len(gone)} hides of the rack that it counts on are not as they were")
    return tuple(dict.fromkeys(said))


@connected
def lines_of_batch(batch_id: int) -> tuple[Wanted, ...]:
    """Return what a batch orders, in the ways chosen. Raises NotFound where there is nothing."""
    rows = BatchLineRow.select().where(BatchLineRow.batch == batch_id, ~BatchLineRow.filler)
    out = tuple(Wanted(r.revision_id, int(r.quantity), dict(r.ways)) for r in rows.order_by(BatchLineRow.id))
    if not out:
        raise NotFound(f"batch {batch_id} orders nothing", value=batch_id)
    return out


def usual_lines(article_ids: Sequence[tuple[int, int]]) -> tuple[Wanted, ...]:
    """Return an order of articles at their newest revisions. Raises NotFound, Refused."""
    out = []
    for article_id, quantity in article_ids:
        if not 1 <= quantity <= 100_000:
            raise Refused(f"{quantity} of an article", value=quantity, expected="1 to 100000")
        out.append(Wanted(articles.article_at(article_id).revision_id, quantity))
    if not out:
        raise Refused("nothing is ordered", value=0, expected="at least one article")
    return tuple(out)
