"""HPGL for pen plotters and knives: pens by what a line means, cuts in the order of the plan, each once.

One plotter unit is 0.025 mm (HP 7475A interfacing manual); x runs along the hide, y up from its belly, so
that what is drawn lies as the hide does, backbone away from whoever stands before it.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fairlay.core.cutting.plotted import Layer, PlotLine
from fairlay.core.errors import BadShape

UNITS_PER_MM: Final = 40.0
PENS: Final[dict[Layer, int]] = {"mark": 1, "crease": 2, "cut": 3}
_WORD: Final = re.compile(r"([A-Z]{2})([^;A-Z]*)")


def write_hpgl(lines: Sequence[PlotLine], depth_mm: float) -> str:
    """Return lines as HPGL, in their order; ``depth_mm`` is how deep the hide is, which the belly's end of
    the sheet begins at.
    """
    out, pen = ["IN", "PA"], 0
    for line in lines:
        if PENS[line.layer] != pen:
            pen = PENS[line.layer]
            out.append(f"SP{pen}")
        at = np.round(np.column_stack([line.points[:, 0], depth_mm - line.points[:, 1]]) * UNITS_PER_MM)
        (x, y), *rest = at.astype(int).tolist()
        out.append(f"PU{x},{y}")
        out.append("PD" + ",".join(f"{a},{b}" for a, b in rest))
    return ";".join([*out, "PU", "SP0", ""]) + "\n"


def read_hpgl(text: str, depth_mm: float) -> list[PlotLine]:
    """Return the lines of HPGL as a plotter draws them. Raises BadShape for what is no HPGL or draws with no
    pen.
    """
    names = {pen: layer for layer, pen in PENS.items()}
    out: list[PlotLine] = []
    pen, down, at = 0, False, np.zeros(2)
    line: list[NDArray[np.float64]] = []

    def lift() -> None:
        nonlocal line
        if len(line) > 1:
            if pen not in names:
                raise BadShape(f"a line is drawn with pen {pen}", value=pen, expected="pens 1 to 3")
            points = np.array(line) / UNITS_PER_MM
            out.append(PlotLine(names[pen], np.column_stack([points[:, 0], depth_mm - points[:, 1]])))
        line = []

    words = _WORD.findall(text)
    if not words or words[0][0] != "IN":
        raise BadShape("this is no HPGL", value=text[:20], expected="a file that begins with IN;")
    for word, rest in words:
        numbers = [float(n) for n in re.findall(r"-?\d+(?:\.\d+)?", rest)]
        if word == "SP":
            lift()
            pen = int(numbers[0]) if numbers else 0
        elif word in ("PU", "PD", "PA"):
            if word != "PA":
                if down and word == "PU":
                    lift()
                down = word == "PD"
            if down and not line:
                line = [at]
            for x, y in zip(numbers[::2], numbers[1::2], strict=True):
                at = np.array([x, y])
                if down:
                    line.append(at)
    lift()
    return out
