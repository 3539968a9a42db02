"""From photographs to outlines."""
