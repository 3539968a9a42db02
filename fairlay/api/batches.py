"""The Batches room: what is ordered, what it needs, what leather is chosen."""

from __future__ import annotations

from collections.abc import Hashable
from dataclasses import replace

from fastapi import APIRouter

from fairlay.api.batch_models import (
    ArticleOut,
    BatchOut,
    BatchSummary,
    BatchVersion,
    ChangedBatch,
    CopiedBatch,
    LeatherChange,
    LeatherOffer,
    LineOut,
    MaterialNeed,
    NewBatch,
    NewLay,
    NewLine,
    OrderTable,
    PieceNeed,
    PieceOut,
    ProposalOut,
    ProposedHide,
    SharesWith,
    StandingIn,
)
from fairlay.api.models import Created
from fairlay.api.shapes import grain_of, lay_summaries, piece_rings
from fairlay.core.bounds.enough import shortages
from fairlay.core.errors import Refused
from fairlay.core.lay.order import (
    Line,
    Need,
    cutlist,
    job_for,
    needs_of_batch,
    piece_id,
    pieces_of_batch,
    suits,
)
from fairlay.core.lay.propose import USUAL_SHARE, Offered, propose
from fairlay.core.pattern.words import needs_in_words
from fairlay.core.rules import Policy
from fairlay.store import (
    articles,
    batches,
    changed_leather,
    hides,
    lays,
    learned,
    ordering,
    prices,
    spoken_for,
)
from fairlay.store.batches import Batch, Ordered
from fairlay.store.fair import FairQuestion, fair_of, runs_of
from fairlay.store.hides import OnRack
from fairlay.store.lays import LaidOn, LaySummary

router = APIRouter(prefix="/api", tags=["batches"])


@router.get("/articles")
def all_articles() -> list[ArticleOut]:
    """Every article at its newest revision, with its pieces made the usual way."""
    out = []
    for kept in articles.all_articles():
        a = cutlist(kept.article, (), kept.letter)
        pieces = [
            PieceOut(
                id=piece_id(a, p),
                name=p.name,
                material=p.material,
                each=p.pattern.quantity,
                pair=p.pattern.pair,
                area_m2=p.pattern.area_mm2 / 1e6,
                needs=list(needs_in_words(p.pattern)),
                rings=piece_rings(p.pattern),
                grain_deg=grain_of(p.pattern),
                revision=kept.letter,
            )
            for p in a.pieces
        ]
        area = sum(p.pattern.area_mm2 * p.pattern.quantity for p in a.pieces) / 1e6
        parts = {part: list(ways) for part, ways in kept.article.parts().items()}
        out.append(
            ArticleOut(
                id=kept.id,
                slug=a.slug,
                name=a.name,
                revision=kept.letter,
                parts=parts,
                pieces=pieces,
                area_m2=area,
            )
        )
    return out


@router.get("/batches")
def all_batches() -> list[BatchSummary]:
    """Every batch, soonest due first."""
    found = batches.all_batches()
    other = changed_leather.lays_on_other(batch.id for batch in found)
    return [_summary(batch, batch.id in other) for batch in found]


@router.post("/batches", status_code=201)
def add_batch(asked: NewBatch) -> Created:
    """Add a batch."""
    lines = [Ordered(**line.model_dump()) for line in asked.lines]
    made = batches.add_batch(
        asked.number,
        asked.name,
        lines,
        due_on=asked.due_on,
        gap_mm=asked.gap_mm,
        grain_school=asked.grain_school,
        match_sets=asked.match_sets,
    )
    return Created(id=made)


@router.put("/batches/{batch_id}")
def change_batch(batch_id: int, asked: ChangedBatch) -> BatchVersion:
    """Change what a batch orders, until cutting begins."""
    version = ordering.change(
        batch_id,
        [Ordered(**line.model_dump()) for line in asked.lines],
        version=asked.version,
        name=asked.name.strip() or "Batch",
        due_on=asked.due_on,
        match_sets=asked.match_sets,
    )
    return BatchVersion(version=version)


@router.post("/batches/order-table")
def read_order_table(asked: OrderTable) -> list[NewLine]:
    """What a table as CSV orders: all of its rows, or each that is wrong with its reason."""
    return [NewLine.model_validate(line, from_attributes=True) for line in ordering.ordered_in(asked.text)]


