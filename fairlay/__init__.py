"""Fair Lay: lay pattern pieces on hides by the rules of the trade."""

__version__ = "0.1.0"
