"""Stills and numbered sequences (OpenEXR, DPX, TIFF, PNG, JPEG) through OpenImageIO."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from fractions import Fraction
from pathlib import Path
from typing import Any

import numpy as np
import OpenImageIO as oiio

from aquin.arrays import Float32
from aquin.errors import AquinError
from aquin.frames.model import Frame, Matrix, Range, Signal, Source, check_size, tame
from aquin.frames.timecode import frames_of

_DAMAGED = "Copy it again from its card, or render it again"


@dataclass
class StillSource(Source):
    """One still or a numbered sequence."""

    files: Mapping[int, Path] = field(default_factory=dict)

    def read(self, number: int) -> Frame:
        self.check(number)
        path = self.files.get(number)
        if path is None:
            raise AquinError(
                f"frame {number} of the sequence is missing", self.path, "Copy it again from its card"
            )
        rgb, notes = _read_rgb(path)
        if rgb.shape[:2] != (self.height, self.width):
            raise AquinError(
                f"frame {number} is {rgb.shape[1]} x {rgb.shape[0]}, the others {self.width} x {self.height}",
                path,
                _DAMAGED,
            )
        rgb, warnings = tame(rgb, path)
        if self.signal.range == "legal":
            rgb = legal_to_full(rgb, self.signal.bits)
        return Frame(rgb, number, self.timecode(number), self.signal, notes + warnings)


def legal_to_full(rgb: Float32, bits: int) -> Float32:
    """Codes over full scale (0 to 1) to legal range: 64/1023 becomes 0 and 940/1023 becomes 1 (10 bit)."""
    bits = min(bits, 16)
    top = np.float32(2**bits - 1)
    step = np.float32(2 ** (bits - 8))
    return np.asarray((rgb * top - 16 * step) / (219 * step), np.float32)


def open_stills(
    files: Mapping[int, Path], path: Path, matrix: Matrix | None, range: Range | None
) -> StillSource:
    """A source over numbered files. Raises AquinError."""
    if matrix not in (None, "rgb"):
        raise AquinError("a still holds RGB, so no YCbCr matrix applies", path, "Leave the matrix out")
    image = _open(path)
    try:
        spec = image.spec()
        check_size(spec.width, spec.height, path)
        bits = int(spec.get_int_attribute("oiio:BitsPerSample", 0)) or spec.format.size() * 8
        swapped = spec.get_int_attribute("Orientation", 1) >= 5
        width, height = (spec.height, spec.width) if swapped else (spec.width, spec.height)
        rate, start = _rate(spec), None
        first = min(files)
        if rate and (code := _timecode(spec)):
            start = code
            number = next((n for n, p in files.items() if p == path), first)
            if number != first:
                from aquin.frames.timecode import timecode_of

                start = timecode_of(frames_of(code, rate) - (number - first), rate, ";" in code)
        metadata = {
            a.name: str(a.value)
            for a in spec.extra_attribs
            if isinstance(a.value, str | int | float) and not a.name.startswith("oiio:")
        }
    finally:
        image.close()
    floating = str(spec.format) in ("half", "float", "double")
    signal = Signal("rgb", "full", bits, "file", "file" if floating else "assumed", floating).overridden(
        None, range
    )
    kind = "sequence" if len(files) > 1 else "still"
    return StillSource(
        path, width, height, signal, first, max(files), rate, start, kind, metadata, files=dict(files)
    )


def _open(path: Path) -> Any:
    image = oiio.ImageInput.open(str(path))
    if image is None:
        raise AquinError(f"the picture can't be opened ({_reason()})", path, _DAMAGED)
    return image


def _reason() -> str:
    return str(oiio.geterror()).strip().splitlines()[-1:][0] if oiio.geterror(False) else "unknown format"


def _read_rgb(path: Path) -> tuple[Float32, tuple[str, ...]]:
    image = _open(path)
    try:
        spec = image.spec()
        check_size(spec.width, spec.height, path)
        pixels = image.read_image(0, 0, 0, spec.nchannels, oiio.FLOAT)
        message = image.geterror()
        orientation = spec.get_int_attribute("Orientation", 1)
        names = [name.split(".")[-1].upper() for name in spec.channelnames]
    finally:
        image.close()
    if pixels is None or message:
        raise AquinError(f"the picture is damaged ({message.strip() or 'it ends early'})", path, _DAMAGED)
    pixels = np.asarray(pixels, np.float32).reshape(spec.height, spec.width, -1)
    notes: tuple[str, ...] = ()
    if {"R", "G", "B"} <= set(names):
        order = [names.index(c) for c in "RGB"]
    elif pixels.shape[2] in (1, 2):
        order, notes = [0, 0, 0], ("the file has one channel; it is shown in grey",)
    elif pixels.shape[2] >= 3 and not {"R", "G", "B"} & set(names):
        order, notes = [0, 1, 2], ("the channels are not named R, G, B; the first three are used",)
    else:
        raise AquinError(f"there are no R, G and B channels ({', '.join(names)})", path, "Render it as RGB")
    return np.ascontiguousarray(_upright(pixels[:, :, order], orientation)), notes


def _upright(pixels: Float32, orientation: int) -> Float32:
    """Turn a picture as its EXIF orientation (1 to 8) asks."""
    if orientation in (5, 6, 7, 8):
        pixels = pixels.transpose(1, 0, 2)
    if orientation in (2, 3, 6, 7):
        pixels = pixels[:, ::-1]
    if orientation in (3, 4, 7, 8):
        pixels = pixels[::-1]
    return pixels


def _rate(spec: Any) -> Fraction | None:
    for name in ("FramesPerSecond", "framesPerSecond", "dpx:FrameRate", "dpx:TemporalFrameRate"):
        value = spec.getattribute(name)
        if isinstance(value, tuple) and len(value) == 2 and value[1]:
            return Fraction(int(value[0]), int(value[1]))
        if isinstance(value, float | int) and value > 0:
            return Fraction(value).limit_denominator(1001)
    return None


def _timecode(spec: Any) -> str | None:
    value = spec.getattribute("smpte:TimeCode")
    if isinstance(value, str) and value.count(":") == 3:
        return value
    if isinstance(value, tuple) and value:
        word = int(value[0])

        def bcd(shift: int, tens: int) -> int:
            return ((word >> (shift + 4)) & tens) * 10 + ((word >> shift) & 15)

        drop = ";" if word & 64 else ":"
        return f"{bcd(24, 3):02d}:{bcd(16, 7):02d}:{bcd(8, 7):02d}{drop}{bcd(0, 3):02d}"
    return None
