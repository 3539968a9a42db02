"""Placing by tape: for each piece, in order, the distances that put it where it belongs, as a tape shows
them, chosen so that what is laid by the table alone is fair.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Final, Literal

import numpy as np
from shapely.geometry.base import BaseGeometry

from fairlay.core.cutting.cuts import Cut, Key
from fairlay.core.cutting.sides import Points, sides_of
from fairlay.core.lay.check import why_not
from fairlay.core.lay.lay import Job, Placement
from fairlay.core.leather import Hide
from fairlay.core.pattern import Piece
from fairlay.core.rules import Forbidden, forbidden_ground, gap, needs_of
from fairlay.core.shapes.placing import Placing, place_points, place_region

TAPE_MM: Final = 1.0
FINE_MM: Final = 0.1
"""Where no whole millimetres are fair, a rule is read to a tenth, and the table says so."""
FINEST_MM: Final = 0.01
REACH_MM: Final = 3.0
"""A piece that is pushed until it stops begins so far from where it belongs."""
STEPS: Final = 22

How = Literal["tape", "butt", "stop"]


@dataclass(frozen=True)
class Row:
    """How one piece is put down; ``turn_deg`` and ``mirrored`` are how it is held (to within a few degrees,
    by eye).

    - tape: its corner ``point`` lies ``x`` from the left datum and ``y`` from the backbone's, and its corner
      ``other`` lies ``far`` from the backbone's datum (``far_axis`` y) or the left one (x);
    - butt: its side ``side`` lies along the side ``against_side`` of ``against``; its corner is ``slide`` mm
    past that side's first corner; - stop: the same, but pushed on along it, the way ``push`` (1 or -1) says,
    until it meets something.

    Points are in mm on the piece, ``fine``: read to a tenth of a millimetre.
    """

    piece: str
    copy: int
    how: How
    turn_deg: float
    mirrored: bool
    point: tuple[float, float] = (0.0, 0.0)
    other: tuple[float, float] = (0.0, 0.0)
    x: float = 0.0
    y: float = 0.0
    far: float = 0.0
    far_axis: Literal["x", "y"] = "y"
    against: Key = ("", 0)
    side: int = 0
    against_side: int = 0
    slide: float = 0.0
    push: int = 0
    fine: bool = False

    @property
    def key(self) -> Key:
        return self.piece, self.copy


def placing_table(
    job: Job, hide: Hide, order: Sequence[Placement], cuts: Sequence[Cut]
) -> tuple[list[Row], list[Placement]]:
    """Return how the pieces of a hide are put down, in order, and where they then lie: fair, each as near to
    where it was laid as a tape can put it. A piece that shares a cut with one that lies is butted to it.
    """
    checks = _Fair(job, hide)
    checks.keep_free(order)
    beside: dict[Key, set[Key]] = {}
    for cut in cuts:
        if len(cut.pieces) == 2:
            a, b = cut.pieces
            beside.setdefault(a, set()).add(b)
            beside.setdefault(b, set()).add(a)
    rows: list[Row] = []
    for p in order:
        near = [k for k in beside.get((p.piece, p.copy), ()) if k in checks.lies]
        row = next(_candidates(checks, p, near), None)
        if row is None:
            row = _tape_row(checks, p, FINEST_MM, (0, 0, 0), fine=True)
        rows.append(row)
        checks.put(put_down(checks, row))
    return rows, list(checks.lies.values())


def laid_by(job: Job, hide: Hide, rows: Sequence[Row]) -> list[Placement]:
    """Return what lies once a placing table is followed, from its rows alone."""
    checks = _Fair(job, hide)
    for row in rows:
        checks.put(put_down(checks, row))
    return list(checks.lies.values())


class _Fair:
    """What lies so far, and whether a piece may lie beside it."""

    def __init__(self, job: Job, hide: Hide) -> None:
        self.job, self.hide = job, hide
        self.lies: dict[Key, Placement] = {}
        self._grounds: dict[object, tuple[Forbidden, ...]] = {}
        self._slim: dict[Key, BaseGeometry] = {}
        self._boxes: dict[Key, tuple[float, float, float, float]] = {}
        self._wanted: dict[Key, BaseGeometry] = {}
        self._sides: dict[str, list[tuple[int, Points]]] = {}
        x0, y0, _, _ = hide.region.bounds
        self.zero = np.array([x0, y0])

    def keep_free(self, placements: Sequence[Placement]) -> None:
        """Keep the places of pieces that are still to be put down: none before them may take of it."""
        for p in placements:
            key = (p.piece, p.copy)
            self._wanted[key] = place_region(self.job.pieces_by_id[p.piece].slim, p.at)
            self._boxes[key] = self._wanted[key].bounds

    def put(self, p: Placement) -> None:
        key = (p.piece, p.copy)
        slim = place_region(self.job.pieces_by_id[p.piece].slim, p.at)
        self.lies[key], self._slim[key], self._boxes[key] = p, slim, slim.bounds
        self._wanted.pop(key, None)

    def sides(self, piece: Piece) -> list[tuple[int, Points]]:
        """The straight sides of a piece, in its own coordinates, its body on their left."""
        if piece.id not in self._sides:
            x, y = piece.outline[:, 0], piece.outline[:, 1]
            ccw = float((x * np.roll(y, -1) - np.roll(x, -1) * y).sum()) > 0
            ring = piece.outline if ccw else piece.outline[::-1]
            own = [s.line for s in sides_of(ring) if s.straight]
            self._sides[piece.id] = list(enumerate(own))
        return self._sides[piece.id]

    def fair(self, p: Placement, *, foreseeing: bool = True) -> bool:
        """Whether a piece may lie at a placing, by place, angle and distance from what lies, and,
        ``foreseeing``, from what is still to come.
        """
        piece = self.job.pieces_by_id[p.piece]
        key = needs_of(piece, self.hide)
        if key not in self._grounds:
            self._grounds[key] = forbidden_ground(piece, self.hide, self.job.policy)
        slim = place_region(piece.slim, p.at)
        x0, y0, x1, y1 = slim.bounds
        reach = 1.0 + max(gap.gap_of(q, self.job.policy) for q in self.job.pieces)
        near = [
            k
            for k, (a0, b0, a1, b1) in self._boxes.items()
            if k != (p.piece, p.copy)
            and (foreseeing or k in self._slim)
            and a0 <= x1 + reach
            and a1 >= x0 - reach
            and b0 <= y1 + reach
            and b1 >= y0 - reach
        ]
        slims = [slim, *(self._slim[k] if k in self._slim else self._wanted[k] for k in near)]
        gaps = [
            gap.gap_of(self.job.pieces_by_id[name], self.job.policy)
            for name in (p.piece, *(k[0] for k in near))
        ]
        if any(True for _ in gap.too_near(slims, gaps, [0])):
            return False
        found = why_not(piece, self.hide, self.job.policy, p.at, self._grounds[key])
        return next(iter(found), None) is None


def put_down(checks: _Fair, row: Row) -> Placement:
    """Return where a row puts its piece, beside what lies already."""
    at = _taped(checks, row) if row.how == "tape" else _butted(checks, row)
    p = Placement(row.piece, row.copy, checks.hide.id, at)
    return _pushed(checks, row, p) if row.how == "stop" else p


def _candidates(checks: _Fair, p: Placement, near: Sequence[Key]) -> Iterator[Row]:
    """Rows that put a piece fairly where it belongs, what is measured best first."""
    for key in sorted(near):
        for row in _butt_rows(checks, p, key):
            if checks.fair(put_down(checks, row)):
                yield row
                break
        else:
            for push in (1, -1):
                for base in itertools.islice(_butt_rows(checks, p, key), 1):
                    row = replace(base, how="stop", push=push, slide=base.slide - push * REACH_MM)
                    put = put_down(checks, row)
                    off = math.hypot(put.at.x - p.at.x, put.at.y - p.at.y)
                    if off < REACH_MM and checks.fair(put):
                        yield row
    for step, fine in ((TAPE_MM, False), (0.5, True), (FINE_MM, True), (FINEST_MM, True)):
        tries = sorted(itertools.product((0, -1, 1), repeat=3), key=lambda t: sum(map(abs, t)))
        for nudge in tries:
            row = _tape_row(checks, p, step, nudge, fine=fine)
            if checks.fair(put_down(checks, row)):
                yield row


def _corners(checks: _Fair, piece: Piece, at: Placing) -> tuple[Points, Points]:
    """Two corners of a piece to measure to, in its own coordinates: the one nearest the datums, and the one
    farthest from it along the piece.
    """
    sides = checks.sides(piece)
    own = np.concatenate([line for _, line in sides]) if sides else piece.outline
    placed = place_points(own, at)
    first = int((placed - checks.zero).sum(axis=1).argmin())
    far = int(np.hypot(*(placed - placed[first]).T).argmax())
    return own[first], own[far]


def _tape_row(checks: _Fair, p: Placement, step: float, nudge: Sequence[int], *, fine: bool) -> Row:
    point, other = _corners(checks, checks.job.pieces_by_id[p.piece], p.at)
    (px, py), (qx, qy) = place_points(np.stack([point, other]), p.at) - checks.zero
    axis: Literal["x", "y"] = "y" if abs(qx - px) >= abs(qy - py) else "x"

    def read(value: float, by: int) -> float:
        return round((round(value / step) + by) * step, 3)

    return Row(
        p.piece,
        p.copy,
        "tape",
        p.at.rotation_deg,
        p.at.mirrored,
        (float(point[0]), float(point[1])),
        (float(other[0]), float(other[1])),
        read(px, nudge[0]),
        read(py, nudge[1]),
        read(qy if axis == "y" else qx, nudge[2]),
        axis,
        fine=fine,
    )


def _taped(checks: _Fair, row: Row) -> Placing:
    """Where a piece lies by its two corners' distances; held about as the row says."""
    own = np.array([row.point, row.other])
    held = place_points(own, Placing(0.0, 0.0, row.turn_deg, row.mirrored))
    d = held[1] - held[0]
    length = float(np.hypot(*d))
    turn = row.turn_deg
    if length > 1e-9:
        k = 1 if row.far_axis == "y" else 0
        wanted = max(-1.0, min(1.0, (row.far - (row.y if k else row.x)) / length))
        now = math.atan2(d[1], d[0])
        first = math.asin(wanted) if k else math.acos(wanted)
        second = math.pi - first if k else -first
        by = min(((c - now + math.pi) % (2 * math.pi) - math.pi for c in (first, second)), key=abs)
        turn += math.degrees(by)
    at = place_points(own[:1], Placing(0.0, 0.0, turn, row.mirrored))[0]
    x, y = checks.zero + np.array([row.x, row.y]) - at
    return Placing(float(x), float(y), turn, row.mirrored)


