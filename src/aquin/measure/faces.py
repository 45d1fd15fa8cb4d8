"""Faces as what seeds skin: a frontal detector (local binary patterns, Viola & Jones 2001) that scikit-image ships.

Nobody is recognised, and nothing about a face is kept but where it is.
"""

from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np

from aquin.arrays import Float32
from aquin.measure.scopes import LUMA, SKIN_ANGLE, chroma

WIDTHS = (360, 432, 512)
"""Pixels across in which faces are looked for: what is seen in one size only is chance."""
AGREE = 2
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


@lru_cache(maxsize=1)
def _cascade() -> Any:
    from skimage import data
    from skimage.feature import Cascade

    return Cascade(data.lbp_frontal_face_cascade_filename())


def find_faces(signal: Float32) -> list[Face]:
    """Faces that look at the camera in (h, w, 3) display signal, evened out in exposure and white: seen in several
    sizes, at one place, of a colour that skin can have.
    """
    import cv2

    h, w = signal.shape[:2]
    groups: list[tuple[Face, set[int]]] = []
    for wide in WIDTHS:
        size = (wide, max(round(wide * h / w), 1))
        small = np.asarray(
            cv2.resize(np.clip(signal, 0, 1), size, interpolation=cv2.INTER_AREA) * 255, np.uint8
        )
        most = min(small.shape[:2]) - 1
        if most <= LEAST:
            continue
        for f in _cascade().detect_multi_scale(small, 1.2, 1, (LEAST, LEAST), (most, most)):
            wide_, high_ = small.shape[1], small.shape[0]
            face = Face(
                (f["c"] + f["width"] / 2) / wide_, (f["r"] + f["height"] / 2) / high_, f["width"] / wide_
            )
            for other, seen in groups:
                apart = np.hypot(face.x - other.x, (face.y - other.y) * h / w)
                if apart < 0.35 * other.width and 0.6 < face.width / other.width < 1.6:
                    seen.add(wide)
                    break
            else:
                groups.append((face, {wide}))
    return [face for face, seen in groups if len(seen) >= AGREE and _plausible(signal, face)]


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
