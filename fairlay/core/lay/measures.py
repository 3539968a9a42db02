"""How a lay is measured: fill, sets, leather and money."""

from __future__ import annotations

from dataclasses import dataclass

from shapely.geometry import Polygon

from fairlay.core.lay.lay import Job, Lay
from fairlay.core.lay.rack import FOR_NOTHING, End, ends_of
from fairlay.core.leather import Hide
from fairlay.core.shapes.placing import place_points
from fairlay.core.tolerances import REMNANT_MIN_M2

MM2_PER_M2 = 1e6
SPARED = 5e-4
"""What all leather counts for in a fill, or in sets, of which everything lies: no piece is given for any."""


@dataclass(frozen=True)
class HideMeasures:
    """One hide of a lay. Areas in m2, cost in the shop's currency, lengths in mm.

    ``used_m2`` is the hide's area less a straight-cut end worth racking; ``remnant_end``
    says which end that is (tail, neck or none). On a roll it is width times length used. Of that end:
    ``strip_mm`` is how long a strip it gives, ``tight_m2`` its tight leather, ``rack_worth`` the money that
    it is worth beyond its area at the hide's price. ``uncounted_m2``: ends not racked, as there.
    ``seams_m2``: what the seams of pieces made in parts cost, as leather.
    """

    hide: str
    pieces: int
    placed_m2: float
    usable_m2: float
    used_m2: float
    cost: float
    remnant_m2: float
    remnant_end: str
    length_mm: float | None
    strip_mm: float = 0.0
    tight_m2: float = 0.0
    rack_worth: float = 0.0
    uncounted_m2: float = 0.0
    seams_m2: float = 0.0


@dataclass(frozen=True)
class Measures:
    """A whole lay. ``fill`` is value-weighted area placed over area usable of every hide of the job."""

    placed: int
    wanted: int
    fillers: int
    splits: int
    placed_m2: float
    value_m2: float
    usable_m2: float
    used_m2: float
    cost: float
    fill: float
    yield_of_used: float
    hides_used: int
    sets: dict[str, int]
    per_hide: tuple[HideMeasures, ...]


def measure(job: Job, lay: Lay) -> Measures:
    """Return the measures of a lay of a job; every placement must name a piece and a hide of the job."""
    counts = lay.counts(job)
    fillers = {piece.id for piece in job.pieces if piece.filler}
    per_hide = tuple(_measure_hide(job, lay, hide) for hide in job.hides)
    value = (
        sum(job.pieces_by_id[p.piece].area_mm2 * job.pieces_by_id[p.piece].value for p in lay.placements)
        / MM2_PER_M2
    )
    placed = sum(h.placed_m2 for h in per_hide)
    used = sum(h.used_m2 for h in per_hide)
    usable = sum(h.usable_m2 for h in per_hide)
    sets: dict[str, list[int]] = {}
    for piece in job.pieces:
        if piece.set_name:
            sets.setdefault(piece.set_name, []).append(counts[piece.id] // piece.per_set)
    return Measures(
        placed=sum(n for piece, n in counts.items() if piece not in fillers),
        wanted=sum(piece.quantity for piece in job.pieces if not piece.filler),
        fillers=sum(counts[piece] for piece in fillers),
        splits=sum(lay.splits_used(job).values()),
        placed_m2=placed,
        value_m2=value,
        usable_m2=usable,
        used_m2=used,
        cost=sum(h.cost for h in per_hide),
        fill=value / usable if usable else 0.0,
        yield_of_used=placed / used if used else 0.0,
        hides_used=sum(1 for h in per_hide if h.pieces),
        sets={name: min(done) for name, done in sets.items()},
        per_hide=per_hide,
    )


def _measure_hide(job: Job, lay: Lay, hide: Hide) -> HideMeasures:
    here = [(job.pieces_by_id[p.piece], p.at) for p in lay.placements if p.hide == hide.id]
    placed = sum(piece.area_mm2 for piece, _ in here) / MM2_PER_M2
    reach = [place_points(piece.outline, at)[:, 0] for piece, at in here]
    lo = min((float(x.min()) for x in reach), default=0.0)
    hi = max((float(x.max()) for x in reach), default=0.0)
    usable = hide.usable.area / MM2_PER_M2
    length: float | None = None
    remnant, end, used = 0.0, "none", 0.0
    larger = End(0.0)
    if hide.is_roll:
        length = hi
        usable = _roll_usable_m2(hide, hi) if here else 0.0
        used = hi * (hide.width_mm or 0.0) / MM2_PER_M2
    elif here:
        kept, right = hide.end_kept_mm2(lo, hi)
        larger = ends_of(hide, job.rack).larger(lo, hi)
        if kept >= REMNANT_MIN_M2 * MM2_PER_M2:
            remnant, end = kept / MM2_PER_M2, hide.end_name(right)
        used = hide.region.area / MM2_PER_M2 - remnant
    return HideMeasures(
        hide.id,
        len(here),
        placed,
        usable,
        used,
        used * hide.cost_per_m2,
        remnant,
        end,
        length,
        larger.strip_mm,
        larger.tight_m2,
        larger.beyond,
        larger.uncounted_m2,
        sum(job.seams_m2.get(piece.id, 0.0) for piece, _ in here),
    )


def _roll_usable_m2(hide: Hide, length_mm: float) -> float:
    x0, y0, _, y1 = hide.region.bounds
    cut = Polygon([(x0, y0), (length_mm + 1.0, y0), (length_mm + 1.0, y1), (x0, y1)])
    return float(hide.usable.intersection(cut).area) / MM2_PER_M2


def worth(job: Job, measures: Measures) -> float:
    """Return one number by which lays of the same job compare: larger is better.

    Fill: the fill. Sets: whole sets, then the fill as a fraction. Order: pieces of the
    order placed, then the money's worth of leather not used, as a fraction of all of it; what is racked
    counts for what it is worth to the shop. Where all of a fill or of sets lies, leather not used counts a
    little. A seam costs what it does.
    """
    seams = sum(h.seams_m2 for h in measures.per_hide)
    if job.objective == "order":
        if any(hide.is_roll for hide in job.hides):
            return measures.placed + 1.0 / (1.0 + measures.used_m2 + seams)
        return measures.placed + min(max(_saved(job, measures), 0.0), 0.999_999)
    fill = measures.fill - (seams / measures.usable_m2 if measures.usable_m2 else 0.0)
    all_lies = measures.placed + measures.fillers >= sum(piece.quantity for piece in job.pieces)
    spared = SPARED * min(max(_saved(job, measures), 0.0), 1.0) if all_lies else 0.0
    return spared + (fill if job.objective == "fill" else sum(measures.sets.values()) + min(fill, 0.999))


def prices(job: Job) -> dict[str, float]:
    """Return what each hide costs a m2; 1 each where none has a price, so that leather counts even then."""
    out = {hide.id: hide.cost_per_m2 for hide in job.hides}
    return out if any(out.values()) else dict.fromkeys(out, 1.0)


def _saved(job: Job, measures: Measures) -> float:
    """The money's worth of leather not used, as a share of all of it."""
    each = prices(job)
    whole = sum(hide.region.area * each[hide.id] for hide in job.hides) / MM2_PER_M2
    spent = sum(
        (h.used_m2 + h.seams_m2 - FOR_NOTHING * h.uncounted_m2) * each[h.hide] - h.rack_worth
        for h in measures.per_hide
    )
    return 1.0 - spent / whole if whole else 0.0
