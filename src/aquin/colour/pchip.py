"""Monotone cubics (PCHIP) through many rows of values at the same knots, read at the same places again and again: what
depends on knots and places only is worked out once. scipy's objects cost more than their values where rows are short.
"""

import numpy as np

from aquin.arrays import Float64, Floats


class Pchip:
    """Slopes at the knots after Fritsch and Butland (1984), three-point ones that keep the shape at both ends: the
    values are those of `scipy.interpolate.PchipInterpolator`.
    """

    def __init__(self, knots: Floats, at: Floats) -> None:
        """`knots`: (m,) rising, three or more. `at`: (n,) places between the first and the last."""
        knots = np.asarray(knots, np.float64)
        at = np.asarray(at, np.float64)
        self._gaps = np.diff(knots)
        self._first = np.clip(np.searchsorted(knots, at, side="right") - 1, 0, len(knots) - 2)
        gap = self._gaps[self._first]
        t = (at - knots[self._first]) / gap
        rest = 1 - t
        self._values = (1 + 2 * t) * rest**2, t**2 * (3 - 2 * t)
        self._slopes = gap * t * rest**2, gap * t**2 * (t - 1)

    def __call__(self, values: Floats) -> Float64:
        """(..., m) values at the knots to (..., n) at the places."""
        exact: Float64 = np.asarray(values, np.float64)
        slopes, k = self._at_knots(exact), self._first
        low, high = exact[..., k] * self._values[0], exact[..., k + 1] * self._values[1]
        return np.asarray(
            low + high + slopes[..., k] * self._slopes[0] + slopes[..., k + 1] * self._slopes[1], np.float64
        )

    def _at_knots(self, values: Float64) -> Float64:
        """(..., m) slopes."""
        gaps, rise = self._gaps, np.diff(values) / self._gaps
        out = np.zeros(values.shape)
        before, after = rise[..., :-1], rise[..., 1:]
        turns = before * after <= 0
        left, right = 2 * gaps[1:] + gaps[:-1], gaps[1:] + 2 * gaps[:-1]
        safe = np.where(turns, 1.0, before), np.where(turns, 1.0, after)
        out[..., 1:-1] = np.where(turns, 0.0, (left + right) / (left / safe[0] + right / safe[1]))
        out[..., 0] = _end(gaps[0], gaps[1], rise[..., 0], rise[..., 1])
        out[..., -1] = _end(gaps[-1], gaps[-2], rise[..., -1], rise[..., -2])
        return out


def _end(near: float, far: float, first: Float64, second: Float64) -> Float64:
    """(...) slopes at an end from the gaps and rises next to it."""
    slope = ((2 * near + far) * first - near * second) / (near + far)
    steep = (np.sign(first) != np.sign(second)) & (np.abs(slope) > 3 * np.abs(first))
    return np.asarray(np.where(np.sign(slope) != np.sign(first), 0.0, np.where(steep, 3 * first, slope)))
