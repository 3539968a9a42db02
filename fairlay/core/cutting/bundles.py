"""Bundles: the pieces of one article that go to the bench together, and what is still missing of each."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from fairlay.core.cutting.cuts import Key
from fairlay.core.lay.lay import Job


@dataclass(frozen=True)
class Bundle:
    """Set ``number`` (from 0) of an article: its pieces, and those that are not cut yet."""

    article: str
    number: int
    pieces: tuple[Key, ...]
    missing: tuple[Key, ...]

    @property
    def whole(self) -> bool:
        return not self.missing


def bundles_of(job: Job, done: Callable[[Key], bool]) -> list[Bundle]:
    """Return the bundles of a job, article by article, set by set; spares, which belong to no set, come in a
    last one of their own without ``missing`` until they are cut.
    """
    out = []
    for name in dict.fromkeys(p.set_name or p.id for p in job.pieces):
        own = [p for p in job.pieces if (p.set_name or p.id) == name and p.quantity]
        sets = min((p.quantity // p.per_set for p in own), default=0)
        for n in range(sets):
            pieces = tuple((p.id, n * p.per_set + k) for p in own for k in range(p.per_set))
            out.append(Bundle(name, n, pieces, tuple(k for k in pieces if not done(k))))
        spares = tuple((p.id, k) for p in own for k in range(sets * p.per_set, p.quantity))
        cut = tuple(k for k in spares if done(k))
        if cut:
            out.append(Bundle(name, sets, cut, ()))
    return out
