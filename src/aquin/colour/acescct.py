"""ACEScct, the working log (Academy S-2016-001)."""

import numpy as np

from aquin.arrays import Floats

STOP = 1 / 17.52
"""One stop on the logarithmic part."""

BREAK_LINEAR = 0.0078125
BREAK_LOG = 0.155251141552511
_SLOPE, _OFFSET = 10.5402377416545, 0.0729055341958355

GREY = 0.4135884024924423
"""ACEScct value of scene-linear 0.18."""


def encode(linear: Floats) -> Floats:
    """Scene-linear AP1 to ACEScct, any shape; the float type is kept."""
    kind = linear.dtype.type
    log = np.maximum(linear, kind(BREAK_LINEAR))
    if not np.ndim(log):
        log = np.array(log)
    np.log2(log, out=log)
    log += kind(9.72)
    log *= kind(STOP)
    dark = linear <= kind(BREAK_LINEAR)
    if dark.any():
        np.copyto(log, linear * kind(_SLOPE) + kind(_OFFSET), where=dark)
    return log


def decode(log: Floats) -> Floats:
    """ACEScct to scene-linear AP1, any shape. Above the 65504 of the standard the curve simply goes on."""
    kind = log.dtype.type
    linear = np.exp2(np.minimum(log, kind(3)) * kind(17.52) - kind(9.72))
    return np.where(log <= kind(BREAK_LOG), (log - kind(_OFFSET)) * kind(1 / _SLOPE), linear)
