"""The Lay room: a lay on its hides, laid by the engine, saved, undone, exported."""

from __future__ import annotations

import json
from collections.abc import Sequence
from typing import Literal

from fastapi import APIRouter, Response

from fairlay.api.files import as_file
from fairlay.api.jobs import job_out
from fairlay.api.models import (
    Circle,
    ClassArea,
    Figures,
    FromRevision,
    GoTo,
    HideFigures,
    JobOut,
    LayOut,
    LayPiece,
    LayPlacement,
    LaySummaryOut,
    MarkLine,
    Matrix,
    Named,
    NewRevision,
    Revised,
    RevisionOut,
    RunLay,
    UnplacedOut,
)
from fairlay.api.shapes import grain_of, hide_shape, lay_summaries, piece_rings
from fairlay.core.errors import BadLay
from fairlay.core.formats.dxf import lay_dxf
from fairlay.core.formats.exchange import read_placement, write_job, write_lay
from fairlay.core.formats.svg import lay_svg
from fairlay.core.lay import Lay, Placement, broken_rules, measure
from fairlay.core.lay.account import account
from fairlay.core.lay.again import job_again
from fairlay.core.lay.order import Line, piece_id
from fairlay.core.pattern.drawn import mark_values
from fairlay.core.pattern.words import needs_in_words
from fairlay.core.shapes.placing import matrix
from fairlay.store import batches, hides, jobs, lays
from fairlay.store.lays import SavedLay
from fairlay.work.queue import hand_out

router = APIRouter(prefix="/api/lays", tags=["lays"])
ROLL_BEYOND_MM = 400.0
OTHER_END = {"tail": "neck", "neck": "tail"}
"""The engine takes the tail to be at the left: on a side of the other hand it is the neck."""


@router.get("")
def all_lays() -> list[LaySummaryOut]:
    """Every lay, newest first."""
    return lay_summaries(lays.summaries())


@router.get("/{lay_id}")
def one_lay(lay_id: int, at: int | None = None) -> LayOut:
    """A lay at a revision, the newest by default, with its figures and what could not be placed."""
    return _out(lays.load(lay_id, at))


@router.post("/{lay_id}/run", status_code=202)
def run(lay_id: int, asked: RunLay) -> JobOut:
    """Have the engine lay it, or some of its hides again, around what is pinned; follow the job to see it
    improve.
    """
    saved = lays.load(lay_id)
    again = jobs.Asked(tuple(asked.hides), tuple((p.piece, p.copy_number) for p in asked.pinned))
    job_again(saved.job, saved.lay, only=again.hides, pinned=again.pinned)
    job_id = jobs.add_job(lay_id, asked.seconds, asked.seed, again)
    hand_out(job_id, "lay")
    return job_out(jobs.job_by_id(job_id))


@router.post("/{lay_id}/revisions", status_code=201)
def save(lay_id: int, asked: NewRevision) -> Revised:
    """Save a lay changed by hand. One that breaks a rule is refused, with the rule."""
    saved = lays.load(lay_id)
    lay = Lay(tuple(read_placement(p) for p in asked.placements), saved.lay.unplaced)
    broken = broken_rules(saved.job, lay)
    if broken:
        raise BadLay(
            "; ".join(b.sentence for b in broken[:3]),
            value=len(broken),
            expected="a lay that keeps every rule; the one saved before was kept",
        )
    return Revised(head=lays.save(lay_id, lay, "hand", base=asked.base, mark=asked.mark))


@router.post("/{lay_id}/undo")
def undo(lay_id: int, asked: FromRevision) -> Revised:
    """Go back one revision. Nothing is lost: going back is a revision too."""
    return Revised(head=lays.undo(lay_id, base=asked.base))


@router.post("/{lay_id}/go-to")
def go_to(lay_id: int, asked: GoTo) -> Revised:
    """Show an earlier revision again, as the newest."""
    return Revised(head=lays.go_to(lay_id, asked.number, base=asked.base))


@router.put("/{lay_id}/revisions/{number}/mark", status_code=204)
def name_revision(lay_id: int, number: int, asked: Named) -> None:
    """Give a revision a name to find it by."""
    lays.name_revision(lay_id, number, asked.mark.strip())


@router.get("/{lay_id}/export/{kind}")
def export(
    lay_id: int, kind: Literal["svg", "dxf", "lay.json", "job.json"], hide: str | None = None
) -> Response:
    """A lay as a file at true size: SVG and DXF in mm, or the exchange JSON."""
    saved = lays.load(lay_id)
    if hide is not None and hide not in saved.job.hides_by_id:
        raise BadLay(
            f"lay {lay_id} has no hide {hide}",
            value=hide,
            expected="one of " + ", ".join(saved.job.hides_by_id),
        )
    name = f"{saved.job.name.replace(' ', '-')}-r{saved.at}"
    if kind == "svg":
        return as_file(lay_svg(saved.job, saved.lay, hide), "image/svg+xml", f"{name}.svg")
    if kind == "dxf":
        return as_file(lay_dxf(saved.job, saved.lay, hide), "image/vnd.dxf", f"{name}.dxf")
    values = write_lay(saved.lay) if kind == "lay.json" else write_job(saved.job)
    return as_file(json.dumps(values, indent=1), "application/json", f"{name}.{kind}")


