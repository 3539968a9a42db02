"""What is known of a hide as JSON: everything that looking it over told, so that it can be read back whole."""

from __future__ import annotations

from typing import Any

from pydantic import TypeAdapter, ValidationError

from fairlay.core.errors import BadHide
from fairlay.core.formats.exchange import explain
from fairlay.core.leather.looking_over import LookingOver

_LOOKING = TypeAdapter(LookingOver)


def looking_values(looking: LookingOver) -> dict[str, Any]:
    """Return what is known of a hide as JSON-ready values."""
    values: dict[str, Any] = _LOOKING.dump_python(looking, mode="json")
    return values


def read_looking(values: Any) -> LookingOver:
    """Return what is known of a hide from JSON values. Raises BadHide naming what is wrong."""
    try:
        return _LOOKING.validate_python(values)
    except ValidationError as cause:
        raise BadHide(
            f"what is known of the hide cannot be read: {explain(cause, 'hide')}",
            value=cause.error_count(),
            expected="a document that Fair Lay wrote",
        ) from cause
