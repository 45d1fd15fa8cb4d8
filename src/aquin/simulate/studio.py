"""Single pieces of the simulation: film a place or a target with a chosen camera, light, exposure and white, into one
file.
"""

from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import Any

import cv2
import numpy as np

from aquin.arrays import Float32
from aquin.errors import AquinError
from aquin.files import write_safely
from aquin.simulate import spectra
from aquin.simulate.cameras import CAMERAS, ROLES, Camera, Setting, raw_response
from aquin.simulate.film import RATE, write_movie, write_still
from aquin.simulate.places import PLACES
from aquin.simulate.sensor import Exposure, Grain, signal, soften
from aquin.simulate.targets import TARGETS
from aquin.simulate.world.lens import HEIGHT, WIDTH

STILLS = (".exr", ".dpx", ".tif")
MOVIES = (".mkv", ".mov", ".mp4")
CODECS = {"ffv1": "ffv1", "h264": "libx264", "hevc": "libx265"}


@dataclass(frozen=True)
class Delivery:
    """How a piece is written. An .exr holds scene-linear, everything else the camera's signal."""

    out: Path
    frames: int = 1
    codec: str = "ffv1"
    range: str = "legal"
    timecode: str = "10:00:00:00"
    reel: str = "X01"
    force: bool = False
    noise: bool = True
    seed: int = 1

    def check(self) -> None:
        """Raises AquinError for what can't be written."""
        suffix = self.out.suffix.lower()
        if suffix not in STILLS + MOVIES:
            raise AquinError(
                f"'{suffix or self.out.name}' is not a kind of file that can be filmed",
                self.out,
                f"Use one of {' '.join(STILLS + MOVIES)}",
            )
        if self.codec not in CODECS:
            raise AquinError(f"there is no codec '{self.codec}'", None, f"There are: {', '.join(CODECS)}")
        if suffix == ".mp4" and self.codec == "ffv1":
            raise AquinError(
                "an .mp4 can't hold ffv1", self.out, "Use --codec h264 or hevc, or write an .mkv"
            )
        if self.range not in ("legal", "full"):
            raise AquinError(f"there is no range '{self.range}'", None, "Use legal or full")
        if not 1 <= self.frames <= 24 * 600:
            raise AquinError("a take has 1 to 14400 frames", None, "Use another --frames")
        if suffix in STILLS and self.frames != 1:
            raise AquinError("a still has one frame", self.out, "Leave --frames out, or write a movie")


def camera(name: str) -> Camera:
    """A camera by name. Raises AquinError."""
    found = next((c for c in CAMERAS.values() if c.name.lower() == name.lower()), None)
    if found is None:
        raise AquinError(f"there is no camera '{name}'", None, f"There are: {', '.join(CAMERAS)}")
    return found


def check_white(white: str) -> str:
    """A white setting: a light by name or a colour temperature. Raises AquinError."""
    spectra.light(white)
    return white


def film_target(target: str, body: Camera, light: str, setting: Setting, to: Delivery) -> dict[str, Any]:
    """A target that fills most of the picture, evenly lit at the nominal exposure, without shine. Raises AquinError."""
    to.check()
    if target not in TARGETS:
        raise AquinError(f"there is no target '{target}'", None, f"There are: {', '.join(TARGETS)}")
    thing = TARGETS[target]()
    power = spectra.light(light)
    check_white(setting.white)
    table = raw_response(body, thing.reflectances, power).astype(np.float32)
    high, wide = thing.labels.shape
    scale = min(0.86 * WIDTH / wide, 0.86 * HEIGHT / high)
    size = (round(wide * scale), round(high * scale))
    picture = np.repeat(
        np.repeat(
            raw_response(body, np.full((1, len(spectra.NM)), 0.12), power).astype(np.float32)[None], HEIGHT, 0
        ),
        WIDTH,
        1,
    )
    x, y = (WIDTH - size[0]) // 2, (HEIGHT - size[1]) // 2
    picture[y : y + size[1], x : x + size[0]] = cv2.resize(
        table[thing.labels], size, interpolation=cv2.INTER_AREA if scale < 1 else cv2.INTER_LINEAR
    )
    corners = [[round(x + a * size[0], 2), round(y + b * size[1], 2)] for a, b in thing.corners]
    _deliver(body, lambda frame: soften(body, picture), setting, to)
    return _facts(body, setting, to) | {"target": target, "light": light, "corners": corners}


