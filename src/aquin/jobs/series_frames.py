"""Small pictures of shots for papers: the frames of exposure series, and a shot with and without the look."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from aquin.colour import acescct
from aquin.colour.grade import Grade
from aquin.errors import AquinError
from aquin.production import Camera
from aquin.production.charting import series_of
from aquin.production.grading import held_grade
from aquin.production.looks import look_for, screen_of
from aquin.production.shoot import Shoot
from aquin.release.shot_files import check_source, jpeg

if TYPE_CHECKING:
    from aquin.colour.config import ColourConfig
    from aquin.production import Production, Shot

MOST = 8
"""Frames of a series in a row."""


def series_frames(production: Production, config: ColourConfig) -> dict[str, list[tuple[str, bytes]]]:
    """By camera JPEGs of its exposure series as they were filmed, with their marked stops; up to `MOST` of all."""
    out: dict[str, list[tuple[str, bytes]]] = {}
    for camera in production.all(Camera):
        shots = sorted(series_of(production, camera), key=lambda s: s.series_stops or 0.0)
        at = np.unique(np.linspace(0, max(len(shots) - 1, 0), MOST).round().astype(int)) if shots else ()
        for k in at:
            shot = shots[int(k)]
            data = shown(production, config, shot)
            if data is not None:
                out.setdefault(camera.name, []).append((f"{shot.series_stops or 0.0:+g} st", data))
    return out


def shown(
    production: Production, config: ColourConfig, shot: Shot, graded: bool = False, look: bool = False
) -> bytes | None:
    """JPEG of a shot's middle frame through the first deliverable's view; None where it can't be read."""
    try:
        ref = Shoot(production, config).ref(shot, shot.first + shot.frames // 2)
        if ref is None or not ref.path.is_file():
            return None
        _, linear = check_source(ref, config)
        grade = (held_grade(production, shot) if graded else None) or Grade()
        log = np.asarray(grade.at(ref.frame).apply_linear(linear), np.float32)
        worn = look_for(production, config, shot.setup_id) if look else None
        if worn is not None:
            log = np.asarray(worn.apply(log), np.float32)
        view = config.view(*screen_of(production, config))
        return jpeg(view(np.asarray(acescct.decode(log), np.float32)))
    except AquinError:
        return None
