"""How a camera makes a picture of light: lens, vignette, sensor, white balance, tone curve, sharpening.

Light is added up and blurred as light; what is displayed comes after it. A picture's half way between black
and white is therefore not half the light.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Final, Literal

import cv2
import numpy as np
from numpy.typing import NDArray

Image = NDArray[np.uint8]
Floats = NDArray[Any]
Tone = Literal["plain", "power", "film", "hard", "lifted"]
TONES: Final[tuple[Tone, ...]] = ("plain", "power", "film", "hard", "lifted")

BAND = 400
"""Lines of a picture that are worked out at a time: a whole one of 24 million pixels would take gigabytes."""
LEVELS: Final = 4096
APART_PX: Final = 256


@dataclass(frozen=True)
class Develops:
    """How a camera develops light (1: as much as white paper in full light throws back).

    ``exposure``: what light is multiplied by; ``blur_px`` the lens's (one standard deviation), ``motion_px``
    how far the hand moved (x, y); ``vignette``: how much darker the corners are; ``noise``: one standard
    deviation at full light (shot noise), and a sixth of it in the dark; ``balance``: what red and blue are
    multiplied by; ``sharpen``: how much of what an unsharp mask takes off is put on.
    """

    exposure: float = 1.0
    blur_px: float = 0.8
    motion_px: tuple[float, float] = (0.0, 0.0)
    vignette: float = 0.06
    noise: float = 0.01
    balance: tuple[float, float] = (1.0, 1.0)
    tone: Tone = "plain"
    sharpen: float = 0.0


def displayed(light: Floats, tone: Tone = "plain") -> Floats:
    """Return what a camera shows for light, both 0 to 1.

    ``plain`` is the curve of IEC 61966-2-1; ``power`` a power of 1/2.2; ``film`` bends over in the lights;
    ``hard`` and ``lifted`` have more and less contrast than plain.
    """
    x = np.clip(np.asarray(light, np.float64), 0.0, 1.0)
    plain = np.where(x <= 0.0031308, 12.92 * x, 1.055 * np.maximum(x, 1e-9) ** (1 / 2.4) - 0.055)
    if tone == "power":
        return np.asarray(x ** (1 / 2.2))
    if tone == "film":
        return np.asarray(np.clip((plain * 1.30) / (1 + 0.30 * plain**1.6), 0, 1))
    if tone == "hard":
        return np.asarray(0.6 * plain + 0.4 * plain * plain * (3 - 2 * plain))
    if tone == "lifted":
        return np.asarray(0.05 + 0.93 * plain**0.92)
    return np.asarray(plain)


def light_of(shown: Floats) -> Floats:
    """Return the light that the plain curve shows as ``shown``, both 0 to 1 (IEC 61966-2-1)."""
    y = np.asarray(shown, np.float64)
    return np.where(y <= 0.04045, y / 12.92, ((y + 0.055) / 1.055) ** 2.4)


def photograph(
    light: Callable[[int, int], Floats], height: int, width: int, how: Develops, seed: int
) -> Image:
    """Return the picture ``(height, width, 3)`` uint8 of light that ``light(top, low)`` gives for lines
    ``top`` to ``low`` as float32 ``(low - top, width, 3)``.
    """
    rng = np.random.default_rng(seed)
    curve = np.clip(displayed(np.linspace(0, 1, LEVELS), how.tone) * 255, 0, 255).astype(np.float32)
    room = int(np.ceil(4 * how.blur_px + max(map(abs, how.motion_px)))) + 8
    gains = np.array([how.balance[0], 1.0, how.balance[1]], np.float32) * how.exposure
    x = np.linspace(-1, 1, width, dtype=np.float32)[None, :]
    # Chance is drawn for one band, and each band takes it from another column on.
    high = min(height, BAND + 2 * room)
    chance = rng.standard_normal((high, width + APART_PX, 3), dtype=np.float32) if how.noise > 0 else None
    out: Image = np.empty((height, width, 3), np.uint8)
    for top in range(0, height, BAND):
        low = min(height, top + BAND)
        first, last = max(0, top - room), min(height, low + room)
        seen = light(first, last)
        if how.blur_px > 0:
            seen = cv2.GaussianBlur(seen, (0, 0), how.blur_px)
        if any(how.motion_px):
            seen = cv2.filter2D(seen, -1, _shake(how.motion_px))
        y = (np.arange(first, last, dtype=np.float32) / height * 2 - 1)[:, None]
        fade = 1 - how.vignette * (x * x + y * y) / 2
        seen *= cv2.merge([fade * gain for gain in gains])
        if chance is not None:
            spread = np.clip(seen, 0, 1.2)
            spread += 1 / 36
            np.sqrt(spread, out=spread)
            spread *= how.noise
            apart = int(rng.integers(0, APART_PX))
            spread *= chance[: last - first, apart : apart + width]
            seen += spread
        np.clip(seen, 0, 1, out=seen)
        seen *= LEVELS - 1
        own = slice(top - first, low - first)
        if how.sharpen > 0:
            shown = curve.take(seen.astype(np.intp))
            shown += how.sharpen * (shown - cv2.GaussianBlur(shown, (0, 0), 1.1))
            out[top:low] = np.clip(shown[own] + 0.5, 0, 255).astype(np.uint8)
        else:
            out[top:low] = (curve + 0.5).astype(np.uint8).take(seen[own].astype(np.intp))
    return out


def _shake(motion: tuple[float, float]) -> Floats:
    """A straight smear of so many px, as a kernel whose middle stays."""
    half = int(np.ceil(max(map(abs, motion)) / 2)) + 1
    kernel = np.zeros((2 * half + 1, 2 * half + 1), np.float32)
    for t in np.linspace(-0.5, 0.5, 64):
        at = np.array([half + t * motion[0], half + t * motion[1]])
        x, y = np.floor(at).astype(int)
        fx, fy = at - (x, y)
        for dx, dy, share in (
            (0, 0, (1 - fx) * (1 - fy)),
            (1, 0, fx * (1 - fy)),
            (0, 1, (1 - fx) * fy),
            (1, 1, fx * fy),
        ):
            if share > 0:
                kernel[y + dy, x + dx] += share
    return np.asarray(kernel / kernel.sum())
