"""Articles: a product's patterns with its seams, thread and hardware, and what one of it takes."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace

import numpy as np
import shapely
from shapely.geometry import Polygon, box
from shapely.geometry.base import BaseGeometry

from fairlay.core.errors import BadPattern, FairLayError
from fairlay.core.pattern.contour import flatten
from fairlay.core.pattern.cut import cut_region, in_two
from fairlay.core.pattern.marks import band_of, drawn_marks, placed_ring, stitch_line, stitches_of
from fairlay.core.pattern.pattern import Pattern, check_pattern, slug_of
from fairlay.core.pattern.piece import Grain, Piece, Split, part_id
from fairlay.core.shapes.rings import Ring, pieces_of, region

SIMPLE_MM = 0.2
"""Points nearer than this to the line between their neighbours are left out of what is laid: no hand cuts a
curve truer than two tenths. Corners and straights stay as they are.
"""
SEAM_COST_M2_PER_MM = 2e-5
"""What a seam costs as leather: 20 mm of it along its length, for the making."""


@dataclass(frozen=True)
class Hardware:
    """Something bought that goes into an article: how many."""

    name: str
    each: int


@dataclass(frozen=True)
class SeamSide:
    """A stitch line of one piece that meets others in a seam."""

    piece: str
    mark: str


@dataclass(frozen=True)
class Seam:
    """Stitch lines that are sewn to each other.

    ``times`` in each article; thread is run times ``factor`` plus two tails of ``tail_mm``.
    """

    name: str
    sides: tuple[SeamSide, ...]
    times: int = 1
    factor: float = 5.0
    tail_mm: float = 150.0


@dataclass(frozen=True)
class Article:
    """A product at one revision: its patterns and how they go together."""

    slug: str
    name: str
    note: str = ""
    pieces: tuple[Pattern, ...] = ()
    seams: tuple[Seam, ...] = ()
    hardware: tuple[Hardware, ...] = ()
    thread: str = "waxed linen 0.8 mm"

    @property
    def by_slug(self) -> dict[str, Pattern]:
        return {p.slug: p for p in self.pieces}

    def parts(self) -> dict[str, tuple[str, ...]]:
        """The parts that can be made in more than one way, and their ways, the usual one first."""
        ways: dict[str, dict[str, None]] = {}
        for p in self.pieces:
            if p.part:
                ways.setdefault(p.part, {})[p.way] = None
        return {part: tuple(own) for part, own in ways.items()}


@dataclass(frozen=True)
class SeamFigures:
    """What a seam takes: its longest run, stitches on each side, thread, and how thick it is where its pieces
    meet (None: not all known).
    """

    name: str
    run_mm: float
    stitches: tuple[int, ...]
    thread_mm: float
    stack_mm: float | None
    layers: int


@dataclass(frozen=True)
class ArticleFigures:
    """What one article takes before any waste: leather by material in m2, thread in mm, hardware, pieces."""

    leather_m2: dict[str, float]
    thread_mm: float
    stitches: int
    seams: tuple[SeamFigures, ...]
    hardware: dict[str, int] = field(default_factory=dict)
    pieces: int = 0


def check_article(article: Article) -> None:
    """Raise BadPattern where an article cannot be kept: no name, two pieces of one slug, a piece that makes
    no sense, or pieces that place each other.
    """
    if not article.name.strip():
        raise BadPattern("the article has no name", value=article.name, expected="a name")
    if article.slug != slug_of(article.slug):
        raise BadPattern(
            f"the article's short name is {article.slug!r}",
            value=article.slug,
            expected="small letters, digits and hyphens",
        )
    seen: set[str] = set()
    for p in article.pieces:
        if p.slug in seen:
            raise BadPattern(
                f"two pieces are called {p.slug}", value=p.slug, expected="a name of its own for each piece"
            )
        seen.add(p.slug)
        check_pattern(p)
        _ = cut_region(p)
    by_slug = article.by_slug
    for p in article.pieces:
        base = by_slug.get(p.variant_of)
        if base is not None and (base.variant_of or base is p):
            raise BadPattern(
                f"{p.name} is a variant of {base.name}, which is one itself",
                value=p.variant_of,
                expected="a piece that is drawn",
            )
    for seam in article.seams:
        if seam.times < 0 or seam.factor <= 0 or seam.tail_mm < 0:
            raise BadPattern(
                f"seam {seam.name}: {seam.times} times, thread factor {seam.factor:g}, tails of "
                f"{seam.tail_mm:g} mm",
                value=seam.name,
                expected="0 or more times, a factor above 0 (4 to 6 is usual)",
            )


def with_variants(article: Article) -> Article:
    """Return an article whose variants have the outline and margins of the piece that they are of; one whose
    piece is not there any more is a piece of its own.
    """
    own = article.by_slug

    def shaped(p: Pattern) -> Pattern:
        base = own.get(p.variant_of)
        if base is None:
            return replace(p, variant_of="")
        return replace(
            p,
            contour=base.contour,
            margin_mm=base.margin_mm,
            edge_margins=base.edge_margins,
            centre_line=base.centre_line,
        )

    return replace(article, pieces=tuple(shaped(p) for p in article.pieces))


def ways_chosen(article: Article, ways: Mapping[str, str]) -> tuple[Pattern, ...]:
    """Return the patterns that are cut: of each part the way chosen, or its usual one.

    Raises BadPattern for a way that is not there.
    """
    parts = article.parts()
    for part, way in ways.items():
        if way not in parts.get(part, ()):
            raise BadPattern(
                f"{article.name}: {part} cannot be made {way!r}",
                value=way,
                expected=", ".join(parts.get(part, ())) or "no choice at all",
            )
    return tuple(p for p in article.pieces if not p.part or p.way == ways.get(p.part, parts[p.part][0]))


def piece_of(p: Pattern, article: Article) -> Piece:
    """Return the piece that the engine lays: what is cut, with what will not be seen hidden, and its marks.

    Hidden are the painted areas, what lies beyond the finished outline, and what a placed piece covers.
    """
    others = article.by_slug
    cut = cut_region(p)
    hidden = _hidden(p, cut, others)
    n = p.needs
    thickness = (n.least_mm or 0.01, n.most_mm or 99.0) if n.least_mm or n.most_mm else None
    piece = Piece(
        p.slug,
        _ring(cut),
        p.each * p.layers,
        tuple(_simple(Polygon(w)) for w in p.window_rings),
        p.pair,
        n.show_limit,
        hidden,
        n.max_tightness,
        Grain(n.grain_deg, n.grain_tolerance_deg, n.reversible),
        n.value,
        thickness_mm=thickness,
        marks=drawn_marks(p, others),
    )
    if not p.pair and p.seam_lines:
        splits = []
        for seam in p.seam_lines:
            parts = tuple(
                replace(
                    piece,
                    id=part_id(p.slug, seam.id, which),
                    outline=_ring(half),
                    holes=(),
                    hidden=tuple(
                        _ring(g) for h in hidden for g in pieces_of(Polygon(h).intersection(half), 1.0)
                    ),
                    parent=p.slug,
                    split=seam.id,
                    marks=(),
                )
                for which, half in zip(("a", "b"), in_two(p, cut, seam), strict=True)
            )
            length = float(np.hypot(seam.end.x - seam.start.x, seam.end.y - seam.start.y))
            splits.append(Split(seam.id, length * SEAM_COST_M2_PER_MM, parts))
        piece = replace(piece, splits=tuple(splits))
    _ = region(piece.outline, piece.holes, f"piece {p.name}")
    return piece


def _hidden(p: Pattern, cut: Polygon, others: Mapping[str, Pattern]) -> tuple[Ring, ...]:
    areas: list[BaseGeometry] = [Polygon(flatten(h)).intersection(cut) for h in p.needs.hidden]
    if p.margin_mm > 0 or p.edge_margins:
        areas.append(Polygon(cut.exterior).difference(Polygon(p.ring)))
    for mark in p.marks:
        ring = placed_ring(mark, others)
        if ring is not None and mark.covers:
            areas.append(Polygon(ring).intersection(cut))
    merged = shapely.union_all(areas).buffer(-0.01) if areas else Polygon()
    return tuple(_ring(g) for part in pieces_of(merged, 1.0) for g in without_holes(part))


def without_holes(polygon: Polygon) -> list[Polygon]:
    """Return polygons without holes that together cover the one given: it is cut through the middle of each
    hole.
    """
    if not polygon.interiors:
        return [polygon]
    x0, y0, x1, y1 = polygon.bounds
    at = Polygon(polygon.interiors[0]).centroid.x
    halves = [
        polygon.intersection(box(x0 - 1, y0 - 1, at, y1 + 1)),
        polygon.intersection(box(at, y0 - 1, x1 + 1, y1 + 1)),
    ]
    return [whole for half in halves for part in pieces_of(half, 1.0) for whole in without_holes(part)]


def _ring(polygon: Polygon) -> Ring:
    return _simple(Polygon(polygon.exterior))


def _simple(polygon: Polygon) -> Ring:
    kept = polygon.simplify(SIMPLE_MM)
    return np.round(np.asarray(kept.exterior.coords, dtype=np.float64)[:-1], 4)


def thickness_at(p: Pattern, mark_id: str) -> float | None:
    """Return how thick a piece is under one of its stitch lines: as skived there, else as it is made; None
    where nothing is said.
    """
    mark = p.mark(mark_id)
    if mark is not None:
        line = shapely.LineString(stitch_line(p, mark)[0])
        for other in p.marks:
            if (
                other.kind == "skive"
                and line.intersection(band_of(p, other).buffer(0.1)).length > 0.5 * line.length
            ):
                return other.left_mm * p.layers
    return None if p.thickness_mm is None else p.thickness_mm * p.layers


def seam_figures(article: Article, seam: Seam) -> SeamFigures:
    """Return what a seam takes.

    Raises BadPattern where a side names no stitch line, or one that cannot run.
    """
    runs, counts, layers, stack = [], [], 0, 0.0
    known = True
    for side in seam.sides:
        p = article.by_slug.get(side.piece)
        mark = p.mark(side.mark) if p else None
        if p is None or mark is None or mark.kind != "stitch":
            raise BadPattern(
                f"seam {seam.name}: there is no stitch line {side.mark!r} on {side.piece!r}",
                value=side.piece,
                expected="a stitch line of a piece of this article",
            )
        laid = stitches_of(p, mark, article.by_slug)
        runs.append(laid.run_mm)
        counts.append(laid.stitches)
        thick = thickness_at(p, side.mark)
        known = known and thick is not None
        stack += thick or 0.0
        layers += p.layers
    run = max(runs, default=0.0)
    return SeamFigures(
        seam.name,
        run,
        tuple(counts),
        run * seam.factor + 2 * seam.tail_mm,
        round(stack, 2) if known and runs else None,
        layers,
    )


def figures_of(article: Article, ways: Mapping[str, str] | None = None) -> ArticleFigures:
    """Return what one article takes; a seam that cannot be reckoned is left out (``checks`` tells of it)."""
    cut = ways_chosen(article, ways or {})
    leather: dict[str, float] = {}
    for p in cut:
        leather[p.material] = leather.get(p.material, 0.0) + cut_region(p).area * p.each * p.layers / 1e6
    seams = []
    for seam in article.seams:
        try:
            seams.append((seam, seam_figures(article, seam)))
        except FairLayError:
            continue
    return ArticleFigures(
        {m: round(a, 6) for m, a in leather.items()},
        round(sum(s.times * f.thread_mm for s, f in seams), 1),
        sum(s.times * max(f.stitches, default=0) for s, f in seams),
        tuple(f for _, f in seams),
        {h.name: h.each for h in article.hardware},
        sum(p.each * p.layers for p in cut),
    )
