"""What if a lay were asked otherwise: a rule eased, a wider gap, other leather, a strap lane, one article
fewer.

A change is a value: asked as a question first, and where it is taken it stays with what the lay is asked.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Final, Literal, get_args

from fairlay.core.errors import BadJob
from fairlay.core.lay.check import broken_rules, without
from fairlay.core.lay.lane import lane_of, straps_in
from fairlay.core.lay.lay import Job, Lay, Placement
from fairlay.core.lay.measures import Measures
from fairlay.core.lay.sound import check_job
from fairlay.core.leather import Hide
from fairlay.core.leather.hide import TIGHTNESS_NAMES, End, Reserved
from fairlay.core.pattern import Piece
from fairlay.core.pattern.piece import MOST_GAP_MM
from fairlay.core.rules.ground import GRAIN_SCHOOLS

Kind = Literal[
    "marks",
    "looser",
    "degrees",
    "gap",
    "grain",
    "seam",
    "fewer",
    "way",
    "with",
    "without",
    "lane",
    "start",
]
KINDS: Final[tuple[Kind, ...]] = get_args(Kind)
OF_RULES: Final[tuple[Kind, ...]] = ("marks", "looser", "degrees", "gap", "grain", "seam", "lane", "start")
"""Changes of how is laid, which stay when the order or the leather changes."""
USUAL_DEGREES: Final = 10.0
USUAL_LANE_MM: Final = 120.0
SCHOOL_WORDS: Final[dict[str, str]] = {
    "backbone": "everything with the backbone",
    "local": "everything by the line of least stretch",
    "free": "everything any way",
}
MARK_WORDS: Final = {0: "bears no mark", 1: "bears surface marks", 2: "bears blemishes"}


@dataclass(frozen=True)
class Change:
    """One thing asked otherwise of a lay.

    ``of`` names what it is about: a piece (marks, looser, degrees, seam), an article's set (fewer), an
    article and its part (way: ``article/part``), a hide (with, without, lane; no hide: all), a grain school
    (grain), an end (start). ``to`` is the show limit (marks), the tightness class (looser), degrees more
    (degrees), mm (gap, lane), how many (fewer). ``way`` is the way of making a part, or ``first`` or ``last``
    for the straps of a lane.
    """

    kind: Kind
    of: str = ""
    to: float = 0.0
    way: str = ""


def changed(job: Job, changes: Sequence[Change]) -> Job:
    """Return a job asked otherwise; ``way`` and ``with`` are left to whoever knows the articles and the rack.

    Raises BadJob for a piece, set or hide that the job has not, and for a figure out of range.
    """
    for change in changes:
        act = _ACTS.get(change.kind)
        if act is not None:
            job = act(job, change)
    check_job(job)
    return job


def in_words(change: Change, names: Mapping[str, str]) -> str:
    """Return a change in words; ``names`` has those of pieces and sets."""
    name = names.get(change.of, change.of)
    match change.kind:
        case "marks":
            return f"{name} {MARK_WORDS[int(change.to)]}"
        case "looser":
            loosest = TIGHTNESS_NAMES[int(change.to)]
            return f"{name} from any leather" if change.to == 4 else f"{name} from {loosest} leather too"
        case "degrees":
            return f"{change.to:g} degrees more for {name}"
        case "gap":
            return f"{change.to:g} mm between pieces" if change.to else "a knife, and cuts shared"
        case "grain":
            return SCHOOL_WORDS[change.of]
        case "seam":
            return f"{name} split wherever it helps"
        case "fewer":
            return f"{change.to:g} {name} fewer"
        case "way":
            return f"{change.of.rpartition('/')[2]}: {change.way}"
        case "with" | "without":
            return f"{change.kind} {change.of}"
        case "lane":
            where = f" of {change.of}" if change.of else ""
            kept = "for straps" if change.way == "first" else "free, for straps later"
            return f"{change.to:g} mm along the backbone{where} kept {kept}"
        case "start":
            return f"laid from the {change.of}" if change.of != "either" else "laid from either end"


def eased(job: Job) -> tuple[Change, ...]:
    """Return each rule of a job that could be eased by one step, those about the most leather first."""
    out: list[Change] = []
    if job.policy.gap_mm or any(p.gap_mm for p in job.pieces):
        out.append(Change("gap", to=0.0))
    if job.policy.grain_school != "free" and any(p.grain.tolerance_deg < 180 for p in job.pieces):
        out.append(Change("grain", "free"))
    for piece in sorted(job.pieces, key=lambda p: -p.area_mm2 * p.quantity):
        if piece.quantity == 0:
            continue
        if piece.show_limit < 2:
            out.append(Change("marks", piece.id, piece.show_limit + 1))
        if piece.max_tightness < 4:
            out.append(Change("looser", piece.id, piece.max_tightness + 1))
        if piece.grain.tolerance_deg < 180 and job.policy.grain_school != "free":
            out.append(Change("degrees", piece.id, USUAL_DEGREES))
        if any(s.penalty_m2 for s in piece.splits):
            out.append(Change("seam", piece.id))
    return tuple(out)


def asked_often(job: Job) -> tuple[Change, ...]:
    """Return other questions that a job allows: fewer of an article, less leather, a lane, an end."""
    out = [Change("fewer", s, 1) for s in dict.fromkeys(p.set_name for p in job.pieces if p.set_name)]
    if len(job.hides) > 1:
        out += [Change("without", h.id) for h in job.hides]
    if straps_in(job.pieces):
        out += [Change("lane", to=USUAL_LANE_MM, way=way) for way in ("first", "last")]
    if not any(h.is_roll for h in job.hides):
        out += [Change("start", end) for end in ("tail", "neck")]
    return tuple(out)


def carried(job: Job, lay: Lay) -> Lay:
    """Return what of a lay stands under another job: what it has not, has fewer of, or what breaks a rule is
    taken up; parts of a piece go together.
    """
    lies = [
        p
        for p in lay.placements
        if p.piece in job.pieces_by_id
        and p.hide in job.hides_by_id
        and p.copy < job.pieces_by_id[p.piece].quantity
    ]
    kept = Lay(_whole(job, _even_hands(job, lies)))
    broken = broken_rules(job, kept)
    while any(b.placements for b in broken):
        kept = Lay(_whole(job, without(kept, broken).placements))
        broken = broken_rules(job, kept)
    return kept


def reckoned(measures: Measures, job: Job, lay: Lay) -> float:
    """Return what a lay costs in leather, with what the pieces that lie nowhere would take more: their area
    at this lay's own yield, at the mean price of its hides. So lays that place more and lays that cost less
    can be set beside each other. Money in the shop's currency.
    """
    counts = lay.counts(job)
    left = sum(p.area_mm2 * (p.quantity - counts[p.id]) for p in job.pieces if not p.filler) / 1e6
    area = sum(h.region.area for h in job.hides)
    price = sum(h.region.area * h.cost_per_m2 for h in job.hides) / area if area else 0.0
    return measures.cost + max(0.0, left) * price / max(measures.yield_of_used, 0.3)


def _even_hands(job: Job, lies: Sequence[Placement]) -> list[Placement]:
    """Placements without those of a pair's hand that are more than half of what is wanted."""
    out, seen = [], dict[tuple[str, bool], int]()
    for p in lies:
        piece = job.pieces_by_id[p.piece]
        key = (p.piece, p.at.mirrored)
        seen[key] = seen.get(key, 0) + 1
        if not piece.pair or seen[key] <= piece.quantity // 2:
            out.append(p)
    return out


