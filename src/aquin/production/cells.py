"""The board's cells: what each camera is in each setup, from the production alone; nothing is read from media."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from enum import StrEnum
from typing import TYPE_CHECKING

import numpy as np

from aquin.colour.grade import Grade as Correction
from aquin.measure.ledger import MAIN, Row, axes, measure
from aquin.production.agreeing import agreed
from aquin.production.audit.run import kept_findings
from aquin.production.beside import beside_of
from aquin.production.grading import correction_of
from aquin.production.heroes import LOOKS, hero_of, main_hero
from aquin.production.heroes import MAIN as MAIN_HEROES
from aquin.production.ledgers import known_charts, known_frames, look_jobs, shot_ledger
from aquin.production.records import Camera, Grade, Option, Setup, Shot
from aquin.production.shoot import LOOK, CellKey, Shoot, shot_grade
from aquin.production.stale import Balances, balances_of, is_stale
from aquin.production.stand_in import StandIn, stand_in_of

if TYPE_CHECKING:
    from aquin.colour.config import ColourConfig
    from aquin.production.audit.finding import Finding
    from aquin.production.store import Entry, Production


GAUGES = ("exposure", "warmth", "tint", "saturation", "sharpness")
"""Axes that a cell shows."""
TOLERANCES = "tolerances"


class State(StrEnum):
    """Where a shot, or a camera in a setup, stands."""

    HERO = "hero"
    WITHIN = "within"
    OFF = "off"
    FINDING = "finding"
    """Something is wrong with the recording itself, or with the hero's: what is measured may mean nothing."""
    DOUBT = "to look at"
    """Not known well enough: its doubt is larger than the tolerance."""
    STALE = "stale"
    NO_ENCODING = "no encoding"
    NO_CHART = "no chart"
    NOT_STARTED = "not started"
    NOT_MEASURED = "not measured"


def off_count(rows: tuple[Row, ...]) -> int:
    """Axes that decide and are out of tolerance."""
    return sum(not r.within and not r.doubtful for r in rows if r.axis.name in MAIN)


def doubts(rows: tuple[Row, ...]) -> list[Row]:
    """Axes that decide and are not known well enough."""
    return [r for r in rows if r.axis.name in MAIN and r.doubtful]


def word_of(state: State, rows: tuple[Row, ...]) -> str:
    """A state in words, with how many axes are off."""
    return f"{off_count(rows)} off" if state is State.OFF else state.value


@dataclass(frozen=True)
class ShotState:
    """One shot of a cell. `own`: what made the trim of its own that it holds. `findings`: what is open about it or
    about what it is compared with.
    """

    shot: Shot
    state: State
    rows: tuple[Row, ...] = ()
    by: str = ""
    own: str = ""
    agreed: bool = False
    findings: tuple[Finding, ...] = ()
    grade: Correction = field(default_factory=Correction)
    """What it is graded with, which its rows are of."""

    @property
    def word(self) -> str:
        return word_of(self.state, self.rows)


@dataclass(frozen=True)
class Cell:
    """One camera in one setup."""

    place: CellKey
    setup: Setup
    camera: Camera
    state: State
    shots: tuple[ShotState, ...]
    charts: int
    rows: tuple[Row, ...] = ()
    by: str = ""
    balance: Grade | None = None
    grade: Correction = field(default_factory=Correction)
    origin: str = ""
    main: str = ""
    """Of a hero's cell: the name of the main hero, or `main` where it is that itself."""
    cover: Shot | None = None
    stand_in: StandIn | None = None
    """What the camera is read as though nobody chose it."""

    def row(self, axis: str) -> Row | None:
        return next((r for r in self.rows if r.axis.name == axis), None)

    @property
    def word(self) -> str:
        return word_of(self.state, self.rows)

    @property
    def off(self) -> int:
        return off_count(self.rows)

    @property
    def settled(self) -> bool:
        """Whether nothing is left to do: what is off or in doubt is settled once somebody has looked and agreed."""
        return self.state in (State.HERO, State.WITHIN) or (
            self.state in (State.DOUBT, State.OFF) and all(s.agreed for s in self.shots)
        )

    @property
    def to_look_at(self) -> bool:
        """Whether settling can't do more, and a person has to look."""
        return self.state in (State.DOUBT, State.OFF, State.FINDING) and not self.settled

    @property
    def findings(self) -> int:
        """How many findings are open about its shots."""
        return len({f.key for s in self.shots for f in s.findings})


