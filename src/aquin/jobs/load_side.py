"""Open one side of a comparison: its file as the person understands it, a frame in scene-linear, and the chart where
there is one.
"""

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from itertools import count
from typing import Any, Literal

import numpy as np

from aquin.arrays import Float32, Float64
from aquin.charts.layout import Layout
from aquin.charts.read import Reading, read_chart
from aquin.colour.config import ColourConfig
from aquin.errors import AquinError
from aquin.frames import Decode, Frame, Matrix, Range
from aquin.measure.clip import Clip

Role = Literal["hero", "shot"]
ROLES: tuple[Role, Role] = ("hero", "shot")
At = tuple[float, float]
"""A place as shares of a picture's width and height."""
_SERIALS = count()


@dataclass(frozen=True)
class Side:
    """How one side is opened: everything that a session needs to open it again. An empty `encoding`: it is not known
    yet.
    """

    file: str
    encoding: str
    frame: int | None = None
    matrix: Matrix | None = None
    range: Range | None = None
    corners: tuple[tuple[float, float], ...] | None = None
    """Corners set by hand; None lets the chart be found."""
    raw: tuple[tuple[str, Any], ...] = ()
    """How a raw still is developed, and which of a file's pictures is meant (`Decode.values`); empty as usual."""
    shot_id: str = ""
    """The production's shot that it is; empty for a file that was opened by hand."""


@dataclass(frozen=True)
class Loaded:
    """One side as read: the clip, its frame, scene-linear pixels, and the chart if there is one. `looked`: whether
    one was looked for.
    """

    side: Side
    clip: Clip
    frame: Frame
    linear: Float32
    reading: Reading | None = None
    looked: bool = False
    serial: int = field(default_factory=lambda: next(_SERIALS), compare=False)
    """Names these pixels among all that were ever read: an object's own id comes back when another has gone."""

    @property
    def key(self) -> tuple[object, ...]:
        """Which pixels these are."""
        return key_of(self.side)


def key_of(side: Side) -> tuple[object, ...]:
    """What decides a side's pixels, apart from the configuration."""
    return side.file, side.encoding, side.frame, side.matrix, side.range, side.raw


def with_layer(raw: tuple[tuple[str, Any], ...], layer: str) -> tuple[tuple[str, Any], ...]:
    """A side's decoding with this picture of its file; empty for the likeliest one."""
    decode = replace(Decode.of(dict(raw)), layer=layer)
    return () if decode == Decode() else tuple(decode.values().items())


def open_side(side: Side, config: ColourConfig) -> Loaded:
    """Open and decode one frame: some tens of milliseconds, for a worker. Raises AquinError."""
    if not side.encoding:
        raise AquinError("how it was recorded is not known", None, "Choose its encoding")
    raw = Decode.of(dict(side.raw)) if side.raw else None
    clip = Clip.open(side.file, side.encoding, config, side.matrix, side.range, raw)
    frame, linear = clip.read(side.frame)
    return Loaded(replace(side, frame=frame.number), clip, frame, linear)


def with_chart(loaded: Loaded, chart: Layout) -> Loaded:
    """Find the chart, or read it where its corners were set: slow (seconds where there is none), for a worker. Raises
    AquinError.
    """
    if loaded.looked:
        return loaded
    side = loaded.side
    corners = None if side.corners is None else np.array(side.corners, np.float64)
    reading = read_chart(loaded.frame.rgb, loaded.clip.to_linear, chart, corners)
    return replace(loaded, reading=reading, looked=True)


def load_side(side: Side, config: ColourConfig, chart: Layout) -> Loaded:
    """Open, decode, find and read, all at once. Raises AquinError."""
    return with_chart(open_side(side, config), chart)


def reread(loaded: Loaded, corners: Float64, chart: Layout) -> Loaded:
    """Read the chart again at corners set by hand, (4, 2) pixels. Raises AquinError for corners that make no chart."""
    reading = read_chart(loaded.frame.rgb, loaded.clip.to_linear, chart, corners)
    rows = tuple((float(x), float(y)) for x, y in corners)
    return replace(loaded, reading=reading, looked=True, side=replace(loaded.side, corners=rows))


def colour_at(loaded: Loaded, at: At) -> Float64:
    """(3,) mean scene-linear AP1 of 7 by 7 pixels about a place."""
    h, w = loaded.linear.shape[:2]
    x, y = (int(np.clip(round(v * n), 3, n - 4)) for v, n in zip(at, (w, h), strict=True))
    return np.asarray(loaded.linear[y - 3 : y + 4, x - 3 : x + 4].reshape(-1, 3).mean(axis=0), np.float64)


def size_of(loaded: Mapping[Any, Loaded]) -> int:
    """Bytes that loaded frames hold."""
    return sum(k.linear.nbytes + k.frame.rgb.nbytes for k in loaded.values())
