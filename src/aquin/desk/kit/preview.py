"""The preview picture: scene-linear to the screen through the baked view, and what the scopes need of it. No Qt."""

from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace

import cv2
import numpy as np

from aquin.arrays import Float32
from aquin.colour import acescct
from aquin.colour.baked import BakedView
from aquin.colour.difference import delta_e00, lab_of_ap1
from aquin.colour.grade import Grade
from aquin.colour.primaries import AP1_LUMA
from aquin.colour.region import WHOLE, Window
from aquin.desk.kit import monitor
from aquin.measure.scopes import zones

_POOL = ThreadPoolExecutor(2, thread_name_prefix="preview")


@dataclass(frozen=True)
class Shown:
    """One side ready to draw: (h, w, 4) bytes for the screen, and the display signal that the scopes are made of."""

    pixels: np.ndarray
    signal: Float32


def fit(linear: Float32, width: int, height: int) -> Float32:
    """The frame scaled down in scene-linear to fit a size; never scaled up."""
    h, w = linear.shape[:2]
    scale = min(width / w, height / h, 1.0)
    if scale >= 1:
        return linear
    return np.asarray(
        cv2.resize(linear, (max(int(w * scale), 1), max(int(h * scale), 1)), interpolation=cv2.INTER_AREA)
    )


