"""Whether two outlines are the same shape, turned and moved, or turned over."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray
from shapely.geometry import Polygon
from shapely.geometry.base import BaseGeometry

from fairlay.core.shapes.rings import Ring

SAME_MM = 0.25
"""Outlines that differ by less everywhere are one pattern drawn twice."""
SAMPLES = 256
TURNS_TRIED = 4

Complex = NDArray[np.complex128]


@dataclass(frozen=True, eq=False)
class Outline:
    """A ring ``(n, 2)`` in mm with its windows."""

    ring: Ring
    windows: Sequence[Ring] = ()

    @cached_property
    def polygon(self) -> BaseGeometry:
        return Polygon(self.ring, self.windows).buffer(0)

    @cached_property
    def samples(self) -> Complex:
        """Places evenly along the outline, counter-clockwise, about its centroid, as x + iy."""
        ring = self.ring if Polygon(self.ring).exterior.is_ccw else self.ring[::-1]
        z = np.append(ring, ring[:1], axis=0) @ np.array([1.0, 1.0j])
        along = np.concatenate([[0.0], np.cumsum(np.abs(np.diff(z)))])
        at = np.linspace(0.0, along[-1], SAMPLES, endpoint=False)
        middle = Polygon(ring).centroid
        out: Complex = np.interp(at, along, z.real) + 1j * np.interp(at, along, z.imag)
        return out - complex(middle.x, middle.y)

    @cached_property
    def _spectrum(self) -> Complex:
        return np.asarray(np.fft.fft(self.samples))

    @cached_property
    def _away(self) -> NDArray[np.float64]:
        """How far its places are from its middle: in the mean, at least and at most."""
        away = np.abs(self.samples)
        return np.array([away.mean(), away.min(), away.max()])

    def turned_over(self) -> Outline:
        """The outline as it is seen from the other side."""
        return Outline(self.ring * [-1.0, 1.0], [w * [-1.0, 1.0] for w in self.windows])

    def is_same(self, other: Outline) -> bool:
        """Whether the other is this one, turned and moved.

        The turn is where the two, each as complex places along it, agree best (their circular correlation,
        by Fourier transform); there they may differ by ``SAME_MM`` at most.
        """
        if self._is_copy(other):
            return True
        a, b = self.polygon, other.polygon
        if abs(a.area - b.area) > SAME_MM * max(a.length, b.length) or len(self.windows) != len(
            other.windows
        ):
            return False
        # However it is turned: no place may be farther off than a step.
        if np.abs(self._away - other._away).max() > self._step:
            return False
        agree = np.fft.ifft(other._spectrum * np.conj(self._spectrum))
        best = np.argsort(-np.abs(agree))[:TURNS_TRIED]
        turns = np.conj(agree[best]) / np.maximum(np.abs(agree[best]), 1e-12)
        places = (np.arange(SAMPLES) + best[:, None]) % SAMPLES
        off = np.abs(other.samples[places] * turns[:, None] - self.samples).max(axis=1)
        return any(self._lies_on(other, complex(turn)) for turn in turns[off <= self._step])

    def _is_copy(self, other: Outline) -> bool:
        """Whether the other is this one moved, drawn place by place: what copying in a drawing program
        makes.
        """
        ours, theirs = [self.ring, *self.windows], [other.ring, *other.windows]
        shift = other.ring[0] - self.ring[0]
        return [len(r) for r in ours] == [len(r) for r in theirs] and all(
            np.abs(b - a - shift).max() <= SAME_MM / 2 for a, b in zip(ours, theirs, strict=True)
        )

    @cached_property
    def _step(self) -> float:
        """Half the way between samples, and what may differ: the other's may fall between these."""
        return float(Polygon(self.ring).length) / SAMPLES + SAME_MM

    def _lies_on(self, other: Outline, turn: complex) -> bool:
        own, theirs = self._about_middle(1.0 + 0j), other._about_middle(turn)
        return bool(own.boundary.hausdorff_distance(theirs.boundary) <= SAME_MM)

    def _about_middle(self, turn: complex) -> BaseGeometry:
        middle = Polygon(self.ring).centroid

        def moved(ring: Ring) -> Ring:
            z = ((ring - [middle.x, middle.y]) @ np.array([1.0, 1.0j])) * turn
            return np.stack([z.real, z.imag], axis=1)

        return Polygon(moved(self.ring), [moved(w) for w in self.windows])
