"""Raw stills (DNG, CinemaDNG) through LibRaw: the sensor's own numbers, developed straight to scene-linear in float.

LibRaw unpacks and demosaics; white, highlights and matrix are applied here after the DNG specification (1.7, "Mapping
camera colour
space to CIE XYZ space"), so that nothing is held in 16 bits or clipped twice. The result is linear ACES AP0, where
1.0 is the level at
which the sensor's green saturates, times the file's baseline exposure and the exposure bias.
"""

from collections.abc import Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np

from aquin.arrays import Float32, Float64
from aquin.colour.primaries import ACES_WHITE, AP0_TO_XYZ, xyz_of
from aquin.colour.white import adaptation, mired_duv, xy_at
from aquin.errors import AquinError
from aquin.frames.decode import Decode
from aquin.frames.model import Frame, Signal, Source, check_size, tame

SUFFIXES = {".dng"}

ENCODING = "aces_interchange"
"""What a developed frame is encoded in: the role that every configuration names for ACES AP0."""


@dataclass
class RawStills(Source):
    """One raw still, or a numbered sequence of them."""

    files: Mapping[int, Path] = field(default_factory=dict)
    decode: Decode = field(default_factory=Decode)

    def read(self, number: int) -> Frame:
        self.check(number)
        if number not in self.files:
            raise AquinError(f"frame {number} is missing in the sequence", self.path, "Copy it from its card")
        path = self.files[number]
        rgb, warnings = develop(path, self.decode)
        rgb, bad = tame(rgb, path)
        return Frame(rgb, number, self.timecode(number), self.signal, (*warnings, *bad))


def open_raw(files: Mapping[int, Path], path: Path, decode: Decode | None = None) -> RawStills:
    """Open a raw still or a sequence. Raises AquinError."""
    decode = decode or Decode()
    numbers = sorted(files)
    with _opened(files[numbers[0]]) as raw:
        width, height = raw.sizes.width, raw.sizes.height
        if raw.sizes.flip in (5, 6):
            width, height = height, width
        if decode.half:
            width, height = (width + 1) // 2, (height + 1) // 2
    about = facts_of(files[numbers[0]])
    white = about.as_shot
    check_size(width, height, path)
    metadata = (
        {"as shot": f"{1e6 / white[0]:.0f} K, tint {1e3 * white[1]:+z.1f}·10⁻³ Duv"}
        if white is not None
        else {}
    )
    signal = Signal("rgb", "full", 16, floating=True)
    kind = "sequence" if len(numbers) > 1 else "still"
    return RawStills(
        path,
        width,
        height,
        signal,
        numbers[0],
        numbers[-1],
        None,
        None,
        kind,
        metadata,
        named=next((n for n, p in files.items() if p == path), None),
        files=files,
        decode=decode,
    )


def develop(path: Path, decode: Decode) -> tuple[Float32, tuple[str, ...]]:
    """(h, w, 3) linear ACES AP0 of one raw file, and notes. Raises AquinError."""
    import rawpy

    with _opened(path) as raw:
        check_size(raw.sizes.width, raw.sizes.height, path)
        try:
            pixels = raw.postprocess(
                output_color=rawpy.ColorSpace.raw,
                user_wb=[1.0, 1.0, 1.0, 1.0],
                no_auto_bright=True,
                gamma=(1, 1),
                output_bps=16,
                half_size=decode.half,
                highlight_mode=rawpy.HighlightMode.Clip,
                adjust_maximum_thr=0.0,
            )
        except rawpy.LibRawError as error:
            raise AquinError(f"the raw file can't be developed ({error})", path, "Copy it again") from error
    about = facts_of(path)
    notes: tuple[str, ...] = ()
    if not about.matrices:
        notes = ("the file tells no colour matrix; its channels are taken for ACES AP0",)
    linear = pixels.astype(np.float32) / np.float32(65535)
    return developed(linear, about, decode), notes


def developed(camera: Float32, about: "Facts", decode: Decode) -> Float32:
    """(h, w, 3) camera RGB (1.0 is saturation) to linear AP0; the chosen white is adapted to the ACES white with
    CAT16.
    """
    mired, duv = about.as_shot or (1e6 / 6504.0, 0.0)
    if decode.kelvin is not None:
        mired, duv = 1e6 / decode.kelvin, 0.0
    xy = xy_at(mired, duv + 1e-3 * decode.tint)
    matrix = about.matrix(mired)
    neutral = matrix @ xyz_of(xy)  # what the camera makes of that white
    if neutral.min() <= 0:
        raise AquinError("the camera's matrix can't see this white", None, "Choose another kelvin or tint")
    gains = neutral[1] / neutral
    balanced = camera * gains.astype(np.float32)
    if decode.highlights == "clip":
        balanced = np.minimum(balanced, np.float32(gains.min()))
    elif decode.highlights == "blend":
        top = camera.max(axis=2, keepdims=True)
        t = np.clip((top - np.float32(0.92)) / np.float32(0.08), 0, 1)
        t = t * t * (3 - 2 * t)
        level = balanced.max(axis=2, keepdims=True)
        balanced = balanced + t * (level - balanced)
    to_ap0 = np.linalg.inv(AP0_TO_XYZ) @ adaptation(xy, ACES_WHITE) @ np.linalg.inv(matrix) @ np.diag(neutral)
    scale = 2.0 ** (decode.exposure + about.baseline)
    return np.ascontiguousarray(balanced @ (to_ap0 * scale).astype(np.float32).T)


