"""Stills and numbered sequences (OpenEXR, DPX, TIFF, PNG, JPEG) through OpenImageIO."""

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
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
    layer: str = ""

    def read(self, number: int) -> Frame:
        self.check(number)
        path = self.files.get(number)
        if path is None:
            raise AquinError(
                f"frame {number} of the sequence is missing", self.path, "Copy it again from its card"
            )
        rgb, notes = _read_rgb(path, self.layer)
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
    files: Mapping[int, Path], path: Path, matrix: Matrix | None, range: Range | None, layer: str = ""
) -> StillSource:
    """A source over numbered files. `layer`: which of their pictures, the likeliest one if empty. Raises AquinError."""
    if matrix not in (None, "rgb"):
        raise AquinError("a still holds RGB, so no YCbCr matrix applies", path, "Leave the matrix out")
    image = _open(path)
    try:
        part = _chosen(image, path, layer)
        spec = part.spec
        window = _window(spec, path)
        bits = int(spec.get_int_attribute("oiio:BitsPerSample", 0)) or spec.format.size() * 8
        swapped = spec.get_int_attribute("Orientation", 1) >= 5
        width, height = window.size[::-1] if swapped else window.size
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
    notes = (*part.notes, *window.notes)
    if notes:
        metadata["about the file"] = "; ".join(notes)
    floating = str(spec.format) in ("half", "float", "double")
    signal = Signal("rgb", "full", bits, "file", "file" if floating else "assumed", floating).overridden(
        None, range
    )
    kind = "sequence" if len(files) > 1 else "still"
    return StillSource(
        path,
        width,
        height,
        signal,
        first,
        max(files),
        rate,
        start,
        kind,
        metadata,
        notes=notes,
        named=next((n for n, p in files.items() if p == path), None),
        pictures=part.pictures,
        files=dict(files),
        layer=layer,
    )


def _open(path: Path) -> Any:
    as_stored = oiio.ImageSpec()
    as_stored.attribute("oiio:UnassociatedAlpha", 1)  # colours are not multiplied by a picture's alpha
    image = oiio.ImageInput.open(str(path), as_stored)
    if image is None:
        raise AquinError(f"the picture can't be opened ({_reason()})", path, _DAMAGED)
    return image


def _reason() -> str:
    return (_complaint(oiio).splitlines() or ["unknown format"])[-1]


def _complaint(said: Any) -> str:
    """What the library complains of; it repeats what files hold, in whatever letters."""
    try:
        return str(said.geterror()).strip()
    except UnicodeDecodeError:
        return "what it holds is no text"


@dataclass(frozen=True)
class _Part:
    """What of a file is the picture: the part (a subimage), its channels for red, green and blue, and what to say."""

    number: int
    spec: Any
    channels: tuple[int, int, int]
    notes: tuple[str, ...] = ()
    pictures: tuple[str, ...] = ()


@dataclass(frozen=True)
class _Window:
    """Where the stored pixels lie in the picture that is meant (OpenEXR's data and display windows)."""

    left: int
    top: int
    size: tuple[int, int]
    notes: tuple[str, ...] = ()


_FIRST = ("", "beauty", "rgba", "rgb", "combined", "composite", "main", "final", "left", "right")
"""Layers, parts and views that are the picture, the likeliest first; common practice, no source."""


_UNNAMED = "(unnamed)"


@dataclass(frozen=True)
class _Held:
    """What a file holds: its pictures by name, the likeliest first; else one in grey or of three plain channels; and
    what its parts and channels are called.
    """

    pictures: tuple[_Part, ...]
    names: tuple[str, ...]
    other: _Part | None
    parts: tuple[str, ...]
    channels: str


def _chosen(image: Any, path: Path, layer: str) -> _Part:
    """The picture that is asked for among a file's parts, layers and views, or the likeliest one; the others are named.
    Raises AquinError.
    """
    held = _held(image)
    if layer:
        if layer not in held.names:
            there = f"There are: {', '.join(held.names)}" if held.names else "It has no named pictures"
            raise AquinError(f"there is no picture '{layer}' in the file", path, there)
        which = held.names.index(layer)
    elif held.pictures:
        which = 0
    elif held.other is not None:
        return held.other
    else:
        raise AquinError(f"there are no R, G and B channels ({held.channels})", path, "Render it as RGB")
    several = len(held.pictures) > 1
    notes: tuple[str, ...] = ()
    if several or len(held.parts) > 1:
        others = [n for k, n in enumerate(held.names) if k != which]
        there = f"there are also {', '.join(others)}" if several else f"there are {', '.join(held.parts)}"
        notes = (
            f"of the {'pictures' if several else 'parts'} in the file {held.names[which]} is used; {there}",
        )
    return replace(held.pictures[which], notes=notes, pictures=held.names if several else ())


