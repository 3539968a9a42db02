"""The squared page that parts are photographed on: its sizes and lines, for the printer and for the camera's
stand-in alike.

Squares of 10 mm between thin lines. The lines go right round every square, so that any whole square
seen in a picture tells where it is; nothing else is printed inside the grid.
"""

from __future__ import annotations

from dataclasses import dataclass

from fairlay.core.errors import BadPattern

PAPERS_MM: dict[str, tuple[float, float]] = {
    "A4": (210.0, 297.0),
    "A3": (297.0, 420.0),
    "A2": (420.0, 594.0),
    "A1": (594.0, 841.0),
    "Letter": (215.9, 279.4),
    "Tabloid": (279.4, 431.8),
}
SQUARE_MM = 10.0
LINE_MM = 0.4
MARGIN_MM = 9.0
"""Most printers leave 5 to 8 mm blank at the edge."""
FOOT_MM = 30.0
"""Room under the grid for the bar, the square and the words."""
INK = (0.42, 0.55, 0.62)
"""The lines' ink: a slate blue, dark enough in every channel to be found by a camera, unlike any leather."""


@dataclass(frozen=True)
class GridPage:
    """A page and its grid: ``across`` by ``down`` squares whose first corner is at (``x0``, ``y0``) from the
    page's top left, in mm.
    """

    paper: str
    width_mm: float
    height_mm: float
    x0: float
    y0: float
    across: int
    down: int
    square_mm: float


def paper_mm(paper: str, landscape: bool = False) -> tuple[float, float]:
    """Return width and height of a paper.

    Raises BadPattern for one that is not known, listing those that are.
    """
    if paper not in PAPERS_MM:
        raise BadPattern(
            f"there is no paper called {paper!r} here", value=paper, expected=", ".join(PAPERS_MM)
        )
    w, h = PAPERS_MM[paper]
    return (h, w) if landscape else (w, h)


def grid_page(paper: str, landscape: bool = False, square_mm: float = SQUARE_MM) -> GridPage:
    """Return the grid of a page: as many whole squares as its margins hold, centred across."""
    w, h = paper_mm(paper, landscape)
    if not 4.0 <= square_mm <= 30.0:
        raise BadPattern(f"squares of {square_mm:g} mm", value=square_mm, expected="4 to 30 mm")
    across = int((w - 2 * MARGIN_MM) // square_mm)
    down = int((h - 2 * MARGIN_MM - FOOT_MM) // square_mm)
    return GridPage(paper, w, h, (w - across * square_mm) / 2, MARGIN_MM, across, down, square_mm)