def film_scene(
    place: str,
    body: Camera,
    view: str | None,
    setting: Setting,
    to: Delivery,
    minutes: float = 0.0,
    target: str | None = None,
    angles: tuple[float, float, float] = (0.0, 0.0, 0.0),
    hand: float = 0.0,
) -> dict[str, Any]:
    """A place of the ferry film; `setting.stops` is over the exposure that is metered on the people. Raises
    AquinError.

    `view` is where the camera stands: main, small, flying or phone. `target` is held before it at yaw, pitch, roll in
    degrees.
    """
    from aquin.simulate.stage import Moves, Stage

    to.check()
    if place not in PLACES:
        raise AquinError(f"there is no place '{place}'", None, f"There are: {', '.join(PLACES)}")
    if target is not None and target not in TARGETS:
        raise AquinError(f"there is no target '{target}'", None, f"There are: {', '.join(TARGETS)}")
    check_white(setting.white)
    views = list(PLACES[place]().lenses)
    own = next(role for role, c in ROLES.items() if c.name == body.name)
    view = view or (own if own in views else views[0])
    if view not in views:
        raise AquinError(f"nothing is filmed from '{view}' there", None, f"There are: {', '.join(views)}")
    if not 0 <= minutes <= 60:
        raise AquinError("the light changes over 0 to 60 minutes", None, "Use another --minutes")
    stage = Stage(place, view)
    picture = stage.picture(body, minutes)
    paint, held = None, None
    if target is not None:
        paint, held = picture.target(TARGETS[target](), stage.grip(stage.nearest() * 0.8, 0.0, 0.05), *angles)
    metered = Setting(
        setting.white,
        setting.stops - float(np.log2(stage.key(0.0))),
        setting.tint,
        setting.exposure_index,
        setting.error_stops,
    )
    moves = Moves(hand=hand, seed=to.seed)
    _deliver(body, lambda frame: picture.frame(frame, moves, paint, to.seed), metered, to)
    facts = _facts(body, metered, to) | {"place": place, "view": view, "minutes": minutes}
    if held is not None:
        facts |= {
            "target": target,
            "corners": held.corners.round(2).tolist(),
            "glare": round(held.glare, 4),
            "shadow": round(held.shadow, 4),
        }
    return facts


def _facts(body: Camera, setting: Setting, to: Delivery) -> dict[str, Any]:
    linear = to.out.suffix.lower() == ".exr"
    encoding = body.linear_encoding.name if linear else None if body.baked else body.encoding.name
    return {
        "out": str(to.out),
        "camera": body.name,
        "encoding": encoding,
        "frames": to.frames,
        "stops": round(setting.stops, 4),
        "white": setting.white,
        "tint": setting.tint,
    }


def _deliver(body: Camera, levels: Any, setting: Setting, to: Delivery) -> None:
    grain = Grain(to.seed, HEIGHT, WIDTH) if to.noise else None

    def linear(frame: int) -> Float32:
        return Exposure(body, levels(frame), setting, soft=True).linear(grain)

    def write(path: Path) -> None:
        suffix = path.suffix.lower()
        if suffix == ".exr":
            write_still(path, linear(0), to.timecode, to.reel, "half")
        elif suffix in STILLS:
            write_still(
                path,
                signal(body, linear(0)),
                to.timecode,
                to.reel,
                "uint10" if suffix == ".dpx" else "uint16",
            )
        else:
            pixels = "yuv420p10le" if to.codec == "hevc" else "yuv422p10le"
            frames = (signal(body, linear(k)) for k in range(to.frames))
            write_movie(
                path,
                frames,
                to.timecode,
                to.reel,
                CODECS[to.codec],
                pixels,
                range=to.range,
                rate=Fraction(RATE),
            )

    write_safely(to.out, write, to.force)
