"""A job (hides, pieces, policy) and a lay (what lies where)."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass, field
from functools import cached_property
from typing import Literal

from fairlay.core.lay.rack import RackWorth
from fairlay.core.leather import Hide
from fairlay.core.pattern import Piece
from fairlay.core.rules.ground import Policy
from fairlay.core.shapes.placing import Placing

Objective = Literal["fill", "sets", "order"]


@dataclass(frozen=True, slots=True)
class Placement:
    """Copy ``copy`` of a piece, on a hide, at a placing."""

    piece: str
    copy: int
    hide: str
    at: Placing


@dataclass(frozen=True, slots=True)
class Unplaced:
    """How many of a piece found no place, why, and what would help."""

    piece: str
    count: int
    reason: str


@dataclass(frozen=True, slots=True)
class Better:
    """The lay got better: seconds since the search began, and its measure (larger is better)."""

    second: float
    measure: float


@dataclass(frozen=True, eq=False)
class Job:
    """What the engine is asked: pieces to lay on hides, under a policy, toward an objective; hides in
    ``leave`` stay as they are. Copies in ``excused`` (piece, copy) lie where a cutter insists: nothing is
    held against their place, angle or distance. ``more_of``: of these pieces alone more is laid (none: of
    all). ``rack``: what leather left of an order is worth to the shop.
    """

    name: str
    hides: tuple[Hide, ...]
    pieces: tuple[Piece, ...]
    policy: Policy = field(default_factory=Policy)
    objective: Objective = "fill"
    match_sets: tuple[str, ...] = ()
    fixed: tuple[Placement, ...] = ()
    seconds: float = 60.0
    seed: int = 1
    leave: frozenset[str] = frozenset()
    excused: frozenset[tuple[str, int]] = frozenset()
    more_of: frozenset[str] = frozenset()
    rack: RackWorth = field(default_factory=RackWorth)

    def lays(self, piece_id: str) -> bool:
        """Whether more of a piece is to be laid."""
        return not self.more_of or piece_id in self.more_of

    @cached_property
    def pieces_by_id(self) -> dict[str, Piece]:
        """Every piece that a placement may name: the pieces, and the parts of their splits."""
        out = {piece.id: piece for piece in self.pieces}
        for piece in self.pieces:
            for split in piece.splits:
                out.update({part.id: part for part in split.parts})
        return out

    @cached_property
    def seams_m2(self) -> dict[str, float]:
        """What each part of a split costs of its seam, as leather: the split's penalty, shared evenly."""
        return {
            part.id: split.penalty_m2 / len(split.parts)
            for piece in self.pieces
            for split in piece.splits
            for part in split.parts
        }

    @cached_property
    def hides_by_id(self) -> dict[str, Hide]:
        return {hide.id: hide for hide in self.hides}


@dataclass(frozen=True)
class Lay:
    """Placements on the hides of a job, what could not be placed, and how the search went."""

    placements: tuple[Placement, ...]
    unplaced: tuple[Unplaced, ...] = ()
    history: tuple[Better, ...] = field(default=())

    def counts(self, job: Job) -> Counter[str]:
        """Copies placed per piece; a copy made in parts counts once all its parts are placed."""
        out: Counter[str] = Counter()
        parts: dict[tuple[str, str, int], set[str]] = {}
        for placement in self.placements:
            piece = job.pieces_by_id[placement.piece]
            if piece.parent is None:
                out[piece.id] += 1
            else:
                parts.setdefault((piece.parent, piece.split or "", placement.copy), set()).add(piece.id)
        for (parent, split_id, _), got in parts.items():
            split = next(s for s in job.pieces_by_id[parent].splits if s.id == split_id)
            if len(got) == len(split.parts):
                out[parent] += 1
        return out

    def splits_used(self, job: Job) -> Counter[tuple[str, str]]:
        """Copies made in parts, per (piece, split)."""
        seen = {
            (piece.parent, piece.split or "", placement.copy)
            for placement in self.placements
            if (piece := job.pieces_by_id[placement.piece]).parent is not None
        }
        return Counter((parent, split) for parent, split, _ in seen if parent is not None)
