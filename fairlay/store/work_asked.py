"""What a job of the queue is asked to do, kind by kind, and the job itself."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, Final, Literal

from pydantic import TypeAdapter

from fairlay.core.bounds.at_most import Step
from fairlay.core.forecast.stock import Source
from fairlay.core.lay.what_if import Change

Kind = Literal["lay", "look", "read", "what if", "prove", "forecast"]


@dataclass(frozen=True)
class LayWork:
    """What of a lay is laid again: these hides (none: all), around these pinned pieces (piece, copy), or
    around all that lies (``keep_all``), and more of these ``pieces`` alone. ``base`` is the revision it began
    from.
    """

    hides: tuple[str, ...] = ()
    pinned: tuple[tuple[str, int], ...] = ()
    keep_all: bool = False
    base: int = 0
    pieces: tuple[str, ...] = ()


@dataclass(frozen=True)
class WhatIfWork:
    """How a lay, as it stands at revision ``base``, is asked otherwise: each of ``asked`` for itself, all
    that is in one of them together.
    """

    asked: tuple[tuple[Change, ...], ...] = ()
    base: int = 0


@dataclass(frozen=True)
class ProveWork:
    """What is proved of a lay as it was asked for at revision ``base``."""

    steps: tuple[Step, ...] = ()
    base: int = 0


@dataclass(frozen=True)
class LookWork:
    """Which pictures are looked at, what the printed bar measures, and what somebody said of
    places in them.
    """

    files: tuple[int, ...] = ()
    bar_mm: float = 100.0
    presses: tuple[dict[str, Any], ...] = ()


@dataclass(frozen=True)
class ReadWork:
    """How a file is read: ``what`` comes of it, as JSON says."""

    what: str = ""
    said: Mapping[str, Any] = field(default_factory=dict)


@dataclass(frozen=True)
class Wanted:
    """A line of an order to be forecast: revision of an article, how many, and the ways of its parts."""

    revision_id: int
    quantity: int
    ways: Mapping[str, str] = field(default_factory=dict)


@dataclass(frozen=True)
class ForecastWork:
    """What is forecast: an order of one material laid on kinds of leather, on hides of the ``rack`` first;
    ``sizes``: at so many times the order; ``variants``: rules changed, each for itself. ``worlds``: how many
    deliveries of each. ``rests``: what it rests on, as it was when it was asked.
    """

    lines: tuple[Wanted, ...] = ()
    material: str = ""
    gap_mm: float = 0.0
    grain_school: str = "backbone"
    sources: tuple[Source, ...] = ()
    margin: float = 0.05
    rack: tuple[int, ...] = ()
    sizes: tuple[int, ...] = ()
    variants: tuple[Change, ...] = ()
    worlds: int = 0
    rests: Mapping[str, Any] = field(default_factory=dict)


FORECAST: Final = TypeAdapter(ForecastWork)


def forecast_work(asked: Any) -> ForecastWork:
    """Return what was asked of a forecast, as its job keeps it."""
    return FORECAST.validate_python(asked)


Work = LayWork | LookWork | ReadWork | WhatIfWork | ProveWork | ForecastWork


def work_of(kind: str, values: dict[str, Any]) -> Work:
    """Return what a job is asked, from how the queue keeps it."""
    if kind == "look":
        return LookWork(
            tuple(values.get("files", ())),
            float(values.get("bar_mm", 100.0)),
            tuple(values.get("presses", ())),
        )
    if kind == "read":
        return ReadWork(values.get("what", ""), values.get("said", {}))
    if kind == "forecast":
        return forecast_work(values)
    if kind == "what if":
        asked = tuple(tuple(Change(**c) for c in own) for own in values.get("asked", ()))
        return WhatIfWork(asked, int(values.get("base", 0)))
    if kind == "prove":
        return ProveWork(tuple(Step(**s) for s in values.get("steps", ())), int(values.get("base", 0)))
    pinned = tuple((piece, copy) for piece, copy in values.get("pinned", ()))
    return LayWork(
        tuple(values.get("hides", ())),
        pinned,
        bool(values.get("keep_all")),
        int(values.get("base", 0)),
        tuple(values.get("pieces", ())),
    )


@dataclass(frozen=True)
class WorkJob:
    """One job of the queue, at a lay, at the pictures of a hide or at a file: ``subject`` is that one's id.

    ``share`` is how much of it is done, 0 to 1, where it is known.
    """

    id: int
    kind: Kind
    subject: int
    state: str
    owner: str
    seconds: float
    seed: int
    stop_asked: bool
    version: int
    attempts: int
    revision: int | None
    spent_s: float
    share: float
    history: list[dict[str, Any]]
    said: list[str]
    error: str
    work: Work
    by: int | None = None

    @property
    def lay_work(self) -> LayWork:
        """What a job at a lay is asked. Raises TypeError for another kind."""
        if not isinstance(self.work, LayWork):
            raise TypeError(f"job {self.id} is no job at a lay")
        return self.work

    @property
    def what_if_work(self) -> WhatIfWork:
        """What a lay is asked otherwise. Raises TypeError for another kind."""
        if not isinstance(self.work, WhatIfWork):
            raise TypeError(f"job {self.id} asks no lay otherwise")
        return self.work

    @property
    def prove_work(self) -> ProveWork:
        """What is proved. Raises TypeError for another kind."""
        if not isinstance(self.work, ProveWork):
            raise TypeError(f"job {self.id} proves nothing")
        return self.work

    @property
    def forecast_work(self) -> ForecastWork:
        """What is forecast. Raises TypeError for another kind."""
        if not isinstance(self.work, ForecastWork):
            raise TypeError(f"job {self.id} is no forecast")
        return self.work

    @property
    def look_work(self) -> LookWork:
        """What a job at pictures is asked. Raises TypeError for another kind."""
        if not isinstance(self.work, LookWork):
            raise TypeError(f"job {self.id} is no job at pictures")
        return self.work

    @property
    def read_work(self) -> ReadWork:
        """What a job at a file is asked. Raises TypeError for another kind."""
        if not isinstance(self.work, ReadWork):
            raise TypeError(f"job {self.id} is no job at a file")
        return self.work