def show(
    linear: Float32, grade: Grade, baked: BakedView, scale: float = 1.0, window: Window = WHOLE
) -> Shown:
    """Grade exactly, view through the LUT; two halves at once. `scale`: size of this picture over the frame's.
    `window`: the part of the frame that it is.
    """
    out = np.empty(linear.shape, np.float32)
    bytes_: np.ndarray = np.empty((*out.shape[:2], 4), np.uint8)
    height = len(linear)
    soft = grade.softness * scale >= 0.05  # only this needs what is around a pixel
    log = np.asarray(grade.picture(linear, scale, window), np.float32) if soft else None
    sharp = replace(grade, softness=0.0)
    left, top, right, bottom = window

    def graded_rows(rows: slice) -> Float32:
        first, last = (top + at / height * (bottom - top) for at in (rows.start, rows.stop))
        return np.asarray(sharp.picture(linear[rows], 1.0, (left, first, right, last)), np.float32)

    def half(rows: slice) -> None:
        out[rows] = baked.process(graded_rows(rows) if log is None else log[rows])
        scaled = np.clip(out[rows], 0, 1)
        scaled *= 255
        scaled += 0.5
        bytes_[rows, :, :3] = scaled[..., ::-1]
        bytes_[rows, :, 3] = 255

    rows = len(linear)
    list(_POOL.map(half, (slice(0, rows // 2), slice(rows // 2, rows))))
    return Shown(bytes_, out if out.size < 450_000 else out[::2, ::2])


def cut(linear: Float32, window: Window) -> tuple[Float32, Window]:
    """The pixels of a window of a frame, and the window that whole pixels make of it; at least 8 x 8 of them."""
    if window == WHOLE:
        return linear, WHOLE
    h, w = linear.shape[:2]

    def ends(low: float, high: float, size: int) -> tuple[int, int]:
        a = int(np.clip(np.floor(low * size), 0, max(size - 8, 0)))
        return a, int(np.clip(np.ceil(high * size), min(a + 8, size), size))

    (x0, x1), (y0, y1) = ends(window[0], window[2], w), ends(window[1], window[3], h)
    return linear[y0:y1, x0:x1], (x0 / w, y0 / h, x1 / w, y1 / h)


@dataclass(frozen=True)
class Wish:
    """What is to be seen of one side: its frame, grade, the window of it that fits into `size` pixels, and the area
    for the scopes.
    """

    linear: Float32
    grade: Grade
    window: Window
    size: tuple[int, int]
    area: Window = WHOLE
    zones: bool = False


@dataclass(frozen=True)
class Seen:
    """One side as made: the picture, where it lies in the frame, what the scopes are of, and the scaled linear pixels
    behind it.
    """

    picture: Shown
    window: Window
    scoped: Shown
    small: Float32
    zones: np.ndarray | None = None


SCOPED = (640, 360)
"""Pixels that the scopes look at where they don't look at what is on screen."""


def see(wish: Wish, baked: BakedView, small: tuple[Float32, Window] | None = None) -> Seen:
    """Make one side. `small`: the scaled pixels of the same frame, window and size, where they are at hand."""
    if small is None:
        part, window = cut(wish.linear, wish.window)
        small = fit(part, *wish.size), window
    pixels, window = small
    across = wish.linear.shape[1] * (window[2] - window[0])
    shown = show(pixels, wish.grade, baked, pixels.shape[1] / across, window)
    scoped = shown
    if wish.area != wish.window:
        part, where = cut(wish.linear, wish.area)
        few = fit(part, *SCOPED)
        scoped = show(few, wish.grade, baked, few.shape[1] / part.shape[1], where)
    seen = Shown(monitor.out(shown.pixels), shown.signal)  # the scopes are of what the deliverable has
    return Seen(seen, window, scoped, pixels, zoned(pixels, wish.grade, window) if wish.zones else None)


def as_bytes(signal: Float32) -> np.ndarray:
    """(h, w, 3) display signal to (h, w, 4) bytes for the screen."""
    return _bytes(cv2.convertScaleAbs(np.maximum(signal, 0), alpha=255))


ZONE_COLOURS = np.array(
    [
        [22, 14, 34],
        [52, 34, 84],
        [62, 66, 122],
        [84, 104, 112],
        [128, 128, 128],
        [150, 148, 96],
        [192, 158, 84],
        [226, 186, 132],
        [250, 240, 226],
    ],
    np.uint8,
)
"""From the deepest zone to the brightest, RGB; grey is the zone about 18 % grey."""

GAPS = (1.0, 2.0, 4.0, 8.0)
GAP_COLOURS = np.array([[34, 34, 34], [72, 72, 72], [66, 92, 118], [154, 120, 62], [238, 206, 140]], np.uint8)
"""dE00 up to 1, 2, 4, 8 and beyond, RGB."""


def zoned(linear: Float32, grade: Grade, window: Window = WHOLE) -> np.ndarray:
    """(h, w, 4) bytes: the graded picture's exposure zones."""
    light = graded(linear, grade, window) @ AP1_LUMA.astype(np.float32)
    return _bytes(ZONE_COLOURS[zones(np.log2(np.maximum(light, 1e-6) / np.float32(0.18)))])


def graded(linear: Float32, grade: Grade, window: Window = WHOLE) -> Float32:
    """Scene-linear under a grade, regions and all; softness is left out."""
    if not grade.regions:
        return np.asarray(grade.linear(linear), np.float32)
    return np.asarray(acescct.decode(replace(grade, softness=0.0).picture(linear, 1.0, window)), np.float32)


def gaps(hero: Float32, shot: Float32, size: tuple[int, int]) -> np.ndarray:
    """(h, w, 4) bytes: CIEDE2000 between two scene-linear pictures in steps, for a size (width, height); they are
    compared at a third of it.
    """
    few = (max(size[0] // 3, 16), max(size[1] // 3, 9))
    a, b = (
        lab_of_ap1(cv2.resize(x, few, interpolation=cv2.INTER_AREA).astype(np.float64)) for x in (hero, shot)
    )
    step = np.searchsorted(np.array(GAPS), delta_e00(a, b)).astype(np.uint8)
    return np.asarray(cv2.resize(_bytes(GAP_COLOURS[step]), size, interpolation=cv2.INTER_NEAREST))


def _bytes(rgb: np.ndarray) -> np.ndarray:
    out = np.full((*rgb.shape[:2], 4), 255, np.uint8)
    out[..., :3] = rgb[..., ::-1]
    return out
