"""A raw still of a chart, made for tests."""

from pathlib import Path

import numpy as np

from aquin.charts.layout import Layout
from aquin.colour.primaries import ACES_WHITE, xyz_of
from aquin.colour.white import adaptation, xy_at
from aquin.simulate.dng import write_dng

MATRIX = np.array([[0.9, -0.25, -0.08], [-0.45, 1.25, 0.22], [-0.05, 0.15, 0.7]])
"""XYZ to camera RGB of an invented camera."""
LEVEL = 0.5
WIDE, HIGH = 360, 240


def neutral_at(kelvin: float, duv: float = 0.0) -> np.ndarray:
    return np.asarray(MATRIX @ xyz_of(xy_at(1e6 / kelvin, duv)))


def put(path: Path, layout: Layout, kelvin: float = 4200.0, level: float = LEVEL) -> Path:
    """The chart under a light of this colour temperature, as a camera set to it records it."""
    xyz = layout.xyz @ adaptation(ACES_WHITE, xy_at(1e6 / kelvin, 0.0)).T
    camera = np.concatenate([xyz @ MATRIX.T * level, [[0.02] * 3]])
    neutral = neutral_at(kelvin)
    write_dng(path, camera[layout.labels(WIDE, HIGH)], MATRIX, neutral / neutral.max(), force=True)
    return path
