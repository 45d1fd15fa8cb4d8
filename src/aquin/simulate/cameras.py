"""Invented cameras as spectral devices: from light on the sensor to the signal in the file."""

from collections.abc import Iterator
from dataclasses import dataclass
from functools import lru_cache

import cv2
import numpy as np

from aquin.arrays import Float32, Float64
from aquin.colour.encoding import CameraEncoding, LogCurve
from aquin.colour.primaries import ACES_WHITE, AP0_TO_XYZ
from aquin.colour.white import adaptation
from aquin.simulate import spectra

Lobes = tuple[tuple[float, float, float], ...]
"""Gaussian lobes of a sensitivity: centre nm, sigma nm, height."""


@dataclass(frozen=True)
class BakedCurve:
    """A display-like curve with contrast baked in: a 1/2.2 power up to `ceiling`, bent into an S of strength 0 to 0.9."""

    ceiling: float = 1.02
    """Scene-linear level that reaches 1.0: 0.18 * 2^2.5, two and a half stops above grey."""
    bend: float = 0.35

    def encode(self, linear: Float32) -> Float32:
        """Scene-linear to signal, any shape."""
        y = np.clip(np.asarray(linear) / self.ceiling, 0, 1) ** (1 / 2.2)
        return np.asarray(y - self.bend * np.sin(2 * np.pi * y) / (2 * np.pi), np.asarray(linear).dtype)

    def decode(self, signal: Float32) -> Float32:
        """Signal to scene-linear, any shape; what clipped stays at the ceiling."""
        x = np.linspace(0, self.ceiling, 20001)
        return np.interp(signal, self.encode(x), x).astype(np.asarray(signal).dtype)


@dataclass(frozen=True)
class Camera:
    """One camera body. Levels are relative: 1.0 on the sensor is a perfect diffuser at the nominal exposure."""

    name: str
    red: Lobes
    green: Lobes
    blue: Lobes
    encoding: CameraEncoding
    linear_encoding: CameraEncoding
    letter: str = "A"
    """First letter of its reels."""
    exposure_index: int = 800
    """Its native one: more light per grey below it, less above."""
    full_well_stops: float = 6.0
    """Stops above 18 % grey where a channel clips."""
    electrons_at_grey: float = 2500.0
    """Photo-electrons in grey at the native exposure index: sets the shot noise."""
    read_noise: float = 4.0
    """Standard deviation in electrons."""
    fixed_pattern: float = 0.0
    """Standard deviation of what each pixel always adds, in electrons: seen far under."""
    softness: float = 0.6
    """Sigma of the lens blur in pixels."""
    warmth: float = 0.0
    """The lens's tilt: transmission goes with exp(warmth * (nm - 550) / 100)."""
    sharpening: float = 0.0
    """Share of unsharp masking (radius 1.2 px) added to the signal."""
    taste: tuple[float, float] = (1.0, 0.0)
    """What its maker adds to the matrix: saturation, and a turn of hue in degrees."""
    drift_with_exposure: tuple[float, float, float] = (0.0, 0.0, 0.0)
    """log2 gain of R, G and B per stop of exposure error: its colours shift when it is over or under."""
    wandering_white: float = 0.0
    """Automatic white: how far it wanders, in mired."""
    baked: BakedCurve | None = None
    """A phone's own curve; None records the log encoding."""

    @property
    def sensitivities(self) -> Float64:
        """(81, 3) relative spectral sensitivities of R, G and B."""
        nm = spectra.NM[:, None].astype(np.float64)
        columns = []
        for lobes in (self.red, self.green, self.blue):
            centre, sigma, height = np.array(lobes).T
            columns.append((height * np.exp(-0.5 * ((nm - centre) / sigma) ** 2)).sum(axis=1))
        passed = (
            np.exp(self.warmth * (nm - 550) / 100) / (1 + np.exp(-(nm - 416) / 4)) / (1 + np.exp((nm - 684) / 8))
        )  # the lens, and the filter that cuts UV and infrared
        return np.asarray(np.stack(columns, axis=1) * passed, np.float64)


@dataclass(frozen=True)
class Setting:
    """How a take is exposed and balanced. `tint` is in 10^-3 Duv, positive for a greener picture.

    `stops` is the exposure over the nominal one; `error_stops` is the part of it that was not meant.
    """

    white: str = "D55"
    stops: float = 0.0
    tint: float = 0.0
    exposure_index: int | None = None
    error_stops: float = 0.0


def raw_response(camera: Camera, reflectance: Float64, power: Float64) -> Float64:
    """(..., 81) reflectances under a light to (..., 3) sensor levels; G of a perfect diffuser is the light's Y times 1."""
    sensitivity = camera.sensitivities
    nominal = spectra.light("D55") @ sensitivity[:, 1]
    return np.asarray(reflectance @ (power[:, None] * sensitivity) / nominal, np.float64)


