"""Variants of one outline, and the centre line of a half pattern."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from fairlay.core.errors import BadPattern
from fairlay.core.formats.stored import ARTICLE
from fairlay.core.pattern.article import Article, check_article, piece_of, with_variants
from fairlay.core.pattern.edges import XY, Run
from fairlay.core.pattern.half import centre_words
from fairlay.core.pattern.pattern import Pattern


def _rectangle(length: float, width: float) -> tuple[tuple[float, ...], ...]:
    return ((0.0, 0.0), (length, 0.0), (length, width), (0.0, width))


PANEL = Pattern("panel", "Panel", "body leather", 1, _rectangle(200, 120), margin_mm=2.0)
WITH_WINDOW = replace(
    PANEL,
    slug="panel-window",
    name="Panel with a window",
    variant_of="panel",
    windows=(((60.0, 40.0), (120.0, 40.0), (120.0, 80.0), (60.0, 80.0)),),
)


def test_a_variant_is_corrected_with_its_piece_and_counted_apart() -> None:
    article = Article("fire-screen", "Fire screen", pieces=(PANEL, WITH_WINDOW))
    longer = replace(PANEL, contour=_rectangle(230, 120), margin_mm=5.0)
    now = with_variants(replace(article, pieces=(longer, WITH_WINDOW)))
    check_article(now)
    plain, window = (piece_of(p, now) for p in now.pieces)
    assert np.ptp(window.outline, axis=0) == pytest.approx(np.ptp(plain.outline, axis=0))
    assert window.area_mm2 == pytest.approx(plain.area_mm2 - 60 * 40) and window.id != plain.id
    alone = with_variants(replace(now, pieces=(now.pieces[1],)))
    assert alone.pieces[0].variant_of == "" and alone.pieces[0].contour == longer.contour
    assert ARTICLE.read(ARTICLE.write(now)) == now


def test_a_variant_of_a_variant_or_of_itself_is_refused() -> None:
    second = replace(WITH_WINDOW, slug="third", name="Third", variant_of="panel-window")
    for pieces in ((PANEL, WITH_WINDOW, second), (replace(PANEL, variant_of="panel"),)):
        with pytest.raises(BadPattern, match="one itself"):
            check_article(Article("fire-screen", "Fire screen", pieces=pieces))


def test_an_article_kept_before_there_were_variants_is_read() -> None:
    old = ARTICLE.write(Article("fire-screen", "Fire screen", pieces=(PANEL,)))
    old["v"] = 1
    for p in old["pieces"]:
        del p["variant_of"], p["centre_line"]
    assert ARTICLE.read(old).pieces == (PANEL,)


@pytest.mark.parametrize(
    ("ring", "words"),
    [
        (_rectangle(200, 120), "both sides parallel to it, 60.0 mm off"),
        (((0, 10), (200, 30), (200, 90), (0, 110)), "both sides 48.0 mm and 32.0 mm off at its ends"),
        (((0, 0), (200, 0), (200, 120), (0, 126)), "unevenly from it, by 5.4 mm"),
    ],
)
def test_the_sides_of_a_half_pattern_are_measured_from_its_centre_line(
    ring: tuple[tuple[float, float], ...], words: str
) -> None:
    line = Run(XY(0, 60), XY(200, 60))
    assert words in centre_words(np.array(ring, float), line)
    marks = piece_of(replace(PANEL, centre_line=line), Article("a", "A")).marks
    assert [m.kind for m in marks] == ["centre line"]
