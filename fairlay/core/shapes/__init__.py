"""Rings, regions and placing: the plain geometry that the rules and the engine stand on."""

from fairlay.core.shapes.placing import Placing, place_points, place_region
from fairlay.core.shapes.rings import Region, Ring, clean_ring, pieces_of, region, rings_of

__all__ = [
    "Placing",
    "Region",
    "Ring",
    "clean_ring",
    "pieces_of",
    "place_points",
    "place_region",
    "region",
    "rings_of",
]
