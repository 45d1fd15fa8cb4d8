"""Sharpness and noise of a picture in working log, where neither depends on exposure."""

from functools import lru_cache

import cv2
import numpy as np

from aquin.arrays import Float32, Float64, Floats
from aquin.colour import acescct
from aquin.measure.scopes import LUMA

HIGH, MID = (0.6, 1.2), (2.0, 4.0)
"""Sigmas in pixels of the two Gaussians whose difference is the band."""

MAD = 0.6744897501960817
"""Median of |x| for a normal x of sigma 1."""

BLOCK = 16
GREY_REACH = 1.5
"""Stops around 18 % grey in which noise is looked for."""

MOST_SOFT = 4.0
"""No shot is softened by more than this many pixels to match a hero."""


def log_luma(log: Floats) -> Float32:
    """(h, w, 3) ACEScct to (h, w) luma of it."""
    return np.asarray(np.asarray(log, np.float32) @ LUMA, np.float32)


def noise_of(luma: Float32) -> float:
    """Robust sigma of the noise in 10-bit codes of working log, at mid grey in flat parts. `luma`: (h, w) working
    log.

    Median absolute value of the finest diagonal Haar wavelet (Donoho & Johnstone 1994) in the flattest quarter of
    the blocks whose tone lies within 1.5 stops of 18 % grey; of all blocks where there are too few of those. NaN
    for pictures that are too small.
    """
    h, w = (n // BLOCK * BLOCK for n in luma.shape)
    if h < 2 * BLOCK or w < 2 * BLOCK:
        return float("nan")
    x = luma[:h, :w].astype(np.float64)
    fine = (x[0::2, 0::2] - x[0::2, 1::2] - x[1::2, 0::2] + x[1::2, 1::2]) / 2
    blocks = _blocks(x, BLOCK)
    middle = np.median(blocks, axis=1)
    halves = blocks.reshape(-1, BLOCK, BLOCK)
    quarter = BLOCK // 4
    means = halves.reshape(-1, quarter, 4, quarter, 4).mean(axis=(2, 4)).reshape(len(halves), -1)
    rough = means.std(axis=1)
    usable = np.abs(middle - acescct.GREY) < GREY_REACH * acescct.STOP
    if usable.sum() < 12:
        usable = middle > acescct.GREY - 6 * acescct.STOP
    if usable.sum() < 4:
        usable = np.ones(len(middle), bool)
    flat = usable & (rough <= np.percentile(rough[usable], 25))
    return float(np.median(np.abs(_blocks(fine, BLOCK // 2)[flat])) / MAD * 1023)


def _blocks(x: Float64, size: int) -> Float64:
    h, w = x.shape
    return x.reshape(h // size, size, w // size, size).swapaxes(1, 2).reshape(-1, size * size)


def sharpness_of(luma: Float32, noise: float | None = None) -> float:
    """Root energy of the high band over that of the mid band, less what noise of that many 10-bit codes puts into
    each. `luma`: (h, w) working log.

    Energies are means over the picture without its border. NaN where there is no detail to judge by.
    """
    if noise is None:
        noise = noise_of(luma)
    sigma2 = 0.0 if not np.isfinite(noise) else (noise / 1023) ** 2
    energies = []
    for band in (HIGH, MID):
        near, far = (cv2.GaussianBlur(luma, (0, 0), s, borderType=cv2.BORDER_REFLECT_101) for s in band)
        cut = int(np.ceil(3 * MID[1]))
        inside = (near - far)[cut:-cut, cut:-cut] if min(luma.shape) > 4 * cut else near - far
        energies.append(float(np.mean(np.square(inside, dtype=np.float64))) - sigma2 * _passed(*band))
    high, mid = energies
    floor = (0.1 / 1023) ** 2
    if mid < floor:
        return float("nan")
    return float(np.sqrt(max(high, 0.0) / mid))


@lru_cache(maxsize=16)
def _passed(near: float, far: float) -> float:
    """Share of white noise's variance that a band lets through."""
    dot = np.zeros((65, 65), np.float64)
    dot[32, 32] = 1
    band = cv2.GaussianBlur(dot, (0, 0), near) - cv2.GaussianBlur(dot, (0, 0), far)
    return float((band**2).sum())
