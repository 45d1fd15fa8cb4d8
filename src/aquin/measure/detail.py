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


def softness_for(luma: Float32, target: float) -> float:
    """Sigma in pixels that brings a picture's sharpness down to `target`; 0 where it is not sharper than that.
    `luma`: (h, w) working log.

    Never more than 4 pixels: what differs by more is another focus, not another sharpness.
    """
    noise = noise_of(luma)
    if not np.isfinite(target) or not sharpness_of(luma, noise) > target:
        return 0.0
    low, high = 0.0, MOST_SOFT
    for _ in range(14):
        middle = (low + high) / 2
        if middle < 0.05:
            return 0.0
        soft = cv2.GaussianBlur(luma, (0, 0), middle, borderType=cv2.BORDER_REFLECT_101)
        low, high = (middle, high) if sharpness_of(soft) > target else (low, middle)
    return round((low + high) / 2, 3)


def edge_mtf50(patch: Float64) -> float:
    """Spatial frequency in cycles a pixel at which a slanted edge's contrast falls to half (method of ISO 12233,
    edge-based SFR).

    `patch`: (h, w) linear level with one nearly vertical edge. NaN where there is none. The edge is found line by
    line, fitted by a straight line, and sampled four times as finely as the pixels.
    """
    slope = np.gradient(patch, axis=1)
    weight = np.abs(slope)
    if weight.max() <= 0:
        return float("nan")
    x = np.arange(patch.shape[1])
    centre = (weight * x).sum(axis=1) / np.maximum(weight.sum(axis=1), 1e-12)
    rows = np.arange(patch.shape[0])
    line = np.polyfit(rows, centre, 1)
    away = (x[None, :] - np.polyval(line, rows)[:, None]) * np.cos(np.arctan(line[0]))
    bins = np.floor(away * 4).astype(int)
    reach = int(min(-bins.min(), bins.max(), 4 * patch.shape[1] // 2 - 4))
    inside = np.abs(bins) < reach
    count = np.bincount(bins[inside] + reach, minlength=2 * reach)
    total = np.bincount(bins[inside] + reach, weights=patch[inside], minlength=2 * reach)
    known = count > 0
    if known.sum() < 16:
        return float("nan")
    profile = np.interp(np.arange(2 * reach), np.flatnonzero(known), (total / np.maximum(count, 1))[known])
    spread = np.diff(profile) * np.hamming(2 * reach - 1)
    response = np.abs(np.fft.rfft(spread, 4096))
    response /= max(response[0], 1e-12)
    frequency = np.fft.rfftfreq(4096, 0.25)
    # what the difference of neighbours (a quarter pixel apart) takes away is given back
    response /= np.maximum(np.sinc(frequency * 0.25), 0.1)
    below = np.flatnonzero(response < 0.5)
    if not len(below) or below[0] == 0:
        return float("nan")
    k = below[0]
    part = (response[k - 1] - 0.5) / max(response[k - 1] - response[k], 1e-12)
    return float(frequency[k - 1] + part * (frequency[k] - frequency[k - 1]))
