"""The lay bench's hand: where a held piece can go, why not here, and what hands do."""

from __future__ import annotations

from collections.abc import Sequence

from fastapi import APIRouter
from shapely.affinity import translate

from fairlay.api.hand_models import (
    AngleOut,
    BecauseOut,
    Copied,
    CopyTo,
    GroundOut,
    HeldAt,
    HeldOver,
    MostOut,
    Push,
    Signing,
    SpotAsked,
    SpotFit,
    SpotOut,
    Swap,
    TurnOver,
    WentOut,
    WentStep,
    WhyOut,
)
from fairlay.api.laid import names_of, placement_out
from fairlay.api.models import ClassArea, FromRevision, PinnedPiece, Revised
from fairlay.core.bounds.most import Most, most
from fairlay.core.errors import BadLay, Refused
from fairlay.core.hand import moves
from fairlay.core.hand.open_ground import HandTable, Held
from fairlay.core.hand.spot import spot
from fairlay.core.hand.why import why
from fairlay.core.lay import Lay, Placement
from fairlay.core.lay.account import account
from fairlay.core.lay.free_copies import free_copies, other_hand
from fairlay.core.lay.went import went
from fairlay.core.pattern import Piece
from fairlay.core.shapes.rings import as_points, pieces_of, rings_of
from fairlay.store import by_hand, insisted, lay_back, lays, what_if
from fairlay.store.by_hand import InHand
from fairlay.store.lay_rows import Key
from fairlay.store.memo import JobMemo

router = APIRouter(prefix="/api/lays/{lay_id}", tags=["hand"])
LIT_DECIMALS = 2
CRUMB_MM2 = 1e-4


@router.post("/hand/ground")
def hand_ground(lay_id: int, asked: HeldAt) -> GroundOut:
    """Where a held piece can go: every place of its own origin, for the angle it is held at; several held
    together go where all of them can.
    """
    lay = by_hand.in_hand(lay_id)
    table, held = _held(lay, asked)
    lying = _lying(lay, asked.lifted)
    found = table.open_ground(held, lying)
    region, sentence = found.region, found.sentence
    for one in asked.along:
        other = table.open_ground(Held(_piece(lay, one.piece), one.turn_deg, one.mirrored), lying)
        region = region.intersection(translate(other.region, -one.dx, -one.dy))
        sentence = sentence or other.sentence
    parts = [[as_points(ring, LIT_DECIMALS) for ring in rings_of(part)] for part in pieces_of(region, 0.0)]
    return GroundOut(head=lay.head, parts=parts, sentence=sentence or "")


@router.post("/hand/why")
def hand_why(lay_id: int, asked: HeldOver) -> WhyOut:
    """Why a piece may not lie where it is held: each rule with its ground, and what would clear it."""
    lay = by_hand.in_hand(lay_id)
    table, held = _held(lay, asked)
    told = why(table, held, (asked.x, asked.y), _lying(lay, asked.lifted))
    names = names_in(lay)
    return WhyOut(
        because=[
            BecauseOut(
                rule=b.rule,
                sentence=_named(b.sentence, names),
                rings=[as_points(r, 1) for p in pieces_of(b.ground, CRUMB_MM2) for r in rings_of(p)],
            )
            for b in told.because
        ],
        nearest=None if told.nearest is None else list(told.nearest),
        help=told.help,
    )


@router.post("/hand/angle")
def hand_angle(lay_id: int, asked: HeldOver) -> AngleOut:
    """The fair angle at which a held piece finds a place nearest to where it is held."""
    lay = by_hand.in_hand(lay_id)
    table, held = _held(lay, asked)
    p = Placement(asked.piece, -1, asked.hide, held.at(asked.x, asked.y))
    best = moves.best_angle(table, p, _lying(lay, asked.lifted))
    if best is None:
        raise Refused(
            "at no angle that its grain allows is there a place for it on this hide",
            value=asked.piece,
            expected="another hide, or room made for it",
        )
    at, off = best
    return AngleOut(x=at.at.x, y=at.at.y, turn_deg=at.at.rotation_deg, off_mm=off)


