"""Speed and yield, measured as ratios within one run; never a test."""
