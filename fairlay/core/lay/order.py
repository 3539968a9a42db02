"""From a batch (articles and how many) and chosen hides to the job that the engine is asked."""

from __future__ import annotations

import math
from collections.abc import Hashable, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache

from fairlay.core.errors import BadJob
from fairlay.core.lay.lay import Job, Objective
from fairlay.core.lay.rack import RackWorth
from fairlay.core.lay.sound import check_job, roll_length_mm
from fairlay.core.leather import Hide
from fairlay.core.pattern import Piece, part_id
from fairlay.core.pattern.article import Article, piece_of, ways_chosen
from fairlay.core.rules import Policy, bears, needs_of
from fairlay.core.shapes.rings import Ring

PRIORITY_WORTH = 0.5
"""Each step of priority makes a piece's area worth so much more."""


@dataclass(frozen=True)
class CutPiece:
    """A piece as a batch cuts it: the pattern (its quantity is how many one article takes), name, material,
    spares, the gap its tool needs, and its revision.
    """

    pattern: Piece
    name: str
    material: str
    spare_rate: float = 0.0
    gap_mm: float = 0.0
    revision: str = "A"


@dataclass(frozen=True)
class Cutlist:
    """What is cut for one of an article, at one revision and in the ways chosen."""

    slug: str
    name: str
    pieces: tuple[CutPiece, ...]
    revision: str = "A"


@dataclass(frozen=True)
class Line:
    """How many of an article a batch makes. Pieces of a line of higher ``priority`` (0 to 3) are worth more
    where not all find a place; a ``filler`` is made of what is left, and never costs leather.
    """

    article: Cutlist
    quantity: int
    priority: int = 0
    filler: bool = False


@lru_cache(maxsize=256)
def cutlist(article: Article, ways: tuple[tuple[str, str], ...] = (), revision: str = "A") -> Cutlist:
    """Return what is cut for an article, of each part the way chosen (``ways``: part, way), else its usual
    one. Raises BadPattern for a way that is not there.
    """
    chosen = ways_chosen(article, dict(ways))
    return Cutlist(
        article.slug,
        article.name,
        tuple(
            CutPiece(piece_of(p, article), p.name, p.material, p.spare_rate, p.gap_mm, revision)
            for p in chosen
            if p.each
        ),
        revision,
    )


@dataclass(frozen=True)
class Need:
    """What a batch needs of one material: pieces, and their area before any waste, in m2, of which
    ``ordered_m2`` must lie and the rest fills gaps.
    """

    material: str
    pieces: int
    area_m2: float
    ordered_m2: float


@dataclass(frozen=True)
class Suits:
    """How far a hide serves a batch: fair area over area wanted, by piece, and the worst of them."""

    hide: str
    fair_m2: float
    never: tuple[str, ...]


def piece_id(article: Cutlist, piece: CutPiece) -> str:
    """The name of a piece in a job: ``article/piece``."""
    return f"{article.slug}/{piece.pattern.id}"


def pieces_of_batch(lines: Iterable[Line], material: str) -> tuple[Piece, ...]:
    """Return the pieces of one material that a batch cuts, each with its whole quantity and its set."""
    out = []
    for line in lines:
        for piece in line.article.pieces:
            if piece.material == material and line.quantity:
                each = piece.pattern.quantity
                ordered = each * line.quantity
                spares = math.ceil(piece.spare_rate * ordered - 1e-9)
                spares += spares % 2 if piece.pattern.pair else 0
                made = _in_batch(
                    piece, piece_id(line.article, piece), ordered + spares, line.article.slug, each
                )
                value = made.value * (1.0 + PRIORITY_WORTH * line.priority)
                out.append(replace(made, value=value, filler=made.filler or line.filler))
    return tuple(out)


