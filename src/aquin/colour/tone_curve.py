"""The tone curve: five tones moved in ACEScct, the same for each channel; a monotone cubic (PCHIP) between them.

Beyond the outer tones the curve goes on with slope 1, so that nothing is ever clipped by it.
"""

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from aquin.arrays import Float64, Floats
from aquin.colour import acescct

Five = tuple[float, float, float, float, float]
STOPS = (-5.0, -2.5, 0.0, 2.0, 4.0)
"""The tones, in stops from 18 % grey."""
AT = acescct.GREY + np.array(STOPS) * acescct.STOP
_TABLE = 1024
_REACH = 8.0 * acescct.STOP
"""How far beyond the outer tones the table reaches; from there on slope 1 is exact anyway."""


@dataclass(frozen=True)
class ToneCurve:
    """`lift`: stops by which each of the five tones is moved. Raises ValueError where tones would change places."""

    lift: Five = (0.0,) * 5

    def __post_init__(self) -> None:
        if len(self.lift) != 5 or not np.isfinite(self.lift).all():
            raise ValueError("a tone curve needs five numbers")
        if (np.diff(np.array(STOPS) + self.lift) < 0.2).any():
            raise ValueError("the tones of a curve must stay in their order")

    @cached_property
    def _table(self) -> tuple[Float64, Float64]:
        x = np.linspace(AT[0] - _REACH, AT[-1] + _REACH, _TABLE)
        return x, x + acescct.STOP * moved_by(np.array([self.lift]), x)[0]

    def apply(self, log: Floats) -> Floats:
        """(..., 3) ACEScct; the float type is kept."""
        x, y = self._table
        out = np.interp(log, x, y).astype(log.dtype)
        outside = (log < x[0]) | (log > x[-1])
        if outside.any():
            ends = np.where(log < x[0], y[0] - x[0], y[-1] - x[-1])
            out = np.where(outside, log + ends, out).astype(log.dtype)
        return np.asarray(out)


def moved_by(lifts: Float64, log: Floats) -> Float64:
    """(k, 5) lifts to (k, *log.shape) stops by which ACEScct values are moved."""
    from scipy.interpolate import PchipInterpolator  # heavy; a grade without a curve needs none

    inside = np.clip(log, AT[0], AT[-1])
    places = AT[None] + acescct.STOP * lifts
    out = [PchipInterpolator(AT, row)(inside) - inside for row in places]
    return np.asarray(np.stack(out) / acescct.STOP, np.float64)
