"""Every kernel compiled once, by laying two small jobs that use them all."""

from __future__ import annotations

import itertools

import numpy as np

from fairlay.core.engine.run import lay_job
from fairlay.core.lay.lay import Job
from fairlay.core.leather import Flaw, Hide, Zone
from fairlay.core.pattern import Grain, Piece
from fairlay.core.rules import Policy


def warm_kernels() -> None:
    """Lay a small side with zones, flaws and hidden areas, so that numba compiles and keeps every kernel."""
    square = np.array([[0.0, 0.0], [80.0, 0.0], [80.0, 80.0], [0.0, 80.0]])
    hide = Hide(
        "warm",
        "side",
        square * 5,
        zones=(Zone(square * 5, 1), Zone(square * 2, 3, 60.0)),
        flaws=(Flaw("scar", 2, square / 8 + 200.0), Flaw("hole", 3, square / 8 + 300.0)),
    )
    pieces = (
        Piece(
            "a",
            square,
            6,
            show_limit=1,
            hidden=(square / 4 + 20.0,),
            max_tightness=2,
            grain=Grain(0.0, 10.0, True),
        ),
        Piece("b", square / 3, 8, pair=True, grain=Grain(0.0, 5.0, True)),
        Piece("c", square / 8, 500),
    )
    ticks = itertools.count()
    lay_job(
        Job("warm", (hide,), pieces, Policy(1.0, "local"), seconds=1e9), lambda: float(next(ticks)), steps=2
    )
