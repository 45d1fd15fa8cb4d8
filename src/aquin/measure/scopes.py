"""What the scopes draw: percentiles by column and the chroma plane, from a display signal."""

from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from aquin.arrays import Float32, Floats

LUMA = np.array([0.2126, 0.7152, 0.0722], np.float32)
"""BT.709 weights."""

SKIN_ANGLE = 123.0
"""Degrees from +Cb towards +Cr: where skin lies, whatever its darkness (common practice)."""

BINS = 256
LOW, HIGH = -0.05, 1.05
"""Signal at the lower and upper edge of the waveform."""


_POOL = ThreadPoolExecutor(3, thread_name_prefix="scopes")


@dataclass(frozen=True)
class Waveform:
    """`bands`: (columns, 3 percentiles, 4): 5th, 50th, 95th of R, G, B and luma, as signal (0 to 1)."""

    bands: Float32


def waveform(signal: Floats, columns: int = 120) -> Waveform:
    """Percentiles of (h, w, 3) display signal in equal columns, to a 256th of the scope's height."""
    return _bands(counts(signal, columns))


def _bands(counted: np.ndarray, low: float = LOW, step: float = (HIGH - LOW) / BINS) -> Waveform:
    """From (columns, 4, levels) pixels; the first level begins at `low`."""
    total = np.cumsum(counted, axis=2)
    bands = np.empty((len(total), 3, 4), np.float32)
    for k, share in enumerate((0.05, 0.5, 0.95)):
        place = (total < share * total[..., -1:]).sum(axis=2)
        bands[:, k] = (place + 0.5) * step + low
    return Waveform(bands)


def counts(signal: Floats, columns: int = 1) -> np.ndarray:
    """(columns, 4, BINS) pixels of R, G, B and luma by level from LOW to HIGH, in equal columns of (h, w, 3) display
    signal.
    """
    import cv2

    rgb, luma = _levels(signal)
    return _counted([*cv2.split(rgb), luma], min(columns, signal.shape[1]))


def _counted(planes: Sequence[np.ndarray], columns: int) -> np.ndarray:
    """(columns, planes, 256) pixels of (h, w) bytes by their value, in equal columns."""
    import cv2

    h, w = planes[0].shape
    out = np.empty((columns, len(planes), 256), np.float32)
    place = np.arange(w) * columns // w

    def count(first: int) -> None:
        last = min(first + COUNTED, columns)
        x0, x1 = np.searchsorted(place, (first, last))
        near = np.repeat((place[x0:x1] - first).astype(np.uint8)[None], h, axis=0)
        size = last - first
        for k, plane in enumerate(planes):
            found = cv2.calcHist([near, plane[:, x0:x1]], [0, 1], None, [size, 256], [0, size, 0, 256])
            out[first:last, k] = found.reshape(size, 256)

    list(_POOL.map(count, range(0, columns, COUNTED)))
    return out


COUNTED = 240
"""Columns that are counted at once: the number of a column is a byte, too."""


def _levels(signal: Floats) -> tuple[np.ndarray, np.ndarray]:
    """(h, w, 3) R, G, B and (h, w) luma as bytes: the number of the level, held at both ends."""
    import cv2

    whole = np.ascontiguousarray(signal, np.float32)
    scale = BINS / (HIGH - LOW)
    shift = -LOW * scale - 0.5  # half a level less, since rounding to bytes goes to the nearest
    luma = cv2.transform(whole, LUMA[None])
    rgb, y = (
        cv2.addWeighted(p.reshape(h, -1), scale, p.reshape(h, -1), 0, shift, dtype=cv2.CV_8U)
        for p in (whole, luma)
        for h in (len(whole),)
    )
    return np.asarray(rgb).reshape(whole.shape), np.asarray(y)


def chroma(signal: Floats) -> Float32:
    """(..., 3) display signal to (..., 2) BT.709 Cb and Cr, each from -0.5 to 0.5."""
    luma = signal @ LUMA
    return np.stack(
        [(signal[..., 2] - luma) / np.float32(1.8556), (signal[..., 0] - luma) / np.float32(1.5748)], axis=-1
    )


def chroma_density(signal: Floats, size: int = 128, reach: float = 0.5) -> Float32:
    """(size, size) share of the pixels by Cr (rows, +Cr first) and Cb (columns), over -reach to reach; held at the
    edges.
    """
    import cv2

    whole = np.ascontiguousarray(signal, np.float32)
    rows = np.array([-LUMA / np.float32(1.8556), -LUMA / np.float32(1.5748)], np.float32)
    rows[0, 2] += np.float32(1 / 1.8556)
    rows[1, 0] += np.float32(1 / 1.5748)
    scale = size / (2 * reach)
    held = []
    for row in rows:  # one after the other: for two at once OpenCV has no quick way
        plane = cv2.transform(whole, row[None])
        cells = cv2.addWeighted(plane, scale, plane, 0, reach * scale - 0.5, dtype=cv2.CV_8U)
        held.append(cv2.min(cells, size - 1) if size < 256 else cells)
    count = cv2.calcHist([held[1], held[0]], [0, 1], None, [size, size], [0, size, 0, size])
    return np.asarray(count[::-1] / max(whole.shape[0] * whole.shape[1], 1), np.float32)


