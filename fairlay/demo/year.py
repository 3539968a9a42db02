"""A year of Quillback Yard's records: hides bought, laid, cut piece by piece and closed.

Some things are true of it that the Book should find: Oxlade Pits' third grade is flawed, one lot of theirs
was bad, gussets are spoilt more often than anything else, and one cutter began slowly and got better.
"""

from __future__ import annotations

import datetime
import json
import math
import time
import uuid
from collections.abc import Callable, Iterator, Sequence
from dataclasses import asdict, dataclass, replace
from typing import Any, Final

import numpy as np
from shapely.geometry.base import BaseGeometry

from fairlay.core.cutting.left_over import account_of_cut, left_over
from fairlay.core.cutting.plan import Bench, cut_plan
from fairlay.core.engine import lay_job
from fairlay.core.forecast.stock import Source, made_up
from fairlay.core.formats.exchange import write_job
from fairlay.core.lay.lay import Job, Lay, Placement
from fairlay.core.lay.measures import measure, worth
from fairlay.core.lay.order import Line, cutlist, pieces_of_batch
from fairlay.core.leather import Hide
from fairlay.core.rules import Policy
from fairlay.core.shapes.placing import place_region
from fairlay.demo.patterns import BODY, articles
from fairlay.demo.workshop import FERROW, OXLADE, fill_if_empty
from fairlay.store import book, book_lists, people
from fairlay.store import database as store
from fairlay.store.articles import all_articles
from fairlay.store.book_rows import NoteRow
from fairlay.store.clock import now
from fairlay.store.database import connected
from fairlay.store.hides import shape_values
from fairlay.store.lay_rows import written
from fairlay.store.tables import (
    BatchLineRow,
    BatchRow,
    DeliveryRow,
    GivenNumberRow,
    HideRow,
    LayHideRow,
    LayJobRow,
    LayRevisionRow,
    LayRow,
    LaySnapshotRow,
)

HIDES: Final = 3_000
"""They are cut into some 400,000 pieces."""
HIDES_A_LAY: Final = 8
LOT: Final = 24
DAYS: Final = 364
ORDERS: Final = (
    (("hearth-bellows", 24), ("camp-chair", 60)),
    (("camp-chair", 56), ("tripod-stool", 60)),
    (("log-sling", 40), ("camp-chair", 60)),
    (("stove-mitt", 60), ("camp-chair", 60)),
)
LEATHERS: Final = (
    Source("", "side", BODY, FERROW, "1", 104.0, 2.05, 0.12, (2.4, 1.4, 0.6)),
    Source("", "side", BODY, FERROW, "2", 88.0, 2.0, 0.14, (4.0, 3.0, 1.4)),
    Source("", "side", BODY, OXLADE, "1", 96.0, 1.85, 0.12, (2.6, 1.6, 0.7)),
    Source("", "side", BODY, OXLADE, "3", 71.0, 1.8, 0.15, (6.0, 6.5, 3.4)),
)
FEW_LAYS: Final = 20
BAD_LOT: Final = 3
"""Of Oxlade's first grade, the lot that came bad."""
SPOILS: Final = {"gusset": 0.045, "board-face": 0.02, "cradle": 0.018}
USUAL_SPOIL: Final = 0.008
REASONS: Final = ("knife slipped", "flaw seen only now", "grain lifted", "pattern moved")
CUTTERS: Final = (
    ("Tobin", "cutter", 1.12, 0.0),
    ("Isolde", "cutter", 0.97, 0.0),
    ("Fenn", "apprentice", 1.7, -0.5),
)
"""Name, role, pace, and by how much that changes over the year."""


@dataclass(frozen=True)
class _Cut:
    """One hide of a template: where its pieces lie, what they take, its account and plan."""

    hide: Hide
    lies: tuple[Placement, ...]
    seconds: dict[tuple[str, int], float]
    account: dict[str, Any]
    planned: dict[str, float]
    minutes: float
    kept_share: float
    areas: dict[str, float]


