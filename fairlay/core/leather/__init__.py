"""Hides: their outline, tightness, flaws and thickness."""

from fairlay.core.leather.hide import FLAW_KINDS, HIDE_KINDS, Flaw, Hide, Reading, Zone

__all__ = ["FLAW_KINDS", "HIDE_KINDS", "Flaw", "Hide", "Reading", "Zone"]
