"""A measured encoding as a file: .clf (signal to ACES AP0), .cube (signal to ACEScct, for programs that take LUTs
only), or .json.
"""

import json
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import PyOpenColorIO as ocio

from aquin.arrays import Floats
from aquin.colour import acescct
from aquin.colour.config import ColourConfig, Processor
from aquin.colour.encoding import LogCurve, MeasuredEncoding
from aquin.colour.primaries import AP0_TO_AP1
from aquin.errors import AquinError
from aquin.exchange import cube
from aquin.exchange.grade_file import through_ocio
from aquin.files import write_text

SUFFIXES = (".clf", ".cube", ".json")


@dataclass(frozen=True)
class RoundTrip:
    """What the file gives when OpenColorIO reads it back. `file`: 99.9th percentile of its difference from the
    measured transform in
    10-bit ACEScct codes. `back`: largest difference in 10-bit codes of signal after encoding the result again."""

    file: float
    back: float

    def line(self) -> str:
        return (
            f"read back by OpenColorIO: within {self.file:.2f} codes of 10 bit (99.9 %); "
            f"to scene-linear and back: {self.back:.3f} codes"
        )


def write_profile(
    path: Path, made: MeasuredEncoding, force: bool = False, size: int = 65
) -> RoundTrip | None:
    """Write by the name's ending and prove the file (a .json is only written). Raises AquinError."""
    kind = path.suffix.lower()
    if kind not in SUFFIXES:
        raise AquinError("this ending names no form of a profile", path, f"Use one of {' '.join(SUFFIXES)}")
    if kind == ".json":
        text = json.dumps(values_of(made), indent=1) + "\n"
        write_text(path, text, force)
        return None
    to_linear = config_with(made).to_linear(made.name)
    if kind == ".clf":
        group = made.steps()
        group.getFormatMetadata().setID(made.name)
        group.getFormatMetadata().addChildElement("Description", f"{made.description}. Signal to ACES2065-1")
        try:
            text = group.write("Academy/ASC Common LUT Format", ocio.Config.CreateRaw())
        except ocio.Exception as error:
            raise AquinError(f"the CLF can't be made ({error})", path, "Measure the series again") from error
        write_text(path, text, force)
    else:

        def baked(signal: Floats) -> Floats:
            return acescct.encode(to_linear(np.asarray(signal, np.float32)))

        cube.write(path, baked, size, made.name, f"{made.description}. Signal to ACEScct", force)
    return _proved(path, to_linear, made)


def config_with(made: MeasuredEncoding) -> ColourConfig:
    return ColourConfig.load().with_encodings(made)


def values_of(made: MeasuredEncoding) -> dict[str, object]:
    """As plain values: the curve's parameters or its table, and the matrix to ACES AP0."""
    if isinstance(made.curve, LogCurve):
        c = made.curve
        curve: dict[str, object] = {
            "family": "log",
            "a": c.a,
            "b": c.b,
            "c": c.c,
            "d": c.d,
            "break_linear": c.break_linear,
            "toe_slope": c.toe_slope,
        }
    else:
        curve = {"family": "table", "linear": list(made.curve.linear)}
    return {
        "name": made.name,
        "description": made.description,
        "curve": curve,
        "to_ap0": [list(row) for row in made.matrix],
    }


def _proved(path: Path, to_linear: Processor, made: MeasuredEncoding) -> RoundTrip:
    """Signals around neutral over the curve's own range of light, and random colours about them."""
    random = np.random.default_rng(4)
    config = config_with(made)
    there = config.from_linear(made.name)
    neutral = there(np.repeat(0.18 * np.exp2(np.linspace(-5, 4, 400))[:, None], 3, axis=1).astype(np.float32))
    spread = np.clip(neutral + random.uniform(-0.06, 0.06, neutral.shape), 0.02, 0.98).astype(np.float32)
    signal = np.concatenate([np.clip(neutral, 0.02, 0.98), spread]).astype(np.float32)
    own = acescct.encode(to_linear(signal))
    read = through_ocio(path)(signal)
    if path.suffix.lower() == ".clf":
        read = acescct.encode((read.astype(np.float64) @ AP0_TO_AP1.T).astype(np.float32))
    keep = (own > 0.08).all(axis=1)
    gap = np.abs(read - own)[keep].max(axis=1) * 1023
    back = np.abs(there(to_linear(signal)) - signal).max() * 1023
    return RoundTrip(float(np.percentile(gap, 99.9)), float(back))
