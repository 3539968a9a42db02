"""Shared by all tests."""

from __future__ import annotations

from hypothesis import settings

settings.register_profile("check", deadline=None, derandomize=True)
settings.load_profile("check")
