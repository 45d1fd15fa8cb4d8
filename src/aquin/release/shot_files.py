"""The files of one shot in a release: its grade in each format, the ready LUT, and the frame to check them by."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import lru_cache
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np

from aquin.arrays import Float32
from aquin.colour import acescct
from aquin.colour.cdl import Cdl
from aquin.colour.config import shared_config
from aquin.colour.difference import delta_e00
from aquin.colour.grade import Grade
from aquin.exchange import cdl_file, change_list, grade_file, picture
from aquin.exchange.grade_file import SPACE_NOTE, through_ocio
from aquin.exchange.nearest_cdl import nearest
from aquin.exchange.proof import prove
from aquin.exchange.whole import Whole, write_whole
from aquin.files import write_safely
from aquin.look.look import Look
from aquin.look.lut import open_lut
from aquin.measure.display import lab_of_display
from aquin.production.match_work import Ref, opened

if TYPE_CHECKING:
    from aquin.colour.config import ColourConfig

FORMATS = ("cc", "clf", "cube", "ready")
"""A CDL, a CLF and a 3D LUT of the grade on ACEScct; and a 3D LUT from the camera's signal to the screen."""
WIDE = 240
"""Pixels across of a frame to check by."""
SIZE = 33
"""Points of a grade's cube."""
READY = 65
"""Points of a ready LUT, unless fewer are asked for."""
MOST_SEEN = 1.0
"""CIEDE2000 (99.9th percentile of the check frame) that a ready LUT may be off."""


@dataclass(frozen=True)
class LookJob:
    """A look as a worker gets it. `lut`: its file, where it has one."""

    values: str
    lut: str = ""

    def open(self, config: ColourConfig, screen: tuple[str, str]) -> Look:
        held = json.loads(self.values)
        lut = None
        if held.get("lut"):
            said = held["lut"]
            lut = open_lut(
                Path(self.lut), str(said["takes"]), str(said["gives"]), config, screen, str(said["content"])
            )
        return Look.of(held, lut)


@dataclass(frozen=True)
class ShotJob:
    """What a worker needs to write one shot's files into `folder`, named by `stem`."""

    id: str
    name: str
    stem: str
    ref: Ref
    config: str | None
    look: LookJob | None
    screen: tuple[str, str]
    folder: Path
    formats: tuple[str, ...] = FORMATS
    points: int = READY

    @property
    def path(self) -> Path:
        return self.ref.path


def write_shot(job: ShotJob) -> dict[str, Any]:
    """Write a shot's files and say what they are and how near. In a worker. Raises AquinError."""
    config = shared_config(job.config)
    moving = Grade.of(json.loads(job.ref.grade))
    grade = moving.at(job.ref.frame)
    source, linear = check_source(job.ref, config)
    look = None if job.look is None else _look(job.look, job.config, job.screen)
    still = replace(grade, regions=(), softness=0.0, keys=())
    files, said = _grades(job, moving, still, linear)
    if "ready" in job.formats and holds_scene(config, job.ref.encoding):
        files["ready"] = f"ready/{job.stem}.cube"
        said["ready"] = _ready(job, Whole(config, job.ref.encoding, still, look, job.screen), source)
    check, pictures = _check_frames(job, source, linear, still, look)
    beyond = [b for b in (moving.beyond_lut, look.beyond_lut if look is not None else "") if b]
    return {"files": files, "written": said, "check": check, "not_in_files": beyond, "pictures": pictures}


def _ready(job: ShotJob, whole: Whole, source: Float32) -> dict[str, Any]:
    """Plain, which every program reads; with a table before it where the frame shows a difference that it mends."""
    path = job.folder / "ready" / f"{job.stem}.cube"
    flat = source.reshape(-1, 3)
    true = lab_of_display(np.asarray(whole(flat), np.float32))

    def off() -> float:
        made = lab_of_display(through_ocio(path, own=True)(flat))
        return float(np.percentile(delta_e00(made, true), 99.9))

    overall = write_whole(path, whole, job.name, True, job.points)
    seen, bent = off(), False
    if seen > MOST_SEEN:
        plain = path.read_bytes()
        other = write_whole(path, whole, job.name, True, job.points, bent=True)
        now = off()
        if now < 0.7 * seen:
            overall, seen, bent = other, now, True
        else:
            write_safely(path, lambda p: _bytes(p, plain), True)
    return {
        "points": job.points,
        "table_before": bent,
        "dE00_p999": round(seen, 3),
        "any_colour_code10_p999": round(overall.p999, 2),
    }


def _bytes(path: Path, data: bytes) -> None:
    path.write_bytes(data)


def holds_scene(config: ColourConfig, encoding: str) -> bool:
    """Whether signals from 0 to 1 hold a scene: a LUT can't take scene-linear numbers, which go beyond."""
    top = config.to_linear(encoding)(np.ones((1, 3), np.float32))
    grey = config.to_linear(encoding)(np.full((1, 3), 0.5, np.float32))
    return bool(top.max() > 3 * grey.max())


