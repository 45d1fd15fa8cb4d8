"""Array types and sums over channels, shared by every room."""

from typing import Any, TypeAlias

import numpy as np
from numpy.typing import NDArray

Floats: TypeAlias = NDArray[np.floating[Any]]
Float32: TypeAlias = NDArray[np.float32]
Float64: TypeAlias = NDArray[np.float64]
Complex128: TypeAlias = NDArray[np.complex128]


def all_three(mask: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """(..., 3) to (...): all channels. Many times faster than `mask.all(-1)`, which walks three by three."""
    return mask[..., 0] & mask[..., 1] & mask[..., 2]


def any_of_three(mask: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """(..., 3) to (...): any channel."""
    return mask[..., 0] | mask[..., 1] | mask[..., 2]


def mean_of_three(rgb: Float32) -> Float32:
    """(..., 3) to (...): the mean of the channels."""
    return np.asarray((rgb[..., 0] + rgb[..., 1] + rgb[..., 2]) * np.float32(1 / 3), np.float32)