@router.post("/hand/push", status_code=201)
def push_together(lay_id: int, asked: Push) -> Revised:
    """Push pieces along a way until each meets something, the foremost first."""
    lay = by_hand.in_hand(lay_id)
    moved = _placements(lay, asked.pieces)
    table = by_hand.table_for(lay.job, _one_hide(moved))
    done = moves.push(table, moved, list(lay.lies.values()), (asked.dx, asked.dy))
    return Revised(head=by_hand.act(lay_id, base=asked.base, put=done))


@router.post("/hand/swap", status_code=201)
def swap_pieces(lay_id: int, asked: Swap) -> Revised:
    """Have two pieces change places, each as near to the other's as is fair."""
    lay = by_hand.in_hand(lay_id)
    first, second = _placements(lay, [asked.first, asked.second])
    tables = [by_hand.table_for(lay.job, p.hide) for p in (first, second)]
    done = moves.swap(tables[0], first, second, list(lay.lies.values()), tables[1])
    return Revised(head=by_hand.act(lay_id, base=asked.base, put=done))


@router.post("/hand/over", status_code=201)
def turn_piece_over(lay_id: int, asked: TurnOver) -> Revised:
    """Turn a piece of a pair over where it lies; where that would leave more of one hand than are wanted, the
    nearest of the other hand is turned over too.
    """
    lay = by_hand.in_hand(lay_id)
    (p,) = _placements(lay, [asked.piece])
    turned = [p, *other_hand(lay.job, list(lay.lies.values()), p)]
    there = moves.without(list(lay.lies.values()), turned)
    done: list[Placement] = []
    for one in turned:
        found = moves.turned_over(by_hand.table_for(lay.job, one.hide), one, [*there, *done])
        if found is None:
            raise Refused(
                f"turned over, {one.piece} {one.copy + 1} has no place on {one.hide}",
                value=one.piece,
                expected="room for it; nothing was moved",
            )
        done.append(found)
    return Revised(head=by_hand.act(lay_id, base=asked.base, put=done))


@router.post("/hand/copy", status_code=201)
def copy_arrangement(lay_id: int, asked: CopyTo) -> Copied:
    """Lay an arrangement once more, from copies that do not lie yet."""
    lay = by_hand.in_hand(lay_id)
    pattern = _placements(lay, asked.pieces)
    table = by_hand.table_for(lay.job, asked.hide)
    lying = list(lay.lies.values())
    free = free_copies(lay.job, Lay(tuple(lying)))
    done = moves.copied_to(table, pattern, free, lying, (asked.dx, asked.dy))
    if not done:
        raise Refused(
            f"nothing of it finds a place there on {asked.hide}",
            value=len(pattern),
            expected="room, and copies that do not lie yet; nothing was laid",
        )
    head = by_hand.act(lay_id, base=asked.base, put=done)
    return Copied(head=head, placed=len(done), asked=len(pattern))


@router.post("/hand/spot")
def hand_spot(lay_id: int, asked: SpotAsked) -> SpotOut:
    """What a place on a hide is; where it is bare, the gap about it, and what of the tray fits there."""
    lay = by_hand.in_hand(lay_id)
    table = by_hand.table_for(lay.job, asked.hide)
    lying = list(lay.lies.values())
    counts = Lay(tuple(lying)).counts(lay.job)
    told = spot(table, (asked.x, asked.y), lying, [p for p in lay.job.pieces if counts[p.id] < p.quantity])
    names = names_in(lay)
    return SpotOut(
        sentences=[_named(s, names) for s in told.sentences],
        rings=[as_points(r, 1) for p in pieces_of(told.ground, CRUMB_MM2) for r in rings_of(p)],
        gap_m2=told.ground.area / 1e6,
        widest_mm=told.widest_mm,
        fits=[
            SpotFit(
                piece=f.piece,
                at=None if f.at is None else placement_out(f.at),
                sentence=_named(f.sentence, names),
            )
            for f in told.fits
        ],
    )


