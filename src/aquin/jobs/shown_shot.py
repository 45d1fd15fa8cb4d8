"""How a production's shot is opened for looking at: its side, its hero's, and what is known of the two without
reading media.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING, Any

import numpy as np

from aquin.arrays import Float64
from aquin.colour.grade import Grade
from aquin.jobs.load_side import Role, Side
from aquin.match.engine import Source
from aquin.measure.ledger import PictureValues, Row, measure
from aquin.production import Camera, Event, Setup, Shot
from aquin.production.beside import Verdict, beside_of, drawn_to, look_again, on_the_axes, under
from aquin.production.grading import held_grade
from aquin.production.ledgers import known_charts, known_frames, shot_evidence
from aquin.production.measuring import encoding_of
from aquin.production.media import file_of
from aquin.production.named import struck_of
from aquin.production.raw import decode_of
from aquin.production.setups import seconds_of
from aquin.production.shoot import pair_grades

if TYPE_CHECKING:
    from aquin.production import Production
    from aquin.production.shoot import Shoot


SURE = {"points": 0.7, "chart": 0.95, "chart+drift": 0.7}
"""How far what the production knows of a shot is believed, by what it is."""


@dataclass(frozen=True)
class Opening:
    """One shot on one side, at a frame."""

    shot: Shot
    role: Role
    side: Side
    grade: Grade


def side_of(production: Production, shot: Shot, frame: int | None = None) -> Side | None:
    """How a shot is opened; None where its file is not there. Its encoding is empty where nobody knows it."""
    path = file_of(production, shot)
    if path is None or not path.is_file():
        return None
    camera = production.find(Camera, shot.camera_id)
    matrix: Any = shot.matrix or (camera.matrix if camera is not None else "") or None
    signal: Any = shot.range or (camera.range if camera is not None else "") or None
    raw = decode_of(production, shot)
    return Side(
        str(path),
        encoding_of(production, shot),
        shot.first if frame is None else frame,
        matrix,
        signal,
        raw=tuple(raw.values().items()) if raw is not None else (),
        shot_id=shot.id,
    )


def beside(production: Production, shoot: Shoot, shot: Shot) -> tuple[tuple[Shot, Role, int | None], ...]:
    """How a shot is looked at: beside what its hero's camera recorded at that moment; the hero itself alone."""
    at = shoot.moment(shot)
    if at is None:
        return ((shot, "hero", None),)
    return ((at.hero, "hero", at.hero_frame), (shot, "shot", at.shot_frame))


def opening_of(production: Production, shot: Shot, role: Role, frame: int | None = None) -> Opening | None:
    """A shot with its grade on one side; None where its file is not there."""
    side = side_of(production, shot, frame)
    if side is None:
        return None
    return Opening(shot, role, side, held_grade(production, shot) or Grade())


def neighbour(production: Production, shoot: Shoot, shot: Shot | None, by: int) -> Shot | None:
    """The next shot of the same camera and setup that has a hero, by time of day; then of the next camera, and
    so on. Of none: the first of the first setup that has one.
    """
    order = [
        s
        for s in production.all(Shot)
        if (shot is None or s.setup_id == shot.setup_id) and shoot.moment(s) is not None
    ]
    cameras = {c.id: c.position for c in production.all(Camera)}
    setups = {s.id: s.position for s in production.all(Setup)}

    def place(s: Shot) -> tuple[int, int, float, str]:
        seconds = (seconds_of(s) or (0.0, 0.0))[0]
        return setups.get(s.setup_id, 99), cameras.get(s.camera_id, 99), seconds, s.name

    order.sort(key=place)
    if shot is None:
        return order[0] if order else None
    places = [k for k, s in enumerate(order) if s.id == shot.id]
    if not places or not 0 <= places[0] + by < len(order):
        return None
    return order[places[0] + by]


@dataclass(frozen=True)
class Told:
    """What the production knows of a shot. `source`: what charts and compared frames say; `beside`: what the shot's
    picture beside its hero's says under `grade`; `moved`: (3,) log2 of the channels by which the source's colours were
    moved to agree with that, as far as it is sure.
    """

    source: Source
    beside: Verdict | None = None
    grade: Grade = field(default_factory=Grade)
    moved: Float64 = field(default_factory=lambda: np.zeros(3))

    def rows(
        self, grade: Grade, pictures: PictureValues | None, tolerances: Mapping[str, float]
    ) -> list[Row]:
        """The shot's ledger under a grade: light as charts say it, and beside it as the picture does."""
        evidence = self.source.evidence
        rows = measure(evidence, grade, pictures, tolerances)
        if self.beside is None:
            return rows
        filmed = replace(evidence, shot=evidence.shot * np.exp2(-self.moved))
        light = {r.axis.name: r for r in measure(filmed, grade, None, tolerances)}
        rows = [light.get(r.axis.name, r) if r.axis.name in self.beside.axes else r for r in rows]
        return on_the_axes(rows, under(self.beside, filmed.shot, self.grade, grade))


def known_of(production: Production, shoot: Shoot, shot: Shot) -> Told | None:
    """What is known of the shot where the whole shoot was matched already: some tens of milliseconds, for a worker."""
    at = shoot.moment(shot)
    if at is None:
        return None
    place = (shot.setup_id, shot.camera_id)
    known_charts(shoot)
    known_frames(shoot, [place])
    evidence, by = shot_evidence(shoot, shot, at)
    sure = SURE.get(by, 0.0)
    if evidence is None or not sure:
        return None
    if struck_of(production, shot) and not production.read_only:
        look_again(shoot, shot)
    grade, seen = pair_grades(shoot, shot, at)[1], beside_of(shoot, [place]).get(shot.id)
    if seen is None:
        return Told(Source(by, evidence, sure))
    moved = drawn_to(evidence, grade, seen) if by.startswith("chart") else np.zeros(3)
    held = replace(evidence, shot=evidence.shot * np.exp2(moved))
    return Told(Source(by, held, sure), seen, grade, moved)


def used_of(production: Production, shot: Shot) -> tuple[tuple[int, int], ...]:
    """First and last frames of what the edits use of a shot."""
    pieces = [
        (e.first, e.first + e.frames - 1)
        for e in production.all(Event)
        if e.shot_id == shot.id and e.frames > 0
    ]
    return tuple(sorted(set(pieces)))
