"""Practice: rounds to look hides over, to judge marks, to lay by hand, to spot a fault."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Final

from fastapi import APIRouter

from fairlay.api.laid import laid_hide, placement_out
from fairlay.api.practice_models import (
    Answered,
    BeginRound,
    DoneIn,
    FalseRing,
    FaultName,
    FlawTold,
    GainOut,
    LaidOut,
    MarkSeen,
    PieceDrawn,
    PracticeOut,
    PullSpot,
    QuestionOut,
    ResultOut,
    RoundOut,
    RoundRow,
    Touched,
    TouchIn,
    WaitOut,
)
from fairlay.api.shapes import piece_rings
from fairlay.core.errors import Refused
from fairlay.core.lay.order import piece_id
from fairlay.core.leather.hide import Flaw
from fairlay.core.practice import accept, fault, look
from fairlay.core.practice.better import made
from fairlay.core.practice.look import RingDrawn
from fairlay.core.rules.grain import axis_deg
from fairlay.core.shapes.rings import as_points
from fairlay.store import batches, practice
from fairlay.store.practice import Round
from fairlay.work.queue import hand_out

router = APIRouter(prefix="/api/practice", tags=["practice"])
LINES: Final = frozenset({"scratch", "vein", "fold crease", "fat wrinkle", "flay cut"})
PATCHES: Final = frozenset({"stain", "brand", "growth wrinkle", "thin spot"})


@router.get("")
def practice_record() -> PracticeOut:
    """What may be practised, and one's own record."""
    rounds = practice.record()
    return PracticeOut(
        levels={kind: practice.level_of(rounds, kind) for kind in practice.KINDS},
        most_level=look.LEVELS,
        mastered=practice.MASTERED,
        record=[_row(r) for r in rounds],
    )


def _row(r: Round) -> RoundRow:
    return RoundRow(id=r.id, kind=r.kind, level=r.level, score=r.score or 0.0, ended_at=r.ended_at)


@router.post("/rounds", status_code=201)
def begin_round(asked: BeginRound) -> RoundOut:
    """Begin a round."""
    found = practice.begin(asked.kind, asked.level)
    if found.kind == "lay":
        hand_out(found.asked["engine_job"], "what if")
    return _round(found)


@router.get("/rounds/{round_id}")
def one_round(round_id: int) -> RoundOut:
    """A round as it was asked."""
    return _round(practice.one_round(round_id))


def _round(r: Round) -> RoundOut:
    out = RoundOut(
        id=r.id, kind=r.kind, level=r.level, seconds=0.0, lay_id=r.lay_id, over=r.score is not None
    )
    if r.kind == "look":
        asked = look.look_round(r.seed, r.level)
        out.seconds = asked.seconds
        out.outline = as_points(asked.hide.outline, 1)
        out.marks = [MarkSeen(ring=as_points(f.outline, 1), looks=_looks(f)) for f in asked.seen]
        out.pulls = [PullSpot(name=n, x=x, y=y) for n, x, y, _, _ in asked.pulls]
    elif r.kind == "accept":
        found = _questions(r)
        out.seconds = accept.SECONDS_EACH[r.level] * len(found)
        out.questions = [
            QuestionOut(piece=q.piece, needs=list(q.needs), words=q.words, hidden=q.hidden) for q in found
        ]
    elif r.kind == "fault":
        lay = practice.fault_round(r.seed, r.level, r.asked)
        out.seconds = lay.seconds
        out.outline = as_points(lay.hide.outline, 1)
        out.hide = laid_hide(lay.hide, "practice")
        names = {p.id: n for n, p, _ in practice.pieces_of(r.asked["pieces"])}
        for p, ring in zip(lay.lies, lay.rings, strict=True):
            grain = lay.job.pieces_by_id[p.piece].grain
            out.pieces.append(
                PieceDrawn(
                    name=names[p.piece].rpartition(": ")[2],
                    ring=as_points(ring, 1),
                    grain_deg=None if grain.any_way else axis_deg(grain, p.at.rotation_deg, p.at.mirrored),
                    mirrored=p.at.mirrored,
                )
            )
        out.faults = [FaultName(fault=k, words=w) for k, w in fault.FAULT_WORDS.items()]
    return out


def _questions(r: Round) -> list[accept.Question]:
    return accept.questions(practice.pieces_of(r.asked["pieces"]), r.seed, r.level)


def _looks(flaw: Flaw) -> str:
    return "line" if flaw.kind in LINES else "patch" if flaw.kind in PATCHES else "spot"


@router.post("/rounds/{round_id}/touch")
def touch_hide(round_id: int, asked: TouchIn) -> Touched:
    """Put a tool to a place of the hide."""
    r = practice.one_round(round_id)
    if r.kind != "look":
        raise Refused("there is nothing to touch in this round", value=r.kind, expected="a hide to look over")
    return Touched(words=look.touch(look.look_round(r.seed, r.level), asked.tool, asked.x, asked.y))


