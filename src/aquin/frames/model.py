"""What a source and a frame are, for whoever reads them."""

from abc import ABC, abstractmethod
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from fractions import Fraction
from pathlib import Path
from typing import Literal

import numpy as np

from aquin.arrays import Float32
from aquin.errors import AquinError
from aquin.frames.timecode import frames_of, timecode_of

Matrix = Literal["rgb", "bt601", "bt709", "bt2020"]
Range = Literal["full", "legal"]
Origin = Literal["file", "assumed", "user"]

MAX_SIDE = 32_768
MAX_PIXELS = 160_000_000


TRANSFER = "transfer characteristics"
"""Key of a movie's metadata: the code that it has for them in ITU-T H.273, table 3."""


PRIMARIES = "colour primaries"
"""The same for the code of its primaries, table 2."""


PICTURES = "pictures"
"""Key of a shot's metadata: the pictures that its file holds, one a line, where they are several."""


@dataclass(frozen=True)
class Signal:
    """How the numbers in a file are meant: the YCbCr matrix, the range, the bits, and who said so."""

    matrix: Matrix
    range: Range
    bits: int
    matrix_from: Origin = "file"
    range_from: Origin = "file"
    floating: bool = False
    """True when the file holds floating-point numbers, which have no range of codes."""

    def overridden(self, matrix: Matrix | None = None, range: Range | None = None) -> "Signal":
        """The same signal with the person's word in place of the file's."""
        return Signal(
            matrix or self.matrix,
            range or self.range,
            self.bits,
            "user" if matrix else self.matrix_from,
            "user" if range else self.range_from,
            self.floating,
        )


@dataclass(frozen=True)
class Frame:
    """One picture. `rgb`: (h, w, 3) float32, the file's own signal, 0 to 1 over the nominal range."""

    rgb: Float32
    number: int
    timecode: str | None
    signal: Signal
    warnings: tuple[str, ...] = ()


@dataclass
class Source(ABC):
    """Something that gives frames by number: a still, a numbered sequence, or a movie.

    `first` and `last` are frame numbers, both included; a still and a movie start at 0, a sequence at its lowest
    file number. `rate` is frames per second, or None where the file does not say. `start` is the timecode of `first`.
    """

    path: Path
    width: int
    height: int
    signal: Signal
    first: int
    last: int
    rate: Fraction | None = None
    start: str | None = None
    kind: str = "still"
    metadata: Mapping[str, str] = field(default_factory=dict)
    notes: tuple[str, ...] = ()
    """What one should know of the whole file: how its frames are spaced, what it says that is not read."""
    pictures: tuple[str, ...] = ()
    """The parts and layers that are pictures, where a file holds several: one of them is read."""
    named: int | None = None
    """The frame that the file's own name stands for, where a still of a sequence was named."""

    @property
    def usual(self) -> int:
        """The frame to show first."""
        return self.first if self.named is None else self.named

    @property
    def count(self) -> int:
        return self.last - self.first + 1

    @abstractmethod
    def read(self, number: int) -> Frame:
        """The frame with this number. Raises AquinError when there is none or when it can't be decoded."""

    def read_thinned(self, number: int, step: int) -> Frame:
        """Every `step`-th pixel of a frame, as `read` gives it; movies take them before they are converted, chroma
        from the nearest site.
        """
        frame = self.read(number)
        rgb = np.ascontiguousarray(frame.rgb[step // 2 :: step, step // 2 :: step])
        return replace(frame, rgb=rgb)

    def decodes(self, number: int) -> tuple[str, ...]:
        """Whether a frame can be decoded, and what is to be said about it. Raises AquinError as `read` does."""
        return self.read(number).warnings

    def close(self) -> None:  # noqa: B027 - a source without an open file has nothing to do
        """Let go of the file. Reading after this opens it again."""

    def timecode(self, number: int) -> str | None:
        """Timecode of a frame, or None where the file carries none."""
        if self.start is None or self.rate is None:
            return None
        return timecode_of(
            frames_of(self.start, self.rate) + number - self.first, self.rate, ";" in self.start
        )

    def number_at(self, timecode: str) -> int:
        """Frame number of a timecode. Raises AquinError outside the source or when it carries no timecode."""
        if self.start is None or self.rate is None:
            raise AquinError("the file carries no timecode", self.path, "Go to a frame by its number")
        number = self.first + frames_of(timecode, self.rate) - frames_of(self.start, self.rate)
        self.check(number)
        return number

    def check(self, number: int) -> None:
        if not self.first <= number <= self.last:
            raise AquinError(
                f"there is no frame {number}", self.path, f"Its frames are {self.first} to {self.last}"
            )


def check_size(width: int, height: int, path: Path) -> None:
    """Refuse empty and huge dimensions before any memory is asked for."""
    if width < 1 or height < 1:
        raise AquinError("the picture is empty", path, "Check the file in the program that wrote it")
    met = ""
    if max(width, height) > MAX_SIDE:
        met = f"a side of more than {MAX_SIDE} pixels"
    elif width * height > MAX_PIXELS:
        met = f"more than {MAX_PIXELS // 1_000_000} million pixels"
    if met:
        raise AquinError(
            f"the picture is {width} x {height}: {met} is more than Aquin reads", path, "Scale it down first"
        )


def tame(rgb: Float32, path: Path) -> tuple[Float32, tuple[str, ...]]:
    """Replace values of `rgb`, (h, w, 3), that are infinite by the largest of their channel, and pixels that are not
    numbers by 0, and count both; refuse a picture made mostly of them.
    """
    if np.isfinite(rgb).all():
        return rgb, ()
    said: tuple[str, ...] = ()
    bright = np.isposinf(rgb)
    if bright.any():
        rgb = rgb.copy()
        for k in range(rgb.shape[2]):
            channel = rgb[..., k]
            known = channel[np.isfinite(channel)]
            channel[bright[..., k]] = max(float(known.max()), 1.0) if known.size else 1.0
        said = (
            f"{int(bright.any(axis=2).sum())} pixels are infinitely bright; they read as the brightest ones",
        )
    if np.isfinite(rgb).all():
        return rgb, said
    bad = ~np.isfinite(rgb).all(axis=2)
    count = int(bad.sum())
    if count > 0.5 * bad.size:
        raise AquinError(
            "more than half of the pixels are not numbers (NaN or infinite)", path, "Render it again"
        )
    rgb = rgb.copy()
    rgb[bad] = 0.0
    return rgb, (*said, f"{count} pixels are not numbers (NaN or infinite); they read as 0")
