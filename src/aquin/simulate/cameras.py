"""Invented cameras as spectral devices: from light on the sensor to the signal in the file."""

from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from aquin.arrays import Float64, Floats
from aquin.colour.encoding import CameraEncoding, LogCurve
from aquin.colour.primaries import ACES_WHITE, AP0_TO_XYZ
from aquin.colour.white import adaptation
from aquin.simulate import spectra

Lobes = tuple[tuple[float, float, float], ...]
"""Gaussian lobes of a sensitivity: centre nm, sigma nm, height."""


@dataclass(frozen=True)
class BakedCurve:
    """A display-like curve with contrast baked in: a 1/2.2 power up to `ceiling`, bent into an S of strength 0 to
    0.9.
    """

    ceiling: float = 1.02
    """Scene-linear level that reaches 1.0: 0.18 * 2^2.5, two and a half stops above grey."""
    bend: float = 0.35

    def encode(self, linear: Floats) -> Floats:
        """Scene-linear to signal, any shape."""
        y = np.clip(np.asarray(linear) / self.ceiling, 0, 1) ** (1 / 2.2)
        return np.asarray(y - self.bend * np.sin(2 * np.pi * y) / (2 * np.pi), np.asarray(linear).dtype)

    def decode(self, signal: Floats) -> Floats:
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
            np.exp(self.warmth * (nm - 550) / 100)
            / (1 + np.exp(-(nm - 416) / 4))
            / (1 + np.exp((nm - 684) / 8))
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
    """(..., 81) reflectances under a light to (..., 3) sensor levels; G of a perfect diffuser is the light's Y times
    1.
    """
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
    taste=(1.10, 1.0),
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
