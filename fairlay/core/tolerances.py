"""Every tolerance of the core, once, each with its reason. Lengths in mm."""

from typing import Final

OVERLAP_MM: Final = 0.1
"""How deep two outlines, or an outline and an edge, may run into each other.

A tenth of a millimetre is under the width of a knife's own line."""

SHRINK_MM: Final = 0.03
"""The engine keeps pieces apart after taking this off each of them.

Two pieces then run at most 0.06 mm into each other, which leaves 0.04 mm of
``OVERLAP_MM`` for rounding, while sides that are meant to butt can touch."""

COORDINATE_DECIMALS: Final = 4
"""Placements are written with this many decimals: 0.1 micrometre, far below any of the above."""

THICKNESS_GRACE_MM: Final = 0.05
"""A reading may be this far outside a piece's range: half the step of a bench gauge."""

THICKNESS_SAMPLE_MM: Final = 20.0
"""Thickness under a piece is looked at every 20 mm and at each corner of its outline."""

THICKNESS_GRID_MM: Final = 8.0
"""Cell of the map from which the ground of wrong thickness is drawn."""

GRAIN_GRACE_DEG: Final = 0.1
"""Turning finer than this cannot be set by hand with a pattern and a rule."""

REMNANT_MIN_M2: Final = 0.20
"""A straight-cut end smaller than this is not worth racking as a remnant."""

SAME_POINT_MM: Final = 0.001
"""Points nearer than this to each other are one point drawn twice."""

MIN_PIECE_AREA_MM2: Final = 1.0
"""Less than a square millimetre is a drawing mistake, not a piece."""

MIN_GROUND_MM2: Final = 0.01
"""A prick or a hair scratch is ground to keep off all the same; less is no area."""

HUGE_PIECE_MM: Final = 4000.0
"""No hide is this long; a piece that is was drawn in inches and read as mm, or worse."""

MOVED_MM: Final = 0.005
"""A fixed placement that differs by less than this has not moved."""

FLATTEN_MM: Final = 0.05
"""How far a chord may stand off the curve it is drawn for: half a knife's line."""

CORNER_TURN_DEG: Final = 50.0
"""An outline that turns by less within a few mm goes on as one edge."""

SHARP_TURN_DEG: Final = 30.0
"""A single point where the way turns by so much is a corner, however short what follows."""

CORNER_WINDOW_MM: Final = 12.0
"""Bends up to this long either way are one corner: round-corner punches go to 15 mm radius."""

PITCH_DIVIDES_MM: Final = 0.25
"""A run that is off a whole number of stitches by less is taken up by hand without a thought."""

NEAR_CLOSED_MM: Final = 1.0
"""A contour whose ends are no further apart was meant to be closed."""

JOIN_MM: Final = 0.1
"""Ends of drawn lines nearer than this are one point."""

EQUAL_EDGES_MM: Final = 1.0
"""Edges that are sewn together may differ so much: it is lost in a hand's stitch or two."""