@dataclass(frozen=True)
class Histogram:
    """`share`: (4, BINS) share of the pixels of R, G, B and luma by signal from LOW to HIGH. `under`, `over`: (3,)
    share of the pixels at or below 0 and at or above 1, per channel.
    """

    share: Float32
    under: Float32
    over: Float32


def histogram(signal: Floats) -> Histogram:
    """Of (h, w, 3) display signal."""
    whole = np.ascontiguousarray(signal, np.float32)
    many = max(whole.shape[0] * whole.shape[1], 1)
    return _histogram(counts(whole), many, _ends(whole))


def _histogram(counted: np.ndarray, many: int, ends: tuple[np.ndarray, np.ndarray]) -> Histogram:
    return Histogram(*(np.asarray(v, np.float32) for v in (counted.sum(axis=0) / many, *ends)))


def _ends(whole: Float32) -> tuple[np.ndarray, np.ndarray]:
    """(3,) shares of the pixels at or below 0, and at or above 1."""
    import cv2

    found = (cv2.mean(cv2.compare(whole, (v,) * 4, how)) for v, how in ((0.0, cv2.CMP_LE), (1.0, cv2.CMP_GE)))
    under, over = (np.array(shares[:3]) / 255 for shares in found)
    return under, over


@dataclass(frozen=True)
class Scopes:
    """What the scopes draw of one picture."""

    waveform: Waveform
    density: Float32
    histogram: Histogram


def scopes_of(signal: Floats | NDArray[np.uint8], columns: int = 120) -> Scopes:
    """All scopes of (h, w, 3) display signal; pixels are counted once for waveform and histogram.

    Bytes (0 to 255 for 0 to 1) are what is on a screen of 8 bit, and counted the fastest; floats also show what lies
    beyond 0 and 1.
    """
    many = max(signal.shape[0] * signal.shape[1], 1)
    if signal.dtype == np.uint8:
        return _scopes_of_bytes(np.ascontiguousarray(signal), columns, many)
    whole = np.ascontiguousarray(signal, np.float32)
    plane, ends = _POOL.submit(chroma_density, whole), _POOL.submit(_ends, whole)
    counted = counts(whole, columns)
    return Scopes(_bands(counted), plane.result(), _histogram(counted, many, ends.result()))


def _scopes_of_bytes(codes: NDArray[np.uint8], columns: int, many: int) -> Scopes:
    import cv2

    size, reach = 128, 0.5
    rows = np.zeros((3, 4), np.float32)  # luma, and the cells of the chroma plane, in one go
    rows[0, :3] = LUMA
    for k, (weight, channel) in enumerate(((1.8556, 2), (1.5748, 0)), start=1):
        rows[k, :3] = -LUMA / np.float32(weight)
        rows[k, channel] += np.float32(1 / weight)
        rows[k, :3] *= np.float32(size / (2 * reach) / 255)
        rows[k, 3] = size / 2 - 0.5
    luma, blue, red = cv2.split(cv2.transform(codes, rows))

    def density() -> Float32:
        cells = [cv2.min(c, size - 1) for c in (red, blue)]
        count = cv2.calcHist(cells, [0, 1], None, [size, size], [0, size, 0, size])
        return np.asarray(count[::-1] / many, np.float32)

    plane = _POOL.submit(density)
    found = _counted([*cv2.split(codes), luma], min(columns, codes.shape[1]))
    ends = found[:, :3, 0].sum(axis=0) / many, found[:, :3, 255].sum(axis=0) / many
    level = ((np.arange(256) / 255 - LOW) * (BINS / (HIGH - LOW))).astype(int)  # codes to levels
    counted = np.zeros((1, 4, BINS), np.float32)
    for channel, total in enumerate(found.sum(axis=0)):
        np.add.at(counted[0, channel], level, total)
    return Scopes(_bands(found, -0.5 / 255, 1 / 255), plane.result(), _histogram(counted, many, ends))


ZONES = (-6.0, -4.0, -2.0, -0.5, 0.5, 1.5, 2.5, 4.0)
"""Stops from 18 % grey that exposure zones lie between."""


def zones(stops: Floats) -> np.ndarray:
    """Stops from grey to the number of the zone, 0 to 8. Any shape."""
    return np.asarray(np.searchsorted(np.array(ZONES, np.float32), stops, side="right").astype(np.uint8))
