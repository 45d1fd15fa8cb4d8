"""How light changes within takes of a production, the keys that follow it, and their list."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np

from aquin.colour.grade import Grade
from aquin.colour.over_time import change_at
from aquin.errors import AquinError
from aquin.exchange import change_list
from aquin.frames.timecode import frames_of, timecode_of
from aquin.match.drift import to_parts
from aquin.production.grading import held_grade
from aquin.production.over_time import TOLERANCE, Followed, follow, graded_after, keep
from aquin.production.shoot import Shoot, frame_of

if TYPE_CHECKING:
    from aquin.colour.config import ColourConfig
    from aquin.production import Production, Shot
    from aquin.workers import Tell


def follow_light(
    production: Production,
    config: ColourConfig,
    shots: Sequence[Shot],
    keeping: bool = False,
    tolerance: float = TOLERANCE,
    jobs: int | None = None,
    tell: Tell | None = None,
) -> list[dict[str, Any]]:
    """What `aquin follow --json` says of each shot. `keeping`: shots in which light changes get keys. `tolerance`:
    stops of a channel that keys may leave. Raises AquinError.
    """
    found = follow(production, config, shots, jobs, tell)
    out = []
    for shot in shots:
        one = found.get(shot.id)
        if one is None:
            out.append(
                {
                    "shot": shot.name,
                    "trouble": "its frames can't be compared: see that its file and encoding are there",
                }
            )
            continue
        grade = graded_after(production, config, one, tolerance)
        kept = keeping and one.changes and keep(production, config, one, grade) is not None
        now = held_grade(production, shot) or Grade()
        out.append(data_of(one, grade, now) | {"kept": kept})
    return out


def forget_keys(production: Production, config: ColourConfig, shots: Sequence[Shot]) -> list[str]:
    """Hold grades still again, as they are at the frame that they were solved at; names of shots that moved. Raises
    AquinError.
    """
    shoot = Shoot(production, config)
    names = []
    for shot in shots:
        now = held_grade(production, shot)
        if now is not None and now.keys:
            still = Followed(shot, (), np.zeros((0, 3)), np.zeros(0), "", np.zeros((0, 3)))
            keep(production, config, still, now.at(frame_of(shoot, shot)))
            names.append(shot.name)
    return names


def data_of(found: Followed, proposed: Grade, now: Grade) -> dict[str, Any]:
    """As plain values: what was measured, the keys that would follow it, and those that the shot has."""
    left = found.change + change_at(proposed.keys, found.frames)
    return {
        "shot": found.shot.name,
        "by": found.by,
        "changes": found.changes,
        "span_stops": round(found.span, 3),
        "words": found.words if found.changes else "light holds within the take",
        "seen": [
            {
                "frame": f,
                "stops": round(p[0], 3),
                "mired": round(p[1], 1),
                "green": round(p[2], 3),
                "error": round(e, 3),
            }
            for f, p, e in zip(found.frames, found.parts.tolist(), found.error.tolist(), strict=True)
        ],
        "proposed": keys_data(proposed),
        "left_stops": round(float(np.ptp(left, axis=0).max()), 3) if len(left) else 0.0,
        "keys": keys_data(now),
    }


def keys_data(grade: Grade) -> list[dict[str, Any]]:
    """A grade's keys in stops, mired and green, counted over its middle."""
    if not grade.keys:
        return []
    stops = change_at(grade.keys, [k.frame for k in grade.keys])
    return [
        {"frame": k.frame, "stops": round(float(p[0]), 3), "green": round(float(p[2]), 3)}
        | {"mired": round(grade.at(k.frame).balance.shift[0] - grade.balance.shift[0], 1)}
        for k, p in zip(grade.keys, to_parts(stops), strict=True)
    ]


def write_list(
    production: Production, shot: Shot, path: Path, every: bool = False, force: bool = False
) -> int:
    """A shot's keys as a change list, or what holds at every frame; how many rows. Raises AquinError."""
    grade = held_grade(production, shot) or Grade()
    if not grade.keys:
        raise AquinError(
            f"the grade of {shot.name} holds one value over the whole take",
            path,
            "Export it with: aquin grade --out",
        )
    frames = range(shot.first, shot.first + shot.frames) if every else [k.frame for k in grade.keys]
    rows = change_list.rows_of(grade, timecodes(shot, frames), list(frames))
    change_list.write(path, shot.name, rows, force)
    return len(rows)


def timecodes(shot: Shot, frames: Sequence[int]) -> Mapping[int, str]:
    """Of frames by the shot's first timecode; empty where it has none."""
    rate = shot.fps
    if not shot.start or rate is None:
        return {}
    begin = frames_of(shot.start, rate)
    return {f: timecode_of(begin + f - shot.first, rate, ";" in shot.start) for f in frames}
