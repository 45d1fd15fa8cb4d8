"""Things that are filmed to be measured: the 24-patch chart, a grey card, the crossed wedge, the video chart."""

from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from aquin.arrays import Float64
from aquin.simulate import spectra
from aquin.simulate.materials import SKINS, like
from aquin.simulate.skin import skin

CELL = 24
"""Half the side of a patch of the video chart in the label picture."""


@dataclass(frozen=True)
class Target:
    """A flat target: `labels` (h, w) rows of `reflectances` (n, 81); `size` in metres.

    `corners`: the outer corners of its patch field as shares of width and height, from the first patch clockwise.
    """

    name: str
    labels: np.ndarray
    reflectances: Float64
    size: tuple[float, float]
    corners: tuple[tuple[float, float], ...]


def _field(
    labels: np.ndarray, rows: tuple[int, int], columns: tuple[int, int]
) -> tuple[tuple[float, float], ...]:
    high, wide = labels.shape
    top, bottom, left, right = rows[0] / high, rows[1] / high, columns[0] / wide, columns[1] / wide
    return ((left, top), (right, top), (right, bottom), (left, bottom))


_BODY = np.full(len(spectra.NM), 0.032)


@lru_cache(maxsize=1)
def chart24() -> Target:
    """The 24-patch chart, ISO 17321-1 reflectances, patches at 0.86 of their pitch on a dark body."""
    side, gap, rim = 43, 7, 16
    pitch = side + gap
    high, wide = 4 * pitch - gap + 2 * rim, 6 * pitch - gap + 2 * rim
    labels = np.full((high, wide), 24, np.int16)
    for k in range(24):
        y, x = rim + k // 6 * pitch, rim + k % 6 * pitch
        labels[y : y + side, x : x + side] = k
    corners = _field(labels, (rim, high - rim), (rim, wide - rim))
    return Target(
        "24-patch",
        labels,
        np.concatenate([spectra.chart_reflectances(), _BODY[None]]),
        (0.52, 0.52 * high / wide),
        corners,
    )


@lru_cache(maxsize=1)
def grey_card() -> Target:
    """An 18 % card with a white and a black strip below."""
    labels = np.zeros((120, 160), np.int16)
    labels[96:108, 10:78], labels[96:108, 82:150] = 1, 2
    flat = np.stack([np.full(len(spectra.NM), level) for level in (0.18, 0.90, 0.035)])
    return Target("grey card", labels, flat, (0.36, 0.27), _field(labels, (0, 92), (0, 160)))


def wedge_steps() -> Float64:
    """(11,) reflectances of the wedge from dark to light: equal steps of the BT.709 signal from 3 % to 90 %."""
    low, high = (1.099 * np.array([0.03, 0.90]) ** 0.45 - 0.099).tolist()
    return np.asarray(((np.linspace(low, high, 11) + 0.099) / 1.099) ** (1 / 0.45))


@lru_cache(maxsize=1)
def crossed_wedge() -> Target:
    """Two rows of eleven grey steps that run against each other, on an 18 % field."""
    rim, step, tall = 16, 22, 44
    labels = np.full((2 * tall + 3 * rim, 11 * step + 2 * rim), 11, np.int16)
    for k in range(11):
        x = rim + k * step
        labels[rim : rim + tall, x : x + step] = k
        labels[2 * rim + tall : 2 * rim + 2 * tall, x : x + step] = 10 - k
    levels = np.concatenate([wedge_steps(), [0.18]])
    high, wide = labels.shape
    return Target(
        "crossed wedge",
        labels,
        np.repeat(levels[:, None], len(spectra.NM), 1),
        (0.52, 0.52 * high / wide),
        _field(labels, (rim, high - rim), (rim, wide - rim)),
    )


VIDEO_PRIMARIES = ("red", "yellow", "green", "cyan", "blue", "magenta")
_FULL = {
    "red": (1, 0, 0),
    "yellow": (1, 1, 0),
    "green": (0, 1, 0),
    "cyan": (0, 1, 1),
    "blue": (0, 0, 1),
    "magenta": (1, 0, 1),
}


def video_colour(name: str, saturation: float = 0.45, level: float = 0.42) -> tuple[float, float, float]:
    """Linear BT.709 RGB of a primary or secondary whose *signal* is mixed with grey, so that its hue angle stays the
    same.
    """
    grey = 1.099 * (0.32 * level / 0.42) ** 0.45 - 0.099
    luma = float(np.dot(_FULL[name], (0.2126, 0.7152, 0.0722)))
    signal = grey + saturation * grey * (np.array(_FULL[name]) - luma)
    linear = ((np.maximum(signal, 0.081) + 0.099) / 1.099) ** (1 / 0.45)
    return float(linear[0]), float(linear[1]), float(linear[2])


@lru_cache(maxsize=1)
def video_chart() -> Target:
    """Six primaries and secondaries on the BT.709 hue angles, four skins from light to dark, and white, grey, black."""
    colours = [like(*video_colour(name)) for name in VIDEO_PRIMARIES]
    skins = [skin(*SKINS[name]) for name in ("pale", "olive", "brown", "deep")]
    greys = [np.full(len(spectra.NM), level) for level in (0.90, 0.18, 0.035)]
    gap, rim = 6, 12
    pitch = CELL * 2 + gap
    labels = np.full((3 * pitch - gap + 2 * rim, 6 * pitch - gap + 2 * rim), 13, np.int16)
    for k in range(6):
        labels[rim : rim + 2 * CELL, rim + k * pitch : rim + k * pitch + 2 * CELL] = k
    for k in range(4):
        x = rim + round(k * 1.5 * pitch)
        labels[rim + pitch : rim + pitch + 2 * CELL, x : x + round(1.5 * pitch) - gap] = 6 + k
    for k in range(3):
        x = rim + 2 * k * pitch
        labels[rim + 2 * pitch : rim + 2 * pitch + 2 * CELL, x : x + 2 * pitch - gap] = 10 + k
    high, wide = labels.shape
    return Target(
        "video chart",
        labels,
        np.stack([*colours, *skins, *greys, np.full(len(spectra.NM), 0.11)]),
        (0.52, 0.52 * high / wide),
        _field(labels, (rim, high - rim), (rim, wide - rim)),
    )


TARGETS = {
    "24-patch": chart24,
    "grey card": grey_card,
    "crossed wedge": crossed_wedge,
    "video chart": video_chart,
}
"""How to make each target."""
