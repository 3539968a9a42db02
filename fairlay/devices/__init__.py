"""Outside devices, each behind a small protocol, with a simulated one that ships."""
