"""The demo's articles, their patterns drawn for this workshop.

Outlines in mm, load axis along x unless said.
"""

from __future__ import annotations

import math
from dataclasses import replace
from typing import Any

import numpy as np

from fairlay.core.pattern.article import Article, Hardware, Seam, SeamSide
from fairlay.core.pattern.by_dimensions import draw
from fairlay.core.pattern.contour import Contour, arc, contour_of, joined, rounded_off
from fairlay.core.pattern.edges import XY, Run
from fairlay.core.pattern.needs import start_named
from fairlay.core.pattern.pattern import Mark, Pattern, SeamLine, slug_of

BODY, STRAP, LINING = "body leather", "strap leather", "lining"
ALONG: dict[str, Any] = {"grain_tolerance_deg": 10.0}
STRICT: dict[str, Any] = {"grain_tolerance_deg": 5.0}
EASY: dict[str, Any] = {"grain_tolerance_deg": 25.0}


def rounded(length: float, width: float, radius: float) -> Contour:
    """A rectangle with round corners."""
    return draw("rectangle", {"length": length, "width": width, "radius": radius}).contour


def panel(length: float, tail_width: float, neck_width: float, radius: float) -> Contour:
    """A tapered panel with round corners."""
    tail, neck = tail_width / 2, neck_width / 2
    return joined(rounded_off([(0, -tail), (length, -neck), (length, neck), (0, tail)], radius), 2)


def strap(length: float, width: float) -> Contour:
    """A strap with one pointed end."""
    return draw("strap", {"length": length, "width": width}).contour


def disc(across: float) -> Contour:
    """A disc."""
    return draw("disc", {"across": across}).contour


def bellows_board(length: float, width: float) -> Contour:
    """The leather face of a bellows board: a pear with a nozzle end."""
    round_mm, neck = width / 2, length - width / 2
    touch = math.degrees(math.atan2(18, neck) + math.acos(round_mm / math.hypot(neck, 18)))
    return joined([*arc(0, 0, round_mm, touch, 360 - touch), (neck, -18), (neck, 18)], 2)


def mitt(length: float, width: float) -> Contour:
    """A stove mitt, fingers toward y = 0, thumb to the right, the wrist along its foot."""
    w, h = width, length
    over = arc(w / 2, w / 2, w / 2, 180, 360)
    thumb = [
        (w, 0.36 * h, w, 0.36 * h, w, 0.36 * h + 12),
        (w + 14, 0.43 * h, w + 3, 0.43 * h, w + 24, 0.43 * h),
        (w + 42, 0.35 * h, w + 33, 0.40 * h, w + 52, 0.29 * h),
        (w + 66, 0.40 * h, w + 67, 0.32 * h, w + 65, 0.47 * h),
        (w + 42, 0.61 * h, w + 56, 0.54 * h, w + 26, 0.69 * h),
        (w, 0.82 * h, w + 5, 0.75 * h, w, 0.82 * h),
    ]
    return joined([*over, *thumb, (w, h), (0, h)], 2)


def stool_top(across: float) -> Contour:
    """A three-sided stool seat with hollowed sides and round lobes."""
    step = 2 * np.pi / 24
    turn = np.arange(24) * step
    radius = across / 2 * (0.86 + 0.14 * np.cos(3 * turn))
    swell = -across / 2 * 0.42 * np.sin(3 * turn)
    at = np.stack([np.cos(turn), np.sin(turn)]) * radius
    along = np.stack([np.cos(turn), np.sin(turn)]) * swell + np.stack([-np.sin(turn), np.cos(turn)]) * radius
    handle = along * step / 3
    return joined([tuple(node) for node in np.concatenate([at, at - handle, at + handle]).T.tolist()], 2)


def _pattern(
    name: str,
    contour: Contour,
    each: int,
    start: str,
    material: str = BODY,
    *,
    needs: dict[str, Any] | None = None,
    **more: Any,
) -> Pattern:
    """A pattern that starts from the needs of a kind of piece, and differs where ``needs`` and ``more`` say
    so. No spares, and a knife, unless said.
    """
    of_kind = replace(
        start_named(start).needs, **{"value": 1.0, "least_mm": None, "most_mm": None, **(needs or {})}
    )
    return Pattern(slug_of(name), name, material, each, contour, needs=of_kind, **more)


def _run(x0: float, y0: float, x1: float, y1: float) -> Run:
    return Run(XY(x0, y0), XY(x1, y1))


