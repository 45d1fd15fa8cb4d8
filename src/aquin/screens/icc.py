"""Monitor profiles: what an ICC profile says of a screen, and pictures through it by LittleCMS (in Pillow)."""

from __future__ import annotations

import io
import struct
from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime
from functools import lru_cache
from pathlib import Path
from typing import Any

import numpy as np

from aquin.arrays import Float32, Float64, Floats
from aquin.colour.difference import delta_e00, lab_of_xyz
from aquin.errors import AquinError
from aquin.measure.display import D65
from aquin.reading import bytes_of
from aquin.screens.light import Light, srgb, to_xyz, white_point

SUFFIXES = (".icc", ".icm")
MAX_BYTES = 20_000_000
D50 = (0.3457, 0.3585)
"""CIE xy of the profile connection space's white (ISO 15076-1)."""
GRID = 9
"""Colours along each side of the cube over which a profile is judged."""
BANDS = 1024
"""Points of a curve in a profile that is made."""


@dataclass(frozen=True)
class Profile:
    """A monitor profile as its file says it. `made`: when it was measured or written."""

    path: Path
    name: str
    made: datetime | None
    content: bytes

    @property
    def when(self) -> str:
        return "on no date that it says" if self.made is None else f"{self.made:%Y-%m-%d}"


def read_profile(path: Path) -> Profile:
    """Read a display profile, or make that of a standard. Raises AquinError for what is none."""
    from PIL import ImageCms

    if str(path).startswith(STANDARD):
        return standard_profile(str(path).removeprefix(STANDARD))

    content = bytes_of(path, MAX_BYTES, "the profile", "Choose the profile of a monitor")
    if len(content) < 132 or content[36:40] != b"acsp":
        raise AquinError("this is no ICC profile", path, f"Choose one that ends in {' or '.join(SUFFIXES)}")
    if content[16:20] != b"RGB " or content[12:16] not in (b"mntr", b"spac"):
        raise AquinError("this is not the profile of an RGB screen", path, "Choose the profile of a monitor")
    try:
        opened = ImageCms.ImageCmsProfile(io.BytesIO(content))
        name = " ".join(ImageCms.getProfileDescription(opened).split())[:80] or path.stem
        transform_of(content, content)
    except (ImageCms.PyCMSError, OSError, ValueError) as error:
        words = " ".join(str(error).split())[:100]
        raise AquinError(f"the profile can't be used ({words})", path, "Measure the screen again") from error
    return Profile(path, name, _date(content), content)


STANDARDS: dict[str, tuple[str, Callable[[Floats], Floats]]] = {
    "sRGB": ("bt709", srgb),
    "BT.709, gamma 2.2": ("bt709", lambda x: np.asarray(x) ** 2.2),
    "BT.709, BT.1886": ("bt709", lambda x: np.asarray(x) ** 2.4),
    "P3, sRGB curve": ("p3", srgb),
    "BT.2020, gamma 2.4": ("bt2020", lambda x: np.asarray(x) ** 2.4),
}
"""What a screen may be set to, where it has no profile of its own: gamut and curve, black taken for nothing."""
STANDARD = "standard:"
"""What the path of such a profile begins with."""


def standard_profile(name: str) -> Profile:
    """A screen that is as a standard has it. Raises AquinError for a name that is none."""
    if name not in STANDARDS:
        raise AquinError(f"there is no standard '{name}'", None, f"There are: {'; '.join(STANDARDS)}")
    gamut, curve = STANDARDS[name]
    made = make_profile(to_xyz(gamut).T, curve(np.linspace(0, 1, BANDS)), name)
    return Profile(Path(STANDARD + name), f"{name}, as the standard has it", None, made)


def _date(content: bytes) -> datetime | None:
    """Bytes 24 to 35 of the header: six numbers of 16 bits (ISO 15076-1, 4.2)."""
    try:
        return datetime(*struct.unpack(">6H", content[24:36]))
    except ValueError:
        return None


@lru_cache(maxsize=8)
def transform_of(source: bytes, target: bytes, proof: bool = False) -> Any:
    """By relative colorimetry with black point compensation: white stays white and shadows are not cut off. `proof`:
    absolute, without compensation.
    """
    from PIL import ImageCms

    a, b = (ImageCms.ImageCmsProfile(io.BytesIO(c)) for c in (source, target))
    intent = ImageCms.Intent.ABSOLUTE_COLORIMETRIC if proof else ImageCms.Intent.RELATIVE_COLORIMETRIC
    flags = ImageCms.Flags.NONE if proof else ImageCms.Flags.BLACKPOINTCOMPENSATION
    return ImageCms.buildTransform(a, b, "RGB", "RGB", intent, flags | ImageCms.Flags.HIGHRESPRECALC)


def through(source: bytes, target: bytes) -> Callable[[Floats], Float32]:
    """(..., 3) signal of one profile's screen to that of another's; LittleCMS works in 8 bit here."""
    turn = transform_of(source, target)

    def apply(signal: Floats) -> Float32:
        from PIL import Image, ImageCms

        shape = np.shape(signal)
        codes = np.clip(np.asarray(signal, np.float32).reshape(1, -1, 3) * 255 + 0.5, 0, 255).astype(np.uint8)
        made = ImageCms.applyTransform(Image.fromarray(codes), turn)
        return np.asarray(np.asarray(made, np.float32).reshape(shape) / 255, np.float32)

    return apply