def _out(saved: SavedLay) -> LayOut:
    job, lay = saved.job, saved.lay
    batch = batches.batch_by_id(saved.batch_id)
    names = _names(saved, batch.lines)
    measures = measure(job, lay)
    counts = lay.counts(job)
    lengths = {
        h.hide: (h.length_mm or 0.0) + ROLL_BEYOND_MM for h in measures.per_hide if h.length_mm is not None
    }
    newest = jobs.newest_of_lay(saved.id)
    known = hides.laid_on(h.id for h in job.hides)
    per_hide = []
    for figures in measures.per_hide:
        where = account(job, lay, job.hides_by_id[figures.hide])
        neck_left = figures.hide in known and known[figures.hide].neck_left
        per_hide.append(
            HideFigures(
                hide=figures.hide,
                pieces=figures.pieces,
                placed_m2=figures.placed_m2,
                usable_m2=figures.usable_m2,
                used_m2=figures.used_m2,
                cost=figures.cost,
                remnant_m2=figures.remnant_m2,
                remnant_end=OTHER_END.get(figures.remnant_end, figures.remnant_end)
                if neck_left
                else figures.remnant_end,
                neck_left=neck_left,
                length_mm=figures.length_mm,
                whole_m2=where.whole_m2,
                edge_m2=where.edge_m2,
                unsound_m2=where.unsound_m2,
                classes=[
                    ClassArea(
                        tightness=c.tightness, name=c.name, usable_m2=c.usable_m2, placed_m2=c.placed_m2
                    )
                    for c in where.classes
                ],
            )
        )
    return LayOut(
        id=saved.id,
        batch_id=saved.batch_id,
        batch=f"{batch.number} {batch.name}",
        material=saved.material,
        objective=saved.objective,
        gap_mm=job.policy.gap_mm,
        grain_school=job.policy.grain_school,
        head=saved.head,
        at=saved.at,
        hides=[hide_shape(h, lengths.get(h.id, 2000.0)) for h in job.hides],
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
                marks=[MarkLine(**mark_values(m)) for m in p.marks if m.draws != "pricks"],
                name_at=Circle(x=p.name_at[0], y=p.name_at[1], r=p.name_at[2]),
            )
            for p in job.pieces_by_id.values()
        ],
        placements=[_placement(p) for p in lay.placements],
        unplaced=[
            UnplacedOut(
                piece=u.piece,
                name=" ".join(reversed(names.get(u.piece, (u.piece, "")))).strip(),
                count=u.count,
                reason=u.reason,
            )
            for u in lay.unplaced
        ],
        doubts=[f"{number} is {told.doubt}" for number, told in known.items() if told.doubt],
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
            sets=_named_sets(measures.sets, batch.lines),
            sets_wanted={
                line.article.name: line.quantity for line in batch.lines if line.article.slug in measures.sets
            },
        ),
        per_hide=per_hide,
        revisions=[
            RevisionOut(
                number=r.number,
                source=r.source,
                mark=r.mark,
                stands_for=r.stands_for,
                created_at=r.created_at,
                placed=r.measures.get("placed", 0),
                yield_of_used=r.measures.get("yield_of_used", 0.0),
            )
            for r in saved.revisions
        ],
        job=job_out(newest) if newest else None,
    )


def _named_sets(sets: dict[str, int], lines: Sequence[Line]) -> dict[str, int]:
    names = {line.article.slug: line.article.name for line in lines}
    return {names.get(slug, slug): count for slug, count in sets.items()}


def _names(saved: SavedLay, lines: Sequence[Line]) -> dict[str, tuple[str, str]]:
    """Piece and article names by piece id; parts of a split are named after their piece."""
    out = {
        piece_id(line.article, p): (p.name, line.article.name) for line in lines for p in line.article.pieces
    }
    for piece in saved.job.pieces_by_id.values():
        if piece.parent and piece.parent in out:
            out[piece.id] = (
                f"{out[piece.parent][0]} part {piece.id.rsplit('.', 1)[1]}",
                out[piece.parent][1],
            )
    return out


def _placement(p: Placement) -> LayPlacement:
    a, b, c, d = matrix(p.at)
    return LayPlacement(
        piece=p.piece,
        copy_number=p.copy,
        hide=p.hide,
        matrix=Matrix(a=a, b=c, c=b, d=d, e=p.at.x, f=p.at.y),
        mirrored=p.at.mirrored,
        rotation_deg=p.at.rotation_deg,
    )