def _butt_rows(checks: _Fair, p: Placement, key: Key) -> Iterator[Row]:
    """Rows that lay a side of a piece along a side of one that lies, where it was laid so."""
    piece, there = checks.job.pieces_by_id[p.piece], checks.lies[key]
    other = checks.job.pieces_by_id[there.piece]
    best: tuple[float, int, int, float] | None = None
    for i, line in checks.sides(piece):
        a, b = _walked(line, p.at)
        for j, against in checks.sides(other):
            c, d = _walked(against, there.at)
            way = (d - c) / math.dist(c, d)
            if float((b - a) @ way) > -0.999 * math.dist(a, b):
                continue
            off = abs(float(way[0] * (a - c)[1] - way[1] * (a - c)[0]))
            over = min(math.dist(c, d), float((a - c) @ way)) - max(0.0, float((b - c) @ way))
            if off < 4.0 + _apart(checks, piece, other) and over > 3.0 and (best is None or over > best[0]):
                best = (over, i, j, float((b - c) @ way))
    if best is None:
        return
    _, i, j, slide = best
    row = Row(p.piece, p.copy, "butt", p.at.rotation_deg, p.at.mirrored, against=key, side=i, against_side=j)
    for by in (0, -1, 1):
        yield replace(row, slide=float(round(slide) + by))


