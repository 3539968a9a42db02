"""Why a piece found no place, from what the rules leave it, and what would help."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray
from shapely.geometry import Polygon
from shapely.geometry.base import BaseGeometry

from fairlay.core.engine.bank import BODIES, NEAR, Bank, build_bank
from fairlay.core.engine.ground import ground_of
from fairlay.core.engine.layer import Layer, Lying, Spot
from fairlay.core.engine.table import ALL_TRIES, Candidates, HideTable, Wish
from fairlay.core.lay.lay import Job, Lay, Unplaced
from fairlay.core.leather import Hide
from fairlay.core.leather.hide import TIGHTNESS_NAMES
from fairlay.core.pattern import Piece
from fairlay.core.rules import PLACE_RULES, forbidden_ground, needs_of
from fairlay.core.rules.grain import any_way
from fairlay.core.shapes.kernels import bodies_overlap
from fairlay.core.shapes.rings import union

Floats = NDArray[np.float64]
SEEK_TURNS = 12
CANDIDATES_LOOKED_AT = 40
RULE_WORDS = {
    "edge": "the hide itself is too small or narrow for it",
    "unsound flaw": "it is too big to go between the unsound flaws",
    "show face": "no clean stretch is big enough for its show face",
    "tightness": "no leather tight enough is big enough",
    "thickness": "no leather of its thickness is big enough",
    "reserved": "the leather that would bear it is reserved",
}


def reasons_for(
    job: Job, bank: Bank, lay: Lay, tables: list[HideTable] | None = None
) -> tuple[Unplaced, ...]:
    """Return what a lay leaves out, each with its reason and, where one small change would help, that."""
    counts = lay.counts(job)
    missing = [
        (p, p.quantity - counts[p.id]) for p in job.pieces if counts[p.id] < p.quantity and not p.filler
    ]
    if not missing:
        return ()
    table = tables_of(job, bank, lay, tables)
    return tuple(Unplaced(piece.id, count, _reason(job, piece, table)) for piece, count in missing)


def tables_of(
    job: Job, bank: Bank, lay: Lay, like: list[HideTable] | None = None, spare: bool = False
) -> list[HideTable]:
    """Return tables with a lay on them.

    ``like`` are tables of the same job whose compiled ground is shared; ``spare`` leaves room for more.
    """
    out = []
    fixed = {(p.piece, p.copy) for p in job.fixed}
    room = min(2000, sum(p.quantity for p in job.pieces)) if spare else 2
    for index, hide in enumerate(job.hides):
        own = [p for p in lay.placements if p.hide == hide.id]
        table = HideTable(job, hide, bank, len(own) + room)
        if like:
            table.share_ground(like[index])
        for p in own:
            variant = next(v for v in bank.of_piece[p.piece] if v.mirrored == p.at.mirrored)
            x, y = variant.centre_of(p.at)
            table.put(
                Lying(variant, p.copy, Spot(index, x, y, p.at.rotation_deg, 0.0), (p.piece, p.copy) in fixed)
            )
        out.append(table)
    return out


def _reason(job: Job, piece: Piece, tables: list[HideTable]) -> str:
    if not any(_has_place(job, piece, table, empty=True) for table in tables):
        return _never(job, piece) + _help(job, piece, tables)
    if piece.set_name and job.match_sets and piece.set_name in job.match_sets:
        return "no hide has room left for a whole set, and its pieces must come from one hide"
    if piece.set_name and job.objective == "sets":
        return "no room left: another set cannot be made whole from this leather"
    return "no room left: the leather that bears it is taken" + _help(job, piece, tables)


def _never(job: Job, piece: Piece) -> str:
    """Say which rule keeps a piece off every hide even when they are empty: the first that would let it lie,
    were it lifted.
    """
    for rule in PLACE_RULES[::-1]:
        for hide in job.hides:
            found = forbidden_ground(piece, hide, job.policy)
            others = union(f.region for f in found if f.rule != rule.NAME)
            if any(f.rule == rule.NAME for f in found) and _lies_in(
                job, piece, hide, hide.region.difference(others)
            ):
                return RULE_WORDS[rule.NAME]
    return "it is too big for any hide here"


def _lies_in(job: Job, piece: Piece, hide: Hide, ground: BaseGeometry) -> bool:
    """Whether a piece finds a place on a hide when only ``ground`` bounds it."""
    alone = _alone(job, replace(piece, hidden=()))
    table = HideTable(alone, hide, build_bank(alone), 1)
    table.grounds[needs_of(alone.pieces[0], hide)] = ground_of(ground, Polygon(), hide)
    return (
        table.find(
            table.bank.variants[0], 0, Wish(tight=0.0), np.random.default_rng(0), SEEK_TURNS, tries=ALL_TRIES
        ).take(np.empty((0, 2)))
        is not None
    )


def _alone(job: Job, piece: Piece) -> Job:
    return replace(
        job,
        pieces=(replace(piece, quantity=2 if piece.pair else 1, splits=()),),
        fixed=(),
        match_sets=(),
    )


def _help(job: Job, piece: Piece, tables: list[HideTable]) -> str:
    """Say which one small change would find it a place on the hides as they are laid."""
    for words, changed in _changes(job, piece):
        if any(_has_place(job, changed, table, empty=False) for table in tables):
            return f"; it would go in {words}"
    return ""


def _changes(job: Job, piece: Piece) -> Iterator[tuple[str, Piece]]:
    if piece.show_limit < 2:
        yield (
            (
                "if its show face bore surface marks"
                if piece.show_limit == 0
                else "if its show face bore blemishes"
            ),
            replace(piece, show_limit=piece.show_limit + 1),
        )
    if piece.max_tightness < 4:
        yield (
            f"on {TIGHTNESS_NAMES[piece.max_tightness + 1]} leather",
            replace(piece, max_tightness=piece.max_tightness + 1),
        )
    if not any_way(piece, job.policy):
        more = replace(piece.grain, tolerance_deg=piece.grain.tolerance_deg + 5.0)
        yield "with 5 degrees more grain tolerance", replace(piece, grain=more)


def _has_place(job: Job, piece: Piece, table: HideTable, empty: bool) -> bool:
    """Whether a piece, as it is or changed, has a fair place on a table as it is or emptied."""
    alone = _alone(job, piece)
    own = HideTable(alone, table.hide, build_bank(alone), 1)
    variant = own.bank.variants[0]
    there = table.layer(table.bank.of_piece[piece.id][0])
    if not empty:
        own.layer(variant).take_room_of(there)
    candidates = own.find(variant, 0, Wish(tight=0.0), np.random.default_rng(0), SEEK_TURNS, tries=ALL_TRIES)
    if empty:
        return candidates.take(np.empty((0, 2))) is not None
    return _clear(candidates, there, list(table.lying))


def _clear(candidates: Candidates, there: Layer, slots: Sequence[int]) -> bool:
    """Whether one of the candidates, made for a bank of their own, is also clear of what lies in some
    slots.
    """
    own, variant = candidates.table, candidates.variant
    here = own.layer(variant)
    k = variant.index * BODIES + NEAR
    for _ in range(CANDIDATES_LOOKED_AT):
        spot = candidates.take(np.empty((0, 2)))
        if spot is None:
            return False
        slot = own.put(Lying(variant, 0, spot))
        body = _body_in(here, slot, k)
        hit = any(
            bodies_overlap(
                *body, *_body_in(there, i, int(there.floor.variant[i]) * BODIES + NEAR), there.floor.near
            )
            for i in slots
        )
        here.floor.live[slot] = False
        if not hit:
            return True
    return False


def _body_in(layer: Layer, slot: int, k: int) -> tuple[Floats, NDArray[np.int64], Floats]:
    """The placed body ``k`` in a slot of a layer: points, ring starts, bounds."""
    bodies, floor = layer.bodies, layer.floor
    n = int(bodies.pt_at[k + 1] - bodies.pt_at[k])
    return floor.pts[slot, :n], bodies.starts[bodies.ring_at[k] : bodies.ring_at[k + 1]], floor.box[slot]
