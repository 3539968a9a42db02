"""Shared by all tests. Properties try the same examples in every run; with FAIRLAY_TESTS=long, others in
each.
"""

from __future__ import annotations

import os
from typing import Any

import pytest
from hypothesis import settings

settings.register_profile("check", deadline=None, derandomize=True, max_examples=60)
settings.register_profile("long", deadline=None, derandomize=False, print_blob=True, max_examples=1000)
settings.load_profile(os.environ.get("FAIRLAY_TESTS", "check"))


@pytest.hookimpl(optionalhook=True)
def pytest_xdist_make_scheduler(config: pytest.Config, log: Any) -> Any:
    """A file goes to one process; all files that need the running application go to the same."""
    from xdist.scheduler import LoadFileScheduling

    class ByFile(LoadFileScheduling):  # type: ignore[misc]  # xdist names no types
        def _split_scope(self, nodeid: str) -> str:
            return "browser" if nodeid.startswith("tests/browser/") else str(super()._split_scope(nodeid))

    return ByFile(config, log)
