"""Shared by all tests. Properties try the same examples in every run; with FAIRLAY_TESTS=long, others in
each.
"""

from __future__ import annotations

import os

from hypothesis import settings

settings.register_profile("check", deadline=None, derandomize=True)
settings.register_profile("long", deadline=None, derandomize=False, print_blob=True)
settings.load_profile(os.environ.get("FAIRLAY_TESTS", "check"))
