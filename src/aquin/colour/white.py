"""White point work: correlated colour temperature, mired, Duv, and chromatic adaptation."""

from pathlib import Path

import numpy as np
from numpy.typing import ArrayLike

from aquin.arrays import Float64
from aquin.colour.primaries import ACES_WHITE, xyz_of

C2 = 1.4388e-2
"""Second radiation constant in m K, the value that CCT is reckoned with (CIE 15:2018)."""

MIRED_MIN, MIRED_MAX = 5.0, 1400.0

STOPS_A_MIRED = 0.0113
"""Stops of R/B for one mired of light, about (Planckian light between 2500 and 8000 K in AP1)."""

M16 = np.array(
    [[0.401288, 0.650173, -0.051461], [-0.250268, 1.204414, 0.045854], [-0.002079, 0.048952, 0.953127]]
)
"""CAT16 sharpened cone matrix (Li et al. 2017)."""


def _observer() -> Float64:
    """(n, 4) wavelengths in nm and the CIE 1931 2 degree colour-matching functions."""
    return np.loadtxt(Path(__file__).parent / "data" / "cie-1931-2deg-5nm.csv", delimiter=",")


def cmfs(nm: ArrayLike) -> Float64:
    """(n, 3) CIE 1931 2 degree colour-matching functions at wavelengths in nm; nothing beyond the table."""
    table, at = _observer(), np.asarray(nm, np.float64)
    return np.stack([np.interp(at, table[:, 0], table[:, k], left=0, right=0) for k in (1, 2, 3)], axis=1)


def _locus() -> tuple[Float64, Float64]:
    table = _observer()
    metres = table[:, 0] * 1e-9
    mired = np.arange(MIRED_MIN, MIRED_MAX + 1.0)
    power = metres**-5.0 / np.expm1(C2 * mired[:, None] * 1e-6 / metres)
    xyz = power @ table[:, 1:]
    return mired, uv_of_xyz(xyz)


def uv_of_xyz(xyz: ArrayLike) -> Float64:
    """CIE 1960 (u, v) of XYZ, (..., 3) to (..., 2); NaN of no light."""
    xyz = np.asarray(xyz, np.float64)
    below = xyz[..., 0] + 15 * xyz[..., 1] + 3 * xyz[..., 2]
    below = np.where(below == 0, np.nan, below)
    return np.stack([4 * xyz[..., 0] / below, 6 * xyz[..., 1] / below], axis=-1)


def xy_of_uv(uv: ArrayLike) -> Float64:
    """CIE xy of CIE 1960 (u, v)."""
    uv = np.asarray(uv, np.float64)
    below = 2 * uv[..., 0] - 8 * uv[..., 1] + 4
    return np.stack([3 * uv[..., 0] / below, 2 * uv[..., 1] / below], axis=-1)


_MIRED, _UV = _locus()


def _arc(index: np.ndarray) -> tuple[Float64, Float64, Float64]:
    """The locus around a table row as a parabola a + b t + c t^2, t in mired from that row."""
    before, here, after = _UV[index - 1], _UV[index], _UV[index + 1]
    return here, (after - before) / 2, (after + before) / 2 - here


def mired_duv(xyz: ArrayLike) -> Float64:
    """Correlated colour temperature in mired (1e6 / kelvin) and signed Duv of XYZ, (..., 3) to (..., 2).

    The nearest point of the Planckian locus in CIE 1960 (u, v), as CIE 15:2018 defines it; Duv is positive above the
    locus (towards green) after Ohno 2014, "Practical use and calculation of CCT and Duv". Within 0.01 mired of a direct
    search. Colours whose nearest point lies beyond 5 or 1400 mired are held there. No light (0, 0, 0) has no white: NaN
    for both.
    """
    uv = uv_of_xyz(xyz)
    flat = uv.reshape(-1, 2)
    index = np.array([int(np.argmin(((_UV - p) ** 2).sum(1))) for p in flat])
    index = np.clip(index, 1, len(_UV) - 2)
    a, b, c = _arc(index)
    t = np.zeros(len(flat))
    for _ in range(4):  # Newton on the derivative of the squared distance
        point = a + b * t[:, None] + c * t[:, None] ** 2
        tangent = b + 2 * c * t[:, None]
        gap = point - flat
        t -= (gap * tangent).sum(1) / ((tangent**2).sum(1) + 2 * (gap * c).sum(1))
        t = np.clip(t, -1.5, 1.5)
    point = a + b * t[:, None] + c * t[:, None] ** 2
    tangent = b + 2 * c * t[:, None]
    gap = flat - point
    side = np.sign(tangent[:, 0] * gap[:, 1] - tangent[:, 1] * gap[:, 0])
    duv = side * np.hypot(gap[:, 0], gap[:, 1])
    return np.stack([_MIRED[index] + t, duv], axis=-1).reshape(*uv.shape[:-1], 2)


def xy_at(mired: float, duv: float) -> Float64:
    """CIE xy of the colour `duv` away from the Planckian locus at `mired`: the inverse of `mired_duv`. (2,)."""
    mired = float(np.clip(mired, MIRED_MIN + 1, MIRED_MAX - 1))
    index = np.array([round(mired - MIRED_MIN)]).clip(1, len(_UV) - 2)
    a, b, c = _arc(index)
    t = mired - _MIRED[index][0]
    point, tangent = a[0] + b[0] * t + c[0] * t * t, b[0] + 2 * c[0] * t
    normal = np.array([-tangent[1], tangent[0]]) / np.hypot(*tangent)
    return xy_of_uv(point + duv * normal)


ACES_MIRED, ACES_DUV = (float(v) for v in mired_duv(xyz_of(ACES_WHITE)))


def adaptation(source_xy: ArrayLike, target_xy: ArrayLike) -> Float64:
    """3x3 matrix on XYZ that takes the source white to the target white: CAT16 with full adaptation. Both (2,);
    gives (3, 3).
    """
    source, target = M16 @ xyz_of(source_xy), M16 @ xyz_of(target_xy)
    return np.asarray(np.linalg.inv(M16) @ np.diag(target / source) @ M16, np.float64)