@lru_cache(maxsize=512)
def development(camera: Camera, setting: Setting) -> Float64:
    """3x3 matrix from sensor levels to linear RGB of the camera's own encoding, neutral kept at the setting's white.

    White balance gains for the setting's light, then the matrix that best explains the measured reflectances of
    CIE 224:2017 under that light (least squares of the cube roots' first order: weighted by 1 / luminance).
    """
    power = spectra.light(setting.white)
    samples = spectra.measured_reflectances()
    white = raw_response(camera, np.ones(len(spectra.NM)), power)
    raw = raw_response(camera, samples, power) / white
    xyz = spectra.xyz_of(samples, power)
    xyz_white = spectra.xyz_of(np.ones(len(spectra.NM)), power)
    xy = (xyz_white / xyz_white.sum())[:2]
    target = (xyz @ adaptation(xy, ACES_WHITE).T) @ np.linalg.inv(AP0_TO_XYZ @ camera.encoding.to_ap0).T
    weight = 1 / np.maximum(xyz[:, 1], 0.03)
    rows = np.concatenate([raw * weight[:, None], 1e4 * np.ones((1, 3))])
    wanted = np.concatenate([target * weight[:, None], 1e4 * np.ones((1, 3))])
    matrix = _taste(*camera.taste) @ np.linalg.lstsq(rows, wanted, rcond=None)[0].T
    green = 1 + 14.0 * setting.tint * 1e-3  # about 0.0014 in Duv for one per cent of green
    level = np.array([1 / np.sqrt(green), green, 1 / np.sqrt(green)])
    level = level * 2.0 ** (np.array(camera.drift_with_exposure) * setting.error_stops)
    return np.asarray(matrix @ np.diag(level / white), np.float64)


def _taste(saturation: float, degrees: float) -> Float64:
    """3x3 on linear RGB that scales and turns colours about the grey axis."""
    axis = np.full(3, 1 / np.sqrt(3))
    cross = np.array([[0, -axis[2], axis[1]], [axis[2], 0, -axis[0]], [-axis[1], axis[0], 0]])
    angle = np.radians(degrees)
    along = np.outer(axis, axis)
    return np.asarray(
        along + saturation * (np.cos(angle) * (np.eye(3) - along) + np.sin(angle) * cross), np.float64
    )


class Grain:
    """Normal noise for frame after frame from one seed: a pool that is read at a new place each time."""

    def __init__(self, seed: int, height: int, width: int) -> None:
        self._random = np.random.default_rng(seed)
        self._size = height, width
        self._wide = width + 613
        self._pool = self._random.standard_normal((height + 401, self._wide * 3), np.float32)

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
    return np.asarray(cv2.GaussianBlur(raw, (7, 7), camera.softness), np.float32) if camera.softness > 0 else raw


class Exposure:
    """Sensor levels under a setting, ready to be read out again and again, each time with other noise.

    (h, w, 3) levels; `soft` ones have been through the lens already. Shot noise is Poisson's, approximated by a normal
    distribution (ISO 15739).
    """

    def __init__(self, camera: Camera, raw: Float32, setting: Setting, soft: bool = False) -> None:
        self.camera, self.setting = camera, setting
        raw = np.asarray(raw, np.float32)
        self.size = raw.shape[:2]
        self._level = _flat(raw if soft else soften(camera, raw)) * np.float32(2.0**setting.stops)
        index = setting.exposure_index or camera.exposure_index
        self._scale = camera.electrons_at_grey / 0.18 * camera.exposure_index / index
        self._spread: Float32 | None = None

    def linear(self, grain: Grain | None) -> Float32:
        """(h, w, 3) linear RGB of the camera's encoding after noise, clipping and development; no noise without `grain`."""
        high, wide = self.size
        out = np.empty((high, wide, 3), np.float32)
        for rows, part in self.strips(grain):
            out[rows] = part
        return out

    def strips(self, grain: Grain | None) -> Iterator[tuple[slice, Float32]]:
        """The same in strips of rows."""
        high, wide = self.size
        top = 0.18 * 2.0**self.camera.full_well_stops
        matrix = development(self.camera, self.setting).astype(np.float32)
        noise, pattern = None, None
        if grain is not None:
            noise = grain.next()
            if self.camera.fixed_pattern:
                pattern = pattern_of(self.camera, high, wide)
            if self._spread is None:
                self._spread = cv2.max(self._level, 0.0)
                cv2.addWeighted(self._spread, 1 / self._scale, self._spread, 0.0, (self.camera.read_noise / self._scale) ** 2, dst=self._spread)
                cv2.sqrt(self._spread, dst=self._spread)
        for y in range(0, high, STRIP):
            rows = slice(y, min(y + STRIP, high))
            part = self._level[rows]
            if noise is not None:
                assert self._spread is not None
                part = cv2.add(part, cv2.multiply(self._spread[rows], noise[rows]))
                if pattern is not None:
                    cv2.scaleAdd(pattern[rows], 1 / self._scale, part, dst=part)
            yield rows, cv2.transform(cv2.min(part, top).reshape(-1, wide, 3), matrix)