@router.put("/batches/{batch_id}/standing", status_code=204)
def stand_batch(batch_id: int, asked: StandingIn) -> None:
    """Hold a batch, take it up again, or give it up."""
    ordering.stand(batch_id, asked.standing)


@router.post("/batches/{batch_id}/copies", status_code=201)
def copy_batch(batch_id: int, asked: CopiedBatch) -> Created:
    """Order the same once more."""
    return Created(id=ordering.copy(batch_id, asked.number.strip()))


@router.get("/batches/{batch_id}")
def one_batch(batch_id: int) -> BatchOut:
    """One batch: what it needs of each material, and how far each hide could serve."""
    every = batches.all_batches()
    batch = next((b for b in every if b.id == batch_id), None) or batches.batch_by_id(batch_id)
    rack = hides.rack()
    laid = lays.summaries(batch_id)
    other = changed_leather.lays_on_other([batch_id]).get(batch_id, [])
    summary = _summary(batch, bool(other))
    needs = needs_of_batch(batch.lines)
    asked = {need.material: _asked(batch, need.material, rack) for need in needs}
    fair = fair_of(list(asked.values()))
    others = spoken_for.kept_by_others(batch_id, [h.id for h in rack])
    lying = spoken_for.lays_on([h.id for h in rack], batch_id)
    beside = _beside(batch, every)
    materials = [
        _material(batch, need, asked[need.material], fair, laid, others, lying, beside) for need in needs
    ]
    return BatchOut(
        **summary.model_dump(),
        gap_mm=batch.gap_mm,
        grain_school=batch.grain_school,
        match_sets=list(batch.match_sets),
        materials=materials,
    )


@router.post("/batches/{batch_id}/leather", status_code=204)
def change_leather(batch_id: int, asked: LeatherChange) -> None:
    """Keep more leather for a batch, and let other leather go: what is not named stays as it is."""
    batches.choose_leather(batch_id, add=asked.add, drop=asked.drop, shared=asked.shared)


@router.post("/batches/{batch_id}/lays", status_code=201)
def begin_lay(batch_id: int, asked: NewLay) -> Created:
    """Begin a lay of one material of a batch on some hides, which the batch keeps from then on."""
    others = [i for i in dict.fromkeys(asked.with_batches) if i != batch_id]
    batch = batches.together(batches.batch_by_id(batch_id), [batches.batch_by_id(i) for i in others])
    chosen = hides.hides_by_id(dict.fromkeys(asked.hide_ids))
    job = job_for(
        f"{batch.number} {asked.material}",
        batch.lines,
        asked.material,
        [found.hide for found in chosen],
        Policy(batch.gap_mm, batch.grain_school),
        asked.objective,
        batch.match_sets,
        rack=prices.rack_worth(),
    )
    leather = [LaidOn(found.id, found.version) for found in chosen]
    return Created(
        id=lays.create_lay(batch_id, asked.material, job, leather, shared=asked.shared, with_batches=others)
    )


@router.get("/batches/{batch_id}/proposal")
def propose_leather(batch_id: int, material: str, leave: str = "", fix: str = "") -> ProposalOut:
    """Which hides and offcuts to open for a material of a batch at least cost, with what each would hold:
    those in ``fix`` (ids, by commas) in any case, those in ``leave`` never, nor what others keep.
    """
    batch = batches.batch_by_id(batch_id)
    question = _asked(batch, material, hides.rack())
    if not question.pieces:
        raise Refused(
            f"{batch.number} cuts nothing from {material}", value=material, expected="its materials"
        )
    others = spoken_for.kept_by_others(batch_id, [h.id for h in question.hides])
    left, fixed = _ids(leave), _ids(fix)
    free = [h for h in question.hides if h.id not in others and h.id not in left]
    fair = fair_of([replace(question, hides=free)])
    offered = [Offered(h.id, h.card.usable_m2 * h.cost_per_m2, fair[h.id]) for h in free]
    # What nobody measured or looked over is opened only where the rest is not enough.
    known = {h.id for h in free if (h.measured and h.looked_enough) or h.kind == "roll"} | fixed
    sure = [o for o in offered if o.id in known]
    found = propose(question.pieces, sure, fixed=fixed - left, match_sets=batch.match_sets)
    if not found.enough:
        found = propose(question.pieces, offered, fixed=fixed - left, match_sets=batch.match_sets)
    by_id = {h.id: (h, o) for h, o in zip(free, offered, strict=True)}
    return ProposalOut(
        hides=[
            ProposedHide(hide_id=i, number=by_id[i][0].number, price=by_id[i][1].price, holds_m2=holds)
            for i, holds in found.holds.items()
        ],
        cost=found.cost,
        enough=found.enough,
        share=USUAL_SHARE,
    )


