"""What was done at the bench, in whatever order it is heard of: the same ticks come to the same state."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Final, Literal, get_args

from fairlay.core.cutting.cuts import Key

Act = Literal["done", "spoilt", "skip", "back", "recut"]
ACTS: Final[tuple[Act, ...]] = get_args(Act)
State = Literal["to cut", "done", "spoilt", "skipped"]
STATE_OF: Final[dict[Act, State]] = {
    "done": "done",
    "spoilt": "spoilt",
    "skip": "skipped",
    "back": "to cut",
    "recut": "to cut",
}
CUT: Final = frozenset({"done", "spoilt"})
"""States in which a piece is out of the leather: it stays where it was."""


@dataclass(frozen=True)
class Tick:
    """One press at the bench: by which tablet, its ``number`` there, and when, in seconds by the server's
    clock as the tablet knew it.
    """

    id: str
    piece: str
    copy: int
    act: Act
    at_s: float
    tablet: str = ""
    number: int = 0
    reason: str = ""

    @property
    def key(self) -> Key:
        return self.piece, self.copy


def states_of(ticks: Iterable[Tick]) -> dict[Key, Tick]:
    """Return, for each piece that was ticked, the tick that counts: the last to be pressed. Of two at the
    same time the one of the tablet that comes later by name: any rule does, if all follow it. A tick that
    came twice is one.
    """
    out: dict[Key, Tick] = {}
    for tick in ticks:
        now = out.get(tick.key)
        if now is None or _order(tick) > _order(now):
            out[tick.key] = tick
    return out


def _order(tick: Tick) -> tuple[float, str, int, str]:
    return tick.at_s, tick.tablet, tick.number, tick.id
