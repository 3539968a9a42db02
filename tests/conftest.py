"""Shared by all tests. Properties try the same examples in every run; with FAIRLAY_TESTS=long, others in
each.
"""

from __future__ import annotations

import os
import time
from pathlib import Path
from typing import Any, Final

import pytest
from hypothesis import settings

settings.register_profile("check", deadline=None, derandomize=True, max_examples=30)
settings.register_profile("long", deadline=None, derandomize=False, print_blob=True, max_examples=1000)
settings.load_profile(os.environ.get("FAIRLAY_TESTS", "check"))


WITHOUT_KERNELS: Final = tuple(
    f"tests/core/test_{name}.py"
    for name in (
        "capture",
        "hide_capture",
        "devices",
        "chalk",
        "table_fit",
        "contours",
        "read_in",
        "gauge",
        "real_table",
    )
)
"""Files that read pictures and drawings: they run first, while the kernels are still compiled beside them."""
TOGETHER: Final = ("tests/api/", "tests/browser/")
"""What needs a store, and what walks through the application: each goes to one process, so that no store is
filled twice, and their tests always come in the same order. What is short comes after them.
"""
WHOLE_STORE: Final = ("tests/api/test_moving.py", "tests/api/test_people.py")
"""Files that take up all there is in the store, before others put more into it."""
AT_THE_END: Final = "tests/test_all_was_read.py"
MOST_WAIT_S: Final = 600.0


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """What needs no kernels comes first, then what is together, what waits for all else last; the rest in its
    own order.
    """
    items.sort(
        key=lambda item: (
            item.nodeid.startswith(AT_THE_END),
            not item.nodeid.startswith(WITHOUT_KERNELS),
            not item.nodeid.startswith(TOGETHER),
            not item.nodeid.startswith(WHOLE_STORE),
        )
    )


def pytest_runtest_setup(item: pytest.Item) -> None:
    """Wait for the kernels where check compiles them (``FAIRLAY_KERNELS`` is there once that is done)."""
    done = os.environ.get("FAIRLAY_KERNELS")
    if done is None or item.nodeid.startswith(WITHOUT_KERNELS):
        return
    end = time.monotonic() + MOST_WAIT_S
    while not Path(done).exists() and time.monotonic() < end:
        time.sleep(0.2)


@pytest.hookimpl(optionalhook=True)
def pytest_xdist_make_scheduler(config: pytest.Config, log: Any) -> Any:
    """A file goes to one process; files that are together go to the same."""
    from xdist.scheduler import LoadFileScheduling

    class ByFile(LoadFileScheduling):  # type: ignore[misc]  # xdist names no types
        def _split_scope(self, nodeid: str) -> str:
            one = next((folder for folder in TOGETHER if nodeid.startswith(folder)), None)
            return one or str(super()._split_scope(nodeid))

    return ByFile(config, log)
