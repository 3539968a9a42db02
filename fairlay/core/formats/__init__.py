"""Formats in and out: the exchange JSON, SVG and DXF at true size."""
