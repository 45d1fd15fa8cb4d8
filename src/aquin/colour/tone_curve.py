"""The tone curve: five tones moved in ACEScct, the same for each channel; a monotone cubic (PCHIP) between them.

Beyond the outer tones the curve goes on with slope 1, so that nothing is ever clipped by it: above the lightest one
that is a gain, below the darkest one, where ACEScct is straight, the same light is added everywhere.
"""

from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from aquin.arrays import Float64, Floats
from aquin.colour import acescct
from aquin.colour.even_table import EvenTable
from aquin.colour.pchip import Pchip

Five = tuple[float, float, float, float, float]
STOPS = (-5.0, -2.5, 0.0, 2.0, 4.0)
"""The tones, in stops from 18 % grey."""
_TABLE = 1024


def _placed(stops: Floats) -> Float64:
    """ACEScct of tones that many stops from 18 % grey, also where its curve is straight and a stop is no fixed step."""
    return np.asarray(acescct.encode(0.18 * np.exp2(np.asarray(stops, np.float64))), np.float64)


AT = _placed(np.asarray(STOPS))


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
    def _table(self) -> EvenTable:
        """By how much ACEScct is moved: beyond the outer tones by as much as they are."""
        x = np.linspace(AT[0], AT[-1], _TABLE)
        return EvenTable(float(x[0]), float(x[-1]), acescct.STOP * moved_by(np.array([self.lift]), x)[0])

    def apply(self, log: Floats) -> Floats:
        """(..., 3) ACEScct; the float type is kept."""
        return np.asarray(log + self._table(log), log.dtype)


def moving(log: Floats) -> Callable[[Float64], Float64]:
    """How (k, 5) lifts become (k, *log.shape) by how much ACEScct values are moved, in its stops (1 / 17.52)."""
    inside = np.clip(log, AT[0], AT[-1])
    curve = Pchip(AT, inside.ravel())

    def moved(lifts: Float64) -> Float64:
        places = curve(_placed(np.asarray(STOPS) + lifts)).reshape(-1, *inside.shape)
        return np.asarray((places - inside) / acescct.STOP, np.float64)

    return moved


def moved_by(lifts: Float64, log: Floats) -> Float64:
    """(k, 5) lifts to (k, *log.shape), as `moving`."""
    return moving(log)(lifts)
