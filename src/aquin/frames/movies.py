"""Movies through PyAV: exact planes at their own bit depth, then our own YCbCr to RGB in float."""

import multiprocessing
from bisect import bisect_left, bisect_right
from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from fractions import Fraction
from functools import lru_cache
from pathlib import Path
from stat import S_ISREG
from typing import Any

import av
import numpy as np

from aquin.errors import AquinError
from aquin.frames.chroma_site import LEFT, LOCAL, Site, name_of, site_of
from aquin.frames.model import (
    PRIMARIES,
    TRANSFER,
    Frame,
    Matrix,
    Origin,
    Range,
    Signal,
    Source,
    check_size,
    tame,
)
from aquin.frames.timecode import frames_of, timecode_of, usual_rate
from aquin.frames.ycbcr import Planes, thinned, to_rgb

# ITU-T H.273 table 4 (matrix coefficients)
_MATRICES: dict[int, Matrix] = {0: "rgb", 1: "bt709", 5: "bt601", 6: "bt601", 9: "bt2020"}
_ASSUMED: dict[int, Matrix] = {1: "bt709", 5: "bt601", 6: "bt601", 9: "bt2020"}
"""What primaries (H.273 table 2) say of a matrix that is not named."""
_OTHER = {
    4: "FCC 73.682",
    7: "SMPTE 240M",
    8: "YCgCo",
    10: "BT.2020 with constant luminance",
    11: "SMPTE 2085",
    12: "derived from the primaries",
    13: "derived from the primaries with constant luminance",
    14: "ICtCp",
}
"""Matrices of H.273 that are not decoded."""
UNSPECIFIED = 2
"""In H.273: nothing is said."""
_DAMAGED = "Copy it again from its card"


@dataclass
class MovieSource(Source):
    """A movie. Seeks to the key frame before the wanted one, then decodes up to it, so that numbers are exact."""

    kind: str = "movie"
    _container: Any = field(default=None, repr=False)
    _decoded: Any = field(default=None, repr=False)
    _next: int = field(default=-1, repr=False)
    _zero: int = field(default=0, repr=False)
    _pace: Fraction = field(default=Fraction(0), repr=False)
    """Frames a second as the file has them on average, which numbers are counted by."""
    _times: Sequence[int] | None = field(default=None, repr=False)
    """Where frames are not evenly spaced: the time of each."""
    _keys: list[int] | None = field(default=None, repr=False)
    """Numbers of the key frames, as far as the container lists them."""
    site: Site = LEFT
    """Where chroma samples lie."""
    turn: int = 0
    """Quarter turns against the clock with which the file asks to be shown."""

    def read(self, number: int) -> Frame:
        return self.read_thinned(number, 1)

    def read_thinned(self, number: int, step: int) -> Frame:
        planes, damage = self._planes(number)
        if step > 1:
            planes = thinned(planes, step)
        rgb, warnings = tame(to_rgb(planes, self.signal.matrix, self.signal.range, self.site), self.path)
        if self.turn:
            rgb = np.ascontiguousarray(np.rot90(rgb, self.turn))
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
        if planes.luma.shape[:: -1 if self.turn % 2 else 1] != (self.height, self.width):
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
        if (
            self._decoded is None
            or not self._next <= number <= self._next + 24
            or self._keyed(number, stream)
        ):
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

    def _keyed(self, number: int, stream: Any) -> bool:
        """Whether a key frame lies between the next picture and a wanted one, so that seeking saves decoding."""
        if self._keys is None:
            found = (e.timestamp for e in stream.index_entries if e.is_keyframe and e.timestamp is not None)
            ticks = sorted(found)
            pace = stream.time_base * self._pace
            self._keys = [
                bisect_left(self._times, t) if self._times is not None else round((t - self._zero) * pace)
                for t in ticks
            ]
        return number > self._next and bisect_right(self._keys, number) > bisect_right(self._keys, self._next)

    def _ticks(self, number: int, stream: Any) -> int:
        if self._times is not None:
            return self._times[min(number, len(self._times) - 1)] - self._zero
        ticks: int = round(number / self._pace / stream.time_base)
        return ticks

    def _number_of(self, picture: Any, stream: Any) -> int:
        if self._times is not None:
            return bisect_left(self._times, picture.pts)
        number: int = round((picture.pts - self._zero) * stream.time_base * self._pace)
        return number

    def timecode(self, number: int) -> str | None:
        if self._times is None or self.start is None or self.rate is None or self._container is None:
            return super().timecode(number)
        base = self._container.streams.video[0].time_base
        passed = round((self._times[number] - self._zero) * base * self.rate)
        return timecode_of(frames_of(self.start, self.rate) + passed, self.rate, ";" in self.start)