@lru_cache(maxsize=4)
def _look(job: LookJob, config: str | None, screen: tuple[str, str]) -> Look:
    return job.open(shared_config(config), screen)


def check_source(ref: Ref, config: ColourConfig) -> tuple[Float32, Float32]:
    """A small frame of the camera's own signal, as a file of halves keeps it, and its scene-linear AP1. (h, w, 3)
    both. Raises AquinError.
    """
    frames = opened(ref)
    try:
        rgb = frames.read(min(max(ref.frame, frames.first), frames.last)).rgb
    finally:
        frames.close()
    source = np.clip(smaller(rgb, WIDE), -60_000, 60_000).astype(np.float16).astype(np.float32)
    return source, config.to_linear(ref.encoding)(source)


def smaller(rgb: Float32, wide: int) -> Float32:
    """(h, w, 3) by the mean of areas, no wider than `wide`."""
    import cv2

    high, across = rgb.shape[:2]
    if across <= wide:
        return rgb
    size = wide, max(round(high * wide / across), 1)
    return np.asarray(cv2.resize(rgb, size, interpolation=cv2.INTER_AREA), np.float32)


def _grades(
    job: ShotJob, moving: Grade, still: Grade, linear: Float32
) -> tuple[dict[str, str], dict[str, Any]]:
    files: dict[str, str] = {}
    said: dict[str, Any] = {}
    folder = job.folder / "grades"
    made = nearest(still, linear)
    said["cdl"] = {
        "exact": not still.beyond_cdl,
        "slope": list(made.cdl.slope),
        "offset": list(made.cdl.offset),
        "power": list(made.cdl.power),
        "saturation": made.cdl.saturation,
        "dE00_mean": round(made.mean, 3),
        "dE00_p95": round(made.p95, 3),
    }
    if "cc" in job.formats:
        files["cc"] = f"grades/{job.stem}.cc"
        note = SPACE_NOTE
        if still.beyond_cdl:
            note += f" The nearest CDL, since a {still.beyond_cdl} does not fit into one: {made.mean:.2f} dE00 off."
        cdl_file.write(folder / f"{job.stem}.cc", made.cdl, job.stem, note)
    for kind in ("clf", "cube"):
        if kind in job.formats:
            files[kind] = f"grades/{job.stem}.{kind}"
            path = folder / f"{job.stem}.{kind}"
            grade_file.write(path, still, job.name, False, SIZE)
            proof = prove(path, still, linear)
            if kind == "cube" and (proof.picture or (1.0,))[0] > 0.8 / 1023:
                grade_file.write(path, still, job.name, True, READY)
                proof = prove(path, still, linear)
            on = proof.picture or (0.0, 0.0)
            said[kind] = {"p999": round(on[0], 9), "largest": round(on[1], 9)}
            if kind == "cube":
                with path.open(encoding="utf-8") as stream:
                    said[kind]["table_before"] = "LUT_1D_SIZE" in stream.read(2000)
    if moving.keys:
        files["over time"] = f"grades/{job.stem}-over-time.csv"
        rows = change_list.rows_of(moving, {})
        change_list.write(folder / f"{job.stem}-over-time.csv", job.name, rows)
    return files, said


def _check_frames(
    job: ShotJob, source: Float32, linear: Float32, still: Grade, look: Look | None
) -> tuple[dict[str, Any], dict[str, bytes]]:
    """As the files must make it: without what no file can hold. And as JPEG for the report, before and after."""
    graded = np.asarray(still.apply_linear(linear.astype(np.float64)), np.float32)
    seen = graded if look is None else np.asarray(look.apply(graded), np.float32)
    view = shared_config(job.config).view(*job.screen)
    shown = view(np.asarray(acescct.decode(seen), np.float32))
    names: dict[str, Any] = {"frame": job.ref.frame}
    for kind, pixels in (("source", source), ("graded", graded), ("screen", shown)):
        names[kind] = f"check/{job.stem}-{kind}.exr"
        picture.write(job.folder / names[kind], pixels, half=kind == "source")
    return names, {"before": jpeg(view(linear)), "after": jpeg(shown)}


def jpeg(shown: Float32) -> bytes:
    """(h, w, 3) of a screen's signal as a small picture for people."""
    import cv2

    codes = np.round(np.clip(shown, 0, 1) * 255).astype(np.uint8)
    return bytes(cv2.imencode(".jpg", codes[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, 88])[1])


def cdl_of(said: Mapping[str, Any]) -> Cdl:
    """A shot's CDL as a release says it. Raises ValueError, KeyError or TypeError."""
    slope, offset, power = (tuple(float(v) for v in said[k]) for k in ("slope", "offset", "power"))
    if not len(slope) == len(offset) == len(power) == 3:
        raise ValueError("a CDL needs three numbers each")
    return Cdl(slope, offset, power, float(said["saturation"]))
