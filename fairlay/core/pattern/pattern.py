"""A pattern: a piece as the drawer keeps it, with all it needs and all that is marked on it.

The engine lays ``Piece``s; ``article.piece_of`` makes one from a pattern. Coordinates are the piece's
own, in mm, seen on the grain side.
"""

from __future__ import annotations

import hashlib
import re
import unicodedata
from dataclasses import dataclass
from functools import cached_property
from typing import Literal

from shapely.geometry import Polygon

from fairlay.core.errors import BadPattern
from fairlay.core.pattern.contour import Contour, flatten
from fairlay.core.pattern.edges import XY, Run
from fairlay.core.pattern.stitching import Spacing
from fairlay.core.shapes.rings import Ring, region

Side = Literal["grain", "flesh"]
MarkKind = Literal["stitch", "hole", "slot", "fold", "glue", "skive", "place", "stamp"]
Tool = Literal["knife", "shears", "strap cutter", "die"]

TOOL_GAP_MM: dict[Tool, float] = {"knife": 0.0, "shears": 2.0, "strap cutter": 0.0, "die": 3.0}
"""The room that a tool needs between pieces: a die's edge takes 3 mm or so, shears wander; a knife may share
a cut.
"""

AS_LATIN = str.maketrans({"æ": "ae", "œ": "oe", "ø": "o", "đ": "d", "ð": "d", "ł": "l", "þ": "th", "ı": "i"})
"""Letters of Latin script that are no letter with an accent."""


@dataclass(frozen=True)
class Mark:
    """Something pricked or drawn on a piece. Which fields count depends on ``kind``:

    - stitch: along ``run`` at ``offset_mm`` inside the edge, or along ``path`` where that has points;
      ``pitch_mm``, ``spacing``;
    - hole: punch of ``width_mm`` across at ``at``; slot: ``length_mm`` by ``width_mm`` at ``at``, turned
      ``turn_deg``;
    - fold: along ``path``; glue: a band ``width_mm`` wide along ``run``; skive: the same, ``left_mm``
      thick afterwards;
    - place: the piece ``piece`` lies with its origin at ``at``, turned ``turn_deg``; with ``covers`` what
      it hides need not show (or, where it is no piece of this article, its outline in ``path``);
    - stamp: ``text`` at ``at``, ``length_mm`` long.
    """

    id: str
    kind: MarkKind
    side: Side = "grain"
    run: Run | None = None
    path: tuple[XY, ...] = ()
    closed: bool = False
    at: XY | None = None
    turn_deg: float = 0.0
    offset_mm: float = 3.0
    pitch_mm: float = 4.0
    spacing: Spacing = "nearest"
    width_mm: float = 4.0
    length_mm: float = 20.0
    left_mm: float = 0.8
    piece: str = ""
    mirrored: bool = False
    covers: bool = True
    text: str = ""


@dataclass(frozen=True)
class EdgeMargin:
    """Leather left beyond one run of the finished outline."""

    run: Run
    mm: float


@dataclass(frozen=True)
class SeamLine:
    """A line across which the piece may be made in two, each half with ``allowance_mm`` beyond the line."""

    id: str
    start: XY
    end: XY
    allowance_mm: float = 8.0


@dataclass(frozen=True)
class Needs:
    """What a piece needs of the leather.

    ``grain_tolerance_deg`` of 180 lets it lie any way; ``hidden`` are painted areas.
    """

    template: str = ""
    grain_deg: float = 0.0
    grain_tolerance_deg: float = 180.0
    reversible: bool = True
    show_limit: int = 2
    hidden: tuple[Contour, ...] = ()
    max_tightness: int = 4
    least_mm: float | None = None
    most_mm: float | None = None
    skived_mm: float | None = None
    value: float = 1.0


@dataclass(frozen=True, eq=True)
class Pattern:
    """A piece of an article. ``contour`` is the finished outline; ``margin_mm`` and ``edge_margins`` are cut
    beyond it.

    ``each`` is how many one article takes (of a pair, both hands together). ``way`` names the part and the
    way to make it ("arm strap", "double from thin") where a batch may choose. ``lines`` is the piece that
    this one lines. ``variant_of`` is the piece whose outline and margins this one shares: drawn once,
    corrected once, counted apart. ``centre_line`` is where a half pattern was turned over.
    """

    slug: str
    name: str
    material: str
    each: int
    contour: Contour
    windows: tuple[Contour, ...] = ()
    pair: bool = False
    needs: Needs = Needs()
    margin_mm: float = 0.0
    edge_margins: tuple[EdgeMargin, ...] = ()
    marks: tuple[Mark, ...] = ()
    seam_lines: tuple[SeamLine, ...] = ()
    tool: Tool = "knife"
    spare_rate: float = 0.0
    part: str = ""
    way: str = ""
    lines: str = ""
    layers: int = 1
    variant_of: str = ""
    centre_line: Run | None = None

    @cached_property
    def ring(self) -> Ring:
        """The finished outline, flattened."""
        return flatten(self.contour, f"piece {self.name}")

    @cached_property
    def window_rings(self) -> tuple[Ring, ...]:
        return tuple(flatten(w, f"piece {self.name}, window {i + 1}") for i, w in enumerate(self.windows))

    @cached_property
    def region(self) -> Polygon:
        """The finished piece: outline less windows."""
        return region(self.ring, self.window_rings, f"piece {self.name}")

    @property
    def gap_mm(self) -> float:
        return TOOL_GAP_MM[self.tool]

    @property
    def thickness_mm(self) -> float | None:
        """How thick the piece is once made: as skived, else the middle of its range; None where nothing is
        said.
        """
        n = self.needs
        if n.skived_mm is not None:
            return n.skived_mm
        given = [t for t in (n.least_mm, n.most_mm) if t is not None]
        return sum(given) / len(given) if given else None

    def mark(self, mark_id: str) -> Mark | None:
        """The mark of that id, if the piece has one."""
        return next((m for m in self.marks if m.id == mark_id), None)


