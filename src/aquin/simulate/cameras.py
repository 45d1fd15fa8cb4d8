"""Invented cameras as spectral devices: from light on the sensor to the signal in the file."""

from dataclasses import dataclass

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
class Camera:
    """One camera body. Levels are relative: 1.0 on the sensor is a perfect diffuser at the nominal exposure."""

    name: str
    red: Lobes
    green: Lobes
    blue: Lobes
    encoding: CameraEncoding
    linear_encoding: CameraEncoding
    full_well_stops: float = 6.0
    """Stops above 18 % grey where a channel clips."""
    electrons_at_grey: float = 2500.0
    """Photo-electrons in grey at the nominal exposure: sets the shot noise."""
    read_noise: float = 4.0
    """Standard deviation in electrons."""
    softness: float = 0.6
    """Sigma of the lens blur in pixels."""
    sharpening: float = 0.0
    """Share of unsharp masking (radius 1.2 px) added to the signal."""
    taste: tuple[float, float] = (1.0, 0.0)
    """What its maker adds to the matrix: saturation, and a turn of hue in degrees."""

    @property
    def sensitivities(self) -> Float64:
        """(81, 3) relative spectral sensitivities of R, G and B."""
        nm = spectra.NM[:, None].astype(np.float64)
        columns = []
        for lobes in (self.red, self.green, self.blue):
            centre, sigma, height = np.array(lobes).T
            columns.append((height * np.exp(-0.5 * ((nm - centre) / sigma) ** 2)).sum(axis=1))
        passed = (
            1 / (1 + np.exp(-(nm - 416) / 4)) / (1 + np.exp((nm - 684) / 8))
        )  # the filter that cuts UV and infrared
        return np.asarray(np.stack(columns, axis=1) * passed, np.float64)


@dataclass(frozen=True)
class Setting:
    """How a take is exposed and balanced. `tint` is in 10^-3 Duv, positive for a greener picture."""

    white: str = "D55"
    stops: float = 0.0
    tint: float = 0.0


def raw_response(camera: Camera, reflectance: Float64, power: Float64) -> Float64:
    """(..., 81) reflectances under a light to (..., 3) sensor levels; G of a perfect diffuser is the light's Y times 1."""
    sensitivity = camera.sensitivities
    nominal = spectra.light("D55") @ sensitivity[:, 1]
    return np.asarray(reflectance @ (power[:, None] * sensitivity) / nominal, np.float64)


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


def expose(camera: Camera, raw: Float32, setting: Setting, random: np.random.Generator | None) -> Float32:
    """(h, w, 3) sensor levels to linear RGB of the camera's encoding: blur, exposure, clipping, noise, development."""
    if camera.softness > 0:
        raw = cv2.GaussianBlur(raw, (0, 0), camera.softness)
    raw = raw * np.float32(2.0**setting.stops)
    if random is not None:
        scale = np.float32(camera.electrons_at_grey / 0.18)
        spread = np.sqrt(np.maximum(raw, 0) * scale + np.float32(camera.read_noise**2)) / scale
        raw = raw + spread * random.standard_normal(raw.shape, np.float32)
    raw = np.minimum(raw, np.float32(0.18 * 2.0**camera.full_well_stops))
    return np.asarray(raw @ development(camera, setting).T.astype(np.float32), np.float32)


def signal(camera: Camera, linear: Float32) -> Float32:
    """(h, w, 3) linear RGB to the log signal, sharpened as the camera does, 0 to 1 over full range."""
    assert camera.encoding.curve
    out = camera.encoding.curve.encode(linear)
    if camera.sharpening:
        out = out + np.float32(camera.sharpening) * (out - cv2.GaussianBlur(out, (0, 0), 1.2))
    return np.asarray(np.clip(out, 0, 1), np.float32)


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

HERON = Camera(
    "Heron",
    red=((598, 36, 1.0), (535, 22, 0.10), (440, 16, 0.035)),
    green=((538, 38, 1.0), (600, 26, 0.08)),
    blue=((456, 27, 0.92), (530, 26, 0.10)),
    encoding=_heron[0],
    linear_encoding=_heron[1],
    softness=0.7,
)
"""The main camera."""

SKUA = Camera(
    "Skua",
    red=((604, 33, 0.9), (545, 25, 0.14), (444, 18, 0.045)),
    green=((534, 35, 1.0), (592, 24, 0.11), (462, 16, 0.02)),
    blue=((453, 25, 1.0), (520, 26, 0.12)),
    encoding=_skua[0],
    linear_encoding=_skua[1],
    full_well_stops=5.3,
    electrons_at_grey=1100.0,
    read_noise=6.0,
    softness=0.5,
    sharpening=0.35,
    taste=(1.12, 3.0),
)
"""The smaller camera."""

CAMERAS = {camera.name: camera for camera in (HERON, SKUA)}
