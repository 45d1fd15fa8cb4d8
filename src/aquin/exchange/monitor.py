"""Monitor LUTs: from a camera's signal straight to a screen, as .cube for a field monitor or a recorder."""

from collections.abc import Callable
from pathlib import Path

import numpy as np

from aquin.arrays import Float32, Floats
from aquin.colour import acescct
from aquin.colour.config import ColourConfig
from aquin.errors import AquinError
from aquin.exchange import cube
from aquin.look.look import Look

SIZES = (17, 33, 65)
RANGES = ("full", "legal")


def monitor_transform(
    config: ColourConfig,
    encoding: str,
    display: str,
    view: str,
    stops: float = 0.0,
    range: str = "full",
    look: Look | None = None,
) -> Callable[[Floats], Floats]:
    """(..., 3) camera signal to (..., 3) screen signal, both 0 to 1 over what the LUT's device counts as its range.

    `stops`: how far above the curve's target the crew exposes; the picture is shown that much darker, so that it
    looks as it will after balancing. `range` legal: codes of both sides are legal ones (64 to 940 of 1023). `look`:
    at its strength, before the view. Raises AquinError.
    """
    if range not in RANGES:
        raise AquinError(f"there is no range '{range}'", None, "Use full or legal")
    linear, shown = config.to_linear(encoding), config.view(display, view)
    gain = np.float32(2.0**-stops)

    def transform(codes: Floats) -> Floats:
        signal = np.asarray(codes, np.float32)
        if range == "legal":
            signal = (signal * np.float32(1023) - np.float32(64)) / np.float32(876)
        light = linear(signal) * gain
        if look is not None:
            light = np.asarray(acescct.decode(look.apply(acescct.encode(light))), np.float32)
        seen = np.clip(shown(light), 0, 1)
        if range == "legal":
            seen = (seen * np.float32(876) + np.float32(64)) / np.float32(1023)
        return seen

    return transform


def write_monitor_lut(
    path: Path,
    config: ColourConfig,
    encoding: str,
    display: str,
    view: str,
    size: int = 33,
    range: str = "full",
    stops: float = 0.0,
    force: bool = False,
    look: Look | None = None,
) -> float:
    """Write the LUT and give the error of its grid in 10-bit codes (99.9th percentile of scene colours). Raises
    AquinError.
    """
    if size not in SIZES:
        raise AquinError(f"a monitor LUT of {size} points is not supported", path, "Choose 17, 33 or 65")
    transform = monitor_transform(config, encoding, display, view, stops, range, look)
    note = f"{encoding} to {display}, {view}; {range} range; exposed {stops:+z.2f} stops"
    if look is not None:
        note += f"; look {look.name} at {100 * look.strength:.0f} %"
    cube.write(path, transform, size, f"{encoding} monitor", note, force)
    codes = config.from_linear(encoding)(scene_colours())
    if range == "legal":
        codes = (codes * np.float32(876) + np.float32(64)) / np.float32(1023)
    return lut_error(path, transform, np.clip(codes, 0, 1))


def scene_colours(count: int = 60_000) -> Float32:
    """(count, 3) scene-linear AP1 as scenes have it: light spread by 2.5 stops about grey, each channel by half a
    stop about that.
    """
    random = np.random.default_rng(1)
    stops = random.normal(0, 2.5, (count, 1)) + random.normal(0, 0.5, (count, 3))
    return np.asarray(0.18 * np.exp2(np.clip(stops, -8, 7)), np.float32)


def lut_error(path: Path, transform: Callable[[Floats], Floats], codes: Float32) -> float:
    """10-bit codes between a written LUT, as OpenColorIO reads it, and the exact transform: 99.9th percentile over
    (n, 3) codes.
    """
    import PyOpenColorIO as ocio

    ocio.ClearAllCaches()
    read = ocio.FileTransform(str(path.absolute()), interpolation=ocio.INTERP_TETRAHEDRAL)
    cpu = ocio.Config.CreateRaw().getProcessor(read).getDefaultCPUProcessor()
    baked = codes.copy()
    cpu.applyRGB(baked)
    return float(1023 * np.percentile(np.abs(baked - transform(codes)).max(axis=1), 99.9))
