"""Whether leather can be enough for what a batch wants, before anything is laid: bounds no lay can pass."""

from __future__ import annotations

from collections.abc import Hashable, Mapping, Sequence

from fairlay.core.leather.hide import TIGHTNESS_NAMES
from fairlay.core.pattern import Piece
from fairlay.core.rules import bears, needs_of


def shortages(
    pieces: Sequence[Piece],
    names: Mapping[str, str],
    fair: Sequence[Mapping[Hashable, float]],
    runs: Sequence[Mapping[str, int]] = (),
) -> tuple[str, ...]:
    """Return in sentences what some hides cannot give: ``fair`` has, for each, the area in mm2 fair to each
    class of pieces (``fair_areas``), and ``runs`` how many of a strap its uninterrupted runs hold
    (``most_by_runs``). Nothing said is no promise that it is enough.

    Bounds: of a piece, as many as its fair area and its runs hold, hide by hide; of all pieces that need
    leather of a class or tighter, their area against all that is fair to any of them.
    """
    said = []
    for piece in pieces:
        long = [own.get(piece.id) for own in runs] if runs else [None] * len(fair)
        most = 0
        for area, run in zip((area[needs_of(piece)] for area in fair), long, strict=True):
            held = int(area // piece.area_mm2) if bears(area, piece) else 0
            most += held if run is None else min(held, run)
        if most < piece.quantity and not piece.filler:
            said.append(
                f"{most} {names[piece.id]} at most fit the {_leather(piece)}, {piece.quantity} wanted"
            )
    told = 0
    for tightness in (1, 2, 3):
        wanting = [p for p in pieces if p.max_tightness <= tightness and not p.filler]
        if len(wanting) == told:  # nothing more than is said already
            continue
        told = len(wanting)
        wanted = sum(p.area_mm2 * p.quantity for p in wanting) / 1e6
        there = sum(max(area[needs_of(p)] for p in wanting) for area in fair) / 1e6
        if wanted > there:
            said.append(
                f"pieces that need {TIGHTNESS_NAMES[tightness]} leather"
                f"{'' if tightness == 1 else ' or tighter'} take {wanted:.2f} m2, and {there:.2f} m2 is fair "
                "to any of them"
            )
    return tuple(said)


def _leather(piece: Piece) -> str:
    tight = TIGHTNESS_NAMES[piece.max_tightness]
    words = "leather" if piece.max_tightness == 4 else f"{tight} leather"
    if piece.max_tightness not in (1, 4):
        words = f"{tight} or tighter leather"
    if piece.thickness_mm:
        words += f" of {piece.thickness_mm[0]:g} to {piece.thickness_mm[1]:g} mm"
    return words + " here"
