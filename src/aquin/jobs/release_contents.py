"""What goes into a release of a production: its shots with their names, grades and looks, and what is said of each."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import TYPE_CHECKING, Any

from aquin.errors import AquinError
from aquin.exchange.names import safe_names
from aquin.production import Camera, Production, Setup, Shot
from aquin.production.agreeing import agreements
from aquin.production.agreement import mark_of
from aquin.production.cells import Cell, ShotState, board
from aquin.production.looks import Held, fingerprint, look_for, looks_of, screen_of
from aquin.production.media import file_of
from aquin.production.notes import open_notes
from aquin.production.shoot import Shoot, shot_grade
from aquin.release.numbers import values_of
from aquin.release.shot_files import FORMATS, READY, LookJob, ShotJob

if TYPE_CHECKING:
    from aquin.colour.config import ColourConfig
    from aquin.look.look import Look

ONLY = ("all", "agreed")


@dataclass(frozen=True)
class Wish:
    """What somebody wants to release. `only`: `all`, or `agreed`: the shots that somebody has agreed to as they are.
    `key`: the file of the key that signs it. `points`: of the ready LUTs, 33 or 65.
    """

    only: str = "all"
    formats: tuple[str, ...] = FORMATS
    note: str = ""
    key: Path | None = None
    points: int = READY

    def __post_init__(self) -> None:
        if self.only not in ONLY:
            raise AquinError(f"there is no choice '{self.only}'", None, f"Use {' or '.join(ONLY)}")
        if self.points not in (33, 65):
            raise AquinError(f"ready LUTs of {self.points} points are not supported", None, "Use 33 or 65")
        wrong = [f for f in self.formats if f not in FORMATS]
        if wrong or not self.formats:
            raise AquinError(
                f"there is no format '{', '.join(wrong)}'", None, f"There are: {', '.join(FORMATS)}"
            )


@dataclass(frozen=True)
class Contents:
    """`said`: by shot id what the release says of it before its files are there. `left_out`: names of shots, and why.
    `looks`: the looks that are worn, with the stems of their files.
    """

    jobs: tuple[ShotJob, ...]
    said: Mapping[str, dict[str, Any]]
    left_out: tuple[tuple[str, str], ...]
    looks: tuple[tuple[Look, str], ...]
    screen: tuple[str, str]
    encodings: Mapping[str, str] = field(default_factory=dict)
    """Stems of the files of the encodings that the shots are read by."""


def contents_of(production: Production, config: ColourConfig, wish: Wish, folder: Path) -> Contents:
    """What a release would hold, written to `folder`. Takes a moment. Raises AquinError where nothing is left."""
    shoot, screen = Shoot(production, config), screen_of(production, config)
    worn: dict[str, tuple[Look, Held | None]] = {}
    jobs: list[ShotJob] = []
    said: dict[str, dict[str, Any]] = {}
    left: list[tuple[str, str]] = []
    shots = [s for s in production.all(Shot) if s.kind == "shot"]
    states = states_of(board(production, config))
    for shot, stem in zip(shots, safe_names(s.name for s in shots), strict=True):
        why = why_not(shoot, shot, wish)
        if why:
            left.append((shot.name, why))
            continue
        ref = shoot.ref(shot, shot.first + shot.frames // 2)
        assert ref is not None
        grade = shot_grade(shoot, shot)
        look = look_for(production, config, shot.setup_id)
        if look is not None:
            worn.setdefault(fingerprint(look), (look, _held_of(production, config, look)))
        ref = type(ref)(**(ref.__dict__ | {"grade": json.dumps(grade.values())}))
        look_job = None
        if look is not None:
            lut = str(look.lut.path) if look.lut is not None else ""
            look_job = LookJob(json.dumps(look.values()), lut)
        jobs.append(
            ShotJob(
                shot.id,
                shot.name,
                stem,
                ref,
                shoot.config_path,
                look_job,
                screen,
                folder,
                wish.formats,
                wish.points,
            )
        )
        said[shot.id] = said_of(shoot, shot, stem, look, states.get(shot.id))
    if not jobs:
        words = left[0][1] if left else "nothing was logged"
        raise AquinError(
            f"there is nothing to release ({words})",
            production.place,
            "Agree to shots on the Board, or release all" if wish.only == "agreed" else "Log shots first",
        )
    stems = safe_names(look.name for look, _ in worn.values())
    encodings = list(dict.fromkeys(j.ref.encoding for j in jobs))
    return Contents(
        tuple(jobs),
        said,
        tuple(left),
        tuple((look, stem) for (look, _), stem in zip(worn.values(), stems, strict=True)),
        screen,
        dict(zip(encodings, safe_names(encodings), strict=True)),
    )


def _held_of(production: Production, config: ColourConfig, look: Look) -> Held | None:
    return next((h for h in looks_of(production, config) if h.look == look), None)


def why_not(shoot: Shoot, shot: Shot, wish: Wish) -> str:
    if shot.trouble:
        return shot.trouble
    if wish.only == "agreed" and not any(a.now for a in agreements(shoot.production, shoot, shot)):
        return "nobody has agreed to it as it is"
    ref = shoot.ref(shot, shot.first)
    if ref is None and file_of(shoot.production, shot) is None:
        return "its drive is not connected"
    if ref is None:
        return "its camera's encoding is not chosen"
    return "" if ref.path.is_file() else "its file is not there"


def said_of(
    shoot: Shoot, shot: Shot, stem: str, look: Look | None, state: ShotState | None
) -> dict[str, Any]:
    """What is known of a shot: where it is from, how it is read, its grade in numbers, who agreed, how it stands."""
    production, grade, how = shoot.production, shot_grade(shoot, shot), shoot.how[shot.id]
    camera, setup = production.find(Camera, shot.camera_id), production.find(Setup, shot.setup_id)
    ref = shoot.ref(shot, shot.first)
    return {
        "id": shot.id,
        "name": shot.name,
        "stem": stem,
        "camera": camera.name if camera is not None else "",
        "setup": setup.name if setup is not None else "",
        "reel": shot.reel,
        "path": shot.path,
        "content": shot.content,
        "start": shot.start,
        "rate": shot.rate,
        "first": shot.first,
        "frames": shot.frames,
        "encoding": ref.encoding if ref is not None else how.encoding,
        "range": how.range,
        "matrix": how.matrix,
        "raw": json.loads(ref.raw) if ref is not None else {},
        "mark": mark_of(grade),
        "grade": grade.values(),
        **values_of(grade),
        "look": None if look is None else look.name,
        "look_print": fingerprint(look),
        "agreed": [a.data() for a in agreements(production, shoot, shot)],
        "state": state.word if state is not None else "not measured",
        "ledger": [_row(r) for r in state.rows] if state is not None else [],
        "notes": [n.words for n in open_notes(production, shot.id)],
        "open": [f.what for f in state.findings] if state is not None else [],
    }


def _row(row: Any) -> dict[str, Any]:
    def number(value: float) -> float | None:
        return round(float(value), 4) if value == value and abs(value) != float("inf") else None

    return {
        "axis": row.axis.name,
        "unit": row.axis.unit,
        "before": number(row.difference),
        "after": number(row.value),
        "doubt": number(row.doubt),
        "tolerance": row.axis.tolerance,
        "within": row.within,
    }


def states_of(cells: Mapping[Any, Cell]) -> dict[str, ShotState]:
    """Each shot of the board, by id."""
    return {s.shot.id: s for cell in cells.values() for s in cell.shots}
