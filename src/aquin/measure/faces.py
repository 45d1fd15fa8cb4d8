"""Faces as what seeds skin: a frontal detector (local binary patterns, Viola & Jones 2001) that scikit-image ships.

Nobody is recognised, and nothing about a face is kept but where it is.
"""

from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np

from aquin.arrays import Float32
from aquin.measure.scopes import LUMA, SKIN_ANGLE, chroma
from aquin.remembered import Remembered, mark

WIDTHS = (432, 360, 512)
"""Pixels across in which faces are looked for around a place. What is seen in one size only is chance."""
COARSE, WHOLE = 2.0, 2
"""Steps of the detector's windows, over its own, by which a picture is gone over, and in how many of the sizes: of
96 faces one is missed that way, in one size alone up to seven.
"""
AGREE = 2
AROUND = 1.6
"""Widths of a face around its middle in which it is looked at again."""
LEAST = 24
"""Pixels across of the smallest face in each."""
OFF_LINE = 26.0
"""Degrees that a face's median may lie from the skin line once exposure and white are evened out."""
COLOURFUL = (0.02, 0.5)
"""Chroma over luma of its median."""
EVEN = 26.0
"""Degrees within which 70 % of its middle lie."""


@dataclass(frozen=True)
class Face:
    """Middle and width as shares of the picture's width (`x`, `width`) and height (`y`)."""

    x: float
    y: float
    width: float


KEPT = 500
"""Pictures whose faces are held: looking for them takes 0.15 s, and they are the same under each grade."""
_SEEN: Remembered[tuple[Face, ...]] = Remembered(KEPT)


@lru_cache(maxsize=1)
def _cascade() -> Any:
    from skimage import data
    from skimage.feature import Cascade

    return Cascade(data.lbp_frontal_face_cascade_filename())


def find_faces(signal: Float32) -> list[Face]:
    """Faces that look at the camera in (h, w, 3) display signal, evened out in exposure and white: seen in several
    sizes, at one place, of a colour that skin can have. A picture is looked at once, whoever asks again.
    """
    return list(_SEEN.get(mark(signal), lambda: tuple(_find(signal))))


def _find(signal: Float32) -> list[Face]:
    aspect = signal.shape[0] / signal.shape[1]
    out: list[Face] = []
    hints = (h for wide in WIDTHS[:WHOLE] for h in _seen(signal, wide, step=COARSE, least=1))
    for hint in hints:
        if any(_alike(hint, f, aspect) for f in out) or not _plausible(signal, hint):
            continue
        sizes: list[list[Face]] = []
        for k, wide in enumerate(WIDTHS):
            if len(sizes) + len(WIDTHS) - k >= AGREE > len(sizes):
                near = [f for f in _seen(signal, wide, hint) if _alike(hint, f, aspect)]
                sizes += [near] if near else []
        every = [f for near in sizes for f in near]
        if len(sizes) >= AGREE:
            face = Face(
                *(sum(v) / len(every) for v in zip(*((f.x, f.y, f.width) for f in every), strict=True))
            )
            if _plausible(signal, face):
                out.append(face)
    return out


def _alike(one: Face, other: Face, aspect: float) -> bool:
    apart = np.hypot(one.x - other.x, (one.y - other.y) * aspect)
    return bool(apart < 0.35 * one.width and 0.6 < other.width / one.width < 1.6)


def _seen(
    signal: Float32, wide: int, near: Face | None = None, step: float = 1.0, least: int = 4
) -> list[Face]:
    """What the detector sees in one size, or there only around a face, in at least so many of its windows."""
    import cv2

    h, w = signal.shape[:2]
    high = max(round(wide * h / w), 1)
    small = np.asarray(
        cv2.resize(np.clip(signal, 0, 1), (wide, high), interpolation=cv2.INTER_AREA) * 255, np.uint8
    )
    x, y = 0, 0
    if near is not None:
        half = AROUND * near.width * wide
        x, y = (max(int(m - half), 0) for m in (near.x * wide, near.y * high))
        small = np.ascontiguousarray(small[y : y + int(2 * half) + 1, x : x + int(2 * half) + 1])
    most = min(*small.shape[:2], min(wide, high)) - 1
    if most <= LEAST:
        return []
    found = _cascade().detect_multi_scale(small, 1.2, step, (LEAST, LEAST), (most, most), least)
    return [
        Face((x + f["c"] + f["width"] / 2) / wide, (y + f["r"] + f["height"] / 2) / high, f["width"] / wide)
        for f in found
    ]


def _plausible(signal: Float32, face: Face) -> bool:
    pixels = signal[middle_of(face, *signal.shape[:2])]
    if len(pixels) < 30:
        return False
    plane = chroma(pixels).reshape(-1, 2)
    share = np.hypot(plane[:, 0], plane[:, 1]) / np.maximum(pixels @ LUMA, 1e-3)
    angle = np.degrees(np.arctan2(plane[:, 1], plane[:, 0]))
    middle = float(np.degrees(np.arctan2(*np.median(plane, axis=0)[::-1])))
    spread = np.abs((angle - middle + 180) % 360 - 180)
    return bool(
        abs((middle - SKIN_ANGLE + 180) % 360 - 180) < OFF_LINE
        and COLOURFUL[0] < np.median(share) < COLOURFUL[1]
        and np.percentile(spread, 70) < EVEN
    )


def middle_of(face: Face, h: int, w: int) -> np.ndarray:
    """(h, w) bool: the middle of a face, free of hair and ground."""
    return _ellipse(face, h, w, 0.28, 0.30)


def around(face: Face, h: int, w: int) -> np.ndarray:
    """(h, w) bool: a face with its neck."""
    return _ellipse(face, h, w, 0.62, 0.85)


def _ellipse(face: Face, h: int, w: int, wide: float, high: float) -> np.ndarray:
    import cv2

    out = np.zeros((h, w), np.uint8)
    size = face.width * w
    axes = max(round(wide * size), 1), max(round(high * size), 1)
    cv2.ellipse(out, (round(face.x * w), round(face.y * h)), axes, 0, 0, 360, 1, -1)
    return out > 0