def tolerances_of(production: Production) -> dict[str, float]:
    """The production's own tolerances; what is not a number above 0 counts as not set."""
    held = production.option(TOLERANCES, {})
    if not isinstance(held, Mapping):
        return {}
    return {
        str(k): float(v) for k, v in held.items() if isinstance(v, int | float) and np.isfinite(v) and v > 0
    }


def keep_tolerances(production: Production, values: Mapping[str, float]) -> Entry | None:
    """Write the tolerances that differ from the usual ones."""
    usual = {a.name: a.tolerance for a in axes()}
    own = {k: float(v) for k, v in values.items() if k in usual and v > 0 and v != usual[k]}
    return production.change("change tolerances", Option(own, id=TOLERANCES))


def open_findings(production: Production, every: bool = False) -> dict[str, list[Finding]]:
    """By shot id: errors and warnings that nobody has set aside, about how it looks (or about anything)."""
    out: dict[str, list[Finding]] = {}
    for finding in kept_findings(production):
        if not finding.dismissed and finding.severity != "note" and (every or finding.kind in LOOKS):
            for id in finding.shots:
                out.setdefault(id, []).append(finding)
    return out


def findings_beside(shoot: Shoot, shot: Shot, found: Mapping[str, list[Finding]]) -> tuple[Finding, ...]:
    """What is open about a shot and about what it is compared with."""
    at = shoot.moment(shot)
    beside = (
        found.get(at.hero.id, ()) if at is not None else ()
    )  # a hero that changes is right where it is looked at
    both = [*found.get(shot.id, ()), *(f for f in beside if f.kind != "changing light")]
    return tuple({f.key: f for f in both}.values())


def board(
    production: Production, config: ColourConfig, seen_on: tuple[str, str] | None = None
) -> dict[CellKey, Cell]:
    """All cells that hold a recording, setup by setup, camera by camera. Takes a moment: for a thread of its own."""
    shoot = Shoot(production, config)
    screen = seen_on or config.default_view()
    setups = sorted(production.all(Setup), key=lambda s: s.position)
    cameras = sorted(production.all(Camera), key=lambda c: c.position)
    places = [(s.id, c.id) for s in setups for c in cameras if (s.id, c.id) in shoot.shots]
    known_charts(shoot)
    known_frames(shoot, places)
    limits = tolerances_of(production)
    jobs = {shot.id: look_jobs(shoot, shot, screen) for place in places for shot in shoot.shots[place]}
    looks = production.measured_of(LOOK, {j.key for group in jobs.values() for j in group})
    beside = beside_of(shoot, places)
    ledgers = {
        shot.id: shot_ledger(shoot, shot, looks, jobs[shot.id], limits, beside.get(shot.id))
        for place in places
        for shot in shoot.shots[place]
        if shot.kind == "shot"
    }
    out: dict[CellKey, Cell] = {}
    known = _Known(
        {(g.setup_id, g.camera_id): g for g in production.all(Grade) if g.layer == "balance"},
        {g.shot_id: g for g in production.all(Grade) if g.layer == "trim" and g.on},
        ledgers,
        limits,
        balances_of(production),
        open_findings(production),
    )
    by_setup, by_camera = {s.id: s for s in setups}, {c.id: c for c in cameras}
    for place in places:
        out[place] = _cell(shoot, by_setup[place[0]], by_camera[place[1]], known)
    return out


@dataclass(frozen=True)
class _Known:
    """What is looked up once for all cells."""

    balances: Mapping[CellKey, Grade]
    trims: Mapping[str, Grade]
    ledgers: Mapping[str, tuple[list[Row], str]]
    limits: Mapping[str, float]
    values: Balances
    findings: Mapping[str, list[Finding]]


def _measured(rows: tuple[Row, ...]) -> State:
    if not any(r.axis.name in MAIN for r in rows):
        return State.NOT_MEASURED
    if off_count(rows):
        return State.OFF
    return State.DOUBT if doubts(rows) else State.WITHIN


def _shot_state(
    shoot: Shoot, shot: Shot, hero: Shot | None, graded: bool, is_hero: bool, known: _Known
) -> ShotState:
    """One shot of a cell; `graded`: its camera has a balance here."""
    own = known.trims.get(shot.id)
    measured, by = known.ledgers.get(shot.id, ([], ""))
    rows = tuple(measured)
    found = findings_beside(shoot, shot, known.findings)
    if hero is not None and shot.id == hero.id:
        state = State.HERO
    elif own is not None and is_stale(shoot.production, shoot.config, own, known.values):
        state = State.STALE
    elif not graded and own is None and not is_hero:
        state = State.NOT_STARTED
    else:
        state = State.FINDING if found else _measured(rows)
    by_hand = own.origin if own is not None else ""
    return ShotState(
        shot, state, rows, by, by_hand, agreed(shoot.production, shoot, shot), found, shot_grade(shoot, shot)
    )


