"""Takes in which light changes: real photographs that packages ship, panned over while known gains change."""

from collections.abc import Iterator
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import cv2
import numpy as np

from aquin.arrays import Float32
from aquin.colour import acescct
from aquin.colour.config import ColourConfig
from aquin.colour.grade import Balance
from aquin.production import Camera, Production, Setup, Shot
from aquin.production.audit import run_audit
from aquin.production.ingest import ingest
from aquin.production.settings import config_of
from aquin.simulate.film import write_movie
from photographs import photographs

FRAMES = 73
PHOTOS = ("coffee", "astronaut", "china")


def change(name: str, frames: object) -> np.ndarray:
    """(n, 3) log2 of the gains over time: falls by half a stop and more, and turns cooler in one of them."""
    share = np.clip((np.asarray(frames, np.float64) - 20) / 36, 0, 1)[:, None]
    white = np.log2(
        Balance.from_shift(0.0, {"coffee": 0.0, "astronaut": -12.0, "china": 8.0}[name], 0.0).factors
    )
    return share * (white + {"coffee": -0.6, "astronaut": -0.5, "china": 0.4}[name])


def film(path: Path, name: str, still: bool) -> None:
    """A slow pan over a photograph, grainy, recorded as ACEScct in ten bits. `still`: light holds."""
    scene = cv2.resize(photographs()[name], (1280, 853), interpolation=cv2.INTER_AREA)
    random = np.random.default_rng(3)

    def frames() -> Iterator[Float32]:
        gains = np.exp2(np.zeros((FRAMES, 3)) if still else change(name, range(FRAMES)))
        for k in range(FRAMES):
            x, y = 40 + 1.5 * k, 60 + 0.5 * k
            part = cv2.getRectSubPix(scene, (640, 360), (float(320 + x), float(180 + y)))
            log = acescct.encode(np.maximum(part * gains[k], 0).astype(np.float32))
            yield np.clip(log + random.normal(0, 0.003, log.shape), 0, 1).astype(np.float32)

    write_movie(path, frames(), "10:00:00:00", "A001", "ffv1", "yuv422p10le", rate=Fraction(24))


def make(folder: Path) -> None:
    """`made.aquin`: a production of such takes of one camera in one setup, audited."""
    media = folder / "media"
    media.mkdir()
    for name in PHOTOS:
        film(media / f"{name}.mkv", name, still=False)
    film(media / "steady.mkv", "coffee", still=True)
    production = Production.create(folder / "made.aquin")
    ingest(production, [media], ColourConfig.load())
    camera, setup = Camera("A", encoding="ACEScct", range="legal"), Setup("deck")
    production.change("one camera", camera, setup)
    shots = production.all(Shot)
    production.change(
        "log", *(replace(s, camera_id=camera.id, setup_id=setup.id, kind="shot") for s in shots)
    )
    run_audit(production, config_of(production))
    production.close()