def _walked(line: Points, at: Placing) -> tuple[Points, Points]:
    """A side where it lies, in the order that has the piece on its left."""
    a, b = place_points(line, at)
    return (b, a) if at.mirrored else (a, b)


def _apart(checks: _Fair, a: Piece, b: Piece) -> float:
    return gap.between(a, b, checks.job.policy)


def _butted(checks: _Fair, row: Row) -> Placing:
    piece, there = checks.job.pieces_by_id[row.piece], checks.lies[row.against]
    other = checks.job.pieces_by_id[there.piece]
    c, d = _walked(dict(checks.sides(other))[row.against_side], there.at)
    way = (d - c) / math.dist(c, d)
    out = np.array([way[1], -way[0]])
    held = Placing(0.0, 0.0, row.turn_deg, row.mirrored)
    a, b = _walked(dict(checks.sides(piece))[row.side], held)
    now = math.atan2(*(b - a)[::-1])
    turn = math.degrees((math.atan2(-way[1], -way[0]) - now + math.pi) % (2 * math.pi) - math.pi)
    held = replace(held, rotation_deg=row.turn_deg + turn)
    _, b = _walked(dict(checks.sides(piece))[row.side], held)
    x, y = c + way * row.slide + out * _apart(checks, piece, other) - b
    return Placing(float(x), float(y), held.rotation_deg, row.mirrored)


