"""Quillback Yard, a made-up workshop: camp chairs, stools, hearth bellows, log slings and stove mitts."""

from fairlay.demo.workshop import fill_if_empty

__all__ = ["fill_if_empty"]