def camp_chair() -> Article:
    """Back, seat and arms that hang in a frame of rods; the arm straps single from thick leather, or double
    from thin.
    """
    turning = contour_of([(0.5, -100), (36, -100), (36, 100), (0.5, 100)])
    body = {"least_mm": 1.8, "most_mm": 3.0}
    return Article(
        "camp-chair",
        "Camp chair",
        "Folds flat; hangs on four posts.",
        (
            _pattern(
                "Back",
                panel(430, 350, 310, 40),
                1,
                "show panel",
                needs={"show_limit": 1, "hidden": (turning,), **ALONG, **body},
                marks=(
                    Mark("edge", "stitch", offset_mm=5, pitch_mm=5),
                    Mark("turning", "fold", side="flesh", path=(XY(36, -150), XY(36, 150))),
                ),
            ),
            _pattern(
                "Seat",
                panel(330, 270, 270, 25),
                1,
                "show panel",
                needs={"max_tightness": 1, **ALONG, **body},
                marks=(Mark("edge", "stitch", offset_mm=5, pitch_mm=5),),
            ),
            _pattern(
                "Arm strap",
                strap(880, 34),
                2,
                "strap",
                STRAP,
                needs={"least_mm": 2.8, "most_mm": 4.2, **STRICT},
                part="arm strap",
                way="single, thick",
                marks=(
                    Mark("post", "hole", at=XY(40, 17), width_mm=10),
                    Mark("buckle", "slot", at=XY(90, 17), length_mm=22, width_mm=6),
                ),
            ),
            _pattern(
                "Arm strap double",
                strap(880, 34),
                2,
                "strap",
                needs={"least_mm": 1.4, "most_mm": 2.4, **STRICT},
                part="arm strap",
                way="double, thin",
                layers=2,
                marks=(
                    Mark("post", "hole", at=XY(40, 17), width_mm=10),
                    Mark("edge", "stitch", offset_mm=4, pitch_mm=5),
                ),
            ),
            _pattern(
                "Post loop",
                rounded(170, 56, 20),
                2,
                "show panel",
                needs={"show_limit": 1, **ALONG},
                marks=(Mark("fold", "fold", path=(XY(85, 0), XY(85, 56))),),
            ),
            _pattern(
                "Post cuff",
                panel(160, 76, 58, 6),
                4,
                "inner part",
                needs={"show_limit": 1, "grain_tolerance_deg": 90.0},
            ),
            _pattern(
                "Cord keeper",
                rounded(76, 34, 15),
                2,
                "crumb",
                needs={"max_tightness": 3},
                marks=(Mark("cord", "hole", at=XY(20, 17), width_mm=8),),
            ),
            _pattern("Washer", disc(18), 8, "crumb", marks=(Mark("rivet", "hole", at=XY(9, 9), width_mm=5),)),
            _pattern(
                "Back lining",
                panel(440, 360, 320, 40),
                1,
                "inner part",
                LINING,
                needs={"max_tightness": 4, **EASY},
                lines="back",
            ),
        ),
        hardware=(Hardware("tubular rivet 9 mm", 8), Hardware("strap buckle 34 mm", 2)),
    )


def tripod_stool() -> Article:
    """A three-legged stool with a leather top."""
    return Article(
        "tripod-stool",
        "Tripod stool",
        "",
        (
            _pattern("Seat", stool_top(370), 1, "show panel", needs={"show_limit": 1, **EASY}),
            _pattern("Leg cap", disc(104), 3, "moulded part"),
            _pattern(
                "Rivet tab",
                rounded(90, 30, 14),
                3,
                "show panel",
                needs={"show_limit": 1, **EASY},
                marks=(
                    Mark("rivet", "hole", at=XY(15, 15), width_mm=5),
                    Mark("rivet 2", "hole", at=XY(75, 15), width_mm=5),
                ),
            ),
            _pattern(
                "Carry strap",
                strap(620, 26),
                1,
                "strap",
                STRAP,
                needs=STRICT,
                marks=(Mark("button", "hole", at=XY(30, 13), width_mm=6),),
            ),
        ),
        hardware=(Hardware("tubular rivet 9 mm", 6),),
    )


