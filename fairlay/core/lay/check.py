"""Which rules a lay breaks, each as a sentence about the piece it is broken by."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Iterator
from dataclasses import dataclass
from typing import Final

from shapely.geometry import Polygon
from shapely.geometry.base import BaseGeometry
from shapely.prepared import prep

from fairlay.core.lay.lay import Job, Lay, Placement
from fairlay.core.leather import Hide
from fairlay.core.pattern import Piece
from fairlay.core.rules import Forbidden, Policy, forbidden_ground, gap, grain, needs_of, thickness
from fairlay.core.shapes.placing import Placing, place_region
from fairlay.core.shapes.rings import union
from fairlay.core.tolerances import MOVED_MM, OVERLAP_MM

OF_PLACE: Final = frozenset(
    {"edge", "unsound flaw", "show face", "tightness", "thickness", "reserved", "grain", "gap"}
)
"""Rules that a piece breaks by where and how it lies: not more than is ordered, nor half a split."""


@dataclass(frozen=True, slots=True)
class Broken:
    """A rule that is broken: its name, the placements it is broken by (indices into the lay), and why."""

    rule: str
    placements: tuple[int, ...]
    sentence: str


def broken_rules(job: Job, lay: Lay, only: Collection[tuple[str, int]] | None = None) -> tuple[Broken, ...]:
    """Return every rule of the job that a lay breaks; empty for a fair lay.

    ``only``: of place, angle and distance, what these copies (piece, copy) break, themselves or with others:
    all that a move of theirs can have broken.
    """
    known, broken = [], []
    for i, placement in enumerate(lay.placements):
        if placement.piece in job.pieces_by_id and placement.hide in job.hides_by_id:
            known.append(i)
        else:
            broken.append(
                Broken(
                    "unknown",
                    (i,),
                    f"{placement.piece} on {placement.hide}: no such piece or hide in the job",
                )
            )
    broken += _wrong_counts(job, lay, known)
    broken += _moved(job, lay)
    broken += _spread_sets(job, lay, known)
    for hide in job.hides:
        on = [i for i in known if lay.placements[i].hide == hide.id]
        if on:
            broken += _broken_on_hide(job, lay, hide, on, only)
    return tuple(broken)


@dataclass(frozen=True)
class Because:
    """A rule that a piece breaks where it lies: its sentence, and the ground it speaks of, in mm on the
    hide (empty for a rule of angle).
    """

    rule: str
    sentence: str
    ground: BaseGeometry


def why_not(
    piece: Piece, hide: Hide, policy: Policy, at: Placing, ground: tuple[Forbidden, ...] | None = None
) -> Iterator[Because]:
    """Yield the rules of place and angle that a piece breaks at a placing: what "why not here?" tells."""
    shape = place_region(piece.region, at)
    core = place_region(piece.core, at)
    show = place_region(piece.show_core, at)
    slack = 1e-9
    known = ground if ground is not None else forbidden_ground(piece, hide, policy)
    for found in known:
        if found.rule == thickness.NAME:
            continue
        body = show if found.show_only else core
        barred = found.region.buffer(-OVERLAP_MM) if found.rule == "edge" else found.region
        if prep(body).intersects(barred) and (met := body.intersection(barred)).area > slack:
            yield Because(found.rule, found.reason, met)
    off = thickness.off_range_mm(piece, shape, hide)
    if off and piece.thickness_mm:
        wrong = union(f.region for f in known if f.rule == thickness.NAME)
        yield Because(
            thickness.NAME,
            f"on leather {off[0]:.2f} to {off[1]:.2f} mm thick; it needs {piece.thickness_mm[0]:g} to "
            f"{piece.thickness_mm[1]:g} mm",
            shape.intersection(wrong),
        )
    centre = shape.centroid
    sentence = grain.off_grain(piece, hide, policy, at.rotation_deg, at.mirrored, centre.x, centre.y)
    if sentence:
        yield Because(grain.NAME, sentence, Polygon())


def _broken_on_hide(
    job: Job, lay: Lay, hide: Hide, on: list[int], only: Collection[tuple[str, int]] | None
) -> Iterator[Broken]:
    keys = [(lay.placements[i].piece, lay.placements[i].copy) for i in on]
    looked_at = [(only is None or key in only) and key not in job.excused for key in keys]
    if not any(looked_at):
        return
    grounds: dict[object, tuple[Forbidden, ...]] = {}
    slim: list[BaseGeometry] = []
    for i, look in zip(on, looked_at, strict=True):
        placement = lay.placements[i]
        piece = job.pieces_by_id[placement.piece]
        slim.append(place_region(piece.slim, placement.at))
        if not look:
            continue
        key = needs_of(piece, hide)
        if key not in grounds:
            grounds[key] = forbidden_ground(piece, hide, job.policy)
        for found in why_not(piece, hide, job.policy, placement.at, grounds[key]):
            yield Broken(found.rule, (i,), f"{_tag(placement)}: {found.sentence}")
    gaps = [gap.gap_of(job.pieces_by_id[lay.placements[i].piece], job.policy) for i in on]
    among = None if only is None else [k for k, look in enumerate(looked_at) if look]
    for a, b, sentence in gap.too_near(slim, gaps, among):
        if keys[a] in job.excused or keys[b] in job.excused:
            continue
        first, second = lay.placements[on[a]], lay.placements[on[b]]
        yield Broken(
            gap.NAME, (on[a], on[b]), f"{_tag(first)} and {second.piece} {second.copy + 1} {sentence}"
        )


def _tag(placement: Placement) -> str:
    return f"{placement.hide}: {placement.piece} {placement.copy + 1}"


def _wrong_counts(job: Job, lay: Lay, known: list[int]) -> Iterator[Broken]:
    placed = [lay.placements[i] for i in known]
    for (name, copy), times in Counter((p.piece, p.copy) for p in placed).items():
        if times > 1:
            yield Broken("counts", (), f"{name} {copy + 1} is placed {times} times")
    whole: dict[str, dict[int, bool]] = {}
    parts: dict[tuple[str, int], dict[str, set[str]]] = {}
    for p in placed:
        piece = job.pieces_by_id[p.piece]
        if piece.parent is None:
            whole.setdefault(piece.id, {})[p.copy] = p.at.mirrored
        else:
            parts.setdefault((piece.parent, p.copy), {}).setdefault(piece.split or "", set()).add(piece.id)
        if p.at.mirrored and not piece.pair:
            yield Broken("pair", (), f"{p.piece} {p.copy + 1} is mirrored, but it is no pair")
    made: Counter[str] = Counter({name: len(copies) for name, copies in whole.items()})
    for (parent, copy), ways in parts.items():
        if copy in whole.get(parent, {}):
            yield Broken("split", (), f"{parent} {copy + 1} is placed whole and in parts")
        if len(ways) > 1:
            yield Broken("split", (), f"{parent} {copy + 1} is split in two ways")
        for split_id, got in ways.items():
            need = len(next(s for s in job.pieces_by_id[parent].splits if s.id == split_id).parts)
            if len(got) < need:
                yield Broken(
                    "split",
                    (),
                    f"{parent} {copy + 1}: {len(got)} of {need} parts of split {split_id} are placed",
                )
            else:
                made[parent] += 1
    for piece in job.pieces:
        if made[piece.id] > piece.quantity:
            yield Broken("counts", (), f"{piece.id}: {made[piece.id]} placed, {piece.quantity} wanted")
        if piece.pair:
            hands = list(whole.get(piece.id, {}).values())
            if sum(hands) > piece.quantity // 2 or len(hands) - sum(hands) > piece.quantity // 2:
                yield Broken(
                    "pair",
                    (),
                    f"{piece.id}: {sum(hands)} mirrored and {len(hands) - sum(hands)} not; half of "
                    f"{piece.quantity} each wanted",
                )


def _moved(job: Job, lay: Lay) -> Iterator[Broken]:
    there = {(p.piece, p.copy, p.hide): p.at for p in lay.placements}
    for fixed in job.fixed:
        at = there.get((fixed.piece, fixed.copy, fixed.hide))
        if (
            at is None
            or at.mirrored != fixed.at.mirrored
            or abs(at.x - fixed.at.x) + abs(at.y - fixed.at.y) + abs(at.rotation_deg - fixed.at.rotation_deg)
            > MOVED_MM
        ):
            yield Broken("fixed", (), f"{_tag(fixed)} is fixed, and it has moved or gone")


def _spread_sets(job: Job, lay: Lay, known: list[int]) -> Iterator[Broken]:
    homes: dict[tuple[str, int], set[str]] = {}
    for i in known:
        placement = lay.placements[i]
        piece = job.pieces_by_id[placement.piece]
        if piece.set_name in job.match_sets and piece.set_name is not None:
            homes.setdefault((piece.set_name, placement.copy // piece.per_set), set()).add(placement.hide)
    for (name, number), hides in homes.items():
        if len(hides) > 1:
            yield Broken(
                "match sets",
                (),
                f"{name} {number + 1} is spread over {', '.join(sorted(hides))}; it must come from one hide",
            )


def without(lay: Lay, broken: tuple[Broken, ...]) -> Lay:
    """Return a lay without the last placement of each broken rule: what a fair lay can keep of it."""
    drop = {b.placements[-1] for b in broken if b.placements}
    return Lay(tuple(p for i, p in enumerate(lay.placements) if i not in drop), lay.unplaced, lay.history)


def hide_shapes(job: Job, lay: Lay, hide: Hide) -> list[tuple[Placement, Polygon]]:
    """Return each placement on a hide with its region there."""
    return [
        (p, place_region(job.pieces_by_id[p.piece].region, p.at)) for p in lay.placements if p.hide == hide.id
    ]
