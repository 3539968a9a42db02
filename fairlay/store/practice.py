"""Practice in the store: rounds, what was asked and done, what each scored; and lays that are only practised
on, with a batch and a hide of their own that stand in no list.
"""

from __future__ import annotations

import datetime
import time
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Any, Final, Literal, get_args

import numpy as np

from fairlay.core.bounds.most import most
from fairlay.core.errors import NotFound, Refused
from fairlay.core.forecast.stock import Source, made_up
from fairlay.core.lay.lay import Job, Lay
from fairlay.core.lay.measures import measure
from fairlay.core.lay.order import Line as OrderLine
from fairlay.core.lay.order import cutlist, job_for
from fairlay.core.pattern import Piece
from fairlay.core.pattern.words import needs_in_words
from fairlay.core.practice import accept, fault, look
from fairlay.core.practice.better import Gain, gains
from fairlay.core.practice.look import check_level
from fairlay.core.rules import Policy
from fairlay.store import articles, hides, jobs, lays, what_if
from fairlay.store.acting import who
from fairlay.store.batches import Ordered, put_line
from fairlay.store.book_rows import RoundRow
from fairlay.store.clock import now
from fairlay.store.database import connected
from fairlay.store.hides import About
from fairlay.store.lays import LaidOn
from fairlay.store.tables import PRACTICE, BatchRow, HideRow, LayRow
from fairlay.store.work_asked import WhatIfWork

Kind = Literal["look", "accept", "lay", "fault"]
KINDS: Final[tuple[Kind, ...]] = get_args(Kind)
ENGINE_S: Final = 12.0
AREA_AT: Final = {1: 0.5, 2: 0.8, 3: 1.2, 4: 1.7, 5: 2.2}
"""How large the side of a level is, in m2."""
WANTED_SHARE: Final = 0.75
"""So much of its area is wanted in pieces: more than anybody lays."""
KEPT_LAYS: Final = 6
"""So many practised lays of somebody are kept to be looked at again."""
MASTERED: Final = 75.0
"""Two rounds in a row at this open the next level."""


@dataclass(frozen=True)
class Round:
    """One round: kind, level, seed, what was asked; ``done`` and ``score`` once it is over."""

    id: int
    kind: Kind
    level: int
    seed: int
    asked: dict[str, Any]
    done: dict[str, Any] | None
    score: float | None
    begun_at: datetime.datetime
    ended_at: datetime.datetime | None
    lay_id: int | None


def _round(row: RoundRow) -> Round:
    return Round(
        row.id,
        row.kind,  # type: ignore[arg-type]  # written as one of the kinds
        int(row.level),
        int(row.seed),
        row.asked,
        row.done,
        None if row.score is None else float(row.score),
        row.begun_at,
        row.ended_at,
        row.lay_id,
    )


@connected
def one_round(round_id: int) -> Round:
    """Return a round of whoever acts. Raises NotFound for one of somebody else."""
    return _round(_row(round_id))


def _row(round_id: int) -> RoundRow:
    row = RoundRow.get_or_none(RoundRow.id == round_id)
    if row is None or row.person_id != who():
        raise NotFound(f"there is no round {round_id} of yours", value=round_id)
    return row


@connected
def is_own(lay_id: int, person_id: int) -> bool:
    """Whether a lay is one that somebody practises on."""
    return bool(RoundRow.select().where(RoundRow.lay == lay_id, RoundRow.person == person_id).exists())


@connected
def record(kind: str = "", most_rows: int = 200) -> list[Round]:
    """Return the rounds of whoever acts that are over, the newest first."""
    query = RoundRow.select().where(_mine(), RoundRow.score.is_null(False))
    if kind:
        query = query.where(RoundRow.kind == kind)
    return [_round(r) for r in query.order_by(RoundRow.id.desc()).limit(most_rows)]


def _mine() -> Any:
    me = who()
    return RoundRow.person.is_null() if me is None else RoundRow.person == me


def level_of(rounds: Sequence[Round], kind: str) -> int:
    """Return the level that is open to somebody: one more than the highest mastered."""
    level = 1
    for at in range(1, look.LEVELS):
        own = [r.score or 0.0 for r in reversed(rounds) if r.kind == kind and r.level == at]
        if any(min(two) >= MASTERED for two in pairwise(own)):
            level = at + 1
    return level


