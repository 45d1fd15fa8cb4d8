"""An imported look file: a .cube (with or without a shaper), a .clf or another LUT that OpenColorIO reads, between the
spaces that it expects and gives.
"""

import hashlib
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
import PyOpenColorIO as ocio

from aquin.arrays import Float32, Floats
from aquin.colour import acescct
from aquin.colour.config import ColourConfig, Processor
from aquin.errors import AquinError
from aquin.reading import bytes_of

WORKING, LINEAR, DISPLAY = "working", "linear", "display"
"""Spaces beside the configuration's encodings: ACEScct, scene-linear AP1, and the screen's signal."""
SUFFIXES = (".cube", ".clf", ".ctf", ".csp", ".3dl", ".spi1d", ".spi3d", ".cdl", ".cc", ".ccc")
MOST_BYTES = 60_000_000


@dataclass(frozen=True, eq=False)
class Lut:
    """`takes`, `gives`: what the file expects and gives: `working`, `linear`, `display`, or an encoding's name.

    Equal are those of the same content and spaces.
    """

    path: Path
    takes: str
    gives: str
    content: str
    """SHA-256 of the file."""
    before: Processor | None
    file: Processor
    after: Processor | None

    @property
    def _same(self) -> tuple[str, str, str]:
        return self.content, self.takes, self.gives

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Lut) and self._same == other._same

    def __hash__(self) -> int:
        return hash(self._same)

    def given(self, log: Floats) -> Float32:
        """(..., 3) ACEScct as the file takes it."""
        if self.takes == WORKING:
            return np.asarray(log, np.float32)
        linear = np.asarray(acescct.decode(np.asarray(log, np.float32)), np.float32)
        return linear if self.before is None else self.before(linear)

    def apply(self, log: Floats) -> Floats:
        """(..., 3) ACEScct to ACEScct, through OpenColorIO as another program would; the float type is kept."""
        out = self.file(self.given(log))
        if self.gives == WORKING:
            return np.asarray(out, log.dtype)
        linear = out if self.after is None else self.after(out)
        return np.asarray(acescct.encode(linear), log.dtype)

    def outside(self, log: Floats) -> float:
        """Share of (..., 3) ACEScct pixels that lie outside of a 3D LUT's domain, 0 to 1, as the file takes them."""
        if self.path.suffix.lower() not in (".cube", ".3dl", ".spi3d"):
            return 0.0
        low, high = domain_of(self.path)
        given = self.given(log)
        return float(((given < low - 1e-4) | (given > high + 1e-4)).any(axis=-1).mean())

    def values(self) -> dict[str, Any]:
        """As plain values for a file; the LUT itself stays where it is."""
        return {"file": self.path.name, "takes": self.takes, "gives": self.gives, "content": self.content}


def domain_of(path: Path) -> tuple[float, float]:
    """What a .cube counts as its domain: its own words, else 0 to 1. Raises AquinError where it can't be read."""
    low, high = 0.0, 1.0
    try:
        with path.open(encoding="utf-8", errors="replace") as stream:
            for line, _ in zip(stream, range(200), strict=False):
                words = line.split()
                if words[:1] == ["DOMAIN_MIN"]:
                    low = min(float(w) for w in words[1:4])
                elif words[:1] == ["DOMAIN_MAX"]:
                    high = max(float(w) for w in words[1:4])
                elif words[:1] == ["LUT_1D_INPUT_RANGE"]:
                    low, high = float(words[1]), float(words[2])
    except (OSError, ValueError) as error:
        raise AquinError(f"the LUT can't be read ({error})", path, "Export it again") from error
    return low, high


def open_lut(
    path: Path, takes: str, gives: str, config: ColourConfig, screen: tuple[str, str], content: str = ""
) -> Lut:
    """Open a look file. `screen`: the display and view that `display` means. `content`: what its hash must be. Raises
    AquinError.
    """
    if path.suffix.lower() not in SUFFIXES:
        raise AquinError("this ending names no look file", path, f"Use one of {' '.join(SUFFIXES)}")
    data = bytes_of(path, MOST_BYTES, "the look file", "65 points a side are enough")
    found = hashlib.sha256(data).hexdigest()
    if content and found != content:
        raise AquinError("the look file is another one than was imported", path, "Import it again")
    before = None if takes in (WORKING, LINEAR) else _to(takes, config, screen)
    after = None if gives in (WORKING, LINEAR) else _back(gives, config, screen)
    return Lut(path, takes, gives, found, before, _file(path), after)


def _to(space: str, config: ColourConfig, screen: tuple[str, str]) -> Processor:
    return config.view(*screen) if space == DISPLAY else config.from_linear(space)


def _back(space: str, config: ColourConfig, screen: tuple[str, str]) -> Processor:
    return config.unview(*screen) if space == DISPLAY else config.to_linear(space)


def _file(path: Path) -> Processor:
    ocio.ClearAllCaches()  # it remembers files by name, also after they were written again
    try:
        transform = ocio.FileTransform(str(path.absolute()), interpolation=ocio.INTERP_BEST)
        built = ocio.Config.CreateRaw().getProcessor(transform)
        return Processor(built.getOptimizedCPUProcessor(ocio.OPTIMIZATION_LOSSLESS))
    except ocio.Exception as error:
        raise AquinError(
            f"OpenColorIO can't use the look file ({str(error).splitlines()[0][:160]})",
            path,
            "Export it again",
        ) from error
