"""What ``./start`` and ``./check`` run; no part of the application."""
