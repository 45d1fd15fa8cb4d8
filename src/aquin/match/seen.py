"""How a picture is seen when materials are looked for in it: the levels of each chromaticity that it shows."""

from dataclasses import dataclass
from functools import cached_property, lru_cache

import cv2
import numpy as np
from scipy.ndimage import gaussian_filter, gaussian_filter1d

from aquin.arrays import Float32, Float64, Floats, all_three

WIDE = 360
"""Pictures are looked at so many pixels wide."""
BIN = 0.06
"""Stops between channels in a bin of chromaticity."""
STEP = 0.1
"""Stops in a bin of level."""
REACH = 40
"""Bins of chromaticity on either side of grey."""
LOW, LEVELS = -9.0, 168
"""Lowest level, in stops of scene-linear, and how many bins there are: more than pictures need (those up to `TOP`), so
that lags wrap into nothing.
"""
TOP = 5.0
EDGE = 0.3
"""Stops by which a place may differ from its surroundings, to be inside a material."""
SOFT = (0.8, 0.8, 0.8)
"""Sigmas in bins: chromaticity and level."""
FEWEST = 6.0
"""Pixels, softened, that make a bin of chromaticity."""
PRESENCE = 0.4
"""Power of the area in a material's say: little."""


@dataclass(frozen=True)
class Seen:
    """One picture: sqrt of each chromaticity's distribution of levels, transformed; and how much of it there is."""

    spectra: np.ndarray
    """(c, LEVELS / 2 + 1) complex, of the chromaticities that it has."""
    number: np.ndarray
    """(n, n), n = 2 REACH + 1: which of those each bin of chromaticity is, -1 for none."""
    mass: Float64
    """(n, n) pixels, softened."""

    @cached_property
    def total(self) -> float:
        """Pixels."""
        return float(self.mass.sum())

    @property
    def far(self) -> Float64:
        """(n, n) say of each bin by its distance from grey."""
        return _far_of_bins()

    @cached_property
    def shown(self) -> float:
        """All that it shows, as the score of a cast weighs it (`match.materials`)."""
        there = self.mass >= FEWEST
        return float((self.far[there] * (self.mass[there] / self.total) ** PRESENCE).sum())


def pixels_of(linear: Floats, usable: np.ndarray | None = None) -> Float32:
    """(n, 3) log2 of the channels of the places of (h, w, 3) scene-linear that lie inside a material, unclipped."""
    log, good = small_of(linear, usable)
    return np.asarray(log[good], np.float32)


def small_of(linear: Floats, usable: np.ndarray | None) -> tuple[Float32, np.ndarray]:
    """(h', w', 3) log2 of the channels at `WIDE` pixels across, and (h', w') bool of places inside a material."""
    h, w = linear.shape[:2]
    size = (WIDE, max(round(h * WIDE / w), 2))
    small = cv2.resize(np.asarray(linear, np.float32), size, interpolation=cv2.INTER_AREA)
    good = all_three(small > 2.0**LOW)
    if usable is not None:
        good &= cv2.resize(usable.astype(np.float32), size, interpolation=cv2.INTER_AREA) > 0.99
    log = np.log2(np.maximum(small, 2.0 ** (LOW - 1)))
    box = np.ones((3, 3), np.uint8)
    good &= all_three(cv2.dilate(log, box) - cv2.erode(log, box) < 2 * EDGE)
    return np.asarray(log, np.float32), good


def seen(log: Float32, frames: int = 1) -> Seen:
    """From (n, 3) log2 of the channels, of so many frames: what is there in all of them counts as often as in one."""
    n = 2 * REACH + 1
    a, b = log[:, 0] - log[:, 1], log[:, 2] - log[:, 1]
    place = np.stack([a / BIN + REACH, b / BIN + REACH, (log.mean(axis=1) - LOW) / STEP], axis=1)
    shape = (n, n, LEVELS)
    inside = ((place >= 0) & (place < (n - 1.5, n - 1.5, (TOP - LOW) / STEP))).all(axis=1)
    index = np.rint(place[inside]).astype(int)
    many = np.bincount(np.ravel_multi_index(tuple(index.T), shape), minlength=n * n * LEVELS)
    exact = many.reshape(shape).astype(np.float32) / np.float32(frames)
    soft = _softened(exact)
    mass = soft.sum(axis=2)
    there = mass >= FEWEST
    levels = gaussian_filter1d(soft[there], SOFT[2], axis=1, mode="constant", truncate=3)
    share = np.sqrt(levels / np.maximum(levels.sum(axis=1, keepdims=True), 1e-9))
    number = np.full(mass.shape, -1)
    number[there] = np.arange(int(there.sum()))
    return Seen(np.fft.rfft(share, axis=1).astype(np.complex64), number, np.asarray(mass, np.float64))


def _softened(exact: Float32) -> Float32:
    """(n, n, m) counts, spread over near chromaticities. What is empty, which is most, is not looked at."""
    out = np.zeros_like(exact)
    if not exact.any():
        return out
    margin = (int(3 * SOFT[0] + 0.5), int(3 * SOFT[1] + 0.5), 0)
    used = []
    for k, others in enumerate(((1, 2), (0, 2), (0, 1))):
        there = np.flatnonzero(exact.any(axis=others))
        used.append(slice(max(int(there[0]) - margin[k], 0), int(there[-1]) + margin[k] + 1))
    part = used[0], used[1], used[2]
    out[part] = gaussian_filter(exact[part], (SOFT[0], SOFT[1], 0), mode="constant", truncate=3)
    return out


GREY = 1.0
"""What grey counts beside saturated colours a stop and more from it."""


def far_from_grey(places: Floats) -> Float64:
    """(...,) say of chromaticities, (..., 2): more with the distance from grey."""
    return np.asarray(GREY + np.minimum(np.hypot(places[..., 0], places[..., 1]), 2.0), np.float64)


@lru_cache(maxsize=1)
def _far_of_bins() -> Float64:
    """(n, n), n = 2 REACH + 1."""
    axis = (np.arange(2 * REACH + 1) - REACH) * BIN
    return far_from_grey(np.stack(np.meshgrid(axis, axis, indexing="ij"), axis=-1))
