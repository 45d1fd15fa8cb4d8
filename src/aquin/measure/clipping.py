"""Where a recording is clipped."""

import numpy as np

from aquin.arrays import Float32, Float64

CODE = 1 / 1023


def clip_levels(rgb: Float32) -> tuple[Float64, Float64]:
    """(3,) floor and ceiling of the recording, (h, w, 3) signal: where a channel piles up, else beyond the signal.

    A pile is at least 0.1 % of the frame within one 10-bit code of its lowest or highest value, and ten times what
    lies in the code next to it.
    """
    few = rgb[:: max(rgb.shape[0] // 400, 1), :: max(rgb.shape[1] // 700, 1)].reshape(-1, 3)
    floor, ceiling = np.empty(3), np.empty(3)
    for k in np.arange(3):
        plane = np.ascontiguousarray(few[:, k])
        low, high = float(plane.min()), float(plane.max())
        floor[k], ceiling[k] = min(low, 0.0) - 1.0, max(high, 1.0) + 1.0
        top = plane[plane > high - 2 * CODE]
        if _piled(int(np.count_nonzero(top > high - CODE)), len(top), len(plane)):
            ceiling[k] = high - CODE
        end = plane[plane < low + 2 * CODE]
        if _piled(int(np.count_nonzero(end < low + CODE)), len(end), len(plane)):
            floor[k] = low + CODE
    return floor, ceiling


def _piled(last: int, two: int, every: int) -> bool:
    """Whether pixels pile up in the last code, of which two codes hold so many."""
    return last > 0.001 * every and last > 10 * (two - last)


def unclipped(rgb: Float32) -> np.ndarray:
    """(h, w) bool: pixels of (h, w, 3) signal that were clipped in no channel."""
    import cv2

    floor, ceiling = clip_levels(rgb)
    least, most = (
        floor.astype(np.float32),
        ceiling.astype(np.float32),
    )  # next to them, on the side of the pixels
    least = np.where(least <= floor, np.nextafter(least, np.float32(np.inf)), least)
    most = np.where(most >= ceiling, np.nextafter(most, np.float32(-np.inf)), most)
    signal = np.ascontiguousarray(rgb, np.float32)
    return np.asarray(cv2.inRange(signal, tuple(map(float, least)), tuple(map(float, most))) > 0)
