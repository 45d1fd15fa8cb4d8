"""The check frames of a release made again by each route, with nothing but OpenColorIO and the release's own files."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any, Literal

import numpy as np
import PyOpenColorIO as ocio

from aquin.arrays import Float32, Floats
from aquin.colour.difference import delta_e00
from aquin.errors import AquinError
from aquin.frames import open_source
from aquin.measure.display import lab_of_display
from aquin.release.config_out import GRADED, SHOT
from aquin.release.manifest import Manifest

Route = Literal["cdl", "clf", "cube", "ready", "config", "view"]
ROUTES: tuple[Route, ...] = ("cdl", "clf", "cube", "ready", "config", "view")
CODE = 1 / 1023
LIMITS: Mapping[Route, tuple[str, float]] = {
    "cdl": ("worst", 1e-6),
    "clf": ("worst", 1e-5),
    "cube": ("p999", CODE),
    "ready": ("p999", 1.0),
    "config": ("worst", 1e-5),
    "view": ("p999", 2 * CODE),
}
"""What a route is held to: its largest difference, or the 99.9th percentile of a frame, as a share of full scale; a
ready LUT in CIEDE2000 (a LUT of the whole chain is some codes off in saturated shadows, where a code is not seen).
"""
COARSE = 2.5
"""CIEDE2000 that a ready LUT of 33 points is held to."""
TABLED = 2.5e-4
"""What a CLF is held to where it has to table a part that it has no step for: a root polynomial, a hue warp."""
TITLES: Mapping[Route, str] = {
    "cdl": "CDL",
    "clf": "CLF",
    "cube": "LUT of the grade",
    "ready": "ready LUT, camera to screen",
    "config": "configuration, grade",
    "view": "configuration, view",
}
TOE = 0.0078125
"""Scene-linear below which ACEScct is straight (Academy S-2016-001), where a CDL can't follow a balance."""


@dataclass(frozen=True)
class Gap:
    """One shot by one route: differences of the largest channel, as shares of full scale, ACEScct or signal; of a
    ready LUT in CIEDE2000. `toe`: the largest one in the toe, where a CDL is not exact; `nearest`: whether the CDL is
    only the nearest one; `tabled`: whether a part of the grade had to be tabled; `coarse`: whether a
    ready LUT has fewer points.
    """

    shot: str
    worst: float
    p999: float
    toe: float = 0.0
    nearest: bool = False
    tabled: bool = False
    coarse: bool = False


@dataclass(frozen=True)
class Found:
    """One route over all shots. `trouble`: shots by which it can't be gone at all, and why."""

    route: Route
    gaps: tuple[Gap, ...]
    trouble: tuple[tuple[str, str], ...] = ()

    @property
    def exact(self) -> list[Gap]:
        return [g for g in self.gaps if not g.nearest]

    @property
    def worst(self) -> float:
        return max((g.worst for g in self.exact), default=0.0)

    @property
    def p999(self) -> float:
        return max((g.p999 for g in self.exact), default=0.0)

    @property
    def ok(self) -> bool:
        return not self.trouble and all(self._within(g) for g in self.exact)

    def _within(self, gap: Gap) -> bool:
        by, limit = LIMITS[self.route]
        if gap.tabled and self.route in ("clf", "config"):
            limit = TABLED
        if gap.coarse:
            limit = COARSE
        return (gap.worst if by == "worst" else gap.p999) <= limit

    def data(self) -> dict[str, Any]:
        far = max(self.exact, key=lambda g: g.worst, default=None)
        out: dict[str, Any] = {
            "route": self.route,
            "ok": self.ok,
            "shots": len(self.exact),
            "worst": self.worst,
            "p999": self.p999,
            "unit": "dE00" if self.route == "ready" else "full scale",
            "worst_shot": None if far is None else far.shot,
            "trouble": [{"shot": s, "why": w} for s, w in self.trouble],
        }
        if self.route == "cdl":
            out |= {
                "toe": max((g.toe for g in self.exact), default=0.0),
                "nearest": [
                    {"shot": g.shot, "worst": g.worst, "p999": g.p999} for g in self.gaps if g.nearest
                ],
            }
        return out


def routes(
    folder: Path,
    manifest: Manifest,
    sound: Callable[[str], bool] = lambda name: True,
    tell: Callable[[float, str], None] | None = None,
    shots: Sequence[str] | None = None,
) -> list[Found]:
    """Each route that the release has, over its shots (`shots`: of these names only). `sound`: whether a file is as it
    was released; by others nothing is checked.
    """
    chosen = [s for s in manifest.shots if shots is None or s["name"] in shots]
    gaps: dict[Route, list[Gap]] = {}
    trouble: dict[Route, list[tuple[str, str]]] = {}
    config = _config(folder)
    for k, shot in enumerate(chosen):
        if tell is not None:
            tell(k / max(len(chosen), 1), str(shot["name"]))
        if not all(sound(shot["check"][n]) for n in ("source", "graded", "screen")):
            continue
        for route in _there(shot, config):
            try:
                gaps.setdefault(route, []).append(_gap(folder, manifest, shot, route, config))
            except (ocio.Exception, AquinError, OSError, ValueError, KeyError, TypeError) as error:
                words = str(error).strip().splitlines()[0][:160]
                trouble.setdefault(route, []).append((str(shot["name"]), words))
    return [
        Found(r, tuple(gaps.get(r, ())), tuple(trouble.get(r, ())))
        for r in ROUTES
        if r in gaps or r in trouble
    ]


