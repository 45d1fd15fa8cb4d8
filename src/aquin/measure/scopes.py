"""What the scopes draw: percentiles by column and the chroma plane, from a display signal."""

from dataclasses import dataclass

import numpy as np

from aquin.arrays import Float32, Floats

LUMA = np.array([0.2126, 0.7152, 0.0722], np.float32)
"""BT.709 weights."""

SKIN_ANGLE = 123.0
"""Degrees from +Cb towards +Cr: where skin lies, whatever its darkness (common practice)."""

BINS = 256
LOW, HIGH = -0.05, 1.05
"""Signal at the lower and upper edge of the waveform."""


@dataclass(frozen=True)
class Waveform:
    """`bands`: (columns, 3 percentiles, 4): 5th, 50th, 95th of R, G, B and luma, as signal (0 to 1)."""

    bands: Float32


def waveform(signal: Floats, columns: int = 120) -> Waveform:
    """Percentiles of (h, w, 3) display signal in equal columns, to a 256th of the scope's height."""
    total = np.cumsum(counts(signal, columns), axis=2)
    bands = np.empty((len(total), 3, 4), np.float32)
    for k, share in enumerate((0.05, 0.5, 0.95)):
        place = (total < share * total[..., -1:]).sum(axis=2)
        bands[:, k] = (place + 0.5) * ((HIGH - LOW) / BINS) + LOW
    return Waveform(bands)


def counts(signal: Floats, columns: int = 1) -> np.ndarray:
    """(columns, 4, BINS) pixels of R, G, B and luma by level from LOW to HIGH, in equal columns of (h, w, 3) display signal."""
    import cv2

    w = signal.shape[1]
    columns = min(columns, w)
    levels = _levels(signal)
    edges = -(-np.arange(columns + 1) * w // columns)  # the pixel x lies in column x * columns // w
    out = np.empty((columns, 4, BINS), np.float32)
    for channel in range(4):
        upright = cv2.transpose(levels[channel])
        for k in range(columns):
            part = upright[edges[k] : edges[k + 1]]
            out[k, channel] = cv2.calcHist([part], [0], None, [BINS], [0, BINS]).ravel()
    return out


def _levels(signal: Floats) -> list[np.ndarray]:
    """R, G, B and luma as bytes: the number of the level, held at both ends."""
    import cv2

    whole = np.ascontiguousarray(signal, np.float32)
    scale = BINS / (HIGH - LOW)
    planes = [*cv2.split(whole), cv2.transform(whole, LUMA[None])]
    # half a level less, since rounding to bytes goes to the nearest
    return [np.asarray(cv2.addWeighted(p, scale, p, 0, -LOW * scale - 0.5, dtype=cv2.CV_8U)) for p in planes]


def chroma(signal: Floats) -> Float32:
    """(..., 3) display signal to (..., 2) BT.709 Cb and Cr, each from -0.5 to 0.5."""
    luma = signal @ LUMA
    return np.stack(
        [(signal[..., 2] - luma) / np.float32(1.8556), (signal[..., 0] - luma) / np.float32(1.5748)], axis=-1
    )


def chroma_density(signal: Floats, size: int = 128, reach: float = 0.5) -> Float32:
    """(size, size) share of the pixels by Cr (rows, +Cr first) and Cb (columns), over -reach to reach; held at the edges."""
    import cv2

    whole = np.ascontiguousarray(signal, np.float32)
    rows = np.array([-LUMA / np.float32(1.8556), -LUMA / np.float32(1.5748)], np.float32)
    rows[0, 2] += np.float32(1 / 1.8556)
    rows[1, 0] += np.float32(1 / 1.5748)
    scale = size / (2 * reach)
    plane = cv2.transform(whole, rows)
    cells = [
        np.asarray(cv2.addWeighted(p, scale, p, 0, reach * scale - 0.5, dtype=cv2.CV_8U))
        for p in cv2.split(plane)
    ]
    held = [np.minimum(c, size - 1) for c in cells]
    count = cv2.calcHist([held[1], held[0]], [0, 1], None, [size, size], [0, size, 0, size])
    return np.asarray(count[::-1] / max(whole.shape[0] * whole.shape[1], 1), np.float32)


@dataclass(frozen=True)
class Histogram:
    """`share`: (4, BINS) share of the pixels of R, G, B and luma by signal from LOW to HIGH. `under`, `over`: (3,) share of the pixels at or
    below 0 and at or above 1, per channel."""

    share: Float32
    under: Float32
    over: Float32


def histogram(signal: Floats) -> Histogram:
    """Of (h, w, 3) display signal."""
    import cv2

    whole = np.ascontiguousarray(signal, np.float32)
    many = max(whole.shape[0] * whole.shape[1], 1)
    share = [cv2.calcHist([p], [0], None, [BINS], [0, BINS]).ravel() for p in _levels(whole)]
    under = [np.count_nonzero(p <= 0) for p in cv2.split(whole)]
    over = [np.count_nonzero(p >= 1) for p in cv2.split(whole)]
    return Histogram(*(np.asarray(np.array(v) / many, np.float32) for v in (share, under, over)))


ZONES = (-6.0, -4.0, -2.0, -0.5, 0.5, 1.5, 2.5, 4.0)
"""Stops from 18 % grey that exposure zones lie between."""


def zones(stops: Floats) -> np.ndarray:
    """Stops from grey to the number of the zone, 0 to 8."""
    return np.asarray(np.searchsorted(np.array(ZONES, np.float32), stops, side="right").astype(np.uint8))
