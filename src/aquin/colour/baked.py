"""The view baked into a LUT for the preview, with its error known. Measuring and exporting never come here."""

from collections import OrderedDict
from collections.abc import Callable
from dataclasses import dataclass, replace
from threading import Lock
from typing import Any

import numpy as np
import PyOpenColorIO as ocio

from aquin.arrays import Float32, Floats
from aquin.colour import acescct
from aquin.colour.config import Processor


def grid(size: int) -> Float32:
    """(size**3, 3) float32: the colours of a cube from 0 to 1, blue running fastest."""
    axis = np.linspace(0, 1, size, dtype=np.float32)
    return np.stack(np.meshgrid(axis, axis, axis, indexing="ij"), axis=-1).reshape(-1, 3)


def lut_processor(values: Floats, size: int) -> Processor:
    """A tetrahedral 3D LUT over 0..1 as a processor; `values`, (size^3, 3), in the order of `grid`."""
    lut = ocio.Lut3DTransform(size)
    lut.setInterpolation(ocio.INTERP_TETRAHEDRAL)
    lut.setData(np.ascontiguousarray(values, np.float32).ravel())
    cpu = ocio.Config.CreateRaw().getProcessor(lut).getOptimizedCPUProcessor(ocio.OPTIMIZATION_NONE)
    return Processor(cpu)


@dataclass(frozen=True, eq=False)
class BakedView:
    """ACEScct to display signal through a LUT. `error_code10`: 99.9th percentile and largest error in 10-bit codes."""

    process: Processor
    error_code10: tuple[float, float]

    @classmethod
    def bake(cls, view: Callable[[Any], Any], size: int = 49, seed: int = 1) -> "BakedView":
        """Bake a view (scene-linear AP1 to signal) and measure it on 20 000 colours between the grid points.

        The colours are scene-like: neutral levels from 9 stops under to 5 over grey, with channel ratios of up to 2
        stops.
        """
        process = lut_processor(view(acescct.decode(grid(size))), size)
        random = np.random.default_rng(seed)
        stops = random.uniform(-9, 5, (20_000, 1)) + random.normal(0, 0.7, (20_000, 3)).clip(-2, 2)
        linear = (0.18 * np.exp2(stops)).astype(np.float32)
        gap = np.abs(process(acescct.encode(linear)) - view(linear)).max(axis=1) * 1023
        return cls(process, (float(np.percentile(gap, 99.9)), float(gap.max())))


KEPT = 4
"""Baked views that are held: 3 MB each."""
_LOCK = Lock()
_MADE: OrderedDict[tuple[str, int], BakedView] = OrderedDict()


def baked_view(view: Processor, size: int = 65) -> BakedView:
    """A view baked once for all who see through it, and theirs as a new object: what is on screen is made anew for it.
    From any thread.
    """
    key = (view.identity, size)
    with _LOCK:
        if (found := _MADE.get(key)) is not None:
            _MADE.move_to_end(key)
            return replace(found)
    made = BakedView.bake(view, size)
    with _LOCK:
        _MADE[key] = made
        while len(_MADE) > KEPT:
            _MADE.popitem(last=False)
    return replace(made)
