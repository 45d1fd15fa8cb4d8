"""What evidence has the diversity for: a model is free only in what its pairs can tell."""

from dataclasses import dataclass

import numpy as np

from aquin.arrays import Float64
from aquin.colour.primaries import AP1_LUMA
from aquin.measure.ledger import Evidence

COLOURFUL = 0.12
"""Stops between channels that colours have to lie about grey, as both sides agree, for saturation to be known."""
AROUND = 0.09
"""The same across the direction in which they lie most, for what turns hues: matrix, root polynomial, warp."""
SECTORS = 3
"""Of six around grey, in which colours must lie for that."""
SECTOR = 0.2
"""Stops from grey from which a colour counts in its sector."""
TONES = 1.2
"""Stops from dark to light (5 to 95 %) that contrast needs."""


@dataclass(frozen=True)
class Diversity:
    """`most`, `least`: stops between channels by which pairs lie about their middle, along and across the direction in
    which they lie most, as far as both sides agree: noise, which they do not share, does not count. `sectors`: of six
    around grey, how many hold colours. `tones`: stops from dark to light.
    """

    most: float
    least: float
    sectors: int
    tones: float

    @property
    def saturation(self) -> bool:
        return self.most >= COLOURFUL

    @property
    def hues(self) -> bool:
        return self.saturation and self.least >= AROUND and self.sectors >= SECTORS

    @property
    def contrast(self) -> bool:
        return self.tones >= TONES

    @property
    def words(self) -> str:
        """What the evidence can't tell; empty where it can tell all."""
        if not self.contrast:
            return f"the pairs span {self.tones:.1f} stops only, so contrast and saturation are left alone"
        if not self.saturation:
            return "the pairs are nearly all grey, so saturation and hues are left alone"
        if not self.hues:
            return "the pairs hold few hues, so hues are left alone"
        return ""


def diversity_of(evidence: Evidence) -> Diversity:
    """Of (n, 3) scene-linear pairs. With fewer than three there is none."""
    if len(evidence.hero) < 3:
        return Diversity(0.0, 0.0, 0, 0.0)
    planes = [_plane(side) for side in (evidence.hero, evidence.shot)]
    away = [p - _middle(p, evidence.neutral) for p in planes]
    shared = away[0].T @ away[1] / len(away[0])
    low, high = np.linalg.eigvalsh((shared + shared.T) / 2)
    both = (away[0] + away[1]) / 2
    agreed = np.minimum(np.hypot(*away[0].T), np.hypot(*away[1].T)) > SECTOR
    near = np.sum(away[0] * away[1], axis=1) > 0
    angle = np.degrees(np.arctan2(both[:, 1], both[:, 0]))[agreed & near] % 360
    luma = np.log2(np.maximum(evidence.hero @ AP1_LUMA, 1e-6))
    dark, light = np.percentile(luma, (5, 95))
    return Diversity(
        float(np.sqrt(max(high, 0.0))),
        float(np.sqrt(max(low, 0.0))),
        len(set((angle // 60).astype(int).tolist())),
        float(light - dark),
    )


def _plane(colours: Float64) -> Float64:
    """(n, 2) stops between channels: red over blue, and green over both."""
    r, g, b = np.log2(np.maximum(colours, 1e-5)).T
    return np.stack([(r - b) / np.sqrt(2), (2 * g - r - b) / np.sqrt(6)], axis=1)


def _middle(plane: Float64, neutral: np.ndarray) -> Float64:
    """(2,) where grey is: the known neutrals, else the middle of all."""
    return np.asarray(np.median(plane[neutral] if neutral.any() else plane, axis=0), np.float64)