def profile_of(light: Light, name: str = "deliverable") -> bytes:
    """An ICC profile of what a deliverable's display makes of a signal: its primaries and its curve."""
    corners = np.asarray(light(np.eye(3, dtype=np.float32)), np.float64)
    white = np.asarray(light(np.ones((1, 3), np.float32)), np.float64)[0]
    ramp = np.linspace(0, 1, BANDS)
    y = np.asarray(light(np.repeat(ramp[:, None], 3, axis=1).astype(np.float32)), np.float64)[:, 1]
    return make_profile(corners / white[1], y / y[-1], name)


def make_profile(
    primaries: Floats, curve: Floats, name: str, made: datetime | None = None, white: Floats | None = None
) -> bytes:
    """A version 2 matrix and curve profile (ISO 15076-1 has its parts). `primaries`: (3, 3) XYZ of red, green, blue
    under `white`, (2,) CIE xy (D65 where it is left out), their Y adding to 1; `curve`: (n,) relative light at even
    steps of the signal.
    """
    turn = bradford(D65 if white is None else white, D50)
    columns = np.asarray(primaries, np.float64) @ np.asarray(turn, np.float64).T
    x, y = D65 if white is None else white
    media = np.array([x / y, 1.0, (1 - x - y) / y])
    values = np.clip(np.round(np.asarray(curve, np.float64) * 65535), 0, 65535).astype(">u2")
    curv = b"curv" + bytes(4) + struct.pack(">I", len(values)) + values.tobytes()
    text = name.encode("ascii", "replace") + b"\0"
    desc = b"desc" + bytes(4) + struct.pack(">I", len(text)) + text + bytes(4 + 4 + 2 + 1 + 67)
    tags = {b"desc": desc, b"cprt": b"text" + bytes(4) + b"none\0", b"wtpt": _xyz(media)}
    for key, column in zip((b"rXYZ", b"gXYZ", b"bXYZ"), columns, strict=True):
        tags[key] = _xyz(column)
    for key in (b"rTRC", b"gTRC", b"bTRC"):
        tags[key] = curv
    return _packed(tags, made or datetime(2000, 1, 1))


BRADFORD = np.array([[0.8951, 0.2664, -0.1614], [-0.7502, 1.7135, 0.0367], [0.0389, -0.0685, 1.0296]])
"""The cone matrix of ISO 15076-1, annex E: profiles are adapted by it, whatever else adapts by."""


def bradford(source_xy: Any, target_xy: Any) -> Float64:
    """(3, 3) on XYZ that takes one white to another, both (2,) CIE xy (ISO 15076-1, annex E)."""
    source, target = (BRADFORD @ np.array([x / y, 1.0, (1 - x - y) / y]) for x, y in (source_xy, target_xy))
    return np.asarray(np.linalg.inv(BRADFORD) @ np.diag(target / source) @ BRADFORD)


def _xyz(value: Floats) -> bytes:
    return b"XYZ " + bytes(4) + b"".join(struct.pack(">i", round(float(v) * 65536)) for v in value)


def _packed(tags: dict[bytes, bytes], made: datetime) -> bytes:
    table, body = struct.pack(">I", len(tags)), b""
    start = 128 + 4 + 12 * len(tags)
    placed: dict[bytes, int] = {}
    for key, data in tags.items():
        if data not in placed:
            placed[data] = start + len(body)
            body += data + bytes(-len(data) % 4)
        table += key + struct.pack(">II", placed[data], len(data))
    when = struct.pack(">6H", made.year, made.month, made.day, made.hour, made.minute, made.second)
    head = struct.pack(">I", start + len(body)) + bytes(4) + struct.pack(">I", 0x02400000)
    head += b"mntrRGB XYZ " + when + b"acsp" + bytes(4 * 7) + _xyz(_d50())[8:]
    return head.ljust(128, b"\0") + table + body


def _d50() -> Float64:
    x, y = D50
    return np.array([x / y, 1.0, (1 - x - y) / y])


@dataclass(frozen=True)
class Fit:
    """How a screen shows a deliverable, by its own profile: mean and largest CIEDE2000 over a cube of colours, with the
    profile at work and without it; `outside`: % of the colours that it can't show.
    """

    mean: float
    largest: float
    without: float
    outside: float


def fit_of(profile: Profile, light: Light) -> Fit:
    """Over `GRID` colours a side."""
    axis = np.linspace(0, 1, GRID)
    cube = np.stack(np.meshgrid(axis, axis, axis, indexing="ij"), axis=-1).reshape(-1, 3).astype(np.float32)
    own = profile_of(light)
    sent, back = through(own, profile.content), _seen(profile.content)
    white = white_point()
    meant = lab_of_xyz(np.asarray(light(cube), np.float64) / _white_of(light), white)
    gaps = [delta_e00(meant, lab_of_xyz(back(s), white)) for s in (sent(cube), cube)]
    return Fit(
        float(gaps[0].mean()), float(gaps[0].max()), float(gaps[1].mean()), 100 * float((gaps[0] > 2).mean())
    )


def _white_of(light: Light) -> float:
    return float(np.asarray(light(np.ones((1, 3), np.float32)), np.float64)[0, 1])


def _seen(content: bytes) -> Callable[[Floats], Float64]:
    """(n, 3) signal to the CIE XYZ (D65) that a profile says its screen makes, its white taken for D65, in 8 bit."""
    linear = make_profile(_WIDE, np.linspace(0, 1, BANDS) ** 2.2, "wide")
    turn, matrix = through(content, linear), _WIDE
    return lambda s: np.asarray(np.asarray(turn(s), np.float64) ** 2.2 @ matrix)


def _wide() -> Float64:
    return to_xyz("bt2020").T


_WIDE = _wide()