def _whole(job: Job, lies: Collection[Placement]) -> tuple[Placement, ...]:
    """Placements without parts whose other parts do not lie."""
    there: dict[tuple[str, str, int], set[str]] = {}
    for p in lies:
        piece = job.pieces_by_id[p.piece]
        if piece.parent:
            there.setdefault((piece.parent, piece.split or "", p.copy), set()).add(p.piece)
    parts = {(name, s.id): len(s.parts) for name, own in job.pieces_by_id.items() for s in own.splits}
    broken = {key for key, got in there.items() if len(got) < parts.get(key[:2], 0)}
    return tuple(
        p
        for p in lies
        if ((piece := job.pieces_by_id[p.piece]).parent or "", piece.split or "", p.copy) not in broken
    )


def _piece(job: Job, change: Change) -> Piece:
    found = next((p for p in job.pieces if p.id == change.of), None)
    if found is None:
        raise BadJob(
            f"the lay has no piece {change.of}",
            value=change.of,
            expected="one of " + ", ".join(p.id for p in job.pieces),
        )
    return found


def _known_hide(job: Job, name: str) -> Hide:
    if name not in job.hides_by_id:
        raise BadJob(
            f"the lay has no hide {name}", value=name, expected="one of " + ", ".join(job.hides_by_id)
        )
    return job.hides_by_id[name]


def _figure(change: Change, words: str, least: float, most: float) -> float:
    if not least <= change.to <= most:
        raise BadJob(f"{words} of {change.to:g}", value=change.to, expected=f"{least:g} to {most:g}")
    return change.to


def _with(job: Job, piece: Piece, **values: object) -> Job:
    """A job with one piece otherwise, its parts with it."""
    splits = tuple(
        replace(s, parts=tuple(replace(p, **values) for p in s.parts))  # type: ignore[arg-type]
        for s in piece.splits
    )
    other = replace(piece, splits=splits, **values)  # type: ignore[arg-type]
    return replace(job, pieces=tuple(other if p.id == piece.id else p for p in job.pieces))


def _marks(job: Job, change: Change) -> Job:
    return _with(job, _piece(job, change), show_limit=int(_figure(change, "a show limit", 0, 2)))


