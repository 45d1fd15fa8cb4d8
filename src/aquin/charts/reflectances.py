"""Colours that are not on the chart, from a chart whose reflectances are known.

A linear camera answers a reflectance through one weight per wavelength (light times sensitivity). Few patches do
not fix those weights, but they do fix what the camera will make of other *smooth* reflectances: Gaussian process
regression with smooth weights (Rasmussen & Williams 2006, chapter 2). A correction fitted to many such predicted
pairs serves colours between the patches.
"""

from functools import lru_cache
from pathlib import Path

import numpy as np

from aquin.arrays import Float64
from aquin.colour.white import cmfs

NM = np.arange(380, 731, 10)
"""Wavelengths of reflectances, in nm."""

COUNT = 150
"""How many are drawn beside the measured ones."""

_DATA = Path(__file__).parent / "data" / "cie-224-reflectances.csv"
_SMOOTH_NM = 25.0
"""Correlation length of light times sensitivity."""
_SEEN = 0.6
"""Share of the eye's largest response from which a camera's is believed to be as large; it falls with the eye's at
both ends.
"""
_NOISE = 1e-4
"""Variance of a reading's error, as a share of the readings' variance."""
_LINEAR = 0.05
"""Mean error of the chart's own prediction from which a camera does not pass for linear."""


@lru_cache(maxsize=1)
def training_reflectances() -> Float64:
    """(249, 36) the measured reflectances of CIE 224:2017, and 150 smooth ones drawn at random, always the same.

    Drawn ones are logistic of smooth curves, so between 0 and 1.
    """
    measured = np.loadtxt(_DATA, delimiter=",")
    random = np.random.default_rng(5)
    shape = np.linalg.cholesky(_alike(50.0) + 1e-6 * np.eye(len(NM)))
    curves = 1.2 * (shape @ random.standard_normal((len(NM), COUNT))).T + random.normal(-1.2, 0.7, (COUNT, 1))
    return np.concatenate([measured, 0.97 / (1 + np.exp(-curves)) + 0.01])


@lru_cache(maxsize=1)
def _sensitive() -> Float64:
    """(36, 36) covariance of light times sensitivity: smooth, and small where the eye (CIE 1931) sees little."""
    eye = cmfs(NM).sum(axis=1)
    scale = np.minimum(eye / eye.max() / _SEEN, 1) + 0.05
    return np.asarray(_alike(_SMOOTH_NM) * scale[:, None] * scale, np.float64)


def predicted(reflectances: Float64, colours: Float64) -> Float64 | None:
    """(249, 3) linear colours that a camera would give for `training_reflectances`, from (n, 3) `colours` of (n, 36)
    reflectances.

    None where the colours are too few, or do not follow from the reflectances linearly.
    """
    if len(colours) < 12:
        return None
    alike = _sensitive()
    known = reflectances @ alike @ reflectances.T
    weights = np.linalg.solve(known + _NOISE * np.trace(known) / len(known) * np.eye(len(known)), colours)
    wrong = np.abs(known @ weights - colours) / np.maximum(colours, 0.02)
    if float(wrong.mean()) > _LINEAR:
        return None
    return np.asarray(training_reflectances() @ alike @ reflectances.T @ weights, np.float64)


def _alike(length: float) -> Float64:
    return np.asarray(np.exp(-0.5 * ((NM[:, None] - NM[None]) / length) ** 2), np.float64)


def predicted_from_others(reflectances: Float64, colours: Float64) -> Float64:
    """(n, 3) what each colour is predicted to be from the others alone (leave-one-out of the regression, in closed
    form).
    """
    alike = _sensitive()
    known = reflectances @ alike @ reflectances.T
    inverse = np.linalg.inv(known + _NOISE * np.trace(known) / len(known) * np.eye(len(known)))
    return np.asarray(colours - (inverse @ colours) / np.diag(inverse)[:, None], np.float64)