@connected
def begin(kind: str, level: int) -> Round:
    """Begin a round of a kind at a level that is open; return it. Raises Refused."""
    if kind not in KINDS:
        raise Refused(f"a practice {kind!r}", value=kind, expected="one of " + ", ".join(KINDS))
    check_level(level)
    opened = level_of(record(kind), kind)
    if level > opened:
        raise Refused(
            f"level {level} is not open yet",
            value=level,
            expected=f"{MASTERED:.0f} points or more, twice in a row, at level {opened}",
        )
    seed = int(np.random.default_rng().integers(1, 2**31 - 1))
    asked: dict[str, Any] = {"v": 1}
    lay_id = None
    if kind == "accept":
        asked["pieces"] = [k.revision_id for k in articles.all_articles()]
        accept.questions(pieces_of(asked["pieces"]), seed, level)
    elif kind == "fault":
        asked["pieces"] = [_some_article(seed).revision_id]
        fault_round(seed, level, asked)
    elif kind == "lay":
        lay_id, asked = _begin_lay(seed, level)
    row = RoundRow.create(
        person=who(), kind=kind, level=level, seed=seed, asked=asked, begun_at=now(), lay=lay_id
    )
    return _round(row)


def pieces_of(revision_ids: Sequence[int]) -> list[tuple[str, Piece, tuple[str, ...]]]:
    """Return the pieces of some articles' revisions: name, piece, needs in words."""
    out: list[tuple[str, Piece, tuple[str, ...]]] = []
    for _, letter, article in articles.by_revision(revision_ids).values():
        out += [
            (f"{article.name}: {p.name}", p.pattern, needs_in_words(p.pattern))
            for p in cutlist(article, (), letter).pieces
        ]
    return sorted(out, key=lambda x: x[0])


def _some_article(seed: int) -> articles.Kept:
    found = [k for k in articles.all_articles() if any(p.each for p in k.article.pieces)]
    if not found:
        raise Refused("the shop has no pieces yet", value=0, expected="an article with pieces first")
    return found[seed % len(found)]


def fault_round(seed: int, level: int, asked: dict[str, Any]) -> fault.FaultRound:
    """Return the lay of a round, as it was when it began."""
    pieces = [p for _, p, _ in pieces_of(asked["pieces"])]
    return fault.fault_round(pieces, seed, level, time.monotonic)


def _begin_lay(seed: int, level: int) -> tuple[int, dict[str, Any]]:
    """A hide, a batch and an empty lay to be laid by hand, and the engine at the same beside it."""
    kept = _some_article(seed)
    made = cutlist(kept.article, (), kept.letter)
    each: dict[str, list[float]] = {}
    for p in made.pieces:
        each.setdefault(p.material, []).append(p.pattern.area_mm2 * p.pattern.quantity / 1e6)
    # What is cut of most sorts is the most to practise on: rolls are laid for one or two.
    material = max(each, key=lambda m: (len(each[m]), sum(each[m])))
    sets = max(1, round(WANTED_SHARE * AREA_AT[level] / sum(each[material])))
    rng = np.random.default_rng([seed, level, 23])
    token = f"practice {seed}"
    source = Source("practice", "side", material, area_m2=AREA_AT[level], price_per_m2=100.0)
    hide = made_up(source, token, rng)
    today = now().date()
    about = About(material, "", "practice", "", "medium", 0.0, "", PRACTICE, today)
    hide_id = hides.add_hide(hide, about)
    batch = BatchRow.create(
        number=token,
        name=f"{sets} {kept.article.name}, to practise",
        state=PRACTICE,
        due_on=None,
        gap_mm=0.0,
        grain_school="backbone",
        match_sets=[],
    )
    put_line(batch.id, Ordered(kept.id, sets), kept.revision_id)
    row = hides.hides_by_id([hide_id])[0]
    line = OrderLine(made, sets)
    job = job_for(token, [line], material, [row.hide], Policy(), "fill", seed=seed % 10**6)
    lay_id = lays.create_lay(batch.id, material, job, [LaidOn(row.id, row.version)])
    engine_job = jobs.add_what_if(lay_id, ENGINE_S, WhatIfWork((), 1))
    _let_go_of_old()
    return lay_id, {"v": 1, "engine_job": engine_job, "material": material, "hide": hide_id}


