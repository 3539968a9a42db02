"""Marks ready to be drawn, as a piece carries them into every lay, print and export."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from fairlay.core.shapes.rings import as_points

Draws = Literal["line", "area", "pricks"]


@dataclass(frozen=True, eq=False)
class DrawnMark:
    """A mark ready to be drawn, in the piece's own coordinates (n, 2) in mm: a line, a closed area, or single
    pricks.

    ``words`` is what is written beside it; ``side`` where it is marked.
    """

    kind: str
    draws: Draws
    points: NDArray[np.float64]
    side: Literal["grain", "flesh"] = "grain"
    words: str = ""
    id: str = ""


def mark_values(d: DrawnMark) -> dict[str, Any]:
    """Return a drawn mark as JSON-ready values."""
    return {
        "kind": d.kind,
        "draws": d.draws,
        "points": as_points(d.points, 3),
        "side": d.side,
        "words": d.words,
        "id": d.id,
    }


def mark_from(values: dict[str, Any]) -> DrawnMark:
    """Return the drawn mark of JSON values, as ``mark_values`` writes them."""
    points = np.asarray(values["points"], float).reshape(-1, 2)
    return DrawnMark(
        values["kind"],
        values.get("draws", "line"),
        points,
        values.get("side", "grain"),
        values.get("words", ""),
        values.get("id", ""),
    )
