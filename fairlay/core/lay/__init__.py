"""Jobs and lays: what is asked, what lies where, what is broken and how it measures."""

from fairlay.core.lay.check import Broken, broken_rules
from fairlay.core.lay.lay import Better, Job, Lay, Placement, Unplaced
from fairlay.core.lay.measures import Measures, measure

__all__ = ["Better", "Broken", "Job", "Lay", "Measures", "Placement", "Unplaced", "broken_rules", "measure"]
