"""Spectra that the simulation is built from: lights, and measured reflectances that colour-science ships.

All spectra are sampled every 5 nm from 380 to 780 nm.
"""

import warnings
from functools import lru_cache
from typing import Any

import numpy as np

from aquin.arrays import Float64
from aquin.errors import AquinError

NM = np.arange(380, 781, 5)


@lru_cache(maxsize=1)
def _library() -> Any:
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")  # it warns of plotting parts that are not installed
        import colour
    return colour


def _aligned(spectrum: Any) -> Float64:
    colour = _library()
    return np.asarray(spectrum.copy().align(colour.SpectralShape(380, 780, 5)).values, np.float64)


def light_names() -> list[str]:
    """The CIE illuminants by name: A, the D series, fluorescent, high-pressure sodium, LED."""
    return [str(name) for name in _library().SDS_ILLUMINANTS]


@lru_cache(maxsize=64)
def light(name: str) -> Float64:
    """(81,) power of a CIE illuminant, or of daylight or a black body at a colour temperature written as `5600K`.

    Scaled so that a perfect diffuser has luminance Y = 1 (CIE 1931).
    """
    colour = _library()
    if name.endswith("K") and name[:-1].isdigit():
        kelvin = int(name[:-1])
        if not 1000 <= kelvin <= 25000:
            raise AquinError(f"no light of {name}", None, "Choose 1000K to 25000K")
        if kelvin < 4000:
            power = _aligned(colour.sd_blackbody(kelvin, colour.SpectralShape(380, 780, 5)))
        else:
            xy = colour.temperature.CCT_to_xy_CIE_D(kelvin)
            power = _aligned(colour.sd_CIE_illuminant_D_series(xy))
    elif name in colour.SDS_ILLUMINANTS:
        power = _aligned(colour.SDS_ILLUMINANTS[name])
    else:
        raise AquinError(
            f"there is no light '{name}'", None, f"There are: {', '.join(light_names())}, or 5600K"
        )
    made = np.asarray(power / (power @ observer()[:, 1]), np.float64)
    made.setflags(write=False)  # the same for all who ask
    return made


@lru_cache(maxsize=1)
def observer() -> Float64:
    """(81, 3) CIE 1931 2 degree colour-matching functions."""
    return _aligned(_library().MSDS_CMFS["CIE 1931 2 Degree Standard Observer"])


@lru_cache(maxsize=1)
def chart_reflectances() -> Float64:
    """(24, 81) reflectances of the 24-patch chart, the ISO 17321-1 set, row by row from dark skin to black."""
    colour = _library()
    standard = "ISO 17321-1"
    sets = (getattr(colour, name) for name in dir(colour) if name.startswith("SDS_"))
    found = next(s[standard] for s in sets if standard in s)
    return np.stack([_aligned(patch) for patch in found.values()])


@lru_cache(maxsize=1)
def measured_reflectances() -> Float64:
    """(99, 81) reflectances of real things (skin, plants, textiles, paints, plastics): the samples of CIE 224:2017."""
    colour = _library()
    from colour.quality.cfi2017 import load_TCS_CIE2017

    samples = load_TCS_CIE2017(colour.SpectralShape(380, 780, 5))
    return np.clip(np.nan_to_num(np.asarray(samples.values, np.float64).T), 0, 1)


def xyz_of(reflectance: Float64, power: Float64) -> Float64:
    """(..., 81) reflectances under a light to (..., 3) CIE XYZ, Y = 1 at a perfect diffuser."""
    weights = power[:, None] * observer()
    return np.asarray(reflectance @ weights / weights[:, 1].sum(), np.float64)
