"""Reflectance of human skin from its pigments: melanin over a dermis with blood.

Absorption and scattering after Jacques, "Optical properties of biological tissues: a review", Phys. Med. Biol. 58
(2013), and his earlier skin optics notes (1998); haemoglobin as compiled by Prahl (1998). The constants are quoted
from memory of these sources and rounded; tests hold the result against measured skin that colour-science ships.
"""

import numpy as np

from aquin.arrays import Float64
from aquin.simulate.spectra import NM

_KNOTS = np.array(
    [
        380,
        400,
        410,
        420,
        430,
        440,
        450,
        460,
        470,
        480,
        490,
        500,
        510,
        520,
        530,
        540,
        550,
        560,
        570,
        576,
        580,
        590,
        600,
        610,
    ]
    + [620, 640, 660, 680, 700, 720, 740, 760, 780]
)
_OXY = np.array(
    [
        113,
        266,
        467,
        480,
        246,
        103,
        62.8,
        44.5,
        33.2,
        26.6,
        23.7,
        20.9,
        20.0,
        24.2,
        40.0,
        53.2,
        43.0,
        32.6,
        44.5,
        55.5,
        50.1,
    ]
    + [14.4, 3.2, 1.51, 0.94, 0.44, 0.32, 0.28, 0.29, 0.35, 0.45, 0.59, 0.71]
)
_DEOXY = np.array(
    [
        150,
        223,
        304,
        408,
        529,
        413,
        103,
        23.4,
        16.2,
        14.6,
        16.7,
        20.9,
        25.8,
        31.6,
        39.0,
        46.6,
        53.4,
        53.8,
        45.1,
        39.5,
        37.0,
    ]
    + [28.3, 14.7, 9.44, 6.51, 4.35, 3.23, 2.41, 1.79, 1.33, 1.12, 1.55, 1.08]
)
"""Molar extinction in 10^3 / (cm M)."""


def skin(melanin: float, blood: float = 0.015, oxygen: float = 0.75) -> Float64:
    """(81,) diffuse reflectance of skin.

    `melanin`: share of the epidermis taken by melanosomes, about 0.02 (very light) to 0.40 (very dark).
    `blood`: share of the dermis taken by blood, about 0.01 pale, 0.03 flushed, 0.06 lips.
    """
    nm = NM.astype(np.float64)
    base = 7.84e8 * nm**-3.255
    epidermis = melanin * 6.6e11 * nm**-3.33 + (1 - melanin) * base
    extinction = oxygen * np.interp(nm, _KNOTS, _OXY) + (1 - oxygen) * np.interp(nm, _KNOTS, _DEOXY)
    whole_blood = 2.303 * extinction * 1e3 * 150 / 64500
    absorbed = blood * whole_blood + (1 - blood) * base
    scattered = 46.0 * (nm / 500) ** -1.421
    albedo = scattered / (scattered + absorbed)
    inner = 3.25  # (1 + r) / (1 - r) for the inner reflection r = 0.53 at an index of 1.4
    dermis = albedo / (1 + 2 * inner * (1 - albedo) + (1 + 2 * inner / 3) * np.sqrt(3 * (1 - albedo)))
    path = 2 * 0.0060  # 60 micrometres, twice, in cm
    return np.asarray(dermis * np.exp(-path * epidermis) + 0.024, np.float64)
