"""Types, lint, imports and the client: ./check goes through them while the tests run."""

from __future__ import annotations

import os
import time
from pathlib import Path

import pytest

MOST_WAIT_S = 600.0


@pytest.mark.skipif("FAIRLAY_READ" not in os.environ, reason="./check alone reads beside the tests")
def test_all_that_only_reads_went_well() -> None:
    done, end = Path(os.environ["FAIRLAY_READ"]), time.monotonic() + MOST_WAIT_S
    while not done.exists() and time.monotonic() < end:
        time.sleep(0.5)
    assert done.read_text().strip() == "well", "see what ./check said above: types, lint, imports, the client"