def open_movie(path: Path, matrix: Matrix | None, range: Range | None) -> MovieSource:
    """Open a movie and decode its first frame for the facts, which are kept for as long as the file stays as it is.
    Raises AquinError.
    """
    key = (path, matrix, range, _state(path))
    known = _FACTS.get(key)
    if known is None:
        known = _looked_into(path, matrix, range)
        if len(_FACTS) >= MOST_KNOWN:
            _FACTS.clear()
        _FACTS[key] = replace(known, _container=None, metadata=dict(known.metadata))
        return known
    return replace(known, metadata=dict(known.metadata))


MOST_KNOWN = 256
_FACTS: dict[tuple[Path, Matrix | None, Range | None, tuple[int, ...]], MovieSource] = {}
"""Movies that were looked into, closed."""


def _state(path: Path) -> tuple[int, int, int]:
    """What changes when a file does. Raises AquinError."""
    try:
        found = path.stat()
    except OSError as error:
        raise AquinError(f"the movie can't be opened ({_text(error)})", path, _DAMAGED) from error
    return found.st_ino, found.st_size, found.st_mtime_ns


def _looked_into(path: Path, matrix: Matrix | None, range: Range | None) -> MovieSource:
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
        start, odd = _start(metadata.get("timecode"), usual_rate(Fraction(rate)))
        metadata["codec"] = stream.codec_context.name
        count = stream.frames or _walked(path)[1]
        if container.duration:
            metadata["claimed frames"] = str(round(container.duration * Fraction(rate) / av.time_base))
        times = _uneven(container, stream, Fraction(rate), path)
        count = len(times) if times is not None else count
        signal, said = _signal(picture)
        site = _site(stream, path, picture, metadata)
        notes = (*odd, *(said if matrix is None else ()), *_spaced(times, stream, picture))
        if int(picture.color_trc) != UNSPECIFIED:
            metadata[TRANSFER] = str(int(picture.color_trc))
        if int(picture.color_primaries) != UNSPECIFIED:
            metadata[PRIMARIES] = str(int(picture.color_primaries))
        if notes:
            metadata["about the file"] = "; ".join(notes)
    except (av.FFmpegError, OSError) as error:
        container.close()
        raise AquinError(f"the movie is damaged ({_text(error)})", path, _DAMAGED) from error
    except AquinError:
        container.close()
        raise
    if matrix == "rgb" and signal.matrix != "rgb":
        container.close()
        raise AquinError("the file holds YCbCr, so a matrix is needed", path, "Choose bt601, bt709 or bt2020")
    turn = round(picture.rotation / 90) % 4
    return MovieSource(
        path,
        *((picture.height, picture.width) if turn % 2 else (picture.width, picture.height)),
        signal.overridden(matrix, range),
        0,
        max(count, 1) - 1,
        usual_rate(Fraction(rate)),
        start,
        metadata=metadata,
        notes=notes,
        _container=container,  # stays open: opening is a good part of reading one frame
        _zero=picture.pts if times is None else times[0],
        _pace=Fraction(rate),
        _times=times,
        site=site,
        turn=turn,
    )


