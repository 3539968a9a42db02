"""The one rule about angle: how a piece's load axis lies to the line it is judged by.

Three schools, a setting of the job: the backbone (the default), the local line of least
stretch at the piece's centroid, or any way.
"""

from __future__ import annotations

import math

from fairlay.core.leather import Hide
from fairlay.core.pattern import Grain, Piece
from fairlay.core.rules.ground import Policy
from fairlay.core.tolerances import GRAIN_GRACE_DEG

NAME = "grain"
LINE = {"backbone": "the backbone", "local": "the line of least stretch there"}


def axis_deg(grain: Grain, rotation_deg: float, mirrored: bool) -> float:
    """Return the way the load axis points on the hide; mirroring (x to -x) turns axis a into 180 - a."""
    return (180.0 - grain.axis_deg if mirrored else grain.axis_deg) + rotation_deg


def off_axis_deg(axis: float, line: float, reversible: bool) -> float:
    """Return the angle between an axis and a line, 0 to 180, or 0 to 90 where the other way round will do."""
    off = abs((axis - line + 180.0) % 360.0 - 180.0)
    return min(off, 180.0 - off) if reversible else off


def line_deg(hide: Hide, policy: Policy, x: float, y: float) -> float:
    """Return the line that grain is judged by at a point, in degrees."""
    return hide.backbone_deg if policy.grain_school == "backbone" else hide.least_stretch_deg(x, y)


def any_way(piece: Piece, policy: Policy) -> bool:
    """Whether the piece may be turned freely."""
    return policy.grain_school == "free" or piece.grain.any_way


def fair_turns(piece: Piece, line: float, mirrored: bool, policy: Policy) -> tuple[tuple[float, float], ...]:
    """Return the rotations that keep the grain, as (middle, half width) in degrees."""
    if any_way(piece, policy):
        return ((0.0, 180.0),)
    middle = line - axis_deg(piece.grain, 0.0, mirrored)
    half = piece.grain.tolerance_deg
    if not piece.grain.reversible:
        return ((middle % 360.0, half),)
    if half >= 90.0:
        return ((0.0, 180.0),)
    return ((middle % 360.0, half), ((middle + 180.0) % 360.0, half))


def lines_on(hide: Hide, policy: Policy) -> tuple[float, ...]:
    """Return every line that grain is judged by somewhere on the hide."""
    if policy.grain_school != "local":
        return (hide.backbone_deg,)
    return tuple(
        dict.fromkeys(
            [
                *(zone.stretch_deg + 90.0 for zone, shown in hide.zone_regions if not shown.is_empty),
                hide.backbone_deg,
            ]
        )
    )


def off_grain(
    piece: Piece, hide: Hide, policy: Policy, rotation_deg: float, mirrored: bool, x: float, y: float
) -> str | None:
    """Return the sentence for a piece whose centroid lies at (x, y) off its grain; None if it is fair."""
    if any_way(piece, policy):
        return None
    off = off_axis_deg(
        axis_deg(piece.grain, rotation_deg, mirrored), line_deg(hide, policy, x, y), piece.grain.reversible
    )
    if off <= piece.grain.tolerance_deg + GRAIN_GRACE_DEG:
        return None
    return f"{off:.1f} degrees off {LINE[policy.grain_school]}, {piece.grain.tolerance_deg:g} allowed"


def turn_within(rotation_deg: float, turns: tuple[tuple[float, float], ...]) -> float:
    """Return the fair rotation nearest to one wanted."""
    best, best_off = rotation_deg, math.inf
    for middle, half in turns:
        off = (rotation_deg - middle + 180.0) % 360.0 - 180.0
        held = max(-half, min(half, off))
        if abs(off - held) < best_off:
            best, best_off = middle + held, abs(off - held)
    return best
