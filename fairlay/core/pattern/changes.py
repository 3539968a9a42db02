"""What changed between two revisions of an article, piece by piece, in outlines and in measures."""

from __future__ import annotations

from dataclasses import dataclass, fields

import numpy as np
import shapely
from shapely.geometry import LineString, Polygon

from fairlay.core.pattern.article import Article
from fairlay.core.pattern.cut import cut_region
from fairlay.core.pattern.pattern import Needs, Pattern
from fairlay.core.shapes.rings import Ring

LEAST_MM = 0.05


@dataclass(frozen=True)
class Difference:
    """One measure that differs: its name, before and after, in words."""

    what: str
    before: str
    after: str


@dataclass(frozen=True, eq=False)
class Change:
    """How a piece changed: ``new``, ``gone``, ``changed``; its outlines before and after (none: was not, or
    is not there), how far its edge moved at most, and what differs.
    """

    slug: str
    name: str
    kind: str
    before: tuple[Ring, ...]
    after: tuple[Ring, ...]
    moved_mm: float
    differs: tuple[Difference, ...]


def changes(old: Article, new: Article) -> tuple[Change, ...]:
    """Return the pieces that differ between two revisions, in the order of the new one, then those that are
    gone.
    """
    out = []
    for p in new.pieces:
        before = old.by_slug.get(p.slug)
        if before is None:
            out.append(Change(p.slug, p.name, "new", (), _rings(p), 0.0, ()))
        elif before != p:
            out.append(
                Change(
                    p.slug,
                    p.name,
                    "changed",
                    _rings(before),
                    _rings(p),
                    moved_mm(before, p),
                    differences(before, p),
                )
            )
    out += [
        Change(p.slug, p.name, "gone", _rings(p), (), 0.0, ())
        for p in old.pieces
        if p.slug not in new.by_slug
    ]
    return tuple(out)


def _rings(p: Pattern) -> tuple[Ring, ...]:
    cut = cut_region(p)
    return tuple(np.asarray(line.coords)[:-1] for line in (cut.exterior, *cut.interiors))


def moved_mm(old: Pattern, new: Pattern) -> float:
    """Return the furthest that any place of the cut outline moved: the Hausdorff distance of the two, looked
    at every 2 mm.
    """
    a, b = (shapely.segmentize(LineString(cut_region(p).exterior), 2.0) for p in (old, new))
    return round(float(a.hausdorff_distance(b)), 2)


def differences(old: Pattern, new: Pattern) -> tuple[Difference, ...]:
    """Return every measure of a piece that differs, as a cutter would call it."""
    out: list[Difference] = []

    def note(what: str, before: str, after: str) -> None:
        if before != after:
            out.append(Difference(what, before, after))

    (l0, w0), (l1, w1) = length_and_width(old), length_and_width(new)
    for what, was, now in (("length", l0, l1), ("width", w0, w1)):
        if abs(was - now) > LEAST_MM:
            note(what, f"{was:.1f} mm", f"{now:.1f} mm")
    a0, a1 = cut_region(old).area / 1e4, cut_region(new).area / 1e4
    if abs(a0 - a1) > 0.005:
        note("area cut", f"{a0:.2f} dm²", f"{a1:.2f} dm²")
    note("windows", str(len(old.windows)), str(len(new.windows)))
    for name, words in (
        ("name", "name"),
        ("material", "material"),
        ("each", "in each article"),
        ("layers", "layers"),
        ("pair", "a pair"),
        ("margin_mm", "margin all round"),
        ("tool", "cut with"),
        ("spare_rate", "spares"),
        ("way", "made as"),
        ("lines", "lines"),
    ):
        unit = " mm" if name.endswith("_mm") else ""
        note(words, _words(getattr(old, name)) + unit, _words(getattr(new, name)) + unit)
    note("margins of edges", _margins(old), _margins(new))
    for f in fields(Needs):
        note(
            NEED_WORDS.get(f.name, f.name),
            _words(getattr(old.needs, f.name)),
            _words(getattr(new.needs, f.name)),
        )
    before, after = {m.id: m for m in old.marks}, {m.id: m for m in new.marks}
    for key in [*before, *(k for k in after if k not in before)]:
        mark, altered = before.get(key), after.get(key)
        if mark != altered:
            kind = next(m.kind for m in (altered, mark) if m is not None)
            note(
                f"{kind} {key}",
                "none" if mark is None else "as it was",
                "gone" if altered is None else "moved or altered" if mark else "new",
            )
    if old.seam_lines != new.seam_lines:
        note("seams it may be made with", str(len(old.seam_lines)), f"{len(new.seam_lines)}, altered")
    return tuple(out)


NEED_WORDS = {
    "template": "start",
    "grain_deg": "grain axis",
    "grain_tolerance_deg": "grain tolerance",
    "reversible": "other way round",
    "show_limit": "show face bears",
    "hidden": "hidden areas",
    "max_tightness": "loosest leather",
    "least_mm": "least thickness",
    "most_mm": "most thickness",
    "skived_mm": "thickness after skiving",
    "value": "value",
}


def _words(value: object) -> str:
    if value is None or value in ("", ()):
        return "none"
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, tuple):
        return str(len(value))
    return f"{value:g}" if isinstance(value, float) else str(value)


def _margins(p: Pattern) -> str:
    return ", ".join(f"{e.mm:g} mm" for e in p.edge_margins) or "none"


def length_and_width(p: Pattern) -> tuple[float, float]:
    """Return the sides of the smallest rectangle round what is cut, the longer first, in mm."""
    box = cut_region(p).minimum_rotated_rectangle
    if not isinstance(box, Polygon):
        return 0.0, 0.0
    c = np.asarray(box.exterior.coords)
    sides = sorted((float(np.hypot(*(c[1] - c[0]))), float(np.hypot(*(c[2] - c[1])))), reverse=True)
    return round(sides[0], 2), round(sides[1], 2)


def letter(number: int) -> str:
    """Return the name of a revision by its number, from 1: A to Z, then AA, AB ..."""
    out = ""
    while number > 0:
        number, rest = divmod(number - 1, 26)
        out = chr(65 + rest) + out
    return out
