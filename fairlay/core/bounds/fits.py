"""How much hides have room for, by proof, with large pieces never cut to shreds.

Points of the leather are given weights so that wherever a copy of a large piece may lie, the points inside it
weigh at least what the copy counts for: copies that do not overlap then count for no more than all points
together. The best weights are the dual of a linear program, the most poses of which no two hold one point;
poses are added to it as they turn out to weigh too little (column generation, Gilmore and Gomory 1961, each
time halfway to the best weights so far, Wentges 1997). Small pieces are counted by area, as ``shares`` has
them. What is claimed is reckoned from the weights alone and so holds whenever one stops.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Final

import highspy
import numpy as np
from numpy.typing import NDArray

from fairlay.core.bounds.poses import Nodes, is_large
from fairlay.core.bounds.shares import Shares

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
Enough = Callable[[float, float], bool]
Stop = Callable[[], bool]

AT_ONCE: Final = 200
"""Poses added in one round."""
ROUNDS: Final = 40
"""A round takes one to five seconds on two hides; most proofs are as good as they get after twenty."""
EAGER: Final = 0.5
"""How far weights go from the best so far to those of the program."""
TINY: Final = 1e-7


@dataclass(frozen=True)
class Want:
    """What is counted: so many copies (``needs``, by the index of a piece) had together are ``worth`` so
    much, ``most`` times.
    """

    needs: Mapping[int, int]
    worth: float
    most: float


@dataclass(frozen=True)
class Proof:
    """All wants come to ``most`` at most. A copy of piece i never weighs less than ``pieces[i]``, counting
    the points (of each hide, by its index) and the m2 of the regions that it lies on.
    """

    most: float
    points: Mapping[int, Floats]
    regions: Floats
    pieces: Floats


@dataclass(frozen=True)
class _Lighter:
    """A pose box that weighs less than is claimed of its piece, by so much."""

    by: float
    hide: int
    poses: int
    row: int
    col: int


class Fits:
    """What the pieces of a job may do on some of its hides (``on``, their indices; None: all)."""

    def __init__(self, shares: Shares, on: Iterable[int] | None = None) -> None:
        self.shares = shares
        job, regions, pieces = shares.job, shares.regions, shares.pieces
        self.large = {i for i, p in enumerate(pieces) if shares.copies[p.id] and is_large(p, job)}
        self.nodes = {
            h: Nodes(job, job.hides[h], {r: g.shape for r, g in enumerate(regions) if g.hide == h})
            for h in (range(len(job.hides)) if on is None else on)
        }
        self.followed: set[int] = set()
        self.ways = [(p, r) for p, r in shares.ways if p not in self.large and regions[r].hide in self.nodes]

    def follow(self, pieces: Iterable[int], stop: Stop = lambda: False) -> None:
        """Find all poses of those of some pieces (indices) that are large; not all of them once ``stop()``,
        and nothing is proved with them then.
        """
        for i in sorted({*pieces} & self.large - self.followed):
            for own in self.nodes.values():
                own.keep_poses_of(i, self.shares.pieces[i], stop)
            self.followed.add(i)

    def most_sets(self, names: Sequence[str], enough: Enough, rounds: int = ROUNDS) -> Proof:
        """Return the proof of the most sets of these names together; ``enough`` as in ``weigh``."""
        return self.weigh([set_wanted(self.shares, name) for name in names], enough, rounds)

    def weigh(self, wants: Sequence[Want], enough: Enough, rounds: int = ROUNDS) -> Proof:
        """Return what is proved of some wants after so many rounds, or once ``enough(the least that may come
        of it, what is proved)``.
        """
        self.follow(i for want in wants for i in want.needs)
        program = _Program(self, wants)
        best, middle = program.by_area()
        for _ in range(rounds):
            reached, duals = program.solve()
            tried = EAGER * duals + (1.0 - EAGER) * middle
            proof, lighter = program.proof(tried)
            added = program.add(lighter)
            if not added:
                # The weights so far hide what is wanting: it is looked for under those of the program alone.
                own, lighter = program.proof(duals)
                added = program.add(lighter)
                if own.most < proof.most:
                    proof, tried = own, duals
            if proof.most < best.most:
                best, middle = proof, tried
            if not added or enough(reached, best.most):
                break
        return best


def set_wanted(shares: Shares, name: str) -> Want:
    """Return what one whole set of a name takes."""
    needs = {i: p.per_set for i, p in enumerate(shares.pieces) if p.set_name == name}
    copies = shares.copies
    return Want(needs, 1.0, min(copies[shares.pieces[i].id] // n for i, n in needs.items()))


class _Program:
    """The linear program. Rows: points, regions, pieces (wanted less had); columns: wants, small pieces on
    regions, poses.
    """

    def __init__(self, fits: Fits, wants: Sequence[Want]) -> None:
        self.fits, self.wants = fits, wants
        self.wanted = {i for want in wants for i in want.needs}
        shares = fits.shares
        self.first, points = {}, 0
        for h, nodes in fits.nodes.items():
            self.first[h], points = points, points + nodes.count
        self.regions_at, self.pieces_at = points, points + len(shares.regions)
        self.room = np.concatenate([np.ones(points), [g.area / 1e6 for g in shares.regions]])
        self.least = np.array([shares.least_area(i) / 1e6 for i in range(len(shares.pieces))])
        self.known: set[tuple[int, int, int, int]] = set()
        self.highs = highspy.Highs()  # type: ignore[no-untyped-call]
        self.highs.setOptionValue("output_flag", False)
        self.highs.setOptionValue("threads", 1)
        upper = np.concatenate([self.room, np.zeros(len(shares.pieces))])
        none = np.zeros(0, np.int32)
        self.highs.addRows(
            len(upper),
            np.full(len(upper), -highspy.kHighsInf),
            upper,
            0,
            np.zeros(len(upper), np.int32),
            none,
            np.zeros(0),
        )
        for want in wants:
            rows = self.pieces_at + np.array([*want.needs], np.int64)
            self._add([(rows, np.array([*want.needs.values()], float))], -want.worth, want.most)
        self._add(
            [
                (np.array([self.regions_at + r, self.pieces_at + p]), np.array([self.least[p], -1.0]))
                for p, r in fits.ways
            ]
        )

    def _add(
        self, columns: Sequence[tuple[Ints, Floats]], cost: float = 0.0, upper: float = highspy.kHighsInf
    ) -> None:
        """Add columns, each its rows and what stands in them."""
        if not columns:
            return
        n, sizes = len(columns), [len(rows) for rows, _ in columns]
        self.highs.addCols(
            n,
            np.full(n, cost),
            np.zeros(n),
            np.full(n, upper),
            sum(sizes),
            np.cumsum([0, *sizes[:-1]]).astype(np.int32),
            np.concatenate([rows for rows, _ in columns]).astype(np.int32),
            np.concatenate([values for _, values in columns]),
        )

    def solve(self) -> tuple[float, Floats]:
        """Return what the poses so far allow, and what each row weighs."""
        self.highs.run()
        weights = -np.array(self.highs.getSolution().row_dual, np.float64)
        return -self.highs.getObjectiveValue(), np.maximum(0.0, weights)

    def by_area(self) -> tuple[Proof, Floats]:
        """Return what leather of even weight proves, and these weights; the lightest poses are added."""
        weights = np.zeros(self.pieces_at + len(self.least))
        weights[self.regions_at : self.pieces_at] = 1.0
        weights[self.pieces_at :] = self.least
        proof, lighter = self.proof(weights)
        self.add(lighter)
        weights[self.pieces_at :] = proof.pieces
        each = [self._weight(want, proof.pieces) / want.worth for want in self.wants]
        scale = min((e for e in each if e > TINY), default=1.0)
        return proof, weights / scale

    def _weight(self, want: Want, pieces: Floats) -> float:
        return sum(n * float(pieces[i]) for i, n in want.needs.items())

    def proof(self, weights: Floats) -> tuple[Proof, list[_Lighter]]:
        """Return what some weights prove, and the poses lighter than they claim, the lightest first."""
        regions, claimed = weights[self.regions_at : self.pieces_at], weights[self.pieces_at :]
        found = np.zeros(len(claimed))
        found[[*self.wanted]] = np.inf
        for p, r in self.fits.ways:
            found[p] = min(found[p], self.least[p] * regions[r])
        lighter, points = [], {}
        for h, nodes in self.fits.nodes.items():
            points[h] = weights[self.first[h] : self.first[h] + nodes.count]
            for k, boxes in nodes.lightest(self.wanted, points[h], regions):
                i = nodes.poses[k].piece
                found[i] = min(found[i], boxes[0][0])
                lighter += [
                    _Lighter(claimed[i] - weight, h, k, row, col)
                    for weight, row, col in boxes
                    if weight < claimed[i] - TINY
                ]
        lighter.sort(key=lambda pose: -pose.by)
        # Whatever has no place at all may claim what it likes.
        pieces = np.minimum(claimed, np.maximum(found - TINY, 0.0))
        leather = float(self.room @ weights[: self.pieces_at])
        return Proof(self._most(leather, pieces), points, regions, pieces), lighter

    def _most(self, leather: float, pieces: Floats) -> float:
        """Return what all wants come to at most where pieces weigh so much, and the leather all told.

        What a want is worth beyond its pieces' weight, at some scale, counts as often as it is wanted; of the
        scales at which one of them is worth just its weight, that is taken which proves least.
        """
        each = [self._weight(want, pieces) for want in self.wants]
        return min(
            [
                leather / scale
                + sum(
                    max(0.0, w.worth - weight / scale) * w.most
                    for weight, w in zip(each, self.wants, strict=True)
                )
                for scale in (weight / w.worth for weight, w in zip(each, self.wants, strict=True))
                if scale > TINY
            ],
            default=sum(w.worth * w.most for w in self.wants),
        )

    def add(self, lighter: Sequence[_Lighter]) -> int:
        """Add poses that are lighter than claimed; return how many were not there yet."""
        columns = []
        for found in lighter[:AT_ONCE]:
            key = (found.hide, found.poses, found.row, found.col)
            if key not in self.known:
                self.known.add(key)
                pose = self.fits.nodes[found.hide].pose(found.poses, found.row, found.col)
                rows = (
                    self.first[found.hide] + pose.points,
                    self.regions_at + pose.regions,
                    np.array([self.pieces_at + pose.piece]),
                )
                values = (np.ones(len(pose.points)), pose.areas, np.array([-1.0]))
                columns.append((np.concatenate(rows), np.concatenate(values)))
        self._add(columns)
        return len(columns)
