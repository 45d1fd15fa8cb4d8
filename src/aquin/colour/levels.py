"""Where grey, white and black of a camera encoding must sit in its signal."""

from dataclasses import dataclass

import numpy as np

from aquin.colour.config import ColourConfig

GREY, WHITE, BLACK = 0.18, 0.90, 0.0


@dataclass(frozen=True)
class Level:
    """A scene-linear level and its signal in per cent and as a full-range 10-bit code."""

    linear: float
    """Scene-linear, grey at 0.18."""
    signal: float
    """In per cent."""
    code10: int


@dataclass(frozen=True)
class Levels:
    """The exposure targets of one encoding. `stop_per_code10`: stops that one 10-bit code is worth at grey."""

    encoding: str
    grey: Level
    white: Level
    black: Level
    ceiling_linear: float
    ceiling_stops_above_grey: float
    stop_per_code10: float


def levels_of(config: ColourConfig, encoding: str) -> Levels:
    """Targets for 18 % grey, 90 % white, black (scene-linear 0) and the ceiling (signal 1). Raises AquinError."""
    name = config.resolve(encoding)
    there, back = config.from_linear(name), config.to_linear(name)

    def level(linear: float) -> Level:
        signal = float(there(np.full((1, 3), linear, np.float32))[0, 1])
        return Level(linear, 100 * signal, round(1023 * signal))

    ceiling = float(back(np.ones((1, 3), np.float32))[0, 1])
    grey = level(GREY)
    around = back(np.repeat(np.array([[-4.0], [4.0]], np.float32) / 1023 + grey.signal / 100, 3, axis=1))[
        :, 1
    ]
    stops = float(np.log2(around[1] / around[0])) / 8
    return Levels(
        name, grey, level(WHITE), level(BLACK), ceiling, float(np.log2(max(ceiling, 1e-9) / GREY)), stops
    )
