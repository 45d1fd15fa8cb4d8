"""A table before a cube that bends each channel as the transform bends greys, so that the cube's points lie where the
transform does something.
"""

from collections.abc import Callable

import numpy as np

from aquin.arrays import Floats
from aquin.exchange.cube import Shaper

ENTRIES = 16_385
EVEN = 0.2
"""The share of the table that goes straight on, so that it rises where greys are held: black, white."""


def by_greys(
    transform: Callable[[Floats], Floats], low: float, high: float
) -> tuple[Shaper, Callable[[Floats], Floats]]:
    """The table over `low` to `high`, and the transform as a function of (..., 3) that the table gives."""
    even = np.linspace(low, high, ENTRIES)
    seen = np.asarray(transform(np.repeat(even[:, None], 3, axis=1)), np.float64)
    rising = np.maximum.accumulate(np.clip(seen, *_held(seen)), axis=0)
    first, span = rising[0], np.maximum(np.ptp(rising, axis=0), 1e-9)
    straight = np.linspace(0, 1, ENTRIES)[:, None]
    values = (1 - EVEN) * (rising - first) / span + EVEN * straight
    values = (values - values[0]) / (values[-1] - values[0])

    def rest(given: Floats) -> Floats:
        back = [np.interp(given[..., k], values[:, k], even) for k in range(3)]
        return transform(np.stack(back, axis=-1))

    return Shaper(low, high, values), rest


def _held(seen: Floats) -> tuple[float, float]:
    """What the table bends along: nothing beyond what a picture needs."""
    return float(max(seen.min(), -0.5)), float(min(seen.max(), 2.0))
