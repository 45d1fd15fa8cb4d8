"""Primaries and white points to matrices."""

import numpy as np
from numpy.typing import ArrayLike

from aquin.arrays import Float64

ACES_WHITE = (0.32168, 0.33767)
"""CIE xy of the ACES white point (Academy TB-2018-001)."""

AP0 = ((0.7347, 0.2653), (0.0, 1.0), (0.0001, -0.0770))
AP1 = ((0.713, 0.293), (0.165, 0.830), (0.128, 0.044))
"""CIE xy of red, green and blue (SMPTE ST 2065-1 and Academy S-2014-004)."""


def xyz_of(xy: ArrayLike) -> Float64:
    """CIE XYZ with Y = 1 of chromaticities, (..., 2) to (..., 3)."""
    xy = np.asarray(xy, np.float64)
    x, y = xy[..., 0], xy[..., 1]
    return np.stack([x / y, np.ones_like(x), (1 - x - y) / y], axis=-1)


def rgb_to_xyz_matrix(primaries: ArrayLike, white: ArrayLike) -> Float64:
    """3x3 matrix from linear RGB to CIE XYZ that takes RGB (1, 1, 1) to the white with Y = 1 (SMPTE RP 177)."""
    columns = xyz_of(primaries).T
    return np.asarray(columns * np.linalg.solve(columns, xyz_of(white)), np.float64)


AP0_TO_XYZ = rgb_to_xyz_matrix(AP0, ACES_WHITE)
AP1_TO_XYZ = rgb_to_xyz_matrix(AP1, ACES_WHITE)
XYZ_TO_AP1 = np.linalg.inv(AP1_TO_XYZ)
AP0_TO_AP1 = XYZ_TO_AP1 @ AP0_TO_XYZ
AP1_LUMA = AP1_TO_XYZ[1]
"""Weights of R, G and B in the luminance Y of scene-linear AP1."""
