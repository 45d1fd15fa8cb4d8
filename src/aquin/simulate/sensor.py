"""From sensor levels to the recorded signal: blur, exposure, noise, clipping, development, curve, sharpening."""

from collections.abc import Iterator
from functools import lru_cache

import cv2
import numpy as np

from aquin.arrays import Float32
from aquin.simulate.cameras import BakedCurve, Camera, Setting, development


class Grain:
    """Normal noise for frame after frame from one seed: a pool that is read at a new place each time."""

    def __init__(self, seed: int, height: int, width: int) -> None:
        self._seed = seed
        self._random = np.random.default_rng(seed)
        self._size = height, width
        self._wide = width + 613
        self._pool = self._random.standard_normal((height + 401, self._wide * 3), np.float32)

    def seek(self, frame: int) -> None:
        """Go to a frame: what `next` gives then follows from the seed and the frame alone."""
        self._random = np.random.default_rng((self._seed, frame))

    def next(self) -> Float32:
        """(h, 3 w) standard normal values, not to be written to."""
        y, x = self._random.integers(0, (402, 614))
        high, wide = self._size
        return self._pool[y : y + high, 3 * x : 3 * (x + wide)]


@lru_cache(maxsize=8)
def pattern_of(camera: Camera, height: int, width: int) -> Float32:
    """(h, 3 w) what each pixel of this body always adds, in electrons: columns for the larger part."""
    random = np.random.default_rng(int.from_bytes(camera.name.encode()[:6], "big"))
    columns = random.standard_normal((1, width * 3), np.float32) * np.float32(0.9)
    own = random.standard_normal((height, width * 3), np.float32) * np.float32(0.45)
    return np.asarray(np.float32(camera.fixed_pattern) * (columns + own), np.float32)


STRIP = 54
"""Rows that are worked on at once, so that they stay in the processor's cache."""


def soften(camera: Camera, raw: Float32) -> Float32:
    """The lens's blur on (h, w, c) levels."""
    return (
        np.asarray(cv2.GaussianBlur(raw, (7, 7), camera.softness), np.float32) if camera.softness > 0 else raw
    )


class Exposure:
    """Sensor levels under a setting, ready to be read out again and again, each time with other noise.

    (h, w, 3) levels; `soft` ones have been through the lens already. Shot noise is Poisson's, approximated by a normal
    distribution (ISO 15739).
    """

    def __init__(self, camera: Camera, raw: Float32, setting: Setting, soft: bool = False) -> None:
        self.camera, self.setting = camera, setting
        raw = np.asarray(raw, np.float32)
        self.size = raw.shape[:2]
        self._raw = _flat(raw if soft else soften(camera, raw))
        self._gain = 2.0**setting.stops
        index = setting.exposure_index or camera.exposure_index
        self._scale = camera.electrons_at_grey / 0.18 * camera.exposure_index / index
        self._noisy: tuple[Float32, Float32] | None = None

    def linear(self, grain: Grain | None) -> Float32:
        """(h, w, 3) linear RGB of the camera's encoding after noise, clipping and development; no noise without
        `grain`.
        """
        high, wide = self.size
        out = np.empty((high, wide, 3), np.float32)
        for rows, part in self.strips(grain):
            out[rows] = part
        return out

    def _level_and_spread(self) -> tuple[Float32, Float32]:
        """The exposed level with the fixed pattern on it, and the standard deviation of the noise."""
        if self._noisy is None:
            spread = cv2.max(self._raw, 0.0)
            floor = (self.camera.read_noise / self._scale) ** 2
            cv2.addWeighted(spread, self._gain / self._scale, spread, 0.0, floor, dst=spread)
            cv2.sqrt(spread, dst=spread)
            if self.camera.fixed_pattern:
                pattern = pattern_of(self.camera, *self.size)
                level = cv2.addWeighted(self._raw, self._gain, pattern, 1 / self._scale, 0.0)
            else:
                level = self._raw * np.float32(self._gain)
            self._noisy = level, spread
        return self._noisy

    def strips(self, grain: Grain | None) -> Iterator[tuple[slice, Float32]]:
        """The same in strips of rows."""
        high, wide = self.size
        top = 0.18 * 2.0**self.camera.full_well_stops
        matrix = development(self.camera, self.setting).astype(np.float32)
        noise = grain.next() if grain is not None else None
        for y in range(0, high, STRIP):
            rows = slice(y, min(y + STRIP, high))
            if noise is not None:
                level, spread = self._level_and_spread()
                part = cv2.multiply(spread[rows], noise[rows])
                cv2.add(level[rows], part, dst=part)
            else:
                part = self._raw[rows] * np.float32(self._gain)
            cv2.min(part, top, dst=part)
            yield rows, cv2.transform(part.reshape(-1, wide, 3), matrix)