def _pushed(checks: _Fair, row: Row, p: Placement) -> Placement:
    """A piece pushed along what it is butted to, from where the row lays it, until it meets something."""
    there = checks.lies[row.against]
    c, d = _walked(dict(checks.sides(checks.job.pieces_by_id[there.piece]))[row.against_side], there.at)
    way = row.push * (d - c) / math.dist(c, d)

    def at(t: float) -> Placement:
        return replace(p, at=replace(p.at, x=p.at.x + float(way[0]) * t, y=p.at.y + float(way[1]) * t))

    return at(_furthest(lambda t: checks.fair(at(t), foreseeing=False), 2 * REACH_MM))


def _furthest(ok: Callable[[float], bool], most: float) -> float:
    """The largest t up to ``most`` that is still ok, coming from 0; 0 where nothing is."""
    if ok(most):
        return most
    lo, hi = 0.0, most
    for _ in range(STEPS):
        middle = (lo + hi) / 2
        lo, hi = (middle, hi) if ok(middle) else (lo, middle)
    return lo


def words_of(row: Row, hide: Hide, names: Mapping[Key, str]) -> str:
    """Return a row as it is read out at the table; ``names`` are those of pieces."""
    left = hide.end_name(False)
    digits = 1 if row.fine else 0
    if row.how == "tape":
        datum = "backbone datum" if row.far_axis == "y" else f"{left} datum"
        return (
            f"corner {row.x:.{digits}f} mm from the {left} datum and {row.y:.{digits}f} mm from the backbone "
            f"datum; far corner {row.far:.{digits}f} mm from the {datum}"
        )
    against = names.get(row.against, f"{row.against[0]} {row.against[1] + 1}")
    if row.how == "butt":
        where = (
            "level with"
            if not row.slide
            else f"{abs(row.slide):.0f} mm {'past' if row.slide > 0 else 'short of'}"
        )
        return f"butt it to {against}, its corner {where} that one's"
    return f"butt it to {against} and push it along until it stops"