def _in_batch(piece: CutPiece, name: str, quantity: int, set_name: str, each: int) -> Piece:
    """A pattern as a piece of a batch, with the gap its tool needs; the parts it may be made in are named
    after it and as many.
    """
    pattern, gap = piece.pattern, piece.gap_mm or None
    splits = tuple(
        replace(
            s,
            parts=tuple(
                replace(
                    part,
                    id=part_id(name, s.id, part.id.rsplit(".", 1)[1]),
                    parent=name,
                    quantity=quantity,
                    set_name=set_name,
                    per_set=each,
                    gap_mm=gap,
                )
                for part in s.parts
            ),
        )
        for s in pattern.splits
    )
    return replace(
        pattern, id=name, quantity=quantity, set_name=set_name, per_set=each, splits=splits, gap_mm=gap
    )


def needs_of_batch(lines: Sequence[Line]) -> tuple[Need, ...]:
    """Return what a batch needs of each material, in the order the articles name them."""
    materials = dict.fromkeys(p.material for line in lines for p in line.article.pieces)
    out = []
    for material in materials:
        pieces = pieces_of_batch(lines, material)
        out.append(
            Need(
                material,
                sum(p.quantity for p in pieces),
                sum(p.quantity * p.area_mm2 for p in pieces) / 1e6,
                sum(p.quantity * p.area_mm2 for p in pieces if not p.filler) / 1e6,
            )
        )
    return tuple(out)


def job_for(
    name: str,
    lines: Sequence[Line],
    material: str,
    hides: Sequence[Hide],
    policy: Policy,
    objective: Objective,
    match_sets: Sequence[str] = (),
    seconds: float = 60.0,
    seed: int = 1,
    rack: RackWorth | None = None,
) -> Job:
    """Return the job of laying one material of a batch on the hides chosen for it.

    Raises BadJob where nothing is to be cut of the material, or no hide is chosen. A roll is given as much
    length as the pieces could need. The gap is the policy's, or wider where a piece's tool needs it.
    """
    pieces = tuple(at_least(p, policy.gap_mm) for p in pieces_of_batch(lines, material))
    if not pieces:
        raise BadJob(
            f"{name} cuts nothing from {material}",
            value=material,
            expected="one of "
            + (", ".join(n.material for n in needs_of_batch(lines)) or "no material at all"),
        )
    if not hides:
        raise BadJob(f"no {material} is chosen for {name}", value=material, expected="at least one hide")
    whole = tuple(replace(h, outline=_roll_outline(h, pieces)) if h.is_roll else h for h in hides)
    job = Job(
        name,
        whole,
        pieces,
        policy,
        objective,
        tuple(s for s in match_sets if any(p.set_name == s for p in pieces)),
        (),
        seconds,
        seed,
        rack=rack or RackWorth(),
    )
    check_job(job)
    return job


def at_least(piece: Piece, gap_mm: float) -> Piece:
    """A piece whose tool needs less than the batch leaves between any two keeps to the batch's gap."""
    if piece.gap_mm is None:
        return piece
    own = piece.gap_mm if piece.gap_mm > gap_mm else None
    splits = tuple(replace(s, parts=tuple(replace(p, gap_mm=own) for p in s.parts)) for s in piece.splits)
    return replace(piece, gap_mm=own, splits=splits)


def _roll_outline(hide: Hide, pieces: Sequence[Piece]) -> Ring:
    outline = hide.outline.copy()
    outline[:, 0] = [
        min(x, roll_length_mm(pieces, (hide.width_mm or 1.0) - 2 * hide.edge_margin_mm))
        for x in outline[:, 0]
    ]
    return outline


def suits(hide: str, pieces: Sequence[Piece], fair: Mapping[Hashable, float]) -> Suits:
    """Return the area of a hide that bears at least one of the pieces, and the pieces it can never bear for
    want of fair area; ``fair`` is the hide's, from ``fair_areas``.
    """
    own = [fair[needs_of(piece)] for piece in pieces]
    return Suits(
        hide,
        max(own, default=0.0) / 1e6,
        tuple(piece.id for piece, area in zip(pieces, own, strict=True) if not bears(area, piece)),
    )
