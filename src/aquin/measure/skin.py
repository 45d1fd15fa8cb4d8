"""Skin in a picture: where faces are seen, what has their colour; and what a person painted. Nothing about a face is
kept but a mask.

It is looked for once in the picture as filmed, evened out in exposure and white, and holds for that picture under any
grade: an axis that is measured in it moves with the pixels, not with the mask.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from aquin.arrays import Float32, Float64
from aquin.colour import acescct
from aquin.colour.primaries import AP1_LUMA
from aquin.measure.faces import Face, around, find_faces, middle_of
from aquin.measure.scopes import LUMA, chroma

WIDE = 640
"""Skin is looked for in pictures at most this wide."""
LEAST_AREA = 0.0004
"""Share of the picture that an area must fill."""
SHADES = 6
"""Power of the mean that passes for white (Finlayson & Trezzi 2004, "Shades of gray")."""
BRIGHT, LEVEL = 97.0, 0.6
"""Scene-linear level that this percentile of the picture's luminance is brought to: hardly anything clips."""
LIKE = 2.6
"""Sigmas from a face's colour within which pixels are skin."""
LEAST_SIGMA = 0.10
"""Stops between channels: the least sigma of a face's colour."""
DARKER, LIGHTER = -2.2, 1.6
"""Stops from a face's median luminance."""
OTHERS = 1.0
"""Skin beside faces (hands, arms) is taken up to so many times their own area; more is a wall or a floor."""
OTHERS_LIKE = 1.6
"""Sigmas from a face's colour within which that is."""

View = Callable[[Any], Any]


def evened(linear: Float32) -> Float32:
    """(h, w, 3) scene-linear AP1 brought to one exposure and white, whatever gains it came with."""
    pixels = np.maximum(np.asarray(linear[::2, ::2], np.float64).reshape(-1, 3), 0)
    white = np.maximum(np.mean(pixels**SHADES, axis=0) ** (1 / SHADES), 1e-9)
    white = white / white.mean()
    level = np.maximum((pixels / white) @ AP1_LUMA, 1e-7)
    gain = LEVEL / max(float(np.percentile(level, BRIGHT)), 1e-7)
    return np.asarray(linear * (gain / white), np.float32)


def skin_mask(linear: Float32, view: View, near: bool = False) -> np.ndarray:
    """(h, w) bool of the skin in (h, w, 3) scene-linear AP1, as filmed: what has a seen face's colour; nothing where no
    face is seen. `view`: ACEScct to display signal. `near`: faces and necks only.
    """
    import cv2

    whole = linear.shape[:2]
    if whole[1] > WIDE:
        few = (WIDE, max(round(whole[0] * WIDE / whole[1]), 1))
        linear = np.asarray(cv2.resize(linear, few, interpolation=cv2.INTER_AREA), np.float32)
    even = evened(linear)
    signal = np.asarray(view(np.ascontiguousarray(acescct.encode(even), np.float32)), np.float32)
    mask = np.zeros(even.shape[:2], bool)
    for face in find_faces(signal):
        mask |= _like(even, face, near)
    if mask.shape != whole:
        mask = cv2.resize(mask.astype(np.uint8), (whole[1], whole[0]), interpolation=cv2.INTER_NEAREST) > 0
    return np.asarray(mask)


def _like(linear: Float32, face: Face, near: bool) -> np.ndarray:
    """(h, w) bool: the face's own skin and what else has its colour, area by area."""
    import cv2

    h, w = linear.shape[:2]
    log = np.log2(np.maximum(linear, 1e-5))
    plane = np.stack([log[..., 0] - log[..., 1], log[..., 2] - log[..., 1]], axis=-1)
    level = np.log2(np.maximum(linear @ AP1_LUMA.astype(np.float32), 1e-5))
    seed = middle_of(face, h, w)
    colour, light = np.median(plane[seed], axis=0), float(np.median(level[seed]))
    core = np.abs(plane[seed] - colour).max(axis=1) < 0.5
    spread = np.cov(plane[seed][core].T) if core.sum() > 20 else np.eye(2) * LEAST_SIGMA**2
    inverse = np.linalg.inv(spread + np.eye(2) * LEAST_SIGMA**2)
    off = plane - colour
    away = np.einsum("...i,ij,...j->...", off, inverse, off)
    found = (away < LIKE**2) & (level - light > DARKER) & (level - light < LIGHTER)
    close = around(face, h, w)
    kernel = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (3, 3))
    own = found & close
    if near:
        return np.asarray(own)
    beside = found & ~close & (away < OTHERS_LIKE**2)
    opened = cv2.morphologyEx(beside.astype(np.uint8), cv2.MORPH_OPEN, kernel, iterations=2)
    count, labels, stats, _ = cv2.connectedComponentsWithStats(opened, connectivity=8)
    area = stats[1:, cv2.CC_STAT_AREA]
    large = np.zeros(count, bool)
    large[1:] = (area > LEAST_AREA * h * w) & (area < OTHERS * max(int(own.sum()), 1))
    others = large[labels]
    return np.asarray(own | others if others.sum() < OTHERS * own.sum() else own)


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


def find_skin(linear: Float32, view: View, dabs: Sequence[Dab] = (), faces: bool = False) -> np.ndarray:
    """(h, w) bool of the skin in (h, w, 3) scene-linear AP1 as filmed, with what a person painted. `view`: ACEScct to
    display signal. `faces`: only in faces and at necks.
    """
    mask = skin_mask(linear, view, faces)
    if dabs:
        include, exclude = painted(dabs, *linear.shape[:2])
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
