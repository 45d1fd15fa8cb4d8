"""The demo: two cameras film the ferry's aft deck with the chart in it."""

import json
import shutil
from collections.abc import Callable, Iterator
from pathlib import Path

import numpy as np

from aquin.arrays import Float32, write_safely
from aquin.colour.config import ColourConfig
from aquin.errors import AquinError
from aquin.simulate.cameras import CAMERAS, HERON, SKUA, Setting, signal
from aquin.simulate.canvas import View
from aquin.simulate.film import film, write_exr, write_movie
from aquin.simulate.scene import Deck

VERSION = 1
MARK = ".aquin-demo.json"
LIGHT = "D55"
HERON_SETTING = Setting("D55")
SKUA_SETTING = Setting("5000K", stops=-0.45, tint=4.0)
FRAMES = 24


def heron_deck() -> Deck:
    return Deck(View(eye=(0.0, 1.5, 0.0)))


def skua_deck(frame: int) -> Deck:
    """The second camera stands a step to the right and sways a little."""
    sway = 0.004 * np.sin(frame / 5.0)
    return Deck(View(eye=(0.14 + float(sway), 1.53 + 0.5 * float(sway), 0.06)), phase=frame / 24)


def build_demo(folder: Path, progress: Callable[[float, str], None] | None = None) -> Path:
    """Build the demo in `folder` unless it is there already; returns the session file that opens it.

    The truth goes into a folder of its own beside it (`NAME-truth`), which the application never reads. Raises AquinError
    for a folder that holds anything else.
    """
    session = folder / "ferry.json"
    mark = folder / MARK
    if mark.is_file() and session.is_file() and json.loads(mark.read_text()).get("version") == VERSION:
        return session
    if folder.exists() and any(folder.iterdir()) and not mark.is_file():
        raise AquinError("the folder holds other things", folder, "Name an empty or new folder with --dir")
    tell = progress or (lambda share, text: None)
    try:
        (folder / "media").mkdir(parents=True, exist_ok=True)
        mark.write_text(json.dumps({"version": 0}))
        truth = folder.parent / f"{folder.name}-truth"
        if truth.exists() and not (truth / MARK).is_file():
            raise AquinError("the folder for the truth holds other things", truth, "Choose another --dir")
        shutil.rmtree(truth, ignore_errors=True)
        truth.mkdir()
        (truth / MARK).write_text("{}")
    except OSError as error:
        raise AquinError(
            f"the demo can't be built ({error.strerror})", folder, "Choose another folder with --dir"
        ) from error
    config = ColourConfig.load().with_encodings(
        *(e for c in CAMERAS.values() for e in (c.encoding, c.linear_encoding))
    )
    write_safely(folder / "config.ocio", lambda p: _put(p, config.text()), force=True)
    random = np.random.default_rng(2026)
    tell(0.02, "filming with Heron")
    hero = folder / "media" / "A004_C012_aftdeck.exr"
    write_exr(hero, film(heron_deck(), HERON, LIGHT, HERON_SETTING, random), "10:04:11:08", "A004")
    shot = folder / "media" / "B002_C007_aftdeck.mkv"

    def frames() -> Iterator[Float32]:
        for number in range(FRAMES):
            tell(0.05 + 0.9 * number / FRAMES, f"filming with Skua, frame {number + 1} of {FRAMES}")
            yield signal(SKUA, film(skua_deck(number), SKUA, LIGHT, SKUA_SETTING, random))

    write_movie(shot, frames(), "10:04:11:02", "B002")
    tell(0.96, "keeping the truth")
    seen = film(skua_deck(0), HERON, LIGHT, HERON_SETTING, None)
    np.savez_compressed(
        truth / "aftdeck.npz",
        hero_corners=heron_deck().chart_corners(),
        shot_corners=skua_deck(0).chart_corners(),
        hero_camera_at_shot=seen.astype(np.float32),
    )
    session.write_text(
        json.dumps(
            {
                "version": 1,
                "config": "config.ocio",
                "hero": {"file": "media/A004_C012_aftdeck.exr", "encoding": HERON.linear_encoding.name},
                "shot": {"file": "media/B002_C007_aftdeck.mkv", "encoding": SKUA.encoding.name},
            },
            indent=2,
        )
        + "\n",
        encoding="utf-8",
    )
    mark.write_text(json.dumps({"version": VERSION}))
    tell(1.0, "done")
    return session


def _put(path: Path, text: str) -> None:
    path.write_text(text, encoding="utf-8")
