"""Where a recording is clipped."""

import numpy as np

from aquin.arrays import Float32, Float64


def clip_levels(rgb: Float32) -> tuple[Float64, Float64]:
    """(3,) floor and ceiling of the recording: where a channel piles up, else the ends of the signal.

    A pile is at least 0.1 % of the frame within one 10-bit code of its lowest or highest value, and ten times what
    lies in the code next to it.
    """
    few = rgb[:: max(rgb.shape[0] // 400, 1), :: max(rgb.shape[1] // 700, 1)].reshape(-1, 3)
    code = 1 / 1023
    planes = np.ascontiguousarray(few.T)
    low, high = planes.min(1).astype(np.float64), planes.max(1).astype(np.float64)
    floor, ceiling = np.minimum(low, 0.0) - 1.0, np.maximum(high, 1.0) + 1.0
    for k, plane in enumerate(planes):
        top, both = (np.count_nonzero(plane > high[k] - n * code) / len(plane) for n in (1, 2))
        next_top = both - top
        if top > 0.001 and top > 10 * next_top:
            ceiling[k] = high[k] - code
        end, both = (np.count_nonzero(plane < low[k] + n * code) / len(plane) for n in (1, 2))
        next_end = both - end
        if end > 0.001 and end > 10 * next_end:
            floor[k] = low[k] + code
    return floor, ceiling
