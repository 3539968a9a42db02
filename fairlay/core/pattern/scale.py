"""A printed bar that was measured: what the printer's scale was, and what to set."""

from __future__ import annotations

import math
from dataclasses import dataclass

from fairlay.core.errors import BadPattern

BAR_MM = 100.0
RIGHT_SHARE = 0.003
"""A bar off by three in a thousand is as near as a rule is read; a metre strap is out by 3 mm."""
FIT_TO_PAGE = (0.93, 0.98)
"""What 'fit to page' makes of a full sheet, more or less, by the width of the margins."""


@dataclass(frozen=True)
class ScaleFound:
    """What a measured bar tells.

    ``scale`` is printed over true size; ``set_percent`` is what to print at to be right; ``factor`` mends a
    scan.
    """

    nominal_mm: float
    measured_mm: float
    scale: float
    right: bool
    set_percent: float
    factor: float
    says: str


def scale_found(
    measured_mm: float, nominal_mm: float = BAR_MM, printed_at_percent: float = 100.0
) -> ScaleFound:
    """Return what a bar of ``nominal_mm`` that measures ``measured_mm`` tells of the printer.

    Raises BadPattern for a measure that no bar has.
    """
    if not math.isfinite(measured_mm) or not 0.2 * nominal_mm <= measured_mm <= 5 * nominal_mm:
        raise BadPattern(
            f"a bar of {nominal_mm:g} mm that measures {measured_mm:g} mm",
            value=measured_mm,
            expected=f"{0.2 * nominal_mm:g} to {5 * nominal_mm:g} mm: measure the bar from outer line to "
            "outer line",
        )
    scale = measured_mm / nominal_mm
    set_percent = printed_at_percent / scale
    off = (scale - 1) * 100
    if abs(scale - 1) <= RIGHT_SHARE:
        return ScaleFound(
            nominal_mm,
            measured_mm,
            scale,
            True,
            printed_at_percent,
            1 / scale,
            "The scale is right: stick it to card.",
        )
    size, length = ("large", "long") if off > 0 else ("small", "short")
    words = (
        f"Printed {abs(off):.1f} % too {size}: a piece of 300 mm comes out {abs(off) * 3:.1f} mm {length}. "
        f"Print at {set_percent:.1f} %"
    )
    if FIT_TO_PAGE[0] <= scale <= FIT_TO_PAGE[1] and printed_at_percent == 100:
        words += ', or, likelier, set the printer to "actual size" in place of "fit to page"'
    if abs(scale - 25.4 / 24) < 0.002 or abs(scale - 72 / 96) < 0.01 or abs(scale - 96 / 72) < 0.01:
        words += ". A printer driver that counts 72 points where there are 96 makes just this error"
    return ScaleFound(nominal_mm, measured_mm, scale, False, round(set_percent, 2), 1 / scale, words + ".")
