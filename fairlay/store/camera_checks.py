"""Checks of the camera over the cutting table against a page of known size: what each measured, and when."""

from __future__ import annotations

import datetime
from dataclasses import dataclass

from fairlay.store.acting import who
from fairlay.store.clock import now
from fairlay.store.database import connected
from fairlay.store.tables import CameraCheckRow

SHOWN = 20


@dataclass(frozen=True)
class CameraCheck:
    """One check: the camera, when, what the block measured (mm), and how far that was off."""

    camera: str
    checked_at: datetime.datetime
    wide_mm: float
    high_mm: float
    off_share: float
    off_mm: float


@connected
def add_check(camera: str, wide_mm: float, high_mm: float, off_share: float, off_mm: float) -> None:
    """Keep a check."""
    CameraCheckRow.create(
        camera=camera[:60],
        checked_at=now(),
        wide_mm=wide_mm,
        high_mm=high_mm,
        off_share=off_share,
        off_mm=off_mm,
        by=who(),
    )


@connected
def checks() -> list[CameraCheck]:
    """Return the newest checks, newest first."""
    rows = CameraCheckRow.select().order_by(CameraCheckRow.id.desc()).limit(SHOWN)
    return [CameraCheck(r.camera, r.checked_at, r.wide_mm, r.high_mm, r.off_share, r.off_mm) for r in rows]
