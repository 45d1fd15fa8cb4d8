"""How far the colours of one side have to be moved to lie over another side's, whatever each shows how much of.

The means of two sides differ by what is in them: more sky, less wall. Sky and wall themselves lie where they lie. So
the densities of chroma are laid over each other, band by band of tone, and what moves most of one onto the other is
looked for: the shift with the largest Bhattacharyya coefficient (A. Bhattacharyya, Bull. Calcutta Math. Soc. 35, 1943),
which peaks where the same things meet, and counts amounts by their square roots.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from aquin.arrays import Complex128, Float64
from aquin.colour import acescct
from aquin.colour.cdl import LUMA

BIN = 0.02
"""Stops."""
REACH = 1.6
"""Stops of red and of blue over green that are looked at."""
BLUR = 0.04
"""Stops by which single colours are spread."""
BAND = 1.0
"""Stops of luma that are laid over each other together; half of it apart."""
FARTHEST = 0.3
"""Stops."""
LEAST = 50
"""Pixels of a band."""
COUNTS = 120.0
"""By how much the logarithm of an overlap counts against what looks usually do."""
STEPS = (-1, 0, 1)
"""Half bands by which tones may be off."""
LIFT = 0.3
"""Stops by which tones are usually off, as a standard deviation."""
USUAL = 0.08
"""Stops of a channel by which looks usually tint, as a standard deviation."""


@dataclass(frozen=True)
class Overlap:
    """The chroma of one side in some tones. `bands`: transforms of the roots of densities, None where there is too
    little; `counts`: pixels.
    """

    bands: tuple[Complex128 | None, ...]
    counts: tuple[int, ...]

    @classmethod
    def of(cls, pixels: Float64, low: float, high: float, scale: float = 1.0) -> Overlap:
        """From (n, 3) ACEScct, between stops from grey, chroma taken `scale` times."""
        from scipy.ndimage import gaussian_filter

        stops = (pixels @ np.array(LUMA) - acescct.GREY) / acescct.STOP
        over = (pixels[:, [0, 2]] - pixels[:, 1:2]) * (scale / acescct.STOP)
        inside = (np.abs(over) < REACH).all(axis=1)
        size = round(2 * REACH / BIN)
        cells = np.floor((over + REACH) / BIN).astype(int) @ np.array([size, 1])
        bands: list[Complex128 | None] = []
        counts: list[int] = []
        for begin in np.arange(low, high - BAND / 2, BAND / 2):
            held = cells[inside & (stops > begin) & (stops < begin + BAND)]
            counts.append(len(held))
            if len(held) < LEAST:
                bands.append(None)
                continue
            seen = np.bincount(held, minlength=size * size).reshape(size, size).astype(np.float64)
            bands.append(np.fft.rfft2(np.sqrt(gaussian_filter(seen / len(held), BLUR / BIN))))
        return cls(tuple(bands), tuple(counts))

    def shift(self, other: Overlap, already: Float64) -> tuple[Float64, float]:
        """(3,) stops of a channel by which `other` has to be moved to lie over this, luma kept, and what that is worth;
        `already`: (3,) by which it was moved. Zeros where there is too little in common to say.
        """
        return max((self._shift(other, already, step) for step in STEPS), key=lambda found: found[1])

    def _shift(self, other: Overlap, already: Float64, step: int) -> tuple[Float64, float]:
        """The same where `other` is that many half bands darker."""
        found, weight = np.zeros(1), 0.0
        count = len(self.bands)
        for k in range(max(0, step), min(count, count + step)):
            here, there = self.bands[k], other.bands[k - step]
            if here is not None and there is not None:
                both = float(np.sqrt(self.counts[k] * other.counts[k - step]))
                found = found + both * np.fft.irfft2(here * np.conj(there))
                weight += both
        if not weight:
            return np.zeros(3), -np.inf
        far = round(FARTHEST / BIN)
        found = np.roll(found / weight, (far, far), axis=(0, 1))[: 2 * far + 1, : 2 * far + 1]
        at = BIN * np.arange(-far, far + 1)
        red, blue = np.meshgrid(at, at, indexing="ij")
        ways = np.stack([red, np.zeros_like(red), blue], axis=-1)
        ways = ways - (ways @ np.array(LUMA))[..., None]
        usual = ((ways + already) ** 2).sum(axis=-1) / (2 * USUAL**2)
        usual = usual + (step * BAND / 2 / LIFT) ** 2 / 2
        worth = COUNTS * np.log(np.maximum(found, 1e-6)) - usual
        i, j = np.unravel_index(int(np.argmax(worth)), worth.shape)
        red_at, blue_at = at[i] + BIN * top(worth[:, j], int(i)), at[j] + BIN * top(worth[i], int(j))
        way = np.array([red_at, 0.0, blue_at])
        return np.asarray(way - way @ np.array(LUMA)), float(worth[i, j])


def top(values: Float64, k: int) -> float:
    """Where the parabola through the largest of (n,) values, the `k`-th, and its neighbours peaks, in steps from it."""
    if not 0 < k < len(values) - 1:
        return 0.0
    before, at, after = values[k - 1 : k + 2]
    bend = before - 2 * at + after
    return float(0.5 * (before - after) / bend) if bend < 0 else 0.0
