"""Is an article complete? What is wrong or worth a look, said plainly, with what would mend it."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
import shapely
from shapely.affinity import rotate, scale, translate
from shapely.geometry import LineString, Polygon

from fairlay.core.errors import FairLayError
from fairlay.core.leather import Hide
from fairlay.core.pattern.article import Article, piece_of, seam_figures
from fairlay.core.pattern.changes import length_and_width
from fairlay.core.pattern.cut import cut_region
from fairlay.core.pattern.marks import placed_ring, stitch_line, stitches_of
from fairlay.core.pattern.pattern import Mark, Pattern
from fairlay.core.rules import Policy, fair_ground
from fairlay.core.shapes.rings import pieces_of
from fairlay.core.tolerances import EQUAL_EDGES_MM, OVERLAP_MM

Level = Literal["wrong", "look"]
HANDS = (("left", "right"), ("right", "left"))
EDGE_OF_HOLE_MM = 1.0
"""Leather left between a stitch hole and an edge; with less it tears out."""


@dataclass(frozen=True)
class Finding:
    """Something found: ``wrong`` would spoil a batch, ``look`` is worth a look.

    Which piece (none: the whole article), what, and what to do.
    """

    level: Level
    piece: str
    says: str
    do: str


def findings(article: Article) -> tuple[Finding, ...]:
    """Return what is found on an article by itself, what would spoil a batch first."""
    out: list[Finding] = []
    if not article.pieces:
        out.append(Finding("look", "", "This article has no pieces yet.", "Add its first piece."))
    for p in article.pieces:
        out += _hands(p, article)
        out += _lining(p, article)
        out += _marks(p, article)
        out += _needs(p, article)
    for seam in article.seams:
        out += _seam(article, seam.name)
    return tuple(sorted(out, key=lambda f: f.level != "wrong"))


def _hands(p: Pattern, article: Article) -> Iterable[Finding]:
    if p.pair and p.each % 2:
        yield Finding(
            "wrong",
            p.slug,
            f"{p.name} is a pair, but {p.each} go into each article: a left with no right.",
            f"Make it {p.each + 1}, or let it be no pair.",
        )
    words = p.name.lower().split()
    for hand, other in HANDS:
        if hand in words and not p.pair:
            wanted = " ".join(other if w == hand else w for w in words)
            partner = next((q for q in article.pieces if q.name.lower() == wanted), None)
            if partner is None:
                yield Finding(
                    "wrong",
                    p.slug,
                    f"{p.name}: there is no {wanted}.",
                    f"Make {p.name} a pair, or add the {wanted}.",
                )
            elif hand == "left" and partner.each != p.each:
                yield Finding(
                    "wrong",
                    p.slug,
                    f"{p.each} of {p.name} and {partner.each} of {partner.name} in each article.",
                    "Give both the same number.",
                )
            elif hand == "left" and not _mirror_each_other(p, partner):
                yield Finding(
                    "look",
                    p.slug,
                    f"{partner.name} is not {p.name} turned over.",
                    "See whether one was changed without the other; a pair made from one pattern cannot "
                    "drift.",
                )


def _mirror_each_other(p: Pattern, q: Pattern) -> bool:
    a = _centred(Polygon(p.ring))
    b = _centred(scale(Polygon(q.ring), -1, 1, origin=(0, 0)))
    apart = min(
        float(a.symmetric_difference(rotate(b, turn, origin=(0, 0))).area) for turn in (0, 90, 180, 270)
    )
    return apart < 0.01 * float(a.area)


def _centred(polygon: Polygon) -> Polygon:
    return translate(polygon, -polygon.centroid.x, -polygon.centroid.y)


def _lining(p: Pattern, article: Article) -> Iterable[Finding]:
    if not p.lines:
        return
    outer = article.by_slug.get(p.lines)
    if outer is None:
        yield Finding(
            "wrong",
            p.slug,
            f"{p.name} lines {p.lines}, which is not in this article.",
            "Name the piece that it lines, or none.",
        )
        return
    own, lined = _centred(Polygon(cut_region(p).exterior)), _centred(Polygon(outer.ring))
    short = min(_stands_out(lined, fit) for fit in _fits(own, lined))
    if short > 0.25:
        yield Finding(
            "wrong",
            p.slug,
            f"{p.name} is smaller than the {outer.name} it lines, by {short:.1f} mm at the worst place.",
            f"Leave {math.ceil(short + 2)} mm or more beyond its outline: "
            "linings are cut larger and trimmed.",
        )
    if outer.each * (2 if outer.pair and not p.pair else 1) and p.each * p.layers < outer.each * outer.layers:
        yield Finding(
            "look",
            p.slug,
            f"{p.each} of {p.name} line {outer.each} of {outer.name}.",
            "See whether one of them is left unlined.",
        )


def _fits(own: Polygon, lined: Polygon) -> Iterable[Polygon]:
    """The ways a lining could lie under what it lines: both hands, by centroids and by boxes."""
    for hand in (1, -1):
        flipped = scale(own, hand, 1, origin=(0, 0))
        for turn in (0, 180):
            fit = rotate(flipped, turn, origin=(0, 0))
            yield fit
            a, b = fit.bounds, lined.bounds
            yield translate(fit, (b[0] + b[2] - a[0] - a[2]) / 2, (b[1] + b[3] - a[1] - a[3]) / 2)


def _stands_out(inner: Polygon, outer: Polygon) -> float:
    beyond = inner.difference(outer)
    return max(
        (
            outer.exterior.distance(shapely.Point(xy))
            for part in pieces_of(beyond)
            for xy in part.exterior.coords
        ),
        default=0.0,
    )


def _marks(p: Pattern, article: Article) -> Iterable[Finding]:
    cut = cut_region(p)
    for m in p.marks:
        if m.kind == "place" and not m.path and m.piece not in article.by_slug:
            yield Finding(
                "wrong",
                p.slug,
                f"{p.name}: {m.piece or 'a piece'} is placed on it, which is not in this article.",
                "Take the mark away, or add the piece.",
            )
            continue
        try:
            yield from _mark(p, m, cut, article)
        except FairLayError as error:
            yield Finding(
                "wrong", p.slug, f"{p.name}, {m.kind} {m.id}: {error}", "Mend the mark or take it away."
            )


def _mark(p: Pattern, m: Mark, cut: Polygon, article: Article) -> Iterable[Finding]:
    if m.kind == "stitch":
        line = LineString(stitch_line(p, m)[0])
        finished = p.region
        off = line.difference(finished.buffer(0.05)).length
        if off > 0.5:
            over = ", over a window" if not line.difference(Polygon(p.ring).buffer(0.05)).length > 0.5 else ""
            yield Finding(
                "wrong",
                p.slug,
                f"{p.name}: the stitch line {m.id} runs off the edge for {off:.0f} mm{over}.",
                "Move the line, or mend the outline where it runs out.",
            )
        else:
            laid = stitches_of(p, m, article.by_slug)
            near = shapely.distance(finished.boundary, shapely.points(laid.holes))
            count = int((near < EDGE_OF_HOLE_MM).sum())
            if count:
                yield Finding(
                    "wrong",
                    p.slug,
                    f"{p.name}: {count} stitch holes of {m.id} lie less than {EDGE_OF_HOLE_MM:g} mm from an "
                    "edge and would tear out.",
                    "Set the line further in.",
                )
            elif not laid.divides and m.spacing == "pitch":
                yield Finding(
                    "look", p.slug, f"{p.name}, {m.id}: {laid.says}.", "Set it even, or ease a few stitches."
                )
    elif m.kind in ("hole", "slot") and m.at is not None:
        if not cut.buffer(-m.width_mm / 2).covers(shapely.Point(m.at.x, m.at.y)):
            yield Finding(
                "wrong", p.slug, f"{p.name}: the {m.kind} {m.id} is not wholly on the piece.", "Move it in."
            )
    elif m.kind == "fold":
        if LineString([(q.x, q.y) for q in m.path]).intersection(cut).length < 1.0:
            yield Finding(
                "wrong",
                p.slug,
                f"{p.name}: the fold {m.id} does not cross the piece.",
                "Draw it from edge to edge.",
            )
    elif m.kind == "place":
        ring = placed_ring(m, article.by_slug)
        if ring is not None and Polygon(ring).difference(Polygon(cut.exterior).buffer(0.5)).area > 25:
            yield Finding(
                "look",
                p.slug,
                f"{article.by_slug[m.piece].name if m.piece in article.by_slug else 'What'} reaches over the "
                f"edge of {p.name}, where it is placed.",
                "See whether that is meant.",
            )


def _needs(p: Pattern, article: Article) -> Iterable[Finding]:
    n = p.needs
    if p.each == 0:
        yield Finding(
            "look", p.slug, f"None of {p.name} go into an article.", "Say how many, or take the piece out."
        )
    if not n.template and n == type(n)():
        yield Finding(
            "look",
            p.slug,
            f"{p.name}: its needs are not stated, so it may be cut from any leather, any way round.",
            "Choose a start for its needs.",
        )
    length, width = length_and_width(p)
    if length > 6 * width and length > 150 and n.grain_tolerance_deg >= 45 and n.max_tightness >= 3:
        yield Finding(
            "look",
            p.slug,
            f"{p.name} is long and narrow, yet may lie any way in loose leather: it will stretch.",
            "Give it the needs of a strap.",
        )
    if n.skived_mm is not None and n.least_mm is not None and n.skived_mm > n.least_mm:
        yield Finding(
            "wrong",
            p.slug,
            f"{p.name} is to be {n.skived_mm:g} mm after skiving but may be cut from {n.least_mm:g} mm.",
            "Skiving only takes off: raise the least thickness, or leave less.",
        )
    for part, ways in article.parts().items():
        if p.part == part and len(ways) == 1 and p is next(q for q in article.pieces if q.part == part):
            yield Finding(
                "look",
                p.slug,
                f"{part} is said to be made in more than one way, but only {ways[0]!r} is there.",
                "Add the other way's pieces, or take the choice away.",
            )


def _seam(article: Article, name: str) -> Iterable[Finding]:
    seam = next(s for s in article.seams if s.name == name)
    try:
        found = seam_figures(article, seam)
    except FairLayError as error:
        yield Finding(
            "wrong",
            seam.sides[0].piece if seam.sides else "",
            f"Seam {name} cannot be reckoned: {error}",
            "Choose its stitch lines again.",
        )
        return
    if len(seam.sides) < 2:
        return
    runs = []
    for side in seam.sides:
        p = article.by_slug[side.piece]
        mark = p.mark(side.mark)
        if mark is not None:
            runs.append((p, stitches_of(p, mark, article.by_slug).run_mm))
    (long_one, most), (short_one, least) = max(runs, key=lambda r: r[1]), min(runs, key=lambda r: r[1])
    if most - least > max(EQUAL_EDGES_MM, 0.003 * most):
        yield Finding(
            "wrong",
            short_one.slug,
            f"Seam {name} joins {most:.1f} mm of {long_one.name} to {least:.1f} mm of {short_one.name}: "
            f"{most - least:.1f} mm too little.",
            "Make the edges of equal length; leather cannot be eased by so much.",
        )
    elif len(set(found.stitches)) > 1:
        yield Finding(
            "look",
            short_one.slug,
            f"Seam {name}: {' and '.join(map(str, found.stitches))} holes do not meet.",
            "Give both sides the same pitch and spacing.",
        )


def findings_on_rack(
    article: Article, rack: Sequence[tuple[str, Hide]], policy: Policy | None = None
) -> tuple[Finding, ...]:
    """Return which pieces no hide in stock can hold.

    ``rack`` has each hide with its material; pieces whose material is not on the rack at all are told once.
    """
    out: list[Finding] = []
    missing: set[str] = set()
    for p in article.pieces:
        own = [hide for material, hide in rack if material == p.material]
        if not own:
            if p.material not in missing:
                out.append(
                    Finding(
                        "look",
                        "",
                        f"There is no {p.material} on the rack.",
                        f"Receive some before {article.name} is laid.",
                    )
                )
                missing.add(p.material)
            continue
        out += _no_hide_for(p, article, own, policy or Policy())
    return tuple(out)


def _no_hide_for(p: Pattern, article: Article, hides: Sequence[Hide], policy: Policy) -> Iterable[Finding]:
    piece = piece_of(p, article)
    length, _ = length_and_width(p)
    longest = max(_longest(h) for h in hides)
    if length > longest:
        yield Finding(
            "wrong",
            p.slug,
            f"{p.name} is {length:.0f} mm long; the longest {p.material} on the rack runs {longest:.0f} mm.",
            "Join it from shorter lengths at a seam, or buy longer leather.",
        )
        return
    inner = _inner_radius(piece.region)
    whole = None if not piece.splits else piece.splits
    for hide in hides:
        ground, _ = fair_ground(piece, hide, policy)
        if any(
            part.area >= piece.area_mm2 * 0.999
            and _inner_radius(part) >= inner - OVERLAP_MM
            and _span(part) >= _span(piece.region) * 0.999
            for part in pieces_of(ground, piece.area_mm2 * 0.9)
        ):
            return
    words = "whole" if whole else "with these needs"
    yield Finding(
        "wrong",
        p.slug,
        f"No {p.material} on the rack can hold {p.name} {words}: none has a patch that is large and good "
        "enough.",
        "See whether its needs are stricter than they must be, allow a seam, or buy for it.",
    )


def _longest(hide: Hide) -> float:
    x0, y0, x1, y1 = hide.region.bounds
    return float(math.hypot(x1 - x0, min(y1 - y0, 400.0)))


def _inner_radius(region: shapely.geometry.base.BaseGeometry) -> float:
    return float(shapely.maximum_inscribed_circle(region, tolerance=1.0).length)


def _span(region: shapely.geometry.base.BaseGeometry) -> float:
    c = np.asarray(region.convex_hull.exterior.coords)
    return float(np.hypot(*(c[:, None] - c[None]).transpose(2, 0, 1)).max())
