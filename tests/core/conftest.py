"""What pictures of leather lie on, made once."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import numpy as np
import pytest

from fairlay.devices import hide_table

TABLES_KEPT = 2


@pytest.fixture(autouse=True, scope="session")
def tables_stay() -> Iterator[None]:
    """A table top that was just under the camera is not made again: pictures differ in what lies on it."""
    make, kept = hide_table.table_top, dict[Any, tuple[Any, Any]]()

    def table_top(*asked: Any) -> Any:
        *what, rng, px_per_mm = asked
        key = (*what, px_per_mm, str(rng.bit_generator.state))
        found = kept.pop(key, None) or (make(*asked), rng.bit_generator.state)
        kept[key] = found
        if len(kept) > TABLES_KEPT:
            kept.pop(next(iter(kept)))
        top, rng.bit_generator.state = found
        return np.copy(top)

    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(hide_table, "table_top", table_top)
        yield
