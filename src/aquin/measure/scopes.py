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
    w = signal.shape[1]
    columns = min(columns, w)
    planes = np.concatenate([signal, (signal @ LUMA)[..., None]], axis=2)
    level = ((planes - np.float32(LOW)) * np.float32(BINS / (HIGH - LOW))).astype(np.int32).clip(0, BINS - 1)
    column = (np.arange(w) * columns // w).astype(np.int32)
    code = (column[None, :, None] * 4 + np.arange(4, dtype=np.int32)) * BINS + level
    count = np.bincount(code.ravel(), minlength=columns * 4 * BINS).reshape(columns, 4, BINS)
    total = np.cumsum(count, axis=2)
    bands = np.empty((columns, 3, 4), np.float32)
    for k, share in enumerate((0.05, 0.5, 0.95)):
        place = (total < share * total[..., -1:]).sum(axis=2)
        bands[:, k] = (place + 0.5) * ((HIGH - LOW) / BINS) + LOW
    return Waveform(bands)


def chroma(signal: Floats) -> Float32:
    """(..., 3) display signal to (..., 2) BT.709 Cb and Cr, each from -0.5 to 0.5."""
    luma = signal @ LUMA
    return np.stack(
        [(signal[..., 2] - luma) / np.float32(1.8556), (signal[..., 0] - luma) / np.float32(1.5748)], axis=-1
    )


def chroma_density(signal: Floats, size: int = 128, reach: float = 0.5) -> Float32:
    """(size, size) share of the pixels by Cr (rows, +Cr first) and Cb (columns), over -reach to reach."""
    plane = chroma(signal).reshape(-1, 2)
    at = ((plane + np.float32(reach)) * np.float32(size / (2 * reach))).astype(np.int32).clip(0, size - 1)
    count = np.bincount((size - 1 - at[:, 1]) * size + at[:, 0], minlength=size * size)
    return np.asarray(count.reshape(size, size) / max(len(plane), 1), np.float32)


@dataclass(frozen=True)
class Histogram:
    """`share`: (4, BINS) share of the pixels of R, G, B and luma by signal from LOW to HIGH. `under`, `over`: (3,) share of the pixels at or
    below 0 and at or above 1, per channel."""

    share: Float32
    under: Float32
    over: Float32


def histogram(signal: Floats) -> Histogram:
    """Of (h, w, 3) display signal."""
    flat = signal.reshape(-1, 3)
    planes = np.concatenate([flat, (flat @ LUMA)[:, None]], axis=1)
    level = ((planes - np.float32(LOW)) * np.float32(BINS / (HIGH - LOW))).astype(np.int32).clip(0, BINS - 1)
    count = np.bincount((level + np.arange(4, dtype=np.int32) * BINS).ravel(), minlength=4 * BINS)
    many = max(len(flat), 1)
    return Histogram(
        np.asarray(count.reshape(4, BINS) / many, np.float32),
        np.asarray((flat <= 0).sum(axis=0) / many, np.float32),
        np.asarray((flat >= 1).sum(axis=0) / many, np.float32),
    )


ZONES = (-6.0, -4.0, -2.0, -0.5, 0.5, 1.5, 2.5, 4.0)
"""Stops from 18 % grey that exposure zones lie between."""


def zones(stops: Floats) -> np.ndarray:
    """Stops from grey to the number of the zone, 0 to 8."""
    return np.asarray(np.searchsorted(np.array(ZONES, np.float32), stops, side="right").astype(np.uint8))
