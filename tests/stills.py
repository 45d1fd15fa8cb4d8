"""Pictures of a chart as an invented camera records them."""

import tempfile
from functools import lru_cache
from pathlib import Path

import numpy as np

from aquin.charts.layout import Layout
from aquin.colour.encoding import LogCurve
from aquin.simulate.film import write_still
from series import TURN

CURVE = LogCurve(0.247, 5.6, 0.052, 0.386, 0.0107)


def still(path: Path, layout: Layout, stops: float, seed: int = 0, card: bool = True) -> Path:
    """A chart on its body before an even wall, by a camera with a curve and a matrix of its own, 16 bit."""
    path.write_bytes(_content(layout, stops, seed, card, path.suffix))
    return path


@lru_cache(maxsize=64)
def _content(layout: Layout, stops: float, seed: int, card: bool, suffix: str) -> bytes:
    random = np.random.default_rng(seed + 100 + round(10 * stops))
    picture = np.full((400, 600, 3), 0.12)
    if card:
        picture[40:360, 60:540] = 0.036
        labels = layout.labels(420, 277)
        picture[61:338, 90:510] = np.concatenate([layout.ap1, np.full((1, 3), 0.036)])[labels]
    camera = picture @ np.linalg.inv(TURN).T * 2.0**stops
    signal = np.clip(CURVE.encode(camera) + random.normal(0, 0.0015, camera.shape), 0, 1)
    codes = np.round(signal * 65535).astype(np.uint16)
    with tempfile.TemporaryDirectory() as folder:
        write_still(Path(folder) / f"still{suffix}", codes, None, "A001", "uint16")
        return (Path(folder) / f"still{suffix}").read_bytes()