def _site(stream: Any, path: Path, picture: Any, metadata: dict[str, str]) -> Site:
    """Where chroma lies; told in the metadata where that is unusual."""
    form = picture.format
    site = site_of(stream, path, 64 // form.chroma_width(64), 64 // form.chroma_height(64))
    if site != LEFT:
        metadata["chroma location"] = name_of(site)
    return site


def _start(said: str | None, rate: Fraction) -> tuple[str | None, tuple[str, ...]]:
    """The timecode that a file starts at, and what is to be said where it has an impossible one."""
    if said is None:
        return None, ()
    try:
        frames_of(said, rate)
    except AquinError:
        return None, (f"the file's timecode '{said[:20]}' is none at {float(rate):g} frames a second",)
    return said, ()


def _uneven(container: Any, stream: Any, rate: Fraction, path: Path) -> list[int] | None:
    """The times of all frames where they are not evenly spaced; None where their numbers follow from the rate."""
    listed = sorted({e.timestamp for e in stream.index_entries if e.timestamp is not None})
    whole = len(listed) >= max(stream.frames, 2)
    times = np.array(listed, np.int64) if whole else _walked(path)[0]
    passed = (times - times[:1]) * float(stream.time_base * rate)
    if np.array_equal(np.round(passed), np.arange(len(passed))):
        return None
    every = _walked(path)[0].tolist()
    return every if len(every) > 1 else None


def _walked(path: Path) -> tuple[np.ndarray, int]:
    """When all packets are shown, in order (n,), and how many have something in them, without decoding them; for
    containers that do not say. A file is walked once.
    """
    return _walk(path, _state(path))


@lru_cache(maxsize=256)
def _walk(path: Path, state: tuple[int, int, int]) -> tuple[np.ndarray, int]:
    times: list[int] = []
    count = 0
    with _open(path) as container:
        for packet in container.demux(container.streams.video[0]):
            if packet.size:
                count += 1
                if packet.pts is not None:
                    times.append(packet.pts)
    return np.array(sorted(times), np.int64), count


def _spaced(times: Sequence[int] | None, stream: Any, picture: Any) -> tuple[str, ...]:
    notes: list[str] = []
    if times is not None:
        gaps = np.diff(np.array(times, np.float64)) * float(stream.time_base) * 1e3
        if gaps.max() - gaps.min() > 0.4 * float(
            np.median(gaps)
        ):  # else it is the stated rate that is a little off
            notes.append(
                f"frames are not evenly spaced (variable frame rate): {gaps.min():.0f} to {gaps.max():.0f} ms apart"
            )
    if picture.interlaced_frame:
        notes.append("the picture is interlaced: each frame holds two moments")
    if picture.rotation:
        notes.append(f"the file asks to be turned by {abs(round(picture.rotation))} degrees, and is")
    return tuple(notes)


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
        sub = {(1, 1): "444", (2, 1): "422", (2, 2): "420", (4, 1): "411", (1, 2): "440", (4, 4): "410"}
        ratio = 64 // form.chroma_width(64), 64 // form.chroma_height(64)
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


def _signal(picture: Any) -> tuple[Signal, tuple[str, ...]]:
    """How the numbers are meant, and what is to be said where the file names a matrix that is not decoded."""
    bits = max(c.bits for c in picture.format.components)
    if picture.format.is_rgb:
        known = picture.color_range == 1
        said = "file" if picture.color_range else "assumed"
        return Signal("rgb", "legal" if known else "full", bits, "file", said), ()  # type: ignore[arg-type]
    matrix_from: Origin = "file"
    tag = int(picture.colorspace)
    matrix = _MATRICES.get(tag)
    notes: tuple[str, ...] = ()
    if matrix in (None, "rgb"):
        usual: Matrix = "bt601" if picture.height <= 576 else "bt709"
        matrix, matrix_from = _ASSUMED.get(int(picture.color_primaries), usual), "assumed"
        if tag in _OTHER:
            notes = (f"the file's matrix is {_OTHER[tag]}, which is not decoded: it is read as {matrix}",)
    wide = int(picture.color_range) == 2 or picture.format.name.startswith("yuvj")
    known = wide or int(picture.color_range) == 1
    return Signal(
        matrix, "full" if wide else "legal", bits, matrix_from, "file" if known else "assumed"
    ), notes


def check_movie(path: Path) -> None:
    """Refuse what is no recording: a pipe, and text, which may be a list of other files that FFmpeg would follow.
    Raises OSError or ValueError.
    """
    if not S_ISREG(path.stat().st_mode):
        raise ValueError("a pipe or a device is no movie")
    with path.open("rb") as stream:
        head = stream.read(256)
    if head and all(9 <= byte <= 13 or byte >= 32 for byte in head) and b"\x1a" not in head:
        raise ValueError("it holds text, no recording")


def _open(path: Path) -> Any:
    try:
        check_movie(path)
        container = av.open(str(path), options=LOCAL)
    except (av.FFmpegError, OSError, ValueError) as error:
        raise AquinError(f"the movie can't be opened ({_text(error)})", path, _DAMAGED) from error
    for stream in container.streams.video:
        if multiprocessing.parent_process() is None:
            stream.thread_type = "AUTO"
        else:  # workers share the processors by themselves, and several threads decode what nobody asked for
            stream.codec_context.thread_count = 1
    return container


def _text(error: Exception) -> str:
    return str(getattr(error, "strerror", None) or error)
