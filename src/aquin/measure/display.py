"""A display's signal as colours: for figures of the picture as it is seen, such as its mean chroma."""

import numpy as np

from aquin.arrays import Float64, Floats
from aquin.colour.difference import lab_of_xyz
from aquin.colour.primaries import rgb_to_xyz_matrix

GAMMA = 2.4
"""ITU-R BT.1886 with a black of nothing."""
BT709 = ((0.64, 0.33), (0.30, 0.60), (0.15, 0.06))
D65 = (0.3127, 0.3290)
"""CIE xy of ITU-R BT.709-6."""
BT709_TO_XYZ = rgb_to_xyz_matrix(BT709, D65)
_WHITE = BT709_TO_XYZ @ np.ones(3)


def lab_of_display(signal: Floats) -> Float64:
    """CIELAB of (..., 3) display signal taken for BT.1886 with BT.709 primaries, under its own white."""
    linear = np.clip(np.asarray(signal, np.float64), 0, 1) ** GAMMA
    return lab_of_xyz(linear @ BT709_TO_XYZ.T, _WHITE)


def chroma_of(signal: Floats) -> float:
    """Mean CIELAB chroma of (h, w, 3) display signal."""
    lab = lab_of_display(signal[::2, ::2])
    return float(np.hypot(lab[..., 1], lab[..., 2]).mean())
