"""What a still leaves open to whoever opens it: how a raw mosaic is developed, and which of a file's pictures it is."""

from collections.abc import Mapping
from dataclasses import asdict, dataclass, fields
from typing import Any

import numpy as np

HIGHLIGHTS: dict[str, str] = {
    "keep": "keep what each channel has (may be coloured)",
    "clip": "clip all channels where the first one ends",
    "blend": "fade to neutral where a channel is at its end",
}
KELVIN = (2500.0, 10000.0)


@dataclass(frozen=True)
class Decode:
    """How a still is decoded. Of a raw one, `exposure`: stops. `kelvin`: None as the camera was set. `tint`: 10^-3 Duv,
    positive where the light is taken for greener. `half`: half resolution, one pixel per 2 x 2 block, without
    demosaicing. Of a file that holds several pictures, `layer`: the part or layer that is meant, as `Source.pictures`
    names it; empty for the likeliest one.
    """

    exposure: float = 0.0
    kelvin: float | None = None
    tint: float = 0.0
    highlights: str = "blend"
    half: bool = False
    layer: str = ""

    def __post_init__(self) -> None:
        numbers = [self.exposure, self.tint, self.kelvin or 0.0]
        if not np.isfinite(numbers).all() or abs(self.exposure) > 10 or abs(self.tint) > 60:
            raise ValueError("exposure is -10 to 10 stops, tint -60 to 60 thousandths of Duv")
        if self.kelvin is not None and not KELVIN[0] <= self.kelvin <= KELVIN[1]:
            raise ValueError(f"the white must lie between {KELVIN[0]:.0f} and {KELVIN[1]:.0f} K")
        if self.highlights not in HIGHLIGHTS:
            raise ValueError(f"highlights are one of {', '.join(HIGHLIGHTS)}")
        if not isinstance(self.layer, str):
            raise ValueError("a layer is named by a text")

    def values(self) -> dict[str, Any]:
        """As plain values for a file. No layer, which is as good as always, is left out."""
        return {k: v for k, v in asdict(self).items() if k != "layer" or v}

    @classmethod
    def of(cls, values: Mapping[str, Any]) -> "Decode":
        """From what `values` gave; what is left out is as usual. Raises ValueError or TypeError for anything else."""
        known = {f.name for f in fields(cls)}
        if set(values) - known:
            raise ValueError(f"unknown decode settings {', '.join(sorted(set(values) - known))}")
        v = dict(values)
        for key in ("exposure", "tint", "kelvin"):
            if v.get(key) is not None:
                v[key] = float(v[key])
        return cls(**v)
