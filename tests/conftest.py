"""Shared by all tests. Properties try the same examples in every run; with FAIRLAY_TESTS=long, others in
each.
"""

from __future__ import annotations

import os
from pathlib import Path

import pytest
from hypothesis import settings

settings.register_profile("check", deadline=None, derandomize=True)
settings.register_profile("long", deadline=None, derandomize=False, print_blob=True)
settings.load_profile(os.environ.get("FAIRLAY_TESTS", "check"))


@pytest.hookimpl(tryfirst=True)
def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """A file goes to one process; all that need the running application go to the same."""
    for item in items:
        own = Path(item.path)
        item.add_marker(
            pytest.mark.xdist_group(own.parent.name if own.parent.name == "browser" else own.stem)
        )
