"""A survey of a shot from a few of its frames: where its codes lie, how light, how warm and how colourful it is."""

from collections.abc import Callable, Sequence
from dataclasses import asdict, dataclass
from typing import Any

import numpy as np

from aquin.arrays import Float32, Float64, Floats, all_three, any_of_three
from aquin.colour.primaries import AP1_LUMA
from aquin.measure.clipping import clip_levels

SHARES = (0.01, 0.1, 1, 5, 25, 50, 75, 95, 99, 99.9, 99.99)
"""Percentiles that are kept, in per cent."""
AT = {share: k for k, share in enumerate(SHARES)}

STRIDE = 3
"""Every third pixel of every third line counts, of pictures up to 1920 by 1080."""

FEWEST = 57_600
"""Pixels of a frame that count at least, of larger pictures (UHD and up): a value's place among them is known to a
fraction of a per cent, and more would take longer than decoding them.
"""

DARK = 2.0**-10
"""Scene-linear level that darker pixels are taken for in stops."""


def stride_of(width: int, height: int) -> int:
    """Every how many-th pixel of a line, and line, counts: fewer of them, the larger the picture."""
    size, hd = width * height, 1920 * 1080
    wanted = max(hd / STRIDE**2 * min(hd / size, 1.0), FEWEST)
    return max(STRIDE, round(float(np.sqrt(size / wanted))))


@dataclass(frozen=True)
class Survey:
    """Numbers over all surveyed frames.

    `signal`: (11, 3) percentiles `SHARES` of the signal per channel. `luma`: (11,) the same of luma. `stops`: (11,)
    percentiles of log2 luminance over 18 % grey, scene-linear AP1. `warm`, `green`: medians of log2 R/B, and of
    log2 G over the mean of R and B, of pixels that are neither dark nor clipped. `spread`: (2,) their robust
    sigmas. `colourful`: mean distance of the signal's channels from their luma. `clipped`: share of pixels at the
    recording's ceiling. `floored`: at its floor. `below`: share of pixels whose luma is clearly below the
    encoding's black (0 where it has none).
    """

    signal: tuple[tuple[float, float, float], ...]
    luma: tuple[float, ...]
    stops: tuple[float, ...]
    warm: float
    green: float
    spread: tuple[float, float]
    colourful: float
    clipped: float
    floored: float
    below: float
    frames: int

    def data(self) -> dict[str, Any]:
        """As plain values for JSON."""
        return asdict(self)

    @classmethod
    def of(cls, data: dict[str, Any]) -> "Survey":
        """From what `data` gave, also after JSON."""
        held = dict(data)
        held["signal"] = tuple(tuple(row) for row in held["signal"])
        for name in ("luma", "stops", "spread"):
            held[name] = tuple(held[name])
        return cls(**held)


def survey(
    frames: Sequence[Float32],
    to_linear: Callable[[Floats], Float32],
    luma: Sequence[float],
    black: float | None,
) -> Survey:
    """Survey frames, each (h, w, 3) of the file's signal, thinned out by `STRIDE` or whole.

    `to_linear`: signal to scene-linear AP1. `luma`: weights of the signal's luma. `black`: signal of scene-linear 0
    in the encoding, or None where it has no such level.
    """
    few = [np.ascontiguousarray(f) for f in frames]
    limits = [clip_levels(f) for f in few]
    pixels = np.concatenate([f.reshape(-1, 3) for f in few])
    high = np.concatenate([any_of_three(f >= top).ravel() for f, (_, top) in zip(few, limits, strict=True)])
    low = np.concatenate(
        [any_of_three(f <= floor).ravel() for f, (floor, _) in zip(few, limits, strict=True)]
    )
    y = pixels @ np.asarray(luma, np.float32)
    linear = to_linear(pixels)
    light = linear @ AP1_LUMA.astype(np.float32)
    stops = np.log2(np.maximum(light, DARK) / 0.18)
    warm, green = _cast(linear, stops, high)
    return Survey(
        tuple(zip(*(_percentiles(plane) for plane in pixels.T), strict=True)),
        _percentiles(y),
        _percentiles(stops),
        _median(warm),
        _median(green),
        (_sigma(warm), _sigma(green)),
        float(np.abs(pixels - y[:, None]).mean()),
        float(high.mean()),
        float(low.mean()),
        0.0 if black is None else float((y < black - 0.02).mean()),
        len(frames),
    )


def levels(frames: Sequence[Float32], to_linear: Callable[[Floats], Float32]) -> list[list[float]]:
    """Of each frame, (h, w, 3) of the file's signal: quartiles of log2 luminance, warmth and greenness, in stops: five
    numbers by which frames of one take are compared.
    """
    out = []
    for frame in frames:
        few = np.ascontiguousarray(frame[::2, ::2])
        _, top = clip_levels(few)
        pixels = few.reshape(-1, 3)
        linear = to_linear(pixels)
        stops = np.log2(np.maximum(linear @ AP1_LUMA.astype(np.float32), DARK) / 0.18)
        cast = _cast(linear, stops, any_of_three(pixels >= top))
        row = [*np.percentile(stops, (25, 50, 75)), *(_median(c) for c in cast)]
        out.append([round(float(v), 4) for v in row])
    return out


def _percentiles(values: Floats) -> tuple[float, ...]:
    """At `SHARES`, linear between values as NumPy has it; sorting is quicker than its partitions."""
    ordered = np.sort(np.ascontiguousarray(values))
    places = np.array(SHARES) / 100 * (len(ordered) - 1)
    low = np.floor(places).astype(int)
    high = np.minimum(low + 1, len(ordered) - 1)
    share = places - low
    return tuple(float(v) for v in (1 - share) * ordered[low] + share * ordered[high])


def _cast(linear: Float32, stops: Float32, clipped: np.ndarray) -> tuple[Float64, Float64]:
    """Warmth and greenness in stops of the pixels between the 10th and the 97th percentile of light."""
    step = max(len(stops) // 80_000, 1)
    linear, stops, clipped = linear[::step], stops[::step], clipped[::step]
    low, high = np.percentile(stops, (10, 97))
    rgb = linear[(stops >= low) & (stops <= high) & ~clipped & all_three(linear > DARK)].astype(np.float64)
    if len(rgb) < 50:
        return np.zeros(1), np.zeros(1)
    r, g, b = np.log2(rgb).T
    return r - b, g - (r + b) / 2


def _median(values: Float64) -> float:
    return float(np.median(values))


def _sigma(values: Float64) -> float:
    return float(1.4826 * np.median(np.abs(values - np.median(values))))
