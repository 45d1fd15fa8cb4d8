"""Drift: how light changes over the time of day in one setup, as smooth functions with their uncertainty.

Gaussian process regression (Rasmussen & Williams 2006, chapter 2) with a Matern 3/2 kernel on each of exposure
(stops), warmth and green (log2 ratios of the channels); how fast and how far light changes is found by the largest
likelihood on a grid.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from aquin.arrays import Float64
from aquin.colour.primaries import AP1_LUMA

LENGTHS = (300.0, 600.0, 1200.0, 2400.0, 4800.0)
"""Seconds over which light changes."""
SIZES = (0.1, 0.3, 1.0, 2.0)
"""Standard deviations of the change, in stops."""
NOISE = 0.015
"""Stops by which an observation is off at least."""


@dataclass(frozen=True)
class Seen:
    """One observation: time of day in seconds, log2 of each channel against the hero, (3,), and its standard error in
    stops.
    """

    at: float
    change: tuple[float, float, float]
    error: float = 0.02


@dataclass(frozen=True)
class Drift:
    """Against the hero at its own time. Empty `seen`: no change is known."""

    seen: tuple[Seen, ...]

    def at(self, seconds: float) -> tuple[Float64, float]:
        """(3,) log2 of the channels, and the standard error in stops; observations themselves come back nearly as
        they are.
        """
        if not self.seen:
            return np.zeros(3), 0.0
        values, error = self.curve(np.array([seconds]))
        return values[0], float(error[0])

    def curve(self, seconds: Float64) -> tuple[Float64, Float64]:
        """(n,) times to (n, 3) log2 of the channels and (n,) standard errors in stops."""
        if len(self.seen) == 1:
            one = np.array(self.seen[0].change)
            return np.repeat(one[None], len(seconds), axis=0), np.full(len(seconds), 0.3)
        times = np.array([s.at for s in self.seen])
        parts = to_parts(np.array([s.change for s in self.seen]))
        noise = np.array([max(s.error, NOISE) for s in self.seen]) ** 2
        length, size = self._shape(times, parts, noise)
        base = parts.mean(axis=0)
        kernel = _matern(times[:, None] - times[None], length) * size**2
        inverse = np.linalg.inv(kernel + np.diag(noise))
        across = _matern(seconds[:, None] - times[None], length) * size**2
        mean = base + across @ inverse @ (parts - base)
        variance = size**2 - np.einsum("ij,jk,ik->i", across, inverse, across)
        return from_parts(mean), np.sqrt(np.maximum(variance, 0) + NOISE**2)

    @property
    def span(self) -> float:
        """Stops by which a channel changes over all that was seen."""
        return float(np.ptp([s.change for s in self.seen], axis=0).max()) if len(self.seen) > 1 else 0.0

    def between(self, one: float, other: float) -> float:
        """Stops by which a channel differs between two times of day, its own uncertainty included."""
        if len(self.seen) < 2:
            return 0.0
        values, errors = self.curve(np.array([one, other]))
        return float(np.hypot(np.abs(values[0] - values[1]).max(), errors.max()))

    @staticmethod
    def _shape(times: Float64, parts: Float64, noise: Float64) -> tuple[float, float]:
        """Length and size of the greatest likelihood."""
        centred = parts - parts.mean(axis=0)
        best, out = -np.inf, (1200.0, 0.3)
        for length in LENGTHS:
            shape = _matern(times[:, None] - times[None], length)
            for size in SIZES:
                cover = shape * size**2 + np.diag(noise)
                sign, log = np.linalg.slogdet(cover)
                if sign <= 0:
                    continue
                fit = (
                    -0.5 * float(np.einsum("ik,ij,jk->", centred, np.linalg.inv(cover), centred)) - 1.5 * log
                )
                if fit > best:
                    best, out = fit, (length, size)
        return out


def drift_of(seen: Sequence[Seen]) -> Drift:
    """In the order of time; several at one moment are averaged."""
    groups: dict[float, list[Seen]] = {}
    for s in seen:
        groups.setdefault(round(s.at, 1), []).append(s)
    out = []
    for at in sorted(groups):
        g = groups[at]
        r, gr, b = (float(np.mean([s.change[k] for s in g])) for k in range(3))
        out.append(Seen(at, (r, gr, b), float(min(s.error for s in g))))
    return Drift(tuple(out))


def to_parts(log2: Float64) -> Float64:
    """(n, 3) log2 of channels to exposure, warmth (R over B) and green (G over the mean of R and B), in stops."""
    level = np.log2(np.exp2(log2) @ AP1_LUMA)
    r, g, b = log2[:, 0], log2[:, 1], log2[:, 2]
    return np.stack([level, r - b, g - (r + b) / 2], axis=1)


def from_parts(parts: Float64) -> Float64:
    """The other way round. `parts`: (n, 3), as `to_parts` gives them."""
    level, warm, green = parts[:, 0], parts[:, 1], parts[:, 2]
    shape = np.stack([warm / 2 - green / 3, 2 * green / 3, -warm / 2 - green / 3], axis=1)
    own = np.log2(np.exp2(shape) @ AP1_LUMA)
    return np.asarray(shape + (level - own)[:, None], np.float64)


def _matern(gap: Float64, length: float) -> Float64:
    """Matern 3/2."""
    r = np.sqrt(3) * np.abs(gap) / length
    return np.asarray((1 + r) * np.exp(-r), np.float64)
