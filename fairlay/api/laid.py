"""A lay on its way to the screen: what it is asked once, how it stands as often as that changes, and
differences.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

from fairlay.api.jobs import job_out
from fairlay.api.models import (
    ChangedLeather,
    Circle,
    Figures,
    HideFigures,
    KeptOut,
    LaidDelta,
    LaidHide,
    LaidState,
    LayOut,
    LayPiece,
    LayPlacement,
    Matrix,
    PinnedPiece,
    RevisionOut,
    UnfairOut,
    UnplacedOut,
    WaitingLay,
)
from fairlay.api.shapes import grain_of, hide_shape, piece_rings
from fairlay.core.formats.read_out import MarkLine
from fairlay.core.lay import Job, Lay, Placement, measure
from fairlay.core.lay.order import Line, piece_id
from fairlay.core.lay.what_if import in_words
from fairlay.core.leather import Hide
from fairlay.core.pattern import Piece
from fairlay.core.pattern.drawn import mark_values
from fairlay.core.pattern.words import needs_in_words
from fairlay.core.rules.grain import any_way, fair_turns
from fairlay.core.shapes.placing import matrix
from fairlay.core.shapes.rings import as_points
from fairlay.store import batches, candidates, changed_leather, hides, insisted, jobs, ordering, what_if
from fairlay.store.batches import Batch
from fairlay.store.candidates import Candidate
from fairlay.store.jobs import LIVE
from fairlay.store.lay_history import Revision
from fairlay.store.lays import SavedLay
from fairlay.store.work_asked import WorkJob

ROLL_BEYOND_MM = 400.0
ROLL_SHOWN_MM = 2000.0


@dataclass(frozen=True)
class Shown:
    """What of a lay is shown: the lay that stands, or what its running search has found so far."""

    seen: str
    lay: Lay


def shown_of(saved: SavedLay, newest: WorkJob | None, found: Candidate | None) -> Shown:
    """Return what is shown of a lay at its head: the best of its search while that goes on."""
    live = newest is not None and newest.state in LIVE
    if live and found is not None and newest is not None and found.job_id == newest.id:
        return Shown(f"c{found.job_id}.{found.helper}.{found.version}", found.lay)
    return Shown(f"r{saved.at}", saved.lay)


def lay_out(saved: SavedLay) -> LayOut:
    """Return a lay with everything that is shown of it."""
    job, batch = saved.job, what_if.batch_asked(saved)
    names = names_of(job, batch.lines)
    newest = jobs.newest_of_lay(saved.id)
    found = candidates.of_lay(saved.id) if saved.at == saved.head else None
    shown = shown_of(saved, newest, found)
    told = hides.told_of(h.id for h in job.hides)
    state = state_of(saved.id, job, shown, batch)
    lengths = {f.hide: (f.length_mm or 0.0) + ROLL_BEYOND_MM for f in state.per_hide if f.length_mm}
    counts = shown.lay.counts(job)
    return LayOut(
        id=saved.id,
        batch_id=saved.batch_id,
        batch=f"{batch.number} {batch.name}",
        material=saved.material,
        objective=saved.objective,
        given_up=saved.given_up,
        gap_mm=job.policy.gap_mm,
        grain_school=job.policy.grain_school,
        head=saved.head,
        at=saved.at,
        hides=[
            laid_hide(h, told[h.id].colour if h.id in told else "", lengths.get(h.id, ROLL_SHOWN_MM))
            for h in job.hides
        ],
        pieces=[
            LayPiece(
                id=p.id,
                name=names.get(p.id, (p.id, ""))[0],
                article=names.get(p.id, ("", p.set_name or ""))[1],
                quantity=p.quantity,
                placed=counts[p.id],
                filler=p.filler,
                area_m2=p.area_mm2 / 1e6,
                needs=list(needs_in_words(p)),
                rings=piece_rings(p),
                hidden=[h.tolist() for h in p.hidden],
                grain_deg=grain_of(p),
                pair=p.pair,
                part_of=p.parent,
                turn_deg=_usual_turn(job, p, False),
                turn_over_deg=_usual_turn(job, p, True),
                tolerance_deg=180.0 if any_way(p, job.policy) else p.grain.tolerance_deg,
                reversible=p.grain.reversible,
                marks=[MarkLine(**mark_values(m)) for m in p.marks if m.draws != "pricks"],
                name_at=Circle(x=p.name_at[0], y=p.name_at[1], r=p.name_at[2]),
            )
            for p in job.pieces_by_id.values()
        ],
        state=state,
        pins=[PinnedPiece(piece=piece, copy_number=copy) for piece, copy in saved.pins],
        doubts=[f"{number} is {t.doubt}" for number, t in told.items() if t.doubt],
        changed=[
            ChangedLeather(
                hide=c.hide.id, words=c.words, hit=len(c.hits), sentences=[h.sentence for h in c.hits]
            )
            for c in changed_leather.of_lay(saved)
        ],
        asked_otherwise=ordering.asks_otherwise(batch, saved.material, job),
        changes=[in_words(c, words_for(names, batch.lines)) for c in saved.changes],
        with_batches=[batches.batch_by_id(i).number for i in saved.with_batches],
        # What a search still betters waits for nobody: it is taken in when the search ends.
        waiting=None if found is None or (newest and newest.state in LIVE) else _waiting(found),
        revisions=[revision_out(r) for r in saved.revisions],
        job=job_out(newest) if newest else None,
    )


def words_for(names: Mapping[str, tuple[str, str]], lines: Sequence[Line]) -> dict[str, str]:
    """Return names of pieces, with their article, and of articles, as sentences use them."""
    pieces = {piece: f"{article} {name}".strip() for piece, (name, article) in names.items()}
    return {**pieces, **{line.article.slug: line.article.name for line in lines}}


def _usual_turn(job: Job, piece: Piece, mirrored: bool) -> float:
    """How a piece is first held: with its grain along the backbone."""
    return fair_turns(piece, job.hides[0].backbone_deg, mirrored, job.policy)[0][0]


def revision_out(r: Revision) -> RevisionOut:
    """Return a revision as the history lists it."""
    return RevisionOut(
        number=r.number,
        source=r.source,
        mark=r.mark,
        stands_for=r.stands_for,
        created_at=r.created_at,
        placed=r.placed,
        yield_of_used=r.yield_of_used,
        by=r.by,
    )


def _waiting(found: Candidate) -> WaitingLay:
    return WaitingLay(
        job=found.job_id,
        version=found.version,
        placed=found.measures.get("placed", 0),
        yield_of_used=found.measures.get("yield_of_used", 0.0),
    )


def laid_hide(hide: Hide, colour: str, length_mm: float = ROLL_SHOWN_MM) -> LaidHide:
    """Return a hide as it was laid on."""
    shape = hide_shape(hide, length_mm)
    return LaidHide.model_construct(
        **dict(shape),
        colour=colour,
        left_end=hide.end_name(False),
        right_end=hide.end_name(True),
        kept=[KeptOut(outline=as_points(r.outline, 1), words=r.words) for r in hide.reserved],
    )


def state_of(lay_id: int, job: Job, shown: Shown, batch: Batch) -> LaidState:
    """Return how a lay stands."""
    lay = shown.lay
    names = names_of(job, batch.lines)
    words = {piece: name for piece, (name, _) in names.items()}
    measures = measure(job, lay)
    per_hide = [
        HideFigures(
            hide=figures.hide,
            pieces=figures.pieces,
            placed_m2=figures.placed_m2,
            usable_m2=figures.usable_m2,
            used_m2=figures.used_m2,
            cost=figures.cost,
            remnant_m2=figures.remnant_m2,
            remnant_end=figures.remnant_end,
            strip_mm=figures.strip_mm,
            tight_m2=figures.tight_m2,
            rack_worth=figures.rack_worth,
            length_mm=figures.length_mm,
        )
        for figures in measures.per_hide
    ]
    sets = {line.article.slug: line.article.name for line in batch.lines}
    return LaidState(
        seen=shown.seen,
        placements=[placement_out(p) for p in lay.placements],
        unplaced=[
            UnplacedOut(
                piece=u.piece,
                name=" ".join(reversed(names.get(u.piece, (u.piece, "")))).strip(),
                count=u.count,
                reason=u.reason,
            )
            for u in lay.unplaced
        ],
        figures=Figures(
            placed=measures.placed,
            wanted=measures.wanted,
            placed_m2=measures.placed_m2,
            usable_m2=measures.usable_m2,
            used_m2=measures.used_m2,
            cost=measures.cost,
            fill=measures.fill,
            yield_of_used=measures.yield_of_used,
            hides_used=measures.hides_used,
            sets={sets.get(slug, slug): count for slug, count in measures.sets.items()},
            sets_wanted={
                line.article.name: line.quantity for line in batch.lines if line.article.slug in measures.sets
            },
        ),
        per_hide=per_hide,
        unfair=[
            UnfairOut(
                piece=u.piece,
                copy_number=u.copy,
                name=names.get(u.piece, (u.piece, ""))[0],
                sentences=[by_name(sentence, words) for sentence in u.sentences],
                by=u.by,
                signed_by=u.signed_by,
            )
            for u in insisted.unfair_in(lay_id, job, lay)
        ],
    )


def by_name(sentence: str, names: Mapping[str, str]) -> str:
    """Return a sentence of the check about a hide, with pieces by their names and without the hide."""
    # The name of one piece may begin another's.
    for piece in sorted(names, key=len, reverse=True):
        sentence = sentence.replace(piece, names[piece])
    return sentence.partition(": ")[2] or sentence


def delta(before: LaidState | None, now: LaidState) -> LaidDelta:
    """Return what makes one state of a lay the next; all of it where nothing is known before."""
    known = {} if before is None else {(p.piece, p.copy_number): p for p in before.placements}
    lies = {(p.piece, p.copy_number): p for p in now.placements}
    return LaidDelta(
        was="" if before is None else before.seen,
        seen=now.seen,
        down=[p for key, p in lies.items() if known.get(key) != p],
        up=[PinnedPiece(piece=piece, copy_number=copy) for piece, copy in known if (piece, copy) not in lies],
        unplaced=now.unplaced,
        figures=now.figures,
        per_hide=now.per_hide,
        unfair=now.unfair,
    )


def names_of(job: Job, lines: Sequence[Line]) -> dict[str, tuple[str, str]]:
    """Return piece and article names by piece id, for every piece of the job; parts of a split are named
    after their piece, and a piece that the batch cuts no more by its id.
    """
    out = {
        piece_id(line.article, p): (p.name, line.article.name) for line in lines for p in line.article.pieces
    }
    for piece in job.pieces_by_id.values():
        if not piece.parent:
            out.setdefault(piece.id, (piece.id, ""))
    for piece in job.pieces_by_id.values():
        if piece.parent:
            out[piece.id] = (
                f"{out[piece.parent][0]} part {piece.id.rsplit('.', 1)[1]}",
                out[piece.parent][1],
            )
    return out


def placement_out(p: Placement) -> LayPlacement:
    """Return a piece where it lies."""
    a, b, c, d = matrix(p.at)
    return LayPlacement(
        piece=p.piece,
        copy_number=p.copy,
        hide=p.hide,
        matrix=Matrix(a=a, b=c, c=b, d=d, e=p.at.x, f=p.at.y),
        mirrored=p.at.mirrored,
        rotation_deg=p.at.rotation_deg,
    )


def keys_of(pieces: Iterable[PinnedPiece]) -> set[tuple[str, int]]:
    """Return pieces by id and copy."""
    return {(p.piece, p.copy_number) for p in pieces}
