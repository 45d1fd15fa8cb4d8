"""Faces as a help in finding skin: a frontal detector (local binary patterns, Viola & Jones 2001) that scikit-image
ships.

Nobody is recognised, and nothing about a face is kept but a mask.
"""

from functools import lru_cache
from typing import Any

import numpy as np

from aquin.arrays import Float32

WIDTH = 480
"""Pixels across in which faces are looked for."""
LEAST, MOST = 24, 260
"""Sizes of faces in that picture."""


@lru_cache(maxsize=1)
def _cascade() -> Any:
    from skimage import data
    from skimage.feature import Cascade

    return Cascade(data.lbp_frontal_face_cascade_filename())


def face_mask(signal: Float32) -> np.ndarray:
    """(h, w, 3) display signal to (h, w) bool: ellipses over faces that look at the camera."""
    import cv2

    h, w = signal.shape[:2]
    scale = min(WIDTH / w, 1.0)
    few = (max(round(w * scale), 1), max(round(h * scale), 1))
    small = np.asarray(cv2.resize(np.clip(signal, 0, 1), few, interpolation=cv2.INTER_AREA) * 255, np.uint8)
    mask = np.zeros((few[1], few[0]), np.uint8)
    most = min(MOST, *few)
    if most > LEAST:
        for face in _cascade().detect_multi_scale(small, 1.2, 1, (LEAST, LEAST), (most, most)):
            x, y = face["c"] + face["width"] // 2, face["r"] + face["height"] // 2
            axes = (max(face["width"] * 45 // 100, 1), max(face["height"] * 58 // 100, 1))
            cv2.ellipse(mask, (int(x), int(y)), (int(axes[0]), int(axes[1])), 0, 0, 360, 1, -1)
    return np.asarray(cv2.resize(mask, (w, h), interpolation=cv2.INTER_NEAREST) > 0)
