"""Pieces that lie in parts: which copies do, and where their parts are."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np

from fairlay.core.engine.layer import Lying
from fairlay.core.engine.table import HideTable
from fairlay.core.lay.lay import Job

Slots = list[tuple[int, int]]
"""Table and slot of each part."""


def one_in_parts(
    job: Job, tables: Sequence[HideTable], free: Callable[[int, int, Lying], bool], rng: np.random.Generator
) -> tuple[str, int, Slots] | None:
    """Return a copy, drawn at random, all whose parts lie on the tables and may be taken up: its piece, its
    number and where its parts lie; None where there is none.

    ``free`` says of a table, a slot and what lies there whether it may be.
    """
    found: dict[tuple[str, int], Slots] = {}
    split: dict[tuple[str, int], str | None] = {}
    for h, table in enumerate(tables):
        for slot, lying in table.lying.items():
            piece = lying.variant.piece
            if piece.parent and not lying.fixed and free(h, slot, lying):
                found.setdefault((piece.parent, lying.copy), []).append((h, slot))
                split[piece.parent, lying.copy] = piece.split
    wanted = {(piece.id, s.id): len(s.parts) for piece in job.pieces for s in piece.splits}
    whole = [key for key, slots in found.items() if len(slots) == wanted[key[0], split[key] or ""]]
    if not whole:
        return None
    key = whole[int(rng.integers(len(whole)))]
    return (*key, found[key])
