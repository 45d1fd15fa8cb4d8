"""CIELAB with the CIEDE2000 colour difference, and ITP with dE ITP."""

import numpy as np
from numpy.typing import ArrayLike

from aquin.arrays import Float64
from aquin.colour.primaries import ACES_WHITE, AP1_TO_XYZ, rgb_to_xyz_matrix
from aquin.colour.white import adaptation

_WHITE = AP1_TO_XYZ @ np.ones(3)


def lab_of_xyz(xyz: ArrayLike, white: ArrayLike) -> Float64:
    """CIELAB (ISO/CIE 11664-4) of XYZ on the scale of `white`, (..., 3) to (..., 3)."""
    ratio = np.asarray(xyz, np.float64) / np.asarray(white, np.float64)
    delta = 6 / 29
    f = np.where(ratio > delta**3, np.cbrt(np.maximum(ratio, 0)), ratio / (3 * delta**2) + 4 / 29)
    x, y, z = f[..., 0], f[..., 1], f[..., 2]
    return np.stack([116 * y - 16, 500 * (x - y), 200 * (y - z)], axis=-1)


def lab_of_ap1(linear: ArrayLike) -> Float64:
    """CIELAB of scene-linear AP1 under the ACES white, L* = 100 at a perfect diffuser (1.0)."""
    return lab_of_xyz(np.asarray(linear, np.float64) @ AP1_TO_XYZ.T, _WHITE)


def delta_e00(lab1: ArrayLike, lab2: ArrayLike) -> Float64:
    """CIEDE2000 (ISO/CIE 11664-6, kL = kC = kH = 1) of CIELAB pairs, (..., 3) each, to (...)."""
    return np.asarray(np.linalg.norm(delta_terms(lab1, lab2), axis=-1), np.float64)


_COS, _SIN = ({degrees: float(f(np.radians(degrees))) for degrees in (6, 30, 63)} for f in (np.cos, np.sin))


def _hue(a: Float64, b: Float64) -> Float64:
    """0 to 2 pi."""
    angle = np.arctan2(b, a)
    return np.asarray(np.where(angle < 0, angle + 2 * np.pi, angle), np.float64)


def _far_from_grey(chroma: Float64) -> Float64:
    """0 to 1, near 1 far beyond a chroma of 25. Products: a general power takes ten times as long."""
    square = chroma * chroma
    power7 = chroma * square * square * square
    return np.asarray(np.sqrt(power7 / (power7 + 25.0**7)), np.float64)


def delta_terms(lab1: ArrayLike, lab2: ArrayLike) -> Float64:
    """The lightness, chroma and hue parts of CIEDE2000 with the rotation folded in: their length is the difference.
    (..., 3) CIE L*a*b* each; gives (..., 3).

    The quadratic form C^2 + H^2 + R C H is split as (C + R H / 2)^2 + (1 - R^2 / 4) H^2, which is exact.
    """
    l1, a1, b1 = np.moveaxis(np.asarray(lab1, np.float64), -1, 0)
    l2, a2, b2 = np.moveaxis(np.asarray(lab2, np.float64), -1, 0)
    g = 0.5 * (1 - _far_from_grey((np.hypot(a1, b1) + np.hypot(a2, b2)) / 2))
    a1, a2 = (1 + g) * a1, (1 + g) * a2
    c1, c2 = np.hypot(a1, b1), np.hypot(a2, b2)
    h1, h2 = _hue(a1, b1), _hue(a2, b2)  # of greys it does not matter: its part is 0 there
    turn = h2 - h1
    far = np.abs(turn) > np.pi + 1e-12  # hues just opposite count as near, whatever rounding makes of them
    turn = np.where(far, turn - np.copysign(2 * np.pi, turn), turn)
    mean_h = (h1 + h2) / 2
    mean_h = np.where(far, np.where(mean_h < np.pi, mean_h + np.pi, mean_h - np.pi), mean_h)
    mean_l, mean_c = (l1 + l2) / 2, (c1 + c2) / 2
    cos, sin = np.cos(mean_h), np.sin(mean_h)
    cos2, sin2 = cos * cos - sin * sin, 2 * sin * cos
    t = (
        1
        - 0.17 * (_COS[30] * cos + _SIN[30] * sin)
        + 0.24 * cos2
        + 0.32 * (_COS[6] * (cos2 * cos - sin2 * sin) - _SIN[6] * (sin2 * cos + cos2 * sin))
        - 0.20 * (_COS[63] * (cos2 * cos2 - sin2 * sin2) + 2 * _SIN[63] * sin2 * cos2)
    )
    s_l = 1 + 0.015 * (mean_l - 50) ** 2 / np.sqrt(20 + (mean_l - 50) ** 2)
    s_c, s_h = 1 + 0.045 * mean_c, 1 + 0.015 * mean_c * t
    blue = np.sin(np.pi / 3 * np.exp(-(((mean_h - np.radians(275)) / np.radians(25)) ** 2)))
    rotation = -2 * _far_from_grey(mean_c) * blue
    lightness = (l2 - l1) / s_l
    chroma = (c2 - c1) / s_c
    hue = 2 * np.sqrt(c1 * c2) * np.sin(turn / 2) / s_h
    return np.stack([lightness, chroma + rotation * hue / 2, hue * np.sqrt(1 - rotation**2 / 4)], axis=-1)


_TO_D65 = adaptation(ACES_WHITE, (0.3127, 0.3290))
_XYZ_TO_2020 = np.linalg.inv(
    rgb_to_xyz_matrix(((0.708, 0.292), (0.170, 0.797), (0.131, 0.046)), (0.3127, 0.3290))
)
_TO_LMS = np.array([[1688, 2146, 262], [683, 2951, 462], [99, 309, 3688]]) / 4096
_TO_ICTCP = np.array([[2048, 2048, 0], [6610, -13613, 7003], [17933, -17390, -543]]) / 4096
"""ITU-R BT.2100-2, table 7: RGB to LMS, and L'M'S' to ICtCp for PQ."""

WHITE_NITS = 100.0
"""cd/m2 of a perfect diffuser when colours are compared in ITP: the white of an SDR grading screen (ITU-R BT.2035)."""


def itp_of_ap1(linear: ArrayLike) -> Float64:
    """720 times I, T, P of scene-linear AP1, so that their distance is dE ITP (ITU-R BT.2124-0); (..., 3) to (..., 3).

    A perfect diffuser (1.0) stands at 100 cd/m2; the ACES white is adapted to D65 with CAT16.
    """
    xyz = np.asarray(linear, np.float64) @ (_TO_D65 @ AP1_TO_XYZ).T
    lms = xyz @ (_TO_LMS @ _XYZ_TO_2020).T
    i, t, p = np.moveaxis(_pq(lms * WHITE_NITS) @ _TO_ICTCP.T, -1, 0)
    return np.asarray(720 * np.stack([i, 0.5 * t, p], axis=-1), np.float64)


def _pq(nits: Float64) -> Float64:
    """The inverse EOTF of SMPTE ST 2084, mirrored below zero so that it stays defined there."""
    m1, m2, c1, c2, c3 = 2610 / 16384, 2523 / 32, 3424 / 4096, 2413 / 128, 2392 / 128
    y = (np.abs(nits) / 10000) ** m1
    return np.asarray(np.sign(nits) * (((c1 + c2 * y) / (1 + c3 * y)) ** m2 - c1**m2), np.float64)
