"""Pictures of a chart as an invented camera records them."""

from pathlib import Path

import numpy as np

from aquin.charts.layout import Layout
from aquin.colour.encoding import LogCurve
from aquin.simulate.film import write_still
from series import TURN

CURVE = LogCurve(0.247, 5.6, 0.052, 0.386, 0.0107)


def still(path: Path, layout: Layout, stops: float, seed: int = 0, card: bool = True) -> Path:
    """A chart on its body before an even wall, by a camera with a curve and a matrix of its own, 16 bit."""
    random = np.random.default_rng(seed + 100 + round(10 * stops))
    picture = np.full((400, 600, 3), 0.12)
    if card:
        picture[40:360, 60:540] = 0.036
        labels = layout.labels(420, 277)
        picture[61:338, 90:510] = np.concatenate([layout.ap1, np.full((1, 3), 0.036)])[labels]
    camera = picture @ np.linalg.inv(TURN).T * 2.0**stops
    signal = np.clip(CURVE.encode(camera) + random.normal(0, 0.0015, camera.shape), 0, 1)
    codes = np.round(signal * 65535).astype(np.uint16)
    write_still(path, codes, None, "A001", "uint16")
    return path
