"""Exposure series of files or of a production's camera: what profile and latitude have in common."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

from aquin.charts.take import Take, read_take
from aquin.errors import AquinError
from aquin.production import Camera
from aquin.workers import Tell, each

if TYPE_CHECKING:
    from aquin.charts.sweep import Sweep
    from aquin.colour.config import ColourConfig
    from aquin.production import Production


@dataclass(frozen=True, kw_only=True)
class SeriesAsk:
    """What any task on a series is asked for. `camera`: with a production."""

    files: tuple[Path, ...]
    stops: tuple[float, ...]
    camera: str | None
    layout: str
    corners: tuple[tuple[float, float], ...]
    matrix: str | None
    range: str | None
    config: Path | None
    jobs: int | None
    force: bool

    @property
    def of_production(self) -> bool:
        return len(self.files) == 1 and self.files[0].suffix == ".aquin"

    def take(self, encoding: str, config: ColourConfig) -> Take:
        """How each file is to be read."""
        return Take(
            self.files[0],
            encoding,
            self.layout,
            self.matrix or "",
            self.range or "",
            {},
            self.corners,
            None,
            config=config.path,
        )


@contextmanager
def opened(file: Path) -> Iterator[Production]:
    """A production for one task, closed whatever happens. Raises AquinError."""
    from aquin.production import Production

    production = Production.open(file)
    try:
        yield production
    finally:
        production.close()


def checked_stops(stops: Sequence[float], files: Sequence[Path]) -> list[float]:
    """One number a file, each once. Raises AquinError."""
    if len(stops) != len(files) or not np.isfinite(stops).all():
        raise AquinError(
            f"--stops needs {len(files)} numbers, one for each file", None, "For example: --stops -2,-1,0,1,2"
        )
    if len(set(stops)) != len(stops):
        raise AquinError("two files have the same stops", None, "Give each exposure once")
    return list(stops)


def camera_named(production: Production, name: str | None, file: Path) -> Camera:
    """A camera by name; without one the only one there is. Raises AquinError."""
    found = [c for c in production.all(Camera) if name is None or c.name == name]
    if name is None and len(found) != 1:
        raise AquinError("a camera must be named", file, f"--camera {' or '.join(c.name for c in found)}")
    if not found:
        names = ", ".join(c.name for c in production.all(Camera))
        raise AquinError(f"there is no camera '{name}'", file, f"There are: {names}")
    return found[0]


def read_files(
    files: Sequence[Path], stops: Sequence[float], base: Take, jobs: int | None, tell: Tell | None
) -> list[tuple[float, Take, Sweep]]:
    """Read the files; the chart stands where it is in the normal exposure. Raises AquinError."""
    order = sorted(range(len(files)), key=lambda k: abs(stops[k]))
    takes = [replace(base, path=files[k], label=files[k].name, most=8) for k in order]

    if len(set(files)) != len(files):
        raise AquinError("a file is named twice", None, "Name one file for each exposure")
    first = read_take(takes[0])
    if first.best is None or first.best.reading is None:
        raise AquinError("no chart was found in the normal exposure", takes[0].path, "Give its --corners")
    corners = tuple((float(x), float(y)) for x, y in first.best.reading.corners)
    rest = [replace(t, corners=t.corners or corners, still=True) for t in takes[1:]]
    where = {t.path: stops[k] for t, k in zip(takes, order, strict=True)}
    out = [(where[takes[0].path], takes[0], first)]
    for take, result in each(_read, rest, jobs, tell, lambda t: t.path.name):
        if isinstance(result, AquinError):
            raise result
        out.append((where[take.path], take, result))
    return sorted(out, key=lambda o: o[0])


def _read(take: Take) -> Sweep:
    return read_take(take)