def slug_of(name: str) -> str:
    """Return a name as a slug: small letters a to z, digits and hyphens.

    Accents are left off; a name with letters of another script ends in eight digits (base 16) made of all of
    it, so that two such names have two slugs. Raises BadPattern for a name without any letter or digit.
    """
    if not any(c.isalnum() for c in name):
        raise BadPattern(
            f"{name!r} has no letter or digit", value=name, expected="a name of letters and digits"
        )
    plain = unicodedata.normalize("NFKD", name.casefold()).translate(AS_LATIN)
    bare = "".join(c for c in plain if not unicodedata.combining(c))
    slug = re.sub(r"[^a-z0-9]+", "-", bare).strip("-")
    if any(c.isalnum() and not c.isascii() for c in bare):
        own = hashlib.sha256(name.encode("utf-8", "replace")).hexdigest()[:8]
        return f"{slug[:51]}-{own}".strip("-")
    return slug[:60].strip("-")


def check_pattern(p: Pattern) -> None:
    """Raise BadPattern or BadShape where a pattern makes no sense on its own, naming the piece."""
    name = f"piece {p.name or p.slug}"

    def need(ok: bool, what: str, value: object, expected: str) -> None:
        if not ok:
            raise BadPattern(f"{name}: {what}", value=value, expected=expected)

    need(bool(p.name.strip()), "it has no name", p.name, "a name")
    need(
        p.slug == slug_of(p.slug),
        f"its short name is {p.slug!r}",
        p.slug,
        "small letters, digits and hyphens",
    )
    need(0 <= p.each <= 1000, f"{p.each} in each article", p.each, "0 to 1000")
    need(bool(p.material.strip()), "no material is named", p.material, "body leather, lining, ...")
    need(
        p.margin_mm >= 0 and all(e.mm >= 0 for e in p.edge_margins),
        "a margin is less than nothing",
        p.margin_mm,
        "0 mm or more",
    )
    need(
        0 <= p.spare_rate <= 1,
        f"a spare rate of {p.spare_rate:g}",
        p.spare_rate,
        "0 to 1 (0.02 is two in a hundred)",
    )
    need(p.layers >= 1, f"{p.layers} layers", p.layers, "1 or more")
    n = p.needs
    need(
        n.show_limit in (0, 1, 2),
        f"a show limit of {n.show_limit}",
        n.show_limit,
        "0, 1 or 2; no piece may use severity 3",
    )
    need(
        n.max_tightness in (1, 2, 3, 4),
        f"loosest tightness {n.max_tightness}",
        n.max_tightness,
        "1 tight, 2 firm, 3 loose or 4 slack",
    )
    need(
        0 <= n.grain_tolerance_deg <= 180,
        f"a grain tolerance of {n.grain_tolerance_deg:g} degrees",
        n.grain_tolerance_deg,
        "0 to 180",
    )
    need(n.value >= 0, f"a value of {n.value:g}", n.value, "0 or more")
    least, most = n.least_mm or 0.0, n.most_mm
    need(
        least >= 0 and (most is None or (most > 0 and least <= most)),
        f"a thickness from {n.least_mm} to {n.most_mm} mm",
        (n.least_mm, n.most_mm),
        "least not above most",
    )
    need(
        n.skived_mm is None or n.skived_mm > 0,
        f"{n.skived_mm} mm left after skiving",
        n.skived_mm,
        "more than 0 mm",
    )
    ids = [m.id for m in p.marks]
    need(len(set(ids)) == len(ids), "two marks have the same id", ids, "an id of its own for each mark")
    _ = p.region
    for i, hidden in enumerate(n.hidden):
        _ = flatten(hidden, f"{name}, hidden area {i + 1}")
    for mark in p.marks:
        _check_mark(name, mark)


def _check_mark(name: str, m: Mark) -> None:
    def need(ok: bool, what: str, value: object, expected: str) -> None:
        if not ok:
            raise BadPattern(f"{name}, {m.kind} {m.id}: {what}", value=value, expected=expected)

    if m.kind in ("hole", "slot", "stamp") or (m.kind == "place" and not m.path):
        need(m.at is not None, "it has no place", None, "a point on the piece")
    if m.kind in ("hole", "slot", "glue", "skive"):
        need(m.width_mm > 0, f"a width of {m.width_mm:g} mm", m.width_mm, "more than 0 mm")
    if m.kind == "slot":
        need(
            m.length_mm >= m.width_mm,
            f"{m.length_mm:g} mm long and {m.width_mm:g} mm wide",
            m.length_mm,
            "a length not under its width",
        )
    if m.kind == "fold":
        need(len(m.path) >= 2, "its line has no length", len(m.path), "two points or more")
    if m.kind == "stitch":
        need(
            len(m.path) != 1 and m.offset_mm >= 0,
            f"an offset of {m.offset_mm:g} mm",
            m.offset_mm,
            "0 mm or more, or a path of two points or more",
        )
        need(1 <= m.pitch_mm <= 30, f"a pitch of {m.pitch_mm:g} mm", m.pitch_mm, "1 to 30 mm")
    if m.kind == "skive":
        need(m.left_mm >= 0, f"{m.left_mm:g} mm left", m.left_mm, "0 mm or more")
    if m.kind == "place":
        need(
            bool(m.piece) or len(m.path) > 2,
            "it names no piece",
            m.piece,
            "a piece of the same article, or its outline drawn",
        )
