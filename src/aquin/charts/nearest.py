"""Which known encodings explain a chart best: for a camera whose own one is not listed.

Each encoding is tried on the chart's signal: its neutral steps must lie on a straight line of slope 1 in log-log, and after
a balance on the neutrals its colours must be the published ones.
"""

from dataclasses import dataclass

import numpy as np

from aquin.arrays import Float64
from aquin.charts.layout import Layout
from aquin.colour.config import ColourConfig
from aquin.colour.difference import delta_e00, lab_of_ap1
from aquin.colour.primaries import AP1_LUMA
from aquin.errors import AquinError

DIM = 0.02
"""Linear level below which a step says more about flare and noise than about the curve."""


@dataclass(frozen=True)
class Candidate:
    """An encoding tried on a chart. `rms_stops`: of the neutral steps from a line of slope 1, exposure free. `slope`: of those
    steps. `delta_e00`: mean over the colours after balancing. `score`: stops plus a twentieth of the colour difference."""

    encoding: str
    rms_stops: float
    slope: float
    delta_e00: float

    @property
    def score(self) -> float:
        return self.rms_stops + 0.05 * self.delta_e00


def nearest_encodings(
    config: ColourConfig, signal: Float64, usable: np.ndarray, layout: Layout, count: int = 5
) -> list[Candidate]:
    """The best `count` encodings for (n, 3) chart signal in the layout's order; `usable`: (n,) bool. Raises AquinError."""
    if (usable & layout.neutral).sum() < 3:
        raise AquinError(
            "too few neutral patches can be read", None, "Take another frame, or film the chart again"
        )
    found = []
    for encoding in config.encodings():
        if encoding.kind in ("scene-linear", "data"):
            continue
        candidate = _try(config, encoding.name, signal, usable, layout)
        if candidate is not None:
            found.append(candidate)
    return sorted(found, key=lambda c: c.score)[:count]


def _try(
    config: ColourConfig, encoding: str, signal: Float64, usable: np.ndarray, layout: Layout
) -> Candidate | None:
    """None where the encoding makes no positive light of the steps."""
    try:
        linear = config.to_linear(encoding)(signal.astype(np.float32)).astype(np.float64)
    except AquinError:
        return None
    steps = usable & layout.neutral & (layout.ap1 @ AP1_LUMA > DIM)
    if steps.sum() < 3 or not np.isfinite(linear[usable]).all() or (linear[steps] <= 1e-6).any():
        return None
    light, reference = np.log2(linear[steps]), np.log2(layout.ap1[steps])
    offset = (light - reference).mean(axis=0)
    rms = float(np.sqrt(np.mean((light - reference - offset) ** 2)))
    slope = float(np.polyfit(reference.mean(axis=1), light.mean(axis=1), 1)[0])
    balanced = linear * np.exp2(-offset)
    apart = delta_e00(lab_of_ap1(balanced[usable]), lab_of_ap1(layout.ap1[usable]))
    return Candidate(encoding, rms, slope, float(apart.mean()))