def _config(folder: Path) -> Any:
    ocio.ClearAllCaches()  # it remembers files by name, also after they were written again
    path = folder / "config" / "config.ocio"
    if not path.is_file():
        return None
    try:
        return ocio.Config.CreateFromFile(str(path))
    except ocio.Exception:
        return path  # said for each shot


def _there(shot: Mapping[str, Any], config: Any) -> list[Route]:
    files = shot["files"]
    by_file: list[tuple[Route, str]] = [("cdl", "cc"), ("clf", "clf"), ("cube", "cube"), ("ready", "ready")]
    found: list[Route] = [route for route, kind in by_file if kind in files]
    return [*found, "config", "view"] if config is not None else found


def _gap(folder: Path, manifest: Manifest, shot: Mapping[str, Any], route: Route, config: Any) -> Gap:
    check, files, name = shot["check"], shot["files"], str(shot["name"])
    source = pixels(folder / check["source"])
    tabled = shot["grade"].get("root") is not None or shot["grade"].get("turn") is not None
    if route == "ready":
        made, wanted = _apply(_file(folder / files["ready"]), source), pixels(folder / check["screen"])
        off = delta_e00(lab_of_display(made.reshape(-1, 3)), lab_of_display(wanted.reshape(-1, 3)))
        coarse = shot["written"]["ready"]["points"] < 65
        return Gap(name, float(off.max()), float(np.percentile(off, 99.9)), coarse=coarse)
    if route == "view":
        return _of(name, _apply(_view(config, manifest, shot), source), pixels(folder / check["screen"]))
    graded = pixels(folder / check["graded"])
    if route == "config":
        return replace(_of(name, _apply(_look(config, manifest, shot), source), graded), tabled=tabled)
    camera = _file(folder / _input(manifest, shot))
    log = _apply(camera, source)
    kind = "cc" if route == "cdl" else route
    made = _apply(_file(folder / files[kind]), log)
    if route != "cdl":
        return replace(_of(name, made, graded), tabled=tabled)
    edge = ((np.log2(TOE) + 9.72) / 17.52) + 1e-4
    clear = (np.minimum(log, graded) > edge + _moved(shot)).all(axis=-1)
    off = np.abs(made - graded).max(axis=-1)
    seen = off[clear] if clear.any() else np.zeros(1)
    toe = float(off[~clear].max()) if (~clear).any() else 0.0
    nearest = not shot["written"]["cdl"]["exact"]
    if nearest:
        seen = off.ravel()
    return Gap(name, float(seen.max()), float(np.percentile(seen, 99.9)), toe, nearest)


def _moved(shot: Mapping[str, Any]) -> float:
    """How far a balance moves ACEScct down, by which the toe reaches up."""
    grade = shot["grade"]
    factors = np.asarray(grade["gains"], np.float64) * 2.0 ** float(grade["stops"])
    return float(max(0.0, -np.log2(factors).min()) / 17.52)


def _input(manifest: Manifest, shot: Mapping[str, Any]) -> str:
    return next(str(c["input"]) for c in manifest.about["cameras"] if c["encoding"] == shot["encoding"])


def _of(name: str, made: Floats, wanted: Floats) -> Gap:
    if made.shape != wanted.shape:
        raise ValueError("the frames to check by differ in size")
    off = np.abs(made.astype(np.float64) - wanted) / np.maximum(np.abs(wanted), 1)
    worst = off.max(axis=-1)
    return Gap(name, float(worst.max()), float(np.percentile(worst, 99.9)))


def pixels(path: Path) -> Float32:
    """(h, w, 3) of a frame to check by. Raises AquinError."""
    return open_source(path, alone=True).read(0).rgb


def _file(path: Path) -> Any:
    if not path.is_file():
        raise ValueError(f"{path.name} is missing")
    transform = ocio.FileTransform(str(path), interpolation=ocio.INTERP_TETRAHEDRAL)
    return _cpu(ocio.Config.CreateRaw().getProcessor(transform))


def _look(config: Any, manifest: Manifest, shot: Mapping[str, Any]) -> Any:
    working = str(manifest.about["chain"]["working"])
    return _cpu(
        config.getProcessor(ocio.LookTransform(str(shot["encoding"]), working, f"+grade {shot['stem']}"))
    )


def _view(config: Any, manifest: Manifest, shot: Mapping[str, Any]) -> Any:
    display, view = manifest.about["chain"]["screen"]
    context = config.getCurrentContext()
    context[SHOT] = str(shot["stem"])
    title = f"{view}, {GRADED}" if shot.get("look") else view
    through = ocio.GroupTransform()
    if shot.get("look"):
        through.appendTransform(ocio.DisplayViewTransform(str(shot["encoding"]), display, title))
    else:
        working = str(manifest.about["chain"]["working"])
        through.appendTransform(ocio.LookTransform(str(shot["encoding"]), working, "+shot grade"))
        through.appendTransform(ocio.DisplayViewTransform(working, display, title))
    return _cpu(config.getProcessor(context, through, ocio.TRANSFORM_DIR_FORWARD))


def _cpu(processor: Any) -> Any:
    return processor.getOptimizedCPUProcessor(ocio.OPTIMIZATION_LOSSLESS)


def _apply(cpu: Any, rgb: Floats) -> Float32:
    out = np.ascontiguousarray(rgb, np.float32).copy()
    cpu.applyRGB(out.reshape(-1, 3))
    return out
