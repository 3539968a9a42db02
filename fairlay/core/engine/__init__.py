"""The engine: from a job to a lay that keeps every rule."""

from fairlay.core.engine.run import Progress, lay_job

__all__ = ["Progress", "lay_job"]
