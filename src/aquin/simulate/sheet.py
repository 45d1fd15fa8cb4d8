"""A contact sheet of a built shoot: setups by cameras, one frame of each, as an sRGB screen shows it."""

from pathlib import Path

import cv2
import numpy as np

from aquin.arrays import Float32
from aquin.colour.config import ColourConfig
from aquin.errors import AquinError
from aquin.frames import open_source
from aquin.simulate.cameras import ROLES
from aquin.simulate.demo import screen, small
from aquin.simulate.places import PLACES
from aquin.simulate.shoot import SETUPS, Shoot, Take

CELL, GAP, LEFT, TOP = 300, 8, 118, 34
GREY = 46


def contact_sheet(shoot: Shoot, folder: Path) -> np.ndarray:
    """(h, w, 3) uint8 RGB: rows are setups, columns are cameras; each picture is the middle of the cell's first sound
    shot.

    Raises AquinError when nothing can be read.
    """
    config = ColourConfig.load(folder / "config.ocio")
    high = round(CELL * 9 / 16)
    sheet = np.full(
        (TOP + len(SETUPS) * (high + GAP) + GAP, LEFT + len(ROLES) * (CELL + GAP) + GAP, 3), GREY, np.uint8
    )
    for column, body in enumerate(ROLES.values()):
        _write(sheet, body.name, (LEFT + column * (CELL + GAP), 22))
    count = 0
    for row, setup in enumerate(SETUPS):
        y = TOP + row * (high + GAP)
        for line, text in enumerate(PLACES[setup.name]().title.split(", ")):
            _write(sheet, text, (10, y + 24 + 20 * line))
        for column, role in enumerate(ROLES):
            x = LEFT + column * (CELL + GAP)
            takes = sorted(
                (t for t in shoot.shots if t.setup == setup.name and t.role == role),
                key=lambda t: bool(t.mistake),
            )
            picture = next(
                (p for p in (_thumbnail(t, folder / "media", config) for t in takes) if p is not None), None
            )
            if picture is None:
                cv2.rectangle(sheet, (x, y), (x + CELL - 1, y + high - 1), (62, 62, 62), 1)
                _write(sheet, "not filmed", (x + CELL // 2 - 34, y + high // 2 + 4), 0.40, 140)
                continue
            sheet[y : y + high, x : x + CELL] = np.round(picture[:high] * 255).astype(np.uint8)
            count += 1
    if not count:
        raise AquinError("no shot of the shoot can be read", folder, "Build it first: aquin demo")
    return sheet


def _thumbnail(take: Take, media: Path, config: ColourConfig) -> Float32 | None:
    path = media / take.path
    if not path.is_file():
        return None
    try:
        source = open_source(path)
        rgb = source.read(source.first + source.count // 2).rgb
        source.close()
    except AquinError:
        return None
    if take.camera.baked is None:
        encoding = take.camera.linear_encoding if take.form.codec == "exr" else take.camera.encoding
        rgb = screen(config, config.to_linear(encoding.name)(rgb))
    return np.clip(small(np.asarray(rgb, np.float32), CELL), 0, 1)


def _write(sheet: np.ndarray, text: str, at: tuple[int, int], size: float = 0.46, level: int = 215) -> None:
    cv2.putText(sheet, text, at, cv2.FONT_HERSHEY_SIMPLEX, size, (level, level, level), 1, cv2.LINE_AA)
