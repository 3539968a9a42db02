"""Starting points for a piece's needs, by what the piece does."""

from __future__ import annotations

from dataclasses import dataclass, replace

from fairlay.core.errors import BadPattern
from fairlay.core.pattern.pattern import Needs, Pattern, Tool


@dataclass(frozen=True)
class Start:
    """A start: its name, what such pieces are, the needs, and what else they bring."""

    name: str
    says: str
    needs: Needs
    tool: Tool = "knife"
    spare_rate: float = 0.0


STARTS: tuple[Start, ...] = (
    Start(
        "strap",
        "Straps, handles, slings: the tightest leather, along the backbone",
        Needs("strap", 0, 5, True, 1, (), 1, 2.8, 4.2, None, 1.2),
        "strap cutter",
        0.02,
    ),
    Start(
        "show panel",
        "Large panels that are seen: clean, firm leather",
        Needs("show panel", 0, 10, True, 0, (), 2, 1.8, 3.0, None, 1.5),
    ),
    Start(
        "inner part",
        "Inner parts: toward the belly, surface marks and blemishes do no harm",
        Needs("inner part", 0, 25, True, 2, (), 3, None, None, None, 0.8),
    ),
    Start(
        "facing",
        "Facings and bindings: thin, turned or covered",
        Needs("facing", 0, 45, True, 2, (), 3, 0.8, 1.6, None, 0.8),
    ),
    Start(
        "moulded part",
        "Parts that are wet moulded or must flex: looser leather will do",
        Needs("moulded part", 0, 180, True, 1, (), 3, 1.2, 2.5, None, 1.0),
    ),
    Start(
        "crumb",
        "Washers, tabs, pulls, keepers: from what is left",
        Needs("crumb", 0, 180, True, 2, (), 4, None, None, None, 0.5),
        "knife",
        0.05,
    ),
)


def start_named(name: str) -> Start:
    """Return the start of that name. Raises BadPattern listing those there are."""
    for start in STARTS:
        if start.name == name:
            return start
    raise BadPattern(
        f"there is no start called {name!r}", value=name, expected=", ".join(s.name for s in STARTS)
    )


def with_start(pattern: Pattern, name: str) -> Pattern:
    """Return a pattern with the needs of a start; its grain axis and hidden areas are kept."""
    start = start_named(name)
    needs = replace(start.needs, grain_deg=pattern.needs.grain_deg, hidden=pattern.needs.hidden)
    return replace(pattern, needs=needs, tool=start.tool, spare_rate=start.spare_rate)