def _cell(shoot: Shoot, setup: Setup, camera: Camera, known: _Known) -> Cell:
    production, place = shoot.production, (setup.id, camera.id)
    shots, balance = shoot.shots[place], known.balances.get(place)
    hero = hero_of(production, setup)
    is_hero = hero is not None and hero.camera_id == camera.id
    graded = balance is not None and balance.on and correction_of(production, balance) is not None
    old = balance is not None and is_stale(production, shoot.config, balance, known.values)
    states = [_shot_state(shoot, s, hero, graded, is_hero, known) for s in shots if s.kind == "shot"]
    charts = shoot.charts(place)
    rows, by = _rows(shoot, place, hero, states, known.limits)
    encoded = bool(camera.encoding) or any(shoot.how[s.id].known or s.floating for s in shots)
    if is_hero:
        state = State.STALE if old else State.HERO
    elif not encoded:
        state = State.NO_ENCODING
    elif old:
        state = State.STALE
    elif not graded:
        state = State.NOT_STARTED if charts else State.NO_CHART
    else:
        state = _measured(rows)
    if state is State.WITHIN and any(s.state is State.FINDING for s in states):
        state = State.FINDING
    stand_in = stand_in_of(production, camera)
    if state is State.WITHIN and stand_in is not None and stand_in.doubtful:
        state = State.DOUBT
    cover = hero if is_hero else next((s.shot for s in states), shots[0] if shots else None)
    return Cell(
        place,
        setup,
        camera,
        state,
        tuple(states),
        len(charts),
        rows,
        by,
        balance,
        shoot.grade_at(place),
        balance.origin if balance is not None and balance.on else "",
        _main_of(production, setup, hero) if is_hero and hero is not None else "",
        cover,
        stand_in,
    )


def _main_of(production: Production, setup: Setup, hero: Shot) -> str:
    """`main` where the hero is a main hero itself, else the name of the one that it is matched to."""
    held = production.option(MAIN_HEROES, {})
    if isinstance(held, Mapping) and hero.id in held.values():
        return "main"
    found = main_hero(production, setup)
    return found.name if found is not None else ""


def _rows(
    shoot: Shoot, place: CellKey, hero: Shot | None, states: list[ShotState], limits: Mapping[str, float]
) -> tuple[tuple[Row, ...], str]:
    """A cell's ledger: charts speak for the camera where both were filmed; else, and for what charts can't say, its
    shots' medians.
    """
    if hero is None or (hero.setup_id, hero.camera_id) == place:
        return (), ""
    found: dict[str, Row] = {}
    by = ""
    chart = shoot.source((hero.setup_id, hero.camera_id), place)
    if chart is not None:
        found = {r.axis.name: r for r in measure(chart[0].evidence, shoot.grade_at(place), None, limits)}
        by = "chart"
    follows = [s for s in states if not s.own and s.rows] or [s for s in states if s.rows]
    for axis in axes(limits):
        rows = [r for s in follows for r in s.rows if r.axis.name == axis.name]
        if axis.name not in found and rows and (axis.picture or not by):
            of_hero, of_shot, difference, after = (
                float(np.median([getattr(r, n) for r in rows]))
                for n in ("hero", "shot", "difference", "after")
            )
            found[axis.name] = Row(axis, of_hero, of_shot, difference, after, weak=all(r.weak for r in rows))
    for name in ("exposure", "warmth", "tint"):  # a cell is as good as its worst shot
        sound = [s for s in states if not s.findings] or states
        seen = [r for s in sound for r in s.rows if r.axis.name == name and np.isfinite(r.beside)]
        if seen:
            found[name] = max(seen, key=lambda r: (r.doubtful or not r.within, abs(r.value)))
    if not by and follows:
        by = Counter(s.by for s in follows).most_common(1)[0][0]
    return tuple(found[a.name] for a in axes(limits) if a.name in found), by


def without_trims(production: Production, cell: Cell) -> Entry | None:
    """The cell's shots follow their camera's balance again."""
    ids = {s.shot.id for s in cell.shots}
    held = [g for g in production.all(Grade) if g.layer == "trim" and g.shot_id in ids and g.on]
    return production.change(
        f"{len(held)} shots follow {cell.camera.name} in {cell.setup.name}",
        *(replace(g, on=False) for g in held),
    )