def _ids(text: str) -> set[int]:
    """Ids by commas."""
    return {int(i) for i in text.split(",") if i.strip().isdigit()}


def _beside(batch: Batch, every: list[Batch]) -> dict[str, list[SharesWith]]:
    """Other open batches by the materials they are cut from."""
    out: dict[str, list[SharesWith]] = {}
    for other in every:
        if other.id != batch.id and other.standing == "open" and other.state != "cut":
            for material in dict.fromkeys(p.material for line in other.lines for p in line.article.pieces):
                out.setdefault(material, []).append(
                    SharesWith(batch_id=other.id, number=other.number, name=other.name)
                )
    return out


def _summary(batch: Batch, leather_changed: bool) -> BatchSummary:
    needs = needs_of_batch(batch.lines)
    return BatchSummary(
        id=batch.id,
        number=batch.number,
        name=batch.name,
        state=batch.state,
        due_on=batch.due_on,
        lines=[_line(line, asked) for line, asked in zip(batch.lines, batch.ordered, strict=True)],
        pieces=sum(n.pieces for n in needs),
        area_m2=sum(n.area_m2 for n in needs),
        chosen=len(batch.hide_ids),
        leather_changed=leather_changed,
        standing=batch.standing,
        version=batch.version,
    )


def _line(line: Line, asked: Ordered) -> LineOut:
    return LineOut(
        article_id=asked.article_id,
        ways=dict(asked.ways),
        colour=asked.colour,
        due_on=asked.due_on,
        priority=asked.priority,
        filler=asked.filler,
        article=line.article.slug,
        name=line.article.name,
        quantity=line.quantity,
        revision=line.article.revision,
    )


def _asked(batch: Batch, material: str, rack: list[OnRack]) -> FairQuestion:
    own = [found for found in rack if found.material == material and found.state != "used up"]
    return FairQuestion(
        own,
        pieces_of_batch(batch.lines, material),
        Policy(batch.gap_mm, batch.grain_school),
    )


def _material(
    batch: Batch,
    need: Need,
    asked: FairQuestion,
    fair: dict[int, dict[Hashable, float]],
    laid: list[LaySummary],
    others: dict[int, list[str]],
    lying: set[int],
    beside: dict[str, list[SharesWith]],
) -> MaterialNeed:
    names = {
        piece_id(line.article, p): (p.name, line.article.name)
        for line in batch.lines
        for p in line.article.pieces
    }
    offers = []
    for found in asked.hides:
        fit = suits(found.number, asked.pieces, fair[found.id])
        offers.append(
            LeatherOffer(
                hide_id=found.id,
                number=found.number,
                chosen=found.id in batch.hide_ids,
                usable_m2=found.card.usable_m2,
                fair_m2=fit.fair_m2,
                never=[names[p][0] for p in fit.never],
                kept_for=others.get(found.id, []),
                laid=found.id in lying,
            )
        )
    said = {piece: name for piece, (name, _) in names.items()}
    runs = runs_of(asked)
    chosen = [h.id for h in asked.hides if h.id in batch.hide_ids]
    rack = [h.id for h in asked.hides]

    def short(ids: list[int]) -> list[str]:
        return list(shortages(asked.pieces, said, [fair[i] for i in ids], [runs[i] for i in ids]))

    return MaterialNeed(
        short=short(chosen) if chosen else [],
        short_on_rack=short(rack),
        shares_with=beside.get(need.material, []),
        material=need.material,
        pieces=need.pieces,
        area_m2=need.area_m2,
        ordered_m2=need.ordered_m2,
        chosen_m2=sum(o.usable_m2 for o in offers if o.chosen),
        likely_m2=need.area_m2 / taken if (taken := learned.yield_taken(need.material)) else None,
        offers=offers,
        items=[
            PieceNeed(
                id=p.id,
                name=names[p.id][0],
                article=names[p.id][1],
                quantity=p.quantity,
                area_m2=p.area_mm2 * p.quantity / 1e6,
                needs=list(needs_in_words(p)),
                rings=piece_rings(p),
                grain_deg=grain_of(p),
            )
            for p in asked.pieces
        ],
        lays=[s for s in lay_summaries(laid) if s.material == need.material],
    )
