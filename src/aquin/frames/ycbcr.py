"""YCbCr planes to RGB in float, with no 8-bit step."""

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from aquin.arrays import Float32
from aquin.frames.chroma_site import LEFT, Site
from aquin.frames.model import Matrix, Range

# Luma weights of red and blue: BT.601-7, BT.709-6 and BT.2020-2 (non-constant luminance).
WEIGHTS: dict[str, tuple[float, float]] = {
    "bt601": (0.299, 0.114),
    "bt709": (0.2126, 0.0722),
    "bt2020": (0.2627, 0.0593),
}


BAND = 256
"""Lines that are worked on at once: a multiple of every factor of subsampling."""


@dataclass(frozen=True)
class Planes:
    """Integer planes as stored. For `rgb`, luma is green and the others are blue and red; grey has no chroma."""

    luma: NDArray[Any]
    cb: NDArray[Any] | None
    cr: NDArray[Any] | None
    bits: int
    rgb: bool


def thinned(planes: Planes, step: int) -> Planes:
    """Every `step`-th sample of each line and column; chroma at the sites nearest to them."""
    h, w = planes.luma.shape
    rows, columns = np.arange(step // 2, h, step), np.arange(step // 2, w, step)

    def nearest(plane: NDArray[Any] | None) -> NDArray[Any] | None:
        if plane is None:
            return None
        ph, pw = plane.shape
        return np.asarray(plane[np.ix_(rows * ph // h, columns * pw // w)])

    luma = np.asarray(planes.luma[np.ix_(rows, columns)])
    return Planes(luma, nearest(planes.cb), nearest(planes.cr), planes.bits, planes.rgb)


def to_rgb(planes: Planes, matrix: Matrix, range: Range, site: Site = LEFT) -> Float32:
    """(h, w, 3) float32, nominal black 0 and white 1; values outside survive.

    Quantisation after BT.2100-2 table 9: legal black and white are 16 and 235 (chroma 128 +- 112) times 2^(bits - 8);
    full range takes every code. `site`: where chroma lies; usually co-sited left, between lines.
    """
    step = float(2 ** (planes.bits - 8))
    top = float(2**planes.bits - 1)
    black, white = (16 * step, 235 * step) if range == "legal" else (0.0, top)
    scale = np.float32(1 / (white - black))
    if planes.cb is None or planes.cr is None:
        return np.repeat(
            ((planes.luma.astype(np.float32) - np.float32(black)) * scale)[:, :, None], 3, axis=2
        )
    if planes.rgb:
        luma = (planes.luma.astype(np.float32) - np.float32(black)) * scale
        blue, red = ((p.astype(np.float32) - np.float32(black)) * scale for p in (planes.cb, planes.cr))
        return np.stack([red, luma, blue], axis=2)
    import cv2

    reach = 224 * step if range == "legal" else top
    middle = float(2 ** (planes.bits - 1))
    h, w = planes.luma.shape
    kr, kb = WEIGHTS[matrix]
    kg = 1 - kr - kb
    rgb = np.empty((h, w, 3), np.float32)
    for first in np.arange(0, h, BAND):  # what is made on the way stays small
        rows = slice(int(first), min(int(first) + BAND, h))
        luma = (planes.luma[rows].astype(np.float32) - np.float32(black)) * scale
        green, made = luma.copy(), []
        for plane, share in ((planes.cr, kr), (planes.cb, kb)):
            gain = 2 * (1 - share)
            chroma = _chroma(plane, rows, h, w, site, middle, reach / gain)
            made.append(luma + chroma)
            chroma *= np.float32(share / kg)
            green -= chroma
        cv2.merge([made[0], green, made[1]], rgb[rows])
    return rgb


def _chroma(
    plane: NDArray[Any], rows: slice, h: int, w: int, site: Site, middle: float, reach: float
) -> Float32:
    """Some lines of a chroma plane, over `reach`, on the luma grid of (h, w): from its samples there and one more on
    either side.
    """
    factor = _factor(h, plane.shape[0])
    low = max(rows.start // factor - 1, 0)
    high = min(-(-rows.stop // factor) + 1, plane.shape[0])
    lines = min(high * factor, h) - low * factor
    small = (plane[low:high].astype(np.float32) - np.float32(middle)) * np.float32(1 / reach)
    full = _to_full_size(small, lines, w) if site == LEFT else _sited(small, lines, w, site)
    return full[rows.start - low * factor : rows.stop - low * factor]


def _to_full_size(plane: Float32, h: int, w: int) -> Float32:
    """Linear interpolation of a chroma plane to the luma grid."""
    if plane.shape[1] < w:
        factor = _factor(w, plane.shape[1])
        after = np.concatenate([plane[:, 1:], plane[:, -1:]], axis=1)
        wide = np.empty((plane.shape[0], plane.shape[1] * factor), np.float32)
        for k in np.arange(factor):
            t = np.float32(k / factor)
            wide[:, k::factor] = (1 - t) * plane + t * after
        plane = wide[:, :w]
    if plane.shape[0] < h:
        import cv2

        tall = plane.shape[0] * _factor(h, plane.shape[0])
        plane = np.asarray(cv2.resize(plane, (w, tall), interpolation=cv2.INTER_LINEAR)[:h], np.float32)
    return plane


def _sited(plane: Float32, h: int, w: int, site: Site) -> Float32:
    """The same for samples that lie elsewhere in their block."""
    for axis, whole, offset in ((1, w, site[0]), (0, h, site[1])):
        count = plane.shape[axis]
        if count >= whole:
            continue
        at = np.clip((np.arange(whole) - offset) / _factor(whole, count), 0, count - 1)
        low = np.minimum(at.astype(int), count - 1)
        t = (at - low).astype(np.float32)
        t = t[:, None] if axis == 0 else t[None, :]
        high = np.minimum(low + 1, count - 1)
        plane = (1 - t) * np.take(plane, low, axis) + t * np.take(plane, high, axis)
    return np.asarray(plane, np.float32)


def _factor(whole: int, part: int) -> int:
    """By how much a plane is subsampled on one side."""
    return next(f for f in (1, 2, 4, 8) if -(-whole // f) <= part)