@router.get("/most")
def most_possible(lay_id: int) -> MostOut:
    """What no lay of what is asked here can pass."""
    job = by_hand.in_hand(lay_id).job
    found = _most_known.get(job, None, lambda: most(job))
    return MostOut.model_validate(found, from_attributes=True)


_most_known: JobMemo[Most] = JobMemo(16)


@router.get("/went/{hide}")
def where_it_went(lay_id: int, hide: str) -> WentOut:
    """Where the leather of a hide went, from the area bought to the area in pieces, each step with its
    ground.
    """
    lay = by_hand.in_hand(lay_id)
    leather = by_hand.table_for(lay.job, hide).hide
    found = went(lay.job, Lay(tuple(lay.lies.values())), leather)
    return WentOut(
        whole_m2=found.whole_m2,
        classes=[
            ClassArea(tightness=c.tightness, name=c.name, usable_m2=c.usable_m2, placed_m2=c.placed_m2)
            for c in account(lay.job, Lay(tuple(lay.lies.values())), leather).classes
        ],
        steps=[
            WentStep(
                kind=step.kind,
                words=step.words,
                m2=step.m2,
                share=step.m2 / found.whole_m2 if found.whole_m2 else 0.0,
                money=step.m2 * leather.cost_per_m2,
                rings=[as_points(r, 1) for p in pieces_of(step.ground, 1.0) for r in rings_of(p)],
            )
            for step in found.steps
        ],
    )


@router.post("/redo")
def redo(lay_id: int, asked: FromRevision) -> Revised:
    """Take the newest undo back."""
    return Revised(head=lay_back.redo(lay_id, base=asked.base))


@router.put("/signed", status_code=204)
def sign_for(lay_id: int, asked: Signing) -> None:
    """Answer for a piece that lies against a rule, or take that back."""
    insisted.sign(lay_id, (asked.piece.piece, asked.piece.copy_number), asked.signed)


def _held(lay: InHand, asked: HeldAt) -> tuple[HandTable, Held]:
    held = Held(_piece(lay, asked.piece), asked.turn_deg, asked.mirrored)
    return by_hand.table_for(lay.job, asked.hide), held


def _piece(lay: InHand, name: str) -> Piece:
    piece = lay.job.pieces_by_id.get(name)
    if piece is None:
        raise BadLay(f"this lay has no piece {name}", value=name, expected="one of its pieces")
    return piece


def _lying(lay: InHand, lifted: Sequence[PinnedPiece]) -> list[Placement]:
    taken = {(p.piece, p.copy_number) for p in lifted}
    return [p for key, p in lay.lies.items() if key not in taken]


def _placements(lay: InHand, pieces: Sequence[PinnedPiece]) -> list[Placement]:
    out = []
    for asked in pieces:
        key: Key = (asked.piece, asked.copy_number)
        if key not in lay.lies:
            raise BadLay(
                f"{asked.piece} {asked.copy_number + 1} does not lie",
                value=list(key),
                expected="pieces that lie; nothing was moved",
            )
        out.append(lay.lies[key])
    return out


def _one_hide(placements: Sequence[Placement]) -> str:
    found = sorted({p.hide for p in placements})
    if len(found) > 1:
        raise BadLay(f"these lie on {' and '.join(found)}", value=found, expected="pieces of one hide")
    return found[0]


_names_known: JobMemo[dict[str, str]] = JobMemo(16)


def names_in(lay: InHand) -> dict[str, str]:
    """Return the names of a lay's pieces, remembered while its job is."""
    return _names_known.get(lay.job, lay.id, lambda: _read_names(lay))


def _read_names(lay: InHand) -> dict[str, str]:
    batch = what_if.batch_asked(lays.load(lay.id))
    return {piece: name for piece, (name, _) in names_of(lay.job, batch.lines).items()}


def _named(sentence: str, names: dict[str, str]) -> str:
    """A sentence with the names of the pieces that it speaks of."""
    for piece, name in names.items():
        sentence = sentence.replace(f"{{{piece}}}", name)
    return sentence.replace("{", "").replace("}", "")
