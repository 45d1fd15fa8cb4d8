"""One frame through the exact chain, written as a picture."""

from __future__ import annotations

from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np

from aquin.arrays import Float32
from aquin.colour import acescct
from aquin.colour.grade import Grade
from aquin.errors import AquinError
from aquin.exchange import grade_file, picture
from aquin.frames import open_source
from aquin.production.grading import held_grade
from aquin.production.match_work import side_of
from aquin.production.media import file_of
from aquin.production.shoot import Shoot

if TYPE_CHECKING:
    from aquin.colour.config import ColourConfig
    from aquin.look.look import Look
    from aquin.measure.clip import Clip
    from aquin.production import Production, Shot


@dataclass(frozen=True)
class Target:
    """Where a picture goes and what it becomes: an encoding, or a display's view (the configuration's usual one where
    neither is said).
    """

    out: Path
    to: str | None = None
    display: str | None = None
    view: str | None = None
    force: bool = False


def render_shot(
    production: Production,
    config: ColourConfig,
    shot: Shot,
    target: Target,
    number: int | None = None,
    timecode: str | None = None,
    look: Look | None = None,
) -> dict[str, Any]:
    """A shot's frame with its whole grade, regions and softness and all, and a look, written as a picture. Raises
    AquinError.
    """
    shoot = Shoot(production, config)
    path = file_of(production, shot)
    ref = shoot.ref(shot, shot.first + shot.frames // 2 if number is None else number)
    if path is None or ref is None:
        raise AquinError(
            f"{shot.name} can't be read",
            production.place,
            "Find its media, and choose its camera's encoding in Plan",
        )
    if timecode is not None:
        ref = replace(ref, frame=open_source(path).number_at(timecode))
    grade = (held_grade(production, shot) or Grade()).at(ref.frame)
    linear = side_of(ref, shoot.config_path).linear
    log = np.asarray(grade.picture(linear), np.float32)
    if look is not None:
        log = np.asarray(look.picture(log), np.float32)
    linear = np.asarray(acescct.decode(log), np.float32)
    return _written(config, linear, target, ref.frame)


def shot_picture(production: Production, config: ColourConfig, shot: Shot) -> Float32 | None:
    """(h, w, 3) scene-linear AP1 of the shot's middle frame; None where its file can't be read now."""
    shoot = Shoot(production, config)
    ref = shoot.ref(shot, shot.first + shot.frames // 2)
    if ref is None or file_of(production, shot) is None:
        return None
    try:
        return side_of(ref, shoot.config_path).linear
    except AquinError:
        return None


def render_picture(
    clip: Clip, config: ColourConfig, grade: Path | None, target: Target, number: int | None
) -> dict[str, Any]:
    """The exact chain for one frame of a file, written as a picture. Raises AquinError."""
    frame, linear = clip.read(number)
    if grade is not None:
        graded = grade_file.read(grade)(acescct.encode(linear))
        linear = acescct.decode(np.asarray(graded, np.float32)).astype(np.float32)
    return _written(config, linear, target, frame.number)


def _written(config: ColourConfig, linear: Any, target: Target, number: int) -> dict[str, Any]:
    """Graded scene-linear into an encoding, or through a display's view, into a file."""
    display, view = target.display, target.view
    if target.to is not None and (display is not None or view is not None):
        raise AquinError("--to and --display/--view exclude each other", None, "Use one of them")
    if target.to is not None:
        name = config.resolve(target.to)
        result = config.from_linear(name)(linear)
    else:
        first_display, first_view = config.default_view()
        display = display or first_display
        view = view or (
            first_view if display == first_display else dict(config.displays()).get(display, [""])[0]
        )
        name = f"{display} / {view}"
        result = config.view(display, view)(linear)
    picture.write(target.out, result, target.force)
    return {
        "out": str(target.out),
        "frame": number,
        "to": name,
        "width": result.shape[1],
        "height": result.shape[0],
    }
