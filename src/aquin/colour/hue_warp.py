"""The hue warp: hue turned and saturation scaled by hue, in ACEScct; neutrals and luma never move.

Hue is the angle in the plane square to the grey axis, red at 0, yellow 60, green 120 degrees. Between the six nodes
a periodic monotone cubic (PCHIP; Fritsch & Carlson 1980) goes on. In the log part of ACEScct the warp does not
depend on exposure.
"""

from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from aquin.arrays import Float64, Floats
from aquin.colour.cdl import LUMA
from aquin.colour.even_table import EvenTable
from aquin.colour.pchip import Pchip

Six = tuple[float, float, float, float, float, float]
MOST_TURN = 19.0
"""Degrees that a node may turn. Between nodes 60 degrees apart the cubic is at most half again as steep as a line,
so that even opposite turns of neighbours never let two hues change places.
"""

_TABLE = 720
_RED = np.array([2.0, -1.0, -1.0]) / np.sqrt(6)
_SIDE = np.array([0.0, 1.0, -1.0]) / np.sqrt(2)
AXES = (_RED, _SIDE)
"""Unit vectors of the chroma plane: along red, and square to it."""


@dataclass(frozen=True)
class HueWarp:
    """`turn`: degrees, `scale`: factor of saturation, at red, yellow, green, cyan, blue and magenta.

    Raises ValueError for turns beyond 19 degrees, and for scales that are negative or above 4.
    """

    turn: Six = (0.0,) * 6
    scale: Six = (1.0,) * 6

    def __post_init__(self) -> None:
        if len(self.turn) != 6 or len(self.scale) != 6 or not np.isfinite([*self.turn, *self.scale]).all():
            raise ValueError("a hue warp needs six turns and six scales")
        if max(abs(t) for t in self.turn) > MOST_TURN + 1e-9:
            raise ValueError(f"a hue can't be turned by more than {MOST_TURN:g} degrees")
        if min(self.scale) < 0 or max(self.scale) > 4:
            raise ValueError("a saturation scale must lie between 0 and 4")

    @cached_property
    def _table(self) -> EvenTable:
        at = np.linspace(0, 360, _TABLE + 1)
        turn, scale = between(at)(np.array([self.turn, self.scale]))
        angle = np.radians(turn)
        return EvenTable(0.0, 2 * np.pi, np.stack([scale * np.cos(angle), scale * np.sin(angle)]))

    def apply(self, log: Floats) -> Floats:
        """(..., 3) ACEScct; the float type is kept."""
        kind = log.dtype.type
        x, y = log @ _RED.astype(kind), log @ _SIDE.astype(kind)
        cosine, sine = self._table(np.arctan2(y, x) % kind(2 * np.pi))
        return moved(log, x, y, cosine, sine)


def between(degrees: Floats) -> Callable[[Floats], Float64]:
    """How (k, 6) node values become (k, n) values at (n,) hues in degrees."""
    curve = Pchip(np.arange(-120, 481, 60.0), np.asarray(degrees) % 360)
    return lambda nodes: curve(np.concatenate([nodes[..., -2:], nodes, nodes[..., :3]], axis=-1))


def hue_of(log: Floats) -> Float64:
    """(..., 3) ACEScct to hue in degrees, 0 to 360."""
    return np.asarray(np.degrees(np.arctan2(log @ _SIDE, log @ _RED)) % 360, np.float64)


def moved(log: Floats, x: Floats, y: Floats, cosine: Floats, sine: Floats) -> Floats:
    """Colours with their chroma (x, y) turned and scaled by (cosine, sine), luma kept. Broadcasts over leading axes."""
    kind = log.dtype.type
    red, side, luma = _RED.astype(kind), _SIDE.astype(kind), np.asarray(LUMA, kind)
    dx, dy = cosine * x - sine * y - x, sine * x + cosine * y - y
    step = dx[..., None] * red + dy[..., None] * side
    return np.asarray(log + step - (step @ luma)[..., None])


def planes(log: Floats) -> tuple[Float64, Float64]:
    """The chroma plane of (..., 3) ACEScct: along red, and square to it."""
    return np.asarray(log @ _RED, np.float64), np.asarray(log @ _SIDE, np.float64)
