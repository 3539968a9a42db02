"""Draws docs/architecture.md's figure from the real imports: which package asks which.

python -m scripts.draw_imports [--check]
"""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Final

import grimp

PAGE: Final = Path(__file__).resolve().parents[1] / "docs" / "architecture.md"
BEGIN, END = "<!-- imports -->\n", "<!-- /imports -->\n"
LAYERS: Final = ("api", "work", "store", "devices", "demo")
VALUES: Final = frozenset({"errors", "tolerances", "numbering"})
"""Modules that everything may use: drawn, they would hide the rest."""


def package_of(module: str) -> str | None:
    """Return which box of the figure a module is in; None for one that is in none."""
    parts = module.split(".")[1:]
    if not parts or (parts[0] == "core" and (len(parts) < 2 or parts[1] in VALUES)):
        return None
    return f"core/{parts[1]}" if parts[0] == "core" else parts[0] if parts[0] in LAYERS else None


def edges() -> set[tuple[str, str]]:
    """Return which boxes import which."""
    graph = grimp.build_graph("fairlay")
    found: set[tuple[str, str]] = set()
    for module in graph.modules:
        box = package_of(module)
        for asked in graph.find_modules_directly_imported_by(module):
            other = package_of(asked)
            if box is not None and other is not None and box != other:
                found.add((box, other))
    return found


def _without_shortcuts(found: set[tuple[str, str]]) -> list[tuple[str, str]]:
    """Return the arrows without those that longer ways go too: there are no circles."""
    after: dict[str, set[str]] = {}
    for box, other in found:
        after.setdefault(box, set()).add(other)

    def reached(box: str) -> set[str]:
        return {far for near in after.get(box, ()) for far in ({near} | reached(near))}

    return sorted((a, b) for a, b in found if not any(b in reached(via) for via in after[a] - {b}))


def drawn() -> str:
    """Return the figure: what core's packages ask of each other, and what the layers above ask of each other.

    Layers are drawn as asking core as a whole, since each of them asks nearly all of it.
    """
    lines = ["```mermaid", "graph TD", "  ui --> api"]
    found = edges()
    for box, other in sorted(found):
        if not box.startswith("core/") and not other.startswith("core/"):
            lines.append(f"  {box} --> {other}")
    lines += [f"  {box} --> core" for box in LAYERS if any(a == box and b[:5] == "core/" for a, b in found)]
    lines.append("  subgraph core")
    for box, other in _without_shortcuts({p for p in found if p[0][:5] == p[1][:5] == "core/"}):
        lines.append(f"    {box[5:]} --> {other[5:]}")
    return "\n".join([*lines, "  end", "```", ""])


def main() -> int:
    text = PAGE.read_text()
    before, rest = text.split(BEGIN)
    page = before + BEGIN + drawn() + END + rest.split(END)[1]
    if "--check" in sys.argv[1:]:
        if page != text:
            print("docs/architecture.md draws other imports than there are: python -m scripts.draw_imports")
        return int(page != text)
    PAGE.write_text(page)
    return 0


if __name__ == "__main__":
    sys.exit(main())
