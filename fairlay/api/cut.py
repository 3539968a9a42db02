"""The Cut room: hides begun, their plan, what is ticked at the bench, recut and closed; and what is printed
for it.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from typing import Literal

from fastapi import APIRouter, Request, Response

from fairlay.api.cut_models import (
    AccountOut,
    BeginIn,
    CalibrationOut,
    ClosedOut,
    CloseIn,
    CutBundle,
    CutChoicesIO,
    CutPiece,
    CutStep,
    MarksIn,
    PaceOut,
    PartLeft,
    PieceIn,
    PieceState,
    PlaceOut,
    RecutOut,
    RefusedTick,
    SheetOut,
    StatesOut,
    StrokeOut,
    TicksIn,
    ToCut,
)
from fairlay.api.files import as_file
from fairlay.api.laid import laid_hide, names_of, placement_out
from fairlay.api.models import Circle, Created
from fairlay.api.shapes import piece_rings
from fairlay.core.cutting.bundles import bundles_of
from fairlay.core.cutting.left_over import SizeRule
from fairlay.core.cutting.plan import STOP_SHORT, Bench, Step, ground_of_block, tool_for
from fairlay.core.cutting.plotted import plot_lines
from fairlay.core.cutting.projector import calibrated
from fairlay.core.cutting.tape import words_of
from fairlay.core.cutting.ticks import STATE_OF, Tick
from fairlay.core.formats.docket_pdf import DocketRow, Label, docket_pdf, labels_pdf, lay_print_pdf
from fairlay.core.formats.dxf import cuts_dxf
from fairlay.core.formats.hpgl import write_hpgl
from fairlay.core.lay import Job
from fairlay.core.shapes.rings import as_points, pieces_of, rings_of
from fairlay.store import batches, changed_leather, closing, cutting, lays, what_if
from fairlay.store.clock import now, seconds_at
from fairlay.store.cutting import CutChoices, Sheet
from fairlay.store.hides import told_of
from fairlay.store.lay_rows import Key
from fairlay.store.settings import leather_settings

router = APIRouter(prefix="/api", tags=["cut"])
Paper = Literal["A3", "A4", "Letter", "roll"]


@router.get("/cut")
def to_cut() -> list[ToCut]:
    """Every hide that is being cut, is laid and could be, or was cut last: in that order."""
    numbers = {b.id: f"{b.number} {b.name}" for b in batches.all_batches() if b.standing == "open"}
    begun = {(lay, hide): (sheet, state) for sheet, lay, hide, state in cutting.sheets()}
    shown = cutting.shown_sheets()
    out = []
    for one in lays.summaries():
        if one.given_up or one.batch_id not in numbers:
            continue
        for hide in one.measures.get("per_hide", []):
            sheet, state = begun.get((one.id, hide["hide"]), (None, "laid"))
            if (not hide["pieces"] and sheet is None) or (state == "closed" and sheet not in shown):
                continue
            done = shown.get(sheet or 0, 0)
            out.append(
                ToCut(
                    sheet=sheet,
                    lay_id=one.id,
                    batch=numbers[one.batch_id],
                    material=one.material,
                    hide=hide["hide"],
                    state=state,
                    pieces=max(done, hide["pieces"]),
                    done=done,
                )
            )
    order = {"open": 0, "laid": 1, "closed": 2}
    return sorted(out, key=lambda c: order.get(c.state, 3))


@router.post("/lays/{lay_id}/cut", status_code=201)
def begin_cut(lay_id: int, asked: BeginIn) -> Created:
    """Begin to cut a hide of a lay, or go on where it was begun."""
    return Created(id=cutting.begin(lay_id, asked.hide))


@router.get("/cut/{sheet_id}")
def one_cut(sheet_id: int) -> SheetOut:
    """The cutting of a hide, with its plan."""
    own = cutting.sheet(sheet_id)
    saved, job = own.saved, own.saved.job
    batch = what_if.batch_asked(saved)
    names = names_of(job, batch.lines)
    told = told_of([own.hide.id])
    here = [p for p in saved.lay.placements if p.hide == own.hide.id]
    pieces = {p.piece: job.pieces_by_id[p.piece] for p in here}
    bundles = bundles_of(job, lambda key: own.state_of(key) == "done")
    return SheetOut(
        id=own.id,
        lay_id=saved.id,
        batch=f"{batch.number} {batch.name}",
        hide_id=own.hide_id,
        hide=laid_hide(own.hide, told[own.hide.id].colour if own.hide.id in told else ""),
        state=own.state,
        head=saved.head,
        pieces=[
            CutPiece(
                id=i,
                name=names.get(i, (i, ""))[0],
                article=names.get(i, ("", ""))[1],
                rings=piece_rings(p),
                name_at=Circle(x=p.name_at[0], y=p.name_at[1], r=p.name_at[2]),
            )
            for i, p in pieces.items()
        ],
        placements=[placement_out(p) for p in here],
        steps=[_step(step, own) for step in own.plan.steps],
        states=_states(own.ticks),
        bundles=[
            CutBundle(
                article=_set_name(b.article, own, names),
                number=b.number + 1,
                pieces=len(b.pieces),
                missing=[f"{names.get(i, (i, ''))[0]} {k + 1}" for i, k in b.missing],
            )
            for b in bundles
        ],
        blocks=[
            [
                as_points(ring, 1)
                for part in pieces_of(ground_of_block(job, here, block), 1.0)
                for ring in rings_of(part)
            ]
            for block in own.plan.blocks
        ],
        cut_mm=own.plan.cut_mm,
        saved_mm=own.plan.saved_mm,
        minutes=own.plan.minutes,
        begun_at=own.begun_at,
        changed=[] if own.state != "open" else [c.words for c in changed_leather.of_lay(saved)],
        spoilt=[as_points(ring, 1) for p, _ in own.spoils for ring in [cutting.outline_of(job, p)]],
        account=None if own.account is None else AccountOut.model_validate(own.account, from_attributes=True),
    )


@router.get("/cut/{sheet_id}/placing")
def cut_placing(sheet_id: int) -> list[PlaceOut]:
    """How each piece is put down on the leather by tape, in the order of the plan."""
    own = cutting.sheet(sheet_id)
    names = _numbered(own)
    return [
        PlaceOut(piece=r.piece, copy_number=r.copy, words=words_of(r, own.hide, names), fine=r.fine)
        for r in cutting.placing(own)
    ]


@router.get("/cut/{sheet_id}/states")
def cut_states(sheet_id: int) -> StatesOut:
    """How the pieces of a hide stand now: light, for tablets that look often."""
    return _states_out(sheet_id, cutting.states(sheet_id))


@router.post("/cut/{sheet_id}/ticks")
def tick_pieces(sheet_id: int, asked: TicksIn) -> StatesOut:
    """Write down what was done at the bench: each press once, in whatever order it comes. One that cannot be
    written down is refused by itself; the others are kept.
    """
    ticks = [
        Tick(t.id, t.piece, t.copy_number, t.act, t.at_s, t.tablet, t.number, t.reason.strip())
        for t in asked.ticks
    ]
    told = cutting.tick(sheet_id, ticks)
    out = _states_out(sheet_id, told.states)
    out.refused = [RefusedTick(id=i, why=why) for i, why in told.refused.items()]
    out.late = list(told.late)
    return out


@router.post("/cut/{sheet_id}/recut", status_code=201)
def recut_piece(sheet_id: int, asked: PieceIn) -> RecutOut:
    """Find where a spoilt piece is cut again."""
    found = closing.recut(sheet_id, (asked.piece, asked.copy_number))
    return RecutOut(head=found.head, hide=found.hide)


@router.get("/cut/{sheet_id}/left")
def left_of_hide(sheet_id: int) -> list[PartLeft]:
    """What would be left of a hide if it were closed now."""
    return [
        PartLeft(
            rings=[as_points(r, 1) for r in rings_of(p.ground)],
            area_m2=p.ground.area / 1e6,
            keep=p.keep,
            why=p.why,
        )
        for p in closing.left_of(sheet_id)
    ]


@router.post("/cut/{sheet_id}/close", status_code=201)
def close_hide(sheet_id: int, asked: CloseIn) -> ClosedOut:
    """Close a hide: what is left goes on the rack or to scrap."""
    told = closing.close(sheet_id, asked.keep)
    return ClosedOut(
        account=AccountOut.model_validate(told.account, from_attributes=True),
        offcuts=list(told.offcuts),
        back_in_tray=told.back_in_tray,
    )


@router.get("/cut/{sheet_id}/docket.pdf")
def cut_docket(sheet_id: int, request: Request) -> Response:
    """The docket of a hide, for the bench."""
    own = cutting.sheet(sheet_id)
    names = _numbered(own)
    place = {r.key: words_of(r, own.hide, names) for r in cutting.placing(own)}
    rows = [
        DocketRow(
            s.number,
            names[s.piece].split(" ", 1)[1],
            ", ".join((*s.tools, *s.punches)),
            place.get(s.piece, ""),
            s.passes,
            "stop short of the corners" if STOP_SHORT in s.cautions else "",
        )
        for s in own.plan.steps
    ]
    here = [p for p in own.saved.lay.placements if p.hide == own.hide.id]
    sets = {line.article.slug: line.article.name for line in what_if.batch_asked(own.saved).lines}
    bundles = [
        f"{sets.get(b.article, b.article)} {b.number + 1}: {len(b.pieces)} pieces"
        for b in bundles_of(own.saved.job, lambda _: False)
    ]
    title = f"{own.saved.job.name}, revision {own.saved.head}"
    address = _address(request, f"/cut/{sheet_id}/bench")
    body = docket_pdf(own.saved.job, own.hide, here, own.plan, rows, bundles, title, address)
    return as_file(body, "application/pdf", f"docket-{own.hide.id}.pdf")


@router.get("/cut/{sheet_id}/labels.pdf")
def cut_labels(sheet_id: int, request: Request) -> Response:
    """Labels for the bundles of a hide's lay: what is in each, of which revision and hide, and what is
    missing.
    """
    own = cutting.sheet(sheet_id)
    job = own.saved.job
    batch = what_if.batch_asked(own.saved)
    names = names_of(job, batch.lines)
    lines = {line.article.slug: line.article for line in batch.lines}
    at = {(p.piece, p.copy): p.hide for p in own.saved.lay.placements}
    labels = []
    for b in bundles_of(job, lambda key: own.state_of(key) == "done"):
        article = lines.get(b.article)
        counted: dict[str, int] = {}
        for i, _ in b.pieces:
            counted[names.get(i, (i, ""))[0]] = counted.get(names.get(i, (i, ""))[0], 0) + 1
        on = ", ".join(sorted({at[k] for k in b.pieces if k in at}))
        few = [f"{names.get(i, (i, ''))[0]} {k + 1}" for i, k in b.missing[:2]]
        more = [f"{len(b.missing) - 2} more"] if len(b.missing) > 2 else []
        missing = ", ".join(few + more)
        labels.append(
            Label(
                f"{article.name if article else b.article} {b.number + 1}",
                (
                    f"{batch.number}, rev. {article.revision if article else ''}, of {on or 'no hide yet'}",
                    f"missing: {missing}" if missing else "whole",
                    "; ".join(f"{n} x {name}" for name, n in counted.items()),
                    *_bench_notes(job, b.pieces, names),
                ),
                _address(request, f"/cut/{sheet_id}"),
            )
        )
    return as_file(labels_pdf(labels), "application/pdf", f"labels-{own.hide.id}.pdf")


@router.get("/cut/{sheet_id}/print.pdf")
def cut_print(sheet_id: int, paper: Paper = "A3", flesh: bool = False) -> Response:
    """The lay of a hide at true size, to be laid on the leather: grain side up, or mirrored for the flesh."""
    own = cutting.sheet(sheet_id)
    lines = plot_lines(own.saved.job, own.saved.lay.placements, own.plan)
    body = lay_print_pdf(own.hide, lines, f"{own.hide.id} {own.saved.job.name}", paper=paper, flesh=flesh)
    return as_file(body, "application/pdf", f"lay-{own.hide.id}.pdf")


@router.get("/cut/{sheet_id}/plot/{kind}")
def cut_plot(sheet_id: int, kind: Literal["hpgl", "dxf"]) -> Response:
    """The plan of a hide for a plotter or a knife."""
    own = cutting.sheet(sheet_id)
    lines = plot_lines(own.saved.job, own.saved.lay.placements, own.plan)
    name = f"cut-{own.hide.id}-r{own.saved.head}"
    if kind == "dxf":
        return as_file(cuts_dxf(own.hide, lines), "image/vnd.dxf", f"{name}.dxf")
    return as_file(write_hpgl(lines, own.hide.region.bounds[3]), "application/vnd.hp-hpgl", f"{name}.plt")


@router.post("/cut-projector")
def calibrate_projector(asked: MarksIn) -> CalibrationOut:
    """How a projector sees the table, by marks that were dragged onto known places."""
    found = calibrated(asked.screen, asked.table, asked.checks)
    return CalibrationOut(matrix=found.matrix.tolist(), worst_mm=found.worst_mm)


@router.get("/cut-choices")
def cut_choices() -> CutChoicesIO:
    """How the shop cuts."""
    own = cutting.choices()
    return CutChoicesIO(
        punches_mm=list(own.bench.punches_mm),
        round_mm=list(own.bench.round_mm),
        school=own.bench.school,
        mat_mm=own.bench.mat_mm,
        pace=own.bench.pace,
        keep_m2=own.keeps.area_m2,
        keep_width_mm=own.keeps.width_mm,
    )


@router.get("/cut-pace")
def cut_pace() -> PaceOut:
    """How long cutting truly takes here, beside what is planned."""
    return PaceOut.model_validate(cutting.pace(), from_attributes=True)


@router.put("/cut-choices", status_code=204)
def choose_cut(asked: CutChoicesIO) -> None:
    """Change how the shop cuts, for hides begun from now on."""
    bench = Bench(tuple(asked.punches_mm), tuple(asked.round_mm), asked.school, asked.mat_mm, asked.pace)
    cutting.choose(CutChoices(bench, SizeRule(asked.keep_m2, asked.keep_width_mm)))


def _step(step: Step, own: Sheet) -> CutStep:
    bench = own.choices.bench
    strap = any("strap cutter" in t for t in step.tools)
    return CutStep(
        number=step.number,
        piece=step.piece[0],
        copy_number=step.piece[1],
        tools=list(step.tools),
        punches=list(step.punches),
        passes=step.passes,
        cautions=list(step.cautions),
        seconds=step.seconds,
        strokes=[
            StrokeOut(
                line=as_points(s.line, 1),
                straight=s.straight,
                tool=step.tools[0] if step.tools[:1] in (("die and press",),) else tool_for(s, bench, strap),
                short=list(s.short),
                waste=s.cuts[0].waste,
            )
            for s in step.strokes
        ],
        frees=[f"{i}#{k}" for i, k in step.frees],
    )


def _states(ticks: Mapping[Key, Tick]) -> list[PieceState]:
    return [
        PieceState(piece=i, copy_number=k, state=STATE_OF[t.act], reason=t.reason)
        for (i, k), t in ticks.items()
    ]


def _states_out(sheet_id: int, ticks: Mapping[Key, Tick]) -> StatesOut:
    head, state = cutting.head_of(sheet_id)
    return StatesOut(states=_states(ticks), head=head, state=state, at_s=seconds_at(now()))


def _numbered(own: Sheet) -> dict[Key, str]:
    """Pieces by their number in the plan and their name."""
    names = names_of(own.saved.job, what_if.batch_asked(own.saved).lines)
    return {
        s.piece: f"{s.number} {' '.join(reversed(names.get(s.piece[0], (s.piece[0], ''))))}".strip()
        for s in own.plan.steps
    }


def _set_name(slug: str, own: Sheet, names: dict[str, tuple[str, str]]) -> str:
    piece = next((p.id for p in own.saved.job.pieces if p.set_name == slug), "")
    return names.get(piece, ("", slug))[1] or slug


def _bench_notes(job: Job, pieces: Sequence[Key], names: Mapping[str, tuple[str, str]]) -> Iterator[str]:
    """What the bench needs to know of pieces: their stitching, holes, folds and skives, piece by piece."""
    for name in dict.fromkeys(i for i, _ in pieces):
        words = Counter(m.words for m in job.pieces_by_id[name].marks if m.words and m.kind != "place")
        if words:
            told = ", ".join(f"{n} x {w}" if n > 1 else w for w, n in words.items())
            yield f"{names.get(name, (name, ''))[0]}: {told}"


def _address(request: Request, path: str) -> str:
    """Where others open a page of this application."""
    return (leather_settings().address or str(request.base_url)).rstrip("/") + path
