"""What a rule gives back, and the shop's choices that rules read."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from shapely.geometry.base import BaseGeometry

GrainSchool = Literal["backbone", "local", "free"]
GRAIN_SCHOOLS: tuple[GrainSchool, ...] = ("backbone", "local", "free")


@dataclass(frozen=True)
class Policy:
    """Choices of the shop for one job.

    ``gap_mm`` is the least distance between pieces that name none of their own: 0 lets them share a cut.
    ``grain_school``: everything with the backbone (the default), by the local line of
    least stretch, or any way.
    """

    gap_mm: float = 0.0
    grain_school: GrainSchool = "backbone"


@dataclass(frozen=True, eq=False)
class Forbidden:
    """Ground a piece may not touch: in hide coordinates, with the sentence that says why.

    ``show_only``: only the show face must keep off; a hidden area may lie here.
    """

    rule: str
    region: BaseGeometry
    reason: str
    show_only: bool = False
