"""The demo production: the ferry shoot, built on first use."""

import json
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

import cv2
import numpy as np

from aquin.arrays import Float32
from aquin.colour.cdl import Cdl
from aquin.colour.config import ColourConfig
from aquin.errors import AquinError
from aquin.files import write_text
from aquin.simulate.build import Progress, build_media, claim, room_for
from aquin.simulate.cameras import CAMERAS, HERON, SKUA
from aquin.simulate.film import write_still
from aquin.simulate.planning import plan
from aquin.simulate.shoot import CREWS, Crew, Shoot, Take
from aquin.trusted import trust

VERSION = 4
MARK = ".aquin-demo.json"
SESSION = "ferry.json"
TRUTH_MARK = ".aquin-truth.json"
SEED = 2026
MEGABYTES = 450
LOOK = Cdl((1.32, 1.24, 1.10), (-0.135, -0.105, -0.030), (1.0, 1.0, 1.0), 0.72)
"""The reference still's grade on ACEScct: warm lights, teal in the shadows, more contrast, less colour."""


def build_demo(
    folder: Path,
    progress: Progress | None = None,
    seed: int = SEED,
    truth: Path | None = None,
    only: Callable[[Take], bool] | None = None,
    jobs: int | None = None,
    crew: Crew = "careful",
) -> Path:
    """Build the ferry shoot in `folder` unless it is there already; returns the session file that opens it.

    An interrupted build goes on with the files that are missing. `truth`: a folder outside it for what really
    happened, for tests; the application never reads it. `only` films a part. Raises AquinError for a folder that
    holds anything else.
    """
    if is_done(folder):
        return folder / SESSION
    tell = progress or (lambda share, text: None)
    if truth is not None:
        if truth.resolve().is_relative_to(folder.resolve()):
            raise AquinError("the truth must lie outside the production", truth, "Name another folder")
        claim(truth, TRUTH_MARK)
        (truth / TRUTH_MARK).write_text("{}", encoding="utf-8")
    with _clear_errors(folder):
        config, shoot = _begin(folder, seed, MEGABYTES if only is None else 0, crew)
        takes = [t for t in shoot.takes if only is None or only(t)]
        media = folder / "media"
        build_media(
            shoot, takes, media, truth, lambda share, text: tell(0.97 * share, text), jobs, papers=folder
        )
        tell(0.97, "reference stills")
        write_references(shoot, media, folder / "references", config)
        _write_session(folder, shoot)
        _mark(folder, shoot, done=True)
    tell(1.0, "done")
    return folder / SESSION


def film_first_takes(folder: Path, progress: Progress | None = None) -> Path:
    """Film what the Bench opens with, so that work can begin; `build_demo` then films the rest. Returns the session
    file.

    Nothing is done where that, or all of it, is there. Raises AquinError as `build_demo` does.
    """
    session = folder / SESSION
    if is_done(folder) or (_read(folder / MARK).get("version") == VERSION and session.is_file()):
        return session
    with _clear_errors(folder):
        _, shoot = _begin(folder, SEED, MEGABYTES)
        build_media(shoot, session_takes(shoot), folder / "media", None, progress, papers=folder)
        _write_session(folder, shoot)
    return session


def is_done(folder: Path) -> bool:
    """Whether the shoot in a folder is complete."""
    found = _read(folder / MARK)
    return found.get("version") == VERSION and bool(found.get("done")) and (folder / SESSION).is_file()


def _begin(folder: Path, seed: int, megabytes: int, crew: Crew = "careful") -> tuple[ColourConfig, Shoot]:
    """Claim the folder, clear out another version, and write the configuration."""
    claim(folder, MARK)
    if megabytes:
        room_for(folder, megabytes)
    found = _read(folder / MARK)
    shoot = plan(seed, crew)
    if (found.get("version"), found.get("seed"), found.get("crew")) != (VERSION, seed, crew):
        _sweep(folder)
    _mark(folder, shoot, done=False)
    (folder / "media").mkdir(exist_ok=True)
    config = ColourConfig.load().with_encodings(
        *(e for c in CAMERAS.values() if not c.baked for e in (c.encoding, c.linear_encoding))
    )
    write_text(folder / "config.ocio", config.text(), force=True)
    trust(folder / "config.ocio")
    return config, shoot