def expose(camera: Camera, raw: Float32, setting: Setting, grain: Grain | None, soft: bool = False) -> Float32:
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
    return np.asarray(cv2.addWeighted(inner, c.a / np.log(10), under, c.toe[0], c.d, dst=inner).reshape(linear.shape), np.float32)


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


_D65 = (0.3127, 0.3290)


def _encodings(
    name: str, primaries: tuple[tuple[float, float], ...], curve: LogCurve
) -> tuple[CameraEncoding, ...]:
    red, green, blue = primaries
    note = f"Invented demo camera {name}"
    return (
        CameraEncoding(f"{name} Log", red, green, blue, _D65, curve, note),
        CameraEncoding(f"Linear {name}", red, green, blue, _D65, None, note),
    )


_heron = _encodings(
    "Heron",
    ((0.726, 0.288), (0.190, 0.905), (0.118, -0.040)),
    LogCurve(a=0.2461, b=6.1, c=0.0718, d=0.3838, break_linear=0.0082),
)
_skua = _encodings(
    "Skua",
    ((0.708, 0.301), (0.152, 0.842), (0.131, 0.012)),
    LogCurve(a=0.2247, b=9.4, c=0.1022, d=0.3402, break_linear=0.0051),
)

_egret = _encodings(
    "Egret",
    ((0.720, 0.290), (0.198, 0.888), (0.122, -0.032)),
    LogCurve(a=0.2461, b=5.6, c=0.0755, d=0.3880, break_linear=0.0090),
)
_petrel = _encodings(
    "Petrel",
    ((0.640, 0.330), (0.300, 0.600), (0.150, 0.060)),
    LogCurve(a=0.30, b=5.0, c=0.1, d=0.40, break_linear=0.01),
)

HERON = Camera(
    "Heron",
    red=((598, 36, 1.0), (535, 22, 0.10), (440, 16, 0.035)),
    green=((538, 38, 1.0), (600, 26, 0.08)),
    blue=((456, 27, 0.92), (530, 26, 0.10)),
    encoding=_heron[0],
    linear_encoding=_heron[1],
    letter="A",
    softness=0.7,
    fixed_pattern=0.6,
)
"""The main camera."""

EGRET = Camera(
    "Egret",
    red=((601, 35, 0.96), (537, 22, 0.11), (441, 16, 0.04)),
    green=((537, 37, 1.0), (599, 26, 0.09)),
    blue=((455, 26, 0.95), (529, 26, 0.10)),
    encoding=_egret[0],
    linear_encoding=_egret[1],
    letter="B",
    full_well_stops=5.7,
    electrons_at_grey=1700.0,
    read_noise=4.5,
    fixed_pattern=1.2,
    softness=0.62,
    warmth=0.05,
    taste=(1.03, 1.0),
)
"""The smaller camera of the same make: close to the main one, with a warmer lens."""

SKUA = Camera(
    "Skua",
    red=((604, 33, 0.9), (545, 25, 0.14), (444, 18, 0.045)),
    green=((534, 35, 1.0), (592, 24, 0.11), (462, 16, 0.02)),
    blue=((453, 25, 1.0), (520, 26, 0.12)),
    encoding=_skua[0],
    linear_encoding=_skua[1],
    letter="C",
    exposure_index=400,
    full_well_stops=5.3,
    electrons_at_grey=1100.0,
    read_noise=6.0,
    fixed_pattern=2.0,
    softness=0.5,
    sharpening=0.35,
    taste=(1.12, 3.0),
    drift_with_exposure=(0.020, 0.0, -0.028),
)
"""The flying camera: too sharp, another gamut, and its colours shift with exposure errors."""

PETREL = Camera(
    "Petrel",
    red=((606, 30, 0.85), (548, 26, 0.18), (446, 18, 0.05)),
    green=((533, 36, 1.0), (590, 26, 0.14), (464, 18, 0.04)),
    blue=((452, 26, 1.0), (522, 28, 0.15)),
    encoding=_petrel[0],
    linear_encoding=_petrel[1],
    letter="D",
    exposure_index=100,
    full_well_stops=3.4,
    electrons_at_grey=4200.0,
    read_noise=7.0,
    fixed_pattern=2.4,
    softness=0.55,
    warmth=-0.03,
    sharpening=0.6,
    taste=(1.22, -2.0),
    wandering_white=14.0,
    baked=BakedCurve(),
)
"""The pocket phone: its curve is baked in, it sharpens, its white wanders, and it clips early."""

CAMERAS = {camera.name: camera for camera in (HERON, EGRET, SKUA, PETREL)}
ROLES = {"main": HERON, "small": EGRET, "flying": SKUA, "phone": PETREL}