@dataclass(frozen=True)
class _Template:
    source: Source
    order: tuple[tuple[str, int], ...]
    job: Job
    document: str
    measures: dict[str, Any]
    worth: float
    cuts: tuple[_Cut, ...]


def _template(
    source: Source, order: tuple[tuple[str, int], ...], seed: int, many: int = HIDES_A_LAY
) -> _Template:
    known = {a.slug: a for a in articles()}
    lines = [Line(cutlist(known[slug]), n) for slug, n in order]
    pieces = tuple(replace(p, splits=()) for p in pieces_of_batch(lines, BODY))
    hides = tuple(made_up(source, f"HIDE{k}#", np.random.default_rng([seed, k])) for k in range(many))
    left = {p.id: p.quantity for p in pieces}
    lies: list[Placement] = []
    for hide in hides:
        # Each hide takes its share of every piece, so that all of them bear the whole order.
        share = {i: max(1, math.ceil(n / HIDES_A_LAY * 1.1)) for i, n in ((p.id, p.quantity) for p in pieces)}
        own = tuple(
            replace(p, quantity=_even(min(left[p.id], share[p.id]), p.pair)) for p in pieces if left[p.id] > 0
        )
        job = Job("year", (hide,), own, Policy(1.0), "fill", seed=seed)
        lay = lay_job(job, time.monotonic, seconds=60.0, steps=1, reasons=False)
        first = {p.id: p.quantity - left[p.id] for p in pieces}
        lies += [replace(p, copy=first[p.piece] + p.copy) for p in lay.placements]
        for i, n in lay.counts(job).items():
            left[i] -= n
    job = Job("year", hides, pieces, Policy(1.0), "fill", seed=seed)
    # Copies that were left out on one hide leave holes in their numbers: numbered anew.
    lies = _numbered(lies)
    whole = Lay(tuple(lies))
    m = measure(job, whole)
    tools = {f"{a.slug}/{p.slug}": p.tool for a in known.values() for p in a.pieces}
    cuts = tuple(_cut(job, hide, [p for p in lies if p.hide == hide.id], whole, tools) for hide in hides)
    return _Template(source, order, job, json.dumps(write_job(job)), asdict(m), worth(job, m), cuts)


def _even(n: int, pair: bool) -> int:
    return n - n % 2 if pair else n


def _numbered(lies: Sequence[Placement]) -> list[Placement]:
    seen: dict[str, int] = {}
    out = []
    for p in lies:
        out.append(replace(p, copy=seen.get(p.piece, 0)))
        seen[p.piece] = seen.get(p.piece, 0) + 1
    return out


def _cut(job: Job, hide: Hide, lies: Sequence[Placement], lay: Lay, tools: dict[str, Any]) -> _Cut:
    regions: list[BaseGeometry] = [place_region(job.pieces_by_id[p.piece].region, p.at) for p in lies]
    kept = [part.ground for part in left_over(hide, regions) if part.keep]
    account = account_of_cut(job, hide, regions, [], kept)
    bench = Bench()
    plan = cut_plan(job, hide, lay.placements, tools, bench)
    return _Cut(
        hide,
        tuple(lies),
        {s.piece: s.seconds for s in plan.steps},
        asdict(account),
        {
            "pieces": len(lies),
            "pieces_m2": account.good_m2,
            "used_m2": account.whole_m2 - account.kept_m2,
        },
        plan.minutes,
        account.kept_m2 / account.whole_m2,
        {p.id: p.area_mm2 / 1e6 for p in job.pieces},
    )