def _let_go_of_old() -> None:
    old = RoundRow.select().where(_mine(), RoundRow.kind == "lay", RoundRow.lay.is_null(False))
    for row in list(old.order_by(RoundRow.id.desc()).offset(KEPT_LAYS).limit(50)):
        batch_id = LayRow.get_by_id(row.lay_id).batch_id
        RoundRow.update(lay=None).where(RoundRow.id == row.id).execute()
        BatchRow.delete().where(BatchRow.id == batch_id, BatchRow.state == PRACTICE).execute()
        HideRow.delete().where(HideRow.id == row.asked.get("hide"), HideRow.state == PRACTICE).execute()


@connected
def end(round_id: int, done: dict[str, Any], score: float | None) -> Round:
    """Close a round with what was done and its score. Raises NotFound, and Refused where it is over."""
    row = _row(round_id)
    if row.score is not None:
        raise Refused("this round is over", value=round_id, expected="a new one")
    RoundRow.update(done=done, score=score, ended_at=now()).where(RoundRow.id == round_id).execute()
    return one_round(round_id)


@connected
def ask_engine_on(round_id: int) -> int:
    """Have the engine go on from what somebody laid, to see what would gain most; return the job."""
    row = _row(round_id)
    if row.kind != "lay" or row.lay_id is None:
        raise NotFound(f"round {round_id} lays nothing", value=round_id)
    head = int(LayRow.get_by_id(row.lay_id).head)
    done = row.done or {}
    if done.get("head") == head and "better_job" in done:
        return int(done["better_job"])
    job_id = jobs.add_what_if(row.lay_id, ENGINE_S, WhatIfWork((), head))
    RoundRow.update(done={**done, "head": head, "better_job": job_id}).where(RoundRow.id == row.id).execute()
    return job_id


@dataclass(frozen=True)
class LayResult:
    """How a lay by hand came out beside the engine's and beside what no lay passes, in m2 of pieces; the
    changes that would have gained most.
    """

    hand_m2: float
    engine_m2: float
    most_m2: float
    placed: int
    engine_placed: int
    wanted: int
    score: float
    gains: tuple[Gain, ...]
    job: Job
    lay: Lay


@connected
def lay_result(round_id: int) -> LayResult | None:
    """Return how a round of laying by hand came out; None until the engine is done with it."""
    row = _row(round_id)
    done = row.done or {}
    if row.lay_id is None or "better_job" not in done:
        return None
    first, second = jobs.job_by_id(row.asked["engine_job"]), jobs.job_by_id(done["better_job"])
    if first.state in jobs.LIVE or second.state in jobs.LIVE:
        return None
    saved = lays.load(row.lay_id, int(done["head"]))
    job, lay = saved.job, saved.lay
    own, better = what_if.answers(first.id), what_if.answers(second.id)
    mine = measure(job, lay)
    best = max([measure(job, a.lay) for a in (*own, *better)], key=lambda m: m.value_m2, default=mine)
    usable = most(job)
    wanted = sum(p.area_mm2 * p.value * p.quantity for p in job.pieces) / 1e6
    bound = min(wanted, sum(h.usable.area for h in job.hides) / 1e6 * usable.yield_of_used)
    score = min(100.0, 100.0 * mine.value_m2 / best.value_m2) if best.value_m2 > 0 else 0.0
    found = gains(job, lay, better[0].lay) if better else ()
    return LayResult(
        mine.value_m2,
        best.value_m2,
        max(bound, best.value_m2),
        mine.placed,
        best.placed,
        mine.wanted,
        score,
        found,
        job,
        lay,
    )


@connected
def keep_score(round_id: int, score: float) -> None:
    """Keep what a round of laying scored, once: the first time it is told."""
    _row(round_id)
    RoundRow.update(score=score, ended_at=now()).where(
        RoundRow.id == round_id, RoundRow.score.is_null()
    ).execute()
