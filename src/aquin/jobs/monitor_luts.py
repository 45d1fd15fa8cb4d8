"""A monitor LUT for each camera of a chain."""

from dataclasses import dataclass
from pathlib import Path

from aquin.colour.config import ColourConfig
from aquin.errors import AquinError
from aquin.exchange.monitor import write_monitor_lut
from aquin.exchange.names import safe_names
from aquin.look.look import Look
from aquin.production.plan import Chain


@dataclass(frozen=True)
class Written:
    """One LUT, and within how many codes of 10 bit it is exact (99.9 % of colours)."""

    camera: str
    file: Path
    error_code10: float


def write_luts(
    config: ColourConfig,
    chain: Chain,
    folder: Path,
    screen: int = 0,
    size: int = 33,
    range: str = "full",
    force: bool = False,
    look: Look | None = None,
) -> list[Written]:
    """A .cube for each camera whose encoding is known, from its signal to the chain's screen of that number; the
    exposure that its card asks for is taken back. `look`: carried at its strength. Raises AquinError.
    """
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise AquinError(f"the folder can't be made ({error.strerror})", folder, "Choose another") from error
    to = chain.screens[screen].deliverable
    out = []
    names = safe_names(c.camera.name for c in chain.cameras)
    for c, name in zip(chain.cameras, names, strict=True):
        if c.card is None:
            continue
        path = folder / f"{name}-monitor.cube"
        encoding, stops = c.card.levels.encoding, c.card.asked_stops
        off = write_monitor_lut(path, config, encoding, to.display, to.view, size, range, stops, force, look)
        out.append(Written(c.camera.name, path, off))
    return out
