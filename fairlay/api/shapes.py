"""Shapes on their way to the screen."""

from __future__ import annotations

from collections.abc import Iterable
from functools import lru_cache

from fairlay.api.batch_models import LaySummaryOut
from fairlay.api.models import FlawOut, HideShape, ZoneOut
from fairlay.core.formats.read_out import Bounds
from fairlay.core.leather import Hide
from fairlay.core.leather.drawn import HideDrawn, drawn
from fairlay.core.leather.hide import SEVERITY_NAMES, TIGHTNESS_NAMES
from fairlay.core.pattern import Piece
from fairlay.core.shapes.rings import as_points
from fairlay.store.lays import LaySummary


def hide_shape(hide: Hide, shown_length_mm: float | None = None) -> HideShape:
    """Return a hide as it is drawn; a roll is drawn ``shown_length_mm`` long."""
    return drawn_shape(hide.id, hide.kind, _drawn(hide, shown_length_mm))


@lru_cache(maxsize=256)
def _drawn(hide: Hide, length_mm: float | None) -> HideDrawn:
    """A hide drawn; one is the same for as long as its job is remembered."""
    return drawn(hide, length_mm=length_mm)


def drawn_shape(number: str, kind: str, shown: HideDrawn) -> HideShape:
    """Return a hide that is drawn already.

    Its many points are not looked at once more: they are as ``HideDrawn`` has them.
    """
    x, y = zip(*shown.rings[0], strict=True)
    return HideShape.model_construct(
        number=number,
        kind=kind,
        rings=shown.rings,
        bounds=Bounds(x0=min(x), y0=min(y), x1=max(x), y1=max(y)),
        zones=[
            ZoneOut.model_construct(
                tightness=z.tightness,
                name=TIGHTNESS_NAMES[z.tightness],
                stretch_deg=z.stretch_deg,
                rings=z.rings,
            )
            for z in shown.zones
        ],
        flaws=[
            FlawOut.model_construct(
                kind=f.kind, severity=f.severity, severity_name=SEVERITY_NAMES[f.severity], outline=f.outline
            )
            for f in shown.flaws
        ],
    )


def piece_rings(piece: Piece) -> list[list[list[float]]]:
    """Return a piece's outline and windows."""
    return [as_points(ring, 2) for ring in (piece.outline, *piece.holes)]


def grain_of(piece: Piece) -> float | None:
    """Return the grain axis to draw on a piece, in its own coordinates; None where it may lie any way."""
    return None if piece.grain.any_way else piece.grain.axis_deg


def lay_summaries(found: Iterable[LaySummary]) -> list[LaySummaryOut]:
    """Return lays as a list names them."""
    return [
        LaySummaryOut(
            id=s.id,
            batch_id=s.batch_id,
            material=s.material,
            objective=s.objective,
            given_up=s.given_up,
            head=s.head,
            created_at=s.created_at,
            placed=s.measures.get("placed", 0),
            wanted=s.measures.get("wanted", 0),
            hides=[h["hide"] for h in s.measures.get("per_hide", [])],
        )
        for s in found
    ]
