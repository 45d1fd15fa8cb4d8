"""Values between the points of a table whose points lie evenly: found by a multiplication instead of a search."""

from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np

from aquin.arrays import Float64, Floats


@dataclass(frozen=True)
class EvenTable:
    """`values`: (n,) or (k, n) at n places from `low` to `high`; between them linear, beyond them the outer ones."""

    low: float
    high: float
    values: Float64

    @cached_property
    def _held(self) -> dict[type, tuple[Any, Any]]:
        rows = np.atleast_2d(self.values)
        steps = np.concatenate([np.diff(rows), np.zeros((len(rows), 1))], axis=1)
        return {kind: (rows.astype(kind), steps.astype(kind)) for kind in (np.float32, np.float64)}

    def __call__(self, places: Floats) -> Floats:
        """(...) places to (...) values, or (k, ...) where the table has k rows; the float type is kept. Those of
        `numpy.interp`.
        """
        kind = np.float32 if places.dtype == np.float32 else np.float64
        rows, steps = self._held[kind]
        last = rows.shape[1] - 1
        share = np.asarray((places - kind(self.low)) * kind(last / (self.high - self.low)))
        np.clip(share, 0, last, out=share)
        with np.errstate(invalid="ignore"):  # what is no number stays none
            first = share.astype(np.int32)
        share -= first.astype(kind)
        out = []
        for row, step in zip(rows, steps, strict=True):
            value = np.asarray(step.take(first, mode="clip"))
            value *= share
            value += row.take(first, mode="clip")
            out.append(value)
        return np.asarray(out[0] if self.values.ndim == 1 else np.stack(out))
