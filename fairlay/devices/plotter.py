"""A pen plotter or a plotting knife: what a real one must answer to, and a simulated one that draws what it
is sent.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Protocol

from fairlay.core.cutting.plotted import PlotLine
from fairlay.core.formats.hpgl import read_hpgl


class Plotter(Protocol):
    """A machine that takes HPGL."""

    def draw(self, text: str) -> None:
        """Draw a file. Raises BadShape for what is no HPGL."""


class SimulatedPlotter:
    """Draws onto paper of its own; ``depth_mm`` is how deep the sheet is."""

    def __init__(self, depth_mm: float) -> None:
        self.depth_mm = depth_mm
        self.paper: list[PlotLine] = []

    def draw(self, text: str) -> None:
        self.paper += read_hpgl(text, self.depth_mm)

    def drawn(self, layer: str) -> Sequence[PlotLine]:
        """What was drawn with the pen of a layer."""
        return [line for line in self.paper if line.layer == layer]
