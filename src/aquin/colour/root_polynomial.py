"""Root polynomials of degree 2: colour correction that keeps exposure scaling (Finlayson, Mackiewicz & Hurlbert
2015).

"Color Correction Using Root-Polynomial Regression", IEEE Transactions on Image Processing 24(5). The terms are R, G,
B and the
square roots of RG, GB and RB, so that twice the light gives twice the result.
"""

import numpy as np

from aquin.arrays import Floats

Row6 = tuple[float, float, float, float, float, float]
Root = tuple[Row6, Row6, Row6]

TERMS = 6


def expand(linear: Floats) -> Floats:
    """(..., 3) scene-linear to (..., 6) terms. Below zero a channel's roots are 0, so that noise about black stays
    harmless.
    """
    r, g, b = np.moveaxis(linear, -1, 0)
    roots = np.sqrt(np.maximum(linear, linear.dtype.type(0)))
    rr, rg, rb = np.moveaxis(roots, -1, 0)
    return np.stack([r, g, b, rr * rg, rg * rb, rr * rb], axis=-1)


def root_rows(values: Floats) -> Root:
    """(3, 6) numbers as a root polynomial. Raises ValueError for anything else."""
    rows = np.asarray(values, np.float64)
    if rows.shape != (3, TERMS) or not np.isfinite(rows).all():
        raise ValueError("a root polynomial needs three rows of six finite numbers")
    made = tuple(tuple(float(v) for v in row) for row in rows)
    return made  # type: ignore[return-value]