def hearth_bellows() -> Article:
    """Two boards faced with leather, gussets between them."""
    return Article(
        "hearth-bellows",
        "Hearth bellows",
        "The gusset folds inward; thin it along the fold.",
        (
            _pattern(
                "Board face",
                bellows_board(330, 190),
                2,
                "show panel",
                needs=EASY,
                pair=True,
                marks=(Mark("glue", "glue", side="flesh", width_mm=14),),
            ),
            _pattern(
                "Gusset",
                draw("lens", {"length": 310, "width": 122, "blunt": 12}).contour,
                2,
                "inner part",
                needs={"show_limit": 1, "grain_tolerance_deg": 20.0},
                marks=(
                    Mark("fold", "fold", path=(XY(0, 61), XY(310, 61))),
                    Mark("edge", "skive", width_mm=10, left_mm=0.8),
                ),
            ),
            _pattern(
                "Valve flap",
                rounded(100, 82, 14),
                1,
                "moulded part",
                needs={"max_tightness": 4, "grain_tolerance_deg": 90.0},
                marks=(Mark("hinge", "fold", path=(XY(0, 14), XY(100, 14))),),
            ),
            _pattern("Nozzle wrap", panel(120, 92, 60, 4), 1, "moulded part"),
        ),
        hardware=(Hardware("brass nozzle", 1), Hardware("upholstery nail", 48)),
    )


def log_sling() -> Article:
    """A cradle for logs with two handles; the cradle may be made in two with a seam in the middle."""
    return Article(
        "log-sling",
        "Log sling",
        "",
        (
            _pattern(
                "Cradle",
                rounded(560, 300, 30),
                1,
                "show panel",
                needs={"show_limit": 1, "grain_tolerance_deg": 15.0},
                seam_lines=(SeamLine("middle", XY(280, 0), XY(280, 300), 10),),
                marks=(
                    Mark("handle", "stitch", path=(XY(40, 60), XY(40, 240)), pitch_mm=5),
                    Mark("handle 2", "stitch", path=(XY(520, 60), XY(520, 240)), pitch_mm=5),
                ),
            ),
            _pattern("Handle", strap(470, 28), 2, "strap", STRAP, needs=STRICT),
            _pattern(
                "Handle wrap",
                rounded(130, 70, 8),
                2,
                "inner part",
                needs={"show_limit": 1, "grain_tolerance_deg": 180.0},
                marks=(
                    Mark("a", "stitch", run=_run(127.7, 2.3, 127.7, 67.7), pitch_mm=4),
                    Mark("b", "stitch", run=_run(2.3, 67.7, 2.3, 2.3), pitch_mm=4),
                ),
            ),
            _pattern("Toggle", panel(86, 36, 16, 3), 2, "crumb"),
        ),
        (Seam("handle wrap", (SeamSide("handle-wrap", "a"), SeamSide("handle-wrap", "b")), times=2),),
        (Hardware("tubular rivet 9 mm", 8),),
    )


def stove_mitt() -> Article:
    """A pair of mitts: back and palm of leather, both lined; sewn all round but for the wrist."""
    hand, fingers_up = mitt(262, 124), {"grain_deg": 90.0, "grain_tolerance_deg": 15.0}
    round_hand = _run(0, 262, 124, 262)
    sewn = (Mark("round", "stitch", run=round_hand, offset_mm=4, pitch_mm=4),)
    return Article(
        "stove-mitt",
        "Stove mitts",
        "Sewn inside out, then turned.",
        (
            _pattern(
                "Mitt back",
                hand,
                2,
                "show panel",
                needs={"max_tightness": 3, "least_mm": 1.6, "most_mm": 2.8, **fingers_up},
                pair=True,
                marks=(*sewn, Mark("mark", "stamp", at=XY(62, 215), length_mm=30, text="Quillback")),
            ),
            _pattern(
                "Mitt palm",
                hand,
                2,
                "show panel",
                needs={"show_limit": 1, "max_tightness": 3, "least_mm": 1.6, "most_mm": 2.8, **fingers_up},
                pair=True,
                marks=(*sewn, Mark("loop", "place", piece="hang-loop", at=XY(10, 240))),
            ),
            _pattern(
                "Hang loop",
                rounded(110, 20, 6),
                2,
                "facing",
                needs={"show_limit": 1, "max_tightness": 2, **EASY},
                marks=(Mark("fold", "fold", path=(XY(55, 0), XY(55, 20))),),
            ),
            _pattern(
                "Mitt lining",
                hand,
                4,
                "inner part",
                LINING,
                needs={"max_tightness": 4, **EASY},
                pair=True,
                margin_mm=5.0,
                lines="mitt-palm",
            ),
        ),
        (
            Seam(
                "round the hand",
                (SeamSide("mitt-back", "round"), SeamSide("mitt-palm", "round")),
                times=2,
                factor=4.5,
            ),
        ),
    )


def articles() -> tuple[Article, ...]:
    """Return the five articles of Quillback Yard."""
    return camp_chair(), tripod_stool(), hearth_bellows(), log_sling(), stove_mitt()


__all__ = ["BODY", "LINING", "STRAP", "articles", "mitt"]
