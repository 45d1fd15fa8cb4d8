"""One file with a chart in it, read in a worker: everything goes in and comes out as plain values."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from functools import lru_cache
from pathlib import Path
from typing import Any

import numpy as np

from aquin.arrays import Float32, Floats
from aquin.charts.latitude import Exposed, exposed
from aquin.charts.layout import layout
from aquin.charts.sweep import Sweep, Tell, numbers_of, sweep
from aquin.colour.config import ColourConfig, shared_config
from aquin.errors import AquinError
from aquin.frames import Decode, open_source

Corners = tuple[tuple[float, float], ...]


@dataclass(frozen=True)
class Take:
    """A file and how it is read. `encoding` may be empty where it is not known; light is then only guessed at.
    `corners`: of the chart in the first frame that is looked at; `still`: in all of them. `near`: about where it is,
    which only saves the search. `first` and `last`: the frames; all of them where
    None. `frame`: only this one.
    """

    path: Path
    encoding: str = ""
    layout: str = "24-patch"
    matrix: str = ""
    range: str = ""
    raw: Mapping[str, Any] = field(default_factory=dict)
    corners: Corners = ()
    frame: int | None = None
    first: int | None = None
    last: int | None = None
    most: int = 48
    config: Path | None = None
    label: str = ""
    still: bool = False
    near: Corners = ()


def unknown_light(rgb: Floats) -> Float32:
    """What stands in for an encoding that is not known, to tell light from dark: a power law as of displays.
    (h, w, 3) to (h, w, 3).
    """
    return np.asarray(np.maximum(rgb, 0) ** 2.2, np.float32)


def read_take(take: Take, tell: Tell | None = None) -> Sweep:
    """Look at the take's frames. Raises AquinError for what can't be read."""
    source = _source(take)
    try:
        if take.frame is not None:
            source.check(take.frame)
            numbers = [take.frame]
        else:
            first = source.first if take.first is None else take.first
            last = source.last if take.last is None else take.last
            for number in (first, last):
                source.check(number)
            numbers = numbers_of(first, last, take.most)
        corners = np.array(take.corners) if take.corners else None

        def frames() -> Any:
            trouble: AquinError | None = None
            some = False
            for number in numbers:
                try:
                    rgb = source.read(number).rgb
                except AquinError as error:
                    trouble = error
                    continue
                some = True
                yield number, rgb
            if not some and trouble is not None:
                raise trouble

        return sweep(
            frames(),
            to_linear_of(take),
            layout(take.layout),
            corners,
            len(numbers),
            tell,
            source.timecode,
            take.still,
            np.array(take.near) if take.near else None,
        )
    finally:
        source.close()


def expose(take: Take, seen: Sweep, stops: float, to_linear: Callable[[Floats], Float32]) -> Exposed:
    """Measure the pixels of a sweep's best frame. Raises AquinError without one. `to_linear` takes and gives
    (..., 3).
    """
    if seen.best is None or seen.best.reading is None:
        raise AquinError("no chart was found", take.path, "Mark its corners, or leave this exposure out")
    source = _source(take)
    rgb = source.read(seen.best.number).rgb
    bits = 12 if source.signal.floating else source.signal.bits
    source.close()
    return exposed(rgb, seen.best.reading, to_linear, stops, bits, take.label or take.path.name)


def to_linear_of(take: Take) -> Callable[[Floats], Float32]:
    """The take's signal to scene-linear AP1. Raises AquinError for an unknown encoding. It takes and gives
    (..., 3).
    """
    if not take.encoding:
        return unknown_light
    return shared_config(take.config).to_linear(take.encoding)


def _source(take: Take) -> Any:
    decode = Decode.of(take.raw) if take.raw else None
    return open_source(take.path, take.matrix or None, take.range or None, decode=decode)  # type: ignore[arg-type]


@lru_cache(maxsize=4)
def _config(path: Path | None) -> ColourConfig:
    return ColourConfig.load(path)
