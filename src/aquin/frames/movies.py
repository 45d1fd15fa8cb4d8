"""Movies through PyAV: exact planes at their own bit depth, then our own YCbCr to RGB in float."""

from dataclasses import dataclass, field
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np

from aquin.errors import AquinError
from aquin.frames.model import Frame, Matrix, Origin, Range, Signal, Source, check_size, tame
from aquin.frames.ycbcr import Planes, thinned, to_rgb

# ITU-T H.273 table 4 (matrix coefficients)
_MATRICES: dict[int, Matrix] = {0: "rgb", 1: "bt709", 5: "bt601", 6: "bt601", 9: "bt2020"}
_DAMAGED = "Copy it again from its card"


@dataclass
class MovieSource(Source):
    """A movie. Seeks to the key frame before the wanted one, then decodes up to it, so that numbers are exact."""

    kind: str = "movie"
    _container: Any = field(default=None, repr=False)
    _decoded: Any = field(default=None, repr=False)
    _next: int = field(default=-1, repr=False)
    _zero: int = field(default=0, repr=False)

    def read(self, number: int) -> Frame:
        return self.read_thinned(number, 1)

    def read_thinned(self, number: int, step: int) -> Frame:
        planes, damage = self._planes(number)
        if step > 1:
            planes = thinned(planes, step)
        rgb, warnings = tame(to_rgb(planes, self.signal.matrix, self.signal.range), self.path)
        return Frame(rgb, number, self.timecode(number), self.signal, warnings + damage)

    def decodes(self, number: int) -> tuple[str, ...]:
        return self._planes(number)[1]

    def _planes(self, number: int) -> tuple[Planes, tuple[str, ...]]:
        """The picture as stored, and whether the file is damaged there."""
        self.check(number)
        try:
            picture = self.find(number)
            planes = planes_of(picture)
        except (av.FFmpegError, OSError, ValueError, IndexError) as error:
            self.close()
            raise AquinError(
                f"frame {number} can't be decoded ({_text(error)})", self.path, _DAMAGED
            ) from error
        if planes.luma.shape != (self.height, self.width):
            raise AquinError(f"frame {number} changes size", self.path, _DAMAGED)
        return planes, (f"frame {number} is damaged in the file",) if picture.is_corrupt else ()

    def close(self) -> None:
        if self._container is not None:
            self._container.close()
        self._container = self._decoded = None
        self._next = -1

    def find(self, number: int) -> Any:
        """The decoded picture with this number."""
        if self._container is None:
            self._container = _open(self.path)
        stream = self._container.streams.video[0]
        if self._decoded is None or not self._next <= number <= self._next + 24:
            back = 0
            while True:  # a seek may land after the frame it was asked for: then ask for an earlier one
                wanted = max(number - back, 0)
                self._container.seek(
                    self._zero + self._ticks(wanted, stream), stream=stream, backward=True, any_frame=False
                )
                self._decoded = self._container.decode(stream)
                picture = next(self._decoded, None)
                here = self._number_of(picture, stream) if picture is not None else number + 1
                if here <= number or wanted == 0:
                    break
                back = max(12, back * 4)
            if here == number and picture is not None:
                self._next = number + 1
                return picture
        for picture in self._decoded:
            here = self._number_of(picture, stream)
            self._next = here + 1
            if here == number:
                return picture
            if here > number:
                break
        self._decoded = None
        raise AquinError(
            f"frame {number} is not in the file, which ends early or skips it", self.path, _DAMAGED
        )

    def _ticks(self, number: int, stream: Any) -> int:
        assert self.rate
        ticks: int = round(number / self.rate / stream.time_base)
        return ticks

    def _number_of(self, picture: Any, stream: Any) -> int:
        assert self.rate
        number: int = round((picture.pts - self._zero) * stream.time_base * self.rate)
        return number


