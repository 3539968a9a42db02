"""Drawings are as large, and lie where, a browser draws them."""

from __future__ import annotations

import numpy as np
import pytest
from playwright.sync_api import Browser

from fairlay.core.formats.svg_in import read_svg

MM_PER_PX = 25.4 / 96
SYMBOL = '<symbol id="s" viewBox="0 0 100 50" {}><path d="M0 0H100V50H0Z"/></symbol>'
BOX = """() => {
  const drawn = document.querySelectorAll('use, rect, ellipse, svg > path, g > path')
  const boxes = [...drawn].map((e) => e.getBoundingClientRect())
  return [Math.min(...boxes.map((b) => b.left)), Math.min(...boxes.map((b) => b.top)),
          Math.max(...boxes.map((b) => b.right)), Math.max(...boxes.map((b) => b.bottom))]
}"""


@pytest.mark.parametrize(
    "body",
    [
        SYMBOL.format("") + '<use href="#s" width="200" height="100"/>',
        SYMBOL.format("") + '<use href="#s" x="10" y="20" width="200" height="200"/>',
        SYMBOL.format('preserveAspectRatio="none"') + '<use href="#s" width="90" height="200"/>',
        SYMBOL.format('preserveAspectRatio="xMaxYMin meet"') + '<use href="#s" width="90" height="200"/>',
        SYMBOL.format("") + '<g transform="rotate(90 100 100) scale(1.5)"><use href="#s" y="-80"/></g>',
        '<svg x="50" y="50" width="50%" height="100" viewBox="0 0 10 10" preserveAspectRatio="xMinYMin '
        'slice">'
        '<rect width="10" height="5"/></svg>',
        '<svg x="10%" y="5%" viewBox="0 0 40 20"><ellipse cx="50%" cy="10" rx="25%" ry="5"/></svg>',
        '<g font-size="10"><rect x="2em" width="50%" height="5em"/></g>',
        '<g transform="translate(300 20) scale(-1.2 1)">'
        '<path d="M20 20c30-40 60 40 90 0t40 10a25 15 30 1 1 -40 30z"/></g>',
    ],
)
def test_a_drawing_is_as_large_as_a_browser_draws_it(browser: Browser, body: str) -> None:
    svg = (
        '<svg xmlns="http://www.w3.org/2000/svg" width="200mm" height="150mm" viewBox="0 0 400 300" '
        f'style="position:absolute;left:0;top:0;overflow:visible">{body}</svg>'
    )
    page = browser.new_page()
    page.set_content(svg)
    theirs = np.array(page.evaluate(BOX)) * MM_PER_PX
    page.close()
    drawing = read_svg(svg.encode())
    assert drawing.unit_mm is not None
    points = np.concatenate([stroke.points for stroke in drawing.strokes]) * drawing.unit_mm
    ours = np.concatenate([points.min(axis=0), points.max(axis=0)])
    assert ours == pytest.approx(theirs, abs=0.05)
