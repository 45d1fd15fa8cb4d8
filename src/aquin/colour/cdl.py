"""The ASC Color Decision List, version 1.2."""

from dataclasses import dataclass

import numpy as np

from aquin.arrays import Floats

Triple = tuple[float, float, float]

LUMA = (0.2126, 0.7152, 0.0722)
"""Rec. 709 weights that ASC CDL v1.2 prescribes for saturation, whatever the working space."""


@dataclass(frozen=True)
class Cdl:
    """Slope, offset, power per channel, then saturation. The defaults do nothing.

    Raises ValueError for a negative slope or saturation, a power that is not positive, or a value that is no number.
    """

    slope: Triple = (1.0, 1.0, 1.0)
    offset: Triple = (0.0, 0.0, 0.0)
    power: Triple = (1.0, 1.0, 1.0)
    saturation: float = 1.0

    def __post_init__(self) -> None:
        numbers = (*self.slope, *self.offset, *self.power, self.saturation)
        if len(numbers) != 10 or not all(np.isfinite(numbers)):
            raise ValueError("a CDL needs ten finite numbers")
        if min(self.slope) < 0 or min(self.power) <= 0 or self.saturation < 0:
            raise ValueError("slope and saturation of a CDL can't be negative, and power must be above 0")

    @property
    def neutral(self) -> bool:
        return self == Cdl()

    def apply(self, rgb: Floats, clamp: bool = False) -> Floats:
        """Grade (..., 3) values.

        With `clamp`, results are held in 0..1 before power and at the end, as the standard says. Without it nothing is
        clamped, and power leaves values at or below 0 as they are (what OpenColorIO calls the no-clamp style).
        """
        kind = rgb.dtype.type
        out = rgb * np.asarray(self.slope, kind) + np.asarray(self.offset, kind)
        if clamp:
            out = np.clip(out, 0, 1)
        if self.power != (1.0, 1.0, 1.0):
            out = np.where(out > 0, np.power(np.maximum(out, kind(1e-30)), np.asarray(self.power, kind)), out)
        if self.saturation != 1.0:
            luma = (out @ np.asarray(LUMA, kind))[..., None]
            out = luma + kind(self.saturation) * (out - luma)
        return np.clip(out, 0, 1) if clamp else out