@dataclass(frozen=True)
class Facts:
    """What a DNG says of its colours. `matrices`: (mired of its light, (3, 3) XYZ to camera RGB), one or two.
    `neutral`: (3,) camera RGB of the white that was set. `baseline`: stops that the maker adds.
    """

    matrices: tuple[tuple[float, Float64], ...] = ()
    neutral: Float64 | None = None
    white_xy: tuple[float, float] | None = None
    baseline: float = 0.0

    def matrix(self, mired: float) -> Float64:
        """XYZ to camera RGB for a light; between two matrices linear in mired, as the specification says. (3, 3)."""
        if not self.matrices:
            return np.asarray(np.linalg.inv(AP0_TO_XYZ), np.float64)
        (m0, first), (m1, last) = self.matrices[0], self.matrices[-1]
        share = 0.0 if m0 == m1 else float(np.clip((mired - m0) / (m1 - m0), 0, 1))
        return np.asarray((1 - share) * first + share * last, np.float64)

    @property
    def as_shot(self) -> tuple[float, float] | None:
        """(mired, Duv) that the camera was set to, found together with the matrix that belongs to it; None where the
        file is silent.
        """
        if self.white_xy is not None:
            mired, duv = mired_duv(xyz_of(self.white_xy))
            return float(mired), float(duv)
        if self.neutral is None or not self.matrices:
            return None
        mired, duv = 1e6 / 5500, 0.0
        for _ in range(30):
            xyz = np.linalg.solve(self.matrix(mired), self.neutral)
            if xyz.min() <= 0:
                return None
            new = mired_duv(xyz)
            done = abs(float(new[0]) - mired) < 1e-6
            mired, duv = float(new[0]), float(new[1])
            if done:
                break
        return mired, duv


_LIGHTS = {
    1: 5500,
    2: 4150,
    3: 2856,
    4: 5500,
    9: 5500,
    10: 6500,
    11: 7500,
    17: 2856,
    18: 4874,
    19: 6774,
    20: 5503,
    21: 6504,
}
_LIGHTS |= {22: 7504, 23: 5003, 24: 3200}
"""Kelvin of the EXIF light sources that DNG names."""


def facts_of(path: Path) -> Facts:
    """The colour tags of a DNG. Raises AquinError."""
    import tifffile

    try:
        with tifffile.TiffFile(path) as file:
            tags = {t.code: t.value for t in file.pages.first.tags}
    except (tifffile.TiffFileError, OSError, ValueError, KeyError, IndexError, TypeError) as error:
        raise AquinError(f"its tags can't be read ({error})", path, "Copy it again from its card") from error
    found = []
    for code, light in ((50721, 50778), (50722, 50779)):
        values = _numbers(tags.get(code))
        if len(values) == 9:
            matrix = values.reshape(3, 3)
            balance = _numbers(tags.get(50727))
            if len(balance) == 3 and balance.min() > 0:
                matrix = np.diag(balance) @ matrix
            if np.isfinite(matrix).all() and abs(np.linalg.det(matrix)) > 1e-6:
                kind = tags.get(light, 21)
                found.append((1e6 / _LIGHTS.get(kind if isinstance(kind, int) else 21, 6504), matrix))
    neutral = _numbers(tags.get(50728))
    xy = _numbers(tags.get(50729))
    baseline = _numbers(tags.get(50730))
    return Facts(
        tuple(sorted(found, key=lambda f: f[0])),
        neutral if len(neutral) == 3 and np.isfinite(neutral).all() and neutral.min() > 0 else None,
        (float(xy[0]), float(xy[1])) if len(xy) == 2 and np.isfinite(xy).all() and xy.min() > 0 else None,
        float(baseline[0]) if len(baseline) == 1 and abs(baseline[0]) < 10 else 0.0,
    )


def _numbers(value: Any) -> Float64:
    """A tag of rationals (pairs in a row) as numbers."""
    if value is None:
        return np.zeros(0)
    pairs = np.asarray(value, np.float64).ravel()
    if len(pairs) % 2:
        return pairs
    with np.errstate(divide="ignore", invalid="ignore"):
        return np.asarray(pairs[0::2] / pairs[1::2], np.float64)


def _opened(path: Path) -> Any:
    import rawpy

    try:
        return rawpy.imread(str(path))
    except (rawpy.LibRawError, OSError) as error:
        raise AquinError(
            f"this is no raw file that can be read ({error})", path, "Copy it again from its card"
        ) from error