def _looser(job: Job, change: Change) -> Job:
    return _with(job, _piece(job, change), max_tightness=int(_figure(change, "a tightness class", 1, 4)))


def _degrees(job: Job, change: Change) -> Job:
    piece = _piece(job, change)
    more = _figure(change, "degrees more", 0, 180)
    own = min(180.0, piece.grain.tolerance_deg + more)
    splits = tuple(
        replace(
            s,
            parts=tuple(
                replace(p, grain=replace(p.grain, tolerance_deg=min(180.0, p.grain.tolerance_deg + more)))
                for p in s.parts
            ),
        )
        for s in piece.splits
    )
    other = replace(piece, grain=replace(piece.grain, tolerance_deg=own), splits=splits)
    return replace(job, pieces=tuple(other if p.id == piece.id else p for p in job.pieces))


def _gap(job: Job, change: Change) -> Job:
    to = _figure(change, "a gap in mm", 0, MOST_GAP_MM)
    pieces = tuple(
        replace(
            p,
            gap_mm=None,
            splits=tuple(replace(s, parts=tuple(replace(q, gap_mm=None) for q in s.parts)) for s in p.splits),
        )
        for p in job.pieces
    )
    return replace(job, pieces=pieces, policy=replace(job.policy, gap_mm=to))


def _grain(job: Job, change: Change) -> Job:
    if change.of not in GRAIN_SCHOOLS:
        raise BadJob(
            f"a grain school {change.of!r}", value=change.of, expected="one of " + ", ".join(GRAIN_SCHOOLS)
        )
    return replace(job, policy=replace(job.policy, grain_school=change.of))


def _seam(job: Job, change: Change) -> Job:
    piece = _piece(job, change)
    if not piece.splits:
        raise BadJob(
            f"{piece.id} has no seam to be split at", value=piece.id, expected="a piece with a split"
        )
    other = replace(piece, splits=tuple(replace(s, penalty_m2=0.0) for s in piece.splits))
    return replace(job, pieces=tuple(other if p.id == piece.id else p for p in job.pieces))


def _fewer(job: Job, change: Change) -> Job:
    own = [p for p in job.pieces if p.set_name == change.of]
    most = min((p.quantity // p.per_set for p in own if p.quantity), default=0)
    if not own or most < 1:
        sets = dict.fromkeys(p.set_name for p in job.pieces if p.set_name)
        raise BadJob(
            f"nothing is laid of {change.of!r}", value=change.of, expected="one of " + ", ".join(sets)
        )
    by = int(_figure(change, "how many fewer", 1, most))

    def less(p: Piece) -> Piece:
        quantity = max(0, p.quantity - by * p.per_set)
        parts = tuple(
            replace(s, parts=tuple(replace(q, quantity=quantity) for q in s.parts)) for s in p.splits
        )
        return replace(p, quantity=quantity, splits=parts)

    return replace(job, pieces=tuple(less(p) if p.set_name == change.of else p for p in job.pieces))


def _without(job: Job, change: Change) -> Job:
    _known_hide(job, change.of)
    if len(job.hides) == 1:
        raise BadJob(f"without {change.of} there is no leather", value=change.of, expected="another hide")
    return replace(
        job,
        hides=tuple(h for h in job.hides if h.id != change.of),
        fixed=tuple(p for p in job.fixed if p.hide != change.of),
    )


def _lane(job: Job, change: Change) -> Job:
    width = _figure(change, "a strap lane in mm", 0, 1000)
    if change.of:
        _known_hide(job, change.of)
    straps = frozenset(straps_in(job.pieces)) if change.way == "first" else frozenset[str]()
    return replace(
        job,
        hides=tuple(
            h if h.is_roll or (change.of and h.id != change.of) else _reserving(h, width, straps)
            for h in job.hides
        ),
    )


def _reserving(hide: Hide, width_mm: float, straps: frozenset[str]) -> Hide:
    """A hide with a lane in place of the one it had, or without where it is to be 0 wide."""
    own = tuple(r for r in hide.reserved if not r.lane)
    if width_mm:
        own += tuple(Reserved(ring, straps, True) for ring in lane_of(hide, width_mm))
    return replace(hide, reserved=own)


def _start(job: Job, change: Change) -> Job:
    keeps: dict[str, End | None] = {"tail": "neck", "neck": "tail", "either": None}
    if change.of not in keeps:
        raise BadJob(f"an end {change.of!r}", value=change.of, expected="tail, neck or either")
    return replace(job, hides=tuple(replace(h, keep_end=keeps[change.of]) for h in job.hides))


_ACTS: Final[dict[Kind, Callable[[Job, Change], Job]]] = {
    "marks": _marks,
    "looser": _looser,
    "degrees": _degrees,
    "gap": _gap,
    "grain": _grain,
    "seam": _seam,
    "fewer": _fewer,
    "without": _without,
    "lane": _lane,
    "start": _start,
}
