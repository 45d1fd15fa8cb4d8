"""Skin in a picture: a likelihood in chromaticity, limited to connected areas. Nothing about a face is kept but a
mask.

The line is where skin of all darkness lies on the BT.709 chroma plane, 123 degrees from +Cb (common practice); how
far pixels may be from it was set on the portrait that scikit-image ships and on skins simulated from their
pigments.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from aquin.arrays import Float32, Float64
from aquin.measure.scopes import LUMA, SKIN_ANGLE, chroma

ANGLE_SIGMA = 11.0
"""Degrees."""
SATURATION = (0.055, 0.34)
"""Chroma over luma: below, it passes for neutral; above, for a painted thing."""
LEVEL = (0.06, 0.88)
"""Luma of the display's signal."""
WIDE = 640
"""Skin is looked for in pictures at most this wide."""
LEAST_AREA = 0.0012
"""Share of the picture that an area must fill."""
MOST_AREA = 0.25
"""Share that one area may fill: more is a sky, a floor or a wall (common practice; a face that near is painted)."""


def skin_likelihood(signal: Float32, centre: float = SKIN_ANGLE, sigma: float = ANGLE_SIGMA) -> Float32:
    """(h, w, 3) display signal to (h, w) likelihood, 0 to 1, about an angle on the chroma plane."""
    luma = signal @ LUMA
    plane = chroma(signal)
    size = np.hypot(plane[..., 0], plane[..., 1])
    angle = np.degrees(np.arctan2(plane[..., 1], plane[..., 0]))
    away = np.abs((angle - centre + 180) % 360 - 180)
    share = size / np.maximum(luma, 1e-3)
    near = np.exp(-0.5 * (away / sigma) ** 2)
    inside = (luma > LEVEL[0]) & (luma < LEVEL[1]) & (share > SATURATION[0]) & (share < SATURATION[1])
    return np.asarray(near * inside, np.float32)


def skin_centre(signal: Float32) -> float:
    """The angle at which most of what may be skin lies: a cast turns it, and the window has to follow. Within 16
    degrees of the line. `signal`: (n, 3) display signal; degrees.
    """
    few = signal[::2, ::2]
    wide = skin_likelihood(few, sigma=2 * ANGLE_SIGMA).ravel()
    if wide.sum() < 20:
        return SKIN_ANGLE
    plane = chroma(few).reshape(-1, 2)
    angle = np.degrees(np.arctan2(plane[:, 1], plane[:, 0])) - SKIN_ANGLE
    angle = (angle + 180) % 360 - 180
    near = (np.abs(angle) < 30) & (wide > 0)
    count, edges = np.histogram(angle[near], 60, (-30, 30), weights=wide[near])
    smooth = np.convolve(count, np.hanning(13), "same")
    mode = float(edges[int(smooth.argmax())] + 0.5)
    return SKIN_ANGLE + float(np.clip(mode, -16, 16))


def skin_mask(signal: Float32) -> np.ndarray:
    """(h, w) bool of the display signal's skin."""
    import cv2

    whole = signal.shape[:2]
    if whole[1] > WIDE:
        few = (WIDE, max(round(whole[0] * WIDE / whole[1]), 1))
        signal = np.asarray(cv2.resize(signal, few, interpolation=cv2.INTER_AREA), np.float32)
    h, w = signal.shape[:2]
    centre = skin_centre(signal)
    likely = cv2.GaussianBlur(skin_likelihood(signal, centre), (0, 0), max(w / 640, 0.5))
    found = (likely > 0.4).astype(np.uint8)
    kernel = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (3, 3))
    found = np.asarray(cv2.morphologyEx(found, cv2.MORPH_OPEN, kernel, iterations=max(w // 480, 1)), np.uint8)
    count, labels, stats, _ = cv2.connectedComponentsWithStats(found, connectivity=8)
    large = np.zeros(count, bool)
    area = stats[1:, cv2.CC_STAT_AREA] / (h * w)
    large[1:] = (area > LEAST_AREA) & (area < MOST_AREA)
    mask = large[labels]
    if mask.shape != whole:
        grown = cv2.resize(mask.astype(np.uint8), (whole[1], whole[0]), interpolation=cv2.INTER_NEAREST)
        mask = grown > 0
    return np.asarray(mask)


@dataclass(frozen=True)
class Dab:
    """One touch of a brush: its middle as shares of the picture's width and height, its radius as a share of the
    width, and whether it adds skin or takes it away.
    """

    x: float
    y: float
    radius: float
    add: bool


def painted(dabs: Sequence[Dab], height: int, width: int) -> tuple[np.ndarray, np.ndarray]:
    """(height, width) bool twice: what is painted as skin, and as none. Later dabs lie over earlier ones."""
    import cv2

    canvas = np.zeros((height, width), np.uint8)
    for d in dabs:
        middle = (round(d.x * width), round(d.y * height))
        cv2.circle(canvas, middle, max(round(d.radius * width), 1), 1 if d.add else 2, -1)
    return canvas == 1, canvas == 2


def find_skin(signal: Float32, dabs: Sequence[Dab] = (), faces: bool = False) -> np.ndarray:
    """(h, w) bool of the display signal's skin, with what a person painted. `faces`: only in faces that look at the
    camera, where there are any; painted skin stays.
    """
    include = exclude = None
    if dabs:
        include, exclude = painted(dabs, *signal.shape[:2])
    mask = skin_mask(signal)
    if faces:
        from aquin.measure.faces import face_mask

        seen = face_mask(signal)
        if (mask & seen).any():
            mask &= seen
    if include is not None and exclude is not None:
        mask = (mask | include) & ~exclude
    return mask


def skin_of(signal: Float32, mask: np.ndarray) -> tuple[float, float] | None:
    """Median angle in degrees on the BT.709 chroma plane and median luma in % of signal of the masked pixels; None
    for fewer than 40. `signal`: (h, w, 3) display signal; `mask`: (h, w) bool.
    """
    if int(mask.sum()) < 40:
        return None
    pixels = np.asarray(signal[mask], np.float64)
    return skin_angle(pixels), float(100 * np.median(pixels @ LUMA))


def skin_angle(pixels: Float64) -> float:
    """Median angle of the chroma of (n, 3) display signal, in degrees from +Cb towards +Cr."""
    plane = chroma(pixels).reshape(-1, 2)
    middle = np.arctan2(*plane.mean(axis=0)[::-1])
    away = np.arctan2(plane[:, 1], plane[:, 0]) - middle
    away = (away + np.pi) % (2 * np.pi) - np.pi
    return float(np.degrees(middle + np.median(away)) % 360)
