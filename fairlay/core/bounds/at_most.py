"""How many of what a lay leaves out could lie on its hides at all, whatever else lies there: by proof.

It is asked of large pieces, and of sets that hold one, hide by hide: a copy that has no room on emptied hides
has none in any lay, and no search will find it. What is small or goes in parts is not asked for.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

from fairlay.core.bounds.fits import Fits, Want, set_wanted
from fairlay.core.bounds.poses import is_large
from fairlay.core.bounds.shares import Shares
from fairlay.core.lay.lay import Job, Lay
from fairlay.core.pattern import Piece
from fairlay.core.tolerances import OVERLAP_MM

ROUNDING = 1e-6
MANY = 12
MANY_BY_AREA = 40
"""Where more copies than MANY lie beside each other, or there is leather for more than MANY_BY_AREA, they are
counted by area: the proof takes minutes then, and comes to little less.
"""
Stop = Callable[[], bool]
Of = Literal["piece", "set"]


@dataclass(frozen=True)
class Step:
    """One proof: the most copies of a piece, or whole sets of a name, on one hide."""

    hide: str
    of: Of
    name: str


@dataclass(frozen=True)
class AtMost:
    """Of a piece, or of whole sets of a name: so many lie at ``most``, ``laid`` do and ``wanted`` are; None
    where that is not known of every hide yet.
    """

    of: Of
    name: str
    wanted: int
    laid: int
    most: int | None


def steps(job: Job, lay: Lay) -> tuple[Step, ...]:
    """Return the proofs that say something of what a lay leaves out: of each hide, large pieces one by one,
    then sets that come from one hide. None for a roll.
    """
    if any(hide.is_roll for hide in job.hides):
        return ()
    names = _sets_left_out(job, lay)
    pieces = [p.id for p in _asked_for(job, lay, names)]
    one_hide = [n for n in names if n in job.match_sets or len(job.hides) == 1]
    return tuple(
        Step(hide.id, of, name) for hide in job.hides for of, own in _both(pieces, one_hide) for name in own
    )


def in_words(found: AtMost, name: str) -> str:
    """Return a sentence of what is known; ``name`` is what the piece or the set is called."""
    most, wanted, laid = found.most, found.wanted, found.laid
    if most is None:
        return ""
    if most >= wanted:
        return f"Nothing is proved against all {wanted} {name}, taken by themselves."
    whole = "can be made whole of" if found.of == "set" else "have room on"
    if most > laid:
        return f"At most {most} of {wanted} {name} {whole} these hides, whatever else lies there; now {laid}."
    if most == laid == 0:
        return f"No {name} {whole.replace('have', 'has')} these hides: other leather is needed."
    now = "as many as now" if most == laid else f"by the rules, and {laid} lie"
    return f"No more than {most} of {wanted} {name} {whole} these hides, {now}: the rest takes other leather."


class Proving:
    """Proofs of a job, one after the other: the hide with most room first, since where all that is wanted may
    lie on one there is nothing to prove of the rest. ``known`` is what some steps came to.
    """

    def __init__(self, job: Job, asked: Sequence[Step], known: Mapping[Step, int]) -> None:
        self.job, self.known = job, dict(known)
        self.shares = Shares(job, {p.id: p.quantity for p in job.pieces})
        self.at = {p.id: i for i, p in enumerate(self.shares.pieces)}
        self.on = {hide.id: h for h, hide in enumerate(job.hides)}
        room = self._room(asked)
        self.left = sorted((s for s in asked if s not in self.known), key=lambda s: -room[s.hide])
        self.hide = ""
        self.fits: Fits | None = None

    def next(self, stop: Stop = lambda: False) -> Step | None:
        """Make the next proof, and know what it comes to; None once ``stop()``, or when all are made.

        It is given up, and all that is wanted known of it, as soon as the hides so far have room for that.
        """
        if not self.left or stop():
            return None
        step = self.left[0]
        want = self._want(step)
        before = sum(n for s, n in self.known.items() if (s.of, s.name) == (step.of, step.name))
        most = int(want.most)
        of_use = most - before
        if of_use > 0 and step.of == "piece":
            most = min(most, self._by_area(step))
        if of_use > 0 and (step.of == "set" or self._by_area(step) <= MANY_BY_AREA):
            most = min(most, self._by_proof(step.hide, want, of_use, stop))
        if stop():
            self.fits = None
            return None
        self.known[step] = most
        return self.left.pop(0)

    def _by_proof(self, hide: str, want: Want, of_use: int, stop: Stop) -> int:
        if self.fits is None or self.hide != hide:
            self.hide, self.fits = hide, Fits(self.shares, [self.on[hide]])

        def enough(least: float, proved: float) -> bool:
            likely = _whole(least)
            return stop() or _whole(proved) <= likely or likely >= min(of_use, MANY + 1)

        self.fits.follow(want.needs, stop)
        return _whole(self.fits.weigh([want], enough).most)

    def _by_area(self, step: Step) -> int:
        """Return how many copies of a piece the leather that bears it comes to: two may run into each other
        by OVERLAP_MM, so each takes a little less than its area.
        """
        group, regions = self.shares.group[self.at[step.name]], self.shares.regions
        area = sum(r.area for r in regions if r.hide == self.on[step.hide] and group in r.groups)
        return int(area / self.job.pieces_by_id[step.name].region.buffer(-OVERLAP_MM / 2).area)

    def _want(self, step: Step) -> Want:
        if step.of == "set":
            return set_wanted(self.shares, step.name)
        return Want({self.at[step.name]: 1}, 1.0, self.job.pieces_by_id[step.name].quantity)

    def _room(self, asked: Sequence[Step]) -> dict[str, float]:
        """Of each hide, the leather that bears the asked piece which it bears least of."""
        regions = self.shares.regions
        groups = {self.shares.group[self.at[step.name]] for step in asked if step.of == "piece"}
        return {
            hide: min(
                (sum(r.area for r in regions if r.hide == h and g in r.groups) for g in groups), default=0.0
            )
            for hide, h in self.on.items()
        }


def told(job: Job, lay: Lay, asked: Sequence[Step], known: Mapping[Step, int]) -> tuple[AtMost, ...]:
    """Return what the steps that are known come to: sets, then pieces of none of these."""

    def together(of: Of, name: str) -> int | None:
        own = [known.get(step) for step in asked if (step.of, step.name) == (of, name)]
        return sum(n for n in own if n is not None) if own and None not in own else None

    counts, out = lay.counts(job), []
    sets = _sets_left_out(job, lay)
    for name in sets:
        members = [p for p in job.pieces if p.set_name == name and not p.filler]
        wanted, laid = (_whole_sets(members, c) for c in ({p.id: p.quantity for p in members}, counts))
        bounds = [together("set", name)]
        bounds += [None if (n := together("piece", p.id)) is None else n // p.per_set for p in members]
        whole = len(known) == len(asked)
        out.append(
            AtMost("set", name, wanted, laid, min([wanted, *(b for b in bounds if b is not None)]))
            if whole
            else AtMost("set", name, wanted, laid, None)
        )
    for name in dict.fromkeys(step.name for step in asked if step.of == "piece"):
        piece, most = job.pieces_by_id[name], together("piece", name)
        if counts[name] < piece.quantity and piece.set_name not in sets:
            own = None if most is None else min(piece.quantity, most)
            out.append(AtMost("piece", name, piece.quantity, counts[name], own))
    return tuple(out)


def _both(pieces: Sequence[str], sets: Sequence[str]) -> tuple[tuple[Of, Sequence[str]], ...]:
    return ("piece", pieces), ("set", sets)


def _sets_left_out(job: Job, lay: Lay) -> list[str]:
    """Names of sets that are not all whole, where sets count and hold a large piece."""
    counts, out = lay.counts(job), []
    for name in dict.fromkeys(p.set_name for p in job.pieces if p.set_name and not p.filler):
        members = [p for p in job.pieces if p.set_name == name and not p.filler]
        if (
            (name in job.match_sets or job.objective == "sets")
            and any(is_large(p, job) for p in members)
            and _whole_sets(members, counts) < _whole_sets(members, {p.id: p.quantity for p in members})
        ):
            out.append(name)
    return out


def _asked_for(job: Job, lay: Lay, sets: Sequence[str]) -> list[Piece]:
    """Large pieces that are left out, or that a set left out holds."""
    counts = lay.counts(job)
    return [
        p
        for p in job.pieces
        if not p.filler
        and is_large(p, job)
        and (counts[p.id] < p.quantity or (p.set_name in sets and p.quantity))
    ]


def _whole_sets(members: Sequence[Piece], counts: dict[str, int]) -> int:
    return min((counts[p.id] // p.per_set for p in members), default=0)


def _whole(most: float) -> int:
    return int(most + ROUNDING)
