"""Documents as the store keeps them: each says its version, and what an older release wrote is brought up to
date as it is read.

What a document looks like follows from its class. ``shape_of`` gives that as one number, which a test
holds: a field that is renamed, added or taken away shows there, and asks for a new version and the step
that leads to it.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any, Final, Generic, TypeVar

from pydantic import TypeAdapter, ValidationError

from fairlay.core.errors import BadHide, BadPattern, FairLayError
from fairlay.core.formats.exchange import explain
from fairlay.core.lay.card import RackCard
from fairlay.core.leather.looking_over import LookingOver
from fairlay.core.leather.receiving import Invoice
from fairlay.core.pattern.article import Article

T = TypeVar("T")
Values = dict[str, Any]


@dataclass(frozen=True)
class Document(Generic[T]):
    """How one kind of thing is kept. ``steps[v]`` makes values of version ``v`` those of the next."""

    kind: str
    version: int
    adapter: TypeAdapter[T]
    error: Callable[..., FairLayError]
    steps: Mapping[int, Callable[[Values], Values]] = field(default_factory=dict)

    def write(self, value: T) -> Values:
        """Return JSON-ready values with their version."""
        return {"v": self.version, **self.adapter.dump_python(value, mode="json")}

    def read(self, values: Any) -> T:
        """Return what values of this or an older version stand for; those without a version are of the first.

        Raises ``error`` where they are no such document, or a newer release wrote them.
        """
        if not isinstance(values, dict):
            raise self.error(
                f"the {self.kind} is no document", value=type(values).__name__, expected="an object"
            )
        own = dict(values)
        version = own.pop("v", 1)
        if not isinstance(version, int) or not 1 <= version <= self.version:
            raise self.error(
                f"the {self.kind} is of version {version}",
                value=version,
                expected=f"1 to {self.version}: a newer release of Fair Lay wrote it",
            )
        for v in range(version, self.version):
            own = self.steps[v](own)
        try:
            return self.adapter.validate_python(own)
        except ValidationError as cause:
            raise self.error(
                f"the {self.kind} cannot be read: {explain(cause, self.kind)}",
                value=cause.error_count(),
                expected="a document that Fair Lay wrote",
            ) from cause

    def is_current(self, values: Any) -> bool:
        """Whether values are there, and of this version."""
        return isinstance(values, dict) and values.get("v", 1) == self.version

    def shape_of(self) -> str:
        """Return what documents of this version look like, as one number."""
        text = json.dumps(_bare(self.adapter.json_schema(mode="serialization")), sort_keys=True)
        return hashlib.sha256(text.encode()).hexdigest()[:16]


def _bare(schema: Any) -> Any:
    """A schema without its words: what is said of a field may change, what it is called may not."""
    if isinstance(schema, dict):
        return {
            k: _bare(v) for k, v in schema.items() if k not in ("description", "title") or k == "properties"
        }
    return [_bare(v) for v in schema] if isinstance(schema, list) else schema


LOOKING: Final = Document(
    "hide's document",
    2,
    TypeAdapter(LookingOver),
    BadHide,
    # How far off its measure may be came: what was kept before says nothing of it.
    {1: lambda old: old},
)
INVOICE: Final = Document("invoice", 1, TypeAdapter(Invoice), BadHide)
CARD: Final = Document("hide's card", 1, TypeAdapter(RackCard), BadHide)
ARTICLE: Final = Document(
    "article",
    2,
    TypeAdapter(Article),
    BadPattern,
    # Variants and centre lines came: what was kept before has none.
    {1: lambda old: old},
)