def put_year(
    hides: int = HIDES, seed: int = 1, say: Callable[[str], None] = lambda _: None
) -> tuple[int, int]:
    """Put a year of records beside the demo workshop, which is put into an empty store first; return how
    many hides and pieces. Nothing of it is put twice: a store that holds closed hides is left as it is.
    """
    fill_if_empty()
    if _has_records():
        return 0, 0
    rng = np.random.default_rng(seed)
    say("laying hides to be repeated ...")
    bad = replace(LEATHERS[2], flaws_per_m2=(9.0, 9.0, 6.0))
    wanted = [(source, ORDERS[(i + j) % len(ORDERS)]) for j in range(2) for i, source in enumerate(LEATHERS)]
    lays = math.ceil(hides / HIDES_A_LAY)
    each = min(HIDES_A_LAY, hides)
    made = [_template(s, order, seed * 100 + k, each) for k, (s, order) in enumerate(wanted[:lays])]
    bad_one = _template(bad, ORDERS[0], seed * 100 + 90) if lays > FEW_LAYS else made[0]
    say("writing the year down ...")
    count = connected(lambda: _write(made, bad_one, hides, rng))()
    say("summing it up ...")
    book.keep_up()
    return count


@connected
def _has_records() -> bool:
    return book_lists.told().hides > 0


def _write(
    made: Sequence[_Template], bad: _Template, hides: int, rng: np.random.Generator
) -> tuple[int, int]:
    known = {p.name: p.id for p in people.people()}
    cutters = [
        (known[name] if name in known else people.add(name, role).id, pace, drift)
        for name, role, pace, drift in CUTTERS
    ]
    revisions = {k.article.slug: k for k in all_articles()}
    first = now() - datetime.timedelta(days=DAYS)
    numbers = _Numbers()
    ticks = _Ticks(rng)
    lots: dict[str, tuple[int, int, int]] = {}
    n_lays = math.ceil(hides / HIDES_A_LAY)
    done = 0
    for k in range(n_lays):
        template = made[int(rng.integers(len(made)))]
        source = template.source
        at = first + datetime.timedelta(days=DAYS * k / n_lays)
        key = f"{source.mill} {source.grade}"
        delivery, used, which = lots.get(key, (0, LOT, 0))
        if used >= LOT:
            delivery, used, which = _delivery(source, at, which), 0, which + 1
        lots[key] = (delivery, used + HIDES_A_LAY, which)
        if key == f"{OXLADE} 1" and which == BAD_LOT:
            template = bad
        wanted = min(HIDES_A_LAY, hides - done)
        _lay(template, delivery, at, k, wanted, cutters, revisions, numbers, ticks, rng)
        done += wanted
    ticks.flush()
    chair = revisions["camp-chair"]
    NoteRow.create(
        subject="article", of=chair.id, piece="post-loop", words="loop too tight on the post", made_at=now()
    )
    return done, ticks.pieces


class _Numbers:
    """Numbers of hides, a series for each mill."""

    def __init__(self) -> None:
        self.next = {FERROW: 1000, OXLADE: 1000}

    def __call__(self, mill: str) -> str:
        self.next[mill] += 1
        return f"{mill[0]}-{self.next[mill]}"


def _delivery(source: Source, at: datetime.datetime, which: int) -> int:
    day = (at - datetime.timedelta(days=9)).date()
    lot = f"{source.mill[0]}{source.grade}-{day:%y%m}-{which + 1}"
    invoice = {
        "v": 1,
        "mill": source.mill,
        "lot": lot,
        "price": source.price_per_m2,
        "unit": "m2",
        "material": BODY,
        "tannage": "vegetable",
        "finish": "plain",
        "colour": "chestnut" if source.mill == FERROW else "russet",
        "temper": "medium",
        "thickness_mm": 2.3,
        "grade": source.grade,
        "area": LOT * source.area_m2,
        "hides": LOT,
    }
    row = DeliveryRow.create(
        mill=source.mill, lot=lot, invoice=invoice, received_on=day, closed=True, created_at=at
    )
    return int(row.id)