def _mark(folder: Path, shoot: Shoot, done: bool) -> None:
    text = json.dumps({"version": VERSION, "seed": shoot.seed, "crew": shoot.crew, "done": done})
    write_text(folder / MARK, text, force=True)


def _write_session(folder: Path, shoot: Shoot) -> None:
    text = json.dumps(_session(shoot), indent=2) + "\n"
    write_text(folder / SESSION, text, force=True)


@contextmanager
def _clear_errors(folder: Path) -> Iterator[None]:
    try:
        yield
    except OSError as error:
        raise AquinError(
            f"the demo can't be built ({error.strerror or error})",
            error.filename or folder,
            "Free some space or choose another folder with --dir",
        ) from error


def shoot_in(folder: Path) -> Shoot:
    """The plan of a built shoot. Raises AquinError when it is none."""
    found = _read(folder / MARK)
    seed, crew = found.get("seed"), found.get("crew")
    if not isinstance(seed, int) or crew not in CREWS:
        raise AquinError(
            "this is no simulated shoot", folder, "Build one first: aquin demo, or aquin simulate shoot DIR"
        )
    return plan(seed, crew)


def session_takes(shoot: Shoot) -> tuple[Take, Take]:
    """What the Bench opens with: the main camera's chart still and the flying camera's chart take on the car deck."""
    hero = next(t for t in shoot.takes if t.kind == "still")
    shot = next(
        t for t in shoot.takes if t.setup == "car-deck" and t.role == "flying" and t.target == "24-patch"
    )
    return hero, shot


def _session(shoot: Shoot) -> dict[str, object]:
    hero, shot = session_takes(shoot)
    return {
        "version": 1,
        "config": "config.ocio",
        "hero": {"file": f"media/{hero.path}", "encoding": HERON.linear_encoding.name},
        "shot": {"file": f"media/{shot.path}", "encoding": SKUA.encoding.name, "frame": shot.zero},
    }


def write_references(shoot: Shoot, media: Path, folder: Path, config: ColourConfig) -> None:
    """16-bit TIFF stills: the main camera's first slate of each setup as it looks ungraded, and one with a strong look.

    Pictures are for an sRGB screen. Takes that were not filmed, or can't be read, are left out.
    """
    from aquin.frames import open_source

    folder.mkdir(exist_ok=True)
    for take in shoot.shots:
        if take.role != "main" or take.number != 1 or not (media / take.path).is_file() or take.mistake:
            continue
        source = open_source(media / take.path)
        rgb = source.read(source.first + min(take.zero, source.count - 1)).rgb
        source.close()
        linear = config.to_linear(take.camera.encoding.name)(rgb)
        write_still(folder / f"hero-{take.setup}.tif", screen(config, linear), None, take.card, "uint16")
        if take.setup in ("car-deck", "pier") and not (folder / "look.tif").exists():
            log = config.from_linear("ACEScct")(linear)
            graded = config.to_linear("ACEScct")(np.asarray(LOOK.apply(log), np.float32))
            write_still(folder / "look.tif", screen(config, graded), None, take.card, "uint16")


def screen(config: ColourConfig, linear: Float32) -> Float32:
    """(h, w, 3) scene-linear AP1 as the first view of an sRGB screen shows it, 0 to 1."""
    display = next(((d, v[0]) for d, v in config.displays() if "sRGB" in d and v), config.default_view())
    return np.asarray(np.clip(config.view(*display)(linear), 0, 1), np.float32)


def small(picture: Float32, width: int) -> Float32:
    """(h, w, 3) scaled to a width."""
    size = (width, round(width * picture.shape[0] / picture.shape[1]))
    return np.asarray(cv2.resize(picture, size, interpolation=cv2.INTER_AREA), np.float32)


def _sweep(folder: Path) -> None:
    """Remove what an older version of the demo left in its own folder."""
    import shutil

    for name in ("media", "reports", "edit", "references"):
        shutil.rmtree(folder / name, ignore_errors=True)
    (folder / SESSION).unlink(missing_ok=True)
    for name in ("ferry.aquin", "ferry.aquin-wal", "ferry.aquin-shm"):
        (folder / name).unlink(missing_ok=True)


def _read(mark: Path) -> dict[str, object]:
    try:
        found = json.loads(mark.read_text(encoding="utf-8"))
    except (OSError, ValueError):
        return {}
    return found if isinstance(found, dict) else {}
