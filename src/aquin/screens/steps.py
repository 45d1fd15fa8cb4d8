"""How many steps of grey an eye tells apart: the grey scale display function of DICOM (NEMA PS3.14)."""

import numpy as np

from aquin.arrays import Float64, Floats

_INDEX = (
    71.498068,
    94.593053,
    41.912053,
    9.8247004,
    0.28175407,
    -1.1878455,
    -0.18014349,
    0.14710899,
    -0.017046845,
)
"""Coefficients of NEMA PS3.14, 7.1, of the index of just noticeable differences in log10 of cd/m2."""
LOWEST, HIGHEST = 0.05, 3993.404
"""cd/m2 that the function is defined for: indices 1 and 1023."""


def steps(light: Floats) -> Float64:
    """The index of just noticeable differences of cd/m2, of any shape: one more is just told apart. Below 0.05 cd/m2 it
    runs on in a straight line with the slope that it has there.
    """
    x = np.asarray(light, np.float64)
    log = np.log10(np.clip(x, LOWEST, HIGHEST))
    index = np.polynomial.polynomial.polyval(log, np.array(_INDEX))
    return np.asarray(np.where(x < LOWEST, index + (x - LOWEST) * slope_at_lowest(), index))


def slope_at_lowest() -> float:
    """Steps a cd/m2 at the lowest luminance of the function."""
    powers = np.arange(1, len(_INDEX))
    at = np.log10(LOWEST)
    return float((np.array(_INDEX[1:]) * powers * at ** (powers - 1)).sum() / (LOWEST * np.log(10)))