def _lay(
    template: _Template,
    delivery: int,
    at: datetime.datetime,
    k: int,
    wanted: int,
    cutters: Sequence[tuple[int, float, float]],
    revisions: dict[str, Any],
    numbers: _Numbers,
    ticks: _Ticks,
    rng: np.random.Generator,
) -> None:
    source = template.source
    ids: dict[str, str] = {}
    rows: dict[str, int] = {}
    for cut in template.cuts[:wanted]:
        number = numbers(source.mill)
        ids[cut.hide.id] = number
        rows[number] = _hide(cut, number, source, delivery, at)
    for cut in template.cuts[wanted:]:
        ids[cut.hide.id] = f"{cut.hide.id} of {k}"
    batch = BatchRow.create(
        number=f"Y-{k + 1:03d}",
        name=" and ".join(revisions[slug].article.name for slug, _ in template.order),
        state="cut",
        due_on=(at + datetime.timedelta(days=6)).date(),
        gap_mm=1.0,
    )
    for slug, n in template.order:
        kept = revisions[slug]
        BatchLineRow.create(batch=batch.id, article=kept.id, revision=kept.revision_id, quantity=n, ways={})
    document = template.document
    for old, new in ids.items():
        document = document.replace(json.dumps(old), json.dumps(new))
    lay = LayRow.create(batch=batch.id, material=BODY, objective="fill", head=2, created_at=at)
    job = LayJobRow.create(lay=lay.id, number=1, document=json.loads(document), created_at=at)
    for hide_id in rows.values():
        LayHideRow.create(lay_job=job.id, hide=hide_id, version=1)
    lies = [replace(p, hide=ids[p.hide]) for cut in template.cuts[:wanted] for p in cut.lies]
    measures = json.loads(json.dumps(template.measures))
    for own in measures["per_hide"]:
        own["hide"] = ids[own["hide"]]
    LayRevisionRow.create(
        lay=lay.id, number=1, source="begun", changes={"v": 1, "down": [], "up": [], "was": []}, created_at=at
    )
    LayRevisionRow.create(
        lay=lay.id,
        number=2,
        source="engine",
        changes={"v": 1, "down": written(lies), "up": [], "was": []},
        measures=measures,
        placed=len(lies),
        yield_of_used=measures["yield_of_used"],
        worth=template.worth,
        created_at=at,
    )
    LaySnapshotRow.create(lay=lay.id, number=2, lies=written(lies))
    share = k / max(1, math.ceil(HIDES / HIDES_A_LAY))
    for i, cut in enumerate(template.cuts[:wanted]):
        who, pace, drift = cutters[int(rng.choice(len(cutters), p=(0.45, 0.4, 0.15)))]
        ticks.cut(
            cut,
            lay.id,
            rows[ids[cut.hide.id]],
            at + datetime.timedelta(hours=9 * i),
            who,
            pace + drift * share,
            source.price_per_m2,
        )


def _hide(cut: _Cut, number: str, source: Source, delivery: int, at: datetime.datetime) -> int:
    area = cut.hide.region.area / 1e6
    GivenNumberRow.insert(number=number).on_conflict_ignore().execute()
    row = HideRow.create(
        number=number,
        kind=cut.hide.kind,
        material=BODY,
        mill=source.mill,
        colour="chestnut" if source.mill == FERROW else "russet",
        tannage="vegetable",
        temper="medium",
        thickness_mm=2.3,
        grade=source.grade,
        state="used up",
        cost_per_m2=source.price_per_m2,
        area_m2=area,
        shape=shape_values(cut.hide),
        received_on=(at - datetime.timedelta(days=9)).date(),
        delivery=delivery,
        invoice_m2=area,
        received_m2=area,
        received_cost=area * source.price_per_m2,
        cost=area * source.price_per_m2 * (1 - cut.kept_share),
        version=2,
        looked="looked over",
        looked_enough=True,
    )
    return int(row.id)