def open_movie(path: Path, matrix: Matrix | None, range: Range | None) -> MovieSource:
    """Open a movie and decode its first frame for the facts. Raises AquinError."""
    container = _open(path)
    try:
        if not container.streams.video:
            raise AquinError("there is no picture in this file", path, "Choose a movie file")
        stream = container.streams.video[0]
        rate = stream.average_rate or stream.guessed_rate
        if not rate:
            raise AquinError("the file does not say its frame rate", path, "Wrap it again with a frame rate")
        picture = next(container.decode(stream), None)
        if picture is None or picture.pts is None:
            raise AquinError("no frame can be decoded", path, _DAMAGED)
        check_size(picture.width, picture.height, path)
        tags = [container.metadata, stream.metadata, *(s.metadata for s in container.streams.data)]
        metadata = {key.lower(): value for group in reversed(tags) for key, value in group.items()}
        start = metadata.get("timecode")
        metadata["codec"] = stream.codec_context.name
        count = stream.frames or _count(path)
        if container.duration:
            metadata["claimed frames"] = str(round(container.duration * Fraction(rate) / av.time_base))
        signal = _signal(picture).overridden(matrix, range)
    except (av.FFmpegError, OSError) as error:
        container.close()
        raise AquinError(f"the movie is damaged ({_text(error)})", path, _DAMAGED) from error
    except AquinError:
        container.close()
        raise
    if matrix == "rgb" and _signal(picture).matrix != "rgb":
        container.close()
        raise AquinError("the file holds YCbCr, so a matrix is needed", path, "Choose bt601, bt709 or bt2020")
    return MovieSource(
        path,
        picture.width,
        picture.height,
        signal,
        0,
        max(count, 1) - 1,
        Fraction(rate),
        start,
        metadata=metadata,
        _container=container,  # stays open: opening is a good part of reading one frame
        _zero=picture.pts,
    )


def planes_of(picture: Any) -> Planes:
    """The planes of a decoded picture as integers, at the depth of the file and without any conversion of values."""
    form = picture.format
    bits = max(c.bits for c in form.components)
    depth = bits if bits in (8, 9, 10, 12, 14, 16) else 16
    if form.is_rgb:
        name = "gbrp" if depth == 8 else f"gbrp{depth}le"
    elif len(form.components) == 1:
        name = "gray" if depth == 8 else f"gray{depth}le"
    else:
        sub = {(1, 1): "444", (2, 1): "422", (2, 2): "420", (4, 1): "411", (1, 2): "440"}
        ratio = (
            -(-picture.width // form.chroma_width(picture.width)),
            -(-picture.height // form.chroma_height(picture.height)),
        )
        name = f"yuv{sub[ratio]}p" + ("" if depth == 8 else f"{depth}le")
    if form.name not in (name, name.replace("yuv", "yuvj")):
        picture = picture.reformat(format=name)  # another packing of the same samples
    kind = np.uint8 if depth == 8 else np.dtype("<u2")
    planes = [
        np.frombuffer(p, kind).reshape(p.height, -1)[:, : p.width]
        for p in picture.planes[: 1 if name.startswith("gray") else 3]
    ]
    if name.startswith("gray"):
        return Planes(planes[0], None, None, depth, False)
    if form.is_rgb:
        green, blue, red = planes
        return Planes(green, blue, red, depth, True)
    return Planes(planes[0], planes[1], planes[2], depth, False)


def _signal(picture: Any) -> Signal:
    bits = max(c.bits for c in picture.format.components)
    if picture.format.is_rgb:
        known = picture.color_range == 1
        return Signal(
            "rgb", "legal" if known else "full", bits, "file", "file" if picture.color_range else "assumed"
        )
    matrix_from: Origin = "file"
    matrix = _MATRICES.get(int(picture.colorspace))
    if matrix in (None, "rgb"):
        matrix, matrix_from = ("bt601" if picture.height <= 576 else "bt709"), "assumed"
    wide = int(picture.color_range) == 2 or picture.format.name.startswith("yuvj")
    said = wide or int(picture.color_range) == 1
    return Signal(matrix, "full" if wide else "legal", bits, matrix_from, "file" if said else "assumed")


def _open(path: Path) -> Any:
    try:
        container = av.open(str(path))
    except (av.FFmpegError, OSError, ValueError) as error:
        raise AquinError(f"the movie can't be opened ({_text(error)})", path, _DAMAGED) from error
    for stream in container.streams.video:
        stream.thread_type = "AUTO"
    return container


def _count(path: Path) -> int:
    """Number of pictures, by walking the packets without decoding them (for containers that do not say)."""
    with _open(path) as container:
        stream = container.streams.video[0]
        return sum(1 for packet in container.demux(stream) if packet.size)


def _text(error: Exception) -> str:
    return str(getattr(error, "strerror", None) or error)
