"""The preview picture: scene-linear to the screen through the baked view, and what the scopes need of it. No Qt."""

from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import cv2
import numpy as np

from aquin.arrays import Float32
from aquin.colour.baked import BakedView
from aquin.colour.grade import Grade
from aquin.measure.scopes import Waveform, chroma_density, waveform

_POOL = ThreadPoolExecutor(2, thread_name_prefix="preview")


@dataclass(frozen=True)
class Shown:
    """One side ready to draw: (h, w, 4) bytes for the screen, and the display signal that the scopes are made of."""

    pixels: np.ndarray
    signal: Float32


@dataclass(frozen=True)
class Scopes:
    """What the scopes draw of one side."""

    waveform: Waveform
    density: Float32


def scopes_of(shown: Shown | None) -> Scopes | None:
    return None if shown is None else Scopes(waveform(shown.signal), chroma_density(shown.signal))


def fit(linear: Float32, width: int, height: int) -> Float32:
    """The frame scaled down in scene-linear to fit a size; never scaled up."""
    h, w = linear.shape[:2]
    scale = min(width / w, height / h, 1.0)
    if scale >= 1:
        return linear
    return np.asarray(
        cv2.resize(linear, (max(int(w * scale), 1), max(int(h * scale), 1)), interpolation=cv2.INTER_AREA)
    )


def show(linear: Float32, grade: Grade, baked: BakedView) -> Shown:
    """Grade exactly, view through the LUT; two halves at once."""
    out = np.empty(linear.shape, np.float32)
    bytes_: np.ndarray = np.empty((*out.shape[:2], 4), np.uint8)

    def half(rows: slice) -> None:
        out[rows] = baked.process(grade.apply_linear(linear[rows]))
        scaled = np.clip(out[rows], 0, 1)
        scaled *= 255
        scaled += 0.5
        bytes_[rows, :, :3] = scaled[..., ::-1]
        bytes_[rows, :, 3] = 255

    rows = len(linear)
    list(_POOL.map(half, (slice(0, rows // 2), slice(rows // 2, rows))))
    return Shown(bytes_, out if out.size < 450_000 else out[::2, ::2])