class _Ticks:
    """Cut sheets and their ticks, written many at a time."""

    SHEET = (
        "INSERT INTO cut_sheet (id, lay_id, hide_id, state, bench, planned_minutes, account, facts, "
        "begun_at, closed_at, by_id) VALUES (%s,%s,%s,'closed',%s,%s,%s,%s,%s,%s,%s)"
    )
    TICK = (
        "INSERT INTO cut_tick (sheet_id, tick, piece, copy_number, act, reason, tablet, number, revision, "
        "lies, planned_s, pressed_at, came_at, by_id) VALUES (%s,%s,%s,%s,%s,%s,'bench 1',0,2,%s,%s,%s,%s,%s)"
    )

    def __init__(self, rng: np.random.Generator) -> None:
        self.rng, self.pieces = rng, 0
        self.sheets: list[tuple[Any, ...]] = []
        self.ticks: list[tuple[Any, ...]] = []
        last = store.database.execute_sql("SELECT COALESCE(MAX(id), 0) FROM cut_sheet").fetchone()
        self.next = int(last[0])

    def cut(
        self, cut: _Cut, lay_id: int, hide_id: int, at: datetime.datetime, who: int, pace: float, price: float
    ) -> None:
        """Cut one hide: every piece in the order of its plan, some spoilt and cut again, a few left out."""
        rng = self.rng
        self.next += 1
        sheet = self.next
        begun = at
        left_out = float(rng.beta(1.2, 24.0))
        good = missed = spoilt = 0.0
        ticks: list[tuple[Any, ...]] = []

        def tick(p: Placement, act: str, reason: str, planned: float, lies: str | None) -> None:
            ticks.append(
                (
                    sheet,
                    str(uuid.UUID(bytes=rng.bytes(16))),
                    p.piece,
                    p.copy,
                    act,
                    reason,
                    lies,
                    planned,
                    at,
                    at,
                    who,
                )
            )

        for p in cut.lies:
            area = cut.areas[p.piece]
            if rng.random() < left_out:
                missed += area
                continue
            seconds = cut.seconds.get((p.piece, p.copy), 20.0)
            name = p.piece.rpartition("/")[2]
            if rng.random() < SPOILS.get(name, USUAL_SPOIL) and missed > area:
                # Spoilt, and cut again where another piece was to lie.
                reason = REASONS[int(rng.choice(len(REASONS), p=(0.5, 0.2, 0.2, 0.1)))]
                at += datetime.timedelta(seconds=float(seconds * pace * rng.lognormal(0, 0.35)))
                tick(p, "spoilt", reason, seconds, None)
                tick(p, "recut", reason, 0.0, json.dumps(written([p])[0]))
                spoilt += area
                missed -= area
            at += datetime.timedelta(seconds=max(2.0, float(seconds * pace * rng.lognormal(-0.06, 0.35))))
            tick(p, "done", "", seconds, None)
            good += area
            self.pieces += 1
        account = dict(cut.account)
        account["good_m2"], account["spoilt_m2"] = good, spoilt
        waste = dict(account["waste"])
        waste["between"] += missed
        account["waste"] = waste
        account["scrap_m2"] = account["whole_m2"] - good - spoilt - account["kept_m2"]
        waste["between"] += account["scrap_m2"] - sum(waste.values())
        account["pieces_m2"] = good + spoilt
        cost = round(account["whole_m2"] * price, 2)
        frozen = {
            "planned": cut.planned,
            "cost": cost,
            "kept_cost": round(cost * account["kept_m2"] / account["whole_m2"], 2),
            "currency": "",
        }
        self.sheets.append(
            (
                sheet,
                lay_id,
                hide_id,
                "{}",
                cut.minutes,
                json.dumps(account),
                json.dumps(frozen),
                begun,
                at,
                who,
            )
        )
        self.ticks += ticks
        if len(self.ticks) > 20_000:
            self.flush()

    def flush(self) -> None:
        """Write what is gathered."""
        cursor = store.database.cursor()
        cursor.executemany(self.SHEET, self.sheets)
        for part in _chunks(self.ticks, 4_000):
            cursor.executemany(self.TICK, part)
        self.sheets, self.ticks = [], []


def _chunks(rows: Sequence[Any], n: int) -> Iterator[Sequence[Any]]:
    for k in range(0, len(rows), n):
        yield rows[k : k + n]