@router.post("/rounds/{round_id}/done")
def end_round(round_id: int, did: DoneIn) -> ResultOut:
    """Say that a round is done, and hear how it came out."""
    r = practice.one_round(round_id)
    if r.kind == "lay":
        raise Refused("a lay is compared with the engine's", value=r.kind, expected="to ask for that")
    return _told(practice.end(round_id, did.model_dump(mode="json"), _score(r, did)), did)


def _score(r: Round, did: DoneIn) -> float:
    if r.kind == "look":
        return _looked(r, did).score
    if r.kind == "accept":
        return accept.accept_score(_questions(r), _answers(r, did), r.level, did.spent_s)
    lay = practice.fault_round(r.seed, r.level, r.asked)
    return fault.fault_score(lay, did.pressed, did.named, did.spent_s)


def _answers(r: Round, did: DoneIn) -> list[bool | None]:
    n = len(_questions(r))
    return [*did.answers, *([None] * n)][:n]


def _looked(r: Round, did: DoneIn) -> look.LookScore:
    rings = [RingDrawn(d.x, d.y, d.r) for d in did.rings]
    return look.look_score(look.look_round(r.seed, r.level), rings, did.pulls, did.spent_s)


@router.get("/rounds/{round_id}/result")
def round_result(round_id: int) -> ResultOut:
    """How a round came out."""
    r = practice.one_round(round_id)
    if r.done is None or (r.score is None and r.kind != "lay"):
        raise Refused("this round is not over", value=round_id, expected="to end it first")
    if r.kind == "lay":
        return _laid(r)
    return _told(r, DoneIn.model_validate(r.done))


def _told(r: Round, did: DoneIn) -> ResultOut:
    out = ResultOut(round=_row(r))
    if r.kind == "look":
        asked, scored = look.look_round(r.seed, r.level), _looked(r, did)
        missed = {m.flaw: m.money for m in scored.missed}
        out.money, out.late_s = scored.cost, scored.late_s
        out.flaws = [
            FlawTold(
                ring=as_points(f.outline, 1),
                kind=f.kind,
                severity=f.severity,
                found=k in scored.found,
                money=missed.get(k, 0.0),
            )
            for k, f in enumerate(asked.hide.flaws)
        ]
        out.false_rings = [FalseRing(ring=i, money=m) for i, m in scored.false_rings]
        out.pulls = {n: c for n, _, _, c, _ in asked.pulls}
        out.wrong_pulls = list(scored.wrong_pulls)
    elif r.kind == "accept":
        out.answers = [
            Answered(given=a, right=q.right, why=q.why)
            for q, a in zip(_questions(r), _answers(r, did), strict=True)
        ]
    else:
        lay = practice.fault_round(r.seed, r.level, r.asked)
        out.guilty, out.fault = lay.guilty, fault.FAULT_WORDS[lay.fault]
    return out


@router.post("/rounds/{round_id}/compare", status_code=202)
def compare_lay(round_id: int) -> WaitOut:
    """Have what was laid by hand compared with the engine's."""
    job_id = practice.ask_engine_on(round_id)
    hand_out(job_id, "what if")
    return WaitOut(job_id=job_id)


def _named(words: str, names: Mapping[str, str]) -> str:
    """Words with pieces called by their names; parts of a split piece by that piece's."""
    for piece, name in sorted(names.items(), key=lambda kv: -len(kv[0])):
        words = re.sub(rf"{re.escape(piece)}(~\S+)?", name, words)
    return words


def _laid(r: Round) -> ResultOut:
    found = practice.lay_result(r.id)
    if found is None:
        raise Refused("the engine is still laying", value=r.id, expected="to wait a little")
    practice.keep_score(r.id, found.score)
    names = {
        piece_id(line.article, p): p.name
        for line in batches.batch_of_lay(r.lay_id or 0).lines
        for p in line.article.pieces
    }
    lay, steps = found.lay, []
    for gain in found.gains:
        lay = made(lay, gain)
        steps.append(
            GainOut(
                words=_named(gain.words, names),
                m2=gain.m2,
                lies=[placement_out(p) for p in lay.placements],
                changed=[[p.piece, p.copy] for p in gain.down],
            )
        )
    return ResultOut(
        round=_row(practice.one_round(r.id)),
        laid=LaidOut(
            hand_m2=found.hand_m2,
            engine_m2=found.engine_m2,
            most_m2=found.most_m2,
            placed=found.placed,
            engine_placed=found.engine_placed,
            wanted=found.wanted,
            lies=[placement_out(p) for p in found.lay.placements],
            hide=laid_hide(found.job.hides[0], "practice"),
            rings={i: piece_rings(p) for i, p in found.job.pieces_by_id.items()},
            gains=steps,
        ),
    )