def expose(
    camera: Camera, raw: Float32, setting: Setting, grain: Grain | None, soft: bool = False
) -> Float32:
    """(h, w, 3) sensor levels to linear RGB of the camera's encoding: blur, exposure, noise, clipping, development."""
    return Exposure(camera, raw, setting, soft).linear(grain)


def _flat(picture: Float32) -> Float32:
    """(h, w, 3) as (h, 3 w): OpenCV takes a plain number for the first channel alone."""
    return np.ascontiguousarray(picture).reshape(len(picture), -1)


def signal(camera: Camera, linear: Float32) -> Float32:
    """(h, w, 3) linear RGB to the recorded signal, sharpened in luma as the camera does, 0 to 1 over full range."""
    out = np.empty(linear.shape, np.float32)
    for y in range(0, len(linear), STRIP):
        out[y : y + STRIP] = encode(camera, linear[y : y + STRIP])
    return np.asarray(np.clip(sharpen(camera, out), 0, 1), np.float32)


def encode(camera: Camera, linear: Float32) -> Float32:
    """(h, w, 3) linear RGB through the camera's curve; neither sharpened nor held in 0 to 1."""
    x = _flat(linear)
    if camera.baked is not None:
        return _look_up(camera.baked, x).reshape(linear.shape)
    assert camera.encoding.curve
    c = camera.encoding.curve
    inner = cv2.max(x, c.break_linear)  # the toe is the tangent at the break
    under = cv2.subtract(x, inner)
    cv2.addWeighted(inner, c.b, inner, 0.0, c.c, dst=inner)
    cv2.log(inner, dst=inner)
    return np.asarray(
        cv2.addWeighted(inner, c.a / np.log(10), under, c.toe[0], c.d, dst=inner).reshape(linear.shape),
        np.float32,
    )


def sharpen(camera: Camera, out: Float32) -> Float32:
    """Unsharp masking of the luma, in place."""
    if camera.sharpening:
        luma = cv2.transform(out, np.array([[0.2126, 0.7152, 0.0722]], np.float32))
        edge = cv2.subtract(luma, cv2.GaussianBlur(luma, (0, 0), 1.2))
        flat = out.reshape(len(out), -1)
        cv2.scaleAdd(_flat(cv2.merge([edge] * 3)), camera.sharpening, flat, dst=flat)
    return out


@lru_cache(maxsize=4)
def _baked_table(curve: BakedCurve) -> Float32:
    return np.asarray(curve.encode(np.linspace(0, 1, 65536) ** 2 * curve.ceiling), np.float32)


def _look_up(curve: BakedCurve, linear: Float32) -> Float32:
    """The baked curve through a table that is even in the root of the level; exact to 2e-5."""
    root = cv2.sqrt(cv2.min(cv2.max(linear, 0.0), curve.ceiling))
    place = cv2.addWeighted(root, 65535 / curve.ceiling**0.5, root, 0.0, 0.0, dtype=cv2.CV_16U)
    return np.asarray(_baked_table(curve).take(place), np.float32)