def _held(image: Any) -> _Held:
    found: list[tuple[int, str, str, _Part]] = []
    grey: _Part | None = None
    plain: _Part | None = None
    parts: list[str] = []
    channels = ""
    number = 0
    while image.seek_subimage(number, 0):
        spec = image.spec()
        part = str(spec.getattribute("oiio:subimagename") or spec.getattribute("name") or "")
        layers: dict[str, dict[str, int]] = {}
        for k, channel in enumerate(spec.channelnames):
            layer, _, last = channel.rpartition(".")
            layers.setdefault(layer, {})[last.upper()] = k
        for layer, held in layers.items():
            if {"R", "G", "B"} <= set(held):
                title = layer or part
                words = [w for w in (layer.lower(), title.lower()) if w in _FIRST]
                rank = min((_FIRST.index(w) for w in words), default=len(_FIRST))
                found.append((rank, title, part, _Part(number, spec, (held["R"], held["G"], held["B"]))))
        parts.append(part or f"part {number + 1}")
        if grey is None and spec.nchannels in (1, 2):
            grey = _Part(number, spec, (0, 0, 0), ("the file has one channel; it is shown in grey",))
        named = {c.rpartition(".")[2].upper() for c in spec.channelnames}
        if plain is None and spec.nchannels >= 3 and not {"R", "G", "B", "Y", "RY", "BY"} & named:
            note = "the channels are not named R, G, B; the first three are used"
            plain = _Part(number, spec, (0, 1, 2), (note,))
        channels = ", ".join(spec.channelnames)
        number += 1
    _complaint(image)  # that there is no further part is no error
    found.sort(key=lambda f: f[0])
    return _Held(tuple(f[3] for f in found), _names(found), plain or grey, tuple(parts), channels)


def _names(found: list[tuple[int, str, str, _Part]]) -> tuple[str, ...]:
    """A name for each picture; one that several have, with its part before it."""
    titles = [f[1] for f in found]
    named = [
        (f"{part or f'part {one.number + 1}'}: {title}" if titles.count(title) > 1 else title) or _UNNAMED
        for _, title, part, one in found
    ]
    return tuple(named)


def _window(spec: Any, path: Path) -> _Window:
    check_size(spec.width, spec.height, path)
    data = spec.x, spec.y, spec.width, spec.height
    shown = spec.full_x, spec.full_y, spec.full_width, spec.full_height
    if shown == data or spec.full_width < 1 or spec.full_height < 1:
        return _Window(0, 0, (spec.width, spec.height))
    check_size(spec.full_width, spec.full_height, path)
    note = f"its {spec.width} x {spec.height} pixels are placed in the picture that is meant, {shown[2]} x {shown[3]}"
    return _Window(spec.x - spec.full_x, spec.y - spec.full_y, (spec.full_width, spec.full_height), (note,))


def _placed(pixels: Float32, window: _Window) -> Float32:
    """(h, w, 3) stored pixels in the picture that is meant; black where there are none."""
    width, height = window.size
    if (window.left, window.top) == (0, 0) and pixels.shape[:2] == (height, width):
        return pixels
    out = np.zeros((height, width, 3), np.float32)
    top, left = max(window.top, 0), max(window.left, 0)
    bottom, right = min(window.top + pixels.shape[0], height), min(window.left + pixels.shape[1], width)
    if bottom > top and right > left:
        out[top:bottom, left:right] = pixels[
            top - window.top : bottom - window.top, left - window.left : right - window.left
        ]
    return out


def _read_rgb(path: Path, layer: str) -> tuple[Float32, tuple[str, ...]]:
    image = _open(path)
    try:
        part = _chosen(image, path, layer)
        window = _window(part.spec, path)
        image.seek_subimage(part.number, 0)
        spec = image.spec()
        twelve = spec.get_int_attribute("oiio:BitsPerSample", 0) == 12 and str(spec.format) == "uint16"
        kind = oiio.UINT16 if twelve else oiio.FLOAT
        pixels = image.read_image(part.number, 0, 0, spec.nchannels, kind)
        message = _complaint(image)
        orientation = spec.get_int_attribute("Orientation", 1)
    finally:
        image.close()
    if pixels is None or message:
        raise AquinError(f"the picture is damaged ({message or 'it ends early'})", path, _DAMAGED)
    pixels = np.asarray(pixels).reshape(spec.height, spec.width, -1)[:, :, list(part.channels)]
    if twelve:  # the library repeats the upper bits below: the codes themselves are exact
        pixels = (pixels >> 4).astype(np.float32) / np.float32(4095)
    placed = _placed(np.asarray(pixels, np.float32), window)
    notes = tuple(n for n in part.notes if "shown in grey" in n or "not named" in n)
    return np.ascontiguousarray(_upright(placed, orientation)), notes


def _upright(pixels: Float32, orientation: int) -> Float32:
    """Turn a picture as its EXIF orientation (1 to 8) asks."""
    if orientation in (5, 6, 7, 8):
        pixels = pixels.transpose(1, 0, 2)
    if orientation in (2, 3, 6, 7):
        pixels = pixels[:, ::-1]
    if orientation in (3, 4, 7, 8):
        pixels = pixels[::-1]
    return pixels


FASTEST = 100_000.0
"""Frames a second beyond which a rate is none."""


def _rate(spec: Any) -> Fraction | None:
    for name in ("FramesPerSecond", "framesPerSecond", "dpx:FrameRate", "dpx:TemporalFrameRate"):
        value = spec.getattribute(name)
        if isinstance(value, tuple) and len(value) == 2 and value[1]:
            return Fraction(int(value[0]), int(value[1]))
        if isinstance(value, float | int) and 0 < value <= FASTEST:
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
