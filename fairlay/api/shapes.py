"""Shapes on their way to the screen."""

from __future__ import annotations

from collections.abc import Iterable

from fairlay.api.models import Bounds, FlawOut, HideShape, LaySummaryOut, ZoneOut
from fairlay.core.leather import Hide
from fairlay.core.leather.hide import SEVERITY_NAMES, TIGHTNESS_NAMES
from fairlay.core.pattern import Piece
from fairlay.core.shapes.rings import as_points, rings_of
from fairlay.store.lays import LaySummary


def hide_shape(hide: Hide, shown_length_mm: float | None = None) -> HideShape:
    """Return a hide as it is drawn; a roll is drawn ``shown_length_mm`` long."""
    outline = hide.outline
    if hide.is_roll and shown_length_mm:
        outline = outline.copy()
        outline[:, 0] = outline[:, 0].clip(0, shown_length_mm)
    x0, y0 = outline.min(axis=0)
    x1, y1 = outline.max(axis=0)
    return HideShape(
        number=hide.id,
        kind=hide.kind,
        rings=[as_points(ring, 1) for ring in (outline, *hide.holes)],
        zones=[
            ZoneOut(
                tightness=zone.tightness,
                name=TIGHTNESS_NAMES[zone.tightness],
                stretch_deg=zone.stretch_deg,
                rings=[as_points(r, 1) for r in rings_of(shown.intersection(hide.region))],
            )
            for zone, shown in hide.zone_regions
        ],
        flaws=[FlawOut(kind=f.kind, severity=f.severity, severity_name=SEVERITY_NAMES[f.severity], outline=as_points(f.outline, 1)) for f in hide.flaws],
        bounds=Bounds(x0=x0, y0=y0, x1=x1, y1=y1),
        edge_margin_mm=hide.edge_margin_mm,
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
            id=s.id, batch_id=s.batch_id, material=s.material, objective=s.objective, head=s.head, created_at=s.created_at,
            placed=s.measures.get("placed", 0), wanted=s.measures.get("wanted", 0), hides=[h["hide"] for h in s.measures.get("per_hide", [])],
        )
        for s in found
    ]  # fmt: skip
